// Package logs makes a trace of a log that some other program wrote, often on another
// machine: a table with delimiters and a heading, or a JSON object on each line.
//
//	plan, err := logs.Look(in, logs.Options{})      // which columns, which system, whose
//	summary, err := plan.Write(again, out)          // the trace
//
// What such a log does not tell (what a file held, whether an opening succeeded) stays
// unknown.
package logs

import (
	"errors"
	"fmt"
	"io"
	"maps"
	"slices"
	"strings"
	"time"

	"endroit/core/trace"
)

// ErrFormat says that the input is no log of a known form, or lacks a column.
var ErrFormat = errors.New("not a log that can be read")

// Column is what a column of a log tells.
type Column string

// The columns. Of these Action and File are required.
const (
	Action  Column = "action" // what was done
	File    Column = "file"   // to what: a path, or a key of the registry
	Second  Column = "second" // the second path, such as the new name
	When    Column = "when"
	Program Column = "program" // name or path
	Number  Column = "number"  // of the process
	Outcome Column = "outcome" // success or failure
	More    Column = "more"    // flags of an opening, the new name
)

// Columns are all, in the order in which they are shown.
var Columns = []Column{Action, File, Second, When, Program, Number, Outcome, More}

// headings are the words that a column is recognised by, the most certain first: plain
// English, and what systems call it.
var headings = map[Column][]string{
	Action:  {"action", "operation", "op", "call", "syscall", "event", "activity", "function", "verb", "what", "type"},
	File:    {"file", "path", "filename", "filepath", "fullpath", "target", "object", "item", "key", "name"},
	Second:  {"second", "to", "newpath", "newname", "newfile", "destination", "renamedto"},
	When:    {"when", "time", "timestamp", "datetime", "clock", "moment", "date", "ts", "at", "start"},
	Program: {"program", "application", "app", "executable", "exe", "process", "comm", "command", "image", "who"},
	Number:  {"pid", "processid", "number", "id"},
	Outcome: {"outcome", "result", "status", "success", "error", "errno", "return", "ret"},
	More:    {"more", "flags", "arguments", "args", "details", "detail", "remarks", "notes", "info", "access"},
}

// Options change what would be guessed.
type Options struct {
	Columns    map[Column]string   // headings, as the log writes them
	Operations map[string]trace.Op // more words for operations; Ignore leaves lines out
	Only       string              // only the lines of this program, by its name; all if empty
	Header     trace.Header        // Title, Edition, Launcher, Install; the rest is found
	// Date is the day of the first line, for logs that tell the time of day alone.
	Date time.Time
}

// Ignore is the operation of lines that tell nothing.
const Ignore trace.Op = "ignore"

// Plan says how a log is read.
type Plan struct {
	Form     string            // "delimited by ," or "JSON lines"
	Encoding string            // in words
	Headings []string          // all of the log
	Columns  map[Column]string // found, or as told
	Header   trace.Header
	o        Options
	table    map[string]trace.Op
	start    time.Time
}

// Unusable is one reason for which lines were left out.
type Unusable struct {
	Why      string
	Lines    int
	Examples []Example
}

// Example is a line that could not be used.
type Example struct {
	Line int
	Text string
}

// Summary says what became of a log.
type Summary struct {
	End      trace.End
	Lines    int // behind the heading
	Used     int
	Ignored  int // that tell nothing of files, such as closing
	Others   int // of other programs, with Only
	Failed   int // the operation failed otherwise than for want of the file
	Unusable []Unusable
	Unknown  map[string]int // operations that the table lacks, by the log's word
}

// Bounds of what is read.
const (
	maxLine     = 1 << 20
	maxHeadings = 1000
	maxExamples = 3
	maxUnknown  = 200
)

// Inspect reads a log once and finds out how it is to be read.
func Inspect(in io.Reader, o Options) (*Plan, error) {
	p := &Plan{Columns: map[Column]string{}, o: o, table: maps.Clone(words())}
	for word, op := range o.Operations {
		p.table[lettersAndDigits(word)] = op
	}
	rows, err := p.open(in)
	if err != nil {
		return nil, err
	}
	if err := p.choose(); err != nil {
		return nil, err
	}
	g := guess{homes: map[string]int{}}
	clock := newClock(o.Date)
	for {
		row, err := rows.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil && !errors.Is(err, errRow) {
			return nil, err
		}
		if err != nil {
			continue
		}
		if t, ok := clock.read(row.get(p.Columns[When])); ok && (p.start.IsZero() || t.Before(p.start)) {
			p.start = t
		}
		g.saw(row.get(p.Columns[File]))
	}
	p.header(g)
	return p, nil
}

