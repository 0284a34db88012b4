package capture

import (
	"strings"
	"sync"
	"time"

	"endroit/core/trace"
)

// recorder numbers files and processes and hands what was seen to the one
// goroutine that writes the trace. Any goroutine may call it.
type recorder struct {
	start time.Time

	mu      sync.Mutex
	files   map[string]*seenFile
	nFiles  int
	nProcs  int
	seen    map[[2]int]bool // processes, however many programs they executed
	list    []*seenFile     // by number, from 0
	began   []time.Duration // when processes were declared, by number, from 0
	queue   []record        // what the writer has not taken yet
	spare   []record        // for what comes next
	waking  chan struct{}   // holds one token while there is something to take
	closed  bool
	done    chan struct{}
	err     error // of the writer; read after done
	end     trace.End
	gaps    map[string]*trace.Gap
	gapList []*trace.Gap
	changed []*seenFile     // in the order of their first change
	running map[int]*holder // processes by id, to look at their descriptors
}

// record is an event, or another line of the trace. There are many of them: it is small.
type record struct {
	at                time.Duration // its place in the order
	process, file, to int32
	op                uint8 // its index in operations
	more              *more // nil of a plain event
}

// more is what few records have.
type more struct {
	size  int64
	what  string
	other any // *trace.File, *trace.Process, trace.Cue, trace.Exit, trace.Known, trace.After, trace.Reached, trace.Gap; nil: an event
}

var operations = trace.Ops()

// indexOf is an operation's index.
var indexOf = func() map[trace.Op]uint8 {
	m := map[trace.Op]uint8{}
	for i, op := range operations {
		m[op] = uint8(i)
	}
	return m
}()

func recordOf(e trace.Event) record {
	x := record{at: e.At, process: int32(e.Process), file: int32(e.File), to: int32(e.To), op: indexOf[e.Op]}
	if e.Size != 0 || e.What != "" {
		x.more = &more{size: e.Size, what: e.What}
	}
	return x
}

// line is another line of the trace, at its place in the order.
func line(at time.Duration, other any) record { return record{at: at, more: &more{other: other}} }

// seenFile is what the observer keeps of a path.
type seenFile struct {
	n       int
	path    string
	exists  bool          // as far as known
	changed bool          // something was done to it, so that its later state matters
	lost    bool          // what became of it cannot be seen
	reached bool          // that it was reached by another path is told
	latest  time.Duration // of its last event by a call: what is found by looking came later
	first   time.Duration // when it was first seen
	before  trace.State   // when it was first seen
	size    int64
	time    time.Time
	key     trace.State // of a key of the registry: as it is
}

// holder is a process that may hold files open.
type holder struct {
	n      int  // its number in the trace
	writes bool // it has opened a file for writing
}

