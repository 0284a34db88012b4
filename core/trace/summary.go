package trace

import (
	"slices"
	"strings"
	"time"
)

// Summary is what a trace comes to, as far as its events were picked.
type Summary struct {
	Header    Header
	Files     []FileSummary    // by number, from 1
	Processes []ProcessSummary // by number, from 1
	Cues      []Cue
	Gaps      []Gap
	Ops       map[Op]int
	Events    int
	Length    time.Duration
	Cut       string // why the trace ends early, empty if it does not
}

// FileSummary is what was done to one path.
type FileSummary struct {
	Path   string        `json:"path"`
	Reads  int           `json:"reads"`
	Writes int           `json:"writes"`
	Others int           `json:"others"`
	First  time.Duration `json:"first"`
	Last   time.Duration `json:"last"`
	Before State         `json:"before"`
	After  *State        `json:"after,omitempty"`
	any    int
}

// ProcessSummary is one program that a process ran.
type ProcessSummary struct {
	Process
	Events int            `json:"events"`
	Ended  *time.Duration `json:"ended,omitempty"`
	Status int            `json:"status"`
}

// processCount counts the processes, whatever programs they executed.
func (o *Summary) ProcessCount() int {
	seen := map[[2]int]bool{}
	for i := range o.Processes[1:] {
		seen[o.Processes[1+i].Identity()] = true
	}
	return len(seen)
}

// Summarize reads a trace once. each is called for every event that counts, with its
// paths; it may be nil.
func Summarize(r *Reader, p Selection, each func(e Event, file, to string) error) (*Summary, error) {
	o := &Summary{Header: r.Header, Files: make([]FileSummary, 1), Processes: make([]ProcessSummary, 1), Ops: map[Op]int{}}
	for line, err := range r.Lines() {
		switch {
		case err != nil:
			return nil, err
		case line.File != nil:
			o.Files = append(o.Files, FileSummary{Path: line.File.Path, Before: line.File.Before})
		case line.Process != nil:
			o.Processes = append(o.Processes, ProcessSummary{Process: *line.Process})
		case line.Event != nil:
			o.Length = max(o.Length, line.Event.At)
			if err := o.event(*line.Event, p, each); err != nil {
				return nil, err
			}
		case line.Cue != nil:
			o.Cues = append(o.Cues, *line.Cue)
		case line.Gap != nil:
			o.Gaps = append(o.Gaps, *line.Gap)
		case line.Exit != nil:
			x := &o.Processes[line.Exit.Process]
			x.Ended, x.Status = &line.Exit.At, line.Exit.Status
			o.Length = max(o.Length, line.Exit.At)
		case line.After != nil:
			o.Files[line.After.File].After = &line.After.State
		case line.End != nil:
			o.Length = max(o.Length, line.End.At)
		}
	}
	o.Cut = r.Cut()
	return o, nil
}

func (o *Summary) event(e Event, p Selection, each func(e Event, file, to string) error) error {
	file, to := o.Files[e.File].Path, o.Files[e.To].Path
	if !p.Takes(e, file, to) {
		return nil
	}
	o.Events++
	o.Ops[e.Op]++
	if e.Process != 0 {
		o.Processes[e.Process].Events++
	}
	o.Files[e.File].saw(e, e.Op.Writes() && e.Op != Changed) // a change that was found was made by an opening
	if e.To != 0 {
		o.Files[e.To].saw(e, true) // what is put in place has been written
	}
	if each != nil {
		return each(e, file, to)
	}
	return nil
}

// touched are the files of the events that count, by path.
func (o *Summary) Touched() (list []FileSummary) {
	for _, f := range o.Files {
		if f.any > 0 {
			list = append(list, f)
		}
	}
	slices.SortFunc(list, func(a, b FileSummary) int { return strings.Compare(a.Path, b.Path) })
	return list
}

// saw counts an event of a file.
func (f *FileSummary) saw(e Event, written bool) {
	if f.any == 0 || e.At < f.First { // what is found by comparing comes late
		f.First = e.At
	}
	f.any++
	f.Last = max(f.Last, e.At)
	switch {
	case written:
		f.Writes++
	case e.Op == Read || e.Op == List || e.Op == Run:
		f.Reads++
	default:
		f.Others++
	}
}

// Became says how the run changed the file.
func (f FileSummary) Became() string {
	if f.After == nil {
		return ""
	}
	return Became(f.Before, *f.After, f.Writes > 0 || f.Others > 0)
}
