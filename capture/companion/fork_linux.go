//go:build amd64 || arm64

package companion

import (
	"syscall"
	"unsafe"
)

// Go's own package syscall calls these around its fork. They are open to others:
// https://go.dev/issue/67401.

//go:linkname beforeFork syscall.runtime_BeforeFork
func beforeFork()

//go:linkname afterFork syscall.runtime_AfterFork
func afterFork()

//go:linkname afterForkInChild syscall.runtime_AfterForkInChild
func afterForkInChild()

// life is what a forked process does. It must not return.
type life interface{ live() }

// fork copies this process. In the copy nothing of Go's runtime works: a life allocates
// nothing, takes no lock, stores no pointer, and calls only what grows no stack
// (go:nosplit, which the linker checks). All signals are blocked there, and stay so
// unless it calls afterForkInChild.
//
//go:noinline
//go:norace
func fork(l life) (pid int, err error) {
	syscall.ForkLock.Lock()
	beforeFork()
	child, _, errno := syscall.RawSyscall6(syscall.SYS_CLONE, uintptr(syscall.SIGCHLD), 0, 0, 0, 0, 0)
	if errno == 0 && child == 0 {
		l.live()
		for {
			exit(1)
		}
	}
	afterFork()
	syscall.ForkLock.Unlock()
	if errno != 0 {
		return 0, errno
	}
	return int(child), nil
}

// What a life calls.

//go:nosplit
//go:norace
func exit(status uintptr) {
	_, _, _ = syscall.RawSyscall(syscall.SYS_EXIT_GROUP, status, 0, 0)
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

// shared is memory that a forked process shares with this one, at the same address. Go's
// garbage collector knows nothing of it: it holds addresses as numbers.
type shared struct {
	memory []byte
	used   int
	full   bool // something did not fit
}

// newShared reserves memory; what is not used takes none.
func newShared(size int) (*shared, error) {
	memory, err := syscall.Mmap(-1, 0, size, syscall.PROT_READ|syscall.PROT_WRITE, syscall.MAP_SHARED|syscall.MAP_ANONYMOUS|syscall.MAP_NORESERVE)
	if err != nil {
		return nil, err
	}
	return &shared{memory: memory}, nil
}

func (s *shared) free() {
	if s.memory != nil {
		_ = syscall.Munmap(s.memory)
		s.memory = nil
	}
}

// take hands out n bytes, aligned to 8, and their address.
func (s *shared) take(n int) ([]byte, uintptr) {
	if n > len(s.memory)-s.used-8 {
		s.full = true
		return make([]byte, n), 0
	}
	part := s.memory[s.used : s.used+n]
	at := uintptr(unsafe.Pointer(unsafe.SliceData(part)))
	s.used += (n + 7) &^ 7
	return part, at
}

// text puts a text there, with the NUL that ends it.
func (s *shared) text(text string) uintptr {
	part, at := s.take(len(text) + 1)
	copy(part, text)
	return at
}

// list puts texts there, and their addresses as execve(2) takes them.
func (s *shared) list(texts []string) uintptr {
	addresses, at := s.take((len(texts) + 1) * 8)
	for i, text := range texts {
		*(*uint64)(unsafe.Pointer(&addresses[i*8])) = uint64(s.text(text))
	}
	return at
}
