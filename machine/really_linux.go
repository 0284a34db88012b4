package machine

import (
	"path/filepath"

	"golang.org/x/sys/unix"
)

// really is a folder's path without links. That there are none on the way is one call
// (openat2(2), Linux 5.6).
func really(folder string) (string, error) {
	fd, err := unix.Openat2(unix.AT_FDCWD, folder, &unix.OpenHow{Flags: unix.O_PATH | unix.O_DIRECTORY | unix.O_CLOEXEC, Resolve: unix.RESOLVE_NO_SYMLINKS})
	if err == nil {
		_ = unix.Close(fd)
		return filepath.Clean(folder), nil
	}
	return filepath.EvalSymlinks(folder)
}
