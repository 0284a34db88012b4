//go:build amd64 || arm64

package system

import (
	"bytes"
	"context"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"os"
	"os/user"
	"path"
	"path/filepath"
	"strconv"
	"strings"
	"sync/atomic"
	"time"

	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/capture/cues"
	"endroit/capture/processes"
	"endroit/capture/sampling"
	"endroit/capture/versions"
	"endroit/core/trace"
)

// Options say what to observe of the whole machine.
type Options struct {
	Process string // only programs of this name, and what they start
	PID     int    // only this process, and what it starts
	Under   string // only files in this folder; absolute, without links on the way
	// Header as Options'; User and Env are those of the person, not of root.
	Header    trace.Header
	Out       io.Writer
	Path      string
	Versions  versions.Options // at cues and at the end: what files held before is not known
	CueFolder string
	Notice    func(text string)
	// Ready is called once what happens is seen.
	Ready func()
	// Behalf are the rights by which files are read and versions are kept: those of the
	// person who gets the trace. nil are root's.
	Behalf *capture.Rights
}

// systemMask is what the kernel is asked to tell (fanotify_mark(2)).
const systemMask = unix.FAN_OPEN | unix.FAN_OPEN_EXEC | unix.FAN_MODIFY | unix.FAN_CLOSE_WRITE |
	unix.FAN_CREATE | unix.FAN_DELETE | unix.FAN_RENAME | unix.FAN_ONDIR

// Run observes programs that somebody else starts, on all file systems of this
// machine, as root. It returns when ctx ends, or when the programs that were asked for
// have come and gone. The error wraps ErrUnsupported where the kernel does not allow it.
func Run(ctx context.Context, o Options) (capture.Result, error) {
	if !capture.KernelAtLeast(5, 17) {
		return capture.Result{}, fmt.Errorf("%w: observing the system needs Linux 5.17 or later", capture.ErrUnsupported)
	}
	fd, err := unix.FanotifyInit(
		unix.FAN_CLASS_NOTIF|unix.FAN_REPORT_DFID_NAME_TARGET|unix.FAN_CLOEXEC|unix.FAN_NONBLOCK,
		unix.O_RDONLY|unix.O_LARGEFILE|unix.O_CLOEXEC,
	)
	if err != nil {
		if errors.Is(err, unix.EPERM) {
			err = errors.New("this needs root (CAP_SYS_ADMIN), such as by sudo")
		}
		return capture.Result{}, fmt.Errorf("%w: %w", capture.ErrUnsupported, err)
	}
	capture.Behalf.Store(o.Behalf)
	defer capture.Behalf.Store(nil)
	start := time.Now()
	header := systemHeader(o, start)
	w, err := trace.NewWriter(o.Out, header)
	if err != nil {
		_ = unix.Close(fd)
		return capture.Result{}, err
	}
	r := capture.NewRecorder(start)
	r.Begin(w)
	s := &system{
		o:       o,
		r:       r,
		header:  header,
		fd:      fd,
		ps:      processes.NewTable(r, header.Env, nil),
		mounts:  map[fsid]int{},
		folders: map[string]string{},
		wanted:  map[int]*asked{},
		pending: map[visit]time.Duration{},
		writing: map[visit]bool{},
		self:    os.Getpid(),
		kept:    versions.New(r, o.Versions),
	}
	defer s.close()
	if err := s.watchMounts(); err != nil {
		_, _, _ = r.Close()
		return capture.Result{}, err
	}
	r.Gap("what files held before, and whether opening them failed, cannot be seen while the whole system is observed")
	s.looks = sampling.New(r, header, s.kept)
	if o.Under != "" {
		s.looks.Roots = append(s.looks.Roots, o.Under)
	}
	s.before = capture.ScanFolders(append(s.looks.ServiceFolders(), s.also()...), 0, systemBefore)
	if home := header.Env["HOME"]; home != "" {
		s.before.Walk(home, 0, homeDepth, systemBefore, nil)
	}
	cues, err := cues.Listen(o.CueFolder, &cues.Run{Recorder: r, Sampler: s.looks, Header: header, Path: o.Path})
	if err != nil {
		r.Gap("cues could not be received: " + versions.Reason(err))
	}
	if o.PID != 0 {
		s.ask(o.PID, 0) // it may have ended before its events are read
	}
	if o.Ready != nil {
		o.Ready()
	}
	stop, looked := make(chan struct{}), make(chan struct{})
	h := processes.NewOpenFilePositions(r, s.looks.Covers)
	go func() { defer close(looked); s.looks.Run(stop, h.Poll) }()
	s.run(ctx)
	cues.Close()
	close(stop)
	<-looked
	s.settle(0)
	if n := s.unnamed; n > 0 {
		r.GapTimes("the folder of a file had gone before its path could be found", n)
	}
	if n := s.nobody; n > 0 {
		r.GapTimes("a program had ended before it could be told whether it was meant: what it did is left out", n)
	}
	s.looks.Finish()
	end, gaps, err := r.Close()
	return capture.Result{Header: header, End: end, Gaps: gaps, Changed: r.Changes(), Processes: r.Processes()}, err
}

