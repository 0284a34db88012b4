//go:build !linux

package versions

import (
	"errors"
	"os"
	"syscall"
)

func clone(_, _ *os.File) bool { return false }

func NoSpace(err error) bool { return errors.Is(err, syscall.ENOSPC) }
