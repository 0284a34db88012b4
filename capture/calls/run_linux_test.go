//go:build amd64 || arm64

package calls

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"maps"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"
	"unsafe"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/capture/capturetest"
	"endroit/capture/cues"
	"endroit/capture/sampling"
	"endroit/core/trace"
)

func init() { maps.Copy(capturetest.Acts, simpleActs) }

var simpleActs = map[string]func() error{
	"read":     func() error { _, err := os.ReadFile("there.txt"); return err },
	"missing":  func() error { _, _ = os.ReadFile("nowhere.txt"); return nil },
	"create":   func() error { return os.WriteFile("new.sav", []byte("one"), 0o600) },
	"replace":  func() error { return os.WriteFile("there.txt", []byte("longer than it was"), 0o600) },
	"exit7":    func() error { os.Exit(7); return nil },
	"killself": func() error { return syscall.Kill(os.Getpid(), syscall.SIGKILL) },
	"replace-by-rename": func() error {
		if err := os.WriteFile("there.txt.new", []byte("fresh"), 0o600); err != nil {
			return err
		}
		return os.Rename("there.txt.new", "there.txt")
	},
	"remove": func() error { return os.Remove("there.txt") },
	"folder": func() error {
		if err := os.Mkdir("sub", 0o700); err != nil {
			return err
		}
		return os.Chdir("sub")
	},
	"relative": func() error {
		if err := os.MkdirAll("sub/deeper", 0o700); err != nil {
			return err
		}
		if err := os.Chdir("sub/deeper"); err != nil {
			return err
		}
		return os.WriteFile("../up.sav", []byte("x"), 0o600)
	},
	"dirfd": func() error {
		root, err := os.OpenRoot(".")
		if err != nil {
			return err
		}
		return root.WriteFile("through-descriptor.sav", []byte("x"), 0o600)
	},
	"links": func() error {
		if err := os.Symlink("there.txt", "soft"); err != nil {
			return err
		}
		return os.Link("there.txt", "hard")
	},
	"cut": func() error { return os.Truncate("there.txt", 1) },
	"threads": func() error {
		var wg sync.WaitGroup
		for i := range 8 {
			wg.Add(1)
			go func() {
				defer wg.Done()
				for j := range 50 {
					_ = os.WriteFile(fmt.Sprintf("t%d-%d", i, j), nil, 0o600)
				}
			}()
		}
		wg.Wait()
		return nil
	},
	"child": func() error {
		c := exec.Command(os.Args[0])
		c.Env = append(os.Environ(), "ENDROIT_ACT=create")
		return c.Run()
	},
	"exchange": func() error {
		if err := os.WriteFile("other.txt", []byte("o"), 0o600); err != nil {
			return err
		}
		return unix.Renameat2(unix.AT_FDCWD, "there.txt", unix.AT_FDCWD, "other.txt", unix.RENAME_EXCHANGE)
	},
	"bytes-name": func() error { return os.WriteFile("n\xff\xfe.sav", []byte("x"), 0o600) },
	"ring": func() error {
		var p [120]byte
		_, _, errno := unix.Syscall(unix.SYS_IO_URING_SETUP, 1, uintptr(unsafe.Pointer(&p[0])), 0)
		if errno != unix.ENOSYS {
			return fmt.Errorf("io_uring_setup: %v", errno)
		}
		return nil
	},
	"by-handle": func() error {
		handle, _, err := unix.NameToHandleAt(unix.AT_FDCWD, "there.txt", 0)
		if err != nil {
			return err
		}
		_, _ = unix.OpenByHandleAt(unix.AT_FDCWD, handle, unix.O_RDONLY) // without the right to it, refused
		return nil
	},
	"run-program": func() error { return exec.Command("./program").Run() },
	"wait-for-file": func() error {
		for {
			if _, err := os.Stat("go-on"); err == nil {
				return nil
			}
			time.Sleep(5 * time.Millisecond)
		}
	},
	"hold-open": func() error {
		f, err := os.OpenFile("held.log", os.O_CREATE|os.O_WRONLY|os.O_APPEND, 0o600)
		if err != nil {
			return err
		}
		for range 3 {
			if _, err := f.WriteString("a line\n"); err != nil {
				return err
			}
			time.Sleep(3 * sampling.SampleEvery)
		}
		return f.Close()
	},
	"daemon": func() error {
		c := exec.Command(os.Args[0])
		c.Env = append(os.Environ(), "ENDROIT_ACT=wait-then-write")
		return c.Start()
	},
	"wait-then-write": func() error {
		for {
			if _, err := os.Stat("go-on"); err == nil {
				return os.WriteFile("late.sav", []byte("x"), 0o600)
			}
			time.Sleep(5 * time.Millisecond)
		}
	},
	"storm-until-told": func() error {
		for i := 0; ; i++ {
			f, err := os.Create(fmt.Sprintf("s%d", i%50))
			if err != nil {
				return err
			}
			_ = f.Close()
			if _, err := os.Stat("go-on"); err == nil {
				return os.WriteFile("late.sav", []byte("x"), 0o600)
			}
		}
	},
	"storm": func() error {
		for i := range 3000 {
			f, err := os.Create(fmt.Sprintf("s%d", i))
			if err != nil {
				return err
			}
			_ = f.Close()
		}
		return nil
	},
}

