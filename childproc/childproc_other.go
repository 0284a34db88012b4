//go:build !linux

package childproc

import "syscall"

// tie does nothing: no other system sends a signal to the children of a process
// that died.
func tie(*syscall.SysProcAttr, syscall.Signal) {}
