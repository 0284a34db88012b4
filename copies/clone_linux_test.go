package copies

import (
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/copies/disk"
)

// cloning mounts a file system that has clones, for a test.
func cloning(t *testing.T) string {
	t.Helper()
	path := os.Getenv("PATH")
	t.Setenv("PATH", path+":/sbin:/usr/sbin")
	image, folder := filepath.Join(t.TempDir(), "image"), t.TempDir()
	require.NoError(t, os.WriteFile(image, nil, 0o600))
	require.NoError(t, os.Truncate(image, 256<<20))
	for _, line := range [][]string{{"mkfs.btrfs", "-q", image}, {"mount", "-o", "loop", image, folder}} {
		if out, err := exec.Command(line[0], line[1:]...).CombinedOutput(); err != nil {
			t.Skipf("no file system with clones can be mounted here: %v %s", err, out)
		}
	}
	t.Cleanup(func() { _ = unix.Unmount(folder, unix.MNT_DETACH) })
	return folder
}

// Where files can be clones, copying and putting back takes no room, and none is asked for.
func TestClones(t *testing.T) {
	h := newHome(t, nil)
	h.dir = cloning(t)
	require.NoError(t, os.MkdirAll(filepath.Join(h.dir, "state"), 0o755))
	large := make([]byte, 40<<20)
	for i := range large {
		large[i] = byte(i * 31 >> 7)
	}
	h.write(inSlots+"world.sav", string(large))
	used := func() int64 {
		require.NoError(t, exec.Command("sync", "-f", h.dir).Run())
		var st unix.Statfs_t
		require.NoError(t, unix.Statfs(h.dir, &st))
		return int64(st.Blocks-st.Bfree) * int64(st.Bsize)
	}
	before := used()
	taken := h.take(nil)
	assert.Less(t, used()-before, int64(4<<20), "a clone shares what it has")
	problems, err := taken.Copy.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, problems)
	h.write(inSlots+"world.sav", "day 2")
	// Hardly any room is left: a clone needs none.
	free, err := disk.Free(h.dir)
	require.NoError(t, err)
	filler := make([]byte, max(free-30<<20, 0))
	for i := range filler {
		filler[i] = byte(i * 17 >> 5)
	}
	require.NoError(t, os.WriteFile(filepath.Join(h.dir, "filler"), filler, 0o600))
	p := h.plan(taken.Copy, PutbackOptions{})
	defer p.Close()
	h.do(p)
	assert.Equal(t, string(large), h.files()[inSlots+"world.sav"])
	// The game writes into its file, and the copy stays as it was.
	f, err := os.OpenFile(h.path(inSlots+"world.sav"), os.O_WRONLY, 0)
	require.NoError(t, err)
	_, err = f.WriteAt([]byte("written over"), 1000)
	require.NoError(t, err)
	require.NoError(t, f.Close())
	problems, err = taken.Copy.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, problems)
	h.undo()
	assert.Equal(t, "day 2", h.files()[inSlots+"world.sav"])
}

// What is a clone is not read again when the copy is checked, but looked at.
func TestClonesAreChecked(t *testing.T) {
	h := newHome(t, nil)
	h.dir = cloning(t)
	require.NoError(t, os.MkdirAll(filepath.Join(h.dir, "state"), 0o755))
	h.write(inSlots+"a.sav", "day 12")
	h.write(inSlots+"b.sav", "day 40")
	time.Sleep(100 * time.Millisecond) // longer than a tick of the clock
	packed := h.take(func(o *TakeOptions) { o.Form, o.Always = Zip, true })
	problems, err := packed.Check(t.Context())
	require.NoError(t, err)
	assert.Empty(t, problems)
	taken := h.take(nil)
	assert.Len(t, taken.cloned, 2)
	problems, err = taken.Check(t.Context())
	require.NoError(t, err)
	assert.Empty(t, problems)
	problems, err = taken.Copy.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, problems, "the digests of the originals are those of the clones")
	for _, f := range taken.Copy.Record.Files {
		path := filepath.Join(taken.Copy.Path, f.Stored)
		if strings.HasSuffix(path, "a.sav") {
			require.NoError(t, os.Remove(path))
		} else {
			require.NoError(t, os.Truncate(path, 3))
		}
	}
	problems, err = taken.Check(t.Context())
	require.NoError(t, err)
	assert.Equal(t, []Problem{
		{"xdg-data:tidewrack/slots/a.sav", "it is missing"},
		{"xdg-data:tidewrack/slots/b.sav", "it has 3 bytes, and the record says 6"},
	}, problems)
}
