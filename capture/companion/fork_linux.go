//go:build amd64 || arm64

package companion

import (
	"runtime"
	"syscall"
	"unsafe"
)

// life is what a process does that was started by begin. It must not return.
//
// The process shares this one's memory, on a stack of its own, and nothing of Go's runtime
// works in it: a life allocates nothing, takes no lock, stores no pointer, and calls only
// what grows no stack (go:nosplit, which the linker checks). What it uses has to stay
// reachable as long as it lives.
type life interface{ live(b *begun) }

// lifeStack is more than what functions that grow no stack may use.
const lifeStack = 16 << 10

// begun is a process that was started.
type begun struct {
	life  life
	stack []byte
	mask  uint64 // the signals that were blocked before
	pid   int
}

// begin starts a process: a copy of this one but for the memory, which both share, so
// that it costs a twentieth of a millisecond. It has all signals blocked.
func begin(l life) (*begun, error) {
	stack, err := syscall.Mmap(-1, 0, lifeStack, syscall.PROT_READ|syscall.PROT_WRITE, syscall.MAP_PRIVATE|syscall.MAP_ANONYMOUS)
	if err != nil {
		return nil, err
	}
	b := &begun{life: l, stack: stack}
	syscall.ForkLock.Lock()
	runtime.LockOSThread()
	all := ^uint64(0)
	setMask(&all, &b.mask)
	entry := live
	pid := clone(
		syscall.CLONE_VM|uintptr(syscall.SIGCHLD), uintptr(unsafe.Pointer(unsafe.SliceData(stack)))+lifeStack,
		b, **(**uintptr)(unsafe.Pointer(&entry)),
	)
	setMask(&b.mask, nil)
	runtime.UnlockOSThread()
	syscall.ForkLock.Unlock()
	if pid < 0 {
		_ = syscall.Munmap(stack)
		return nil, syscall.Errno(-pid)
	}
	b.pid = pid
	return b, nil
}

// wait waits for its end.
func (b *begun) wait() {
	for {
		if _, err := syscall.Wait4(b.pid, nil, 0, nil); err != syscall.EINTR {
			break
		}
	}
	b.left()
}

// left is to be called once it has ended or become another program.
func (b *begun) left() {
	if b.stack != nil {
		_ = syscall.Munmap(b.stack)
		b.stack = nil
	}
}

// clone calls clone(2): in the new process, which starts at that stack, it calls live at
// its own address. The one that assembly gets by live's name tells the race detector first.
//
//go:noescape
func clone(flags, stack uintptr, b *begun, live uintptr) (pid int)

//
//go:nosplit
//go:norace
func live(b *begun) {
	b.life.live(b)
	exit(1)
}

// What a life calls.

//go:nosplit
//go:norace
func exit(status uintptr) {
	for {
		_, _, _ = syscall.RawSyscall(syscall.SYS_EXIT_GROUP, status, 0, 0)
	}
}

//go:nosplit
//go:norace
func closeOne(fd int) { _, _, _ = syscall.RawSyscall(syscall.SYS_CLOSE, uintptr(fd), 0, 0) }

// again repeats a call with three arguments that a signal interrupted.
//
//go:nosplit
//go:norace
func again(call, a, b, c uintptr) (uintptr, syscall.Errno) {
	for {
		n, _, errno := syscall.RawSyscall(call, a, b, c)
		if errno != syscall.EINTR {
			return n, errno
		}
	}
}

// setMask sets which signals the calling thread blocks (rt_sigprocmask(2)).
//
//go:nosplit
//go:norace
func setMask(to, was *uint64) {
	const setMask = 2 // SIG_SETMASK
	_, _, _ = syscall.RawSyscall6(
		syscall.SYS_RT_SIGPROCMASK, setMask, uintptr(unsafe.Pointer(to)), uintptr(unsafe.Pointer(was)), 8, 0, 0,
	)
}

// action is what is done at a signal (rt_sigaction(2)).
type action struct {
	handler, flags, restorer uintptr
	mask                     uint64
}

// The handlers that are none.
const (
	actDefault = 0 // SIG_DFL
	actIgnore  = 1 // SIG_IGN
)

//go:nosplit
//go:norace
func setAction(s uintptr, to, was *action) {
	_, _, _ = syscall.RawSyscall6(syscall.SYS_RT_SIGACTION, s, uintptr(unsafe.Pointer(to)), uintptr(unsafe.Pointer(was)), 8, 0, 0)
}
