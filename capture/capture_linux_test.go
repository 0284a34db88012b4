//go:build amd64 || arm64

package capture

import (
	"bytes"
	"context"
	"fmt"
	"io"
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

	"endroit/core/trace"
)

// acts are the small programs that the tests observe: this test's own binary,
// started with the act's name in the environment.
var acts = map[string]func() error{
	"read":     func() error { _, err := os.ReadFile("there.txt"); return err },
	"missing":  func() error { _, _ = os.ReadFile("nowhere.txt"); return nil },
	"create":   func() error { return os.WriteFile("new.sav", []byte("one"), 0o600) },
	"replace":  func() error { return os.WriteFile("there.txt", []byte("longer than it was"), 0o600) },
	"append":   func() error { return appendTo("there.txt", "more") },
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
			time.Sleep(3 * sampleEvery)
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

func appendTo(name, text string) error {
	f, err := os.OpenFile(name, os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = f.WriteString(text)
	return err
}

func TestMain(m *testing.M) {
	if name := os.Getenv("ENDROIT_ACT"); name != "" {
		if err := acts[name](); err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		os.Exit(0)
	}
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
	signal.Notify(signals, PassedOn()...)
	result, err := Run(context.Background(), Options{Command: []string{os.Args[0]}, Out: out, Path: "out.trace", Stdin: os.Stdin, Stdout: os.Stdout, Stderr: os.Stderr, Signals: signals, Alone: true,
		CueFolder: filepath.Join(must(os.Getwd()), "cues")})
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	return result.Status
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// observed is a trace read back, by the names below the test's folder.
type observed struct {
	result  Result
	folder  string
	files   map[string]trace.File
	events  []string // "create new.sav"
	after   map[string]trace.State
	cues    []trace.Cue
	gaps    []trace.Gap
	procs   []trace.Process
	cut     string
	sizes   map[string][]int64 // of changed events
	reached map[string]string  // by other paths
	all     []trace.Event
	nameOf  map[int]string
}

func observe(t *testing.T, act string, change func(*Options)) observed {
	t.Helper()
	folder := must(filepath.EvalSymlinks(t.TempDir()))
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
	got := readBack(t, &buf, folder)
	got.result = result
	return got
}

func readBack(t *testing.T, in io.Reader, folder string) observed {
	t.Helper()
	got := observed{folder: folder, files: map[string]trace.File{}, after: map[string]trace.State{}, sizes: map[string][]int64{}, reached: map[string]string{}}
	r, err := trace.NewReader(in, trace.DefaultLimits)
	require.NoError(t, err)
	names := map[int]string{}
	got.nameOf = names
	for line, err := range r.Lines() {
		require.NoError(t, err)
		if line.Event != nil {
			got.all = append(got.all, *line.Event)
		}
		switch {
		case line.File != nil:
			name := strings.TrimPrefix(line.File.Path, folder+"/")
			names[line.File.N] = name
			got.files[name] = *line.File
		case line.Event != nil:
			name := names[line.Event.File]
			if strings.HasPrefix(name, "/") {
				continue // the runtime's and the system's files
			}
			if line.Event.Op == trace.Changed {
				got.sizes[name] = append(got.sizes[name], line.Event.Size)
				continue
			}
			text := string(line.Event.Op) + " " + name
			if line.Event.To != 0 {
				text += " " + names[line.Event.To]
			}
			got.events = append(got.events, text)
		case line.Reached != nil:
			got.reached[names[line.Reached.File]] = line.Reached.Path
		case line.Known != nil:
			f := got.files[names[line.Known.File]]
			f.Before = line.Known.State
			got.files[names[line.Known.File]] = f
		case line.After != nil:
			got.after[names[line.After.File]] = line.After.State
		case line.Cue != nil:
			got.cues = append(got.cues, *line.Cue)
		case line.Gap != nil:
			got.gaps = append(got.gaps, *line.Gap)
		case line.Process != nil:
			got.procs = append(got.procs, *line.Process)
		}
	}
	got.cut = r.Cut()
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
			assert.Equal(t, 0, got.result.Status)
			assert.Equal(t, want, got.events)
			assert.Empty(t, got.cut)
		})
	}
}

func TestAFileOpenedThroughADescriptorHasItsFullPath(t *testing.T) {
	got := observe(t, "dirfd", nil)
	assert.Contains(t, got.events, "create through-descriptor.sav")
}

func TestStatesBeforeAndAfter(t *testing.T) {
	got := observe(t, "replace", nil)
	before, after := got.files["there.txt"].Before, got.after["there.txt"]
	assert.Equal(t, int64(6), before.Size)
	assert.Equal(t, int64(18), after.Size)
	assert.Equal(t, "text", after.Looks)
	assert.Len(t, before.Digest, 64)
	assert.NotEqual(t, before.Digest, after.Digest)
	got = observe(t, "create", nil)
	assert.Equal(t, trace.IsAbsent, got.files["new.sav"].Before.Is)
	assert.Equal(t, int64(3), got.after["new.sav"].Size)
}

