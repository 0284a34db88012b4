//go:build unix

package cli

import "golang.org/x/sys/unix"

// cooked reports whether a terminal works by lines: a program that takes it over for
// itself changes that.
func cooked(fd int) bool {
	t, err := unix.IoctlGetTermios(fd, getTermios)
	return err == nil && t.Lflag&unix.ICANON != 0
}
