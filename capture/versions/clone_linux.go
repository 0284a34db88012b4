package versions

import (
	"errors"
	"os"

	"golang.org/x/sys/unix"
)

// clone makes out share the content of in, where the file system can (FICLONE,
// ioctl_ficlonerange(2)); otherwise it does nothing.
func clone(out, in *os.File) bool {
	return unix.IoctlFileClone(int(out.Fd()), int(in.Fd())) == nil
}

func NoSpace(err error) bool {
	return errors.Is(err, unix.ENOSPC) || errors.Is(err, unix.EDQUOT) || errors.Is(err, unix.EROFS)
}
