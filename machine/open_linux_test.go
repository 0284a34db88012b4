package machine

import (
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/core/place"
)

// What is handed out is the file that was found, whatever became of its name.
func TestTheFileThatWasFoundIsOpened(t *testing.T) {
	home, err := filepath.EvalSymlinks(t.TempDir())
	require.NoError(t, err)
	t.Setenv("HOME", home)
	roots := place.Roots{place.Home: home}
	path := func(name string) string { return filepath.Join(home, filepath.FromSlash(name)) }
	l, err := place.Parse("home:.tidewrack/*.sav")
	require.NoError(t, err)
	for name, c := range map[string]struct {
		change func()
		says   string
	}{
		"left alone":   {func() {}, ""},
		"written to":   {func() { require.NoError(t, os.WriteFile(path(".tidewrack/a.sav"), []byte("more than one"), 0o600)) }, ""},
		"another file": {func() { require.NoError(t, os.Rename(path("other"), path(".tidewrack/a.sav"))) }, "the file was replaced"},
		"a link out": {func() {
			require.NoError(t, os.Remove(path(".tidewrack/a.sav")))
			require.NoError(t, os.Symlink("/etc/passwd", path(".tidewrack/a.sav")))
		}, "it leads out"},
		"a link to keys": {func() {
			require.NoError(t, os.Remove(path(".tidewrack/a.sav")))
			require.NoError(t, os.Symlink("../.ssh/id", path(".tidewrack/a.sav")))
		}, "the file was replaced"},
		"a pipe": {func() {
			require.NoError(t, os.Remove(path(".tidewrack/a.sav")))
			require.NoError(t, unix.Mkfifo(path(".tidewrack/a.sav"), 0o600))
		}, "it is not a regular file"},
		"gone": {func() { require.NoError(t, os.Remove(path(".tidewrack/a.sav"))) }, "no such file"},
		"the folder exchanged for keys": {func() {
			require.NoError(t, os.Rename(path(".tidewrack"), path("away")))
			require.NoError(t, os.Rename(path(".ssh"), path(".tidewrack")))
		}, "the file was replaced"},
		"its folder became guarded": {func() {
			require.NoError(t, os.RemoveAll(path(".ssh")))
			require.NoError(t, os.Rename(path(".tidewrack"), path(".ssh")))
			require.NoError(t, os.Symlink(".ssh", path(".tidewrack")))
		}, "is guarded"},
	} {
		eitherFinder(t, name, func(t *testing.T) {
			entries, err := os.ReadDir(home)
			require.NoError(t, err)
			for _, e := range entries {
				require.NoError(t, os.RemoveAll(path(e.Name())))
			}
			for _, n := range []string{".tidewrack/a.sav", ".ssh/id", ".ssh/a.sav", "other"} {
				require.NoError(t, os.MkdirAll(filepath.Dir(path(n)), 0o700))
				require.NoError(t, os.WriteFile(path(n), []byte("x"), 0o600))
			}
			f := NewFinder()
			defer f.Close()
			found, err := f.Find(t.Context(), roots, l, nil)
			require.NoError(t, err)
			require.Len(t, found.Files, 1, found.Missing)
			c.change()
			opened, err := f.Open(roots, found.Files[0])
			if c.says != "" {
				assert.ErrorContains(t, err, c.says)
				assert.ErrorContains(t, err, path(".tidewrack/a.sav"))
				return
			}
			require.NoError(t, err)
			defer opened.Close()
			data, err := io.ReadAll(opened)
			require.NoError(t, err)
			assert.NotEmpty(t, data)
		})
	}
	_, err = NewFinder().Open(roots, File{Path: path(".tidewrack/a.sav")})
	assert.ErrorContains(t, err, "was not found here")
}

// eitherFinder runs a test with the kernel's way of opening below a folder, and with the
// other.
func eitherFinder(t *testing.T, name string, test func(t *testing.T)) {
	t.Run(name, test)
	before := beneath
	beneath = func() bool { return false }
	defer func() { beneath = before }()
	t.Run(name+", without openat2", test)
}

func TestFoldersThatAreMountedTwice(t *testing.T) {
	table := parseMounts(strings.NewReader(`21 1 8:1 / / rw shared:1 - ext4 /dev/sda1 rw
22 21 8:2 / /home rw - ext4 /dev/sda2 rw
23 22 8:2 /mira/.ssh /home/mira/Games/Tide\040wrack/keys rw - ext4 /dev/sda2 rw
24 21 0:5 / /proc rw - proc proc rw
25 21 8:3 /@home /srv/home rw - btrfs /dev/sda3 rw
26 21 8:3 / /mnt/disk rw - btrfs /dev/sda3 rw
short line
`))
	assert.Len(t, table, 6)
	assert.Equal(t, []string{"/home/mira/.ssh/old"}, table.others("/home/mira/Games/Tide wrack/keys/old"))
	assert.Equal(t, []string{"/home/mira/Games/Tide wrack/keys"}, table.others("/home/mira/.ssh"))
	assert.Equal(t, []string{"/mnt/disk/@home/mira"}, table.others("/srv/home/mira"))
	assert.Equal(t, []string{"/srv/home/mira"}, table.others("/mnt/disk/@home/mira"))
	assert.Empty(t, table.others("/home/mira/Games"))
	assert.Empty(t, table.others("/usr"))
	assert.Empty(t, mountTable{}.others("/usr"))
}

// A guarded folder that is mounted among a game's own is guarded there too.
func TestAGuardedFolderMountedElsewhere(t *testing.T) {
	home, err := filepath.EvalSymlinks(t.TempDir())
	require.NoError(t, err)
	t.Setenv("HOME", home)
	for _, n := range []string{".tidewrack/keys/none", ".ssh/a.sav"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(home, n)), 0o700))
		require.NoError(t, os.WriteFile(filepath.Join(home, n), []byte("x"), 0o600))
	}
	done := make(chan struct{})
	go func() { // the thread has mounts of its own, and ends with this
		defer close(done)
		runtime.LockOSThread()
		if err := unix.Unshare(unix.CLONE_NEWNS); err != nil {
			t.Logf("not as this user: %v", err)
			return
		}
		if !assert.NoError(t, unix.Mount("", "/", "", unix.MS_REC|unix.MS_PRIVATE, "")) || !assert.NoError(t, unix.Mount(filepath.Join(home, ".ssh"), filepath.Join(home, ".tidewrack/keys"), "", unix.MS_BIND, "")) {
			return
		}
		l, err := place.Parse("home:.tidewrack/")
		assert.NoError(t, err)
		found, err := Find(t.Context(), place.Roots{place.Home: home}, l, nil)
		assert.NoError(t, err)
		assert.Empty(t, found.Files)
		assert.Contains(t, said(found), "keys/a.sav was left out: reaches too far: it can match in home:.ssh")
	}()
	<-done
}
