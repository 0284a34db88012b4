//go:build linux && 386

// Command calls386 is a 32-bit program that makes each call by which a path is
// opened, made, renamed, linked, removed, cut or executed, old and new.
package main

import (
	"fmt"
	"os"
	"runtime"
	"syscall"
	"unsafe"

	"golang.org/x/sys/unix"
)

func main() {
	if len(os.Args) > 1 {
		call("creat", unix.SYS_CREAT, text("by-"+os.Args[1]), 0o600)
		return
	}
	here := ^uintptr(99) // AT_FDCWD
	call("open", unix.SYS_OPEN, text("there.txt"), unix.O_RDONLY, 0)
	call("open to write", unix.SYS_OPEN, text("new.sav"), unix.O_CREAT|unix.O_WRONLY, 0o600)
	call("creat", unix.SYS_CREAT, text("made.sav"), 0o600)
	call("mkdir", unix.SYS_MKDIR, text("sub"), 0o700)
	call("link", unix.SYS_LINK, text("there.txt"), text("hard"))
	call("symlink", unix.SYS_SYMLINK, text("there.txt"), text("soft"))
	call("rename", unix.SYS_RENAME, text("made.sav"), text("sub/named.sav"))
	call("truncate", unix.SYS_TRUNCATE, text("there.txt"), 3)
	call("truncate64", unix.SYS_TRUNCATE64, text("there.txt"), 2, 0)
	call("unlink", unix.SYS_UNLINK, text("hard"))
	call("mknod", unix.SYS_MKNOD, text("pipe"), unix.S_IFIFO|0o600, 0)
	call("openat", unix.SYS_OPENAT, here, text("at.sav"), unix.O_CREAT|unix.O_WRONLY, 0o600)
	how := unix.OpenHow{Flags: unix.O_CREAT | unix.O_WRONLY, Mode: 0o600}
	call("openat2", unix.SYS_OPENAT2, here, text("at2.sav"), uintptr(unsafe.Pointer(&how)), unix.SizeofOpenHow)
	call("mkdirat", unix.SYS_MKDIRAT, here, text("sub/deeper"), 0o700)
	folder := call("open a folder", unix.SYS_OPEN, text("sub"), unix.O_RDONLY|unix.O_DIRECTORY, 0)
	call("openat in a folder", unix.SYS_OPENAT, folder, text("inner.sav"), unix.O_CREAT|unix.O_WRONLY, 0o600)
	call("renameat", unix.SYS_RENAMEAT, folder, text("inner.sav"), folder, text("deeper/inner.sav"))
	call("renameat2", unix.SYS_RENAMEAT2, here, text("at.sav"), here, text("at2.sav"), unix.RENAME_EXCHANGE)
	call("linkat", unix.SYS_LINKAT, here, text("at.sav"), folder, text("linked"), 0)
	call("symlinkat", unix.SYS_SYMLINKAT, text("x"), folder, text("soft"))
	call("unlinkat", unix.SYS_UNLINKAT, folder, text("linked"), 0)
	call("mkdir", unix.SYS_MKDIR, text("gone"), 0o700)
	call("rmdir", unix.SYS_RMDIR, text("gone"))
	var ring [120]byte
	if _, _, errno := unix.Syscall(unix.SYS_IO_URING_SETUP, 1, uintptr(unsafe.Pointer(&ring[0])), 0); errno != unix.ENOSYS {
		fail("io_uring_setup", errno)
	}
	self, err := os.Executable()
	if err != nil {
		fail("find this program", err)
	}
	if err := syscall.Exec(self, []string{self, "executed"}, os.Environ()); err != nil {
		fail("execve", err)
	}
}

var kept []*byte

func text(s string) uintptr {
	p, err := unix.BytePtrFromString(s)
	if err != nil {
		fail(s, err)
	}
	kept = append(kept, p) // the kernel, and the observer, read it later
	return uintptr(unsafe.Pointer(p))
}

func call(what string, number uintptr, args ...uintptr) uintptr {
	var a [6]uintptr
	copy(a[:], args)
	r, _, errno := unix.Syscall6(number, a[0], a[1], a[2], a[3], a[4], a[5])
	if errno != 0 {
		fail(what, errno)
	}
	runtime.KeepAlive(kept)
	return r
}

func fail(what string, err error) {
	fmt.Fprintln(os.Stderr, what+":", err)
	os.Exit(1)
}
