//go:build amd64 || arm64

package calls

import (
	"bytes"
	"encoding/binary"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/capture/companion"
	"endroit/capture/processes"
	"endroit/capture/versions"
	"endroit/core/trace"
)

const atCWD = int32(unix.AT_FDCWD)

// supervisor tells what the calls mean that answering receives. Any number of its
// threads may be at work.
type supervisor struct {
	l         *companion.Listener
	r         *capture.Recorder
	ps        *processes.Table // its lock guards names too
	names     *names
	recent    recent
	ways      map[string]way // the lock of processes guards it
	changes   chan *change
	passes    func(id uint64) bool // a call was let go on already
	last      *processes.Thread    // that called last; the lock of processes guards it
	kept      *versions.Keeper     // may be nil
	own       func(path string) bool
	spellings []spelling

	// launcher is our own process that is about to become the command; 0 once it
	// has. What it does is not the command's doing.
	launcher   atomic.Int32
	restrained bool // programs do not get the rights that their files give

	guard func() // returns once the keeper stands by: before anything is changed

	unrestarted atomic.Bool  // a program has a handler that does not restart calls
	hiding      atomic.Int32 // programs that let nobody look
	held        atomic.Int32 // files held open for their content
	readers     sync.WaitGroup
}

// finish concludes what is open once nothing more is called.
func (s *supervisor) finish() {
	s.ps.Mu.Lock()
	open := slices.Collect(maps.Keys(s.names.open))
	s.ps.Mu.Unlock()
	for _, c := range open {
		s.conclude(c, true)
	}
	s.readers.Wait()
}

// work is a call that needs a look at files.
type work struct {
	n      *companion.Notification
	h      *inHand
	c      *call
	at     time.Duration
	tid    int
	th     *processes.Thread
	p      *processes.Process
	view   *processes.View
	uid    int
	number int    // the process's in the trace
	moves  uint32 // how often paths had come to mean others
}

// quick observes an opening of which all is known, or a handler that is set, and reports
// whether it was one. It asks the kernel for nothing but what lies in the caller's memory:
// a path, which it returns if it got as far.
func (s *supervisor) quick(n *companion.Notification, at time.Duration, memory []byte) (text []byte, done bool) {
	c := callOf(n.Arch, n.Nr)
	if c == nil {
		s.l.Continue(n.ID)
		return nil, true
	}
	if s.launcher.Load() != 0 || c.act != actOpen && c.act != actHandler {
		return nil, false
	}
	if c.act == actHandler {
		s.ps.Mu.Lock()
		known := s.knownCaller(int(n.TID), at) != nil
		s.ps.Mu.Unlock()
		if known {
			s.handler(n)
			s.l.Continue(n.ID)
		}
		return nil, known
	}
	if text, _ = s.textInto(n, n.Args[c.path], memory[:quickText]); len(text) == 0 {
		return nil, false
	}
	if c.dir >= 0 && text[0] != '/' && int32(n.Args[c.dir]) != atCWD {
		return text, false
	}
	e, f, told := s.asBefore(int(n.TID), text, n.Args[c.flags], at)
	if !told {
		return text, false
	}
	if (s.l.Continue(n.ID) || s.passes(n.ID)) && e.File != 0 {
		if f != nil && bothWays(capture.Operations[e.Op], n.Args[c.flags]) != "" {
			e.More = &readToo
		}
		s.r.Plain(e, f)
	}
	return nil, true
}

// asBefore tells what an opening is from what is known of the name. told is false if
// that is not enough; the record has no file for an opening that fails. f is the file if
// the opening changes it.
func (s *supervisor) asBefore(
	tid int, text []byte, flags uint64, at time.Duration,
) (e capture.Record, f *capture.File, told bool) {
	if flags&(unix.O_EXCL|unix.O_NOFOLLOW) != 0 || flags&unix.O_TMPFILE == unix.O_TMPFILE {
		return e, nil, false
	}
	s.ps.Mu.Lock()
	e, f, told = s.remembered(tid, text, flags, at)
	s.ps.Mu.Unlock()
	return e, f, told
}

