// Package calls runs a command and sees its system calls: the kernel hands each to this
// process before it goes on (seccomp_unotify(2)).
//
// The observer starts the program that uses it again, as the companions of the observed
// command (package companion).
//
//	result, err := calls.Run(ctx, calls.Options{Command: command, Out: file})
package calls
