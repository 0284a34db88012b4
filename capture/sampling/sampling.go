// Package sampling finds by looking, from time to time and at the end of a run, what an
// observer is not told: whether a file that stays open was written, what became of the
// registry, what another program changed on the observed one's behalf.
//
//	s := sampling.New(recorder, header, keeper)
//	go s.Run(stop, nil)
package sampling

import (
	"fmt"
	"strings"
	"time"

	"endroit/capture"
	"endroit/capture/versions"
	"endroit/core/place"
	"endroit/core/trace"
)

const (
	SampleEvery = 500 * time.Millisecond
	sampleFiles = 1000 // of those changed last; a stat takes about a microsecond
)

// Sampler finds by looking, from time to time and at the end, what no call tells:
// whether a file that stays open was written, what became of the registry, what
// another program changed on the observed one's behalf, whether the clock was moved.
type Sampler struct {
	r        *capture.Recorder
	Header   trace.Header
	kept     *versions.Keeper // nil if no versions are kept
	registry *registry
	before   *capture.Tree // what services may change
	last     map[int]trace.State
	cues     chan string
	clock    Clock
	Roots    []string // whose files' content is looked at
}

func New(r *capture.Recorder, header trace.Header, kept *versions.Keeper) *Sampler {
	l := &Sampler{r: r, Header: header, kept: kept, last: map[int]trace.State{}, cues: make(chan string, 64), clock: NewClock()}
	l.Roots = []string{header.Env["HOME"], header.Install}
	if header.Prefix != nil {
		l.registry = newRegistry(r, header.Prefix.Folder)
		l.Roots = append(l.Roots, header.Prefix.Folder)
	}
	return l
}

// Run looks until stop is closed, and once more then. also looks as often.
func (l *Sampler) Run(stop <-chan struct{}, also func()) {
	tick := time.NewTicker(SampleEvery)
	defer tick.Stop()
	once := func(atEnd bool) {
		l.clock.Look(l.r)
		l.Changes()
		l.registry.look(atEnd)
		if also != nil {
			also()
		}
	}
	for {
		select {
		case <-stop:
			once(true)
			return
		case <-tick.C:
			once(false)
			l.r.Flush()
		case word := <-l.cues:
			once(false)
			l.kept.KeepChanged("cue "+word, l.r.ChangedFiles(), l.Covers)
		}
	}
}

// SampleAtCue has everything looked at for a cue.
func (l *Sampler) SampleAtCue(word string) {
	select {
	case l.cues <- word:
	default: // so many at once need no look each
	}
}

// Changes looks at the files that something was done to, so that the trace tells
// when a file that stays open was written and whether it grows.
func (l *Sampler) Changes() {
	files := l.r.ChangedFiles()
	for _, f := range files[max(0, len(files)-sampleFiles):] {
		if f.Key.Is != "" {
			continue
		}
		now := capture.StateOf(f.Path, false)
		was, seen := l.last[f.N]
		if !seen {
			was = trace.State{Size: f.Size, Time: f.Time}
		}
		l.last[f.N] = now
		if now.Is != trace.IsFile || now.Size == was.Size && now.Time.Equal(was.Time) {
			continue
		}
		at := min(max(now.Time.Sub(l.Header.Started), 0), l.r.Now())
		l.r.Event(trace.Event{At: at, Op: trace.Changed, File: f.N, Size: now.Size})
	}
}

// Services, such as one that keeps settings for all programs of a desktop, write
// what a game asks them to; they are none of its children.
const (
	serviceDepth = 3
	serviceLimit = 8000 // an entry takes about ten microseconds
)

// ServiceFolders are where services keep what programs hand them.
func (l *Sampler) ServiceFolders() (folders []string) {
	home := l.Header.Env["HOME"]
	if home == "" {
		return nil
	}
	roots := place.LinuxRoots(l.Header.Env)
	for _, a := range []place.Anchor{place.XDGConfig, place.XDGData, place.XDGState} {
		folders = append(folders, roots[a])
	}
	return folders
}

