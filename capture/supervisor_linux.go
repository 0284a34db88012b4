//go:build amd64 || arm64

package capture

import (
	"bytes"
	"encoding/binary"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"runtime"
	"strings"
	"sync/atomic"
	"unsafe"

	"golang.org/x/sys/unix"

	"endroit/core/trace"
)

const atCWD = int32(unix.AT_FDCWD)

// supervisor answers the listener. Its loop owns all fields but the recorder.
type supervisor struct {
	l      *listener
	r      *recorder
	ps     *processes
	memory [unix.PathMax]byte
	busy   atomic.Bool // between receiving a call and answering it
	keeper *keeper     // told which call that is; may be nil
	kept   *keeping    // may be nil
	own    func(path string) bool
	// launcher is our own process that is about to become the command; 0 once it
	// has. What it does is not the command's doing.
	launcher int
}

// run answers until every observed program has ended.
func (s *supervisor) run() {
	runtime.LockOSThread()
	for {
		n, err := s.l.receive()
		if err != nil {
			return
		}
		if n == nil {
			continue
		}
		s.busy.Store(true)
		s.keeper.answering(n.id)
		c, known := callByNumber[numbered{n.arch, uint32(n.nr)}]
		if known {
			s.observe(n, c)
		}
		s.l.answer(n.id, c.act == actRefuse && known)
		s.busy.Store(false)
	}
}

func (s *supervisor) observe(n *notification, c call) {
	tid := int(n.pid)
	if s.launcher != 0 {
		if pid, _ := ownerOf(tid); pid == s.launcher {
			if c.act == actRun {
				s.launcher = 0
				if name, ok := s.text(n, n.args[c.path]); ok { // an absolute path
					s.noteRights(name)
				}
			}
			return
		}
	}
	p := s.ps.of(tid)
	if c.act == actRefuse {
		s.r.gap("io_uring was refused, as if the kernel had none: what is done through it cannot be observed")
		return
	}
	if c.act == actHandle {
		s.r.gap("a file was opened by a handle instead of a path: which it was is not known")
		return
	}
	if c.act == actRoot {
		p.moves = true // looked up at the next call, once this one has gone on
		return
	}
	if p.moves {
		p.moves = false
		p.root = rootOf(p.pid)
		p.space = s.ps.spaceOf(p.pid)
	}
	first, ok := s.path(n, p, c.dir, c.path)
	if !ok {
		return
	}
	var second string
	if c.path2 >= 0 {
		if second, ok = s.path(n, p, c.dir2, c.path2); !ok {
			return
		}
	}
	var flags uint64
	if c.flags >= 0 {
		flags = n.args[c.flags]
	}
	switch c.act {
	case actOpen:
		s.open(p, first, flags)
	case actOpen2:
		var how [8]byte // the first field of struct open_how
		if s.read(n, n.args[c.flags], how[:]) == len(how) {
			s.open(p, first, binary.NativeEndian.Uint64(how[:]))
		}
	case actCreat:
		s.open(p, first, unix.O_WRONLY|unix.O_CREAT|unix.O_TRUNC)
	case actNode:
		s.made(p, trace.Create, first)
	case actFolder:
		s.made(p, trace.MakeFolder, first)
	case actSymlink:
		s.made(p, trace.Symlink, first)
	case actRemove:
		if flags&unix.AT_REMOVEDIR != 0 {
			s.removed(p, trace.RemoveFolder, first)
		} else {
			s.removed(p, trace.Remove, first)
		}
	case actRmdir:
		s.removed(p, trace.RemoveFolder, first)
	case actRename:
		s.renamed(p, first, second, flags)
	case actLink:
		s.two(p, trace.Link, first, second)
	case actCut:
		if f := s.file(first, true, true); f.exists {
			s.change(p, trace.Truncate, f)
		} else {
			s.event(p, trace.Missed, f, nil)
		}
	case actRun:
		s.execute(p, first)
	}
}

