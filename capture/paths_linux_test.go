//go:build amd64 || arm64

package capture

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"golang.org/x/sys/unix"

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
				return errors.Join(errors.New("made it anew"), f.Close())
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
		acts[name] = act
	}
}

func TestPathsComeOutAsTheHostSeesThem(t *testing.T) {
	for act, want := range map[string][]string{
		"openat2":           {"create new.sav"},
		"between-folders":   {"make-folder from", "make-folder to", "create from/a", "rename from/a to/b"},
		"up-through-a-link": {"make-folder real", "make-folder real/inner", "symlink link", "create real/up.sav"},
		"a-bad-address":     {"create after.sav"},
		"refused":           {"create closed.sav"},
	} {
		t.Run(act, func(t *testing.T) {
			got := observe(t, act, nil)
			assert.Equal(t, 0, got.result.Status)
			assert.Equal(t, want, got.events)
		})
	}
}

func TestAFileWithoutANameGetsOne(t *testing.T) {
	got := observe(t, "nameless", nil)
	assert.Equal(t, 0, got.result.Status)
	assert.Contains(t, strings.Join(got.events, "\n"), " named.sav")
	assert.Equal(t, trace.IsFile, got.after["named.sav"].Is)
}

func TestARootOfOnesOwn(t *testing.T) {
	if os.Getuid() != 0 {
		t.Skip("changing the root needs the right to")
	}
	got := observe(t, "elsewhere", nil)
	assert.Equal(t, 0, got.result.Status)
	assert.Contains(t, got.events, "create jail/inner.sav")
	assert.FileExists(t, filepath.Join(got.folder, "jail", "inner.sav"))
}

func TestWhatCannotBeNamedDoesNotStopTheProgram(t *testing.T) {
	for _, act := range []string{"in-a-removed-folder", "too-long", "at-the-limit"} {
		t.Run(act, func(t *testing.T) {
			got := observe(t, act, nil)
			assert.Equal(t, 0, got.result.Status)
			assert.Empty(t, got.cut)
			for name := range got.files {
				assert.NotContains(t, name, "(deleted)", "no path is made up")
			}
		})
	}
}