// knownCaller is a thread of which nothing has to be asked, nil if there is none. The
// caller holds the lock of processes.
func (s *supervisor) knownCaller(tid int, at time.Duration) *processes.Thread {
	if th := s.last; th != nil && th.TID == tid && s.ps.Current(th, at) {
		return th
	}
	th := s.ps.Known(tid, at)
	if th != nil {
		s.last = th
	}
	return th
}

// remembered is asBefore. The caller holds the lock of processes.
func (s *supervisor) remembered(
	tid int, text []byte, flags uint64, at time.Duration,
) (e capture.Record, f *capture.File, told bool) {
	th := s.knownCaller(tid, at)
	if th == nil || th.Change != nil {
		return e, nil, false
	}
	p, moves := th.Process, s.ps.Moves.Load()
	b := p.View.Top
	if text[0] != '/' {
		if !th.FolderKnown(at, moves) {
			return e, nil, false
		}
		b = th.Folder
	}
	n := s.recent.find(text, b, moves, at)
	if n == nil || n.number == 0 || n.change != nil || n.checked == 0 || at-n.checked > processes.Trust || n.uid != p.UID {
		return e, nil, false
	}
	e = capture.Record{At: at, Process: int32(p.N), File: n.number, Op: readIndex}
	if flags&(unix.O_ACCMODE|unix.O_TRUNC|unix.O_CREAT|unix.O_DIRECTORY) == unix.O_RDONLY && n.plain {
		return e, nil, true
	}
	op := opened(n.looked, flags)
	switch op {
	case "":
		return capture.Record{}, nil, n.there()
	case trace.Replace, trace.Append, trace.Update:
		writes := flags&unix.O_ACCMODE != unix.O_RDONLY
		if writes && !p.Writes || n.state.Is == trace.IsFile && !n.safe {
			return e, nil, false
		}
		f = n.f
	}
	e.Op = capture.IndexOf[op]
	return e, f, n.there()
}

// readIndex is that of what most calls do.
var readIndex = capture.IndexOf[trace.Read]

// opened is what opening a file that is there does to it; empty if it fails.
func opened(l looked, flags uint64) trace.Op {
	writes, cuts := flags&unix.O_ACCMODE != unix.O_RDONLY, flags&unix.O_TRUNC != 0
	folder := l.state.Is == trace.IsFolder
	switch {
	case flags&unix.O_EXCL != 0 && flags&unix.O_CREAT != 0, l.state.Is == trace.IsLink:
		return ""
	case folder && (writes || cuts || flags&unix.O_CREAT != 0), !folder && flags&unix.O_DIRECTORY != 0:
		return ""
	case !writes && !l.readable, flags&unix.O_ACCMODE == unix.O_RDWR && !l.readable, (writes || cuts) && !l.writable:
		return ""
	case folder:
		return trace.List
	case cuts:
		return trace.Replace
	case !writes:
		return trace.Read
	case flags&unix.O_APPEND != 0:
		return trace.Append
	}
	return trace.Update
}

// readToo is shared by all records that it describes.
var readToo = capture.More{What: trace.BothWays}

// bothWays describes an opening for writing that is for reading too.
func bothWays(op trace.Op, flags uint64) string {
	if flags&unix.O_ACCMODE == unix.O_RDWR && (op == trace.Update || op == trace.Append) {
		return trace.BothWays
	}
	return ""
}

