//go:build amd64 || arm64

package calls

import (
	"errors"
	"fmt"
	"math"
	"math/bits"
	"runtime"
	"sync"
	"sync/atomic"
	"syscall"
	"time"
	"unsafe"

	"golang.org/x/sys/unix"

	"endroit/capture/companion"
)

// lookLimit is for how long a call waits at most while it is found out what has to be
// known before it goes on.
const lookLimit = 250 * time.Millisecond

// patience is for how long the lead may lie about, twice that at most, until a thread that
// waits is woken for it: most looks take less, and to wake a thread takes as long as such a
// look.
const patience = 50 * time.Microsecond

// answering receives calls and lets them go on. One thread leads: it waits for the next
// call. A call of which all is known it answers at once. For another it first gives up the
// lead, so that nobody waits for this call but its own caller, and that no longer than
// lookLimit, whatever a file system does meanwhile. If it is done within patience, and no
// crowd called, it takes the lead again.
type answering struct {
	l      *companion.Listener
	shared *companion.Shared
	// quick observes a call that needs no look at any file and reports whether it was
	// one; slow observes any other.
	// The text is the path that quick read, if it got as far.
	quick func(n *companion.Notification, at time.Duration, memory []byte) (text []byte, done bool)
	slow  func(n *companion.Notification, h *inHand)
	gap   func(what string)
	// hasty says that calls are to be received as soon as can be, since signals that come
	// before make them fail; at other times it would only cost speed.
	hasty func() bool

	crowd    crowd // the leader's
	lead     baton
	relief   relief
	idle     atomic.Int32 // threads that wait for it
	threads  atomic.Int32
	leading  atomic.Uint64 // the call in the leader's hands; 0 if it waits
	passed   atomic.Uint64 // the last call that was let go on while the leader had it
	turn     atomic.Uint64 // counts leaders
	working  atomic.Int32  // threads that are looking at files
	hands    [companion.Slots]atomic.Pointer[inHand]
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
	text     string // the path that the call names, if it was read
	answered atomic.Bool
	went     bool // the call went on; read once answered
	late     atomic.Bool
}

// letContinue lets the call go on, and reports whether it does: not if its caller was killed.
func (h *inHand) letContinue() bool {
	if h.answered.CompareAndSwap(false, true) {
		h.went = h.a.l.Continue(h.id)
		return h.went
	}
	return true // it was let go on in time
}

// overdue lets the call go on although not all is known that was to be.
func (h *inHand) overdue() {
	if h.answered.CompareAndSwap(false, true) {
		h.late.Store(true)
		h.a.l.Continue(h.id)
		h.a.gap("a file system did not respond in time: what a file was before a call is not known")
	}
}

func (h *inHand) refuse() {
	if h.answered.CompareAndSwap(false, true) {
		h.a.l.Refuse(h.id)
	}
}

