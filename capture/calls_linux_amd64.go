package capture

import "golang.org/x/sys/unix"

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
