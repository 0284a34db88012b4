package copies

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/machine"
)

// A file that was written again without a change gets its time and permissions back, and
// nothing else is touched.
func TestAttributesAreRestored(t *testing.T) {
	top := t.TempDir()
	was := time.Date(2026, 11, 1, 10, 0, 0, 5000, time.UTC)
	file := func(name, text string, at time.Time) (SideFile, copyrecord.File) {
		path := filepath.Join(top, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		require.NoError(t, os.Chtimes(path, at, at))
		f := SideFile{File: machine.File{Path: path}, Target: machine.Target{Top: top, Names: []string{name}}}
		f.Place = "xdg-data:tarn/" + name
		f.State = copyplan.State{Kind: copyplan.Regular, Size: int64(len(text)), Time: at}
		return f, copyrecord.File{Place: f.Place, Size: int64(len(text)), Time: was, Mode: 0o640, SHA256: "x"}
	}
	again, a := file("again", "level 7", was.Add(time.Hour))
	same, b := file("same", "level 7", was)
	require.NoError(t, os.Chmod(same.File.Path, 0o640))
	changed, c := file("changed", "level 9", was.Add(time.Hour))
	other, _ := file("other", "level 3", was.Add(time.Hour))
	p := &Prepared{Side: &Side{Files: []SideFile{again, changed, other, same}}}
	p.Plan.Steps = []copyplan.Step{{Place: changed.Place}}
	before, err := os.Stat(same.File.Path)
	require.NoError(t, err)
	n, err := p.RestoreAttributes(&Copy{Record: &copyrecord.Record{Files: []copyrecord.File{a, b, c}}})
	require.NoError(t, err)
	assert.Equal(t, 1, n)
	info, err := os.Stat(again.File.Path)
	require.NoError(t, err)
	assert.True(t, info.ModTime().Equal(was))
	assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())
	for _, f := range []SideFile{changed, other} {
		info, err := os.Stat(f.File.Path)
		require.NoError(t, err)
		assert.False(t, info.ModTime().Equal(was), f.Place)
	}
	after, err := os.Stat(same.File.Path)
	require.NoError(t, err)
	assert.Equal(t, before.ModTime(), after.ModTime())
}