// slow observes any call.
func (s *supervisor) slow(n *companion.Notification, h *inHand) {
	c := callOf(n.Arch, n.Nr)
	w := &work{n: n, h: h, c: c, at: h.at, tid: int(n.TID)}
	if int(s.launcher.Load()) == w.tid { // its only thread
		if c.act == actRun {
			s.launcher.Store(0)
			if name, ok := s.text(n, n.Args[c.path]); ok { // an absolute path
				h.letContinue()
				s.noteRights(name, name)
			}
		}
		return
	}
	open, exec := s.caller(w)
	if exec != nil && exec != open { // by another thread, which has become this one if it could
		s.conclude(exec, !exec.within(w.at))
	}
	if open != nil {
		s.conclude(open, true)
	}
	if open != nil || exec != nil {
		s.caller(w) // it may be another program now
	}
	switch c.act {
	case actRefuse:
		s.r.Gap("io_uring was refused, as if the kernel had none: what programs do through it cannot be observed")
		h.refuse()
	case actHandle:
		s.r.Gap("a file was opened by a handle instead of a path: it is not known which")
	case actRoot:
		s.concludeAll()
		s.ps.Moved(w.p) // looked up at the next call, once this one has gone on
		s.ps.Moves.Add(1)
	case actChdir:
		s.ps.Mu.Lock()
		w.p.Chdirs++
		s.ps.Mu.Unlock()
	case actHandler:
		s.handler(n)
	case actFilter:
		s.filters(w)
	default:
		s.paths(w)
	}
}

// caller finds out who calls, and returns what that thread, and its process by executing,
// has changed as far as is not known yet.
func (s *supervisor) caller(w *work) (open, exec *change) {
	w.th = s.ps.Thread(w.tid)
	s.ps.Mu.Lock()
	defer s.ps.Mu.Unlock()
	w.p = w.th.Process
	w.view, w.uid, w.number, w.moves = w.p.View, w.p.UID, w.p.N, s.ps.Moves.Load()
	open, _ = w.th.Change.(*change)
	exec, _ = w.p.Exec.(*change)
	return open, exec
}

// paths observes a call that names paths.
func (s *supervisor) paths(w *work) {
	var flags uint64
	if w.c.flags >= 0 {
		flags = w.n.Args[w.c.flags]
	}
	text, ok := s.name(w, w.c.path)
	if !ok {
		return
	}
	second, ok := "", true
	if w.c.path2 >= 0 {
		if second, ok = s.name(w, w.c.path2); !ok {
			return
		}
	}
	switch w.c.act {
	case actOpen, actOpen2, actRun:
	default:
		s.guard()
	}
	switch w.c.act {
	case actOpen:
		s.open(w, text, flags, 0)
	case actOpen2:
		var how [24]byte // struct open_how: flags, mode, resolve
		if s.read(w.n, w.n.Args[w.c.flags], how[:]) == len(how) {
			s.open(w, text, binary.NativeEndian.Uint64(how[:]), binary.NativeEndian.Uint64(how[16:]))
		}
	case actCreat:
		s.open(w, text, unix.O_WRONLY|unix.O_CREAT|unix.O_TRUNC, 0)
	case actNode:
		s.make(w, trace.Create, text)
	case actFolder:
		s.make(w, trace.MakeFolder, text)
	case actSymlink:
		s.make(w, trace.Symlink, text)
	case actRemove:
		op := trace.Remove
		if flags&unix.AT_REMOVEDIR != 0 {
			op = trace.RemoveFolder
		}
		s.remove(w, op, text)
	case actRmdir:
		s.remove(w, trace.RemoveFolder, text)
	case actRename:
		s.rename(w, text, second, flags)
	case actLink:
		s.link(w, text, second, flags)
	case actCut:
		s.cut(w, text)
	case actRun:
		s.execute(w, text, flags)
	}
}

