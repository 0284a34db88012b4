//go:build amd64 || arm64

package calls

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"testing"
	"unsafe"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture/capturetest"
	"endroit/capture/processes"
	"endroit/core/trace"
)

// Ways to name a path, beside the plain ones of the other acts.
func init() {
	for name, act := range map[string]func() error{
		"openat2": func() error {
			fd, err := unix.Openat2(unix.AT_FDCWD, "new.sav", &unix.OpenHow{Flags: unix.O_WRONLY | unix.O_CREAT, Mode: 0o600})
			if err != nil {
				return err
			}
			return unix.Close(fd)
		},
		"between-folders": func() error {
			if err := errors.Join(os.Mkdir("from", 0o700), os.Mkdir("to", 0o700), os.WriteFile("from/a", nil, 0o600)); err != nil {
				return err
			}
			from, err1 := unix.Open("from", unix.O_DIRECTORY|unix.O_PATH, 0)
			to, err2 := unix.Open("to", unix.O_DIRECTORY|unix.O_PATH, 0)
			return errors.Join(err1, err2, unix.Renameat(from, "a", to, "b"))
		},
		"up-through-a-link": func() error {
			if err := errors.Join(os.MkdirAll("real/inner", 0o700), os.Symlink("real/inner", "link")); err != nil {
				return err
			}
			// The kernel goes up from real/inner, not from here.
			fd, err := unix.Open("link/../up.sav", unix.O_WRONLY|unix.O_CREAT, 0o600)
			if err != nil {
				return err
			}
			return unix.Close(fd)
		},
		"in-a-removed-folder": func() error {
			if err := errors.Join(os.Mkdir("gone", 0o700), os.Chdir("gone"), os.Remove("../gone")); err != nil {
				return err
			}
			if err := os.WriteFile("lost.sav", nil, 0o600); !errors.Is(err, unix.ENOENT) {
				return fmt.Errorf("wrote into a removed folder: %v", err)
			}
			return nil
		},
		"too-long": func() error {
			if _, err := os.Open(strings.Repeat("x", 5000)); !errors.Is(err, unix.ENAMETOOLONG) {
				return fmt.Errorf("opened a name of 5000 bytes: %v", err)
			}
			return nil
		},
		"at-a-page's-edge": func() error {
			const page = 4096
			memory, err := unix.Mmap(-1, 0, 3*page, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_PRIVATE|unix.MAP_ANON)
			if err != nil {
				return err
			}
			if err := unix.Mprotect(memory[2*page:], unix.PROT_NONE); err != nil {
				return err
			}
			open := func(at int, name string, flags int) error {
				copy(memory[at:], name+"\x00")
				fd, _, errno := unix.Syscall6(unix.SYS_OPENAT, ^uintptr(99), uintptr(unsafe.Pointer(&memory[at])), uintptr(flags), 0o600, 0, 0)
				if errno != 0 {
					return fmt.Errorf("%s: %w", name, errno)
				}
				return unix.Close(int(fd))
			}
			across, last := "across-two-pages.sav", "before-what-is-not-there.sav"
			for range 3 { // the first time it is not known yet, then it is
				if err := errors.Join(open(page-7, across, unix.O_RDWR|unix.O_CREAT), open(2*page-len(last)-1, last, unix.O_RDWR|unix.O_CREAT)); err != nil {
					return err
				}
			}
			return nil
		},
		"at-the-limit": func() error {
			for range 1900 {
				if err := os.Mkdir("d", 0o700); err != nil {
					return err
				}
				if err := os.Chdir("d"); err != nil {
					return err
				}
			}
			if err := os.WriteFile("deep.sav", nil, 0o600); err != nil {
				return err
			}
			return nil
		},
		"a-bad-address": func() error {
			if _, _, errno := unix.Syscall6(unix.SYS_OPENAT, ^uintptr(99), 1, 0, 0, 0, 0); errno != unix.EFAULT {
				return fmt.Errorf("openat of address 1: %v", errno)
			}
			return os.WriteFile("after.sav", nil, 0o600)
		},
		"nameless": func() error {
			fd, err := unix.Open(".", unix.O_TMPFILE|unix.O_WRONLY, 0o600)
			if err != nil {
				return err
			}
			return unix.Linkat(unix.AT_FDCWD, fmt.Sprintf("/proc/self/fd/%d", fd), unix.AT_FDCWD, "named.sav", unix.AT_SYMLINK_FOLLOW)
		},
		"refused": func() error {
			if err := os.WriteFile("closed.sav", []byte("x"), 0o400); err != nil {
				return err
			}
			_ = os.Chmod("closed.sav", 0o400)
			f, err := os.OpenFile("closed.sav", os.O_WRONLY|os.O_EXCL|os.O_CREATE, 0o600)
			if err == nil {
				return errors.Join(errors.New("an exclusive opening of an existing file succeeded"), f.Close())
			}
			return nil
		},
		"elsewhere": func() error { // its own folder as root: paths are the host's for us
			if os.Getuid() != 0 {
				return nil
			}
			if err := os.Mkdir("jail", 0o700); err != nil {
				return err
			}
			if err := syscall.Chroot("jail"); err != nil {
				return err
			}
			fd, err := unix.Open("/inner.sav", unix.O_WRONLY|unix.O_CREAT, 0o600)
			if err != nil {
				return err
			}
			return unix.Close(fd)
		},
	} {
		capturetest.Acts[name] = act
	}
	for act, events := range map[string][]string{
		"openat2":           {"create new.sav"},
		"between-folders":   {"make-folder from", "make-folder to", "create from/a", "rename from/a to/b"},
		"up-through-a-link": {"make-folder real", "make-folder real/inner", "symlink link", "create real/up.sav"},
		"a-bad-address":     {"create after.sav"},
		"refused":           {"create closed.sav"},
	} {
		catalogue[act] = events
	}
}

