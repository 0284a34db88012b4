//go:build amd64 || arm64

package calls

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/hanwen/go-fuse/v2/fs"
	"github.com/hanwen/go-fuse/v2/fuse"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture/capturetest"
	"endroit/capture/companion"
	"endroit/capture/sampling"
	"endroit/capture/versions"
	"endroit/core/trace"
)

// idioms are the ways in which programs save; k counts the rounds.
var idioms = []func(dir string, k int) error{
	func(dir string, k int) error { // in place
		return os.WriteFile(dir+"/plain.sav", []byte(strconv.Itoa(k)), 0o600)
	},
	func(dir string, k int) error { // through a temporary name
		return errors.Join(os.WriteFile(dir+"/a.tmp", []byte(strconv.Itoa(k)), 0o600), os.Rename(dir+"/a.tmp", dir+"/a.sav"))
	},
	func(dir string, k int) error { // with a backup
		if err := os.Rename(dir+"/b.sav", dir+"/b.bak"); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
		return errors.Join(os.WriteFile(dir+"/b.tmp", []byte(strconv.Itoa(k)), 0o600), os.Rename(dir+"/b.tmp", dir+"/b.sav"))
	},
	func(dir string, k int) error { // a folder at a time
		if err := errors.Join(os.RemoveAll(dir+"/w.tmp"), os.Mkdir(dir+"/w.tmp", 0o700), os.WriteFile(dir+"/w.tmp/part", []byte(strconv.Itoa(k)), 0o600), os.RemoveAll(dir+"/w")); err != nil {
			return err
		}
		return os.Rename(dir+"/w.tmp", dir+"/w")
	},
	func(dir string, k int) error { // by a link
		if err := os.Remove(dir + "/l.sav"); err != nil && !errors.Is(err, os.ErrNotExist) {
			return err
		}
		name := fmt.Sprintf("%s/l%d", dir, k)
		return errors.Join(os.WriteFile(name, []byte(strconv.Itoa(k)), 0o600), os.Link(name, dir+"/l.sav"), os.Remove(name))
	},
	func(dir string, k int) error { // appended, and cut now and then
		if k%10 == 0 {
			_ = os.Truncate(dir+"/log", 0)
		}
		f, err := os.OpenFile(dir+"/log", os.O_APPEND|os.O_CREATE|os.O_WRONLY, 0o600)
		if err != nil {
			return err
		}
		_, err = fmt.Fprintln(f, k)
		return errors.Join(err, f.Close())
	},
	func(dir string, k int) error { // without a name at first
		fd, err := unix.Open(dir, unix.O_TMPFILE|unix.O_WRONLY, 0o600)
		if err != nil {
			return err
		}
		defer unix.Close(fd)
		if _, err := unix.Write(fd, []byte(strconv.Itoa(k))); err != nil {
			return err
		}
		_ = os.Remove(dir + "/nameless.sav")
		return unix.Linkat(unix.AT_FDCWD, fmt.Sprintf("/proc/self/fd/%d", fd), unix.AT_FDCWD, dir+"/nameless.sav", unix.AT_SYMLINK_FOLLOW)
	},
	func(dir string, k int) error { // exchanged
		if err := os.WriteFile(dir+"/x.new", []byte(strconv.Itoa(k)), 0o600); err != nil {
			return err
		}
		if err := unix.Renameat2(unix.AT_FDCWD, dir+"/x.new", unix.AT_FDCWD, dir+"/x.sav", unix.RENAME_EXCHANGE); errors.Is(err, unix.ENOENT) {
			return os.Rename(dir+"/x.new", dir+"/x.sav")
		} else if err != nil {
			return err
		}
		return os.Remove(dir + "/x.new")
	},
}