// choose finds the columns that were not told.
func (p *Plan) choose() error {
	taken := map[string]bool{}
	for c, heading := range p.o.Columns {
		i := slices.IndexFunc(
			p.Headings,
			func(h string) bool { return strings.EqualFold(strings.TrimSpace(h), strings.TrimSpace(heading)) },
		)
		if i < 0 {
			return fmt.Errorf(
				"%w: there is no column %q for %s; there are: %s", ErrFormat, heading, c,
				strings.Join(p.Headings, ", "),
			)
		}
		p.Columns[c] = p.Headings[i]
		taken[p.Headings[i]] = true
	}
	for _, c := range []Column{Number, When, Action, Outcome, Second, File, Program, More} {
		if _, told := p.Columns[c]; told {
			continue
		}
		for _, word := range headings[c] {
			i := slices.IndexFunc(p.Headings, func(h string) bool { return !taken[h] && lettersAndDigits(h) == lettersAndDigits(word) })
			if i >= 0 {
				p.Columns[c] = p.Headings[i]
				taken[p.Headings[i]] = true
				break
			}
		}
	}
	for _, c := range []Column{Action, File} {
		if p.Columns[c] == "" {
			return fmt.Errorf(
				"%w: no column is known for %s; the columns are: %s; say which with --columns %s=HEADING",
				ErrFormat, c, strings.Join(p.Headings, ", "), c,
			)
		}
	}
	return nil
}

// Write reads the log from its beginning again and writes the trace.
func (p *Plan) Write(in io.Reader, out io.Writer) (Summary, error) {
	s := Summary{Unknown: map[string]int{}}
	w, err := trace.NewWriter(out, p.Header)
	if err != nil {
		return s, err
	}
	again := &Plan{Columns: p.Columns}
	rows, err := again.open(in)
	if err != nil {
		return s, err
	}
	t := &writing{
		p:         p,
		w:         w,
		s:         &s,
		files:     map[string]*file{},
		processes: map[string]int{},
		clock:     newClock(p.o.Date),
		reasons:   map[string]*Unusable{},
	}
	for {
		row, err := rows.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil && !errors.Is(err, errRow) {
			return s, err
		}
		s.Lines++
		if err != nil {
			t.unusable(err.Error(), row)
			continue
		}
		if err := t.row(row); err != nil {
			return s, err
		}
	}
	return s, t.end()
}

// writing is one pass that writes.
type writing struct {
	p         *Plan
	w         *trace.Writer
	s         *Summary
	files     map[string]*file
	order     []*file
	processes map[string]int
	clock     *clock
	last      time.Duration
	reasons   map[string]*Unusable
}

type file struct {
	n       int
	exists  bool
	changed bool
	key     bool
	op      trace.Op // the last, with when and by whom
	at      time.Duration
	process int
}

func (t *writing) unusable(why string, r row) {
	u := t.reasons[why]
	if u == nil {
		u = &Unusable{Why: why}
		t.reasons[why] = u
	}
	u.Lines++
	if len(u.Examples) < maxExamples {
		text := r.text
		if len(text) > 160 {
			text = strings.ToValidUTF8(text[:160], "") + "…"
		}
		u.Examples = append(u.Examples, Example{r.line, text})
	}
}

// sameWrite is how soon after another a write of the same program to the same file is
// the same for a trace, which tells openings.
const sameWrite = time.Second

func (t *writing) row(r row) error {
	c := t.p.Columns
	if only := t.p.o.Only; only != "" && !strings.EqualFold(base(r.get(c[Program])), base(only)) {
		t.s.Others++
		return nil
	}
	word := r.get(c[Action])
	op, known := t.p.meaning(word)
	if !known {
		if len(t.s.Unknown) < maxUnknown || t.s.Unknown[word] > 0 {
			t.s.Unknown[word]++
		}
		t.unusable("unknown operation", r)
		return nil
	}
	if op == Ignore {
		t.s.Ignored++
		return nil
	}
	path, why := t.path(r.get(c[File]))
	if why != "" {
		t.unusable(why, r)
		return nil
	}
	at := t.last
	if c[When] != "" {
		when, ok := t.clock.read(r.get(c[When]))
		if !ok {
			t.unusable("the time is in an unknown form", r)
			return nil
		}
		at = max(0, when.Sub(t.p.start))
	}
	t.last = max(t.last, at)
	to := ""
	if op == trace.Rename || op == trace.Link {
		if to, why = t.second(r); why != "" {
			t.unusable(why, r)
			return nil
		}
	}
	switch outcome(r.get(c[Outcome])) {
	case absent:
		op, to = trace.Missed, ""
	case failed:
		t.s.Failed++
		return nil
	}
	process, err := t.process(r, at)
	if err != nil {
		return err
	}
	t.s.Used++
	return t.event(op, path, to, r.get(c[More]), process, at)
}

