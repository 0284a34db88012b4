package cli

import (
	"os"
	"syscall"
)

// passedOn are the signals that the observed command gets from endroit trace.
var passedOn = []os.Signal{syscall.SIGINT, syscall.SIGTERM}
