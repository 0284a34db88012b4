//go:build amd64 || arm64

package companion

import (
	"sync"
	"syscall"
	"unsafe"
)

const (
	witnessName = "endroit-witness"

	signalNonBlock = 0x800 // SFD_NONBLOCK
)

// SignalWitness is a process in the process group of an observed command that nobody knows: a
// signal that it gets was sent to the whole group, so that the command has got it too.
type SignalWitness struct {
	mu      sync.Mutex
	process *begun
	fd      int
}

// lateBy is how many nanoseconds later than the observer the witness may get a signal: the
// kernel sends it to one process of the group after the other.
const lateBy = 30e6

// StartWitness starts one, or takes the one that came up with this program.
func StartWitness() (*SignalWitness, error) {
	if w := early.witness; w != nil {
		early.witness = nil
		return w, nil
	}
	return newWitness()
}

func newWitness() (*SignalWitness, error) {
	pair, err := syscall.Socketpair(syscall.AF_UNIX, syscall.SOCK_SEQPACKET|syscall.SOCK_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	defer syscall.Close(pair[1])
	null, err := syscall.Open("/dev/null", syscall.O_RDWR|syscall.O_CLOEXEC, 0)
	if err != nil {
		_ = syscall.Close(pair[0])
		return nil, err
	}
	defer syscall.Close(null)
	w := &witnessing{socket: pair[1], null: null, set: ^uint64(0), late: syscall.Timespec{Nsec: lateBy}}
	copy(w.name[:], witnessName)
	process, err := begin(w)
	if err != nil {
		_ = syscall.Close(pair[0])
		return nil, err
	}
	wait := syscall.Timeval{Sec: 1}
	_ = syscall.SetsockoptTimeval(pair[0], syscall.SOL_SOCKET, syscall.SO_RCVTIMEO, &wait)
	return &SignalWitness{process: process, fd: pair[0]}, nil
}

// Received reports whether the whole process group got a signal that this process has just
// got.
func (w *SignalWitness) Received(s syscall.Signal) bool {
	if w == nil {
		return false
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.fd < 0 {
		return false
	}
	if _, err := syscall.Write(w.fd, []byte{byte(s)}); err != nil {
		return false
	}
	answer := make([]byte, 2)
	for {
		n, err := syscall.Read(w.fd, answer)
		switch {
		case err == syscall.EINTR:
		case err == nil && n == 2 && answer[0] != byte(s): // late, to an earlier question
		default:
			return err == nil && n == 2 && answer[1] == 'y'
		}
	}
}

// Dismiss ends it.
func (w *SignalWitness) Dismiss() {
	if w == nil {
		return
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.fd >= 0 {
		_ = syscall.Close(w.fd)
		w.fd = -1
		go w.process.wait()
	}
}

// witnessing is a witness at work. It blocks all signals from its first instruction on, so
// that none is lost and none ends it.
type witnessing struct {
	socket, null int
	set          uint64 // of signals: all
	name         [16]byte
	late         syscall.Timespec
	counts       [65]uint32 // of the signals that came, less those asked for
	question     [8]byte
	fds          [2]pollFD
	info         [128]byte // struct siginfo
}

// A witness gets its descriptors where it keeps nothing else.
const (
	witnessSocket  = 3
	witnessSignals = 4
)

//go:nosplit
//go:norace
func (w *witnessing) live(*begun) {
	_, _, _ = syscall.RawSyscall(syscall.SYS_PRCTL, setName, uintptr(unsafe.Pointer(&w.name)), 0)
	root := [2]byte{'/', 0}
	_, _, _ = syscall.RawSyscall(syscall.SYS_CHDIR, uintptr(unsafe.Pointer(&root)), 0, 0)
	// Nothing stays open but what it needs: first out of the way, then into place.
	socket, errno := again(syscall.SYS_FCNTL, uintptr(w.socket), syscall.F_DUPFD, witnessSignals+1)
	if errno != 0 {
		return
	}
	for fd := uintptr(0); fd < 3; fd++ {
		_, _ = again(syscall.SYS_DUP3, uintptr(w.null), fd, 0)
	}
	if _, errno := again(syscall.SYS_DUP3, socket, witnessSocket, 0); errno != 0 {
		return
	}
	_, _ = again(sysCloseRange, witnessSocket+1, ^uintptr(0)>>32, 0)
	signals, _, errno := syscall.RawSyscall6(sysSignalFD, ^uintptr(0), uintptr(unsafe.Pointer(&w.set)), 8, signalNonBlock, 0, 0)
	if errno != 0 {
		return
	}
	w.fds = [2]pollFD{{fd: witnessSocket, events: pollIn}, {fd: int32(signals), events: pollIn}}
	for {
		_, _, errno := syscall.RawSyscall6(syscall.SYS_PPOLL, uintptr(unsafe.Pointer(&w.fds)), 2, 0, 0, 0, 0)
		if errno != 0 && errno != syscall.EINTR {
			return
		}
		w.count(int(signals))
		if w.fds[0].revents == 0 {
			continue
		}
		if n, _ := again(syscall.SYS_READ, witnessSocket, uintptr(unsafe.Pointer(&w.question)), 1); n != 1 {
			exit(0)
		}
		w.answer(int(signals))
	}
}

// count takes what has come.
//
//go:nosplit
//go:norace
func (w *witnessing) count(signals int) {
	for {
		n, _ := again(syscall.SYS_READ, uintptr(signals), uintptr(unsafe.Pointer(&w.info)), unsafe.Sizeof(w.info))
		if n != unsafe.Sizeof(w.info) {
			return
		}
		if s := w.info[0]; int(s) < len(w.counts) { // its first number, below 65
			w.counts[s]++
		}
	}
}

// answer says whether the signal in question has come, if need be a little later.
//
//go:nosplit
//go:norace
func (w *witnessing) answer(signals int) {
	s := w.question[0]
	w.question[1] = 'n'
	for int(s) < len(w.counts) {
		if w.counts[s] > 0 {
			w.counts[s]-- // asked for each
			w.question[1] = 'y'
			break
		}
		// The kernel takes what has passed off the time that is left.
		n, _, errno := syscall.RawSyscall6(
			syscall.SYS_PPOLL, uintptr(unsafe.Pointer(&w.fds[1])), 1, uintptr(unsafe.Pointer(&w.late)), 0, 0, 0,
		)
		if errno != syscall.EINTR && n != 1 {
			break
		}
		w.count(signals)
	}
	w.late.Sec, w.late.Nsec = 0, lateBy
	_, _ = again(syscall.SYS_WRITE, witnessSocket, uintptr(unsafe.Pointer(&w.question)), 2)
}