// savingStorm saves in eight threads by all idioms while signals come at 1 kHz.
func savingStorm(rounds int) error {
	signals := make(chan os.Signal, 1)
	signal.Notify(signals, syscall.SIGALRM)
	defer signal.Stop(signals)
	timer := unix.Itimerval{Interval: unix.Timeval{Usec: 1000}, Value: unix.Timeval{Usec: 1000}}
	if _, err := unix.Setitimer(unix.ITIMER_REAL, timer); err != nil {
		return err
	}
	var all sync.WaitGroup
	failed := make(chan error, 8)
	for i := range 8 {
		all.Go(func() {
			runtime.LockOSThread()
			dir := fmt.Sprintf("thread%d", i)
			err := os.Mkdir(dir, 0o700)
			for k := 0; k < rounds && err == nil; k++ {
				for n, save := range idioms {
					if err = save(dir, k); err != nil {
						err = fmt.Errorf("idiom %d in round %d: %w", n, k, err)
						break
					}
				}
			}
			failed <- err
		})
	}
	all.Wait()
	if _, err := unix.Setitimer(unix.ITIMER_REAL, unix.Itimerval{}); err != nil {
		return err
	}
	for range 8 {
		if err := <-failed; err != nil {
			return err
		}
	}
	fmt.Println("saved", rounds, "times")
	return nil
}

func init() {
	capturetest.Acts["saving-storm"] = func() error { return savingStorm(12) }
	capturetest.Acts["short-saving-storm"] = func() error { return errors.Join(savingStorm(2), os.WriteFile("all-saved", nil, 0o600)) }
	capturetest.Acts["hold-in-a-moved-folder"] = func() error {
		err := os.Mkdir("before", 0o700)
		f, err2 := os.Create("before/held.sav")
		if err := errors.Join(err, err2, os.Rename("before", "behind")); err != nil {
			return err
		}
		for range 3 {
			if _, err := f.WriteString("more"); err != nil {
				return err
			}
			time.Sleep(3 * sampling.SampleEvery / 2)
		}
		return f.Close()
	}
	capturetest.Acts["fill-the-table"] = func() error {
		limit := syscall.Rlimit{Cur: 40, Max: 40}
		if err := errors.Join(os.WriteFile("there.dat", nil, 0o600), syscall.Setrlimit(syscall.RLIMIT_NOFILE, &limit)); err != nil {
			return err
		}
		for range 41 {
			if _, err := syscall.Open("there.dat", syscall.O_RDWR, 0); err == syscall.EMFILE {
				time.Sleep(3 * sampling.SampleEvery)
				return nil
			}
		}
		return errors.New("the table is not full")
	}
	capturetest.Acts["stop-and-go"] = func() error {
		if err := os.WriteFile("pid", []byte(strconv.Itoa(os.Getpid())), 0o600); err != nil {
			return err
		}
		for i := 0; ; i++ {
			if err := os.WriteFile("progress", []byte(strconv.Itoa(i)), 0o600); err != nil {
				return err
			}
			if _, err := os.Stat("go-on"); err == nil {
				return nil
			}
		}
	}
	capturetest.Acts["count-signals"] = func() error {
		got := make(chan os.Signal, 64)
		signal.Notify(got, syscall.SIGUSR1, syscall.SIGUSR2, syscall.SIGTERM, syscall.SIGQUIT)
		if err := os.WriteFile("pid", []byte(strconv.Itoa(os.Getpid())), 0o600); err != nil {
			return err
		}
		counts := map[os.Signal]int{}
		for {
			select {
			case s := <-got:
				counts[s]++
				if err := os.WriteFile("got", fmt.Append(nil, counts[syscall.SIGUSR1], counts[syscall.SIGUSR2], counts[syscall.SIGTERM], counts[syscall.SIGQUIT]), 0o600); err != nil {
					return err
				}
			case <-time.After(5 * time.Millisecond):
				if _, err := os.Stat("go-on"); err == nil {
					return nil
				}
			}
		}
	}
	capturetest.Acts["dispositions"] = func() error {
		text := capturetest.Must(os.ReadFile("/proc/self/status"))
		for line := range strings.Lines(string(text)) {
			if strings.HasPrefix(line, "SigIgn:") {
				return os.WriteFile("ignored", []byte(strings.TrimSpace(strings.TrimPrefix(line, "SigIgn:"))), 0o600)
			}
		}
		return errors.New("the kernel tells no dispositions")
	}
	capturetest.Acts["descriptors"] = func() error {
		if _, err := unix.Write(3, []byte("through three")); err != nil {
			return err
		}
		_, err := unix.Write(7, []byte("through seven"))
		return err
	}
	capturetest.Acts["parent"] = func() error {
		child := exec.Command(os.Args[0])
		child.Env = append(os.Environ(), "ENDROIT_ACT=orphan")
		_ = os.Setenv("ENDROIT_ACT", "orphan")
		child.Env = os.Environ()
		return child.Start()
	}
	capturetest.Acts["orphan"] = func() error {
		for os.Getppid() != 1 && !strings.Contains(string(capturetest.Must(os.ReadFile(fmt.Sprintf("/proc/%d/comm", os.Getppid())))), "systemd") {
			if _, err := os.Stat("give-up"); err == nil {
				return nil
			}
			time.Sleep(time.Millisecond)
		}
		return os.WriteFile("adopted-elsewhere", nil, 0o600)
	}
}