// open observes an opening. resolve is that of openat2(2).
func (s *supervisor) open(w *work, text string, flags, resolve uint64) {
	if flags&unix.O_PATH != 0 || flags&unix.O_TMPFILE == unix.O_TMPFILE || text == "" {
		return // nothing is opened, or a file without a name
	}
	if flags&(unix.O_ACCMODE|unix.O_CREAT|unix.O_TRUNC) != unix.O_RDONLY {
		s.guard()
	}
	creates := flags&unix.O_CREAT != 0
	exclusive := creates && flags&unix.O_EXCL != 0
	follow := flags&unix.O_NOFOLLOW == 0 && resolve&unix.RESOLVE_NO_SYMLINKS == 0 && !exclusive
	t, err := s.find(w, w.c.dir, text, follow, resolve)
	if t == nil {
		return
	}
	if err != nil || !t.there() {
		if err != nil || !creates || t.folder || exclusive && t.state.Is == trace.IsLink {
			s.missed(w, t)
			return
		}
		s.opensForWriting(w.p, flags&unix.O_ACCMODE != unix.O_RDONLY)
		s.change(w, &change{op: trace.Create, from: t})
		return
	}
	op := opened(t.looked, flags)
	if t.folder && t.state.Is != trace.IsFolder {
		op = ""
	}
	changes := op == trace.Replace || op == trace.Append || op == trace.Update
	if changes {
		s.opensForWriting(w.p, flags&unix.O_ACCMODE != unix.O_RDONLY)
		s.beforeWriting(w, t)
	}
	f := s.declared(t, w.at)
	if resolve == 0 && follow {
		s.remember(w, text, t)
	}
	if w.h.letContinue() && op != "" {
		s.event(w.at, w.number, op, f, nil, bothWays(op, flags), changes)
	}
}

// remember notes what a name led to, for when it is used again.
func (s *supervisor) remember(w *work, text string, t *target) {
	if len(text) >= quickText {
		return
	}
	s.ps.Mu.Lock()
	defer s.ps.Mu.Unlock()
	b := w.view.Top
	if text[0] != '/' {
		if w.c.dir >= 0 && int32(w.n.Args[w.c.dir]) != atCWD || w.th.Folder == nil {
			return
		}
		b = w.th.Folder
	}
	if strings.HasPrefix(text, "/proc/") || strings.HasPrefix(text, "/dev/") || strings.HasPrefix(b.Folder, "/proc") {
		return // what it means is each program's own
	}
	s.recent.put(text, b, t.name, w.moves, w.at)
}

// make observes the making of a name.
func (s *supervisor) make(w *work, op trace.Op, text string) {
	t, err := s.find(w, w.c.dir, text, false, 0)
	if t == nil || err != nil || t.there() {
		return // it fails
	}
	s.change(w, &change{op: op, from: t})
}

func (s *supervisor) remove(w *work, op trace.Op, text string) {
	t, err := s.find(w, w.c.dir, text, false, 0)
	if t == nil || err != nil || !t.there() || (op == trace.RemoveFolder) != (t.state.Is == trace.IsFolder) ||
		t.folder && t.state.Is != trace.IsFolder {
		return
	}
	s.kept.StopIfRemoved(t.name.path, op == trace.RemoveFolder)
	then := s.beforeMoving(w, t)
	s.change(w, &change{op: op, from: t})
	then()
}

func (s *supervisor) rename(w *work, text, second string, flags uint64) {
	from, err1 := s.find(w, w.c.dir, text, false, 0)
	to, err2 := s.find(w, w.c.dir2, second, false, 0)
	exchange := flags&unix.RENAME_EXCHANGE != 0
	switch {
	case from == nil && to == nil:
		return
	case from == nil || to == nil:
		s.acrossViews(w, from, to)
		return
	case err1 != nil || err2 != nil || !from.there() || exchange && !to.there():
		return
	case to.there() && (flags&unix.RENAME_NOREPLACE != 0 || from.inode == to.inode):
		return
	case to.there() && !exchange && (from.state.Is == trace.IsFolder) != (to.state.Is == trace.IsFolder):
		return
	case from.inode.device != to.inode.device && to.there():
		return // on another device
	}
	op := trace.Rename
	if exchange {
		op = trace.Exchange
	}
	one, two := s.beforeMoving(w, from), s.beforeMoving(w, to)
	s.change(w, &change{op: op, from: from, to: to})
	one()
	two()
}

