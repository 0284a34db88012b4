// Package witness is a process in the process group of an observed command that nobody
// knows: a signal that it gets was sent to the whole group, so that the command has got
// it too.
//
// Like those of package companion it is this program started again.
//
//	w, err := witness.Start()
//	if w.Got(syscall.SIGTERM) { … }
package witness
