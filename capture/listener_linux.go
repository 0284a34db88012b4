//go:build amd64 || arm64

package capture

import (
	"errors"
	"unsafe"

	"golang.org/x/sys/unix"
)

// notification is struct seccomp_notif, response struct seccomp_notif_resp
// (linux/seccomp.h).
type notification struct {
	id    uint64
	pid   uint32 // the thread
	flags uint32
	nr    int32
	arch  uint32
	ip    uint64
	args  [6]uint64
}

type response struct {
	id    uint64
	val   int64
	error int32
	flags uint32
}

// Requests of seccomp_unotify(2) that x/sys does not name: _IOW('!', 4, __u64)
// and _IOW('!', 2, __u64).
const (
	ioctlSetFlags = 0x40082104
	ioctlIDValid  = 0x40082102
)

var errAllGone = errors.New("every observed program has ended")

// listener is the kernel's end of the filter. It belongs to one thread.
type listener struct {
	fd int
	// direct is true where receiving returns by itself once the last observed
	// program has ended (Linux 6.11); elsewhere poll(2) has to be asked first.
	direct bool
	in     notification
	out    response
}

func newListener(fd int) *listener {
	// The answer then wakes the program on this processor at once (Linux 6.6).
	_, _, _ = unix.RawSyscall(unix.SYS_IOCTL, uintptr(fd), ioctlSetFlags, unix.SECCOMP_USER_NOTIF_FD_SYNC_WAKE_UP)
	return &listener{fd: fd, direct: kernelAtLeast(6, 11)}
}

// receive waits for the next call. It returns nil without an error for one that
// has gone meanwhile, and errAllGone at the end.
func (l *listener) receive() (*notification, error) {
	if !l.direct {
		fds := []unix.PollFd{{Fd: int32(l.fd), Events: unix.POLLIN}}
		if _, err := unix.Poll(fds, -1); err != nil {
			return nil, ignoreInterrupt(err)
		}
		if fds[0].Revents&unix.POLLIN == 0 {
			return nil, errAllGone
		}
	}
	l.in = notification{}
	_, _, errno := unix.Syscall(unix.SYS_IOCTL, uintptr(l.fd), unix.SECCOMP_IOCTL_NOTIF_RECV, uintptr(unsafe.Pointer(&l.in)))
	switch errno {
	case 0:
		return &l.in, nil
	case unix.ENOENT: // the caller was killed, or all have ended
		fds := []unix.PollFd{{Fd: int32(l.fd), Events: unix.POLLIN}}
		if _, err := unix.Poll(fds, 0); err == nil && fds[0].Revents&unix.POLLHUP != 0 {
			return nil, errAllGone
		}
		return nil, nil
	}
	return nil, ignoreInterrupt(errno)
}

func ignoreInterrupt(err error) error {
	if errors.Is(err, unix.EINTR) {
		return nil
	}
	return err
}

// answer lets the call go on, or refuses it as a kernel without it would. A
// caller that was killed meanwhile is no error.
func (l *listener) answer(id uint64, refuse bool) {
	l.out = response{id: id, flags: unix.SECCOMP_USER_NOTIF_FLAG_CONTINUE}
	if refuse {
		l.out = response{id: id, error: -int32(unix.ENOSYS)}
	}
	_, _, _ = unix.RawSyscall(unix.SYS_IOCTL, uintptr(l.fd), unix.SECCOMP_IOCTL_NOTIF_SEND, uintptr(unsafe.Pointer(&l.out)))
}

// valid reports whether the caller still waits, so that its thread id has not
// passed to another program.
func (l *listener) valid(id uint64) bool {
	_, _, errno := unix.RawSyscall(unix.SYS_IOCTL, uintptr(l.fd), ioctlIDValid, uintptr(unsafe.Pointer(&id)))
	return errno == 0
}

func kernelAtLeast(major, minor int) bool {
	var u unix.Utsname
	if unix.Uname(&u) != nil {
		return false
	}
	var have [2]int
	i := 0
	for _, c := range u.Release {
		if c >= '0' && c <= '9' {
			have[i] = have[i]*10 + int(c-'0')
		} else if i++; i == len(have) {
			break
		}
	}
	return have[0] > major || have[0] == major && have[1] >= minor
}
