package capture

import (
	"os"
	"syscall"
)

// PassedOn are the signals to ask for and to hand to Run.
func PassedOn() []os.Signal { return []os.Signal{syscall.SIGINT, syscall.SIGTERM} }
