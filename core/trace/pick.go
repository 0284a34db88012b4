package trace

import (
	"cmp"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"
	"time"
)

// Selection says which events of a trace count. The zero value takes all.
type Selection struct {
	Under []string      // folders or files, absolute: what lies in one of them
	Ops   []Op          // the operations
	From  time.Duration // since the start
	To    time.Duration // 0 for the end
}

// ErrNoCue says that a trace has no such cue.
var ErrNoCue = errors.New("the trace has no such cue")

// Takes reports whether an event counts; of an operation with two files either may
// lie under a folder.
func (p Selection) Takes(e Event, file, to string) bool {
	return e.At >= p.From && (p.To == 0 || e.At <= p.To) && (len(p.Ops) == 0 || slices.Contains(p.Ops, e.Op)) &&
		(len(p.Under) == 0 || slices.ContainsFunc(p.Under, func(top string) bool { return Within(file, top) || to != "" && Within(to, top) }))
}

// Within reports whether a path is a folder or lies in it.
func Within(name, top string) bool {
	top = path.Clean(top)
	return name == top || top == "/" || strings.HasPrefix(name, top+"/")
}

// Between sets the times to those of two cues: the first so called, and the first
// with the other word behind it. It returns an error that wraps ErrNoCue and says
// which cues there are.
func (p *Selection) Between(cues []Cue, from, to string) error {
	first := slices.IndexFunc(cues, func(c Cue) bool { return c.Word == from })
	if first < 0 {
		return noCue(cues, from, "")
	}
	second := slices.IndexFunc(cues[first+1:], func(c Cue) bool { return c.Word == to })
	if second < 0 {
		return noCue(cues[first+1:], to, " behind "+from)
	}
	p.From, p.To = cues[first].At, cues[first+1+second].At
	return nil
}

func noCue(cues []Cue, word, where string) error {
	words := []string{}
	for _, c := range cues {
		words = append(words, fmt.Sprintf("%s at %.1f s", c.Word, c.At.Seconds()))
	}
	if len(words) == 0 {
		words = []string{"none"}
	}
	return fmt.Errorf("%w: %q%s; there: %s", ErrNoCue, word, where, strings.Join(words, ", "))
}

// Cues reads the cues of a trace, in the order of time.
func Cues(r *Reader) (cues []Cue, err error) {
	for line, err := range r.Lines() {
		if err != nil {
			return nil, err
		}
		if line.Cue != nil {
			cues = append(cues, *line.Cue)
		}
	}
	slices.SortStableFunc(cues, func(a, b Cue) int { return cmp.Compare(a.At, b.At) })
	return cues, nil
}

// Trimmed says what Trim left out.
type Trimmed struct {
	Kept, Left int // events
	Files      int // that are kept
}

// Trim writes a smaller trace: the events that count, with the files, processes
// and states that belong to them, and all cues and gaps. A gap of its own says
// what was left out. open gives the trace from its beginning; it is read twice.
func Trim(open func() (*Reader, error), w io.Writer, p Selection, why string) (Trimmed, error) {
	var out Trimmed
	files, processes, last, err := p.needed(open, &out)
	if err != nil {
		return out, err
	}
	return out, rewrite(open, w, last, func(w *Writer) func(Line) error {
		return (&trimmer{pick: p, w: w, files: files, processes: processes, paths: []string{""}}).line
	}, func(w *Writer) error {
		if out.Left == 0 {
			return nil
		}
		return w.Gap(Gap{At: last, What: why, N: out.Left})
	})
}

// ErrLate says that a cue lies behind the end of a run.
var ErrLate = errors.New("the run had ended by then")

// AddCue writes the trace with one more cue, in its place in time. open gives the
// trace from its beginning; it is read twice.
func AddCue(open func() (*Reader, error), w io.Writer, c Cue) error {
	files, processes, last, err := Selection{}.needed(open, &Trimmed{})
	if err != nil {
		return err
	}
	if c.At > last {
		return fmt.Errorf("%w: it ran %.1f s", ErrLate, last.Seconds())
	}
	added := false
	return rewrite(open, w, last, func(w *Writer) func(Line) error {
		t := trimmer{w: w, files: files, processes: processes, paths: []string{""}, all: true}
		return func(line Line) error {
			if !added && line.at() > c.At {
				added = true
				if err := w.Cue(c); err != nil {
					return err
				}
			}
			return t.line(line)
		}
	}, func(w *Writer) error {
		if added {
			return nil
		}
		return w.Cue(c)
	})
}

