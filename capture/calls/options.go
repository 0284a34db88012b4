package calls

import (
	"errors"
	"io"
	"os"

	"endroit/capture/versions"
	"endroit/core/trace"
)

// ErrNotStarted says that the command was not run, since the trace could not be begun.
var ErrNotStarted = errors.New("the command was not run, as its trace cannot be written")

// CommandError says that the command could not be started. Status is the exit
// code that a shell would give: 127 where there is none, 126 where it cannot be
// executed.
type CommandError struct {
	Command string
	Status  int
	Err     error
}

func (e *CommandError) Error() string { return "cannot run " + e.Command + ": " + e.Err.Error() }
func (e *CommandError) Unwrap() error { return e.Err }

// Options say what to run and where the trace goes.
type Options struct {
	Command []string
	Header  trace.Header // Title, Edition, Launcher and Install; the rest is filled in
	Out     io.Writer
	Stdin   *os.File
	Stdout  *os.File
	Stderr  *os.File
	// Notice is told, from another goroutine, what a person at the terminal
	// should know while the program runs.
	Notice func(text string)
	// Stop is received from only while programs go on that the ended command
	// left behind: then it ends the observation, and they go on unobserved.
	Stop <-chan struct{}
	// Signals are passed on to the command, but those that its whole process group got.
	Signals <-chan os.Signal
	// Alone says that this process is there for this run alone: it lets go of the
	// descriptors that are the command's, and stops and goes on as the command does.
	Alone bool
	// Gaps are what is known beforehand not to be seen, in words; the trace says so.
	Gaps []string
	// Versions says what to keep of the content of small files.
	Versions versions.Options
	// Path is the file that Out writes, so that others can read along; it may be
	// empty.
	Path string
	// CueFolder is where Cue finds running traces; DefaultCueFolder if empty.
	CueFolder string
}
