package capture

import (
	"strings"
	"sync"
	"time"

	"endroit/core/trace"
)

// Recorder numbers files and processes and hands what was seen to the one
// goroutine that writes the trace. Any goroutine may call it.
type Recorder struct {
	Start time.Time

	Mu      sync.Mutex
	Files   map[string]*File
	nFiles  int
	nProcs  int
	seen    map[[2]int]bool // processes, however many programs they executed
	list    []*File         // by number, from 0
	began   []time.Duration // when processes were declared, by number, from 0
	queue   []Record        // what the writer has not taken yet
	spare   []Record        // for what comes next
	waking  chan struct{}   // holds one token while there is something to take
	closed  bool
	done    chan struct{}
	err     error // of the writer; read after done
	end     trace.End
	gaps    map[string]*trace.Gap
	gapList []*trace.Gap
	Changed []*File         // in the order of their first change
	Running map[int]*Holder // processes by id, to look at their descriptors
}

// Record is an event, or another line of the trace. There are many of them: it is small.
type Record struct {
	At                time.Duration // its place in the order
	Process, File, to int32
	Op                uint8 // its index in operations
	More              *More // nil of a plain event
}

// More is what few records have.
type More struct {
	size  int64
	What  string
	other any // *trace.File, *trace.Process, trace.Cue, trace.Exit, trace.Known, trace.After, trace.Reached, trace.Gap; nil: an event
}

var Operations = trace.Ops()

// IndexOf is an operation's index.
var IndexOf = func() map[trace.Op]uint8 {
	m := map[trace.Op]uint8{}
	for i, op := range Operations {
		m[op] = uint8(i)
	}
	return m
}()

func recordOf(e trace.Event) Record {
	x := Record{At: e.At, Process: int32(e.Process), File: int32(e.File), to: int32(e.To), Op: IndexOf[e.Op]}
	if e.Size != 0 || e.What != "" {
		x.More = &More{size: e.Size, What: e.What}
	}
	return x
}

// line is another line of the trace, at its place in the order.
func line(at time.Duration, other any) Record { return Record{At: at, More: &More{other: other}} }

// File is what the observer keeps of a path.
type File struct {
	N       int
	Path    string
	Exists  bool          // as far as known
	Changed bool          // something was done to it, so that its later state matters
	Lost    bool          // what became of it cannot be seen
	reached bool          // that it was reached by another path is recorded
	latest  time.Duration // of its last event by a call: what is found by looking came later
	first   time.Duration // when it was first seen
	Before  trace.State   // when it was first seen
	Size    int64
	Time    time.Time
	Key     trace.State // of a key of the registry: as it is
}

// Holder is a process that may hold files open.
type Holder struct {
	N      int  // its number in the trace
	Writes bool // it has opened a file for writing
}

// Changes counts the paths that something was done to.
func (r *Recorder) Changes() (n int) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	for _, f := range r.Changed {
		if !Synthetic(f.Path) {
			n++
		}
	}
	return n
}

// maxQueued is how many records may wait for the writer, should the disk stall. What
// comes then is lost and counted: the observed program does not wait for a disk.
const (
	maxQueued = 1 << 20
	batch     = 4096
)

// NewRecorder takes what is recorded from then on. begin writes it.
func NewRecorder(start time.Time) *Recorder {
	return &Recorder{
		Start:   start,
		Files:   map[string]*File{},
		seen:    map[[2]int]bool{},
		Running: map[int]*Holder{},
		waking:  make(chan struct{}, 1),
		done:    make(chan struct{}),
		gaps:    map[string]*trace.Gap{},
	}
}

// Begin writes what is recorded, until close.
func (r *Recorder) Begin(w *trace.Writer) { go r.write(w) }

// Now is the time of the run, to the microsecond: a call takes several to be seen, and
// what is finer would only make the trace larger.
func (r *Recorder) Now() time.Duration { return time.Since(r.Start).Truncate(time.Microsecond) }

