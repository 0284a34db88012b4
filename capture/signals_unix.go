//go:build unix

package capture

import (
	"os"
	"os/signal"
	"syscall"
)

// PassedOn are the signals to ask for and to hand to Run: those that it passes on to the
// command, and the one by which a terminal stops it, which this process must not obey by
// itself, since it answers the command's calls. What this process was started to ignore,
// it goes on ignoring, as the command does, and nothing is to be passed on.
func PassedOn() (list []os.Signal) {
	for _, s := range []syscall.Signal{
		syscall.SIGINT, syscall.SIGQUIT, syscall.SIGTERM, syscall.SIGHUP, syscall.SIGUSR1, syscall.SIGUSR2, syscall.SIGTSTP,
	} {
		if signal.Ignored(s) || startedIgnoring(s) {
			signal.Ignore(s)
			continue
		}
		list = append(list, s)
	}
	return list
}
