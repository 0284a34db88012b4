package capture

import (
	"debug/elf"

	"golang.org/x/sys/unix"
)

const auditArch = unix.AUDIT_ARCH_X86_64

// oldCalls are those that newer architectures no longer have.
var oldCalls = []call{
	{unix.SYS_OPEN, actOpen, -1, 0, 1, -1, -1},
	{unix.SYS_CREAT, actCreat, -1, 0, -1, -1, -1},
	{unix.SYS_MKNOD, actNode, -1, 0, -1, -1, -1},
	{unix.SYS_MKDIR, actFolder, -1, 0, -1, -1, -1},
	{unix.SYS_UNLINK, actRemove, -1, 0, -1, -1, -1},
	{unix.SYS_RMDIR, actRmdir, -1, 0, -1, -1, -1},
	{unix.SYS_RENAME, actRename, -1, 0, -1, -1, 1},
	{unix.SYS_LINK, actLink, -1, 0, -1, -1, 1},
	{unix.SYS_SYMLINK, actSymlink, -1, 1, -1, -1, -1},
}

// otherTables are 32-bit programs' (arch/x86/entry/syscalls/syscall_32.tbl). Their
// arguments come as 64 bits with the upper ones clear.
var otherTables = []table{{unix.AUDIT_ARCH_I386, []call{
	{5, actOpen, -1, 0, 1, -1, -1},       // open
	{8, actCreat, -1, 0, -1, -1, -1},     // creat
	{9, actLink, -1, 0, -1, -1, 1},       // link
	{10, actRemove, -1, 0, -1, -1, -1},   // unlink
	{11, actRun, -1, 0, -1, -1, -1},      // execve
	{14, actNode, -1, 0, -1, -1, -1},     // mknod
	{38, actRename, -1, 0, -1, -1, 1},    // rename
	{39, actFolder, -1, 0, -1, -1, -1},   // mkdir
	{40, actRmdir, -1, 0, -1, -1, -1},    // rmdir
	{61, actRoot, -1, -1, -1, -1, -1},    // chroot
	{83, actSymlink, -1, 1, -1, -1, -1},  // symlink
	{92, actCut, -1, 0, -1, -1, -1},      // truncate
	{193, actCut, -1, 0, -1, -1, -1},     // truncate64
	{217, actRoot, -1, -1, -1, -1, -1},   // pivot_root
	{295, actOpen, 0, 1, 2, -1, -1},      // openat
	{296, actFolder, 0, 1, -1, -1, -1},   // mkdirat
	{297, actNode, 0, 1, -1, -1, -1},     // mknodat
	{301, actRemove, 0, 1, 2, -1, -1},    // unlinkat
	{302, actRename, 0, 1, -1, 2, 3},     // renameat
	{303, actLink, 0, 1, -1, 2, 3},       // linkat
	{304, actSymlink, 1, 2, -1, -1, -1},  // symlinkat
	{342, actHandle, -1, -1, -1, -1, -1}, // open_by_handle_at
	{353, actRename, 0, 1, 4, 2, 3},      // renameat2
	{358, actRun, 0, 1, -1, -1, -1},      // execveat
	{425, actRefuse, -1, -1, -1, -1, -1}, // io_uring_setup
	{437, actOpen2, 0, 1, 2, -1, -1},     // openat2
}}}

// unseen says why a program's calls pass unseen; empty if they do not.
func unseen(class elf.Class, machine elf.Machine) string {
	if class == elf.ELFCLASS32 && machine == elf.EM_X86_64 {
		return "a 64-bit program with 32-bit addresses (x32): its calls were not seen"
	}
	return ""
}
