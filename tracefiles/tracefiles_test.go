package tracefiles

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/capture/versions"
)

// A file may be called as a version is; what a version is called is read beside its trace.
func TestReadContent(t *testing.T) {
	folder := t.TempDir()
	odd := filepath.Join(folder, "save#two")
	require.NoError(t, os.WriteFile(odd, []byte("odd"), 0o600))
	o, err := ReadContent(odd)
	require.NoError(t, err)
	assert.Equal(t, "odd", string(o.Data))

	trace := filepath.Join(folder, "x.trace")
	beside := versions.Beside(trace)
	digest := "2c26b46b68ffc68ff99b453c1d30413413422d706483bfa0f98a5e886266e7ae"
	require.NoError(t, os.MkdirAll(filepath.Join(beside, "content"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(beside, "content", digest), []byte("foo"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(beside, "index.jsonl"), []byte(`{"path":"/home/mira/a.sav","why":"cue saved","at":1500000000,"digest":"`+digest+`","size":3,"time":"2026-11-20T10:00:00Z"}`+"\n"), 0o600))
	o, err = ReadContent(trace + "#1")
	require.NoError(t, err)
	assert.Equal(t, "foo", string(o.Data))
	assert.Equal(t, "/home/mira/a.sav, cue saved at 1.5 s", o.Name)
	assert.Equal(t, 2026, o.Changed.Year())
	for _, n := range []string{"#0", "#2", "#-1"} {
		_, err = ReadContent(trace + n)
		assert.ErrorContains(t, err, trace+" has 1 version; there is no version")
	}
}
