//go:build amd64 || arm64

package companion

import (
	"runtime"
	"sync/atomic"
	"syscall"
	"unsafe"
)

// Shared is the memory that the observer shares with its keeper. The kernel writes a
// call that is received right into it, so that none can be in the observer's hands
// without the keeper knowing it.
type Shared struct {
	stopped  atomic.Uint32 // the observer is about to stop itself
	_        uint32
	answered atomic.Uint64 // calls that the keeper let go on
	_        [112]byte
	Slots    [Slots]Slot
}

// Slots is how many calls can be in the observer's hands at once.
const Slots = 62

// Slot holds a call that was received.
type Slot struct {
	Notification
	_ [48]byte // to a cache line of its own
}

const sharedSize = (unsafe.Sizeof(Shared{}) + 4095) &^ 4095

// Keeper is a process that stands by while a program is observed. Should the observer
// stop or end before the program does, however that comes, it lets every call pass:
// without an answer the program would hang or fail.
type Keeper struct {
	pid    int
	wake   int
	shared *Shared
}

// The messages to the keeper. At the end of the stream the observer is gone.
const (
	keeps      = 'k' // at first: the listener and the shared memory come with it
	dismissed  = 'x' // nothing is left to keep
	standIn    = 's' // the observer is about to stop itself
	observerOn = 'o' // the observer is back
)

// keeperWake is what the keeper inherits: the socket to the observer.
const keeperWake = 3

const memfdCloseOnExec = 1 // MFD_CLOEXEC

// NewShared makes memory that a keeper can share, and the descriptor for it.
func NewShared() (*Shared, int, error) {
	name := append([]byte("endroit-keeper"), 0)
	fd, _, errno := syscall.Syscall(sysMemfdCreate, uintptr(unsafe.Pointer(&name[0])), memfdCloseOnExec, 0)
	if errno != 0 {
		return nil, -1, errno
	}
	if err := syscall.Ftruncate(int(fd), int64(sharedSize)); err != nil {
		_ = syscall.Close(int(fd))
		return nil, -1, err
	}
	memory, err := syscall.Mmap(int(fd), 0, int(sharedSize), syscall.PROT_READ|syscall.PROT_WRITE, syscall.MAP_SHARED)
	if err != nil {
		_ = syscall.Close(int(fd))
		return nil, -1, err
	}
	return (*Shared)(unsafe.Pointer(&memory[0])), int(fd), nil
}

