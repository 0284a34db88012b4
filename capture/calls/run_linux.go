//go:build amd64 || arm64

package calls

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strconv"
	"strings"
	"sync"
	"syscall"
	"time"

	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/capture/companion"
	"endroit/capture/cues"
	"endroit/capture/processes"
	"endroit/capture/sampling"
	"endroit/capture/versions"
	"endroit/core/place"
	"endroit/core/trace"
)

// While the rest of the program is initialised, another processor can do this.
func init() {
	if companion.StartedEarly() {
		go trace.Prepare()
	}
}

// Run runs the command under observation and writes the trace to o.Out. It
// returns once every observed program has ended, or o.Stop was closed after the
// command itself had. Ending ctx ends the command. It owns all children of the
// process, so there can be one at a time.
//
// The error is a *CommandError if the command could not be started, and wraps
// ErrUnsupported if nothing can be observed here. An error together with a
// Status says that the command ran and the trace could not be written whole.
func Run(ctx context.Context, o Options) (capture.Result, error) {
	if !capture.KernelAtLeast(5, 9) {
		return capture.Result{}, fmt.Errorf(
			"%w: this needs Linux 5.9 or later, whose listener tells when the last program has ended",
			capture.ErrUnsupported,
		)
	}
	program, err := findProgram(o.Command[0])
	if err != nil {
		return capture.Result{}, err
	}
	start := time.Now()
	defer uncollected()()
	// The launcher installs the filter while other things are got ready, and the trace is
	// begun.
	given := commandFiles(o)
	launcher, err := companion.Prepare(given)
	if err != nil {
		return capture.Result{}, fmt.Errorf("%w: start the launcher: %w", capture.ErrUnsupported, err)
	}
	code, err := filter()
	if err != nil {
		launcher.Cancel()
		return capture.Result{}, err
	}
	launcher.Install(code)
	header := capture.FillHeader(o.Header, o.Command, program, start)
	begun := make(chan begunTrace, 1)
	go func() {
		w, err := trace.NewWriter(o.Out, header)
		begun <- begunTrace{w, err}
	}()
	// Threads that wait in the kernel must not keep others from running.
	usual := runtime.GOMAXPROCS(runtime.NumCPU() + spareThreads)
	if !o.Alone {
		defer runtime.GOMAXPROCS(usual) // a process that is about to end has no use for it
	}
	s := prepare(o, program, start, header)
	defer s.close()
	listening := s.listen(launcher)
	w := <-begun
	if listening == nil && w.err == nil {
		listening = launcher.Launch(program, o.Command)
	} else if listening == nil {
		launcher.Cancel()
	}
	switch {
	case w.err != nil:
		return capture.Result{}, fmt.Errorf("%w: %w", ErrNotStarted, w.err)
	case listening != nil:
		s.r.Begin(w.w)
		_, _, _ = s.r.Close()
		return capture.Result{}, fmt.Errorf("%w: %w", capture.ErrUnsupported, listening)
	}
	s.r.Begin(w.w)
	if o.Alone {
		closeFiles(given)
	}
	return s.run(ctx)
}

// begunTrace is a trace whose header was written, or why it could not be.
type begunTrace struct {
	w   *trace.Writer
	err error
}

// prepare gets ready what does not need the command.
func prepare(o Options, program string, start time.Time, header trace.Header) *session {
	s := &session{
		o:       o,
		r:       capture.NewRecorder(start),
		program: program,
		header:  header,
		status:  -1,
		adopts:  lookingIsForAncestors(),
		allGone: make(chan struct{}),
		memory:  -1,
	}
	if s.adopts {
		// Orphans become our children, so that their memory stays readable where
		// the kernel allows that to ancestors alone (Yama). Elsewhere they go where they
		// would go anyway.
		_ = unix.Prctl(unix.PR_SET_CHILD_SUBREAPER, 1, 0, 0, 0)
	}
	for _, what := range o.Gaps {
		s.r.Gap(what)
	}
	s.kept = versions.New(s.r, o.Versions)
	s.looks = sampling.New(s.r, header, s.kept)
	s.looks.Services()
	s.supervisor = newSupervisor(s.r, processes.NewTable(s.r, header.Env, unseen), s.looks, s.kept)
	if o.Signals != nil { // before the command is there, so that it gets the same signals
		var err error
		if s.witness, err = companion.StartWitness(); err != nil {
			s.notice(fmt.Sprintf("signals to the whole process group may reach the program twice: %v", err))
		}
	}
	return s
}