// treeOf is what a folder holds, but for the observer's own files.
func treeOf(t *testing.T, folder string) map[string]string {
	t.Helper()
	all := map[string]string{}
	require.NoError(t, filepath.WalkDir(folder, func(path string, e os.DirEntry, err error) error {
		if err != nil {
			return err
		}
		if name := strings.TrimPrefix(path, folder); strings.HasPrefix(name, "/cues") || strings.HasPrefix(name, "/out.trace") {
			return nil
		}
		if e.IsDir() {
			all[strings.TrimPrefix(path, folder)] = "folder"
			return nil
		}
		data, err := os.ReadFile(path)
		all[strings.TrimPrefix(path, folder)] = string(data)
		return err
	}))
	return all
}

func TestSavingBurstMatchesUntracedRun(t *testing.T) {
	run := func(env string) (string, string) {
		folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
		c := exec.Command(os.Args[0])
		c.Dir, c.Env = folder, append(os.Environ(), env, "HOME="+folder)
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
		return folder, string(out)
	}
	plain, said := run("ENDROIT_ACT=saving-storm")
	for range 20 {
		traced, saidToo := run("ENDROIT_OBSERVE=saving-storm")
		assert.Equal(t, said, saidToo)
		assert.Equal(t, treeOf(t, plain), treeOf(t, traced))
		f := capturetest.Must(os.Open(filepath.Join(traced, "out.trace")))
		got := capturetest.ReadBack(t, f, traced)
		_ = f.Close()
		assert.Empty(t, got.Cut)
		assert.Equal(t, 96, len(got.Told(trace.Rename, "thread0/a.tmp"))*8, "each is told")
		for name, state := range got.After {
			if strings.HasPrefix(name, "thread") && !strings.HasSuffix(name, "w") {
				_, err := os.Lstat(filepath.Join(traced, name))
				assert.Equal(t, state.Is == trace.IsAbsent, err != nil, name)
			}
		}
	}
}

// background starts an observer that runs an act, in a process group of its own.
func background(t *testing.T, act string) (folder string, c *exec.Cmd) {
	t.Helper()
	folder = capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	c = exec.Command(os.Args[0])
	c.Dir, c.Env = folder, append(os.Environ(), "ENDROIT_OBSERVE="+act, "HOME="+folder)
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	require.NoError(t, c.Start())
	t.Cleanup(func() { _ = syscall.Kill(-c.Process.Pid, syscall.SIGKILL) })
	return folder, c
}

// Whoever kills the observer must not cost the player the game.
func TestTheProgramGoesOnWhenTheObserverIsKilled(t *testing.T) {
	plain := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	c := exec.Command(os.Args[0])
	c.Dir, c.Env = plain, append(os.Environ(), "ENDROIT_ACT=short-saving-storm")
	out, err := c.CombinedOutput()
	require.NoError(t, err, string(out))
	want := treeOf(t, plain)
	for i := range 200 {
		folder, c := background(t, "short-saving-storm")
		soon(t, "it is under way", func() bool { _, err := os.Stat(filepath.Join(folder, "thread0")); return err == nil })
		time.Sleep(time.Duration(i) * 197 * time.Microsecond) // at another point of its work each time
		require.NoError(t, c.Process.Kill())
		_ = c.Wait()
		soon(t, fmt.Sprintf("the program hangs or has failed, in round %d", i), func() bool { _, err := os.Stat(filepath.Join(folder, "all-saved")); return err == nil })
		assert.Equal(t, want, treeOf(t, folder), "round %d", i)
		f := capturetest.Must(os.Open(filepath.Join(folder, "out.trace")))
		if r, err := trace.NewReader(f, trace.DefaultLimits); err == nil { // else not even begun
			for _, err := range r.Lines() {
				require.NoError(t, err, "what was written is readable")
			}
		}
		_ = f.Close()
	}
}

