//go:build unix

package capture

import (
	"errors"

	"golang.org/x/sys/unix"
)

// Alive reports whether there is a process with this id.
func Alive(pid int) bool { return !errors.Is(unix.Kill(pid, 0), unix.ESRCH) }
