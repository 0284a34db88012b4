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
	batch   []record
	closed  bool
	ready   chan []record
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
	event trace.Event
	other any // *trace.File, *trace.Process, trace.Cue, trace.Exit, trace.Known, trace.After; nil: the event
}

// seenFile is what the observer keeps of a path.
type seenFile struct {
	n       int
	path    string
	exists  bool // as far as known
	changed bool // something was done to it, so that its later state matters
	content bool // its content was put to risk, so its state before had to be known
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

const batchSize = 4096

func newRecorder(w *trace.Writer, start time.Time) *recorder {
	r := &recorder{start: start, files: map[string]*seenFile{}, running: map[int]*holder{}, ready: make(chan []record, 64), done: make(chan struct{}), gaps: map[string]*trace.Gap{}}
	go r.write(w)
	return r
}

// now is the time of the run, to the microsecond: a call takes several to be seen, and
// what is finer would only make the trace larger.
func (r *recorder) now() time.Duration { return time.Since(r.start).Truncate(time.Microsecond) }

// add queues a record. The caller holds mu.
func (r *recorder) add(x record) {
	if r.closed {
		return
	}
	if r.batch == nil {
		r.batch = make([]record, 0, batchSize)
	}
	r.batch = append(r.batch, x)
	if len(r.batch) == batchSize {
		r.ready <- r.batch
		r.batch = nil
	}
}

// process declares a process and returns its number.
func (r *recorder) process(p trace.Process) int {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.nProcs++
	p.N = r.nProcs
	r.add(record{other: &p})
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
	f := &seenFile{n: r.nFiles, path: path, size: before.Size, time: before.Time}
	r.files[path] = f
	r.add(record{other: &trace.File{N: f.n, Path: path, Before: before}})
	return f
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
	r.add(record{event: e})
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
	if g := r.gaps[what]; g != nil {
		g.N += n
		return
	}
	g := &trace.Gap{At: r.now(), What: what, N: n}
	r.gaps[what] = g
	r.gapList = append(r.gapList, g)
}

// flush hands over what is queued, so that a crash loses little.
func (r *recorder) flush() {
	r.mu.Lock()
	defer r.mu.Unlock()
	if len(r.batch) > 0 && !r.closed {
		r.ready <- r.batch
		r.batch = nil
	}
}

// close writes the gaps and the end line, and waits for the writer.
func (r *recorder) close() (trace.End, []trace.Gap, error) {
	r.mu.Lock()
	var gaps []trace.Gap
	for _, g := range r.gapList {
		gaps = append(gaps, *g)
		r.add(record{other: *g})
	}
	if len(r.batch) > 0 {
		r.ready <- r.batch
	}
	r.closed = true
	close(r.ready)
	r.mu.Unlock()
	<-r.done
	return r.end, gaps, r.err
}

// write is the writer's goroutine. After an error, such as a full disk, it goes
// on taking records, so that the observed program never waits for it.
func (r *recorder) write(w *trace.Writer) {
	defer close(r.done)
	last := time.Now()
	for batch := range r.ready {
		for _, x := range batch {
			if r.err == nil {
				r.err = writeRecord(w, x)
			}
		}
		if r.err == nil && time.Since(last) > time.Second {
			r.err = w.Flush()
			last = time.Now()
		}
	}
	if r.err == nil {
		r.end, r.err = w.Close(r.now())
	}
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
	case trace.Gap:
		return w.Gap(o)
	}
	panic("capture: a record that the trace has no line for")
}