// A descriptor belongs to who opened it, whatever became of the folder's name.
func TestAFileHeldOpenInAFolderThatMoves(t *testing.T) {
	t.Setenv("HOME", "/nowhere")
	got := observe(t, "hold-in-a-moved-folder", func(*Options) { t.Setenv("HOME", capturetest.Must(os.Getwd())) })
	list := got.Told(trace.Position, "behind/held.sav")
	require.NotEmpty(t, list)
	for _, e := range list {
		assert.Empty(t, e.What)
	}
	assert.NotContains(t, got.Sizes, "before/held.sav")
	assert.EqualValues(t, 12, got.After["behind/held.sav"].Size)
}

// Whether an opening succeeds is not asked of the kernel: where it cannot, the trace says so.
func TestFullDescriptorTableIsReported(t *testing.T) {
	got := observe(t, "fill-the-table", nil)
	assert.Contains(t, fmt.Sprint(got.Gaps), "as many files open as it may (40)")
}

// soon waits for something to become so.
func soon(t *testing.T, what string, so func() bool) {
	t.Helper()
	require.Eventually(t, so, time.Minute, 200*time.Microsecond, what)
}

func contents(folder, name string) string {
	data, _ := os.ReadFile(filepath.Join(folder, name))
	return string(data)
}

func TestStoppingAndContinuing(t *testing.T) {
	folder, c := background(t, "stop-and-go")
	soon(t, "it runs", func() bool { return contents(folder, "pid") != "" })
	game, self := capturetest.Must(strconv.Atoi(contents(folder, "pid"))), c.Process.Pid
	goesOn := func(round int) {
		t.Helper()
		was := contents(folder, "progress")
		soon(t, fmt.Sprintf("it goes on after round %d: the observer is %c, the program %c", round, companion.State(self), companion.State(game)), func() bool { now := contents(folder, "progress"); return now != "" && now != was })
	}
	for i := range 100 {
		switch i % 4 {
		case 0: // all of the group, as a shell's job control does
			require.NoError(t, syscall.Kill(-self, syscall.SIGSTOP))
			soon(t, fmt.Sprintf("both are stopped in round %d: %c %c", i, companion.State(game), companion.State(self)), func() bool { return companion.State(game) == 'T' && companion.State(self) == 'T' })
			require.NoError(t, syscall.Kill(-self, syscall.SIGCONT))
		case 1: // the terminal's key, which the program obeys
			require.NoError(t, syscall.Kill(-self, syscall.SIGTSTP))
			soon(t, fmt.Sprintf("both are stopped in round %d: %c %c", i, companion.State(game), companion.State(self)), func() bool { return companion.State(game) == 'T' && companion.State(self) == 'T' })
			require.NoError(t, syscall.Kill(-self, syscall.SIGCONT))
		case 2: // the program alone
			require.NoError(t, syscall.Kill(game, syscall.SIGSTOP))
			soon(t, "the observer stops too", func() bool { return companion.State(self) == 'T' })
			require.NoError(t, syscall.Kill(self, syscall.SIGCONT))
		case 3: // the observer alone: the program goes on
			require.NoError(t, syscall.Kill(self, syscall.SIGSTOP))
			soon(t, "it is stopped", func() bool { return companion.State(self) == 'T' })
			goesOn(i)
			require.NoError(t, syscall.Kill(self, syscall.SIGCONT))
		}
		goesOn(i)
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "go-on"), nil, 0o600))
	require.NoError(t, c.Wait())
	f := capturetest.Must(os.Open(filepath.Join(folder, "out.trace")))
	defer f.Close()
	got := capturetest.ReadBack(t, f, folder)
	assert.Empty(t, got.Cut)
	assert.Contains(t, fmt.Sprint(got.Gaps), "while the observer was stopped")
}

