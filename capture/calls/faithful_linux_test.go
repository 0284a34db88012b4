//go:build amd64 || arm64

package calls

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"unsafe"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture/capturetest"
	"endroit/capture/versions"
	"endroit/core/trace"
)

// fails is an act's call that has to fail so.
func fails(err error, want ...error) error {
	for _, w := range want {
		if errors.Is(err, w) {
			return nil
		}
	}
	return fmt.Errorf("got %v instead of %v", err, want)
}

// opening opens and closes.
func opening(name string, flags int) error {
	fd, err := unix.Open(name, flags, 0o600)
	if err != nil {
		return err
	}
	return unix.Close(fd)
}

// What programs do that is easily told wrong.
func init() {
	write := func(name, text string) error { return os.WriteFile(name, []byte(text), 0o600) }
	for name, act := range map[string]struct {
		do   func() error
		want []string
	}{
		"a-folder-renamed-into-place": {func() error {
			return errors.Join(os.Mkdir("world.tmp", 0o700), write("world.tmp/a.dat", "a"), os.Rename("world.tmp", "world"),
				opening("world/a.dat", unix.O_RDONLY), fails(opening("world.tmp/a.dat", unix.O_RDONLY), unix.ENOENT))
		}, []string{"make-folder world.tmp", "create world.tmp/a.dat", "rename world.tmp world", "rename world.tmp/a.dat world/a.dat", "read world/a.dat", "missed world.tmp/a.dat"}},
		"folders-exchanged": {func() error {
			return errors.Join(os.Mkdir("one", 0o700), os.Mkdir("two", 0o700), write("one/both", "1"), write("two/both", "2"), write("one/only", "1"),
				unix.Renameat2(unix.AT_FDCWD, "one", unix.AT_FDCWD, "two", unix.RENAME_EXCHANGE), opening("two/only", unix.O_RDONLY))
		}, []string{"make-folder one", "make-folder two", "create one/both", "create two/both", "create one/only", "exchange one two", "exchange one/both two/both", "rename one/only two/only", "read two/only"}},
		"a-folder-twice-renamed": {func() error {
			return errors.Join(os.MkdirAll("a/sub", 0o700), write("a/sub/x", "x"), os.Rename("a", "b"), os.Rename("b", "c"), opening("c/sub/x", unix.O_RDWR))
		}, []string{"make-folder a", "make-folder a/sub", "create a/sub/x", "rename a b", "rename a/sub b/sub", "rename a/sub/x b/sub/x", "rename b c", "rename b/sub c/sub", "rename b/sub/x c/sub/x", "update c/sub/x"}},
		"refused-renames": {func() error {
			return errors.Join(os.Mkdir("full", 0o700), write("full/x", "x"), os.Mkdir("other", 0o700), write("two.txt", "2"),
				fails(unix.Renameat2(unix.AT_FDCWD, "two.txt", unix.AT_FDCWD, "there.txt", unix.RENAME_NOREPLACE), unix.EEXIST),
				fails(os.Rename("nowhere", "there.txt"), unix.ENOENT), fails(unix.Rename("other", "full"), unix.ENOTEMPTY, unix.EEXIST),
				fails(unix.Rename("there.txt", "other"), unix.EISDIR), fails(unix.Rename("other", "there.txt"), unix.ENOTDIR), fails(unix.Rename("full", "full/in"), unix.EINVAL),
				fails(unix.Rename("there.txt", "/dev/shm/x"), unix.EXDEV, unix.EACCES, unix.ENOENT),
				fails(unix.Renameat2(unix.AT_FDCWD, "there.txt", unix.AT_FDCWD, "nowhere", unix.RENAME_EXCHANGE), unix.ENOENT))
		}, []string{"make-folder full", "create full/x", "make-folder other", "create two.txt"}},
		"refused-removals": {func() error {
			return errors.Join(os.Mkdir("full", 0o700), write("full/x", "x"), fails(unix.Unlink("full"), unix.EISDIR, unix.EPERM), fails(unix.Rmdir("full"), unix.ENOTEMPTY),
				fails(unix.Rmdir("there.txt"), unix.ENOTDIR), fails(unix.Unlink("nowhere"), unix.ENOENT), fails(unix.Unlink("there.txt/"), unix.ENOTDIR))
		}, []string{"make-folder full", "create full/x"}},
		"refused-makings": {func() error {
			return errors.Join(os.Mkdir("sub", 0o700), fails(unix.Mkdir("sub", 0o700), unix.EEXIST), fails(unix.Mkdir("no/sub", 0o700), unix.ENOENT), fails(unix.Symlink("x", "there.txt"), unix.EEXIST),
				fails(unix.Link("there.txt", "sub"), unix.EEXIST), fails(unix.Link("sub", "linked"), unix.EPERM), fails(unix.Link("nowhere", "linked"), unix.ENOENT),
				fails(unix.Mknod("there.txt", unix.S_IFREG|0o600, 0), unix.EEXIST), fails(unix.Truncate("sub", 0), unix.EISDIR))
		}, []string{"make-folder sub"}},
		"refused-openings": {func() error {
			return errors.Join(os.Symlink("there.txt", "soft"), fails(opening("there.txt", unix.O_CREAT|unix.O_EXCL|unix.O_RDWR), unix.EEXIST), fails(opening("there.txt", unix.O_DIRECTORY), unix.ENOTDIR),
				fails(opening(".", unix.O_RDWR), unix.EISDIR), fails(opening("soft", unix.O_NOFOLLOW), unix.ELOOP), fails(opening("there.txt/", unix.O_RDONLY), unix.ENOTDIR),
				fails(opening("no/new.sav", unix.O_CREAT|unix.O_WRONLY), unix.ENOENT), fails(opening("there.txt/x", unix.O_RDONLY), unix.ENOTDIR))
		}, []string{"symlink soft", "missed no/new.sav", "missed there.txt/x"}},
		"refused-execution": {func() error {
			return errors.Join(fails(unix.Exec("there.txt", []string{"x"}, nil), unix.EACCES), fails(unix.Exec("nowhere", []string{"x"}, nil), unix.ENOENT), os.Chmod("there.txt", 0o700),
				fails(unix.Exec("there.txt", []string{"x"}, nil), unix.ENOEXEC), opening("there.txt", unix.O_RDONLY))
		}, []string{"missed nowhere", "read there.txt"}},
		"names-through-proc": {func() error {
			fd, err := unix.Open("there.txt", unix.O_RDONLY, 0)
			here := capturetest.Must(os.Getwd())
			return errors.Join(err, opening(fmt.Sprintf("/proc/self/fd/%d", fd), unix.O_WRONLY), opening(fmt.Sprintf("/dev/fd/%d", fd), unix.O_WRONLY|unix.O_APPEND),
				opening("/proc/self/cwd/new.sav", unix.O_WRONLY|unix.O_CREAT), opening(fmt.Sprintf("/proc/%d/root%s/there.txt", os.Getpid(), here), unix.O_RDONLY),
				opening(fmt.Sprintf("/proc/thread-self/fd/%d", fd), unix.O_RDONLY))
		}, []string{"read there.txt", "update there.txt", "append there.txt", "create new.sav", "read there.txt", "read there.txt"}},
		"confined-to-a-folder": {func() error {
			root, err := unix.Open(".", unix.O_PATH, 0)
			err = errors.Join(err, os.MkdirAll("root/inner", 0o700), os.Symlink("/inner", "root/abs"))
			dir, err2 := unix.Open("root", unix.O_PATH, 0)
			fd, err3 := unix.Openat2(dir, "abs/x.sav", &unix.OpenHow{Flags: unix.O_WRONLY | unix.O_CREAT, Mode: 0o600, Resolve: unix.RESOLVE_IN_ROOT})
			_, err4 := unix.Openat2(dir, "../there.txt", &unix.OpenHow{Flags: unix.O_RDONLY, Resolve: unix.RESOLVE_BENEATH})
			return errors.Join(err, err2, err3, fails(err4, unix.EXDEV), unix.Close(fd), unix.Close(root))
		}, []string{"make-folder root", "make-folder root/inner", "symlink root/abs", "create root/inner/x.sav"}},
		"one-file-by-two-names": {func() error {
			return errors.Join(os.Mkdir("real", 0o700), os.Symlink("real", "link"), write("link/x.sav", "x"), opening("real/x.sav", unix.O_RDONLY), os.Remove("link/x.sav"))
		}, []string{"make-folder real", "symlink link", "create real/x.sav", "read real/x.sav", "remove real/x.sav"}},
		"a-link-that-leads-nowhere": {func() error {
			return errors.Join(os.Symlink("later.sav", "soft"), fails(opening("soft", unix.O_RDONLY), unix.ENOENT), fails(opening("soft", unix.O_CREAT|unix.O_EXCL|unix.O_WRONLY), unix.EEXIST),
				opening("soft", unix.O_CREAT|unix.O_WRONLY), os.Symlink("never", "gone"), os.Remove("gone"))
		}, []string{"symlink soft", "missed later.sav", "create later.sav", "symlink gone", "remove gone"}},
		"emptied-though-read": {func() error { return opening("there.txt", unix.O_RDONLY|unix.O_TRUNC) }, []string{"replace there.txt"}},
		"a-nameless-file-gets-one": {func() error {
			fd, err := unix.Open(".", unix.O_TMPFILE|unix.O_RDWR, 0o600)
			if err != nil {
				return err
			}
			if err := unix.Linkat(fd, "", unix.AT_FDCWD, "named.sav", unix.AT_EMPTY_PATH); err == nil {
				return nil
			}
			return unix.Linkat(unix.AT_FDCWD, fmt.Sprintf("/proc/self/fd/%d", fd), unix.AT_FDCWD, "named.sav", unix.AT_SYMLINK_FOLLOW)
		}, []string{"create named.sav"}},
		"an-open-file-gets-a-name": {func() error {
			fd, err := unix.Open("there.txt", unix.O_RDONLY, 0)
			return errors.Join(err, unix.Linkat(unix.AT_FDCWD, fmt.Sprintf("/proc/self/fd/%d", fd), unix.AT_FDCWD, "second", unix.AT_SYMLINK_FOLLOW))
		}, []string{"read there.txt", "link there.txt second"}},
		"another-working-folder": {func() error {
			return errors.Join(os.MkdirAll("one/two", 0o700), write("one/x", "1"), write("one/two/x", "2"), os.Chdir("one"), opening("x", unix.O_RDONLY), os.Chdir("two"), opening("x", unix.O_RDONLY),
				os.Rename("../../one", "../../three"), opening("x", unix.O_RDONLY))
		}, []string{"make-folder one", "make-folder one/two", "create one/x", "create one/two/x", "read one/x", "read one/two/x", "rename one three", "rename one/two three/two", "rename one/x three/x", "rename one/two/x three/two/x", "read three/two/x"}},
		"gone-and-back": {func() error {
			return errors.Join(opening("there.txt", unix.O_RDONLY), os.Remove("there.txt"), fails(opening("there.txt", unix.O_RDONLY), unix.ENOENT), write("there.txt", "again"), opening("there.txt", unix.O_RDONLY))
		}, []string{"read there.txt", "remove there.txt", "missed there.txt", "create there.txt", "read there.txt"}},
	} {
		capturetest.Acts[name] = act.do
		catalogue[name] = act.want
	}
	capturetest.Acts["rotate"] = func() error {
		for i := range 3 {
			err := errors.Join(os.Rename("there.txt", "there.bak"), write("there.tmp", fmt.Sprint("save ", i)), os.Rename("there.tmp", "there.txt"))
			if err != nil {
				return err
			}
		}
		return nil
	}
	capturetest.Acts["execute-a-descriptor"] = func() error {
		self := capturetest.Must(os.Executable())
		fd, err := unix.Open(self, unix.O_PATH, 0)
		if err != nil {
			return err
		}
		_ = os.Setenv("ENDROIT_ACT", "create")
		env := os.Environ()
		argv, _ := syscall.SlicePtrFromStrings([]string{"by-descriptor"})
		envp, _ := syscall.SlicePtrFromStrings(env)
		empty, _ := unix.BytePtrFromString("")
		_, _, errno := unix.Syscall6(unix.SYS_EXECVEAT, uintptr(fd), uintptr(unsafe.Pointer(empty)), uintptr(unsafe.Pointer(&argv[0])), uintptr(unsafe.Pointer(&envp[0])), unix.AT_EMPTY_PATH, 0)
		return errno
	}
	capturetest.Acts["execute-memory"] = func() error {
		fd, err := unix.MemfdCreate("program", 0)
		if err != nil {
			return err
		}
		f := os.NewFile(uintptr(fd), "memory")
		if _, err := f.Write(capturetest.Must(os.ReadFile(capturetest.Must(os.Executable())))); err != nil {
			return err
		}
		_ = os.Setenv("ENDROIT_ACT", "create")
		return unix.Exec(fmt.Sprintf("/proc/self/fd/%d", fd), []string{"in-memory"}, os.Environ())
	}
	capturetest.Acts["hide"] = func() error {
		return errors.Join(unix.Prctl(unix.PR_SET_DUMPABLE, 0, 0, 0, 0), write("hidden.sav", "x"))
	}
	capturetest.Acts["filter-of-its-own"] = func() error {
		if err := unix.Prctl(unix.PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0); err != nil {
			return err
		}
		insns := []unix.SockFilter{{Code: unix.BPF_RET | unix.BPF_K, K: unix.SECCOMP_RET_ALLOW}, {Code: unix.BPF_RET | unix.BPF_K, K: unix.SECCOMP_RET_TRACE}}
		prog := unix.SockFprog{Len: 2, Filter: &insns[0]}
		for flags, want := range map[uintptr]syscall.Errno{0: 0, unix.SECCOMP_FILTER_FLAG_NEW_LISTENER: unix.EBUSY} {
			if _, _, errno := unix.Syscall(unix.SYS_SECCOMP, unix.SECCOMP_SET_MODE_FILTER, flags, uintptr(unsafe.Pointer(&prog))); errno != want {
				return fmt.Errorf("seccomp with flags %d: %v", flags, errno)
			}
		}
		return nil
	}
}