func TestMain(m *testing.M) {
	capturetest.Act()
	if act := os.Getenv("ENDROIT_OBSERVE"); act != "" {
		os.Exit(observeInFolder(act))
	}
	os.Exit(m.Run())
}

// observeInFolder is the observer as a program of its own, for another user.
func observeInFolder(act string) int {
	_ = os.Setenv("ENDROIT_ACT", act)
	out, err := os.Create("out.trace")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	signals := make(chan os.Signal, 16)
	signal.Notify(signals, capture.PassedOn()...)
	result, err := Run(context.Background(), Options{Command: []string{os.Args[0]}, Out: out, Path: "out.trace", Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, Signals: signals, Alone: true,
		CueFolder: filepath.Join(capturetest.Must(os.Getwd()), "cues")})
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	return result.Status
}

func observe(t *testing.T, act string, change func(*Options)) capturetest.Observed {
	t.Helper()
	folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "there.txt"), []byte("before"), 0o600))
	t.Chdir(folder)
	t.Setenv("ENDROIT_ACT", act)
	var buf bytes.Buffer
	o := Options{Command: []string{os.Args[0]}, Out: &buf, Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, CueFolder: filepath.Join(folder, "cues")}
	if change != nil {
		change(&o)
	}
	result, err := Run(context.Background(), o)
	require.NoError(t, err)
	got := capturetest.ReadBack(t, &buf, folder)
	got.Result = result
	return got
}

// catalogue is what programs do, with the exact events expected; the ways to name a
// path and the older calls add to it.
var catalogue = map[string][]string{
	"read":              {"read there.txt"},
	"missing":           {"missed nowhere.txt"},
	"create":            {"create new.sav"},
	"replace":           {"replace there.txt"},
	"append":            {"append there.txt"},
	"replace-by-rename": {"create there.txt.new", "rename there.txt.new there.txt"},
	"remove":            {"remove there.txt"},
	"folder":            {"make-folder sub"},
	"relative":          {"make-folder sub", "make-folder sub/deeper", "create sub/up.sav"},
	"links":             {"symlink soft", "link there.txt hard"},
	"cut":               {"truncate there.txt"},
	"child":             {"create new.sav"},
	"exchange":          {"create other.txt", "exchange there.txt other.txt"},
	"bytes-name":        {"create n\xff\xfe.sav"},
}

func TestEachCallIsSeenAsWhatItDoes(t *testing.T) {
	for act, want := range catalogue {
		t.Run(act, func(t *testing.T) {
			got := observe(t, act, nil)
			assert.Equal(t, 0, got.Result.Status)
			assert.Equal(t, want, got.Events)
			assert.Empty(t, got.Cut)
		})
	}
}

