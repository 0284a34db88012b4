//go:build amd64 || arm64

package calls

import (
	"cmp"
	"maps"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"golang.org/x/sys/unix"

	"endroit/capture/processes"
	"endroit/core/trace"
)

// change is a call that changes what names lead to. Whether the kernel did it is found
// out by looking afterwards: before the thread's next call goes on, or before anybody
// else's that concerns the names.
type change struct {
	op    trace.Op
	at    time.Duration
	p     *processes.Process
	n     int             // the process's number when it was called
	image processes.Image // the program that it ran then
	th    *processes.Thread
	nr    int32
	from  *target
	to    *target // of those with two names
	what  string

	mu   sync.Mutex
	done bool
}

// begin notes a change that is about to be made.
func (s *supervisor) begin(w *work, c *change) {
	if c.movesPaths() {
		s.concludeAll() // or what they changed is looked for where it is no more
	}
	c.at, c.p, c.n, c.th, c.nr = w.at, w.p, w.number, w.th, w.n.Nr
	if c.op == trace.Run { // as it is now: what is known of the process may be older
		_, c.image = processes.StartOf(c.p.PID)
	}
	s.ps.Mu.Lock()
	w.th.Change = c
	s.names.open[c] = true
	if c.op == trace.Run {
		w.p.Exec = c
	}
	for _, t := range []*target{c.from, c.to} {
		if t != nil {
			t.name.change = c
			t.name.turn++
		}
	}
	if c.movesPaths() {
		s.ps.Moves.Add(1)
	}
	s.ps.Mu.Unlock()
	select {
	case s.changes <- c:
	default: // it is settled at the thread's next call
	}
}

// concludeAll records what was changed by now.
func (s *supervisor) concludeAll() {
	s.ps.Mu.Lock()
	open := slices.Collect(maps.Keys(s.names.open))
	s.ps.Mu.Unlock()
	slices.SortFunc(open, func(a, b *change) int { return cmp.Compare(a.at, b.at) })
	for _, c := range open {
		s.conclude(c, false)
	}
}

// movesPaths reports whether other paths may lead elsewhere afterwards.
func (c *change) movesPaths() bool {
	link := func(t *target) bool { return t != nil && (t.state.Is == trace.IsLink || t.state.Is == trace.IsFolder) }
	switch c.op {
	case trace.Symlink, trace.RemoveFolder:
		return true
	case trace.Run:
		return false
	}
	return link(c.from) || link(c.to)
}

// settleEvery is how often changes are looked at whose threads called nothing since;
// changeLimit is how long a running thread can be within one. Executing takes longer where
// the machine is busy; afterwards the program is another one, which shows at once.
const (
	settleEvery = 3 * time.Millisecond
	changeLimit = 50 * time.Millisecond
	execLimit   = 2 * time.Second
)

// settle concludes changes in the background until stop is closed.
func (s *supervisor) settle(stop <-chan struct{}) {
	var open []*change
	tick := time.NewTicker(settleEvery)
	defer tick.Stop()
	for {
		ticks := tick.C
		if len(open) == 0 {
			ticks = nil
		}
		select {
		case <-stop:
			return
		case c := <-s.changes:
			open = append(open, c)
		case <-ticks:
			now := s.r.Now()
			left := open[:0]
			for _, c := range open {
				if now-c.at < settleEvery || !s.conclude(c, !c.within(now)) {
					left = append(left, c)
				}
			}
			open = left
		}
	}
}

// within reports whether the thread can still be in the call.
func (c *change) within(now time.Duration) bool {
	text := processes.ReadSmall("/proc/" + strconv.Itoa(c.th.TID) + "/syscall")
	switch nr, _, _ := strings.Cut(strings.TrimSpace(text), " "); nr {
	case "":
		return false // it has gone, or may not be asked
	case "running":
		if c.op == trace.Run {
			return now-c.at < execLimit
		}
		return now-c.at < changeLimit
	default:
		return nr == strconv.Itoa(int(c.nr))
	}
}

// conclude finds out whether a change was made, and records it if so. last says that it
// cannot be made any more. It reports whether nothing is open.
func (s *supervisor) conclude(c *change, last bool) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.done {
		return true
	}
	happened := c.happened()
	if !happened && !last {
		return false
	}
	c.done = true
	s.ps.Mu.Lock()
	delete(s.names.open, c)
	if c.th.Change == c {
		c.th.Change = nil
	}
	if c.p.Exec == c {
		c.p.Exec = nil
	}
	for _, t := range []*target{c.from, c.to} {
		if t == nil {
			continue
		}
		if t.name.change == c {
			t.name.change = nil
		}
		t.name.unknown()
	}
	if c.movesPaths() {
		s.ps.Moves.Add(1) // again: what was looked up meanwhile may have been as before or as after
	}
	s.ps.Mu.Unlock()
	if happened {
		s.happened(c)
	}
	return true
}

// happened looks whether the change was made.
func (c *change) happened() bool {
	if c.op == trace.Run {
		_, now := processes.StartOf(c.p.PID)
		return now == processes.Image{} || now != c.image
	}
	from, _ := c.from.again()
	switch c.op {
	case trace.Create, trace.MakeFolder, trace.Symlink:
		return from.there()
	case trace.Remove, trace.RemoveFolder:
		return !from.there() || from.inode != c.from.inode
	}
	to, elsewhere := c.to.again()
	same := to.there() && to.inode == c.from.inode
	switch {
	case elsewhere: // there it has another number
		return to.there() && (c.op != trace.Rename || !from.there())
	case c.op == trace.Rename:
		return same && (!from.there() || from.inode != c.from.inode)
	case c.op == trace.Exchange:
		return same && from.inode == c.to.inode
	}
	return same // a link
}