func TestAFileWithoutANameGetsOne(t *testing.T) {
	got := observe(t, "nameless", nil)
	assert.Equal(t, 0, got.Result.Status)
	assert.Contains(t, strings.Join(got.Events, "\n"), " named.sav")
	assert.Equal(t, trace.IsFile, got.After["named.sav"].Is)
}

func TestChangedRoot(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("changing the root needs the right to")
	}
	got := observe(t, "elsewhere", nil)
	assert.Equal(t, 0, got.Result.Status)
	assert.Contains(t, got.Events, "create jail/inner.sav")
	assert.FileExists(t, filepath.Join(got.Folder, "jail", "inner.sav"))
}

func TestUnreadableNamesDoNotStopTheProgram(t *testing.T) {
	for _, act := range []string{"in-a-removed-folder", "too-long", "at-the-limit"} {
		t.Run(act, func(t *testing.T) {
			got := observe(t, act, nil)
			assert.Equal(t, 0, got.Result.Status)
			assert.Empty(t, got.Cut)
			for name := range got.Files {
				assert.NotContains(t, name, "(deleted)", "no path is made up")
			}
		})
	}
}

func TestANameThatCrossesAPage(t *testing.T) {
	got := observe(t, "at-a-page's-edge", nil)
	assert.Equal(t, 0, got.Result.Status)
	a, b := "across-two-pages.sav", "before-what-is-not-there.sav"
	assert.Equal(t, []string{"create " + a, "create " + b, "update " + a, "update " + b, "update " + a, "update " + b}, got.Events)
	assert.Empty(t, got.Gaps)
}

// A 32-bit program's calls have numbers of their own.
func TestA32BitProgramIsSeen(t *testing.T) {
	if runtime.GOARCH != "amd64" {
		t.Skip("32-bit programs of this architecture are not observed")
	}
	program := filepath.Join(t.TempDir(), "calls386")
	build := exec.Command("go", "build", "-o", program, "./testdata/calls386")
	build.Env = append(os.Environ(), "GOOS=linux", "GOARCH=386", "CGO_ENABLED=0")
	out, err := build.CombinedOutput()
	require.NoError(t, err, string(out))
	try := exec.Command(program, "nothing")
	try.Dir = t.TempDir()
	if err := try.Run(); errors.Is(err, unix.ENOEXEC) {
		t.Skip("this kernel runs no 32-bit programs")
	}
	got := observe(t, "", func(o *Options) { o.Command = []string{program} })
	assert.Equal(t, 0, got.Result.Status)
	assert.Equal(t, []string{
		"read there.txt", "create new.sav", "create made.sav", "make-folder sub", "link there.txt hard", "symlink soft", "rename made.sav sub/named.sav",
		"truncate there.txt", "truncate there.txt", "remove hard", "create pipe", "create at.sav", "create at2.sav", "make-folder sub/deeper", "list sub",
		"create sub/inner.sav", "rename sub/inner.sav sub/deeper/inner.sav", "exchange at.sav at2.sav", "link at.sav sub/linked", "symlink sub/soft", "remove sub/linked",
		"make-folder gone", "remove-folder gone", "create by-executed",
	}, got.Events)
	assert.Len(t, got.Procs, 2, "before and after it executed itself")
	assert.Equal(t, 1, got.Result.Processes)
	require.Len(t, got.Gaps, 1)
	assert.Contains(t, got.Gaps[0].What, "io_uring was refused")
}

