//go:build amd64 || arm64

package capture

import "golang.org/x/sys/unix"

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
	actRoot                  // another root folder from then on
	actHandle                // opened by a handle instead of a path: what it is cannot be told
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
}

// calls common to the 64-bit architectures (unistd.h). io_uring_setup is refused,
// since what is done through a ring would bypass the filter.
var calls = append([]call{
	{unix.SYS_OPENAT, actOpen, 0, 1, 2, -1, -1},
	{unix.SYS_OPENAT2, actOpen2, 0, 1, 2, -1, -1},
	{unix.SYS_MKNODAT, actNode, 0, 1, -1, -1, -1},
	{unix.SYS_MKDIRAT, actFolder, 0, 1, -1, -1, -1},
	{unix.SYS_UNLINKAT, actRemove, 0, 1, 2, -1, -1},
	{unix.SYS_RENAMEAT, actRename, 0, 1, -1, 2, 3},
	{unix.SYS_RENAMEAT2, actRename, 0, 1, 4, 2, 3},
	{unix.SYS_LINKAT, actLink, 0, 1, -1, 2, 3},
	{unix.SYS_SYMLINKAT, actSymlink, 1, 2, -1, -1, -1},
	{unix.SYS_TRUNCATE, actCut, -1, 0, -1, -1, -1},
	{unix.SYS_EXECVE, actRun, -1, 0, -1, -1, -1},
	{unix.SYS_EXECVEAT, actRun, 0, 1, -1, -1, -1},
	{unix.SYS_CHROOT, actRoot, -1, -1, -1, -1, -1},
	{unix.SYS_PIVOT_ROOT, actRoot, -1, -1, -1, -1, -1},
	{unix.SYS_OPEN_BY_HANDLE_AT, actHandle, -1, -1, -1, -1, -1},
	{unix.SYS_IO_URING_SETUP, actRefuse, -1, -1, -1, -1, -1},
}, oldCalls...)

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

var callByNumber = func() map[numbered]call {
	m := map[numbered]call{}
	for _, t := range tables {
		for _, c := range t.calls {
			m[numbered{t.arch, c.nr}] = c
		}
	}
	return m
}()
