//go:build amd64 || arm64

package capture

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/core/trace"
)

// An exchange is told as such, and both files are there afterwards.
func TestWatchingAnExchange(t *testing.T) {
	w := watchWhile(t, nil, func(game string, _ func(string)) {
		write(t, filepath.Join(game, "x.new"), "the newer one")
		time.Sleep(300 * time.Millisecond)
		require.NoError(t, unix.Renameat2(unix.AT_FDCWD, filepath.Join(game, "x.new"), unix.AT_FDCWD, filepath.Join(game, "old.sav"), unix.RENAME_EXCHANGE))
	})
	assert.Contains(t, w.ops["x.new"], trace.Exchange)
	assert.Equal(t, "old.sav", w.to["x.new"])
	for _, name := range []string{"x.new", "old.sav"} {
		assert.NotContains(t, w.ops[name], trace.Remove)
		assert.Equal(t, trace.IsFile, w.after[name].Is, name)
	}
}

// What lay on a file system that was unmounted need not be gone.
func TestWatchingAFileSystemThatIsUnmounted(t *testing.T) {
	stick := ""
	w := watchWhile(t, func(o *WatchOptions) {
		stick = filepath.Join(o.Folders[0].Folder, "stick")
		require.NoError(t, os.Mkdir(stick, 0o755))
		if err := unix.Mount("tmpfs", stick, "tmpfs", 0, ""); err != nil {
			t.Skipf("nothing can be mounted here: %v", err)
		}
		t.Cleanup(func() { _ = unix.Unmount(stick, unix.MNT_DETACH) })
		write(t, filepath.Join(stick, "a.sav"), "a")
		write(t, filepath.Join(stick, "b.sav"), "b")
	}, func(string, func(string)) {
		write(t, filepath.Join(stick, "a.sav"), "changed")
		time.Sleep(300 * time.Millisecond)
		require.NoError(t, unix.Unmount(stick, unix.MNT_DETACH))
	})
	assert.NotContains(t, w.ops["stick/a.sav"], trace.Remove)
	assert.NotContains(t, w.ops["stick/b.sav"], trace.Remove)
	assert.NotContains(t, w.after, "stick/a.sav")
	assert.Contains(t, w.gaps, "was unmounted before the end")
}

func init() {
	acts["folders-as-told"] = func() error {
		for {
			if _, err := os.Stat("go-on"); err == nil {
				break
			}
			time.Sleep(5 * time.Millisecond)
		}
		if err := acts["a-folder-renamed-into-place"](); err != nil {
			return err
		}
		return unix.Renameat2(unix.AT_FDCWD, "there.txt", unix.AT_FDCWD, "world/a.dat", unix.RENAME_EXCHANGE)
	}
}

func TestFoldersAndExchangesOfTheSystem(t *testing.T) {
	got := systemWhile(t, "folders-as-told", func(o *SystemOptions, pid int) { o.PID = pid })
	got.has(t, "rename world.tmp world", "rename world.tmp/a.dat world/a.dat", "exchange there.txt world/a.dat")
	assert.Equal(t, trace.IsFile, got.after["world/a.dat"].Is)
	assert.Equal(t, trace.IsAbsent, got.after["world.tmp/a.dat"].Is)
	assert.NotContains(t, got.events, "rename world/a.dat there.txt")
}

// A file that somebody holds a lease on is not opened: that would break it.
func TestLeasesAreLeftAlone(t *testing.T) {
	folder := t.TempDir()
	name := filepath.Join(folder, "leased.sav")
	require.NoError(t, os.WriteFile(name, []byte("x"), 0o600))
	f := must(os.OpenFile(name, os.O_RDWR, 0))
	defer f.Close()
	if _, err := unix.FcntlInt(f.Fd(), unix.F_SETLEASE, unix.F_WRLCK); err != nil {
		t.Skipf("no leases here: %v", err)
	}
	r, _ := quietRecorder(t)
	k := newKeeping(r, Versions{Folder: filepath.Join(folder, "v"), File: 100})
	_, ok := k.keep(name, "cue saved", true)
	assert.False(t, ok)
	lease := must(unix.FcntlInt(f.Fd(), unix.F_GETLEASE, 0))
	assert.Equal(t, unix.F_WRLCK, lease, "it is not broken")
	_, gaps, err := r.close()
	require.NoError(t, err)
	assert.Contains(t, fmt.Sprint(gaps), "holds a lease")
}