// A sandbox has mounts of its own; its paths come out as the host sees them.
func TestASandboxedProgram(t *testing.T) {
	if _, err := exec.LookPath("bwrap"); err != nil {
		t.Skip("there is no bubblewrap here; tools/need bwrap installs it")
	}
	second := t.TempDir()
	got := observe(t, "", func(o *Options) {
		here := capturetest.Must(os.Getwd())
		o.Command = []string{"bwrap", "--ro-bind", "/", "/", "--dev", "/dev", "--proc", "/proc", "--tmpfs", "/mnt", "--symlink", "with space/sub", "/mnt/link", "--symlink", "/mnt/link/..", "/mnt/again",
			"--bind", here, "/mnt/with space", "--bind", second, "/mnt/with space/second", "--chdir", "/mnt/with space", "--",
			"sh", "-c", `cat there.txt >/dev/null; echo x >"/mnt/with space/new.sav"; mkdir sub; echo y >sub/rel.sav; mv sub/rel.sav /mnt/"with space"/moved.sav; echo z >/mnt/private.txt; cat /mnt/private.txt >/dev/null; echo w >second/there.sav; echo l >/mnt/link/linked.sav; echo a >/mnt/again/again.sav; exit 3`}
	})
	assert.Equal(t, 3, got.Result.Status)
	var own []string
	for _, e := range got.Events {
		if !strings.Contains(e, " second") { // its mount point
			own = append(own, e)
		}
	}
	assert.Equal(t, []string{"read there.txt", "create new.sav", "make-folder sub", "create sub/rel.sav", "rename sub/rel.sav moved.sav", "create sub/linked.sav", "create again.sav"}, own)
	assert.Contains(t, got.Files, filepath.Join(capturetest.Must(filepath.EvalSymlinks(second)), "there.sav"))
	assert.Equal(t, trace.IsFile, got.After["moved.sav"].Is)
	assert.Equal(t, int64(2), got.After["new.sav"].Size)
	for name := range got.Files {
		assert.False(t, strings.HasPrefix(name, "/mnt"), name)
	}
	require.Len(t, got.Gaps, 1)
	assert.Contains(t, got.Gaps[0].What, "made for a sandboxed program alone")
}

func TestMountOnTheHost(t *testing.T) {
	host := processes.ParseMounts(`21 1 8:1 / / rw - ext4 /dev/sda1 rw
30 21 8:2 / /home rw - ext4 /dev/sda2 rw
31 21 8:3 /@games /srv/games rw - btrfs /dev/sdb rw
32 30 0:40 / /home/mira/cloud rw - fuse.x x rw
33 21 0:50 / /tmp rw - tmpfs tmpfs rw
34 21 8:2 /old /media/a\040b rw - ext4 /dev/sda2 rw
35 30 8:9 / /home/covered rw - ext4 /dev/sdc rw
36 35 0:60 / /home/covered rw - tmpfs t rw
bad line
`)
	sandbox := processes.ParseMounts(`1 0 0:70 / / rw - tmpfs tmpfs rw
2 1 8:1 /usr /usr ro - ext4 /dev/sda1 rw
3 1 8:2 /mira /home/player rw - ext4 /dev/sda2 rw
4 3 8:2 /mira/.var/app/example.Quayside/data /home/player/data rw - ext4 /dev/sda2 rw
5 1 8:3 /@games/tide /games rw - btrfs /dev/sdb rw
6 1 0:71 / /tmp rw - tmpfs tmpfs rw
7 1 8:9 / /covered rw - ext4 /dev/sdc rw
8 1 8:2 /old/x /old rw - ext4 /dev/sda2 rw
9 1 8:2 /gone//deleted /gone rw - ext4 /dev/sda2 rw
`)
	for name, want := range map[string]string{
		"/usr/lib/a.so":              "/usr/lib/a.so",
		"/home/player/.config/x.ini": "/home/mira/.config/x.ini",
		"/home/player/data/s.sav":    "/home/mira/.var/app/example.Quayside/data/s.sav",
		"/home/player":               "/home/mira",
		"/games/saves/1":             "/srv/games/tide/saves/1",
		"/old/y":                     "/media/a b/x/y", // the narrowest part that the host has
		"/tmp/x":                     "",               // its own
		"/etc/passwd":                "",               // on its own root
		"/covered/x":                 "",               // the host has something else over it
		"/gone/x":                    "",               // its part of the file system was removed
	} {
		got, ok := sandbox.OnHost(name, host)
		assert.Equal(t, want, got, name)
		assert.Equal(t, want != "", ok, name)
	}
	_, ok := processes.Mounts(nil).OnHost("/x", host)
	assert.False(t, ok)
	got, ok := host.OnHost("/home/mira/cloud/x", host)
	assert.True(t, ok)
	assert.Equal(t, "/home/mira/cloud/x", got, "what is the same for both stays")
	assert.Equal(t, `a b\9\`, processes.Unescaped(`a\040b\9\`))
}
