//go:build amd64 || arm64

package capture

import (
	"errors"
	"fmt"
	"runtime"
	"sync"
	"sync/atomic"
	"time"

	"golang.org/x/sys/unix"

	"endroit/capture/companion"
)

// lookLimit is for how long a call waits at most while it is found out what has to be
// known before it goes on.
const lookLimit = 250 * time.Millisecond

// answering receives calls and lets them go on. One thread leads: it waits for the next
// call. A call of which all is known it answers at once. For another it first hands the
// lead on, so that nobody waits for this call but its own caller, and that no longer than
// lookLimit, whatever a file system does meanwhile.
type answering struct {
	l      *companion.Listener
	shared *companion.Shared
	// quick observes a call that needs no look at any file and reports whether it was
	// one; slow observes any other.
	quick func(n *companion.Notification, at time.Duration, memory []byte) bool
	slow  func(n *companion.Notification, h *inHand)
	gap   func(what string)
	// hasty says that calls are to be received as soon as can be, since signals that come
	// before make them fail; at other times it would only cost speed.
	hasty func() bool

	lead     chan struct{} // holds one token while nobody leads
	idle     atomic.Int32  // threads that wait for it
	threads  atomic.Int32
	leading  atomic.Uint64 // the call in the leader's hands; 0 if it waits
	passed   atomic.Uint64 // the last call that was let go on while the leader had it
	turn     atomic.Uint64 // counts leaders
	working  atomic.Int32  // threads that are looking at files
	vanished atomic.Int64  // calls that were gone before they were received
	over     chan struct{} // closed once every program has ended
	end      sync.Once
	leaving  atomic.Bool // the keeper answers from now on
}

// inHand is a call that was received.
type inHand struct {
	a        *answering
	id       uint64
	at       time.Duration
	answered atomic.Bool
	went     bool // the call went on; read once answered
	late     atomic.Bool
}

// goOn lets the call go on, and reports whether it does: not if its caller was killed.
func (h *inHand) goOn() bool {
	if h.answered.CompareAndSwap(false, true) {
		h.went = h.a.l.GoOn(h.id)
		return h.went
	}
	return true // it was let go on in time
}

func (h *inHand) refuse() {
	if h.answered.CompareAndSwap(false, true) {
		h.a.l.Refuse(h.id)
	}
}

// run answers until every observed program has ended.
func (a *answering) run(now func() time.Duration) {
	a.lead, a.over = make(chan struct{}, 1), make(chan struct{})
	a.lead <- struct{}{}
	for range 3 {
		a.another(now)
	}
	watch := time.NewTicker(lookLimit)
	defer watch.Stop()
	var before uint64
	for {
		select {
		case <-a.over:
			a.finish()
			return
		case <-watch.C:
		}
		// The caller's memory may lie in a file whose file system does not answer.
		id := a.leading.Load()
		if id != 0 && id == before && a.leading.CompareAndSwap(id, 0) {
			a.passed.Store(id)
			a.turn.Add(1)
			a.gap("what a call names could not be read in time")
			a.l.GoOn(id)
			a.lead <- struct{}{}
			a.another(now)
			id = 0
		}
		before = id
	}
}

// finish waits for what is being looked at: not for ever, as a file system may never
// answer.
func (a *answering) finish() {
	for end := time.Now().Add(finishLimit); a.working.Load() > 0 && time.Now().Before(end); {
		time.Sleep(time.Millisecond)
	}
	if a.working.Load() > 0 {
		a.gap("a file system did not answer until the end: what was done there last is not told")
	}
}

const finishLimit = 5 * time.Second

// another starts one more thread, if there may be one.
func (a *answering) another(now func() time.Duration) bool {
	n := a.threads.Add(1)
	if n > companion.Slots {
		a.threads.Add(-1)
		return false
	}
	a.idle.Add(1)
	go a.thread(&a.shared.Slots[n-1].Notification, now)
	return true
}

// thread leads in its turn.
func (a *answering) thread(n *companion.Notification, now func() time.Duration) {
	runtime.LockOSThread()
	memory := make([]byte, quickText)
	first := false // before others, where that is allowed
	for {
		select {
		case <-a.lead:
		case <-a.over:
			return
		}
		a.idle.Add(-1)
		turn := a.turn.Add(1)
		for a.turn.Load() == turn {
			if !first && a.hasty() {
				first = true
				_ = unix.Setpriority(unix.PRIO_PROCESS, unix.Gettid(), -20)
			}
			err := a.l.Receive(n)
			switch {
			case err == nil:
				a.take(n, memory, now)
			case errors.Is(err, companion.ErrAllGone):
				a.end.Do(func() { close(a.over) })
				return
			case errors.Is(err, companion.ErrVanished):
				a.vanished.Add(1)
			case !errors.Is(err, unix.EINTR):
				a.gap(fmt.Sprintf("calls could not be received any more (%v)", err))
				a.end.Do(func() { close(a.over) })
				return
			}
		}
		a.idle.Add(1)
	}
}

// take handles the call that the leader received.
func (a *answering) take(n *companion.Notification, memory []byte, now func() time.Duration) {
	at := now()
	if a.leaving.Load() {
		a.l.GoOn(n.ID)
		return
	}
	a.leading.Store(n.ID)
	done := a.quick(n, at, memory)
	if !a.leading.CompareAndSwap(n.ID, 0) {
		return // it took too long, and another leads
	}
	if done {
		return
	}
	h := &inHand{a: a, id: n.ID, at: at}
	if a.idle.Load() == 0 && !a.another(now) {
		a.gap("so many calls waited for slow file systems at once that one went on unseen")
		h.goOn()
		return
	}
	a.working.Add(1)
	defer a.working.Add(-1)
	a.turn.Add(1)
	a.lead <- struct{}{}
	limit := time.AfterFunc(lookLimit, func() {
		if h.answered.CompareAndSwap(false, true) {
			h.late.Store(true)
			a.l.GoOn(h.id)
			a.gap("a file system did not answer in time: what a file was before a call is not known")
		}
	})
	a.slow(n, h)
	h.goOn()
	limit.Stop()
}

// passes reports whether a call was let go on while the leader had it.
func (a *answering) passes(id uint64) bool { return a.passed.Load() == id }

// leave lets all calls go on from now on.
func (a *answering) leave() { a.leaving.Store(true) }
