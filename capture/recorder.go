package capture

import (
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
	list    []*seenFile     // by number, from 0
	began   []time.Duration // when processes were declared, by number, from 0
	queue   []record        // what the writer has not taken yet
	waking  chan struct{}   // holds one token while there is something to take
	asked   bool            // what is held back for its order is to be written
	closed  bool
	done    chan struct{}
	err     error // of the writer; read after done
	end     trace.End
	gaps    map[string]*trace.Gap
	gapList []*trace.Gap
	changed []*seenFile     // in the order of their first change
	running map[int]*holder // processes by id, to look at their descriptors
}

// record is an event, or another line of the trace.
type record struct {
	at    time.Duration // its place in the order
	event trace.Event
	other any // *trace.File, *trace.Process, trace.Cue, trace.Exit, trace.Known, trace.After; nil: the event
}

// seenFile is what the observer keeps of a path.
type seenFile struct {
	n       int
	path    string
	exists  bool          // as far as known
	changed bool          // something was done to it, so that its later state matters
	reached bool          // that it was reached by another path is told
	before  trace.State   // when it was first seen
	first   time.Duration // when it was first seen
	latest  time.Duration // of its last event by a call: what is found by looking came later
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
const maxQueued = 1 << 20

func newRecorder(w *trace.Writer, start time.Time) *recorder {
	r := &recorder{start: start, files: map[string]*seenFile{}, running: map[int]*holder{}, waking: make(chan struct{}, 1), done: make(chan struct{}), gaps: map[string]*trace.Gap{}}
	go r.write(w)
	return r
}

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
		if x.other == nil {
			x.at = x.event.At
		} else if x.at == 0 {
			x.at = r.now()
		}
		r.queue = append(r.queue, x)
		if len(r.queue)&0xfff == 0 { // the writer gets many at a time; flush gives it the rest
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
	r.add(record{at: p.At, other: &p})
	return r.nProcs
}

func (r *recorder) processes() int {
	r.mu.Lock()
	defer r.mu.Unlock()
	return r.nProcs
}

func (r *recorder) other(line any) {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.add(record{other: line})
}

// file declares a path, unless it is known by now.
func (r *recorder) file(path string, before trace.State) *seenFile {
	r.mu.Lock()
	defer r.mu.Unlock()
	if f := r.files[path]; f != nil {
		return f
	}
	r.nFiles++
	f := &seenFile{n: r.nFiles, path: path, before: before, exists: before.Is != trace.IsAbsent, size: before.Size, time: before.Time}
	r.files[path] = f
	r.list = append(r.list, f)
	f.first = r.now()
	f.latest = f.first
	r.add(record{at: f.first, other: &trace.File{N: f.n, Path: path, Before: before, At: f.first}})
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

// put queues an event: not before its process and its files were first seen, and one
// that was found by looking, by the time of the file, not before what was seen of the
// file by then. The caller holds mu.
func (r *recorder) put(e trace.Event) {
	for _, n := range []int{e.File, e.To} {
		if n == 0 {
			continue
		}
		f := r.list[n-1]
		if e.Op == trace.Changed {
			e.At = max(e.At, f.latest)
		}
		e.At = max(e.At, f.first)
		f.latest = max(f.latest, e.At)
	}
	if e.Process > 0 {
		e.At = max(e.At, r.began[e.Process-1])
	}
	r.add(record{event: e})
}

// stands reports whether a file is there, as far as is known.
func (r *recorder) stands(f *seenFile) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	return f.exists
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
		r.add(record{other: trace.Known{File: f.n, State: state}})
	}
}

// reachedAs tells that a program reached a file by another path, once.
func (r *recorder) reachedAs(f *seenFile, path string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	if !f.reached {
		f.reached = true
		r.add(record{other: trace.Reached{File: f.n, Path: path}})
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
		r.asked = true
		r.wake()
	}
}

// close writes the gaps and the end line, and waits for the writer.
func (r *recorder) close() (trace.End, []trace.Gap, error) {
	r.mu.Lock()
	var gaps []trace.Gap
	for _, g := range r.gapList {
		gaps = append(gaps, *g)
		r.queue = append(r.queue, record{at: 1 << 62, other: *g})
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
	put := func(list []record) {
		for _, x := range list {
			if r.err == nil {
				r.err = writeRecord(w, x)
			}
		}
	}
	for closed := false; !closed; {
		<-r.waking
		r.mu.Lock()
		list := r.queue
		r.queue = nil
		closed, r.asked = r.closed, false
		r.mu.Unlock()
		for _, x := range list {
			held.insert(x)
		}
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

// ordered holds records by their time.
type ordered struct {
	list  []record
	first int // what is before it was taken
}

// insert puts a record behind those that are not later: nearly always the end.
func (o *ordered) insert(x record) {
	o.list = append(o.list, x)
	for i := len(o.list) - 1; i > o.first && o.list[i-1].at > x.at; i-- {
		o.list[i], o.list[i-1] = o.list[i-1], o.list[i]
	}
}

// until takes what is not later than a time.
func (o *ordered) until(end time.Duration) []record {
	from := o.first
	for o.first < len(o.list) {
		if o.list[o.first].at > end {
			break
		}
		o.first++
	}
	out := o.list[from:o.first]
	if o.first > len(o.list)/2 {
		o.list, o.first = append([]record(nil), o.list[o.first:]...), 0
	}
	return out
}

func writeRecord(w *trace.Writer, x record) error {
	switch o := x.other.(type) {
	case nil:
		return w.Event(x.event)
	case *trace.File:
		return w.File(o)
	case *trace.Process:
		return w.Process(o)
	case trace.Cue:
		return w.Cue(o)
	case trace.Exit:
		return w.Exit(o)
	case trace.Known:
		return w.Known(o)
	case trace.After:
		return w.After(o)
	case trace.Reached:
		return w.Reached(o)
	case trace.Gap:
		return w.Gap(o)
	}
	panic("capture: a record that the trace has no line for")
}
