//go:build amd64 || arm64

package companion

import (
	"syscall"
	"unsafe"
)

// keeperName is the name under which the program starts itself again.
const keeperName = "endroit-keeper"

// self is this program, however it was started.
const self = "/proc/self/exe"

func init() {
	switch args := words(); {
	case len(args) == 0:
	case args[0] == keeperName:
		syscall.Exit(keep(args[1:]))
	default:
		startEarly(args)
	}
}

// words are what this program was started with; none if that cannot be determined.
func words() []string {
	fd, err := syscall.Open("/proc/self/cmdline", syscall.O_RDONLY|syscall.O_CLOEXEC, 0)
	if err != nil {
		return nil
	}
	defer syscall.Close(fd)
	var text []byte
	for part := make([]byte, 4096); ; {
		n, err := syscall.Read(fd, part)
		switch {
		case err == syscall.EINTR:
		case err != nil:
			return nil
		case n == 0:
			return split(text)
		default:
			text = append(text, part[:n]...)
		}
	}
}

const setName = 15 // PR_SET_NAME

// call gives this process a name that a person finds in a list of processes; at most 15
// bytes count (prctl(2)).
func call(name string) {
	text, err := syscall.BytePtrFromString(name)
	if err == nil {
		_, _, _ = syscall.RawSyscall(syscall.SYS_PRCTL, setName, uintptr(unsafe.Pointer(text)), 0)
	}
}