// systemBefore is how many files are looked at beforehand, for their size and time.
const (
	systemBefore = 100_000
	homeDepth    = 3
)

func systemHeader(o Options, start time.Time) trace.Header {
	me := o.Header.User
	env := o.Header.Env
	h := capture.FillHeader(o.Header, nil, "", start)
	h.Observer, h.Install = trace.BySystem, o.Header.Install
	if me != "" {
		h.User = me
	}
	if env != nil {
		h.Env = env
	}
	switch {
	case o.PID != 0:
		h.Command = []string{"process " + strconv.Itoa(o.PID)}
	case o.Process != "":
		h.Command = []string{"programs called " + o.Process}
	}
	if o.Under != "" {
		h.Command = append(h.Command, "files in "+o.Under)
	}
	return h
}

// system is one observation of the machine. Its loop owns all fields but alive.
type system struct {
	o       Options
	r       *capture.Recorder
	header  trace.Header
	fd      int
	ps      *processes.Table
	looks   *sampling.Sampler
	kept    *versions.Keeper
	before  *capture.Tree
	mounts  map[fsid]int      // a descriptor on each file system
	folders map[string]string // paths by file system and handle
	wanted  map[int]*asked    // what is known of processes
	pending map[visit]time.Duration
	writing map[visit]bool
	self    int
	rename  *renaming // the last one, if it may be half of an exchange
	unnamed int
	nobody  int
	seen    atomic.Bool // a program that was asked for came
}

type fsid [8]byte

// asked is whether a process is one that was asked for.
type asked struct {
	yes  bool
	born uint64
	at   time.Duration
}

// visit is a file in the hands of a process.
type visit struct{ file, process int }

func (s *system) close() {
	_ = unix.Close(s.fd)
	for _, fd := range s.mounts {
		_ = unix.Close(fd)
	}
}

// also are folders to look at beforehand.
func (s *system) also() (list []string) {
	for _, f := range []string{s.o.Under, s.header.Install} {
		if f != "" {
			list = append(list, f)
		}
	}
	if s.header.Prefix != nil {
		list = append(list, filepath.Join(s.header.Prefix.Folder, "drive_c", "users"))
	}
	return list
}

// kernels are file systems that hold no files of a game.
var kernels = map[string]bool{
	"proc":        true,
	"sysfs":       true,
	"cgroup":      true,
	"cgroup2":     true,
	"devpts":      true,
	"devtmpfs":    true,
	"debugfs":     true,
	"tracefs":     true,
	"securityfs":  true,
	"pstore":      true,
	"bpf":         true,
	"mqueue":      true,
	"hugetlbfs":   true,
	"configfs":    true,
	"efivarfs":    true,
	"binfmt_misc": true,
	"autofs":      true,
	"nsfs":        true,
	"rpc_pipefs":  true,
	"fusectl":     true,
}

