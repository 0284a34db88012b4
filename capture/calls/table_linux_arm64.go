package calls

import (
	"debug/elf"

	"golang.org/x/sys/unix"
)

const auditArch = unix.AUDIT_ARCH_AARCH64

var oldCalls []call

var otherTables []table

// unseen says why a program's calls pass unseen; empty if they do not.
func unseen(class elf.Class, _ elf.Machine) string {
	if class == elf.ELFCLASS32 {
		return "a 32-bit program: its calls were not seen"
	}
	return ""
}