// acrossViews observes a rename of which only one end is on the host.
func (s *supervisor) acrossViews(w *work, from, to *target) {
	if from != nil && from.there() {
		s.change(w, &change{op: trace.Remove, from: from})
	} else if to != nil && !to.there() {
		s.change(w, &change{op: trace.Create, from: to})
	}
}

func (s *supervisor) link(w *work, text, second string, flags uint64) {
	to, err := s.find(w, w.c.dir2, second, false, 0)
	if to == nil || err != nil || to.there() {
		return
	}
	if unnamed, is := s.withoutName(w, text, flags); is {
		if unnamed {
			s.change(w, &change{op: trace.Create, from: to, what: "written before it had a name"})
			return
		}
		text = "/proc/self/fd/" + strconv.Itoa(int(int32(w.n.Args[w.c.dir])))
		flags |= unix.AT_SYMLINK_FOLLOW
	}
	from, err := s.find(w, w.c.dir, text, flags&unix.AT_SYMLINK_FOLLOW != 0, 0)
	if from == nil || err != nil || !from.there() || from.state.Is == trace.IsFolder {
		return
	}
	s.change(w, &change{op: trace.Link, from: from, to: to})
}

// withoutName reports whether a link is made to an open file (is), and whether that file
// has no name yet: one that was opened with O_TMPFILE.
func (s *supervisor) withoutName(w *work, text string, flags uint64) (unnamed, is bool) {
	at := ""
	switch {
	case text == "" && flags&unix.AT_EMPTY_PATH != 0 && w.c.dir >= 0:
		at = "/proc/" + strconv.Itoa(w.tid) + "/fd/" + strconv.Itoa(int(int32(w.n.Args[w.c.dir])))
	case strings.HasPrefix(text, "/proc/self/fd/"):
		at = "/proc/" + strconv.Itoa(w.p.PID) + strings.TrimPrefix(text, "/proc/self")
	case strings.HasPrefix(text, "/dev/fd/"):
		at = "/proc/" + strconv.Itoa(w.p.PID) + strings.TrimPrefix(text, "/dev")
	default:
		return false, false
	}
	to, err := os.Readlink(at)
	return err == nil && strings.HasSuffix(to, " (deleted)"), text == "" || err == nil && strings.HasSuffix(to, " (deleted)")
}

func (s *supervisor) cut(w *work, text string) {
	t, err := s.find(w, w.c.dir, text, true, 0)
	switch {
	case t == nil:
	case err != nil || !t.there():
		s.missed(w, t)
	case t.state.Is == trace.IsFile && t.writable:
		s.beforeWriting(w, t)
		f := s.declared(t, w.at)
		if w.h.letContinue() {
			s.event(w.at, w.number, trace.Truncate, f, nil, "", true)
		}
	}
}

func (s *supervisor) execute(w *work, text string, flags uint64) {
	if text == "" {
		if flags&unix.AT_EMPTY_PATH == 0 {
			return
		}
		text = "/proc/self/fd/" + strconv.Itoa(int(int32(w.n.Args[w.c.dir])))
	}
	t, err := s.find(w, w.c.dir, text, flags&unix.AT_SYMLINK_NOFOLLOW == 0, 0)
	if t == nil { // such as a file in memory alone
		s.ps.Mu.Lock()
		w.p.Stale = true
		s.ps.Mu.Unlock()
		return
	}
	if err != nil || !t.there() {
		s.missed(w, t)
		return
	}
	if t.state.Is != trace.IsFile && t.state.Is != trace.IsOther ||
		unix.Faccessat(unix.AT_FDCWD, t.probe, unix.X_OK, unix.AT_EACCESS) != nil {
		return
	}
	s.noteRights(t.probe, t.name.path)
	s.change(w, &change{op: trace.Run, from: t})
}

// change lets a call go on that may change something.
func (s *supervisor) change(w *work, c *change) {
	s.declared(c.from, w.at)
	if c.to != nil {
		s.declared(c.to, w.at)
	}
	s.begin(w, c)
	if !w.h.letContinue() { // its caller was killed before
		s.conclude(c, true)
	}
}

