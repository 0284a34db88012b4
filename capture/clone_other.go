//go:build !linux

package capture

import (
	"errors"
	"os"
	"syscall"
)

func clone(_, _ *os.File) bool { return false }

func noSpace(err error) bool { return errors.Is(err, syscall.ENOSPC) }