// add queues a record and never waits. The caller holds mu.
func (r *Recorder) add(x Record) {
	switch {
	case r.closed:
	case len(r.queue) >= maxQueued:
		r.note("events were lost, as the trace could not be written as fast as they came", 1)
	default:
		if r.queue == nil {
			r.queue, r.spare = r.spare, nil
		}
		r.queue = append(r.queue, x)
		if len(r.queue)%batch == 0 { // the writer gets many at a time; flush gives it the rest
			r.wake()
		}
	}
}

func (r *Recorder) wake() {
	select {
	case r.waking <- struct{}{}:
	default:
	}
}

// Process declares a process and returns its number.
func (r *Recorder) Process(p trace.Process) int {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	r.nProcs++
	p.N = r.nProcs
	p.At = max(p.At, 1)
	r.began = append(r.began, p.At)
	r.seen[p.Identity()] = true
	r.add(line(p.At, &p))
	return r.nProcs
}

// Processes counts those that were declared.
func (r *Recorder) Processes() int {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	return len(r.seen)
}

func (r *Recorder) Other(other any) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	r.add(line(r.Now(), other))
}

// File declares a path, unless it is known by now, with its state as it was just found.
func (r *Recorder) File(path string, before trace.State) *File {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	if f := r.Files[path]; f != nil {
		return f
	}
	now := r.Now()
	return r.Declare(path, before, now, now)
}

// FileAt is file for a call at a time: the call's events come no later than
// it was.
func (r *Recorder) FileAt(path string, before trace.State, at time.Duration) *File {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	if f := r.Files[path]; f != nil {
		return f
	}
	return r.Declare(path, before, r.Now(), at)
}

// FileBefore declares a path whose state was known before the run, for what happened to
// it at a time that may be past.
func (r *Recorder) FileBefore(path string, before trace.State, at time.Duration) *File {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	if f := r.Files[path]; f != nil {
		return f
	}
	return r.Declare(path, before, 0, at)
}

// Declare declares a path. The caller holds mu.
func (r *Recorder) Declare(path string, before trace.State, seen, at time.Duration) *File {
	r.nFiles++
	at = max(at, 1)
	f := &File{
		N:      r.nFiles,
		Path:   path,
		Before: before,
		Exists: before.Is != trace.IsAbsent,
		Size:   before.Size,
		Time:   before.Time,
		first:  at,
		latest: at,
	}
	if before.Is != trace.IsKey && !strings.HasPrefix(path, "registry:") {
		r.Files[path] = f
	}
	r.list = append(r.list, f)
	r.add(line(at, &trace.File{N: f.N, Path: path, Before: before, At: seen}))
	return f
}

// RecordCall records an event by a call, and that the state of its files has to be looked at
// later if it changes them.
func (r *Recorder) RecordCall(e trace.Event, f, to *File, changes bool) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	r.RecordFound(e)
	if changes {
		r.change(f)
		if to != nil {
			r.change(to)
		}
	}
}

// Plain queues an event of a file and a process that were seen before. f is the file if
// it is changed.
func (r *Recorder) Plain(e Record, f *File) {
	r.Mu.Lock()
	r.add(e)
	if f != nil {
		f.latest = max(f.latest, e.At)
		r.change(f)
	}
	r.Mu.Unlock()
}

// RecordFound queues an event: not before its process and its files were first seen, and one
// that was found by looking, by the time of the file, not before what was seen of the
// file by then. The caller holds mu.
func (r *Recorder) RecordFound(e trace.Event) {
	f := r.list[e.File-1]
	if e.Op == trace.Changed {
		e.At = max(e.At, f.latest)
	}
	e.At = max(e.At, f.first)
	if e.To != 0 {
		to := r.list[e.To-1]
		e.At = max(e.At, to.first)
		to.latest = max(to.latest, e.At)
	}
	f.latest = max(f.latest, e.At)
	if e.Process > 0 {
		e.At = max(e.At, r.began[e.Process-1])
	}
	r.add(recordOf(e))
}

