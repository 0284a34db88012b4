// Package capturetest is what the tests of the observers share: small programs to observe,
// and traces read back.
//
//	got := capturetest.ReadBack(t, &trace, folder)
//	got.Has(t, "create new.sav")
package capturetest

import (
	"fmt"
	"io"
	"os"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/capture"
	"endroit/core/trace"
)

// Observed is a trace read back, by the names below the test's folder.
type Observed struct {
	Result  capture.Result
	Folder  string
	Files   map[string]trace.File
	Events  []string // "create new.sav"
	After   map[string]trace.State
	Cues    []trace.Cue
	Gaps    []trace.Gap
	Procs   []trace.Process
	Cut     string
	Sizes   map[string][]int64 // of changed events
	Reached map[string]string  // by other paths
	All     []trace.Event
	NameOf  map[int]string
}

func ReadBack(t *testing.T, in io.Reader, folder string) Observed {
	t.Helper()
	got := Observed{
		Folder:  folder,
		Files:   map[string]trace.File{},
		After:   map[string]trace.State{},
		Sizes:   map[string][]int64{},
		Reached: map[string]string{},
	}
	r, err := trace.NewReader(in, trace.DefaultLimits)
	require.NoError(t, err)
	names := map[int]string{}
	got.NameOf = names
	for line, err := range r.Lines() {
		require.NoError(t, err)
		if line.Event != nil {
			got.All = append(got.All, *line.Event)
		}
		switch {
		case line.File != nil:
			name := strings.TrimPrefix(line.File.Path, folder+"/")
			names[line.File.N] = name
			got.Files[name] = *line.File
		case line.Event != nil:
			name := names[line.Event.File]
			if strings.HasPrefix(name, "/") {
				continue // the runtime's and the system's files
			}
			if line.Event.Op == trace.Changed {
				got.Sizes[name] = append(got.Sizes[name], line.Event.Size)
				continue
			}
			text := string(line.Event.Op) + " " + name
			if line.Event.To != 0 {
				text += " " + names[line.Event.To]
			}
			got.Events = append(got.Events, text)
		case line.Reached != nil:
			got.Reached[names[line.Reached.File]] = line.Reached.Path
		case line.Known != nil:
			f := got.Files[names[line.Known.File]]
			f.Before = line.Known.State
			got.Files[names[line.Known.File]] = f
		case line.After != nil:
			got.After[names[line.After.File]] = line.After.State
		case line.Cue != nil:
			got.Cues = append(got.Cues, *line.Cue)
		case line.Gap != nil:
			got.Gaps = append(got.Gaps, *line.Gap)
		case line.Process != nil:
			got.Procs = append(got.Procs, *line.Process)
		}
	}
	got.Cut = r.Cut()
	return got
}

func (o Observed) Has(t *testing.T, events ...string) {
	t.Helper()
	for _, e := range events {
		assert.Contains(t, o.Events, e)
	}
}

func Must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// events of one operation on one file, with their remarks.
func (o Observed) Told(op trace.Op, name string) (all []trace.Event) {
	for _, e := range o.All {
		if e.Op == op && o.NameOf[e.File] == name {
			all = append(all, e)
		}
	}
	return all
}

// QuietRecorder is a recorder whose trace goes nowhere.
func QuietRecorder(t *testing.T) (r *capture.Recorder, done func()) {
	t.Helper()
	w, err := trace.NewWriter(io.Discard, trace.Header{})
	require.NoError(t, err)
	r = capture.NewRecorder(Must(os.Stat("/")).ModTime())
	r.Begin(w)
	return r, func() {
		_, _, err := r.Close()
		require.NoError(t, err)
	}
}

// Acts are the small programs that the tests observe: the test's own binary, started with
// an act's name in ENDROIT_ACT. Tests add to them.
var Acts = map[string]func() error{
	"append": func() error { return appendTo("there.txt", "more") },
}

func appendTo(name, text string) error {
	f, err := os.OpenFile(name, os.O_APPEND|os.O_WRONLY, 0)
	if err != nil {
		return err
	}
	defer f.Close()
	_, err = f.WriteString(text)
	return err
}

// Act does the act that the environment names, if it names one, and ends.
func Act() {
	name := os.Getenv("ENDROIT_ACT")
	if name == "" {
		return
	}
	if err := Acts[name](); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	os.Exit(0)
}