func TestFindingsSurviveLogRotation(t *testing.T) {
	var kept string
	got := observe(t, "rotate", func(o *Options) {
		folder := capturetest.Must(os.Getwd())
		t.Setenv("HOME", folder)
		kept = versions.Beside(filepath.Join(folder, "x.trace"))
		o.Versions = versions.Options{Folder: kept, File: versions.DefaultFile}
	})
	require.Equal(t, 0, got.Result.Status)
	list := capturetest.Must(versions.Read(kept))
	require.NotEmpty(t, list)
	assert.Equal(t, "there.txt", filepath.Base(list[0].Path))
	assert.Equal(t, "before", list[0].Why)
	assert.Equal(t, "before", string(capturetest.Must(os.ReadFile(list[0].Content(kept)))))
	assert.Equal(t, list[0].Digest, got.Files["there.txt"].Before.Digest)
	assert.Equal(t, trace.IsAbsent, got.Files["there.bak"].Before.Is)
	for _, v := range list[1:] {
		assert.NotEqual(t, "before", v.Why, "what the run itself wrote is not what it found: %v", v)
	}
}

func TestFileIsReportedByItsRealName(t *testing.T) {
	got := observe(t, "one-file-by-two-names", nil)
	assert.Contains(t, got.Files, "real/x.sav")
	assert.NotContains(t, got.Files, "link/x.sav")
	assert.Equal(t, filepath.Join(got.Folder, "link/x.sav"), got.Reached["real/x.sav"])
}

