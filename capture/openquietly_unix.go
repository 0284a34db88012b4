//go:build unix

package capture

import (
	"os"

	"golang.org/x/sys/unix"
)

// OpenQuietly opens a file without waiting for a pipe's other end, taking a
// terminal, or touching the time of access where that is allowed.
func OpenQuietly(path string) (*os.File, error) {
	flags := unix.O_RDONLY | unix.O_NONBLOCK | unix.O_NOCTTY | unix.O_CLOEXEC
	fd, err := unix.Open(path, flags|oNoAtime, 0)
	if err != nil {
		fd, err = unix.Open(path, flags, 0)
	}
	if err != nil {
		return nil, &os.PathError{Op: "open", Path: path, Err: err}
	}
	return os.NewFile(uintptr(fd), path), nil
}