// missed records a name that was not there.
func (s *supervisor) missed(w *work, t *target) {
	if t.name == nil {
		return
	}
	if t.state.Is == "" {
		t.state.Is = trace.IsAbsent
	}
	f := s.declared(t, w.at)
	if w.h.letContinue() {
		s.event(w.at, w.number, trace.Missed, f, nil, "", false)
	}
}

// find finds the file that a path in an argument means; nil if it has no name on the
// host. The error is that of the way to it.
func (s *supervisor) find(w *work, dir int8, text string, follow bool, resolve uint64) (*target, error) {
	descriptor := atCWD
	if dir >= 0 {
		descriptor = int32(w.n.Args[dir])
	}
	from := ""
	if text == "" {
		return nil, nil // the call fails
	}
	if text[0] != '/' || resolve&unix.RESOLVE_IN_ROOT != 0 {
		var err error
		if from, err = s.folderOf(w, descriptor); err != nil {
			return nil, nil
		}
	}
	if resolve&(unix.RESOLVE_IN_ROOT|unix.RESOLVE_BENEATH) != 0 {
		var ok bool
		if text, ok = s.scoped(w, from, text, descriptor, resolve); !ok {
			return nil, nil
		}
	}
	t, err := s.lookup(w, from, text, follow)
	if err == errNowhere {
		return nil, nil
	}
	return t, err
}