// A home behind a link is recorded by the path that the person knows.
func TestAHomeBehindALink(t *testing.T) {
	top := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	home := filepath.Join(top, "home")
	got := observe(t, "create", func(*Options) {
		require.NoError(t, os.Symlink(capturetest.Must(os.Getwd()), home))
		t.Setenv("HOME", home)
	})
	assert.Contains(t, got.Files, filepath.Join(home, "new.sav"))
	assert.Equal(t, trace.IsFile, got.After[filepath.Join(home, "new.sav")].Is)
}

func TestAProgramThatIsExecutedThroughADescriptor(t *testing.T) {
	for _, act := range []string{"execute-a-descriptor", "execute-memory"} {
		t.Run(act, func(t *testing.T) {
			got := observe(t, act, nil)
			require.Equal(t, 0, got.Result.Status)
			require.Len(t, got.Procs, 2)
			for _, e := range got.Told(trace.Create, "new.sav") {
				assert.Equal(t, 2, e.Process, "it is the new program's")
			}
			assert.Contains(t, got.Events, "create new.sav")
		})
	}
}

func TestOwnSeccompFilterIsReported(t *testing.T) {
	got := observe(t, "filter-of-its-own", nil)
	require.Equal(t, 0, got.Result.Status)
	text := fmt.Sprint(got.Gaps)
	assert.Contains(t, text, "SECCOMP_RET_TRACE")
	assert.Contains(t, text, "EBUSY")
}