// again looks at the same path once more: elsewhere if the program has gone, and its view
// of mounts with it.
func (t *target) again() (l looked, elsewhere bool) {
	l = lookAtPath(t.probe, t.uid)
	if !l.there() && t.host != "" && t.host != t.probe {
		return lookAtPath(t.host, t.uid), true
	}
	return l, false
}

// happened records a change that was made.
func (s *supervisor) happened(c *change) {
	switch c.op {
	case trace.Run:
		s.event(c.at, c.n, c.op, s.declared(c.from, c.at), nil, c.what, false)
		s.ps.Mu.Lock()
		c.p.Stale = true
		s.ps.Mu.Unlock()
		return
	case trace.Create, trace.MakeFolder, trace.Symlink:
		made, _ := c.from.again()
		s.made(made.inode)
		s.event(c.at, c.n, c.op, s.declared(c.from, c.at), nil, c.what, true)
		s.exists(c.from.name, true)
		return
	case trace.Remove, trace.RemoveFolder:
		s.event(c.at, c.n, c.op, s.declared(c.from, c.at), nil, c.what, true)
		s.exists(c.from.name, false)
		return
	}
	s.event(c.at, c.n, c.op, s.declared(c.from, c.at), s.declared(c.to, c.at), c.what, true)
	s.exists(c.to.name, true)
	s.exists(c.from.name, c.op != trace.Rename)
	if c.op == trace.Link {
		return
	}
	if c.from.state.Is == trace.IsFolder {
		s.carried(c, c.from.name, c.to.name, c.to.state.Is == trace.IsFolder && c.op == trace.Exchange)
	} else if c.op == trace.Exchange && c.to.state.Is == trace.IsFolder {
		s.carried(c, c.to.name, c.from.name, false)
	}
}

// withFolder describes a file that was moved because a folder above it was.
const withFolder = trace.WithFolder

// carried records that the files in a folder that was renamed have other paths now. both
// says that it was exchanged with another folder.
func (s *supervisor) carried(c *change, from, to *name, both bool) {
	list := s.standing(from)
	theirs := map[string]*name{}
	var others []*name
	if both {
		others = s.standing(to)
		for _, n := range others {
			theirs[processes.Rebased(n.path, to.path, from.path)] = n
		}
	}
	exchanged := map[*name]bool{}
	for _, n := range list {
		op := trace.Rename
		if m := theirs[n.path]; m != nil {
			exchanged[m] = true
			op = trace.Exchange
		}
		s.carry(c, n, from, to, op)
	}
	for _, n := range others {
		if !exchanged[n] {
			s.carry(c, n, to, from, trace.Rename)
		}
	}
}

// standing are the names in a folder that are recorded, and exist.
func (s *supervisor) standing(folder *name) (list []*name) {
	s.ps.Mu.Lock()
	defer s.ps.Mu.Unlock()
	for _, n := range s.names.below(folder.path) {
		if n.f != nil && s.r.Exists(n.f) {
			list = append(list, n)
		}
	}
	return list
}

// carry records that a file moved with a folder.
func (s *supervisor) carry(c *change, n, from, to *name, op trace.Op) {
	s.ps.Mu.Lock()
	f := n.f
	m := s.names.of(processes.Rebased(n.path, from.path, to.path))
	s.ps.Mu.Unlock()
	g := s.declared(&target{name: m, looked: looked{state: trace.State{Is: trace.IsAbsent}}}, c.at)
	s.event(c.at, c.n, op, f, g, withFolder, true)
	s.exists(m, true)
	s.exists(n, op != trace.Rename)
	s.ps.Mu.Lock()
	n.unknown()
	m.unknown()
	s.ps.Mu.Unlock()
}

// exists notes whether a path leads to something.
func (s *supervisor) exists(n *name, yes bool) {
	s.ps.Mu.Lock()
	f := n.f
	s.ps.Mu.Unlock()
	if f != nil {
		s.r.SetExists(f, yes)
	}
}

// made notes that a file is the run's own: it holds nothing that the run found.
func (s *supervisor) made(id inode) {
	s.ps.Mu.Lock()
	if len(s.names.kept) < maxKept {
		s.names.kept[id] = true
	}
	s.ps.Mu.Unlock()
}

// maxKept bounds what is remembered of files whose content is safe.
const maxKept = 200_000

// rights are what a program's file gives who runs it.
func (s *supervisor) noteRights(at, shown string) {
	if !s.restrained {
		return
	}
	var st unix.Statx_t
	if unix.Statx(unix.AT_FDCWD, at, 0, unix.STATX_MODE, &st) == nil && st.Mode&(unix.S_ISUID|unix.S_ISGID) != 0 {
		s.r.Gap(
			shown + " is set-user-id or set-group-id: under observation it runs without that right, so what it may write " +
				"can differ; endroit trace --system observes it with that right",
		)
	}
	if n, err := unix.Getxattr(at, "security.capability", nil); err == nil && n > 0 {
		s.r.Gap(
			shown + " has file capabilities: under observation it runs without them, so what it may do can differ; " +
				"endroit trace --system observes it with them",
		)
	}
}