// rewrite reads a trace again and writes another of it: line by line with what each
// makes, then what atEnd adds. The new one records that the old one was cut short.
func rewrite(
	open func() (*Reader, error), w io.Writer, last time.Duration, each func(*Writer) func(Line) error,
	atEnd func(*Writer) error,
) error {
	r, err := open()
	if err != nil {
		return err
	}
	writer, err := NewWriter(w, r.Header)
	if err != nil {
		return err
	}
	write := each(writer)
	for line, err := range r.Lines() {
		if err == nil {
			err = write(line)
		}
		if err != nil {
			return err
		}
	}
	if err := atEnd(writer); err != nil {
		return err
	}
	if cut := r.Cut(); cut != "" {
		if err := writer.Gap(Gap{At: last, What: "the trace that it was made from was cut short: " + cut, N: 1}); err != nil {
			return err
		}
	}
	_, err = writer.Close(last)
	return err
}

// at is when a line happened, 0 for those that have no time.
func (l Line) at() time.Duration {
	switch {
	case l.Event != nil && l.Event.Op != Changed: // which is found later than it happened
		return l.Event.At
	case l.Cue != nil:
		return l.Cue.At
	case l.Gap != nil:
		return l.Gap.At
	case l.Exit != nil:
		return l.Exit.At
	case l.Process != nil:
		return l.Process.At
	}
	return 0
}

// needed finds the files and processes that the events which count belong to. Each
// is known by its number in the old trace; the new one is set when it is written.
func (p Selection) needed(
	open func() (*Reader, error),
	out *Trimmed,
) (files, processes map[int]int, last time.Duration, err error) {
	r, err := open()
	if err != nil {
		return nil, nil, 0, err
	}
	files, processes = map[int]int{}, map[int]int{}
	paths, parents := []string{""}, []int{0}
	for line, err := range r.Lines() {
		switch {
		case err != nil:
			return nil, nil, 0, err
		case line.File != nil:
			paths = append(paths, line.File.Path)
		case line.Process != nil:
			parents = append(parents, line.Process.Parent)
			last = max(last, line.Process.At)
		case line.Event != nil:
			e := *line.Event
			last = max(last, e.At)
			if !p.Takes(e, paths[e.File], paths[e.To]) {
				out.Left++
				continue
			}
			out.Kept++
			files[e.File] = 0
			if e.To != 0 {
				files[e.To] = 0
			}
			for n := e.Process; n != 0; n = parents[n] {
				processes[n] = 0
			}
		case line.Cue != nil:
			last = max(last, line.Cue.At)
		case line.Exit != nil:
			last = max(last, line.Exit.At)
		case line.End != nil:
			last = max(last, line.End.At)
		}
	}
	out.Files = len(files)
	return files, processes, last, nil
}

type trimmer struct {
	pick             Selection
	w                *Writer
	files, processes map[int]int // new numbers by old ones
	paths            []string
	all              bool // files and processes too that no event names
}

func (t *trimmer) line(line Line) error {
	switch {
	case line.File != nil:
		f := *line.File
		t.paths = append(t.paths, f.Path)
		old := f.N
		if _, kept := t.files[old]; !kept && !t.all {
			return nil
		}
		err := t.w.File(&f)
		t.files[old] = f.N
		return err
	case line.Process != nil:
		p := *line.Process
		old := p.N
		if _, kept := t.processes[old]; !kept && !t.all {
			return nil
		}
		p.Parent = t.processes[p.Parent]
		err := t.w.Process(&p)
		t.processes[old] = p.N
		return err
	case line.Event != nil:
		e := *line.Event
		if !t.pick.Takes(e, t.paths[e.File], t.paths[e.To]) {
			return nil
		}
		e.File, e.To, e.Process = t.files[e.File], t.files[e.To], t.processes[e.Process]
		return t.w.Event(e)
	case line.Known != nil:
		if n := t.files[line.Known.File]; n != 0 {
			return t.w.Known(Known{n, line.Known.State})
		}
	case line.After != nil:
		if n := t.files[line.After.File]; n != 0 {
			return t.w.After(After{n, line.After.State})
		}
	case line.Reached != nil:
		if n := t.files[line.Reached.File]; n != 0 {
			return t.w.Reached(Reached{n, line.Reached.Path})
		}
	case line.Exit != nil:
		if n := t.processes[line.Exit.Process]; n != 0 {
			return t.w.Exit(Exit{n, line.Exit.At, line.Exit.Status})
		}
	case line.Cue != nil:
		return t.w.Cue(*line.Cue)
	case line.Gap != nil:
		return t.w.Gap(*line.Gap)
	}
	return nil
}
