//go:build amd64 || arm64

package capture

import (
	"fmt"
	"runtime"
	"unsafe"

	"golang.org/x/net/bpf"
	"golang.org/x/sys/unix"
)

// Offsets in struct seccomp_data (seccomp(2)).
const (
	dataNumber = 0
	dataArch   = 4
)

// filter assembles the program that lets every call pass but those in the
// tables, which wait for the observer. Calls of a kind of program that has no
// table pass unseen; the observer notes such programs.
func filter() ([]unix.SockFilter, error) {
	notify := uint32(unix.SECCOMP_RET_USER_NOTIF)
	program := []bpf.Instruction{bpf.LoadAbsolute{Off: dataArch, Size: 4}}
	for _, t := range tables {
		n := len(t.calls)
		program = append(program,
			bpf.JumpIf{Cond: bpf.JumpEqual, Val: t.arch, SkipFalse: uint8(n + 3)}, // to the next table
			bpf.LoadAbsolute{Off: dataNumber, Size: 4})
		for i, c := range t.calls {
			program = append(program, bpf.JumpIf{Cond: bpf.JumpEqual, Val: c.nr, SkipTrue: uint8(n - i)})
		}
		program = append(program, bpf.RetConstant{Val: unix.SECCOMP_RET_ALLOW}, bpf.RetConstant{Val: notify})
	}
	program = append(program, bpf.RetConstant{Val: unix.SECCOMP_RET_ALLOW})
	raw, err := bpf.Assemble(program)
	if err != nil {
		return nil, fmt.Errorf("assemble the filter: %w", err)
	}
	out := make([]unix.SockFilter, len(raw))
	for i, r := range raw {
		out[i] = unix.SockFilter{Code: r.Op, Jt: r.Jt, Jf: r.Jf, K: r.K}
	}
	return out, nil
}

// installFilter puts the filter on the calling thread, which the caller has
// locked, and returns the listener's descriptor.
func installFilter() (int, error) {
	insns, err := filter()
	if err != nil {
		return -1, err
	}
	if err := unix.Prctl(unix.PR_SET_NO_NEW_PRIVS, 1, 0, 0, 0); err != nil {
		return -1, fmt.Errorf("prctl(PR_SET_NO_NEW_PRIVS): %w", err)
	}
	prog := unix.SockFprog{Len: uint16(len(insns)), Filter: &insns[0]}
	// Waiting killably keeps signals that do not end the program from
	// interrupting a call that the observer has already seen (Linux 5.19).
	flags := uintptr(unix.SECCOMP_FILTER_FLAG_NEW_LISTENER | unix.SECCOMP_FILTER_FLAG_WAIT_KILLABLE_RECV)
	fd, _, errno := unix.Syscall(unix.SYS_SECCOMP, unix.SECCOMP_SET_MODE_FILTER, flags, uintptr(unsafe.Pointer(&prog)))
	if errno == unix.EINVAL {
		fd, _, errno = unix.Syscall(unix.SYS_SECCOMP, unix.SECCOMP_SET_MODE_FILTER, unix.SECCOMP_FILTER_FLAG_NEW_LISTENER, uintptr(unsafe.Pointer(&prog)))
	}
	runtime.KeepAlive(insns)
	switch errno {
	case 0:
		return int(fd), nil
	case unix.EBUSY:
		return -1, fmt.Errorf("this program is itself being observed, and the kernel allows one observer; run it outside")
	case unix.EINVAL, unix.ENOSYS:
		return -1, fmt.Errorf("the kernel has no seccomp user notification (Linux 5.9 or later, built with CONFIG_SECCOMP_FILTER): %w", errno)
	}
	return -1, fmt.Errorf("install the filter: %w; a container may forbid it", errno)
}
