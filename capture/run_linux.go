//go:build amd64 || arm64

package capture

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"runtime"
	"strings"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"endroit/core/place"
	"endroit/core/trace"
)

// Run runs the command under observation and writes the trace to o.Out. It
// returns once every observed program has ended, or o.Stop was closed after the
// command itself had. Ending ctx ends the command. It owns all children of the
// process, so there can be one at a time.
//
// The error is a *CommandError if the command could not be started, and wraps
// ErrUnsupported if nothing can be observed here. An error together with a
// Status says that the command ran and the trace could not be written whole.
func Run(ctx context.Context, o Options) (Result, error) {
	if !kernelAtLeast(5, 9) {
		return Result{}, fmt.Errorf("%w: this needs Linux 5.9 or later, whose listener tells when the last program has ended", ErrUnsupported)
	}
	program, err := findProgram(o.Command[0])
	if err != nil {
		return Result{}, err
	}
	start := time.Now()
	header := fillHeader(o, program, start)
	// Orphans become our children, so that their memory stays readable where
	// the kernel allows that to ancestors alone (Yama).
	_ = unix.Prctl(unix.PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0)
	w, err := trace.NewWriter(o.Out, header)
	if err != nil {
		return Result{}, err
	}
	r := newRecorder(w, start)
	for _, what := range o.Gaps {
		r.gap(what)
	}
	kept := newKeeping(r, o.Versions)
	looks := newLooks(r, header, kept)
	looks.services()
	pid, fd, failed, err := startLauncher(program, o)
	if err != nil {
		_, _, _ = r.close()
		return Result{}, err
	}
	s := &session{o: o, r: r, pid: pid, program: program, header: header, status: -1}
	if s.keeper, err = startKeeper(fd); err != nil {
		s.notice(fmt.Sprintf("should this program be killed, the observed one would fail too: %v", err))
	}
	s.kept = kept
	s.looks = looks
	s.supervisor = &supervisor{l: newListener(fd), r: r, ps: newProcesses(r, header.Env), launcher: pid, keeper: s.keeper, kept: kept, own: looks.own}
	return s.run(ctx, failed)
}

func findProgram(name string) (string, error) {
	program, err := exec.LookPath(name)
	if errors.Is(err, exec.ErrDot) {
		err = nil
	}
	switch {
	case err == nil:
		program, err = filepath.Abs(program)
		if err != nil {
			return "", &CommandError{name, 126, err}
		}
		return program, nil
	case errors.Is(err, fs.ErrNotExist), errors.Is(err, exec.ErrNotFound):
		if info, e := os.Stat(name); e == nil && strings.Contains(name, "/") && !info.IsDir() {
			return "", &CommandError{name, 126, errors.New("it may not be executed; chmod +x allows that")}
		}
		return "", &CommandError{name, 127, errors.New("there is no such program; give its path, or a name found in PATH")}
	case errors.Is(err, fs.ErrPermission):
		return "", &CommandError{name, 126, errors.New("it may not be executed; chmod +x allows that")}
	}
	return "", &CommandError{name, 126, errors.Unwrap(err)}
}

func fillHeader(o Options, program string, start time.Time) trace.Header {
	h := o.Header
	h.Runtime, h.OS, h.Arch = "native", runtime.GOOS, runtime.GOARCH
	if h.Prefix != nil {
		h.Runtime = "prefix"
	}
	h.Observer = trace.ByCalls
	h.Command = o.Command
	h.Started = start.UTC()
	h.Folder, _ = os.Getwd()
	h.Host, _ = os.Hostname()
	var u unix.Utsname
	if unix.Uname(&u) == nil {
		h.Kernel = unix.ByteSliceToString(u.Release[:])
	}
	if me, err := user.Current(); err == nil {
		h.User = me.Username
	}
	h.Env = map[string]string{}
	for _, name := range place.LinuxVariables {
		if v, ok := os.LookupEnv(name); ok {
			h.Env[name] = v
		}
	}
	if h.Install == "" {
		h.Install = installOf(program)
	}
	return h
}

// installOf takes the program's own folder for the installed edition's, unless
// it is one that many programs share.
func installOf(program string) string {
	if real, err := filepath.EvalSymlinks(program); err == nil {
		program = real
	}
	dir := filepath.Dir(program)
	home, _ := os.UserHomeDir()
	for _, shared := range []string{"/", "/bin", "/sbin", "/usr/bin", "/usr/sbin", "/usr/games", "/usr/local/bin", "/usr/local/games", "/opt", "/tmp", home, filepath.Join(home, "bin"), filepath.Join(home, ".local/bin")} {
		if dir == shared {
			return ""
		}
	}
	// A program in bin/ belongs to the folder above.
	if base := filepath.Base(dir); base == "bin" || base == "bin64" {
		return filepath.Dir(dir)
	}
	return dir
}