// path reads and resolves the path in an argument.
func (s *supervisor) path(n *notification, p *process, dir, arg int8) (string, bool) {
	name, ok := s.text(n, n.args[arg])
	if !ok {
		s.r.gap("a path could not be read from the program's memory")
		return "", false
	}
	folder := atCWD
	if dir >= 0 {
		folder = int32(n.args[dir])
	}
	if name == "" {
		return "", false // the call means an open descriptor, or fails
	}
	full, ok := p.absolute(int(n.pid), folder, name)
	if !ok {
		s.r.gap("a path relative to a folder that could not be found was left out")
		return "", false
	}
	if full, ok = s.ps.onHost(p, full); !ok {
		s.r.gap("files on a file system that was made for a sandboxed program alone were left out: they end with it")
	}
	return full, ok
}

const page = 4096

// text reads a NUL-terminated text from the caller's memory, a page at most at
// a time, as the next one may not be there.
func (s *supervisor) text(n *notification, at uint64) (string, bool) {
	have := 0
	for have < len(s.memory) {
		want := min(page-int((at+uint64(have))%page), len(s.memory)-have)
		if have == 0 {
			want = min(want, 256)
		}
		got := s.read(n, at+uint64(have), s.memory[have:have+want])
		if got <= 0 {
			return "", false
		}
		if end := bytes.IndexByte(s.memory[have:have+got], 0); end >= 0 {
			return string(s.memory[:have+end]), s.l.valid(n.id)
		}
		have += got
	}
	return "", true // too long: the kernel refuses the call too
}

// read copies from the caller's memory: process_vm_readv(2).
func (s *supervisor) read(n *notification, at uint64, into []byte) int {
	local := unix.Iovec{Base: &into[0], Len: uint64(len(into))}
	remote := unix.RemoteIovec{Base: uintptr(at), Len: len(into)}
	got, _, errno := unix.RawSyscall6(unix.SYS_PROCESS_VM_READV, uintptr(n.pid), uintptr(unsafe.Pointer(&local)), 1, uintptr(unsafe.Pointer(&remote)), 1, 0)
	if errno != 0 {
		return -1
	}
	return int(got)
}

// file finds a path's number. fresh asks for its state now, not when it was
// first seen; risk says that its content may be about to go, so that its digest
// has to be taken first.
func (s *supervisor) file(name string, fresh, risk bool) *seenFile {
	s.r.mu.Lock()
	f := s.r.files[name]
	s.r.mu.Unlock()
	if f != nil && !fresh && f.exists {
		return f
	}
	var state trace.State
	if synthetic(name) {
		state.Is = trace.IsOther
	} else {
		state = stateOf(name, true)
		if risk && (f == nil || !f.content) && state.Size <= digestLimit {
			state = s.content(name, state)
		}
	}
	if f == nil {
		f = s.r.file(name, state)
		f.content = risk
	} else if risk && !f.content {
		f.content = true
		if state.Is == trace.IsFile && !s.r.isChanged(f) {
			s.r.other(trace.Known{File: f.n, State: state})
		}
	}
	f.exists = state.Is != trace.IsAbsent
	return f
}

// content adds what a file holds to its state, before it is changed.
func (s *supervisor) content(name string, state trace.State) trace.State {
	if s.kept != nil && s.own(name) {
		if known, ok := s.kept.keep(name, "before", false); ok {
			return known
		}
	}
	return withContent(name, state)
}

func (s *supervisor) event(p *process, op trace.Op, f, to *seenFile) {
	e := trace.Event{At: s.r.now(), Process: p.n, Op: op, File: f.n}
	if to != nil {
		e.To = to.n
	}
	s.r.mu.Lock()
	s.r.add(record{event: e})
	s.r.mu.Unlock()
}

// change records an event after which the file's state has to be looked at.
func (s *supervisor) change(p *process, op trace.Op, f *seenFile) {
	f.exists = true
	s.event(p, op, f, nil)
	s.r.touched(f)
}