// Services looks at what services may change, before the run.
func (l *Sampler) Services() {
	if folders := l.ServiceFolders(); folders != nil {
		l.before = capture.ScanFolders(folders, serviceDepth, serviceLimit)
	}
}

// byServices records, at the end, what changed and no observed program changed.
func (l *Sampler) byServices() {
	if l.before == nil {
		return
	}
	now := l.r.Now()
	after := capture.ScanFolders(l.ServiceFolders(), serviceDepth, serviceLimit)
	if after.Cut {
		l.r.Gap(
			"what other programs wrote in the folders for settings and data was not looked for in all of them: they hold too many files",
		)
	}
	for _, d := range after.DiffSince(l.before) {
		if d.After == nil || !d.After.Mode().IsRegular() {
			continue
		}
		f := l.r.Known(d.Path)
		if f != nil && l.r.IsChanged(f) {
			continue
		}
		at := d.HappenedAt(l.Header.Started, now)
		f = l.r.FileBefore(d.Path, capture.StateOfInfo(d.Before), at)
		l.r.Event(trace.Event{At: at, Op: trace.Changed, File: f.N, Size: d.After.Size(), What: trace.Unobserved})
		l.r.MarkTouched(f)
	}
}

// contentFiles is how many files that were only read get a look at their
// content at the end.
const contentFiles = 5000

// Finish records the state of the changed files, and what the person's own
// files that were read look like.
func (l *Sampler) Finish() {
	l.byServices()
	changed := l.r.ChangedFiles()
	l.r.Mu.Lock()
	var read []*capture.File
	for _, f := range l.r.Files {
		if !f.Changed && f.Exists && l.Covers(f.Path) && len(read) < contentFiles {
			read = append(read, f)
		}
	}
	l.r.Mu.Unlock()
	for _, f := range append(append([]*capture.File{}, changed...), read...) {
		if f.Key.Is == "" && !f.Lost {
			l.r.Other(trace.After{File: f.N, State: l.atEnd(f)})
		}
	}
	for _, a := range l.registry.states() {
		l.r.Other(a)
	}
	if err := l.kept.Close(); err != nil {
		l.r.Gap("the versions beside the trace could not be written whole: " + versions.Reason(err))
	}
}

// atEnd is a file as it is, with its content.
func (l *Sampler) atEnd(f *capture.File) trace.State {
	if l.kept != nil && l.r.IsChanged(f) && l.Covers(f.Path) {
		if state, ok := l.kept.Keep(f.Path, "end", true); ok {
			return state
		}
	}
	// Of what was only read the first bytes are enough: a game reads gigabytes.
	return capture.WithLooks(f.Path, capture.StateOf(f.Path, false), l.r.IsChanged(f))
}

// Covers reports whether a file lies in the person's home, the installed edition's
// folder, the prefix or a watched folder.
func (l *Sampler) Covers(path string) bool {
	for _, root := range l.Roots {
		if root != "" && strings.HasPrefix(path, root+"/") {
			return true
		}
	}
	return false
}

// Clock tells when the machine's Clock was moved, or the machine slept: times of
// files are by that Clock, and a run's own times go on without sleep.
type Clock struct {
	start time.Time
	Ahead time.Duration // of the clock, against the run's own time
}

func NewClock() Clock { return Clock{start: time.Now()} }

// clockJump is what a clock may drift between two looks.
const clockJump = 2 * time.Second

func (c *Clock) Look(r *capture.Recorder) {
	now := time.Now()
	ahead := now.Round(0).Sub(c.start.Round(0)) - now.Sub(c.start)
	if jump := ahead - c.Ahead; jump.Abs() >= clockJump {
		direction := "forward"
		if jump < 0 {
			direction = "back"
		}
		r.Gap(fmt.Sprintf(
			"the clock went %s by %s during the run: the machine slept, or the clock was set; times found by comparing can be off",
			direction, jump.Abs().Round(time.Second),
		))
		c.Ahead = ahead
	}
}