// event writes what a line tells.
func (t *writing) event(op trace.Op, path, to, detail string, process int, at time.Duration) error {
	e := trace.Event{At: at, Process: process, Op: op}
	if key, value, ok := registry(path, op); ok {
		path, e.Op = key, trace.Changed
		switch {
		case op == trace.RemoveFolder:
			e.Op = trace.Remove
		case op == trace.Missed || op == trace.Read || op == Open || op == trace.List:
			e.Op = op
		}
		if value != "" {
			e.Op, e.What = trace.Changed, "set "+value
			if op == trace.Remove {
				e.What = "removed " + value
			}
		}
	}
	if e.Op == Open {
		e.Op = opened(detail)
	}
	f, err := t.file(path, e.Op)
	if err != nil {
		return err
	}
	e.File = f.n
	if to != "" {
		second, err := t.file(to, trace.Create)
		if err != nil {
			return err
		}
		e.To = second.n
		second.exists, second.changed = true, true
	}
	if e.Op.Writes() && !f.key && f.op.Writes() && f.process == process && at-f.at < sameWrite {
		f.at = at
		return nil
	}
	switch e.Op {
	case trace.Remove, trace.RemoveFolder, trace.Rename:
		f.exists = false
	case trace.Missed:
	default:
		f.exists = true
	}
	if e.Op.Writes() || e.Op.Two() || e.Op == trace.Remove {
		f.changed = true
	}
	f.op, f.at, f.process = e.Op, at, process
	return t.w.Event(e)
}

// file declares a path. What it was before follows from what is done to it first.
func (t *writing) file(path string, op trace.Op) (*file, error) {
	id := path
	if t.p.Header.OS == "windows" {
		id = strings.ToLower(path)
	}
	if f := t.files[id]; f != nil {
		return f, nil
	}
	f := &file{key: strings.HasPrefix(path, "registry:")}
	before := trace.State{Is: trace.IsFile}
	switch {
	case op == trace.Create || op == trace.MakeFolder || op == trace.Missed:
		before.Is = trace.IsAbsent
	case f.key:
		before.Is = trace.IsKey
	case op == trace.List || op == trace.RemoveFolder:
		before.Is = trace.IsFolder
	}
	line := trace.File{Path: path, Before: before}
	if err := t.w.File(&line); err != nil {
		return nil, err
	}
	f.n = line.N
	t.files[id] = f
	t.order = append(t.order, f)
	if len(t.order) > trace.DefaultLimits.Files {
		return nil, fmt.Errorf("the log names more than %d files; --process takes one program's alone", trace.DefaultLimits.Files)
	}
	return f, nil
}

func (t *writing) process(r row, at time.Duration) (int, error) {
	name, pid := r.get(t.p.Columns[Program]), r.get(t.p.Columns[Number])
	if name == "" && pid == "" {
		return 0, nil
	}
	id := name + "\x00" + pid
	if n := t.processes[id]; n != 0 {
		return n, nil
	}
	if len(t.processes) >= trace.DefaultLimits.Processes {
		return 0, nil
	}
	line := trace.Process{PID: number(pid), Exe: strings.ReplaceAll(name, `\`, "/"), At: at}
	if err := t.w.Process(&line); err != nil {
		return 0, err
	}
	t.processes[id] = line.N
	return line.N, nil
}

// end writes what the files are after all, and what could not be seen.
func (t *writing) end() error {
	for _, f := range t.order {
		if !f.changed {
			continue
		}
		state := trace.State{Is: trace.IsAbsent}
		if f.exists {
			state.Is = trace.IsFile
			if f.key {
				state.Is = trace.IsKey
			}
		}
		if err := t.w.After(trace.After{File: f.n, State: state}); err != nil {
			return err
		}
	}
	gaps := []trace.Gap{
		{
			At:   t.last,
			What: "it was made from a log that another program wrote: sizes and contents are not known, and what the log left out is not in it",
			N:    1,
		},
	}
	if t.p.Columns[When] == "" {
		gaps = append(gaps, trace.Gap{At: t.last, What: "the log tells no times", N: 1})
	}
	for _, why := range slices.Sorted(maps.Keys(t.reasons)) {
		t.s.Unusable = append(t.s.Unusable, *t.reasons[why])
		gaps = append(gaps, trace.Gap{At: t.last, What: "lines of the log could not be used: " + why, N: t.reasons[why].Lines})
	}
	for _, g := range gaps {
		if err := t.w.Gap(g); err != nil {
			return err
		}
	}
	slices.SortStableFunc(t.s.Unusable, func(a, b Unusable) int { return b.Lines - a.Lines })
	var err error
	t.s.End, err = t.w.Close(t.last)
	return err
}
