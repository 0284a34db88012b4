package footprint

import (
	"path"
	"slices"
	"strings"

	"endroit/core/trace"
)

// Filter says which files of a footprint are listed. The judgement takes all events; the
// zero value lists all files.
type Filter struct {
	trace.Selection          // files that an event is of which counts
	Kinds           []Kind   // of these kinds
	Programs        []string // used by a program of one of these names, in any case, with or without .exe
	Name            string   // whose path or place holds this text, in any case
	MinSize         int64    // bytes, before or after
	MaxSize         int64    // 0 for any
}

// byEvents reports whether it matters which events a file has.
func (p Filter) byEvents() bool {
	return len(p.Under)+len(p.Ops)+len(p.Programs) > 0 || p.From > 0 || p.To > 0
}

// Empty reports whether it lists all files.
func (p Filter) Empty() bool {
	return !p.byEvents() && len(p.Kinds) == 0 && p.Name == "" && p.MinSize == 0 && p.MaxSize == 0
}

func (p Filter) takesProgram(exe string) bool {
	name := programName(exe)
	return len(p.Programs) == 0 || slices.ContainsFunc(p.Programs, func(want string) bool { return programName(want) == name })
}

// programName is a program's name, as programs are distinguished.
func programName(exe string) string {
	return strings.TrimSuffix(strings.ToLower(path.Base(strings.ReplaceAll(exe, `\`, "/"))), ".exe")
}

func (p Filter) takes(f File) bool {
	size := max(f.Before.Size, f.After.Size)
	name := strings.ToLower(p.Name)
	return (len(p.Kinds) == 0 || slices.Contains(p.Kinds, f.Kind)) && size >= p.MinSize &&
		(p.MaxSize == 0 || size <= p.MaxSize) &&
		(name == "" || strings.Contains(strings.ToLower(f.Path), name) || strings.Contains(strings.ToLower(f.Place), name))
}

// FromTraceOnly is FromTrace, with corrections applied and with only those files listed
// that a filter takes. Counts stay those of all. Corrections that do not apply are an error
// as Correct's, beside the footprint.
func FromTraceOnly(r *trace.Reader, only Filter, said ...Correction) (*Footprint, error) {
	b := newBuilder(r.Header)
	b.only = only
	for line, err := range r.Lines() {
		if err != nil {
			return nil, err
		}
		b.line(line)
	}
	b.fp.Cut = r.Cut()
	fp := b.finish()
	err := fp.Correct(said)
	if len(said) > 0 {
		sortFiles(fp.Files)
	}
	fp.Files = slices.DeleteFunc(fp.Files, func(f File) bool { return f.passed || !only.takes(f) })
	return fp, err
}

// pick notes that an event counts for the filter.
func (b *builder) pick(e trace.Event) {
	f, to := b.files[e.File], (*record)(nil)
	second := ""
	if e.To != 0 {
		to = b.files[e.To]
		second = to.file.Path
	}
	if !b.only.Takes(e, f.file.Path, second) || !b.only.takesProgram(b.processes[e.Process].Exe) {
		return
	}
	f.picked = true
	if to != nil {
		to.picked = true
	}
}

// Why is all that speaks for and against what a file could be.
type Why struct {
	File     File       `json:"file"`
	Points   []Points   `json:"points"`   // by kind, the likeliest first
	Evidence []Evidence `json:"evidence"` // the weightiest first
}

// Points are what the evidence for one kind comes to.
type Points struct {
	Kind  Kind    `json:"kind"`
	Sum   float64 `json:"sum"`
	Share float64 `json:"share"` // of the odds of all kinds, 0 to 1
}

// Why finds a file by its path or place and says why it is what it is. ok is false
// if the footprint lists no such file.
func (f *Footprint) Why(name string) (w Why, ok bool) {
	for _, x := range f.Files {
		if x.Path == name || x.Place == name || x.Inside == name {
			return x.Explain(), true
		}
	}
	// The end of a path will do, where it is the end of one alone.
	found := -1
	for i, x := range f.Files {
		if strings.HasSuffix(x.Path, "/"+name) {
			if found >= 0 {
				return w, false
			}
			found = i
		}
	}
	if found >= 0 {
		return f.Files[found].Explain(), true
	}
	return w, false
}

// Explain says all that speaks for and against what the file could be.
func (f File) Explain() Why {
	w := Why{File: f, Evidence: weighed(f.Findings)}
	points, sum := weigh(w.Evidence)
	for _, k := range Kinds {
		if p, ok := points[k]; ok {
			w.Points = append(w.Points, Points{k, p, min(odds(p)/sum, 0.99)})
		}
	}
	slices.SortStableFunc(w.Points, func(a, b Points) int { return compareDown(a.Sum, b.Sum) })
	slices.SortStableFunc(w.Evidence, func(a, b Evidence) int { return compareDown(abs(a.Weight), abs(b.Weight)) })
	return w
}

func abs(x float64) float64 { return max(x, -x) }

func compareDown(a, b float64) int {
	switch {
	case a > b:
		return -1
	case a < b:
		return 1
	}
	return 0
}