// scoped is a path that openat2(2) confines to a folder, without links on the way, as the
// view has it. ok is false if it leads out where that is refused.
func (s *supervisor) scoped(w *work, from, text string, descriptor int32, resolve uint64) (string, bool) {
	link := "/proc/" + strconv.Itoa(w.tid) + "/cwd"
	if descriptor != atCWD {
		link = "/proc/" + strconv.Itoa(w.tid) + "/fd/" + strconv.Itoa(int(descriptor))
	}
	root, err := unix.Open(link, unix.O_PATH|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	if err != nil {
		return "", false
	}
	defer unix.Close(root)
	dir, last := splitLast(text)
	resolved, err := followedScoped(root, dir, resolve)
	if err != nil {
		return "", false
	}
	if last != "" { // a link at the end counts from the folder too
		if full, err := followedScoped(root, text, resolve); err == nil {
			return w.view.Inside(full), true
		}
		resolved = strings.TrimSuffix(resolved, "/") + "/" + last
	}
	return w.view.Inside(resolved), true
}

// splitLast cuts the last name off a path.
func splitLast(text string) (dir, last string) {
	trimmed := strings.TrimRight(text, "/")
	i := strings.LastIndexByte(trimmed, '/')
	dir, last = trimmed[:i+1], trimmed[i+1:]
	if last == ".." || last == "." {
		return text, ""
	}
	if dir == "" {
		dir = "."
	}
	return dir, last
}

func followedScoped(root int, name string, resolve uint64) (string, error) {
	fd, err := unix.Openat2(
		root, name,
		&unix.OpenHow{Flags: unix.O_PATH | unix.O_CLOEXEC, Resolve: resolve & (unix.RESOLVE_IN_ROOT | unix.RESOLVE_BENEATH)},
	)
	if err != nil {
		return "", err
	}
	defer unix.Close(fd)
	return processes.PathOf(fd)
}

// declared is the file of a target in the trace, as it was found by a call at a time.
func (s *supervisor) declared(t *target, at time.Duration) *capture.File {
	s.ps.Mu.Lock()
	f := t.name.f
	s.ps.Mu.Unlock()
	if f == nil {
		state := t.state
		f = s.r.FileAt(t.name.path, state, at)
		s.ps.Mu.Lock()
		t.name.f, t.name.number = f, int32(f.N)
		s.ps.Mu.Unlock()
	}
	if t.reached != "" {
		s.r.ReachedAs(f, t.reached)
	}
	return f
}

// event records what was done to a file, and that its later state has to be looked at.
func (s *supervisor) event(at time.Duration, process int, op trace.Op, f, to *capture.File, what string, changes bool) {
	e := trace.Event{At: at, Process: process, Op: op, File: f.N, What: what}
	if to != nil {
		e.To = to.N
	}
	s.r.RecordCall(e, f, to, changes)
}

// opensForWriting notes a process whose descriptors are worth a look.
func (s *supervisor) opensForWriting(p *processes.Process, writes bool) {
	s.ps.Mu.Lock()
	first := writes && !p.Writes
	p.Writes = p.Writes || writes
	holds := &capture.Holder{N: p.N, Writes: true}
	s.ps.Mu.Unlock()
	if first {
		s.r.Mu.Lock()
		s.r.Running[p.PID] = holds
		s.r.Mu.Unlock()
	}
}

// name reads the path in an argument.
func (s *supervisor) name(w *work, arg int8) (string, bool) {
	if arg == w.c.path && w.h.text != "" {
		return w.h.text, s.l.Valid(w.n.ID)
	}
	text, ok := s.text(w.n, w.n.Args[arg])
	if ok {
		return text, true
	}
	switch {
	case !s.l.Valid(w.n.ID): // its thread was killed
		return "", false
	case !mayRead(w.tid):
		s.hidden(w)
		return "", false
	}
	s.r.Gap("a path could not be read from the program's memory")
	return "", false
}

// hidden says that a program does not let others look into its memory.
func (s *supervisor) hidden(w *work) {
	s.ps.Mu.Lock()
	known, exe := w.p.Hidden, w.p.Exe
	w.p.Hidden = true
	s.ps.Mu.Unlock()
	what := exe + " lets no other program of this user look into its memory, as it is not dumpable: " +
		"what it opened was not seen. Root sees it: sudo endroit trace, or endroit trace --system"
	if !known {
		s.hiding.Add(1)
	}
	s.r.Gap(what)
}

// mayRead reports whether this process may read a thread's memory at all.
func mayRead(tid int) bool {
	_, err := os.Readlink("/proc/" + strconv.Itoa(tid) + "/exe")
	return err == nil || !os.IsPermission(err)
}

const page = 4096

// quickText is the length of the paths of which something is remembered.
const quickText = 256

// text reads a NUL-terminated text from the caller's memory.
func (s *supervisor) text(n *companion.Notification, at uint64) (string, bool) {
	var memory [unix.PathMax]byte
	text, ok := s.textInto(n, at, memory[:])
	if text == nil {
		return "", ok // if it is too long, the kernel refuses the call too
	}
	return string(text), s.l.Valid(n.ID)
}

// textInto reads a NUL-terminated text, nil if it is longer than what it is read into:
// from one page at a time, as the next one may not be there.
func (s *supervisor) textInto(n *companion.Notification, at uint64, into []byte) (text []byte, ok bool) {
	for have := 0; have < len(into); {
		got := s.read(n, at, into[have:min(have+page-int(at%page), len(into))])
		if got <= 0 {
			return nil, false
		}
		if end := bytes.IndexByte(into[have:have+got], 0); end >= 0 {
			return into[:have+end], true
		}
		have += got
		at += uint64(got)
	}
	return nil, true
}

// read copies from the caller's memory: process_vm_readv(2).
func (s *supervisor) read(n *companion.Notification, at uint64, into []byte) int {
	local := unix.Iovec{Base: &into[0], Len: uint64(len(into))}
	remote := unix.RemoteIovec{Base: uintptr(at), Len: len(into)}
	got, _, errno := syscall.RawSyscall6(
		unix.SYS_PROCESS_VM_READV, uintptr(n.TID), uintptr(unsafe.Pointer(&local)), 1,
		uintptr(unsafe.Pointer(&remote)), 1, 0,
	)
	if errno != 0 {
		return -1
	}
	return int(got)
}
