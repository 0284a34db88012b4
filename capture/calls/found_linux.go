//go:build amd64 || arm64

package calls

import (
	"strconv"

	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/core/trace"
)

// What the run found is kept: before a file that was there before the run loses its
// content, that is read, once, under whatever name it has by then.

// beforeWriting reads the content of a file that is about to be written in place: its
// caller waits for that, and nobody else.
func (s *supervisor) beforeWriting(w *work, t *target) {
	if t.state.Is != trace.IsFile || capture.Synthetic(t.name.path) || w.h.late.Load() {
		return
	}
	s.ps.Mu.Lock()
	busy := s.names.keeping[t.inode]
	done := s.names.kept[t.inode]
	s.ps.Mu.Unlock()
	if busy != nil {
		<-busy // another name of it is being read; the call's limit holds
		return
	}
	if done {
		return
	}
	state, ok := s.content(t.name.path, t.probe, t.state)
	if w.h.late.Load() {
		return // the program may have written already
	}
	s.made(t.inode)
	s.ps.Mu.Lock()
	t.name.safe = t.name.inode == t.inode
	s.ps.Mu.Unlock()
	if ok {
		s.knownBefore(w, t, state)
	}
}

// beforeMoving sees to the content of a file that is about to lose its name, or whose
// name gets another file. It stays readable through a descriptor, so that the call does
// not wait; then is to be called once it goes on.
func (s *supervisor) beforeMoving(w *work, t *target) (then func()) {
	if t.state.Is != trace.IsFile || capture.Synthetic(t.name.path) || !s.own(t.name.path) {
		return func() {}
	}
	s.ps.Mu.Lock()
	done := s.names.kept[t.inode] || s.names.keeping[t.inode] != nil
	s.ps.Mu.Unlock()
	if done {
		return func() {}
	}
	if s.held.Add(1) > maxHeld {
		s.held.Add(-1)
		s.beforeWriting(w, t)
		return func() {}
	}
	fd, err := unix.Open(t.probe, unix.O_PATH|unix.O_NOFOLLOW|unix.O_CLOEXEC, 0)
	if err != nil {
		s.held.Add(-1)
		return func() {}
	}
	reading := make(chan struct{})
	s.ps.Mu.Lock()
	s.names.keeping[t.inode] = reading
	s.ps.Mu.Unlock()
	return func() {
		s.readers.Add(1)
		go func() {
			defer s.readers.Done()
			defer s.held.Add(-1)
			state, ok := s.content(t.name.path, "/proc/self/fd/"+strconv.Itoa(fd), t.state)
			_ = unix.Close(fd)
			s.ps.Mu.Lock()
			delete(s.names.keeping, t.inode)
			s.ps.Mu.Unlock()
			close(reading)
			s.made(t.inode)
			if ok {
				s.knownBefore(w, t, state)
			}
		}()
	}
}

// maxHeld is how many files are held open for their content at once.
const maxHeld = 128

// content reads what a file holds: it is kept beside the trace if it is the person's own
// and small, or its digest is taken. It is reached by probe.
func (s *supervisor) content(path, probe string, state trace.State) (trace.State, bool) {
	if s.kept != nil && s.own(path) {
		if known, ok := s.kept.KeepFrom(path, probe, "before", false); ok {
			return known, true
		}
	}
	if state.Size > capture.DigestLimit {
		return state, false
	}
	state = capture.WithContent(probe, state)
	return state, state.Digest != "" || state.Looks != ""
}

// knownBefore tells what a file held when the run came to its name, if it is still that
// file.
func (s *supervisor) knownBefore(w *work, t *target, state trace.State) {
	s.ps.Mu.Lock()
	first := t.name.f == nil
	s.ps.Mu.Unlock()
	if first {
		t.state = state
	}
	f := s.declared(t, w.at)
	before := f.Before
	if before.Is == trace.IsFile && before.Digest == "" && before.Size == state.Size && before.Time.Equal(state.Time) {
		s.r.KnownBefore(f, state)
	}
}
