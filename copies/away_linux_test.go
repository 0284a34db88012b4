package copies

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/machine"
)

// What is moved away and back is known, and what was changed meanwhile is not.
func TestWhatIsMovedBackIsKnown(t *testing.T) {
	top := t.TempDir()
	seen := OpenSeen(filepath.Join(top, "seen.json"))
	old := time.Now().Add(-time.Hour)
	later := time.Now().Add(time.Minute) // it was read a good while after it was written
	side := &Side{}
	paths := map[string]string{}
	for _, name := range []string{"same", "written", "replaced", "unread"} {
		path := filepath.Join(top, name)
		paths[name] = path
		require.NoError(t, os.WriteFile(path, []byte("level 7"), 0o644))
		require.NoError(t, os.Chtimes(path, old, old))
		info, err := os.Lstat(path)
		require.NoError(t, err)
		f := SideFile{File: machine.File{Path: path}}
		f.State = copyplan.State{Kind: copyplan.Regular}
		side.Files = append(side.Files, f)
		if name != "unread" {
			seen.Note(path, disk.Look(info), disk.Copied{SHA256: "of " + name}, later)
		}
	}
	away := seen.Carry(side)
	require.Len(t, away, 3)
	time.Sleep(20 * time.Millisecond)
	for _, path := range paths {
		require.NoError(t, os.Rename(path, path+".away"))
		require.NoError(t, os.Rename(path+".away", path))
	}
	require.NoError(t, os.WriteFile(paths["written"], []byte("level 8"), 0o644))
	require.NoError(t, os.WriteFile(paths["replaced"]+".new", []byte("level 9"), 0o644))
	require.NoError(t, os.Chtimes(paths["replaced"]+".new", old, old))
	require.NoError(t, os.Rename(paths["replaced"]+".new", paths["replaced"]))
	digest := func(name string) string {
		info, err := os.Lstat(paths[name])
		require.NoError(t, err)
		sum, _ := seen.Digests(paths[name], disk.Look(info))
		return sum
	}
	assert.Empty(t, digest("same"), "its times say that something was done with it")
	seen.Back(away)
	assert.Equal(t, "of same", digest("same"))
	for _, name := range []string{"written", "replaced", "unread"} {
		assert.Empty(t, digest(name), name)
	}
}