// Exists reports whether a file is there, as far as is known.
func (r *Recorder) Exists(f *File) bool {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	return f.Exists
}

// Below are the files in a folder that are there.
func (r *Recorder) Below(folder string) (list []*File) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	for _, f := range r.list {
		if f.Exists && f.Path != folder && trace.Within(f.Path, folder) {
			list = append(list, f)
		}
	}
	return list
}

// Forget says that what becomes of a file cannot be seen any more.
func (r *Recorder) Forget(f *File) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	f.Lost = true
}

func (r *Recorder) SetExists(f *File, yes bool) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	f.Exists = yes
}

// KnownBefore tells what a file held before, once.
func (r *Recorder) KnownBefore(f *File, state trace.State) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	if f.Before.Digest == "" {
		f.Before = state
		r.add(line(r.Now(), trace.Known{File: f.N, State: state}))
	}
}

// ReachedAs tells that a program reached a file by another path, once.
func (r *Recorder) ReachedAs(f *File, path string) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	if !f.reached {
		f.reached = true
		r.add(line(r.Now(), trace.Reached{File: f.N, Path: path}))
	}
}

func (r *Recorder) Known(path string) *File {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	return r.Files[path]
}

func (r *Recorder) IsChanged(f *File) bool {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	return f.Changed
}

func (r *Recorder) WasChanged(path string) bool {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	f := r.Files[path]
	return f != nil && f.Changed
}

// Event records an event that the observer found by itself.
func (r *Recorder) Event(e trace.Event) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	r.RecordFound(e)
}

// ChangedFiles are those that something was done to, by their first change.
func (r *Recorder) ChangedFiles() []*File {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	return r.Changed[:len(r.Changed):len(r.Changed)]
}

// MarkTouched notes that something was done to a file, so that its later state is
// looked at.
func (r *Recorder) MarkTouched(f *File) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	r.change(f)
}

// change notes a changed file. The caller holds mu.
func (r *Recorder) change(f *File) {
	if f.Changed || Synthetic(f.Path) {
		return
	}
	f.Changed = true
	r.Changed = append(r.Changed, f)
}

// Gap counts what could not be seen; each text becomes one line at the end.
func (r *Recorder) Gap(what string) { r.GapTimes(what, 1) }

func (r *Recorder) GapTimes(what string, n int) {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	r.note(what, n)
}

// note counts a gap. The caller holds mu.
func (r *Recorder) note(what string, n int) {
	if len(what) > trace.MaxGapText {
		what = strings.ToValidUTF8(what[:trace.MaxGapText-len("…")], "") + "…"
	}
	if r.gaps[what] == nil && len(r.gapList) >= trace.MaxGaps-50 { // who trims the trace later may add some
		what = "more than is listed here, each for a reason of its own"
	}
	if g := r.gaps[what]; g != nil {
		g.N += n
		return
	}
	g := &trace.Gap{At: r.Now(), What: what, N: n}
	r.gaps[what] = g
	r.gapList = append(r.gapList, g)
}

// Flush has what is queued written, so that a crash loses little.
func (r *Recorder) Flush() {
	r.Mu.Lock()
	defer r.Mu.Unlock()
	if !r.closed {
		r.wake()
	}
}

// Close writes the gaps and the end line, and waits for the writer.
func (r *Recorder) Close() (trace.End, []trace.Gap, error) {
	r.Mu.Lock()
	var gaps []trace.Gap
	for _, g := range r.gapList {
		gaps = append(gaps, *g)
		r.queue = append(r.queue, line(1<<62, *g))
	}
	r.closed = true
	r.wake()
	r.Mu.Unlock()
	<-r.done
	return r.end, gaps, r.err
}

