package capture

import (
	"fmt"
	"path/filepath"
	"strings"
	"time"

	"endroit/core/trace"
)

const (
	sampleEvery = 500 * time.Millisecond
	sampleFiles = 1000 // of those changed last; a stat takes about a microsecond
)

// looks finds by looking, from time to time and at the end, what no call tells:
// whether a file that stays open was written, what became of the registry, what
// another program changed on the observed one's behalf, whether the clock was moved.
type looks struct {
	r        *recorder
	header   trace.Header
	kept     *keeping // nil if no versions are kept
	registry *registry
	before   *tree // what services may change
	last     map[int]trace.State
	cues     chan string
	clock    clock
	roots    []string // whose files' content is looked at
}

func newLooks(r *recorder, header trace.Header, kept *keeping) *looks {
	l := &looks{r: r, header: header, kept: kept, last: map[int]trace.State{}, cues: make(chan string, 64), clock: newClock()}
	l.roots = []string{header.Env["HOME"], header.Install}
	if header.Prefix != nil {
		l.registry = newRegistry(r, header.Prefix.Folder)
		l.roots = append(l.roots, header.Prefix.Folder)
	}
	return l
}

// run looks until stop is closed, and once more then. also looks as often.
func (l *looks) run(stop <-chan struct{}, also func()) {
	tick := time.NewTicker(sampleEvery)
	defer tick.Stop()
	once := func(atEnd bool) {
		l.clock.look(l.r)
		l.changes()
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
			l.r.flush()
		case word := <-l.cues:
			once(false)
			l.kept.keepChanged("cue "+word, l.r.changedFiles(), l.own)
		}
	}
}

// cued has everything looked at for a cue.
func (l *looks) cued(word string) {
	select {
	case l.cues <- word:
	default: // so many at once need no look each
	}
}

// changes looks at the files that something was done to, so that the trace tells
// when a file that stays open was written and whether it grows.
func (l *looks) changes() {
	files := l.r.changedFiles()
	for _, f := range files[max(0, len(files)-sampleFiles):] {
		if f.key.Is != "" {
			continue
		}
		now := stateOf(f.path, false)
		was, seen := l.last[f.n]
		if !seen {
			was = trace.State{Size: f.size, Time: f.time}
		}
		l.last[f.n] = now
		if now.Is != trace.IsFile || now.Size == was.Size && now.Time.Equal(was.Time) {
			continue
		}
		at := min(max(now.Time.Sub(l.header.Started), 0), l.r.now())
		l.r.event(trace.Event{At: at, Op: trace.Changed, File: f.n, Size: now.Size})
	}
}

// Services, such as one that keeps settings for all programs of a desktop, write
// what a game asks them to; they are none of its children.
const (
	serviceDepth = 3
	serviceLimit = 8000 // an entry takes about ten microseconds
)

// serviceFolders are where services keep what programs hand them.
func (l *looks) serviceFolders() (folders []string) {
	home := l.header.Env["HOME"]
	if home == "" {
		return nil
	}
	for _, f := range []struct{ variable, usual string }{{"XDG_CONFIG_HOME", ".config"}, {"XDG_DATA_HOME", ".local/share"}, {"XDG_STATE_HOME", ".local/state"}} {
		folder := l.header.Env[f.variable]
		if folder == "" {
			folder = filepath.Join(home, f.usual)
		}
		folders = append(folders, folder)
	}
	return folders
}

// services looks at what services may change, before the run.
func (l *looks) services() {
	if folders := l.serviceFolders(); folders != nil {
		l.before = lookAt(folders, serviceDepth, serviceLimit)
	}
}

// byServices records, at the end, what changed and no observed program changed.
func (l *looks) byServices() {
	if l.before == nil {
		return
	}
	now := l.r.now()
	after := lookAt(l.serviceFolders(), serviceDepth, serviceLimit)
	if after.cut {
		l.r.gap("what other programs wrote in the folders for settings and data was not looked for in all of them: they hold too many files")
	}
	for _, d := range after.since(l.before) {
		if d.after == nil || !d.after.Mode().IsRegular() {
			continue
		}
		f := l.r.known(d.path)
		if f != nil && l.r.isChanged(f) {
			continue
		}
		at := d.happenedAt(l.header.Started, now)
		f = l.r.fileBefore(d.path, stateOfInfo(d.before), at)
		l.r.event(trace.Event{At: at, Op: trace.Changed, File: f.n, Size: d.after.Size(), What: trace.Unobserved})
		l.r.touched(f)
	}
}

// contentFiles is how many files that were only read get a look at their
// content at the end.
const contentFiles = 5000

// finish records the state of the changed files, and what the person's own
// files that were read look like.
func (l *looks) finish() {
	l.byServices()
	changed := l.r.changedFiles()
	l.r.mu.Lock()
	var read []*seenFile
	for _, f := range l.r.files {
		if !f.changed && f.exists && l.own(f.path) && len(read) < contentFiles {
			read = append(read, f)
		}
	}
	l.r.mu.Unlock()
	for _, f := range append(append([]*seenFile{}, changed...), read...) {
		if f.key.Is == "" && !f.lost {
			l.r.other(trace.After{File: f.n, State: l.atEnd(f)})
		}
	}
	for _, a := range l.registry.states() {
		l.r.other(a)
	}
	if err := l.kept.close(); err != nil {
		l.r.gap("the versions beside the trace could not be written whole: " + reason(err))
	}
}

// atEnd is a file as it is, with its content.
func (l *looks) atEnd(f *seenFile) trace.State {
	if l.kept != nil && l.r.isChanged(f) && l.own(f.path) {
		if state, ok := l.kept.keep(f.path, "end", true); ok {
			return state
		}
	}
	// Of what was only read the first bytes are enough: a game reads gigabytes.
	return withLooks(f.path, stateOf(f.path, false), l.r.isChanged(f))
}

// own reports whether a file lies in the person's home, the installed edition's
// folder, the prefix or a watched folder.
func (l *looks) own(path string) bool {
	for _, root := range l.roots {
		if root != "" && strings.HasPrefix(path, root+"/") {
			return true
		}
	}
	return false
}

// clock tells when the machine's clock was moved, or the machine slept: times of
// files are by that clock, and a run's own times go on without sleep.
type clock struct {
	start time.Time
	ahead time.Duration // of the clock, against the run's own time
}

func newClock() clock { return clock{start: time.Now()} }

// clockJump is what a clock may drift between two looks.
const clockJump = 2 * time.Second

func (c *clock) look(r *recorder) {
	now := time.Now()
	ahead := now.Round(0).Sub(c.start.Round(0)) - now.Sub(c.start)
	if jump := ahead - c.ahead; jump.Abs() >= clockJump {
		r.gap(fmt.Sprintf("the clock went %s by %s in the midst: the machine slept, or the clock was set; times found by comparing can be off", map[bool]string{true: "forward", false: "back"}[jump > 0], jump.Abs().Round(time.Second)))
		c.ahead = ahead
	}
}
