//go:build amd64 || arm64

package companion

import (
	"os"
	"runtime"
	"sync"
	"syscall"
	"unsafe"
)

// Witness is a process in the command's process group that nobody knows: a signal that
// it gets was sent to the whole group, so that the command has got it too.
type Witness struct {
	mu sync.Mutex
	fd int
}

// StartWitness starts it.
func StartWitness() (*Witness, error) {
	null, err := syscall.Open(os.DevNull, syscall.O_RDWR|syscall.O_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	defer syscall.Close(null)
	pair, err := syscall.Socketpair(syscall.AF_UNIX, syscall.SOCK_SEQPACKET|syscall.SOCK_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	defer syscall.Close(pair[1])
	pid, err := syscall.ForkExec(self, []string{witnessName, "begin"}, &syscall.ProcAttr{Dir: "/", Env: []string{}, Files: descriptors(closing([]int{null, null, null, pair[1]}))})
	if err != nil {
		_ = syscall.Close(pair[0])
		return nil, err
	}
	go reap(pid)
	wait := syscall.Timeval{Sec: 1}
	_ = syscall.SetsockoptTimeval(pair[0], syscall.SOL_SOCKET, syscall.SO_RCVTIMEO, &wait)
	w := &Witness{fd: pair[0]}
	_, _ = syscall.Read(pair[0], make([]byte, 1)) // it is there
	return w, nil
}

// Got reports whether the whole process group got a signal that this process has just
// got.
func (w *Witness) Got(s syscall.Signal) bool {
	if w == nil {
		return false
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if _, err := syscall.Write(w.fd, []byte{byte(s)}); err != nil {
		return false
	}
	answer := make([]byte, 2)
	for {
		n, err := syscall.Read(w.fd, answer)
		switch {
		case err == syscall.EINTR:
		case n == 2 && answer[0] != byte(s): // late, to an earlier question
		default:
			return err == nil && n == 2 && answer[1] == 'y'
		}
	}
}

// Dismiss ends it.
func (w *Witness) Dismiss() {
	if w != nil {
		_ = syscall.Close(w.fd)
	}
}

const witnessSocket = 3

// lateBy is how much later than the observer the witness may get a signal, in
// nanoseconds: the kernel sends it to one process of the group after the other.
const lateBy = 30e6

// witness is its life. First it blocks all signals and starts itself again, since
// only the threads of a program that is started so all block them.
func witness(args []string) int {
	runtime.LockOSThread()
	all := ^uint64(0)
	if len(args) == 1 && args[0] == "begin" {
		if _, _, errno := syscall.RawSyscall6(syscall.SYS_RT_SIGPROCMASK, 0, uintptr(unsafe.Pointer(&all)), 0, 8, 0, 0); errno != 0 {
			return 1
		}
		_ = syscall.Exec(self, []string{witnessName, "go-on"}, nil)
		return 1
	}
	if _, err := syscall.Write(witnessSocket, []byte{'w'}); err != nil {
		return 1
	}
	asked := make([]byte, 1)
	for {
		n, err := syscall.Read(witnessSocket, asked)
		if err == syscall.EINTR {
			continue
		}
		if n != 1 || err != nil {
			return 0
		}
		set, wait := uint64(1)<<(asked[0]-1), syscall.NsecToTimespec(lateBy)
		got, _, _ := syscall.Syscall6(syscall.SYS_RT_SIGTIMEDWAIT, uintptr(unsafe.Pointer(&set)), 0, uintptr(unsafe.Pointer(&wait)), 8, 0, 0)
		answer := byte('n')
		if got == uintptr(asked[0]) {
			answer = 'y'
		}
		_, _ = syscall.Write(witnessSocket, []byte{asked[0], answer})
	}
}
