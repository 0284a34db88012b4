package calls

import (
	"debug/elf"

	"golang.org/x/net/bpf"
	"golang.org/x/sys/unix"
)

const auditArch = unix.AUDIT_ARCH_X86_64

// oldCalls are those that newer architectures no longer have.
var oldCalls = []call{
	{nr: unix.SYS_OPEN, act: actOpen, dir: -1, path: 0, flags: 1, dir2: -1, path2: -1, when: opens(1)},
	{nr: unix.SYS_CREAT, act: actCreat, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_MKNOD, act: actNode, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_MKDIR, act: actFolder, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_UNLINK, act: actRemove, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_RMDIR, act: actRmdir, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_RENAME, act: actRename, dir: -1, path: 0, flags: -1, dir2: -1, path2: 1},
	{nr: unix.SYS_LINK, act: actLink, dir: -1, path: 0, flags: -1, dir2: -1, path2: 1},
	{nr: unix.SYS_SYMLINK, act: actSymlink, dir: -1, path: 1, flags: -1, dir2: -1, path2: -1},
}

// otherTables are 32-bit programs' (arch/x86/entry/syscalls/syscall_32.tbl). Their
// arguments come as 64 bits with the upper ones clear.
var otherTables = []table{{unix.AUDIT_ARCH_I386, []call{
	{nr: 5, act: actOpen, dir: -1, path: 0, flags: 1, dir2: -1, path2: -1, when: opens(1)}, // open
	{nr: 8, act: actCreat, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},               // creat
	{nr: 9, act: actLink, dir: -1, path: 0, flags: -1, dir2: -1, path2: 1},                 // link
	{nr: 10, act: actRemove, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},             // unlink
	{nr: 11, act: actRun, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},                // execve
	{nr: 14, act: actNode, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},               // mknod
	{nr: 38, act: actRename, dir: -1, path: 0, flags: -1, dir2: -1, path2: 1},              // rename
	{nr: 39, act: actFolder, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},             // mkdir
	{nr: 40, act: actRmdir, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},              // rmdir
	bare(61, actRoot), // chroot
	{nr: 83, act: actSymlink, dir: -1, path: 1, flags: -1, dir2: -1, path2: -1}, // symlink
	{nr: 92, act: actCut, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},     // truncate
	{nr: 193, act: actCut, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},    // truncate64
	bare(217, actRoot), // pivot_root
	{nr: 295, act: actOpen, dir: 0, path: 1, flags: 2, dir2: -1, path2: -1, when: opens(2)}, // openat
	{nr: 296, act: actFolder, dir: 0, path: 1, flags: -1, dir2: -1, path2: -1},              // mkdirat
	{nr: 297, act: actNode, dir: 0, path: 1, flags: -1, dir2: -1, path2: -1},                // mknodat
	{nr: 301, act: actRemove, dir: 0, path: 1, flags: 2, dir2: -1, path2: -1},               // unlinkat
	{nr: 302, act: actRename, dir: 0, path: 1, flags: -1, dir2: 2, path2: 3},                // renameat
	{nr: 303, act: actLink, dir: 0, path: 1, flags: 4, dir2: 2, path2: 3},                   // linkat
	{nr: 304, act: actSymlink, dir: 1, path: 2, flags: -1, dir2: -1, path2: -1},             // symlinkat
	bare(342, actHandle), // open_by_handle_at
	{nr: 353, act: actRename, dir: 0, path: 1, flags: 4, dir2: 2, path2: 3}, // renameat2
	{nr: 358, act: actRun, dir: 0, path: 1, flags: 4, dir2: -1, path2: -1},  // execveat
	bare(425, actRefuse), // io_uring_setup
	{nr: 437, act: actOpen2, dir: 0, path: 1, flags: 2, dir2: -1, path2: -1}, // openat2
	bare(12, actChdir),  // chdir
	bare(133, actChdir), // fchdir
	bare(21, actRoot),   // mount
	bare(52, actRoot),   // umount2
	bare(310, actRoot),  // unshare
	bare(346, actRoot),  // setns
	bare(429, actRoot),  // move_mount
	bare(174, actHandler, test{1, bpf.JumpNotEqual, 0}),                        // rt_sigaction
	bare(172, actFilter, test{0, bpf.JumpEqual, unix.PR_SET_SECCOMP}),          // prctl
	bare(354, actFilter, test{0, bpf.JumpEqual, unix.SECCOMP_SET_MODE_FILTER}), // seccomp
}}}

// unseen says why a program's calls pass unseen; empty if they do not.
func unseen(class elf.Class, machine elf.Machine) string {
	if class == elf.ELFCLASS32 && machine == elf.EM_X86_64 {
		return "a 64-bit program with 32-bit addresses (x32): its calls were not seen"
	}
	return ""
}