// settling is for how long an event is held back: those that are found by looking, or
// whose outcome is only known afterwards, come later than they happened, and the trace
// tells in order.
const settling = time.Second

// write is the writer's goroutine. After an error, such as a full disk, it goes on
// taking records.
func (r *Recorder) write(w *trace.Writer) {
	defer close(r.done)
	last := time.Now()
	var held ordered
	var numbers numbering
	put := func(list []Record) {
		for _, x := range list {
			if r.err == nil {
				r.err = numbers.write(w, x)
			}
		}
	}
	var list []Record
	for closed := false; !closed; {
		<-r.waking
		r.Mu.Lock()
		if cap(list) <= 4*batch {
			r.spare = list[:0] // it was taken over, and can be filled again
		}
		list = r.queue
		r.queue = nil
		closed = r.closed
		r.Mu.Unlock()
		held.insert(list)
		put(held.until(r.Now() - settling))
		if r.err == nil && time.Since(last) > time.Second {
			r.err = w.Flush()
			last = time.Now()
		}
	}
	put(held.until(1 << 62))
	if r.err == nil {
		r.end, r.err = w.Close(r.Now())
	}
}

// ordered holds records by their place in the order.
type ordered struct {
	list  []Record
	first int // what is before it was taken
}

// insert puts records behind those that are not later: nearly always the end.
func (o *ordered) insert(more []Record) {
	if len(o.list)+len(more) > cap(o.list) && o.first > len(o.list)/2 {
		o.list, o.first = o.list[:copy(o.list, o.list[o.first:])], 0
	}
	k := len(o.list)
	o.list = append(o.list, more...)
	for ; k < len(o.list); k++ {
		x := o.list[k]
		i := k
		for ; i > o.first && o.list[i-1].At > x.At; i-- {
			o.list[i] = o.list[i-1]
		}
		if i < k {
			o.list[i] = x
		}
	}
}

// until takes what is not later than a time. It is there until the next insert.
func (o *ordered) until(end time.Duration) []Record {
	from := o.first
	for o.first < len(o.list) && o.list[o.first].At <= end {
		o.first++
	}
	return o.list[from:o.first]
}

// numbering translates the recorder's numbers to the trace's, which count in the order of
// the lines.
type numbering struct{ files, processes []int }

func (n *numbering) file(k int) int    { return at(n.files, k) }
func (n *numbering) process(k int) int { return at(n.processes, k) }

func at(list []int, k int) int {
	if k < 1 || k > len(list) {
		return 0
	}
	return list[k-1]
}

func set(list []int, k, to int) []int {
	for len(list) < k {
		list = append(list, 0)
	}
	list[k-1] = to
	return list
}

func (n *numbering) write(w *trace.Writer, x Record) (err error) {
	if x.More == nil || x.More.other == nil {
		e := trace.Event{
			At:      x.At,
			Op:      Operations[x.Op],
			File:    n.file(int(x.File)),
			To:      n.file(int(x.to)),
			Process: n.process(int(x.Process)),
		}
		if x.More != nil {
			e.Size, e.What = x.More.size, x.More.What
		}
		return w.Event(e)
	}
	switch o := x.More.other.(type) {
	case *trace.File:
		k := o.N
		err = w.File(o)
		n.files = set(n.files, k, o.N)
		return err
	case *trace.Process:
		k := o.N
		o.Parent = n.process(o.Parent)
		err = w.Process(o)
		n.processes = set(n.processes, k, o.N)
		return err
	case trace.Cue:
		return w.Cue(o)
	case trace.Exit:
		o.Process = n.process(o.Process)
		return w.Exit(o)
	case trace.Known:
		o.File = n.file(o.File)
		return w.Known(o)
	case trace.After:
		o.File = n.file(o.File)
		return w.After(o)
	case trace.Reached:
		o.File = n.file(o.File)
		return w.Reached(o)
	case trace.Gap:
		return w.Gap(o)
	}
	panic("capture: a record that the trace has no line for")
}