// watchMounts asks for the events of every file system that is mounted.
func (s *system) watchMounts() error {
	marked := 0
	for _, m := range processes.ReadMounts("self") {
		point := m.Point
		if kernels[m.Kind] {
			continue
		}
		if s.o.Under != "" && !trace.Within(s.o.Under, point) && !trace.Within(point, s.o.Under) {
			continue
		}
		var st unix.Statfs_t
		if unix.Statfs(point, &st) != nil {
			continue
		}
		id := fsid(binary.NativeEndian.AppendUint32(
			binary.NativeEndian.AppendUint32(nil, uint32(st.Fsid.Val[0])),
			uint32(st.Fsid.Val[1]),
		))
		if _, known := s.mounts[id]; known {
			continue
		}
		if err := unix.FanotifyMark(
			s.fd, unix.FAN_MARK_ADD|unix.FAN_MARK_FILESYSTEM, systemMask, unix.AT_FDCWD, point,
		); err != nil {
			if !errors.Is(err, unix.EACCES) {
				s.r.Gap(fmt.Sprintf(
					"the file system of the kind %s cannot be observed as a whole (%v): what happened on it was not observed",
					m.Kind, err,
				))
			}
			continue
		}
		fd, err := unix.Open(point, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
		if err != nil {
			continue
		}
		s.mounts[id] = fd
		marked++
	}
	if marked == 0 {
		return fmt.Errorf("%w: no file system here supports fanotify", capture.ErrUnsupported)
	}
	return nil
}

// run reads events until ctx ends or the programs that were asked for have gone.
func (s *system) run(ctx context.Context) {
	buffer := make([]byte, 256<<10)
	tick := time.NewTicker(sampling.SampleEvery)
	defer tick.Stop()
	gone := 0
	for {
		fds := []unix.PollFd{{Fd: int32(s.fd), Events: unix.POLLIN}}
		if _, err := unix.Poll(fds, int(sampling.SampleEvery/time.Millisecond)/2); err != nil && !errors.Is(err, unix.EINTR) {
			s.r.Gap("the kernel reported nothing more: " + err.Error())
			return
		}
		for range 64 { // then a look at what else there is to do
			n, err := unix.Read(s.fd, buffer)
			if err != nil || n <= 0 {
				break
			}
			s.events(buffer[:n])
		}
		select {
		case <-ctx.Done():
			for { // what was queued by now
				n, err := unix.Read(s.fd, buffer)
				if err != nil || n <= 0 {
					return
				}
				s.events(buffer[:n])
			}
		case <-tick.C:
			s.settle(time.Second)
			if s.seen.Load() && !s.anyLeft() {
				gone++
			} else {
				gone = 0
			}
			if gone >= goneTicks {
				s.say("the programs that were asked for have ended")
				return
			}
		default:
		}
	}
}

// goneTicks is how many looks in a row find none of the programs left before the
// observation ends: a starter may end before the game begins.
const goneTicks = 6

func (s *system) say(text string) {
	if s.o.Notice != nil {
		s.o.Notice(text)
	}
}

// anyLeft reports whether a program that was asked for still runs.
func (s *system) anyLeft() bool {
	if s.o.PID == 0 && s.o.Process == "" {
		return true
	}
	for pid, a := range s.wanted {
		if a.yes && processes.StartTime(pid) == a.born {
			return true
		}
	}
	return false
}

// The layout of struct fanotify_event_metadata and of the records behind it
// (fanotify(7)).
const (
	metadataSize = 24
	infoSize     = 4
	handleHead   = 8
)

// entry is a file as an event names it: a folder's handle and a name.
type entry struct {
	id     fsid
	kind   int32
	handle []byte
	name   []byte
}

// events takes a buffer of whole events.
func (s *system) events(b []byte) {
	e := binary.NativeEndian
	for len(b) >= metadataSize {
		size := int(e.Uint32(b))
		if size < metadataSize || size > len(b) {
			s.r.Gap("the kernel's events could not be read")
			return
		}
		mask, pid := e.Uint64(b[8:]), int(int32(e.Uint32(b[20:])))
		if fd := int32(e.Uint32(b[16:])); fd >= 0 {
			_ = unix.Close(int(fd))
		}
		if mask&unix.FAN_Q_OVERFLOW != 0 {
			s.r.Gap("events were lost, as there were too many at once for the kernel's queue (fs.fanotify.max_queued_events)")
		} else if pid != s.self && s.isWanted(pid, mask) { // before anything is looked up
			s.event(pid, mask, b[int(e.Uint16(b[6:])):size])
		}
		b = b[size:]
	}
}

// event takes one event with the records that name its file.
func (s *system) event(pid int, mask uint64, info []byte) {
	var of, old, now, target *entry // target is the file itself
	for len(info) >= infoSize {
		kind, size := info[0], int(binary.NativeEndian.Uint16(info[2:]))
		if size < infoSize || size > len(info) {
			break
		}
		if n, ok := parseName(info[infoSize:size]); ok {
			switch kind {
			case unix.FAN_EVENT_INFO_TYPE_DFID_NAME, unix.FAN_EVENT_INFO_TYPE_DFID:
				of = n
			case unix.FAN_EVENT_INFO_TYPE_FID:
				target = n
			case unix.FAN_EVENT_INFO_TYPE_OLD_DFID_NAME:
				old = n
			case unix.FAN_EVENT_INFO_TYPE_NEW_DFID_NAME:
				now = n
			}
		}
		info = info[size:]
	}
	folder := mask&unix.FAN_ONDIR != 0
	if mask&unix.FAN_RENAME == 0 || old == nil || now == nil {
		s.flushRename()
	}
	if mask&unix.FAN_RENAME != 0 && old != nil && now != nil {
		from, ok1 := s.path(old)
		to, ok2 := s.path(now)
		if folder {
			clear(s.folders) // all below have another path now
			if ok2 {
				s.is(target, to)
			}
		}
		if ok1 && ok2 && (s.under(from) || s.under(to)) {
			s.held(&renaming{s.process(pid), from, to, folder, s.r.Now()})
		}
		return
	}
	if of == nil {
		return
	}
	name, ok := s.path(of)
	switch {
	case folder && mask&unix.FAN_DELETE != 0:
		clear(s.folders)
	case folder && mask&unix.FAN_CREATE != 0 && ok:
		s.is(target, name) // asked for later, it could have another name already
	}
	if !ok {
		s.unnamed++
		return
	}
	if s.under(name) {
		s.did(s.process(pid), name, mask, folder)
	}
}

// is remembers the path of a folder.
func (s *system) is(folder *entry, name string) {
	if folder != nil {
		s.folders[folder.key()] = name
	}
}

func (s *system) under(name string) bool {
	return (s.o.Under == "" || trace.Within(name, s.o.Under)) && name != s.o.Path &&
		!(s.o.Versions.Folder != "" && trace.Within(name, s.o.Versions.Folder))
}

func parseName(b []byte) (*entry, bool) {
	if len(b) < 8+handleHead {
		return nil, false
	}
	size := int(binary.NativeEndian.Uint32(b[8:]))
	if size > 128 || len(b) < 8+handleHead+size { // MAX_HANDLE_SZ
		return nil, false
	}
	n := &entry{id: fsid(b[:8]), kind: int32(binary.NativeEndian.Uint32(b[12:])), handle: b[16 : 16+size]}
	n.name, _, _ = bytes.Cut(b[16+size:], []byte{0})
	return n, true
}

func (n *entry) key() string {
	return string(n.id[:]) + string(binary.NativeEndian.AppendUint32(nil, uint32(n.kind))) + string(n.handle)
}

// foldersKept bounds the memory for paths of folders.
const foldersKept = 50_000

// path finds the path of a file by its folder's handle. Folders are remembered.
func (s *system) path(n *entry) (string, bool) {
	key := n.key()
	dir, known := s.folders[key]
	if !known {
		mount, ok := s.mounts[n.id]
		if !ok {
			return "", false
		}
		fd, err := unix.OpenByHandleAt(mount, unix.NewFileHandle(n.kind, n.handle), unix.O_PATH|unix.O_CLOEXEC)
		if err != nil {
			return "", false
		}
		dir, err = os.Readlink("/proc/self/fd/" + strconv.Itoa(fd))
		_ = unix.Close(fd)
		if err != nil || !strings.HasPrefix(dir, "/") || strings.HasSuffix(dir, " (deleted)") {
			return "", false
		}
		if len(s.folders) >= foldersKept {
			clear(s.folders)
		}
		s.folders[key] = dir
	}
	if len(n.name) == 0 || string(n.name) == "." {
		return dir, true
	}
	return strings.TrimSuffix(dir, "/") + "/" + string(n.name), true
}

// trustAsked is for how long what is known of a process is not asked again: process
// ids are used again.
const trustAsked = 2 * time.Second

// isWanted reports whether what a process does is asked for.
func (s *system) isWanted(pid int, mask uint64) bool {
	if pid <= 0 {
		return false
	}
	a := s.wanted[pid]
	if a != nil && mask&unix.FAN_OPEN_EXEC == 0 {
		now := s.r.Now()
		if now-a.at < trustAsked {
			return a.yes
		}
		if born := processes.StartTime(pid); born == a.born || born == 0 { // the same, or it has just ended
			a.at = now
			return a.yes
		}
	}
	was := a != nil && a.yes && processes.StartTime(pid) == a.born
	yes := was || s.ask(pid, 0)
	if p := s.ps.ByPID[pid]; p != nil && yes && mask&unix.FAN_OPEN_EXEC != 0 {
		p.Stale = true
	}
	return yes
}

// ask finds out whether a process is asked for: itself, or one that started it.
func (s *system) ask(pid, depth int) bool {
	born := processes.StartTime(pid)
	a := &asked{born: born, at: s.r.Now()}
	if s.o.PID == 0 && s.o.Process == "" {
		a.yes = true
	} else if born != 0 {
		parent := processes.FactsOf(pid).Parent
		a.yes = pid == s.o.PID || s.o.Process != "" && called(pid, s.o.Process)
		// The server of the prefix opens files for the programs in it.
		a.yes = a.yes || s.header.Prefix != nil && (called(pid, "wineserver") || called(pid, "wineserver64"))
		if !a.yes && parent > 1 && depth < 64 && parent != s.self {
			if p := s.wanted[parent]; p != nil && p.born == processes.StartTime(parent) {
				a.yes = p.yes
			} else {
				a.yes = s.ask(parent, depth+1)
			}
		}
	} else if s.wanted[pid] == nil {
		s.nobody++
	}
	if len(s.wanted) > 100_000 {
		clear(s.wanted)
	}
	s.wanted[pid] = a
	if a.yes {
		s.seen.Store(true)
	}
	return a.yes
}

// called reports whether a process runs a program of this name: its file's, or the
// first argument's, as Wine sets it, with or without its extension.
func called(pid int, name string) bool {
	dir := "/proc/" + strconv.Itoa(pid)
	is := func(found string) bool {
		found = path.Base(strings.ReplaceAll(strings.TrimSuffix(found, " (deleted)"), `\`, "/"))
		return found == name ||
			strings.EqualFold(
				strings.TrimSuffix(strings.ToLower(found), ".exe"),
				strings.TrimSuffix(strings.ToLower(name), ".exe"),
			)
	}
	if exe, err := os.Readlink(dir + "/exe"); err == nil && is(exe) {
		return true
	}
	args := processes.NulSeparated(dir + "/cmdline")
	return len(args) > 0 && is(args[0])
}

func (s *system) process(pid int) *processes.Process { return s.ps.Of(pid) }

// file finds a path's number. created says that it was not there before, written that
// what it was can no longer be seen.
func (s *system) file(name string, created, written bool) *capture.File {
	if f := s.r.Known(name); f != nil {
		return f
	}
	state := trace.State{Is: trace.IsAbsent}
	if !created {
		if info, known := s.before.Entries[name]; known {
			state = capture.StateOfInfo(info)
		} else if written {
			state.Is = trace.IsFile
		} else if capture.Synthetic(name) {
			state.Is = trace.IsOther
		} else if state = capture.StateOf(name, true); state.Is == trace.IsAbsent {
			state.Is = trace.IsFile // it was opened, so it was there
		}
	}
	f := s.r.File(name, state)
	s.r.SetExists(f, true)
	return f
}

func (s *system) put(p *processes.Process, op trace.Op, f *capture.File, at time.Duration) {
	s.r.Event(trace.Event{At: at, Process: p.N, Op: op, File: f.N})
}

// did records what an event tells. The kernel joins events of one program and one file
// that follow each other, so that the mask can hold several.
func (s *system) did(p *processes.Process, name string, mask uint64, folder bool) {
	now := s.r.Now()
	f := s.file(name, mask&unix.FAN_CREATE != 0, mask&(unix.FAN_MODIFY|unix.FAN_CLOSE_WRITE|unix.FAN_DELETE) != 0)
	v := visit{f.N, p.N}
	has := func(bit uint64) bool { return mask&bit != 0 }
	if folder {
		switch {
		case has(unix.FAN_CREATE):
			s.put(p, trace.MakeFolder, f, now)
			s.r.MarkTouched(f)
		case has(unix.FAN_DELETE):
			s.put(p, trace.RemoveFolder, f, now)
			s.r.MarkTouched(f)
		case has(unix.FAN_OPEN):
			s.put(p, trace.List, f, now)
		}
		return
	}
	if has(unix.FAN_CREATE) {
		op := trace.Create
		if !has(unix.FAN_OPEN|unix.FAN_MODIFY|unix.FAN_CLOSE_WRITE) && capture.StateOf(name, false).Is == trace.IsLink {
			op = trace.Symlink
		}
		s.put(p, op, f, now)
		s.r.MarkTouched(f)
		s.writing[v] = true
	}
	switch {
	case has(unix.FAN_OPEN_EXEC):
		s.put(p, trace.Run, f, now)
	case has(unix.FAN_MODIFY | unix.FAN_CLOSE_WRITE):
		if !s.writing[v] {
			at, opened := s.pending[v]
			if !opened {
				at = now
			}
			s.put(p, trace.Update, f, at)
			s.r.MarkTouched(f)
			s.opensForWriting(p)
			s.writing[v] = true
		}
		delete(s.pending, v)
	case has(unix.FAN_OPEN) && !s.writing[v]:
		if at, twice := s.pending[v]; twice {
			s.put(p, trace.Read, f, at)
		}
		s.pending[v] = now // reading, unless a writing follows
	}
	if has(unix.FAN_CLOSE_WRITE) {
		delete(s.writing, v)
	}
	if has(unix.FAN_DELETE) {
		s.put(p, trace.Remove, f, now)
		s.r.MarkTouched(f)
		delete(s.writing, v)
	}
}

func (s *system) opensForWriting(p *processes.Process) {
	if !p.Writes {
		p.Writes = true
		s.r.Mu.Lock()
		s.r.Running[p.PID] = &capture.Holder{N: p.N, Writes: true}
		s.r.Mu.Unlock()
	}
}

// settle records openings as readings that no writing followed for a while.
func (s *system) settle(after time.Duration) {
	s.flushRename()
	now := s.r.Now()
	for v, at := range s.pending {
		if now-at >= after {
			s.r.Event(trace.Event{At: at, Process: v.process, Op: trace.Read, File: v.file})
			delete(s.pending, v)
		}
	}
}

// renaming is a rename that the kernel reported.
type renaming struct {
	p        *processes.Process
	from, to string
	folder   bool
	at       time.Duration
}

// held keeps a rename until the next event: an exchange is reported as two, there and back.
func (s *system) held(n *renaming) {
	last := s.rename
	if last != nil && last.from == n.to && last.to == n.from && last.p == n.p {
		s.rename = nil
		s.moved(last, trace.Exchange)
		return
	}
	s.flushRename()
	s.rename = n
}

func (s *system) flushRename() {
	if n := s.rename; n != nil {
		s.rename = nil
		s.moved(n, trace.Rename)
	}
}

// moved records a rename or an exchange, and what a folder took along.
func (s *system) moved(n *renaming, op trace.Op) {
	s.two(n, op, n.from, n.to, "")
	if !n.folder {
		return
	}
	for _, f := range s.r.Below(n.from) {
		s.two(n, trace.Rename, f.Path, processes.Rebased(f.Path, n.from, n.to), trace.WithFolder)
	}
}

func (s *system) two(n *renaming, op trace.Op, from, to, what string) {
	f, t := s.file(from, false, true), s.r.Known(to)
	if t == nil {
		state := trace.State{Is: trace.IsAbsent}
		if info := s.before.Entries[to]; info != nil {
			state = capture.StateOfInfo(info)
		}
		t = s.r.File(to, state)
	}
	s.r.RecordCall(trace.Event{At: n.at, Process: n.p.N, Op: op, File: f.N, To: t.N, What: what}, f, t, true)
	s.r.SetExists(t, true)
	s.r.SetExists(f, op == trace.Exchange)
}

// SudoUser is who asked root for something by sudo, with the variables that place
// anchors as far as they are known: HOME alone. ok is false if nobody did.
func SudoUser() (name string, env map[string]string, uid, gid int, ok bool) {
	u, err := user.Lookup(os.Getenv("SUDO_USER"))
	if err != nil || os.Geteuid() != 0 {
		return "", nil, 0, 0, false
	}
	uid, err1 := strconv.Atoi(u.Uid)
	gid, err2 := strconv.Atoi(u.Gid)
	return u.Username, map[string]string{"HOME": u.HomeDir}, uid, gid, err1 == nil && err2 == nil
}