// From the first moment on that the program has handlers, each signal comes to it once.
func TestSignalsAreDeliveredOnce(t *testing.T) {
	folder, c := background(t, "count-signals")
	soon(t, "it runs", func() bool { return contents(folder, "pid") != "" })
	for i, to := range []int{-c.Process.Pid, c.Process.Pid, capturetest.Must(strconv.Atoi(contents(folder, "pid")))} {
		for _, s := range []syscall.Signal{syscall.SIGUSR1, syscall.SIGUSR2, syscall.SIGTERM, syscall.SIGQUIT} {
			before := contents(folder, "got")
			require.NoError(t, syscall.Kill(to, s))
			soon(t, fmt.Sprintf("%v to %d comes", s, to), func() bool { now := contents(folder, "got"); return now != "" && now != before })
		}
		n := i + 1
		assert.Equal(t, fmt.Sprint(n, n, n, n), contents(folder, "got"), "after those to %d", to)
	}
	require.NoError(t, os.WriteFile(filepath.Join(folder, "go-on"), nil, 0o600))
	require.NoError(t, c.Wait())
	assert.Equal(t, "3 3 3 3", contents(folder, "got"), "none came twice")
}

// A program under nohup goes on when the terminal is gone.
func TestIgnoredSignalsStayIgnored(t *testing.T) {
	signals := func(env string) string {
		folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
		c := exec.Command("/bin/sh", "-c", `trap "" HUP INT; exec "$0"`, os.Args[0])
		c.Dir, c.Env = folder, append(os.Environ(), env)
		out, err := c.CombinedOutput()
		require.NoError(t, err, string(out))
		return contents(folder, "ignored")
	}
	plain := signals("ENDROIT_ACT=dispositions")
	assert.NotEqual(t, "0000000000000000", plain)
	assert.Equal(t, plain, signals("ENDROIT_OBSERVE=dispositions"))
}

func TestDescriptorsAreHandedOn(t *testing.T) {
	folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	read, write := must2(os.Pipe())
	defer read.Close()
	c := exec.Command(os.Args[0])
	c.Dir, c.Env = folder, append(os.Environ(), "ENDROIT_OBSERVE=descriptors")
	null := capturetest.Must(os.Open(os.DevNull))
	c.ExtraFiles = []*os.File{write, null, null, null, write}
	c.Stderr = os.Stderr
	require.NoError(t, c.Start())
	_ = write.Close()
	data := make([]byte, 100)
	n, _ := read.Read(data)
	for string(data[:n]) != "through threethrough seven" {
		m, err := read.Read(data[n:])
		require.NoError(t, err, string(data[:n]))
		n += m
	}
	_, err := read.Read(data)
	assert.Error(t, err, "nobody keeps it open")
	require.NoError(t, c.Wait())
}

func must2[A, B any](a A, b B, err error) (A, B) {
	if err != nil {
		panic(err)
	}
	return a, b
}

func TestOrphansGoWhereTheyWouldGo(t *testing.T) {
	if lookingIsForAncestors() {
		t.Skip("the kernel lets only ancestors look, so that orphans are adopted")
	}
	folder, c := background(t, "parent")
	soon(t, "it is init's", func() bool { _, err := os.Stat(filepath.Join(folder, "adopted-elsewhere")); return err == nil })
	require.NoError(t, c.Wait())
}

// loopback mounts a folder by a FUSE daemon in this process; open is asked first at each
// opening.
func loopback(t *testing.T, open func(name string)) (backing, mount string) {
	t.Helper()
	backing, mount = t.TempDir(), capturetest.Must(os.MkdirTemp("", "endroit-mount-"))
	server, err := mountLoopback(backing, mount, open)
	if err != nil {
		t.Skipf("no file system in user space can be mounted here: %v", err)
	}
	t.Cleanup(func() { _ = server.Unmount(); _ = os.Remove(mount) })
	return backing, mount
}

func mountLoopback(backing, mount string, open func(name string)) (*fuse.Server, error) {
	root, err := fs.NewLoopbackRoot(backing)
	if err != nil {
		return nil, err
	}
	zero := time.Duration(0)
	if open != nil {
		data := root.(*fs.LoopbackNode).RootData
		root = &slowNode{fs.LoopbackNode{RootData: data}, open}
		data.RootNode = root
	}
	return fs.Mount(mount, root, &fs.Options{EntryTimeout: &zero, AttrTimeout: &zero, MountOptions: fuse.MountOptions{DirectMount: true, DisableXAttrs: true}})
}

