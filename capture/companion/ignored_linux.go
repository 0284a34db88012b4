//go:build amd64 || arm64

package companion

import (
	"syscall"
	"unsafe"
)

// ignored has a bit for each signal that this process was started to ignore, SIGHUP being
// the lowest. It is set before Go's runtime starts, if the program was linked to begin at
// _endroit_start; in other programs it is 0.
var ignored uint64

// Ignored reports whether this process was started to ignore a signal, as far as that is
// known: the command has to be as well.
func Ignored(s syscall.Signal) bool { return ignored>>(s-1)&1 != 0 }

// ignore has this process, and what it becomes, ignore signals: rt_sigaction(2), since
// os/signal must not be linked in where the companions start.
func ignore(signals uint64) {
	action := struct {
		handler  uintptr
		flags    uint64
		restorer uintptr
		mask     uint64
	}{handler: 1} // SIG_IGN
	for s := uintptr(1); s <= 64; s++ {
		if signals>>(s-1)&1 != 0 {
			_, _, _ = syscall.RawSyscall6(syscall.SYS_RT_SIGACTION, s, uintptr(unsafe.Pointer(&action)), 0, unsafe.Sizeof(action.mask), 0, 0)
		}
	}
}
