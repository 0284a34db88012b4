// Package childproc starts processes that end with this one, however it ends.
//
//	ended, err := childproc.Start(exec.Command("postgres", …), syscall.SIGINT)
package childproc

import (
	"os/exec"
	"runtime"
	"syscall"
)

// Start starts the command in a process group of its own, so that the terminal's
// Ctrl-C reaches this process alone; should this process die, the command gets
// the signal (on Linux alone: PR_SET_PDEATHSIG, prctl(2)). ended yields the
// command's end once.
func Start(c *exec.Cmd, signal syscall.Signal) (ended chan error, err error) {
	if c.SysProcAttr == nil {
		c.SysProcAttr = &syscall.SysProcAttr{}
	}
	tie(c.SysProcAttr, signal)
	started := make(chan error, 1)
	ended = make(chan error, 1)
	go func() {
		runtime.LockOSThread() // the signal comes when this thread ends
		err := c.Start()
		started <- err
		if err == nil {
			ended <- c.Wait()
		}
	}()
	return ended, <-started
}