// slowNode is a file whose openings wait.
type slowNode struct {
	fs.LoopbackNode
	open func(name string)
}

func (n *slowNode) WrapChild(context.Context, fs.InodeEmbedder) fs.InodeEmbedder {
	return &slowNode{fs.LoopbackNode{RootData: n.RootData}, n.open}
}

func (n *slowNode) Open(ctx context.Context, flags uint32) (fs.FileHandle, uint32, syscall.Errno) {
	n.open(n.Path(n.Root()))
	return n.LoopbackNode.Open(ctx, flags)
}

func init() {
	capturetest.Acts["file-system-daemon"] = func() error {
		server, err := mountLoopback("backing", "mount", nil)
		if err != nil {
			return err
		}
		defer server.Unmount()
		_ = os.Setenv("ENDROIT_ACT", "write-through")
		c := exec.Command(os.Args[0])
		c.Stderr = os.Stderr
		return c.Run()
	}
	capturetest.Acts["write-through"] = func() error {
		return errors.Join(os.WriteFile("mount/there.sav", []byte("after"), 0o600), os.WriteFile("mount/new.tmp", []byte("new"), 0o600), os.Rename("mount/new.tmp", "mount/new.sav"))
	}
	capturetest.Acts["slow-and-fast"] = func() error {
		slow := make(chan error)
		go func() { slow <- os.WriteFile(os.Getenv("ENDROIT_MOUNT")+"/slow.sav", []byte("after"), 0o600) }()
		for i := range 500 {
			if err := os.WriteFile(fmt.Sprintf("fast%d", i%20), nil, 0o600); err != nil {
				return err
			}
		}
		return errors.Join(os.WriteFile("fast-is-done", nil, 0o600), <-slow)
	}
}

// A file system's daemon among the observed programs is asked by the observer itself.
func TestAFileSystemDaemonAmongTheObserved(t *testing.T) {
	loopback(t, nil) // or it cannot be done here
	got := observe(t, "file-system-daemon", func(o *Options) {
		folder := capturetest.Must(os.Getwd())
		t.Setenv("HOME", folder)
		require.NoError(t, errors.Join(os.Mkdir("backing", 0o700), os.Mkdir("mount", 0o700), os.WriteFile("backing/there.sav", []byte("before"), 0o600)))
		o.Versions = versions.Options{Folder: filepath.Join(folder, "versions"), File: versions.DefaultFile}
	})
	assert.Equal(t, 0, got.Result.Status)
	assert.Equal(t, "after", contents(got.Folder, "backing/there.sav"))
	assert.Equal(t, "new", contents(got.Folder, "backing/new.sav"))
	assert.Contains(t, got.Events, "replace mount/there.sav")
	assert.Contains(t, got.Events, "rename mount/new.tmp mount/new.sav", fmt.Sprint(got.Gaps))
	assert.Contains(t, got.Events, "truncate backing/there.sav")
	assert.Len(t, got.Files["mount/there.sav"].Before.Digest, 64)
}

func TestSlowFileDoesNotBlockOthers(t *testing.T) {
	release, waiting := make(chan struct{}), make(chan struct{}, 100)
	backing, mount := loopback(t, func(string) { waiting <- struct{}{}; <-release })
	require.NoError(t, os.WriteFile(filepath.Join(backing, "slow.sav"), []byte("before"), 0o600))
	t.Setenv("ENDROIT_MOUNT", mount)
	go func() {
		<-waiting
		for { // until all others are done, and the slow one goes on without the observer
			if _, err := os.Stat("fast-is-done"); err == nil && len(waiting) > 0 {
				close(release)
				return
			}
			time.Sleep(time.Millisecond)
		}
	}()
	got := observe(t, "slow-and-fast", func(o *Options) {
		o.Versions = versions.Options{Folder: filepath.Join(capturetest.Must(os.Getwd()), "versions"), File: versions.DefaultFile}
	})
	assert.Equal(t, 0, got.Result.Status)
	assert.Equal(t, "after", contents(backing, "slow.sav"))
	assert.Contains(t, fmt.Sprint(got.Gaps), "a file system did not respond in time")
	assert.Len(t, got.Told(trace.Create, "fast-is-done"), 1)
}
