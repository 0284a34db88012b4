//go:build unix

package capture

import (
	"io"
	"os"

	"golang.org/x/sys/unix"
)

// OpenQuietly opens a file without waiting for a pipe's other end, taking a
// terminal, or touching the time of access where that is allowed.
func OpenQuietly(path string) (*os.File, error) {
	fd, err := openQuietly(path)
	if err != nil {
		return nil, &os.PathError{Op: "open", Path: path, Err: err}
	}
	return os.NewFile(uintptr(fd), path), nil
}

func openQuietly(path string) (fd int, err error) {
	flags := unix.O_RDONLY | unix.O_NONBLOCK | unix.O_NOCTTY | unix.O_CLOEXEC
	fd, err = unix.Open(path, flags|oNoAtime, 0)
	if err != nil {
		fd, err = unix.Open(path, flags, 0)
	}
	return fd, err
}

// plainFile reads a descriptor, without the three calls by which an os.File finds out
// whether it can be polled.
type plainFile int

// readQuietly opens a file as OpenQuietly does, to be read through once.
func readQuietly(path string) (io.ReadCloser, error) {
	fd, err := openQuietly(path)
	return plainFile(fd), err
}

func (f plainFile) Read(into []byte) (int, error) {
	for {
		n, err := unix.Read(int(f), into)
		switch {
		case err == unix.EINTR:
		case err != nil:
			return 0, err
		case n == 0 && len(into) > 0:
			return 0, io.EOF
		default:
			return n, nil
		}
	}
}

func (f plainFile) Close() error { return unix.Close(int(f)) }