func TestAFileOpenedThroughADescriptorHasItsFullPath(t *testing.T) {
	got := observe(t, "dirfd", nil)
	assert.Contains(t, got.Events, "create through-descriptor.sav")
}

func TestStatesBeforeAndAfter(t *testing.T) {
	got := observe(t, "replace", nil)
	before, after := got.Files["there.txt"].Before, got.After["there.txt"]
	assert.Equal(t, int64(6), before.Size)
	assert.Equal(t, int64(18), after.Size)
	assert.Equal(t, "text", after.Looks)
	assert.Len(t, before.Digest, 64)
	assert.NotEqual(t, before.Digest, after.Digest)
	got = observe(t, "create", nil)
	assert.Equal(t, trace.IsAbsent, got.Files["new.sav"].Before.Is)
	assert.Equal(t, int64(3), got.After["new.sav"].Size)
}

func TestThreadsLoseNothing(t *testing.T) {
	got := observe(t, "threads", nil)
	made := 0
	for _, e := range got.Events {
		if strings.HasPrefix(e, "create t") {
			made++
		}
	}
	assert.Equal(t, 400, made)
}

func TestBurstOfEventsIsComplete(t *testing.T) {
	got := observe(t, "storm", nil)
	made := map[string]bool{}
	for _, e := range got.Events {
		if strings.HasPrefix(e, "create s") {
			made[e] = true
		}
	}
	assert.Len(t, made, 3000)
	assert.Equal(t, got.Result.End.Files, len(got.Files))
}

func TestAChildIsAProcessOfItsOwn(t *testing.T) {
	got := observe(t, "child", nil)
	require.GreaterOrEqual(t, len(got.Procs), 2)
	last := got.Procs[len(got.Procs)-1]
	assert.NotEqual(t, got.Procs[0].PID, last.PID)
	assert.NotZero(t, last.Parent)
}

func TestTheExitCodeIsTheCommands(t *testing.T) {
	assert.Equal(t, 7, observe(t, "exit7", nil).Result.Status)
	assert.Equal(t, 128+9, observe(t, "killself", nil).Result.Status)
}

func TestIoUringIsRefusedAndReported(t *testing.T) {
	got := observe(t, "ring", nil)
	assert.Equal(t, 0, got.Result.Status)
	require.Len(t, got.Result.Gaps, 1)
	assert.Contains(t, got.Result.Gaps[0].What, "io_uring")
}

func TestOpenByHandleIsReported(t *testing.T) {
	got := observe(t, "by-handle", nil)
	require.Len(t, got.Result.Gaps, 1)
	assert.Contains(t, got.Result.Gaps[0].What, "opened by a handle instead of a path")
}

func TestAFileThatStaysOpenIsSeenToGrow(t *testing.T) {
	got := observe(t, "hold-open", nil)
	assert.Equal(t, []string{"create held.log", "position held.log", "position held.log", "position held.log"}, got.Events)
	assert.Equal(t, []int64{7, 14, 21}, got.Sizes["held.log"])
	for i, e := range got.Told(trace.Position, "held.log") {
		assert.Equal(t, trace.Event{At: e.At, Process: 1, Op: trace.Position, File: e.File, Size: int64(7 * (i + 1)), What: "appending"}, e)
	}
}

func TestCuesReachTheRunningTrace(t *testing.T) {
	done := make(chan struct{})
	got := observe(t, "wait-for-file", func(o *Options) {
		folder := o.CueFolder
		go func() {
			defer close(done)
			assert.Eventually(t, func() bool { _, err := cues.Mark(folder, "saved", 0); return err == nil }, time.Minute, 5*time.Millisecond)
			_, err := cues.Mark(folder, "bad\x1bword", 0)
			assert.ErrorContains(t, err, "invisible or unprintable")
			_, err = cues.Mark(folder, "saved", 1)
			assert.ErrorContains(t, err, "no trace with process id 1")
			assert.NoError(t, os.WriteFile("go-on", nil, 0o600))
		}()
	})
	<-done
	require.Len(t, got.Cues, 1)
	assert.Equal(t, "saved", got.Cues[0].Word)
	_, err := cues.Mark(filepath.Join(got.Folder, "cues"), "saved", 0)
	assert.ErrorIs(t, err, cues.ErrNoTrace)
}