// changes counts the paths that something was done to.
func (r *recorder) changes() (n int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, f := range r.changed {
		if !synthetic(f.path) {
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

// newRecorder takes what is recorded from then on. begin writes it.
func newRecorder(start time.Time) *recorder {
	return &recorder{start: start, files: map[string]*seenFile{}, seen: map[[2]int]bool{}, running: map[int]*holder{}, waking: make(chan struct{}, 1), done: make(chan struct{}), gaps: map[string]*trace.Gap{}}
}

// begin writes what is recorded, until close.
func (r *recorder) begin(w *trace.Writer) { go r.write(w) }

// now is the time of the run, to the microsecond: a call takes several to be seen, and
// what is finer would only make the trace larger.
func (r *recorder) now() time.Duration { return time.Since(r.start).Truncate(time.Microsecond) }

// add queues a record and never waits. The caller holds mu.
func (r *recorder) add(x record) {
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

func (r *recorder) wake() {
	select {
	case r.waking <- struct{}{}:
	default:
	}
}

// process declares a process and returns its number.
func (r *recorder) process(p trace.Process) int {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.nProcs++
	p.N = r.nProcs
	p.At = max(p.At, 1)
	r.began = append(r.began, p.At)
	r.seen[p.Identity()] = true
	r.add(line(p.At, &p))
	return r.nProcs
}

// processes counts those that were declared.
func (r *recorder) processes() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return len(r.seen)
}

func (r *recorder) other(other any) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.add(line(r.now(), other))
}

// file declares a path, unless it is known by now, with its state as it was just found.
func (r *recorder) file(path string, before trace.State) *seenFile {
	r.mu.Lock()
	defer r.mu.Unlock()
	if f := r.files[path]; f != nil {
		return f
	}
	now := r.now()
	return r.declare(path, before, now, now)
}

// fileAt is file for a call at a time: what is told of the call does not come later than
// it was.
func (r *recorder) fileAt(path string, before trace.State, at time.Duration) *seenFile {
	r.mu.Lock()
	defer r.mu.Unlock()
	if f := r.files[path]; f != nil {
		return f
	}
	return r.declare(path, before, r.now(), at)
}

// fileBefore declares a path whose state was known before the run, for what happened to
// it at a time that may be past.
func (r *recorder) fileBefore(path string, before trace.State, at time.Duration) *seenFile {
	r.mu.Lock()
	defer r.mu.Unlock()
	if f := r.files[path]; f != nil {
		return f
	}
	return r.declare(path, before, 0, at)
}

// declare declares a path. The caller holds mu.
func (r *recorder) declare(path string, before trace.State, seen, at time.Duration) *seenFile {
	r.nFiles++
	at = max(at, 1)
	f := &seenFile{n: r.nFiles, path: path, before: before, exists: before.Is != trace.IsAbsent, size: before.Size, time: before.Time, first: at, latest: at}
	if before.Is != trace.IsKey && !strings.HasPrefix(path, "registry:") {
		r.files[path] = f
	}
	r.list = append(r.list, f)
	r.add(line(at, &trace.File{N: f.n, Path: path, Before: before, At: seen}))
	return f
}

// did records an event by a call, and that the state of its files has to be looked at
// later if it changes them.
func (r *recorder) did(e trace.Event, f, to *seenFile, changes bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.put(e)
	if changes {
		r.change(f)
		if to != nil {
			r.change(to)
		}
	}
}

// plain queues an event of a file and a process that were seen before. f is the file if
// it is changed.
func (r *recorder) plain(e record, f *seenFile) {
	r.mu.Lock()
	r.add(e)
	if f != nil {
		f.latest = max(f.latest, e.at)
		r.change(f)
	}
	r.mu.Unlock()
}

// put queues an event: not before its process and its files were first seen, and one
// that was found by looking, by the time of the file, not before what was seen of the
// file by then. The caller holds mu.
func (r *recorder) put(e trace.Event) {
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

// stands reports whether a file is there, as far as is known.
func (r *recorder) stands(f *seenFile) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return f.exists
}

// below are the files in a folder that are there.
func (r *recorder) below(folder string) (list []*seenFile) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, f := range r.list {
		if f.exists && f.path != folder && trace.Within(f.path, folder) {
			list = append(list, f)
		}
	}
	return list
}

// forget says that what becomes of a file cannot be seen any more.
func (r *recorder) forget(f *seenFile) {
	r.mu.Lock()
	defer r.mu.Unlock()
	f.lost = true
}

func (r *recorder) setExists(f *seenFile, yes bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	f.exists = yes
}

// knownBefore tells what a file held before, once.
func (r *recorder) knownBefore(f *seenFile, state trace.State) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if f.before.Digest == "" {
		f.before = state
		r.add(line(r.now(), trace.Known{File: f.n, State: state}))
	}
}

// reachedAs tells that a program reached a file by another path, once.
func (r *recorder) reachedAs(f *seenFile, path string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !f.reached {
		f.reached = true
		r.add(line(r.now(), trace.Reached{File: f.n, Path: path}))
	}
}

func (r *recorder) known(path string) *seenFile {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.files[path]
}

func (r *recorder) isChanged(f *seenFile) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return f.changed
}

func (r *recorder) wasChanged(path string) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	f := r.files[path]
	return f != nil && f.changed
}

// event records an event that the observer found by itself.
func (r *recorder) event(e trace.Event) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.put(e)
}