// asNobody runs an act under an observer that is an ordinary user's.
func asNobody(t *testing.T, act string, prepare func(folder string)) (capturetest.Observed, error) {
	t.Helper()
	if os.Getuid() != 0 {
		t.Skip("only root can become somebody else")
	}
	const nobody = 65534
	folder := capturetest.Must(os.MkdirTemp("/tmp", "endroit-user-"))
	t.Cleanup(func() { _ = os.RemoveAll(folder) })
	binary := filepath.Join(folder, "observer")
	require.NoError(t, os.WriteFile(binary, capturetest.Must(os.ReadFile(capturetest.Must(os.Executable()))), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "there.txt"), []byte("before"), 0o600))
	for _, name := range []string{folder, filepath.Join(folder, "there.txt")} {
		require.NoError(t, os.Chown(name, nobody, nobody))
	}
	if prepare != nil {
		prepare(folder)
	}
	c := exec.Command(binary)
	c.Dir = folder
	c.Env = []string{"ENDROIT_OBSERVE=" + act, "HOME=" + folder}
	c.SysProcAttr = &syscall.SysProcAttr{Credential: &syscall.Credential{Uid: nobody, Gid: nobody}}
	out, err := c.CombinedOutput()
	if err != nil {
		return capturetest.Observed{}, fmt.Errorf("%w: %s", err, out)
	}
	f := capturetest.Must(os.Open(filepath.Join(folder, "out.trace")))
	defer f.Close()
	got := capturetest.ReadBack(t, f, folder)
	got.Events = without(got.Events, " observer")
	return got, nil
}

