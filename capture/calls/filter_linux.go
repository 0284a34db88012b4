//go:build amd64 || arm64

package calls

import (
	"encoding/binary"
	"fmt"

	"golang.org/x/net/bpf"
	"golang.org/x/sys/unix"
)

// Offsets in struct seccomp_data (seccomp(2)): the lower half of an argument is first on
// these architectures.
const (
	dataNumber = 0
	dataArch   = 4
	dataArgs   = 16
)

// filter assembles the program that lets every call pass but those in the tables,
// which wait for the observer. Of some calls an argument tells that nothing is to be
// seen; they pass too. Calls of a kind of program that has no table pass unseen; the
// observer notes such programs. It is in the form of struct sock_filter.
func filter() ([]byte, error) {
	var program []bpf.Instruction
	for _, t := range tables {
		body := filterOf(t)
		program = append(program,
			bpf.LoadAbsolute{Off: dataArch, Size: 4},
			bpf.JumpIf{Cond: bpf.JumpEqual, Val: t.arch, SkipTrue: 1},
			bpf.Jump{Skip: uint32(len(body))}) // to the next table
		program = append(program, body...)
	}
	program = append(program, bpf.RetConstant{Val: unix.SECCOMP_RET_ALLOW})
	raw, err := bpf.Assemble(program)
	if err != nil {
		return nil, fmt.Errorf("assemble the filter: %w", err)
	}
	var out []byte
	for _, r := range raw {
		out = binary.NativeEndian.AppendUint16(out, r.Op)
		out = append(out, r.Jt, r.Jf)
		out = binary.NativeEndian.AppendUint32(out, r.K)
	}
	return out, nil
}

// filterOf is the part for one kind of program.
func filterOf(t table) (program []bpf.Instruction) {
	var plain []call
	program = append(program, bpf.LoadAbsolute{Off: dataNumber, Size: 4})
	for _, c := range t.calls {
		if len(c.when) == 0 {
			plain = append(plain, c)
			continue
		}
		var tests []bpf.Instruction
		for _, w := range c.when {
			tests = append(tests, bpf.LoadAbsolute{Off: dataArgs + 8*uint32(w.arg), Size: 4})
			tests = append(tests, bpf.JumpIf{Cond: w.is, Val: w.value, SkipTrue: 1}, bpf.RetConstant{Val: unix.SECCOMP_RET_ALLOW})
		}
		tests = append(tests, bpf.RetConstant{Val: unix.SECCOMP_RET_USER_NOTIF})
		program = append(program, bpf.JumpIf{Cond: bpf.JumpNotEqual, Val: c.nr, SkipTrue: uint8(len(tests))})
		program = append(program, tests...)
	}
	for i, c := range plain {
		program = append(program, bpf.JumpIf{Cond: bpf.JumpEqual, Val: c.nr, SkipTrue: uint8(len(plain) - i)})
	}
	return append(program, bpf.RetConstant{Val: unix.SECCOMP_RET_ALLOW}, bpf.RetConstant{Val: unix.SECCOMP_RET_USER_NOTIF})
}
