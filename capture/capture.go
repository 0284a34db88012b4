// Package capture is what the observers of programs on this machine share: the recorder
// that numbers files and processes and writes the trace, states of files, and the rights
// with which files are read. The observers are packages of their own: calls runs a command
// and sees its system calls, system sees what others start, watch sees changes in folders.
//
//	r := capture.NewRecorder(time.Now())
//	r.Begin(writer)
package capture

import (
	"errors"

	"endroit/core/trace"
)

// ErrUnsupported says that this kernel or architecture cannot observe.
var ErrUnsupported = errors.New("cannot observe programs here")

// Result says how the run went.
type Result struct {
	Status int // the command's exit code, 128 and the signal's number if a signal ended it
	Header trace.Header
	End    trace.End
	Gaps   []trace.Gap
	// Changed is how many paths were made, written, renamed or removed, without
	// devices.
	Changed int
	// Processes is how many did something, whatever programs they executed.
	Processes int
	// Hidden is how many programs let nobody look at what they did.
	Hidden int
}
