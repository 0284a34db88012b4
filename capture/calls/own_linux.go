//go:build amd64 || arm64

package calls

import (
	"encoding/binary"
	"unsafe"

	"golang.org/x/sys/unix"

	"endroit/capture/companion"
)

// What a program has of its own that observing it is in the way of.

// restart is SA_RESTART (sigaction(2)).
const restart = 0x10000000

// handler notes a signal's handler that does not have calls restarted: a signal that
// comes before a call is received makes the call fail with EINTR then.
func (s *supervisor) handler(n *companion.Notification) {
	if s.unrestarted.Load() {
		return
	}
	var act [16]byte // struct sigaction of the kernel: handler, flags
	flags, set := uint64(0), uint64(0)
	if n.Arch == auditArch {
		if s.read(n, n.Args[1], act[:]) != len(act) {
			return
		}
		set, flags = binary.NativeEndian.Uint64(act[:]), binary.NativeEndian.Uint64(act[8:])
	} else {
		if s.read(n, n.Args[1], act[:8]) != 8 {
			return
		}
		set, flags = uint64(binary.NativeEndian.Uint32(act[:])), uint64(binary.NativeEndian.Uint32(act[4:]))
	}
	if set <= 1 || flags&restart != 0 { // SIG_DFL, SIG_IGN
		return
	}
	s.unrestarted.Store(true)
}

// filters notes a filter of the program's own that the observer's comes before.
func (s *supervisor) filters(w *work) {
	at := w.n.Args[2]
	if w.n.Nr == sysSeccomp && w.n.Arch == auditArch || w.n.Arch != auditArch && w.n.Nr == 354 {
		if w.n.Args[1]&unix.SECCOMP_FILTER_FLAG_NEW_LISTENER != 0 {
			s.r.Gap(
				w.p.Exe + " wanted to receive calls of its own programs as Endroit does, which the kernel allows one observer " +
					"alone: it was refused (EBUSY), and may do without, or fail",
			)
		}
	} else if w.n.Args[1] != unix.SECCOMP_MODE_FILTER {
		return
	}
	if w.n.Arch != auditArch {
		return
	}
	var prog [16]byte // struct sock_fprog
	if s.read(w.n, at, prog[:]) != len(prog) {
		return
	}
	count := int(binary.NativeEndian.Uint16(prog[:]))
	code := make([]byte, count*int(unsafe.Sizeof(unix.SockFilter{})))
	if count == 0 || count > unix.BPF_MAXINSNS || s.read(w.n, binary.NativeEndian.Uint64(prog[8:]), code) != len(code) {
		return
	}
	for ; len(code) >= 8; code = code[8:] {
		op, k := binary.NativeEndian.Uint16(code), binary.NativeEndian.Uint32(code[4:])
		if op == unix.BPF_RET|unix.BPF_K && k&unix.SECCOMP_RET_ACTION_FULL == unix.SECCOMP_RET_TRACE {
			s.r.Gap(
				w.p.Exe + " has calls of its programs stopped for a tracer of its own (SECCOMP_RET_TRACE): those that name " +
					"paths go to Endroit instead, and its tracer does not see them",
			)
			return
		}
	}
}

const sysSeccomp = unix.SYS_SECCOMP
