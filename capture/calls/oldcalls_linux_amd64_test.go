package calls

import (
	"errors"
	"fmt"
	"os"
	"unsafe"

	"golang.org/x/sys/unix"

	"endroit/capture/capturetest"
)

// The calls that newer architectures no longer have, which older programs and C
// libraries use.
func init() {
	capturetest.Acts["old-calls"] = func() error {
		var failed error
		call := func(nr uintptr, args ...any) uintptr {
			var raw [3]uintptr
			for i, a := range args {
				switch a := a.(type) {
				case string:
					raw[i] = uintptr(unsafe.Pointer(capturetest.Must(unix.BytePtrFromString(a))))
				case int:
					raw[i] = uintptr(a)
				}
			}
			got, _, errno := unix.Syscall(nr, raw[0], raw[1], raw[2])
			if errno != 0 {
				failed = errors.Join(failed, fmt.Errorf("call %d: %w", nr, errno))
			}
			return got
		}
		call(unix.SYS_CREAT, "made", 0o600)
		call(unix.SYS_OPEN, "there.txt", unix.O_WRONLY|unix.O_APPEND, 0)
		call(unix.SYS_MKNOD, "node", unix.S_IFREG|0o600, 0)
		call(unix.SYS_MKDIR, "folder", 0o700)
		call(unix.SYS_RENAME, "made", "folder/moved")
		call(unix.SYS_LINK, "folder/moved", "second")
		call(unix.SYS_SYMLINK, "second", "soft")
		call(unix.SYS_UNLINK, "folder/moved")
		call(unix.SYS_RMDIR, "folder")
		call(unix.SYS_TRUNCATE, "second", 5)
		if info, err := os.Stat("second"); failed == nil && (err != nil || info.Size() != 5) {
			failed = errors.New("second was not cut")
		}
		return failed
	}
	catalogue["old-calls"] = []string{"create made", "append there.txt", "create node", "make-folder folder", "rename made folder/moved", "link folder/moved second", "symlink soft", "remove folder/moved", "remove-folder folder", "truncate second"}
}
