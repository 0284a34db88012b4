//go:build amd64 || arm64

package calls

import (
	"golang.org/x/net/bpf"
	"golang.org/x/sys/unix"
)

// action says what a call does with the paths that it names.
type action uint8

const (
	actOpen    action = iota // by flags in an argument
	actOpen2                 // by flags in a struct open_how (openat2(2))
	actCreat                 // creat(2)
	actNode                  // mknod
	actFolder                // mkdir
	actRemove                // unlink; with AT_REMOVEDIR a folder
	actRmdir                 // rmdir
	actRename                // rename; with RENAME_EXCHANGE a swap
	actLink                  // link
	actSymlink               // symlink: the path is the second name
	actCut                   // truncate
	actRun                   // exec
	actRoot                  // another root folder, or other mounts, from then on
	actChdir                 // another working folder from then on
	actHandler               // sets what a signal does
	actFilter                // a filter of the program's own
	actHandle                // opened by a handle instead of a path: its path cannot be determined
	actRefuse                // answered as if the kernel had no such call
)

// call is one system call that names a path. The numbers are the indexes of its
// arguments, -1 where it has none: a descriptor of the folder that a relative
// path starts from, the path, the flags; and the second folder and path.
type call struct {
	nr          uint32
	act         action
	dir, path   int8
	flags       int8
	dir2, path2 int8
	when        []test // it waits for the observer only if all hold
}

// test is asked of the lower 32 bits of an argument.
type test struct {
	arg   int
	is    bpf.JumpTest
	value uint32
}

// opens are those openings that open something: O_PATH does not, and leads nowhere that
// another call does not tell.
func opens(flags int) []test { return []test{{flags, bpf.JumpBitsNotSet, unix.O_PATH}} }

// calls common to the 64-bit architectures (unistd.h). io_uring_setup is refused,
// since what is done through a ring would bypass the filter.
var calls = append([]call{
	{nr: unix.SYS_OPENAT, act: actOpen, dir: 0, path: 1, flags: 2, dir2: -1, path2: -1, when: opens(2)},
	{nr: unix.SYS_OPENAT2, act: actOpen2, dir: 0, path: 1, flags: 2, dir2: -1, path2: -1},
	{nr: unix.SYS_MKNODAT, act: actNode, dir: 0, path: 1, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_MKDIRAT, act: actFolder, dir: 0, path: 1, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_UNLINKAT, act: actRemove, dir: 0, path: 1, flags: 2, dir2: -1, path2: -1},
	{nr: unix.SYS_RENAMEAT, act: actRename, dir: 0, path: 1, flags: -1, dir2: 2, path2: 3},
	{nr: unix.SYS_RENAMEAT2, act: actRename, dir: 0, path: 1, flags: 4, dir2: 2, path2: 3},
	{nr: unix.SYS_LINKAT, act: actLink, dir: 0, path: 1, flags: 4, dir2: 2, path2: 3},
	{nr: unix.SYS_SYMLINKAT, act: actSymlink, dir: 1, path: 2, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_TRUNCATE, act: actCut, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_EXECVE, act: actRun, dir: -1, path: 0, flags: -1, dir2: -1, path2: -1},
	{nr: unix.SYS_EXECVEAT, act: actRun, dir: 0, path: 1, flags: 4, dir2: -1, path2: -1},
	bare(unix.SYS_CHROOT, actRoot),
	bare(unix.SYS_PIVOT_ROOT, actRoot),
	bare(unix.SYS_MOUNT, actRoot),
	bare(unix.SYS_UMOUNT2, actRoot),
	bare(unix.SYS_MOVE_MOUNT, actRoot),
	bare(unix.SYS_SETNS, actRoot),
	bare(unix.SYS_UNSHARE, actRoot),
	bare(unix.SYS_CHDIR, actChdir),
	bare(unix.SYS_FCHDIR, actChdir),
	bare(unix.SYS_OPEN_BY_HANDLE_AT, actHandle),
	bare(unix.SYS_IO_URING_SETUP, actRefuse),
	bare(unix.SYS_RT_SIGACTION, actHandler, test{1, bpf.JumpNotEqual, 0}),
	bare(unix.SYS_SECCOMP, actFilter, test{0, bpf.JumpEqual, unix.SECCOMP_SET_MODE_FILTER}),
	bare(unix.SYS_PRCTL, actFilter, test{0, bpf.JumpEqual, unix.PR_SET_SECCOMP}),
}, oldCalls...)

// bare is a call that names no path.
func bare(nr uint32, act action, when ...test) call {
	return call{nr: nr, act: act, dir: -1, path: -1, flags: -1, dir2: -1, path2: -1, when: when}
}

// table is what calls mean of programs of one kind, as the kernel tells kinds
// apart (AUDIT_ARCH_…).
type table struct {
	arch  uint32
	calls []call
}

// tables are of this machine's own kind, and of those that its kernel runs too.
var tables = append([]table{{auditArch, calls}}, otherTables...)

// numbered is a call of one kind of program.
type numbered struct{ arch, nr uint32 }

var callByNumber = func() map[numbered]*call {
	m := map[numbered]*call{}
	for _, t := range tables {
		for i, c := range t.calls {
			m[numbered{t.arch, c.nr}] = &t.calls[i]
		}
	}
	return m
}()

// byNumber are the calls of this machine's own kind of programs, where nearly all are.
var byNumber = func() (list [maxNumber]*call) {
	for i, c := range calls {
		list[c.nr] = &calls[i]
	}
	return list
}()

// maxNumber is above all numbers of calls that are known here.
const maxNumber = 512

// callOf is what a call means; nil of one that is not in the tables.
func callOf(arch uint32, nr int32) *call {
	if arch == auditArch && nr >= 0 && nr < maxNumber {
		return byNumber[nr]
	}
	return callByNumber[numbered{arch, uint32(nr)}]
}
