//go:build unix

package cli

import (
	"os"
	"syscall"
)

// passedOn are the signals that the observed command gets from endroit trace.
var passedOn = []os.Signal{syscall.SIGINT, syscall.SIGQUIT, syscall.SIGTERM, syscall.SIGHUP, syscall.SIGUSR1, syscall.SIGUSR2}
