//go:build amd64 || arm64

package capture

import (
	"syscall"

	"endroit/capture/companion/started"
)

func startedIgnoring(s syscall.Signal) bool { return started.Ignored()>>(s-1)&1 != 0 }