func without(list []string, end string) (left []string) {
	for _, e := range list {
		if !strings.HasSuffix(e, end) {
			left = append(left, e)
		}
	}
	return left
}

func TestUndumpableProgramIsReported(t *testing.T) {
	got, err := asNobody(t, "hide", nil)
	require.NoError(t, err)
	assert.Empty(t, got.Events)
	assert.Contains(t, fmt.Sprint(got.Gaps), "not dumpable")
	assert.Equal(t, []string{"create hidden.sav"}, observe(t, "hide", nil).Events, "root sees it")
}

// Rights that a program's file gives are lost where the kernel demands it, and that is
// said; for root they are kept.
func TestLostPrivilegesAreReported(t *testing.T) {
	grant := func(program string) {
		require.NoError(t, os.WriteFile(program, capturetest.Must(os.ReadFile("/bin/true")), 0o755))
		// struct vfs_cap_data, version 2: CAP_NET_RAW, permitted and effective
		require.NoError(t, unix.Setxattr(program, "security.capability", []byte{1, 0, 0, 2, 0, 0x20, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0, 0}, 0))
	}
	setgid := func(program string) {
		require.NoError(t, os.WriteFile(program, capturetest.Must(os.ReadFile("/bin/true")), 0o755))
		require.NoError(t, os.Chmod(program, 0o755|os.ModeSetgid))
	}
	for what, prepare := range map[string]func(string){"file capabilities": grant, "set-user-id or set-group-id": setgid} {
		got, err := asNobody(t, "run-program", func(folder string) { prepare(filepath.Join(folder, "program")) })
		require.NoError(t, err)
		assert.Contains(t, fmt.Sprint(got.Gaps), what)
		program := filepath.Join(t.TempDir(), "program")
		prepare(program)
		result, err := Run(context.Background(), Options{Command: []string{program}, Out: io.Discard, Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, CueFolder: t.TempDir()})
		require.NoError(t, err)
		assert.Empty(t, result.Gaps)
	}
}

// A program may remove the folder in which its trace is written.
func TestTheFolderOfTheTraceCanBeRemoved(t *testing.T) {
	for _, how := range []string{"rm -rf top", "rm -rf top/*; rmdir top", "rm -r top/saves; rm -rf top"} {
		folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
		top := filepath.Join(folder, "top")
		require.NoError(t, os.MkdirAll(filepath.Join(top, "saves"), 0o700))
		for i := range 40 {
			require.NoError(t, os.WriteFile(filepath.Join(top, "saves", fmt.Sprint(i)), fmt.Append(nil, "save ", i), 0o600))
		}
		out := capturetest.Must(os.Create(filepath.Join(top, "x.trace")))
		t.Chdir(folder)
		t.Setenv("HOME", top)
		versions := versions.Options{Folder: versions.Beside(out.Name()), File: versions.DefaultFile}
		result, err := Run(context.Background(), Options{Command: []string{"/bin/sh", "-c", how}, Out: out, Path: out.Name(), Versions: versions, Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, CueFolder: filepath.Join(folder, "cues")})
		_ = out.Close()
		require.NoError(t, err)
		assert.Equal(t, 0, result.Status, how)
		assert.NoDirExists(t, top, how)
	}
}

// A trace that cannot be begun is no reason to say that the program ran.
func TestTraceThatCannotBeCreated(t *testing.T) {
	full := capturetest.Must(os.OpenFile("/dev/full", os.O_WRONLY, 0))
	defer full.Close()
	folder := t.TempDir()
	_, err := Run(context.Background(), Options{Command: []string{"/bin/touch", filepath.Join(folder, "ran")}, Out: full, Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, CueFolder: folder})
	assert.ErrorIs(t, err, ErrNotStarted)
	assert.ErrorIs(t, err, unix.ENOSPC)
	assert.NoFileExists(t, filepath.Join(folder, "ran"))
}