// uncollected has Go collect less garbage while the command starts, since that takes a
// processor from it. then is to be called at the end.
func uncollected() (then func()) {
	usual := debug.SetGCPercent(400)
	timer := time.AfterFunc(2*time.Second, func() { debug.SetGCPercent(usual) })
	return func() {
		if timer.Stop() {
			debug.SetGCPercent(usual)
		}
	}
}

// spareThreads are the processors that Go may use beyond those that are there: for
// threads that wait for calls.
const spareThreads = 4

// newSupervisor puts together what tells what calls mean.
func newSupervisor(r *capture.Recorder, ps *processes.Table, looks *sampling.Sampler, kept *versions.Keeper) *supervisor {
	return &supervisor{
		r:         r,
		ps:        ps,
		names:     newNames(),
		recent:    newRecent(),
		ways:      map[string]way{},
		changes:   make(chan *change, 1024),
		kept:      kept,
		own:       looks.Covers,
		spellings: spellingsOf(looks.Header),
	}
}

// listen begins to answer calls, before the first comes. If it fails the launcher has
// ended.
func (s *session) listen(launcher *companion.Launcher) error {
	shared, memory, err := companion.NewShared()
	if err != nil {
		launcher.Cancel()
		return err
	}
	s.memory = memory
	listener, restrained, err := launcher.Listen()
	if err != nil {
		return err
	}
	s.pid, s.launcher = launcher.PID(), launcher
	s.keeper.start = func() *companion.Keeper {
		k, err := companion.StartKeeper(listener, memory, shared)
		if err != nil {
			s.notice(fmt.Sprintf("should this program be killed, the observed one would fail too: %v", err))
		}
		return k
	}
	v, l := s.supervisor, companion.NewListener(listener, capture.KernelAtLeast(6, 11))
	s.answering = &answering{l: l, shared: shared, quick: v.quick, slow: v.slow, gap: s.r.Gap, hasty: v.unrestarted.Load}
	v.l, v.restrained, v.passes, v.guard = l, restrained, s.answering.wasPassed, s.keeper.call
	v.launcher.Store(int32(s.pid))
	go func() { s.answering.run(s.r.Now); close(s.allGone) }()
	return nil
}

// close lets go of what is left at the end.
func (s *session) close() {
	s.witness.Dismiss()
	if s.memory >= 0 {
		_ = unix.Close(s.memory)
	}
}

// spellingsOf are the folders that variables and the header name, where links lead to
// them: what lies in them is recorded by the names that the person knows.
func spellingsOf(h trace.Header) (list []spelling) {
	folders := []string{h.Install}
	if h.Prefix != nil {
		folders = append(folders, h.Prefix.Folder)
	}
	for _, v := range place.LinuxVariables {
		folders = append(folders, h.Env[v])
	}
	for _, f := range folders {
		if !filepath.IsAbs(f) || filepath.Clean(f) == "/" {
			continue
		}
		f = filepath.Clean(f)
		if resolved, err := filepath.EvalSymlinks(f); err == nil && resolved != f && resolved != "/" {
			list = append(list, spelling{resolved, f})
		}
	}
	// The narrowest counts.
	slices.SortStableFunc(list, func(a, b spelling) int { return len(b.real) - len(a.real) })
	return list
}

// lookingIsForAncestors reports whether the kernel lets this process look into the memory
// of its descendants alone: Yama, unless one may trace anything (CAP_SYS_PTRACE).
func lookingIsForAncestors() bool {
	scope := strings.TrimSpace(processes.ReadSmall("/proc/sys/kernel/yama/ptrace_scope"))
	if scope == "" || scope == "0" {
		return false
	}
	const tracing = 1 << unix.CAP_SYS_PTRACE
	for line := range strings.Lines(processes.ReadSmall("/proc/self/status")) {
		if v, ok := strings.CutPrefix(line, "CapEff:"); ok {
			have, err := strconv.ParseUint(strings.TrimSpace(v), 16, 64)
			return err != nil || have&tracing == 0
		}
	}
	return true
}

// commandFiles are the descriptors that the command gets, by number, and those from 3 on
// that this process was given for it.
func commandFiles(o Options) []int {
	var usual [3]int
	for i, f := range []*os.File{o.Stdin, o.Stdout, o.Stderr} {
		usual[i] = -1
		if f != nil {
			usual[i] = int(f.Fd())
		}
	}
	return companion.InheritedDescriptors(usual[0], usual[1], usual[2])
}

