//go:build amd64 || arm64

package calls

import (
	"os"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/capture"
	"endroit/capture/capturetest"
	"endroit/capture/versions"
	"endroit/core/trace"
)

const nobody = 65534

// Where a person makes a name lead is where they could go alone.
func TestRootReadsAndWritesWithThePersonsRights(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("only root can take somebody's rights")
	}
	assert.Nil(t, capture.RightsOf(0, 0))
	top := capturetest.Must(os.MkdirTemp("", "rights-"))
	defer os.RemoveAll(top)
	require.NoError(t, os.Chmod(top, 0o755))
	secret, theirs := filepath.Join(top, "secret"), filepath.Join(top, "theirs")
	require.NoError(t, os.WriteFile(secret, []byte("root's own"), 0o600))
	require.NoError(t, os.Mkdir(theirs, 0o700))
	require.NoError(t, os.Chown(theirs, nobody, nobody))
	save := filepath.Join(theirs, "x.sav")
	person := capture.RightsOf(nobody, nobody)
	person.Do(func() {
		require.NoError(t, os.WriteFile(save, []byte("mine"), 0o600))
		_, err := os.ReadFile(secret)
		assert.ErrorIs(t, err, os.ErrPermission)
		assert.ErrorIs(t, os.Mkdir(filepath.Join(top, "new"), 0o700), os.ErrPermission)
	})
	info, err := os.Stat(save)
	require.NoError(t, err)
	assert.EqualValues(t, nobody, info.Sys().(*syscall.Stat_t).Uid, "what is made is the person's")
	_, err = os.ReadFile(secret)
	require.NoError(t, err, "root has its own rights again")

	capture.Behalf.Store(person)
	defer capture.Behalf.Store(nil)
	r := capture.NewRecorder(time.Now())
	k := versions.New(r, versions.Options{Folder: filepath.Join(theirs, "t.versions"), File: 1 << 20})
	_, ok := k.Keep(save, "end", true)
	require.True(t, ok)
	require.NoError(t, os.Remove(save))
	require.NoError(t, os.Link(secret, save)) // as root; for the person a hard link or a race of names
	_, ok = k.Keep(save, "end", true)
	assert.False(t, ok, "it is not the person's to read")
	state := capture.WithContent(save, capture.StateOf(save, false))
	assert.Empty(t, state.Digest)
	assert.Empty(t, state.Looks)
	require.NoError(t, filepath.Walk(theirs, func(path string, info os.FileInfo, err error) error {
		require.NoError(t, err)
		if path != save {
			assert.EqualValues(t, nobody, info.Sys().(*syscall.Stat_t).Uid, path)
		}
		if data, err := os.ReadFile(path); err == nil && path != save {
			assert.NotContains(t, string(data), "root's own")
		}
		return nil
	}))

	// A folder of versions that was exchanged for a link leads nowhere either.
	require.NoError(t, os.RemoveAll(filepath.Join(theirs, "t.versions")))
	elsewhere := filepath.Join(top, "elsewhere")
	require.NoError(t, os.MkdirAll(filepath.Join(elsewhere, "content"), 0o755))
	require.NoError(t, os.Symlink(elsewhere, filepath.Join(theirs, "t.versions")))
	require.NoError(t, os.Remove(save))
	person.Do(func() { require.NoError(t, os.WriteFile(save, []byte("another"), 0o600)) })
	k = versions.New(r, versions.Options{Folder: filepath.Join(theirs, "t.versions"), File: 1 << 20})
	_, ok = k.Keep(save, "end", true)
	assert.False(t, ok)
	entries, err := os.ReadDir(filepath.Join(elsewhere, "content"))
	require.NoError(t, err)
	assert.Empty(t, entries)
	assert.Equal(t, trace.IsFile, capture.StateOf(save, false).Is)
}