func TestThreadsLoseNothing(t *testing.T) {
	got := observe(t, "threads", nil)
	made := 0
	for _, e := range got.events {
		if strings.HasPrefix(e, "create t") {
			made++
		}
	}
	assert.Equal(t, 400, made)
}

func TestAStormLosesNothing(t *testing.T) {
	got := observe(t, "storm", nil)
	made := map[string]bool{}
	for _, e := range got.events {
		if strings.HasPrefix(e, "create s") {
			made[e] = true
		}
	}
	assert.Len(t, made, 3000)
	assert.Equal(t, got.result.End.Files, len(got.files))
}

func TestAChildIsAProcessOfItsOwn(t *testing.T) {
	got := observe(t, "child", nil)
	require.GreaterOrEqual(t, len(got.procs), 2)
	last := got.procs[len(got.procs)-1]
	assert.NotEqual(t, got.procs[0].PID, last.PID)
	assert.NotZero(t, last.Parent)
}

func TestTheExitCodeIsTheCommands(t *testing.T) {
	assert.Equal(t, 7, observe(t, "exit7", nil).result.Status)
	assert.Equal(t, 128+9, observe(t, "killself", nil).result.Status)
}

func TestRingsAreRefusedAndSaid(t *testing.T) {
	got := observe(t, "ring", nil)
	assert.Equal(t, 0, got.result.Status)
	require.Len(t, got.result.Gaps, 1)
	assert.Contains(t, got.result.Gaps[0].What, "io_uring")
}

func TestOpeningByAHandleIsSaid(t *testing.T) {
	got := observe(t, "by-handle", nil)
	require.Len(t, got.result.Gaps, 1)
	assert.Contains(t, got.result.Gaps[0].What, "opened by a handle instead of a path")
}

func TestAFileThatStaysOpenIsSeenToGrow(t *testing.T) {
	got := observe(t, "hold-open", nil)
	assert.Equal(t, []string{"create held.log", "position held.log", "position held.log", "position held.log"}, got.events)
	assert.Equal(t, []int64{7, 14, 21}, got.sizes["held.log"])
	for i, e := range got.told(trace.Position, "held.log") {
		assert.Equal(t, trace.Event{At: e.At, Process: 1, Op: trace.Position, File: e.File, Size: int64(7 * (i + 1)), What: "appending"}, e)
	}
}

func TestCuesReachTheRunningTrace(t *testing.T) {
	done := make(chan struct{})
	got := observe(t, "wait-for-file", func(o *Options) {
		folder := o.CueFolder
		go func() {
			defer close(done)
			assert.Eventually(t, func() bool { _, err := Cue(folder, "saved", 0); return err == nil }, time.Minute, 5*time.Millisecond)
			_, err := Cue(folder, "bad\x1bword", 0)
			assert.ErrorContains(t, err, "cannot be shown")
			_, err = Cue(folder, "saved", 1)
			assert.ErrorContains(t, err, "no trace with process id 1")
			assert.NoError(t, os.WriteFile("go-on", nil, 0o600))
		}()
	})
	<-done
	require.Len(t, got.cues, 1)
	assert.Equal(t, "saved", got.cues[0].Word)
	_, err := Cue(filepath.Join(got.folder, "cues"), "saved", 0)
	assert.ErrorIs(t, err, ErrNoTrace)
}

func TestOnlyWhatADeadTraceLeftIsRemoved(t *testing.T) {
	folder := must(os.MkdirTemp("/tmp", "endroit-cues-"))
	defer os.RemoveAll(folder)
	dead := exec.Command("true")
	require.NoError(t, dead.Run())
	bound := func(pid int) string { // a socket that nobody listens on yet
		path := filepath.Join(folder, fmt.Sprintf("%d.cue", pid))
		fd := must(unix.Socket(unix.AF_UNIX, unix.SOCK_STREAM|unix.SOCK_CLOEXEC, 0))
		t.Cleanup(func() { _ = unix.Close(fd) })
		require.NoError(t, unix.Bind(fd, &unix.SockaddrUnix{Name: path}))
		return path
	}
	own, left := bound(os.Getpid()), bound(dead.Process.Pid)
	_, err := Cue(folder, "saved", 0)
	assert.ErrorIs(t, err, ErrNoTrace)
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
				if _, err := Cue(folder, "ready", 0); err == nil {
					break
				}
			}
			signals <- syscall.SIGTERM
		}()
	})
	assert.Equal(t, 128+15, got.result.Status)
}

func TestWhatIsLeftBehindGoesOn(t *testing.T) {
	stop := make(chan struct{})
	got := observe(t, "daemon", func(o *Options) {
		o.Stop = stop
		o.Notice = func(text string) {
			if strings.Contains(text, "goes on") {
				close(stop)
			}
		}
	})
	assert.Contains(t, got.result.Gaps[0].What, "the observation was ended")
	require.NoError(t, os.WriteFile("go-on", nil, 0o600))
	assert.Eventually(t, func() bool { _, err := os.Stat("late.sav"); return err == nil }, time.Minute, 5*time.Millisecond, "the keeper lets it open files")
}

func TestACommandThatCannotRun(t *testing.T) {
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
			assert.Equal(t, want, got.events)
		})
	}
}
