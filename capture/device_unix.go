//go:build unix

package capture

import (
	"io/fs"
	"syscall"
)

// SameDevice reports whether two files lie on one file system.
func SameDevice(a, b fs.FileInfo) bool {
	x, ok1 := a.Sys().(*syscall.Stat_t)
	y, ok2 := b.Sys().(*syscall.Stat_t)
	return !ok1 || !ok2 || x.Dev == y.Dev
}
