//go:build amd64 || arm64

package capture

import (
	"syscall"

	"endroit/capture/companion"
)

func startedIgnoring(s syscall.Signal) bool { return companion.Ignored(s) }
