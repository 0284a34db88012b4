//go:build amd64 || arm64

package companion

import (
	"os"
	"syscall"
	"unsafe"
)

// The names under which the program starts itself again.
const (
	launcherName = "endroit-launcher"
	keeperName   = "endroit-keeper"
)

// self is this program, however it was started.
const self = "/proc/self/exe"

func init() {
	if len(os.Args) == 0 {
		return
	}
	switch os.Args[0] {
	case launcherName:
		os.Exit(launch(os.Args[1:]))
	case keeperName:
		os.Exit(keep(os.Args[1:]))
	}
}

// Call gives this process a name that a person finds in a list of processes; at most 15
// bytes count (prctl(2), PR_SET_NAME).
func Call(name string) {
	const setName = 15
	text, err := syscall.BytePtrFromString(name)
	if err == nil {
		_, _, _ = syscall.RawSyscall(syscall.SYS_PRCTL, setName, uintptr(unsafe.Pointer(text)), 0)
	}
}