// run answers until every observed program has ended.
func (a *answering) run(now func() time.Duration) {
	a.over = make(chan struct{})
	go a.relief.run(&a.lead)
	a.lead.pass()
	for range 3 {
		a.another(now)
	}
	watch := time.NewTicker(lookLimit / 5)
	defer watch.Stop()
	var led uint64 // by the leader
	var since time.Duration
	for {
		select {
		case <-a.over:
			a.lead.drop()
			a.relief.lies()
			a.finish()
			return
		case <-watch.C:
		}
		for i := range a.hands {
			if h := a.hands[i].Load(); h != nil && now()-h.at >= lookLimit {
				h.overdue()
			}
		}
		// The caller's memory may lie in a file whose file system does not answer.
		id := a.leading.Load()
		if id == 0 || id != led {
			led, since = id, now()
		} else if now()-since >= lookLimit && a.leading.CompareAndSwap(id, 0) {
			a.passed.Store(id)
			a.turn.Add(1)
			a.gap("what a call names could not be read in time")
			a.l.Continue(id)
			a.lead.pass()
			a.another(now)
			led = 0
		}
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
	go a.thread(int(n-1), now)
	return true
}

// thread leads in its turn.
func (a *answering) thread(k int, now func() time.Duration) {
	runtime.LockOSThread()
	n, hand := &a.shared.Slots[k].Notification, &a.hands[k]
	memory := make([]byte, quickText)
	first := false // before others, where that is allowed
	for a.lead.take() {
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
				if a.crowd.came(n.TID) {
					a.l.Here(!a.crowd.is)
				}
				if turn = a.take(n, turn, hand, memory, now); turn != 0 && a.crowd.due() {
					a.crowd.look(a.l.Waiting())
				}
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

// take handles the call that the leader received in its turn. It returns in which turn
// this thread leads from then on, 0 if it does not.
func (a *answering) take(
	n *companion.Notification, turn uint64, hand *atomic.Pointer[inHand], memory []byte,
	now func() time.Duration,
) uint64 {
	at := now()
	if a.leaving.Load() {
		a.l.Continue(n.ID)
		return turn
	}
	a.leading.Store(n.ID)
	text, done := a.quick(n, at, memory)
	if !a.leading.CompareAndSwap(n.ID, 0) {
		return 0 // it took too long, and another leads
	}
	if done {
		return turn
	}
	h := &inHand{a: a, id: n.ID, at: at, text: string(text)}
	if a.idle.Load() == 0 && !a.another(now) {
		a.gap("so many calls waited for slow file systems at once that one went on unseen")
		h.letContinue()
		return turn
	}
	a.working.Add(1)
	defer a.working.Add(-1)
	if a.crowd.is {
		a.lead.pass()
	} else {
		a.lead.lay()
		a.relief.lies()
	}
	hand.Store(h)
	a.slow(n, h)
	hand.Store(nil)
	h.letContinue()
	if a.lead.state.CompareAndSwap(batonFree, batonHeld) {
		return a.turn.Add(1) // others may have led meanwhile
	}
	return 0
}

// wasPassed reports whether a call was let go on while the leader had it.
func (a *answering) wasPassed(id uint64) bool { return a.passed.Load() == id }

// leave lets all calls go on from now on.
func (a *answering) leave() { a.leaving.Store(true) }

// crowd tells whether several threads call at a time, by a look now and then.
type crowd struct {
	calls  uint
	last   uint32 // the thread that called last
	looked bool   // before the call that comes next
	waits  bool   // that call did then
	latest uint8  // whether another thread's call waited at the latest looks, the last one lowest
	is     bool
}

// crowdEvery is how many calls there are to a look, crowdLooks how many looks count.
const (
	crowdEvery = 32
	crowdLooks = 4
)

// due reports whether it is time to look whether a call waits.
func (c *crowd) due() bool { return c.calls%crowdEvery == 0 }

// look takes what was found.
func (c *crowd) look(waits bool) { c.looked, c.waits = true, waits }

// came counts a call, and reports whether there is a crowd now where there was none, or
// the reverse. One thread's next call can wait too: it may run before this one looks.
func (c *crowd) came(thread uint32) (changed bool) {
	c.calls++
	other := c.last != thread
	c.last = thread
	if !c.looked {
		return false
	}
	c.looked = false
	c.latest = c.latest << 1 & (1<<crowdLooks - 1)
	if c.waits && other {
		c.latest |= 1
	}
	was := c.is
	switch bits.OnesCount8(c.latest) {
	case crowdLooks, crowdLooks - 1:
		c.is = true
	case 0:
		c.is = false
	}
	return c.is != was
}

// baton is handed from thread to thread without Go's scheduler, which would wake three
// others for it. Its zero value is in nobody's hands, and cannot be taken yet.
type baton struct{ state atomic.Uint32 }

// The states of a baton.
const (
	batonHeld uint32 = iota
	batonFree
	batonDropped
)

// futex(2)
const (
	futexWait = 0x80 // FUTEX_WAIT_PRIVATE
	futexWake = 0x81 // FUTEX_WAKE_PRIVATE
)

// futexSleep waits until it is woken, unless the value is another. It may return early.
func futexSleep(at *atomic.Uint32, value uint32) {
	_, _, _ = syscall.Syscall6(syscall.SYS_FUTEX, uintptr(unsafe.Pointer(at)), futexWait, uintptr(value), 0, 0, 0)
}

// futexWakeUp wakes up to n that wait there.
func futexWakeUp(at *atomic.Uint32, n int) {
	_, _, _ = syscall.RawSyscall(syscall.SYS_FUTEX, uintptr(unsafe.Pointer(at)), futexWake, uintptr(n))
}

// take waits for the baton; false if it was dropped. The goroutine should have its thread
// for itself.
func (b *baton) take() bool {
	for {
		switch {
		case b.state.CompareAndSwap(batonFree, batonHeld):
			return true
		case b.state.Load() == batonDropped:
			return false
		}
		futexSleep(&b.state, batonHeld)
	}
}

// pass lets one thread have the baton.
func (b *baton) pass() {
	if b.state.CompareAndSwap(batonHeld, batonFree) {
		futexWakeUp(&b.state, 1)
	}
}

// lay lets whoever asks next have the baton; nobody is woken.
func (b *baton) lay() { b.state.CompareAndSwap(batonHeld, batonFree) }

// drop ends the wait of all.
func (b *baton) drop() {
	b.state.Store(batonDropped)
	futexWakeUp(&b.state, math.MaxInt32)
}

// relief is a thread that sees to it that a baton that lies about is taken. It looks at it
// again and again for as long as it is laid down every now and then, and sleeps otherwise:
// so it need not be woken each time.
type relief struct {
	asleep atomic.Uint32 // 1 while it sleeps
	laid   atomic.Uint32 // counts how often the baton was laid down
}

// restAfter is after how many looks without anything to see it sleeps.
const restAfter = 10

// lies says that the baton was laid down.
func (r *relief) lies() {
	r.laid.Add(1)
	if r.asleep.Load() != 0 && r.asleep.CompareAndSwap(1, 0) {
		futexWakeUp(&r.asleep, 1)
	}
}

func (r *relief) run(b *baton) {
	runtime.LockOSThread()
	_ = unix.Prctl(unix.PR_SET_TIMERSLACK, 1, 0, 0, 0)
	pause := unix.NsecToTimespec(int64(patience))
	for idle := 0; ; idle++ {
		before := r.laid.Load()
		_ = unix.Nanosleep(&pause, nil)
		switch {
		case b.state.Load() == batonDropped:
			return
		case r.laid.Load() != before:
			idle = 0
		case b.state.Load() == batonFree:
			idle = 0
			futexWakeUp(&b.state, 1)
		case idle >= restAfter:
			r.asleep.Store(1)
			if r.laid.Load() != before { // it was laid down by somebody who saw it awake
				r.asleep.Store(0)
			}
			for r.asleep.Load() == 1 && b.state.Load() != batonDropped {
				futexSleep(&r.asleep, 1)
			}
			idle = 0
		}
	}
}
