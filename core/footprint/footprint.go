// Package footprint boils a trace down to one record per file: what was done to
// it, when, by which program, what it is and why we think so.
//
//	fp, err := footprint.FromTrace(reader)
package footprint

import (
	"fmt"
	"time"

	"endroit/core/trace"
)

// Format is the name and version in a footprint.
const Format = "endroit/footprint/1"

// Kind is what a file is.
type Kind string

// The kinds. Save, Config and Capture are of interest; Unknown is what no
// evidence speaks for.
const (
	Save    Kind = "save"    // progress, profiles, scores, achievements
	Config  Kind = "config"  // settings
	Capture Kind = "capture" // screenshots, replays
	Log     Kind = "log"
	Cache   Kind = "cache"
	Temp    Kind = "temp"
	Lock    Kind = "lock"
	Asset   Kind = "asset"  // what came with the title
	System  Kind = "system" // what belongs to the operating system or desktop
	Unknown Kind = "unknown"
)

// Kinds lists every kind in the order in which they are shown.
var Kinds = []Kind{Save, Config, Capture, Unknown, Log, Cache, Temp, Lock, Asset, System}

// OfInterest reports whether a location can hold this kind.
func (k Kind) OfInterest() bool { return k == Save || k == Config || k == Capture }

// Footprint is what a run did to files.
type Footprint struct {
	Format   string         `json:"format"`
	Title    string         `json:"title,omitempty"`
	Edition  *trace.Edition `json:"edition,omitempty"`
	Launcher string         `json:"launcher,omitempty"`
	OS       string         `json:"os"`
	Runtime  string         `json:"runtime"`
	Observer string         `json:"observer"`
	Started  time.Time      `json:"started"`
	Length   time.Duration  `json:"length"` // nanoseconds, as all times here, from the start
	Programs []string       `json:"programs"`
	Cues     []trace.Cue    `json:"cues"`
	Gaps     []trace.Gap    `json:"gaps"`
	Cut      string         `json:"cut,omitempty"` // why the trace is incomplete
	Events   int            `json:"events"`
	Runs     []Run          `json:"runs,omitempty"` // where it tells of several
	Counts   map[Kind]int   `json:"counts"`         // files by kind, also those not listed
	Files    []File         `json:"files"`          // of interest first
	// Missed are places in which a file was looked for and was not: of a footprint that is
	// shared for an experiment, those in its locations.
	Missed []string `json:"missed,omitempty"`
	// Corrections are what people say of kinds, against the judgement; they are applied.
	Corrections []Correction `json:"corrections,omitempty"`
	// Self holds what must not be sent: see Share.
	Self *Self `json:"-"`
	// Code is what ran, by paths of this machine, with the installation's folder: where the
	// names that the program makes can be searched for.
	Code *Code `json:"-"`

	looked []string // places in which a file was looked for in vain
}

// Looked are the places in which a file was looked for and was not.
func (f *Footprint) Looked() []string {
	if f.Missed != nil {
		return f.Missed
	}
	return f.looked
}

// Code is where a run's programs lie.
type Code struct {
	Executables []string
	Install     string // empty if it is not known
}

// Self is what in a trace tells who made it.
type Self struct {
	User, Host, Home string
	Account          string   // the launcher's account in use
	Inside           string   // the user's name in the prefix
	Accounts         []string // others that were in use, where several runs are merged
	Chosen           []string // names that the person chose in the game
	Program          []string // numbers that the program brings: they tell nobody
	Others           []*Self  // the other people, where runs of several are merged
}

// Everybody are the people whose runs a footprint tells of; empty for a shared one.
func (s *Self) Everybody() []*Self {
	if s == nil {
		return nil
	}
	return append([]*Self{s}, s.Others...)
}

// Run is one of several runs that a footprint tells of. All times of a footprint are on one
// clock, on which its runs stand one behind the other: see Clock.
type Run struct {
	Started time.Time     `json:"started"`
	At      time.Duration `json:"at"` // where it begins on the footprint's clock
	Length  time.Duration `json:"length"`
}

// InRun finds the run that a time falls into, from 0, and the time on that run's own clock.
func (f *Footprint) InRun(at time.Duration) (run int, own time.Duration) {
	for i, r := range f.Runs {
		if at >= r.At {
			run, own = i, at-r.At
		}
	}
	if len(f.Runs) == 0 {
		return 0, at
	}
	return run, own
}

// Clock writes a time on the clock of its own run: 2:05 in run 2. How a time is written is
// the caller's.
func (f *Footprint) Clock(at time.Duration, write func(time.Duration) string) string {
	run, own := f.InRun(at)
	if len(f.Runs) < 2 {
		return write(own)
	}
	return fmt.Sprintf("%s of run %d", write(own), run+1)
}

// ReadsSeen reports whether the observer could see what was read.
func (f *Footprint) ReadsSeen() bool { return f.Observer != trace.ByNotifications }

// Written reports whether the run wrote the file.
func (f File) Written() bool { return f.Writes > 0 || f.Changes > 0 }

// File is one file's record.
type File struct {
	Path       string        `json:"path,omitempty"`   // as seen; left out when shared
	Inside     string        `json:"inside,omitempty"` // as programs in the prefix see it; left out when shared
	Place      string        `json:"place,omitempty"`  // the same as a location, where it is below an anchor
	Kind       Kind          `json:"kind"`
	Confidence float64       `json:"confidence"` // 0 to 1
	Findings   []Finding     `json:"findings"`
	Reasons    []string      `json:"reasons,omitempty"` // the findings that count for the kind, in words; left out when shared
	Reads      int           `json:"reads"`
	Writes     int           `json:"writes"`            // times it was opened for writing, replaced or cut
	Changes    int           `json:"changes,omitempty"` // times it was found changed
	Unused     int           `json:"unused,omitempty"`  // times it was opened for writing, and nothing was written
	ReadAs     int           `json:"read_as,omitempty"` // times it was read under another name, to which it had been renamed
	FirstRead  time.Duration `json:"first_read,omitempty"`
	LastRead   time.Duration `json:"last_read,omitempty"`
	FirstWrite time.Duration `json:"first_write,omitempty"`
	LastWrite  time.Duration `json:"last_write,omitempty"`
	Programs   []string      `json:"programs,omitempty"` // names of those that wrote it, or else read it
	Near       []string      `json:"near,omitempty"`     // cues that it was written near
	Runs       []int         `json:"runs,omitempty"`     // those that it is from, from 0, where there are several
	Before     trace.State   `json:"before"`
	After      trace.State   `json:"after"`
	// Seen is when Before was taken, where the file had changed since the start by then:
	// what it was before the run is not known.
	Seen    time.Duration `json:"seen,omitempty"`
	Reached string        `json:"reached,omitempty"` // another path that led to it, through a link; left out when shared
	Lane    *Lane         `json:"lane,omitempty"`    // when shared, of files of interest alone
	Judged  *Judged       `json:"judged,omitempty"`  // what the judgement said, where a person corrected it
	Again   *Judged       `json:"again,omitempty"`   // what the findings are by the table here, where that is another kind: see Explain
	passed  bool          // over by a filter: no event of it counts
}

// Judged is what the judgement said of a file that a person corrected.
type Judged struct {
	Kind       Kind    `json:"kind"`
	Confidence float64 `json:"confidence"`
}