// closeFiles closes what belongs to the command: as long as it stayed open here, others would
// wait in vain for its end.
func closeFiles(given []int) {
	for _, fd := range given[3:] {
		if fd >= 0 {
			_ = unix.Close(fd)
		}
	}
	null, err := unix.Open(os.DevNull, unix.O_RDWR|unix.O_CLOEXEC, 0)
	if err != nil {
		return
	}
	defer unix.Close(null)
	_ = unix.Dup3(null, 0, 0)
	_ = unix.Dup3(null, 1, 0)
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

// onCall is a keeper that is started when it is called: it comes up for as long as the
// command itself takes to start, and there is nothing to lose yet.
type onCall struct {
	start func() *companion.Keeper

	mu     sync.Mutex
	called bool
	keeper *companion.Keeper // nil if there is none
}

// keeperAfter is when the keeper is called at the latest, if the command lives that long.
const keeperAfter = 5 * time.Millisecond

// call starts the keeper if it is not there. When it returns the keeper stands by.
func (k *onCall) call() {
	k.mu.Lock()
	defer k.mu.Unlock()
	if !k.called {
		k.called, k.keeper = true, k.start()
	}
}

// now is the keeper, nil if there is none.
func (k *onCall) now() *companion.Keeper {
	k.mu.Lock()
	defer k.mu.Unlock()
	return k.keeper
}

// dismiss ends the keeper: from then on none is called.
func (k *onCall) dismiss() {
	k.mu.Lock()
	defer k.mu.Unlock()
	k.called = true
	k.keeper.Dismiss()
}

// session is one run under observation. It owns the goroutines that it starts.
type session struct {
	o          Options
	r          *capture.Recorder
	supervisor *supervisor
	answering  *answering
	allGone    chan struct{} // closed once every observed program has ended
	launcher   *companion.Launcher
	memory     int // the descriptor of what is shared with the keeper, -1 if there is none
	keeper     onCall
	witness    *companion.SignalWitness // nil if nobody asks for it, or it could not be started
	kept       *versions.Keeper         // nil if no versions are kept
	looks      *sampling.Sampler
	pid        int
	adopts     bool   // orphans become children of this process
	program    string // what is run, with its full path
	header     trace.Header
	status     int // of the command; set before ended is closed
}

func (s *session) run(ctx context.Context) (capture.Result, error) {
	stopSettling, settled := make(chan struct{}), make(chan struct{})
	called := time.AfterFunc(keeperAfter, s.keeper.call)
	defer called.Stop()
	go func() { s.supervisor.settle(stopSettling); close(settled) }()
	ended := make(chan struct{})
	go s.reap(ended)
	stopPassing := s.passSignals(ended)
	cues, cueErr := cues.Listen(s.o.CueFolder, &cues.Run{Recorder: s.r, Sampler: s.looks, Header: s.header, Path: s.o.Path})
	if cueErr != nil {
		s.notice(fmt.Sprintf("cues cannot be received: %v", cueErr))
	}
	stopSampling, sampled := make(chan struct{}), make(chan struct{})
	go s.sample(stopSampling, sampled)

	if left := s.wait(ctx, ended); !left {
		s.keeper.dismiss()
	}
	close(stopPassing)
	cues.Close()
	close(stopSettling)
	<-settled
	s.supervisor.finish()
	close(stopSampling)
	<-sampled
	s.looks.Finish()
	s.unseen()
	end, gaps, err := s.r.Close()
	result := capture.Result{
		Status:    s.status,
		Header:    s.header,
		End:       end,
		Gaps:      gaps,
		Changed:   s.r.Changes(),
		Processes: s.r.Processes(),
		Hidden:    int(s.supervisor.hiding.Load()),
	}
	if e := s.launcher.Failed(); e != nil {
		return capture.Result{}, &CommandError{s.o.Command[0], 126, e}
	}
	return result, err
}

// unseen says, at the end, what the observer itself kept from being seen, or was in the
// way of.
func (s *session) unseen() {
	if n := s.keeper.now().Answered(); n > 0 {
		s.r.GapTimes("calls were not observed while the observer was stopped", int(n))
	}
	if n := s.answering.vanished.Load(); n > 0 && s.supervisor.unrestarted.Load() {
		s.r.GapTimes(
			"a signal came in the microseconds before a call was received: where its handler does not ask for "+
				"calls to be restarted (SA_RESTART), the call failed with EINTR, which it would not have done alone",
			int(n),
		)
	}
}

// wait returns when there is nothing more to observe, and whether programs were
// left behind.
func (s *session) wait(ctx context.Context, ended <-chan struct{}) (left bool) {
	var stop <-chan struct{} // listened to once the command itself has ended
	cancelled, running := ctx.Done(), ended
	for {
		select {
		case <-running:
			running, stop = nil, s.o.Stop
			select {
			case <-s.allGone:
				return false
			case <-time.After(300 * time.Millisecond):
				s.notice("the command has ended, and a program that it started goes on; it is still observed (Ctrl-C ends that)")
			}
		case <-s.allGone:
			<-ended
			return false
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
	s.r.Gap("the observation was ended while programs that the command had started were running")
	s.answering.leave()
	s.keeper.call()
	keeper := s.keeper.now()
	if keeper == nil {
		s.notice("the programs left behind may fail to open files from now on: there is no keeper")
		return
	}
	keeper.HandOver()
}

func (s *session) notice(text string) {
	if s.o.Notice != nil {
		s.o.Notice(text)
	}
}

// passSignals passes on to the command what this process alone was sent. What its whole
// process group was sent, the command got too.
func (s *session) passSignals(ended <-chan struct{}) (stop chan struct{}) {
	stop = make(chan struct{})
	if s.o.Signals == nil {
		return stop
	}
	go func() {
		for {
			select {
			case sig := <-s.o.Signals:
				n, ok := sig.(syscall.Signal)
				select {
				case <-ended:
					continue
				default:
				}
				if ok && n != unix.SIGTSTP && !s.witness.Received(n) {
					_ = unix.Kill(s.pid, n)
				}
			case <-stop:
				return
			}
		}
	}()
	return stop
}

// reap waits for the command, whose end closes ended.
func (s *session) reap(ended chan<- struct{}) {
	var resumed time.Time // when this process went on; zero if it is known what the command did then
	for {
		var status unix.WaitStatus
		options := unix.WUNTRACED | unix.WCONTINUED
		if !resumed.IsZero() {
			options |= unix.WNOHANG
		}
		pid, err := unix.Wait4(s.pid, &status, options, nil)
		switch {
		case err == unix.EINTR:
		case err == nil && pid == 0 && time.Since(resumed) < resumeLimit:
			time.Sleep(time.Millisecond)
		case err == nil && pid == 0: // only this process was continued
			_ = unix.Kill(s.pid, unix.SIGCONT)
			resumed = time.Time{}
		case err == nil && status.Continued():
			resumed = time.Time{}
		case err == nil && status.Stopped():
			resumed = s.stopped()
		default:
			s.status = status.ExitStatus()
			if status.Signaled() {
				s.status = 128 + int(status.Signal())
			}
			if s.r.Processes() == 0 { // it ended without naming a single path
				s.r.Process(trace.Process{PID: s.pid, Exe: s.program, Args: s.o.Command})
			}
			s.r.Other(trace.Exit{Process: 1, At: s.r.Now(), Status: s.status})
			close(ended)
			return
		}
	}
}

// resumeLimit is how long after this process the command goes on, if it was continued
// too: a shell continues the whole group, somebody else perhaps this process alone.
const resumeLimit = 50 * time.Millisecond

// reapOrphans reaps what became a child of this process and has ended.
func (s *session) reapOrphans() {
	if !s.adopts {
		return
	}
	for _, pid := range s.supervisor.ps.PIDs() {
		if pid != s.pid {
			_, _ = unix.Wait4(pid, nil, unix.WNOHANG, nil)
		}
	}
}

// stopped stops this process too, once the command was stopped: the shell stops and
// continues the job that it knows. Meanwhile the keeper lets the calls of others go on. It
// returns when this process went on, zero if it did not stop.
func (s *session) stopped() time.Time {
	if !s.o.Alone || companion.State(s.pid) != 'T' {
		return time.Time{} // it goes on again
	}
	s.keeper.call()
	keeper := s.keeper.now()
	keeper.Suspend(s.pid)
	runtime.LockOSThread() // sent to this thread, it takes effect before the call returns
	_ = unix.Tgkill(os.Getpid(), unix.Gettid(), unix.SIGSTOP)
	runtime.UnlockOSThread()
	keeper.Resume()
	return time.Now()
}

// sample looks at what no call tells, from time to time and at the end.
func (s *session) sample(stop <-chan struct{}, done chan<- struct{}) {
	defer close(done)
	h := processes.NewOpenFilePositions(s.r, s.looks.Covers, s.o.Stdin, s.o.Stdout, s.o.Stderr)
	s.looks.Run(stop, func() {
		h.Poll()
		s.reapOrphans()
	})
}