// StartKeeper has a keeper keep a listener. memory is the descriptor of shared. When it
// returns the listener is kept, whatever becomes of this process.
func StartKeeper(listener, memory int, shared *Shared) (*Keeper, error) {
	pair, err := syscall.Socketpair(syscall.AF_UNIX, syscall.SOCK_SEQPACKET|syscall.SOCK_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	defer syscall.Close(pair[1])
	pid, err := startKeeper(pair[1])
	if err == nil {
		err = syscall.Sendmsg(pair[0], []byte{keeps}, syscall.UnixRights(listener, memory), nil, 0)
	}
	if err != nil {
		_ = syscall.Close(pair[0])
		return nil, err
	}
	return &Keeper{pid: pid, wake: pair[0], shared: shared}, nil
}

// startKeeper starts this program again as the keeper, which gets the end of a socket and
// nothing else of what this process has open. A session of its own is out of reach of the
// terminal's signals.
func startKeeper(socket int) (pid int, err error) {
	null, err := syscall.Open("/dev/null", syscall.O_RDWR|syscall.O_CLOEXEC, 0)
	if err != nil {
		return 0, err
	}
	defer syscall.Close(null)
	files := []uintptr{uintptr(null), uintptr(null), uintptr(null), uintptr(socket)}
	for _, fd := range Inherited() { // belongs to the command
		for len(files) <= fd {
			files = append(files, ^uintptr(0)) // closes it
		}
	}
	return syscall.ForkExec(self, []string{keeperName, digits(uint64(syscall.Getpid()))}, &syscall.ProcAttr{
		Dir:   "/",
		Env:   []string{},
		Files: files,
		Sys:   &syscall.SysProcAttr{Setsid: true},
	})
}

// reap waits for a companion.
func reap(pid int) { _, _ = syscall.Wait4(pid, nil, 0, nil) }

func (k *Keeper) say(what byte) { _, _ = syscall.Write(k.wake, []byte{what}) }

// Dismiss ends the keeper: no observed program is left.
func (k *Keeper) Dismiss() {
	if k != nil {
		k.say(dismissed)
		_ = syscall.Close(k.wake)
		go reap(k.pid)
	}
}

// HandOver hands what is left to the keeper for good.
func (k *Keeper) HandOver() { _ = syscall.Close(k.wake) }

// Suspend has the keeper answer while this process is stopped, since the command is.
func (k *Keeper) Suspend(command int) {
	if k != nil {
		k.shared.stopped.Store(uint32(command))
		k.say(standIn)
	}
}

// Resume says that this process goes on.
func (k *Keeper) Resume() {
	if k != nil {
		k.shared.stopped.Store(0)
		k.say(observerOn)
	}
}

// Answered is how many calls the keeper let go on.
func (k *Keeper) Answered() uint64 {
	if k == nil {
		return 0
	}
	return k.shared.answered.Load()
}

// lookEvery is how often, in milliseconds, the keeper sees whether the observer is
// stopped: by whom ever, since not all who stop it say so.
const lookEvery = 50

// keep is the keeper's life.
func keep(args []string) int {
	runtime.LockOSThread()
	call(keeperName)
	if len(args) != 1 {
		return 2
	}
	message, oob := make([]byte, 1), make([]byte, syscall.CmsgSpace(2*4))
	n, oob, err := receive(keeperWake, message, oob)
	if err != nil || n != 1 || message[0] != keeps {
		return 0 // there is nothing to keep
	}
	given, err := rights(oob, 2)
	if err != nil {
		return 1
	}
	k := &keeping{observer: args[0], l: &Listener{fd: given[0]}, called: make(chan struct{}, 1)}
	memory, err := syscall.Mmap(given[1], 0, int(sharedSize), syscall.PROT_READ|syscall.PROT_WRITE, syscall.MAP_SHARED)
	if err != nil {
		return 1
	}
	k.shared = (*Shared)(unsafe.Pointer(&memory[0]))
	go k.receive()
	var looked int64
	for {
		if now := monotonic(); now-looked >= lookEvery*1e6 {
			looked = now
			k.look()
		}
		fds := []pollFD{{fd: keeperWake, events: pollIn}}
		_, errno := poll(fds, lookEvery)
		switch {
		case errno != 0 && errno != syscall.EINTR:
			return 1
		case errno != 0 || fds[0].revents == 0:
			continue
		}
		switch k.lastMessage() {
		case dismissed:
			return 0
		case standIn:
			k.begin()
		case observerOn:
			k.standing.Store(false)
		case 0: // the observer is gone
			k.begin()
			return k.forGood()
		}
	}
}

// monotonic is a clock in nanoseconds.
func monotonic() int64 {
	var t syscall.Timespec
	const clockMonotonic = 1
	_, _, _ = syscall.RawSyscall(syscall.SYS_CLOCK_GETTIME, clockMonotonic, uintptr(unsafe.Pointer(&t)), 0)
	return t.Nano()
}

// keeping is the keeper at work.
type keeping struct {
	observer string // its process id
	l        *Listener
	shared   *Shared
	standing atomic.Bool
	called   chan struct{} // holds a token once it stands in
	idle     int           // looks in a row that found the observer stopped for no reason
}

// lastMessage is what the observer said, 0 once it is gone.
func (k *keeping) lastMessage() byte {
	said := make([]byte, 1)
	for {
		n, err := syscall.Read(keeperWake, said)
		if err == syscall.EINTR {
			continue
		}
		if n != 1 || err != nil {
			return 0
		}
		return said[0]
	}
}

// begin answers what is in the observer's hands.
func (k *keeping) begin() {
	k.standing.Store(true)
	select {
	case k.called <- struct{}{}:
	default:
	}
	for i := range k.shared.Slots {
		if id := k.shared.Slots[i].ID; id != 0 && k.l.Continue(id) {
			k.shared.answered.Add(1)
		}
	}
}

func (k *keeping) answer() bool {
	var n Notification
	if err := k.l.Receive(&n); err != nil {
		return err != ErrAllGone
	}
	// Refusing what would bypass the filter goes on: the observer comes back.
	if n.Nr == ioUringSetup {
		k.l.Refuse(n.ID)
		return true
	}
	if k.l.Continue(n.ID) {
		k.shared.answered.Add(1)
	}
	return true
}

// receive answers, while the keeper stands in, what the observer did not receive. It may
// wait in vain for a call that the observer received after all: the looks go on meanwhile.
func (k *keeping) receive() {
	for {
		if !k.standing.Load() {
			<-k.called // to ask for calls now would wake this process at each
			continue
		}
		fds := []pollFD{{fd: int32(k.l.fd), events: pollIn}}
		if n, errno := poll(fds, lookEvery); errno == 0 && n > 0 && k.standing.Load() {
			if fds[0].revents&pollIn == 0 || !k.answer() {
				return
			}
		}
	}
}

// forGood answers until every program has ended.
func (k *keeping) forGood() int {
	for k.answer() {
	}
	return 0
}

// look sees whether the observer is stopped.
func (k *keeping) look() {
	stopped := state(k.observer) == 'T'
	switch {
	case stopped: // each time: it may have gone on in between, and received more
		k.begin()
	case k.shared.stopped.Load() == 0:
		k.standing.Store(false)
	}
	// The observer stopped itself since the command was stopped. If the command was
	// continued in that very moment, nobody but the keeper would continue the observer.
	if stopped && k.shared.stopped.Load() != 0 && k.commandRuns() {
		if k.idle++; k.idle >= 2 {
			if pid, ok := number(k.observer); ok && pid > 1 {
				_ = syscall.Kill(int(pid), syscall.SIGCONT)
			}
		}
	} else {
		k.idle = 0
	}
}

// commandRuns reports whether the command, whose id the observer noted, is not stopped.
func (k *keeping) commandRuns() bool {
	pid := k.shared.stopped.Load()
	if pid <= 1 {
		return false
	}
	s := state(digits(uint64(pid)))
	return s != 'T' && s != 0
}

// state is the letter for the state of a process (proc(5), /proc/PID/stat), 0 if there
// is none.
func state(pid string) byte {
	fd, err := syscall.Open("/proc/"+pid+"/stat", syscall.O_RDONLY|syscall.O_CLOEXEC, 0)
	if err != nil {
		return 0
	}
	defer syscall.Close(fd)
	text := make([]byte, 512)
	n, _ := syscall.Read(fd, text)
	for i := n - 1; i >= 0; i-- { // the name before it may hold anything
		if text[i] == ')' && i+2 < n {
			return text[i+2]
		}
	}
	return 0
}

// State is the letter for the state of a process, 0 if there is none.
func State(pid int) byte { return state(digits(uint64(pid))) }

// What is refused at any time, since it would bypass the filter: io_uring_setup has one
// number on all architectures.
const (
	ioUringSetup = 425
)