func (s *supervisor) open(p *process, name string, flags uint64) {
	if flags&unix.O_PATH != 0 || flags&unix.O_TMPFILE == unix.O_TMPFILE {
		return // nothing is opened, or a file without a name
	}
	writes := flags&unix.O_ACCMODE != unix.O_RDONLY
	creates := flags&unix.O_CREAT != 0
	f := s.file(name, writes || creates, writes && flags&unix.O_EXCL == 0)
	switch {
	case flags&unix.O_DIRECTORY != 0:
		if f.exists {
			s.event(p, trace.List, f, nil)
		} else {
			s.event(p, trace.Missed, f, nil)
		}
	case !f.exists && creates:
		s.opensForWriting(p, writes)
		s.change(p, trace.Create, f)
	case !f.exists:
		s.event(p, trace.Missed, f, nil)
	case creates && flags&unix.O_EXCL != 0:
		// fails, since the file is there
	case !writes && flags&unix.O_TRUNC == 0:
		s.event(p, trace.Read, f, nil)
	case flags&unix.O_TRUNC != 0:
		s.opensForWriting(p, writes)
		s.change(p, trace.Replace, f)
	case flags&unix.O_APPEND != 0:
		s.opensForWriting(p, writes)
		s.change(p, trace.Append, f)
	default:
		s.opensForWriting(p, writes)
		s.change(p, trace.Update, f)
	}
}

// opensForWriting notes a process whose descriptors are worth a look.
func (s *supervisor) opensForWriting(p *process, writes bool) {
	if writes && !p.writes {
		p.writes = true
		s.r.mu.Lock()
		s.r.running[p.pid] = &holder{n: p.n, writes: true}
		s.r.mu.Unlock()
	}
}

func (s *supervisor) made(p *process, op trace.Op, name string) {
	if f := s.file(name, true, false); !f.exists {
		s.change(p, op, f)
	}
}

func (s *supervisor) removed(p *process, op trace.Op, name string) {
	own := s.own(name) // its content is about to go
	f := s.file(name, own, own)
	if f.exists {
		s.change(p, op, f)
		f.exists = false
	}
}

func (s *supervisor) renamed(p *process, from, to string, flags uint64) {
	op := trace.Rename
	if flags&unix.RENAME_EXCHANGE != 0 {
		op = trace.Exchange
	}
	s.two(p, op, from, to)
}

func (s *supervisor) two(p *process, op trace.Op, from, to string) {
	if op == trace.Link {
		if target, err := os.Readlink(from); err == nil && synthetic(from) {
			from = strings.TrimSuffix(target, " (deleted)") // a file without a name gets one
		}
	}
	f, t := s.file(from, false, false), s.file(to, true, true)
	s.event(p, op, f, t)
	s.r.touched(f)
	s.r.touched(t)
	t.exists = true
	if op == trace.Rename {
		f.exists = false
	}
}

func (s *supervisor) execute(p *process, name string) {
	f := s.file(name, false, false)
	if !f.exists {
		s.event(p, trace.Missed, f, nil)
		return
	}
	s.noteRights(name)
	s.event(p, trace.Run, f, nil)
	p.stale = true
}

// noteRights records that a program loses the right that its file gives it.
func (s *supervisor) noteRights(name string) {
	if info, err := os.Stat(name); err == nil && info.Mode()&(fs.ModeSetuid|fs.ModeSetgid) != 0 {
		s.r.gap(name + " is set-user-id or set-group-id: under observation it runs without that right, so what it may write can differ; endroit trace --system observes it with that right")
	}
}

// realPath resolves the links in all but the last name of a path.
func realPath(joined string) (string, error) {
	dir, last := path.Split(strings.TrimSuffix(joined, "/"))
	if last == ".." || last == "." {
		return filepath.EvalSymlinks(joined)
	}
	real, err := filepath.EvalSymlinks(dir)
	if err != nil {
		return "", err
	}
	return path.Join(real, last), nil
}