// session is one run under observation. It owns the goroutines that it starts:
// the supervisor, the reaper and the sampler.
type session struct {
	o          Options
	r          *recorder
	supervisor *supervisor
	keeper     *keeper  // nil if it could not be started
	kept       *keeping // nil if no versions are kept
	looks      *looks
	pid        int
	program    string // what is run, with its full path
	header     trace.Header
	status     int // of the command; set before ended is closed
}

func (s *session) run(ctx context.Context, failed <-chan error) (Result, error) {
	allGone := make(chan struct{})
	go func() { s.supervisor.run(); close(allGone) }()
	ended, reaped := make(chan struct{}), make(chan struct{})
	go s.reap(ended, reaped)
	cues, cueErr := listenForCues(s.o.CueFolder, &marking{s.r, s.looks, s.header, s.o.Path})
	if cueErr != nil {
		s.notice(fmt.Sprintf("cues cannot be taken: %v", cueErr))
	}
	stopSampling, sampled := make(chan struct{}), make(chan struct{})
	go s.sample(stopSampling, sampled)

	if left := s.wait(ctx, ended, allGone); !left {
		s.keeper.dismiss()
		<-reaped
	}

	cues.close()
	close(stopSampling)
	<-sampled
	s.looks.finish()
	end, gaps, err := s.r.close()
	result := Result{Status: s.status, Header: s.header, End: end, Gaps: gaps, Changed: s.r.changes()}
	if e := <-failed; e != nil {
		return Result{}, e
	}
	return result, err
}

// wait returns when there is nothing more to observe, and whether programs were
// left behind.
func (s *session) wait(ctx context.Context, ended, allGone <-chan struct{}) (left bool) {
	var stop <-chan struct{} // listened to once the command itself has ended
	cancelled, running := ctx.Done(), ended
	for {
		select {
		case <-running:
			running, stop = nil, s.o.Stop
			select {
			case <-allGone:
				return false
			case <-time.After(300 * time.Millisecond):
				s.notice("the command has ended, and a program that it started goes on; it is still observed (Ctrl-C ends that)")
			}
		case <-allGone:
			<-ended
			return false
		case sig := <-s.o.Signals:
			if n, ok := sig.(syscall.Signal); ok && running != nil {
				_ = unix.Kill(s.pid, n)
			}
		case <-cancelled:
			cancelled = nil
			_ = unix.Kill(s.pid, unix.SIGTERM)
		case <-stop:
			s.leave()
			return true
		}
	}
}

// leave hands the programs that are left over to a keeper.
func (s *session) leave() {
	s.r.gap("the observation was ended while programs that the command had started were running")
	if s.keeper == nil {
		s.notice("the programs left behind may fail to open files from now on: there is no keeper")
		return
	}
	s.keeper.takeOver()
	for s.supervisor.busy.Load() {
		time.Sleep(time.Millisecond)
	}
}

func (s *session) notice(text string) {
	if s.o.Notice != nil {
		s.o.Notice(text)
	}
}

// reap waits for every child: the command, whose end closes ended, and orphans.
func (s *session) reap(ended, reaped chan<- struct{}) {
	defer close(reaped)
	for {
		var status unix.WaitStatus
		pid, err := unix.Wait4(-1, &status, unix.WUNTRACED, nil)
		if err == unix.EINTR {
			continue
		}
		if err != nil {
			return
		}
		if pid != s.pid {
			continue
		}
		switch {
		case status.Stopped():
			// The shell stops or continues the job that it knows: this process.
			_ = unix.Kill(os.Getpid(), unix.SIGSTOP)
			_ = unix.Kill(s.pid, unix.SIGCONT)
		case status.Exited(), status.Signaled():
			s.status = status.ExitStatus()
			if status.Signaled() {
				s.status = 128 + int(status.Signal())
			}
			if s.r.processes() == 0 { // it ended without naming a single path
				s.r.process(trace.Process{PID: s.pid, Exe: s.program, Args: s.o.Command})
			}
			s.r.other(trace.Exit{Process: 1, At: s.r.now(), Status: s.status})
			close(ended)
		}
	}
}

// sample looks at what no call tells, from time to time and at the end.
func (s *session) sample(stop <-chan struct{}, done chan<- struct{}) {
	defer close(done)
	h := newHeld(s.r, s.looks.own, s.o.Stdin, s.o.Stdout, s.o.Stderr)
	s.looks.run(stop, h.look)
}