func TestOnlyWhatADeadTraceLeftIsRemoved(t *testing.T) {
	folder := capturetest.Must(os.MkdirTemp("/tmp", "endroit-cues-"))
	defer os.RemoveAll(folder)
	dead := exec.Command("true")
	require.NoError(t, dead.Run())
	bound := func(pid int) string { // a socket that nobody listens on yet
		path := filepath.Join(folder, fmt.Sprintf("%d.cue", pid))
		fd := capturetest.Must(unix.Socket(unix.AF_UNIX, unix.SOCK_STREAM|unix.SOCK_CLOEXEC, 0))
		t.Cleanup(func() { _ = unix.Close(fd) })
		require.NoError(t, unix.Bind(fd, &unix.SockaddrUnix{Name: path}))
		return path
	}
	own, left := bound(os.Getpid()), bound(dead.Process.Pid)
	_, err := cues.Mark(folder, "saved", 0)
	assert.ErrorIs(t, err, cues.ErrNoTrace)
	assert.FileExists(t, own, "it is about to listen")
	assert.NoFileExists(t, left)
}

func TestSignalsReachTheCommand(t *testing.T) {
	signals := make(chan os.Signal, 1)
	got := observe(t, "wait-for-file", func(o *Options) {
		folder := o.CueFolder
		o.Signals = signals
		go func() { // a cue that is taken says that the command runs
			for {
				if _, err := cues.Mark(folder, "ready", 0); err == nil {
					break
				}
			}
			signals <- syscall.SIGTERM
		}()
	})
	assert.Equal(t, 128+15, got.Result.Status)
}

func TestRemainingProcessesGoOn(t *testing.T) {
	stop := make(chan struct{})
	got := observe(t, "daemon", func(o *Options) {
		o.Stop = stop
		o.Notice = func(text string) {
			if strings.Contains(text, "goes on") {
				close(stop)
			}
		}
	})
	assert.Contains(t, got.Result.Gaps[0].What, "the observation was ended")
	require.NoError(t, os.WriteFile("go-on", nil, 0o600))
	assert.Eventually(t, func() bool { _, err := os.Stat("late.sav"); return err == nil }, time.Minute, 5*time.Millisecond, "the keeper lets it open files")
}

func TestCommandThatIsNotExecutable(t *testing.T) {
	folder := t.TempDir()
	plain := filepath.Join(folder, "plain")
	require.NoError(t, os.WriteFile(plain, []byte("no program"), 0o600))
	broken := filepath.Join(folder, "broken")
	require.NoError(t, os.WriteFile(broken, []byte("no program"), 0o700))
	for command, want := range map[string]struct {
		status int
		text   string
	}{
		"no-such-program": {127, "no such program"},
		plain:             {126, "chmod +x"},
		broken:            {126, "not a program for this machine"},
		folder:            {126, ""},
	} {
		_, err := Run(context.Background(), Options{Command: []string{command}, Out: io.Discard, Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, CueFolder: folder})
		var bad *CommandError
		require.ErrorAs(t, err, &bad, command)
		assert.Equal(t, want.status, bad.Status)
		assert.ErrorContains(t, err, want.text)
	}
}

func TestAsAnOrdinaryUser(t *testing.T) {
	for act, want := range catalogue {
		t.Run(act, func(t *testing.T) {
			got, err := asNobody(t, act, nil)
			require.NoError(t, err)
			assert.Equal(t, want, got.Events)
		})
	}
}
