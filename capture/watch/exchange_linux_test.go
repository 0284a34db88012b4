//go:build amd64 || arm64

package watch

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/core/trace"
	"endroit/standin/winetest"
)

// An exchange is recorded as such, and both files exist afterwards.
func TestWatchingAnExchange(t *testing.T) {
	w := watchWhile(t, nil, func(game string, _ func(string)) {
		winetest.Write(t, filepath.Join(game, "x.new"), "the newer one")
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
	w := watchWhile(t, func(o *Options) {
		stick = filepath.Join(o.Folders[0].Folder, "stick")
		require.NoError(t, os.Mkdir(stick, 0o755))
		if err := unix.Mount("tmpfs", stick, "tmpfs", 0, ""); err != nil {
			t.Skipf("nothing can be mounted here: %v", err)
		}
		t.Cleanup(func() { _ = unix.Unmount(stick, unix.MNT_DETACH) })
		winetest.Write(t, filepath.Join(stick, "a.sav"), "a")
		winetest.Write(t, filepath.Join(stick, "b.sav"), "b")
	}, func(string, func(string)) {
		winetest.Write(t, filepath.Join(stick, "a.sav"), "changed")
		time.Sleep(300 * time.Millisecond)
		require.NoError(t, unix.Unmount(stick, unix.MNT_DETACH))
	})
	assert.NotContains(t, w.ops["stick/a.sav"], trace.Remove)
	assert.NotContains(t, w.ops["stick/b.sav"], trace.Remove)
	assert.NotContains(t, w.after, "stick/a.sav")
	assert.Contains(t, w.gaps, "was unmounted before the end")
}
