package footprint

import (
	"slices"
	"time"

	"endroit/core/trace"
)

// Live is a footprint in the making: what is known while the run goes on. Its memory
// grows with files, not with events.
type Live struct {
	b       *builder
	changed []*record
	known   map[*record]bool
}

// NewLive begins with the header of a trace.
func NewLive(h trace.Header) *Live {
	return &Live{b: newBuilder(h), known: map[*record]bool{}}
}

// Add takes the next line of the trace. The lines have to be sound, as a
// trace.Reader's are.
func (l *Live) Add(line trace.Line) {
	l.b.line(line)
	if line.Event == nil {
		return
	}
	for _, n := range []int{line.Event.File, line.Event.To} {
		if n == 0 {
			continue
		}
		f := l.b.files[n]
		if len(f.writeTimes) > 0 && !l.known[f] && f.file.Before.Is != trace.IsFolder {
			l.known[f] = true
			l.changed = append(l.changed, f)
		}
	}
}

// LiveSummary is what is known of the run so far.
type LiveSummary struct {
	Length   time.Duration // to the last line
	Written  int           // files
	Programs int
	Cues     []trace.Cue
	Gaps     int
	Latest   []File // of interest, the last written first
}

// likely is how sure a kind has to be to be shown: while a run goes on, less is known
// of a file than at its end.
const likely = 0.5

// judgedLive is how many files a look judges, so that it stays quick.
const judgedLive = 200

// Summary sums up, with so many of the files of interest.
func (l *Live) Summary(files int) LiveSummary {
	so := LiveSummary{Length: l.b.last, Programs: len(l.b.processes) - 1, Cues: slices.Clone(l.b.fp.Cues), Gaps: len(l.b.fp.Gaps)}
	ends := l.b.exit
	if ends == 0 {
		l.b.exit = l.b.last + exitNear // it goes on: nothing is near the end yet
		defer func() { l.b.exit = 0 }()
	}
	last := func(f *record) time.Duration { return f.writeTimes[len(f.writeTimes)-1] }
	var there []*record
	for _, f := range l.changed {
		if len(f.writeTimes) == 0 {
			continue
		}
		so.Written++
		if !f.removed {
			there = append(there, f)
		}
	}
	slices.SortStableFunc(there, func(a, b *record) int { return int(last(b) - last(a)) })
	for _, f := range there[:min(len(there), judgedLive)] {
		if len(so.Latest) == files {
			break
		}
		if x := l.b.judge(f.current()); x.Kind.OfInterest() && x.Confidence >= likely {
			so.Latest = append(so.Latest, x)
		}
	}
	return so
}

// current is a file in the midst of the run: it is there, though its state at the end is
// not known yet.
func (f *record) current() *record {
	if f.after != nil || f.file.IsKey() {
		return f
	}
	now := *f
	state := f.file.Before
	state.Is = trace.IsFile
	if n := len(f.sizes); n > 0 {
		state.Size = f.sizes[n-1]
	}
	now.after = &state
	return &now
}