// changedFiles are those that something was done to, by their first change.
func (r *recorder) changedFiles() []*seenFile {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.changed[:len(r.changed):len(r.changed)]
}

// touched notes that something was done to a file, so that its later state is
// looked at.
func (r *recorder) touched(f *seenFile) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.change(f)
}

// change notes a changed file. The caller holds mu.
func (r *recorder) change(f *seenFile) {
	if f.changed || synthetic(f.path) {
		return
	}
	f.changed = true
	r.changed = append(r.changed, f)
}

// gap counts what could not be seen; each text becomes one line at the end.
func (r *recorder) gap(what string) { r.gapTimes(what, 1) }

func (r *recorder) gapTimes(what string, n int) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.note(what, n)
}

// note counts a gap. The caller holds mu.
func (r *recorder) note(what string, n int) {
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
	g := &trace.Gap{At: r.now(), What: what, N: n}
	r.gaps[what] = g
	r.gapList = append(r.gapList, g)
}

// flush has what is queued written, so that a crash loses little.
func (r *recorder) flush() {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !r.closed {
		r.wake()
	}
}

// close writes the gaps and the end line, and waits for the writer.
func (r *recorder) close() (trace.End, []trace.Gap, error) {
	r.mu.Lock()
	var gaps []trace.Gap
	for _, g := range r.gapList {
		gaps = append(gaps, *g)
		r.queue = append(r.queue, line(1<<62, *g))
	}
	r.closed = true
	r.wake()
	r.mu.Unlock()
	<-r.done
	return r.end, gaps, r.err
}

// settling is for how long an event is held back: those that are found by looking, or
// whose outcome is only known afterwards, come later than they happened, and the trace
// tells in order.
const settling = time.Second

// write is the writer's goroutine. After an error, such as a full disk, it goes on
// taking records.
func (r *recorder) write(w *trace.Writer) {
	defer close(r.done)
	last := time.Now()
	var held ordered
	var numbers numbering
	put := func(list []record) {
		for _, x := range list {
			if r.err == nil {
				r.err = numbers.write(w, x)
			}
		}
	}
	var list []record
	for closed := false; !closed; {
		<-r.waking
		r.mu.Lock()
		if cap(list) <= 4*batch {
			r.spare = list[:0] // it was taken over, and can be filled again
		}
		list = r.queue
		r.queue = nil
		closed = r.closed
		r.mu.Unlock()
		held.insert(list)
		put(held.until(r.now() - settling))
		if r.err == nil && time.Since(last) > time.Second {
			r.err = w.Flush()
			last = time.Now()
		}
	}
	put(held.until(1 << 62))
	if r.err == nil {
		r.end, r.err = w.Close(r.now())
	}
}

// ordered holds records by their place in the order.
type ordered struct {
	list  []record
	first int // what is before it was taken
}

// insert puts records behind those that are not later: nearly always the end.
func (o *ordered) insert(more []record) {
	if len(o.list)+len(more) > cap(o.list) && o.first > len(o.list)/2 {
		o.list, o.first = o.list[:copy(o.list, o.list[o.first:])], 0
	}
	k := len(o.list)
	o.list = append(o.list, more...)
	for ; k < len(o.list); k++ {
		x := o.list[k]
		i := k
		for ; i > o.first && o.list[i-1].at > x.at; i-- {
			o.list[i] = o.list[i-1]
		}
		if i < k {
			o.list[i] = x
		}
	}
}

// until takes what is not later than a time. It is there until the next insert.
func (o *ordered) until(end time.Duration) []record {
	from := o.first
	for o.first < len(o.list) && o.list[o.first].at <= end {
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

func (n *numbering) write(w *trace.Writer, x record) (err error) {
	if x.more == nil || x.more.other == nil {
		e := trace.Event{At: x.at, Op: operations[x.op], File: n.file(int(x.file)), To: n.file(int(x.to)), Process: n.process(int(x.process))}
		if x.more != nil {
			e.Size, e.What = x.more.size, x.more.what
		}
		return w.Event(e)
	}
	switch o := x.more.other.(type) {
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
