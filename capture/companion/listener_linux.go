package companion

import (
	"errors"
	"syscall"
	"unsafe"
)

// Notification is struct seccomp_notif (linux/seccomp.h): a call that waits.
type Notification struct {
	ID    uint64
	TID   uint32 // the thread
	Flags uint32
	Nr    int32
	Arch  uint32
	IP    uint64
	Args  [6]uint64
}

// response is struct seccomp_notif_resp.
type response struct {
	id    uint64
	val   int64
	error int32
	flags uint32
}

// Requests and flags of seccomp_unotify(2), and of ioctl(2) in general.
const (
	ioctlReceive  = 0xc0502100 // SECCOMP_IOCTL_NOTIF_RECV
	ioctlSend     = 0xc0182101 // SECCOMP_IOCTL_NOTIF_SEND
	ioctlSetFlags = 0x40082104 // SECCOMP_IOCTL_NOTIF_SET_FLAGS
	ioctlIDValid  = 0x40082102 // SECCOMP_IOCTL_NOTIF_ID_VALID

	syncWakeUp = 1 // SECCOMP_USER_NOTIF_FD_SYNC_WAKE_UP
	goOn       = 1 // SECCOMP_USER_NOTIF_FLAG_CONTINUE
)

// ErrAllGone says that every observed program has ended.
var ErrAllGone = errors.New("every observed program has ended")

// ErrVanished says that the call that was to be received is gone: a signal came before
// it was received, or its thread was killed.
var ErrVanished = errors.New("the call has gone")

// Listener is the kernel's end of the filter.
type Listener struct {
	fd     int
	direct bool
}

// Here says where an answered program goes on: on the processor that the answer comes
// from, at once, which is quickest if one thread calls at a time; or wherever there is
// room, which is quickest if the next call waits by then. (Linux 6.6)
func (l *Listener) Here(yes bool) {
	var flags uintptr
	if yes {
		flags = syncWakeUp
	}
	_, _, _ = syscall.RawSyscall(syscall.SYS_IOCTL, uintptr(l.fd), ioctlSetFlags, flags)
}

// NewListener takes a descriptor. direct says that receiving returns by itself once
// the last observed program has ended (Linux 6.11); elsewhere poll(2) has to be asked
// first.
func NewListener(fd int, direct bool) *Listener {
	l := &Listener{fd: fd, direct: direct}
	l.Here(true)
	return l
}

// FD is the descriptor.
func (l *Listener) FD() int { return l.fd }

// pollFD is struct pollfd (poll(2)).
type pollFD struct {
	fd              int32
	events, revents int16
}

const (
	pollIn  = 0x1
	pollHup = 0x10
)

func poll(fds []pollFD, milliseconds int) (int, syscall.Errno) {
	timeout := syscall.NsecToTimespec(int64(milliseconds) * 1e6)
	at := &timeout
	if milliseconds < 0 {
		at = nil
	}
	n, _, errno := syscall.Syscall6(
		syscall.SYS_PPOLL, uintptr(unsafe.Pointer(&fds[0])), uintptr(len(fds)), uintptr(unsafe.Pointer(at)), 0,
		0, 0,
	)
	return int(n), errno
}

// Waiting reports whether a call waits to be received.
func (l *Listener) Waiting() bool {
	fds := []pollFD{{fd: int32(l.fd), events: pollIn}}
	n, errno := poll(fds, 0)
	return errno == 0 && n > 0 && fds[0].revents&pollIn != 0
}

// Receive waits for the next call. The error is ErrVanished, ErrAllGone, or
// syscall.EINTR, after which it can be asked again.
func (l *Listener) Receive(into *Notification) error {
	if !l.direct {
		fds := []pollFD{{fd: int32(l.fd), events: pollIn}}
		if _, errno := poll(fds, -1); errno != 0 {
			return errno
		}
		if fds[0].revents&pollIn == 0 {
			return ErrAllGone
		}
	}
	*into = Notification{} // the kernel asks for zeroes
	_, _, errno := syscall.Syscall(syscall.SYS_IOCTL, uintptr(l.fd), ioctlReceive, uintptr(unsafe.Pointer(into)))
	switch errno {
	case 0:
		return nil
	case syscall.ENOENT:
		fds := []pollFD{{fd: int32(l.fd), events: pollIn}}
		if _, errno := poll(fds, 0); errno == 0 && fds[0].revents&pollHup != 0 {
			return ErrAllGone
		}
		return ErrVanished
	}
	return errno
}

// Continue lets a call go on. It reports whether the call still waited: a caller that was
// killed, or that somebody else answered, did not.
func (l *Listener) Continue(id uint64) bool {
	return l.send(response{id: id, flags: goOn})
}

// Refuse answers as a kernel that has no such call.
func (l *Listener) Refuse(id uint64) bool {
	return l.send(response{id: id, error: -int32(syscall.ENOSYS)})
}

// send answers. The kernel waits for a lock there, and gives up when a signal comes to
// the thread that answers: then it has to be asked again, or the caller waits for ever.
func (l *Listener) send(r response) bool {
	for {
		_, _, errno := syscall.RawSyscall6(syscall.SYS_IOCTL, uintptr(l.fd), ioctlSend, uintptr(unsafe.Pointer(&r)), 0, 0, 0)
		if errno != syscall.EINTR {
			return errno == 0
		}
	}
}

// Valid reports whether the caller still waits, so that its thread id has not passed
// to another program.
func (l *Listener) Valid(id uint64) bool {
	for {
		_, _, errno := syscall.RawSyscall(syscall.SYS_IOCTL, uintptr(l.fd), ioctlIDValid, uintptr(unsafe.Pointer(&id)))
		if errno != syscall.EINTR {
			return errno == 0
		}
	}
}
