// Package watch observes what changes in folders: by change notifications, and by comparing
// what was there before and after. It needs no privilege, and sees neither reads nor which
// program wrote.
//
//	result, err := watch.Run(ctx, watch.Options{Folders: folders, Out: file})
package watch

import (
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/user"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"

	"endroit/capture"
	"endroit/capture/cues"
	"endroit/capture/sampling"
	"endroit/capture/versions"
	"endroit/core/place"
	"endroit/core/trace"
)

// Folder is a folder to watch.
type Folder struct {
	Folder string
	Depth  int  // how deep; 0 for all that is below
	Own    bool // it is the title's, so that what its files hold can be kept beforehand
}

// Options say what to watch and where the trace goes.
type Options struct {
	Folders []Folder
	Header  trace.Header // as Options'; Roots too, on Windows and macOS
	Out     io.Writer
	Path    string // as Options'
	// Versions says what to keep of the content of small files. Which will change is
	// not known beforehand, so all in the title's own folders are kept if they are not
	// too many.
	Versions  versions.Options
	CueFolder string
	// Ready is called once everything is watched, with how much that is.
	Ready func(folders, files int)
}

// Run watches folders by the system's change notifications, and by comparing what
// they held before and after. It needs no privilege, and sees neither reads nor who
// wrote. It returns when ctx ends.
func Run(ctx context.Context, o Options) (capture.Result, error) {
	notifications, err := fsnotify.NewWatcher()
	if err != nil {
		return capture.Result{}, fmt.Errorf("%w: the system provides no change notifications: %w", capture.ErrUnsupported, err)
	}
	defer notifications.Close() // where something fails; again does no harm
	start := time.Now()
	header := watchHeader(o, start)
	out, err := trace.NewWriter(o.Out, header)
	if err != nil {
		return capture.Result{}, err
	}
	r := capture.NewRecorder(start)
	r.Begin(out)
	w := &watch{
		o:             o,
		r:             r,
		header:        header,
		notifications: notifications,
		known:         &capture.Tree{Entries: map[string]fs.FileInfo{}},
		kept:          versions.New(r, o.Versions),
		moved:         map[string]fs.FileInfo{},
		depth:         map[string]int{},
	}
	w.looks = sampling.New(r, header, w.kept)
	r.Gap("reads and the programs that wrote cannot be seen by change notifications: the trace holds changes alone")
	for _, f := range o.Folders {
		w.looks.Roots = append(w.looks.Roots, strings.TrimSuffix(capture.TracePath(filepath.Clean(f.Folder)), "/"))
	}
	w.begin()
	cues, err := cues.Listen(o.CueFolder, &cues.Run{Recorder: r, Sampler: w.looks, Header: header, Path: o.Path})
	if err != nil {
		r.Gap("cues could not be received: " + versions.Reason(err))
	}
	if o.Ready != nil {
		o.Ready(len(notifications.WatchList()), len(w.known.Entries))
	}
	stop, looked := make(chan struct{}), make(chan struct{})
	go func() { defer close(looked); w.looks.Run(stop, nil) }()
	w.run(ctx)
	_ = notifications.Close() // on Windows a folder that is watched stays until then
	cues.Close()
	close(stop)
	<-looked
	w.compare()
	w.looks.Changes()
	w.looks.Finish()
	end, gaps, err := r.Close()
	return capture.Result{Header: header, End: end, Gaps: gaps, Changed: r.Changes()}, err
}

func watchHeader(o Options, start time.Time) trace.Header {
	h := o.Header
	h.OS, h.Arch, h.Kernel = runtime.GOOS, runtime.GOARCH, capture.KernelRelease()
	if h.OS == "darwin" {
		h.OS = "macos"
	}
	if h.Runtime = "native"; h.Prefix != nil {
		h.Runtime = "prefix"
	}
	h.Observer, h.Started = trace.ByNotifications, start.UTC()
	h.Folder, _ = os.Getwd()
	h.Folder = capture.TracePath(h.Folder)
	h.Host, _ = os.Hostname()
	if me, err := user.Current(); err == nil {
		h.User = me.Username[strings.LastIndexByte(me.Username, '\\')+1:] // without the domain
	}
	h.Env = map[string]string{}
	if runtime.GOOS == "linux" {
		for _, name := range place.LinuxVariables {
			if v, ok := os.LookupEnv(name); ok {
				h.Env[name] = v
			}
		}
	}
	return h
}

// watch is one observation by notifications. Its loop owns known and moved.
type watch struct {
	o             Options
	r             *capture.Recorder
	header        trace.Header
	looks         *sampling.Sampler
	kept          *versions.Keeper
	notifications *fsnotify.Watcher
	known         *capture.Tree
	depth         map[string]int         // of watched folders: how much deeper to go; 0 for all, -1 for no more
	moved         map[string]fs.FileInfo // lost its name, perhaps for another
	fleeting      string                 // lost its name right now, and had gone before it could be looked at
	lost          bool                   // notifications were lost
	full          bool                   // no more folders can be watched
	unwatched     int
}

// watchLimit is how many folders are watched: each takes a share of what the system
// allows a user.
func watchLimit() int {
	switch runtime.GOOS {
	case "linux":
		return 50_000
	case "darwin":
		return 500 // every file in them too is held open
	}
	return 1000 // each takes a buffer of 64 KiB
}

func (w *watch) begin() {
	for _, f := range w.o.Folders {
		w.add(f.Folder, f.Depth)
	}
	if w.known.Cut {
		w.r.Gap(fmt.Sprintf("the watched folders hold more than %d files: what lies behind that was left out", capture.TreeLimit))
	}
	w.keepBefore()
}

// add watches a folder with all below it, first, and then lists it, so that nothing
// falls between.
func (w *watch) add(folder string, depth int) {
	w.known.Walk(filepath.Clean(folder), 0, depth, capture.TreeLimit, func(at string, level int) bool {
		if w.isOwnOutput(capture.TracePath(at)) {
			return false
		}
		left := 0
		if depth > 0 {
			if left = depth - level - 1; left == 0 {
				left = -1
			}
		}
		if old, known := w.depth[at]; known && (old == 0 || left != 0 && old >= left) {
			return level == 0 || old != left
		}
		w.depth[at] = left
		w.watchFolder(at)
		return true
	})
}

func (w *watch) watchFolder(folder string) {
	if w.full {
		w.unwatched++
		return
	}
	if len(w.depth) > watchLimit() {
		w.full = true
	} else if err := w.notifications.Add(folder); err == nil || errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrPermission) {
		return
	} else if versions.NoSpace(err) || strings.Contains(err.Error(), "too many open files") {
		w.full = true
	}
	w.unwatched++
}

// beforeTotal is how many bytes of content are kept before a run of which it is not
// known what it will change.
const beforeTotal = 64 << 20

func (w *watch) keepBefore() {
	if w.kept == nil {
		return
	}
	var names []string
	total := int64(0)
	for name, info := range w.known.Entries {
		if w.isOwn(name) && info.Mode().IsRegular() && info.Size() <= w.kept.Options.File {
			names = append(names, name)
			total += info.Size()
		}
	}
	if total > min(beforeTotal, w.kept.Options.Total/2) || len(names) > versions.MaxVersions/2 {
		w.r.Gap(fmt.Sprintf(
			"what files held before was not kept: there are too many in the watched folders (%d MiB); naming fewer folders helps",
			total>>20,
		))
		return
	}
	for _, name := range names {
		_, _ = w.kept.Keep(name, "before", false)
	}
}

func (w *watch) isOwn(name string) bool {
	for _, f := range w.o.Folders {
		if f.Own && trace.Within(name, capture.TracePath(filepath.Clean(f.Folder))) {
			return true
		}
	}
	return false
}

// isOwnOutput reports whether a path is the trace itself, or lies with its versions.
func (w *watch) isOwnOutput(path string) bool {
	trace, versions := capture.TracePath(w.o.Path), capture.TracePath(w.o.Versions.Folder)
	return trace != "" && path == trace || versions != "" && (path == versions || strings.HasPrefix(path, versions+"/"))
}

// drained is how long nothing has to be notified of until all was read.
const drained = 100 * time.Millisecond

// run takes what is notified until ctx ends, and then what was notified by then.
func (w *watch) run(ctx context.Context) {
	stop := ctx.Done()
	var quiet <-chan time.Time
	for {
		select {
		case <-stop:
			stop, quiet = nil, time.After(drained)
		case <-quiet:
			return
		case e, ok := <-w.notifications.Events:
			if !ok {
				return
			}
			w.event(e)
			if quiet != nil {
				quiet = time.After(drained)
			}
		case err := <-w.notifications.Errors:
			w.failed(err)
		}
	}
}

func (w *watch) failed(err error) {
	if errors.Is(err, fsnotify.ErrEventOverflow) {
		w.lost = true
		w.r.Gap(
			"change notifications were lost, as there were too many at once: what changed then was found by " +
				"comparing, without the steps between",
		)
		return
	}
	if err != nil {
		w.r.Gap("the system could not tell every change: " + versions.Reason(err))
	}
}

func (w *watch) event(e fsnotify.Event) {
	name := filepath.Clean(e.Name)
	path := capture.TracePath(name)
	if w.isOwnOutput(path) {
		return
	}
	from := w.fleeting
	w.fleeting = ""
	if e.Has(fsnotify.Remove) || e.Has(fsnotify.Rename) {
		if e.Has(fsnotify.Rename) && w.known.Entries[path] == nil && w.r.WasChanged(path) {
			w.fleeting = path
		}
		w.left(path, e.Has(fsnotify.Rename))
	}
	if e.Has(fsnotify.Create) && from != "" {
		w.takesOver(name, path, from)
		return
	}
	if e.Has(fsnotify.Create) || e.Has(fsnotify.Write) {
		w.there(name, path, e.Has(fsnotify.Create), "")
	}
}

// left records that a name is gone, or waits for the other name that it got.
func (w *watch) left(path string, renamed bool) {
	info := w.known.Entries[path]
	if info == nil {
		return
	}
	if now, err := os.Lstat(filepath.FromSlash(path)); err == nil && (!renamed || os.SameFile(now, info)) {
		return // it exists again, which is recorded too; or an exchange brought it, which was recorded
	}
	delete(w.known.Entries, path)
	if renamed {
		w.moved[path] = info
		return
	}
	w.gone(path, info, "")
}

func (w *watch) gone(path string, info fs.FileInfo, what string) {
	op := trace.Remove
	if info.IsDir() {
		op = trace.RemoveFolder
	}
	f := w.r.File(path, capture.StateOfInfo(info))
	w.r.Event(trace.Event{At: w.r.Now(), Op: op, File: f.N, What: what})
	w.r.MarkTouched(f)
}

// there records that a file was made or written.
func (w *watch) there(name, path string, created bool, what string) {
	info, err := os.Lstat(name)
	if err != nil {
		if created && w.known.Entries[path] == nil && w.r.Known(path) == nil { // it has gone meanwhile
			f := w.r.File(path, trace.State{Is: trace.IsAbsent})
			w.r.Event(trace.Event{At: w.r.Now(), Op: trace.Create, File: f.N})
			w.r.MarkTouched(f)
		}
		return
	}
	was := w.known.Entries[path]
	w.known.Entries[path] = info
	at := w.r.Now()
	for from, old := range w.moved {
		if created && sameAfterMoving(old, info) {
			delete(w.moved, from)
			if back, err := os.Lstat(filepath.FromSlash(from)); err == nil && was != nil && os.SameFile(was, back) {
				w.known.Entries[from] = back
				w.two(trace.Exchange, from, path, old, was, at)
				return
			}
			w.renamed(from, path, old, was, at)
			if info.IsDir() {
				w.below(name, path, at)
			}
			return
		}
	}
	when := at
	if was != nil && what != "" {
		when = capture.Difference{Path: path, Before: was, After: info}.HappenedAt(w.header.Started, at)
	}
	f := w.r.FileBefore(path, capture.StateOfInfo(was), when)
	switch {
	case was == nil && info.IsDir():
		w.r.Event(trace.Event{At: at, Op: trace.MakeFolder, File: f.N, What: what})
		w.below(name, path, at)
	case was == nil && info.Mode()&fs.ModeSymlink != 0:
		w.r.Event(trace.Event{At: at, Op: trace.Symlink, File: f.N, What: what})
	case was == nil:
		w.r.Event(trace.Event{At: at, Op: trace.Create, File: f.N, What: what})
	case !info.Mode().IsRegular():
		return
	case created && !os.SameFile(was, info):
		w.r.Event(trace.Event{At: at, Op: trace.Replace, File: f.N, What: what})
	case what != "":
		w.r.Event(trace.Event{At: when, Op: trace.Changed, File: f.N, Size: info.Size(), What: what})
	}
	w.r.MarkTouched(f) // its changes are found by looking at it
}

// sameAfterMoving reports whether a file is the one that lost its name. Windows tells
// no identity of a file that is not there under its name any more.
func sameAfterMoving(old, now fs.FileInfo) bool {
	if os.SameFile(old, now) {
		return true
	}
	return runtime.GOOS == "windows" && old.IsDir() == now.IsDir() && old.Size() == now.Size() &&
		old.ModTime().Equal(now.ModTime())
}

// takesOver records that a file was made, and given another name before it could be
// looked at: the two are notified of one after the other.
func (w *watch) takesOver(name, path, from string) {
	info, err := os.Lstat(name)
	if err != nil {
		return
	}
	was := w.known.Entries[path]
	w.known.Entries[path] = info
	w.renamed(from, path, nil, was, w.r.Now())
}

func (w *watch) renamed(from, to string, old, replaced fs.FileInfo, at time.Duration) {
	w.two(trace.Rename, from, to, old, replaced, at)
}

func (w *watch) two(op trace.Op, from, to string, old, replaced fs.FileInfo, at time.Duration) {
	f, t := w.r.File(from, capture.StateOfInfo(old)), w.r.File(to, capture.StateOfInfo(replaced))
	w.r.Event(trace.Event{At: at, Op: op, File: f.N, To: t.N})
	w.r.MarkTouched(f)
	w.r.MarkTouched(t)
}

// unmounted reports whether a path leads to another file system than it did, so that
// what lay there need not be gone.
func unmounted(path string, before fs.FileInfo) bool {
	for dir := filepath.Dir(path); ; dir = filepath.Dir(dir) {
		if info, err := os.Lstat(dir); err == nil {
			return !capture.SameDevice(info, before)
		}
		if dir == filepath.Dir(dir) {
			return false
		}
	}
}

// below watches a folder that was made, with what came into it before it was watched.
func (w *watch) below(name, path string, at time.Duration) {
	left := w.depth[filepath.Dir(name)]
	if left < 0 {
		return
	}
	before := len(w.known.Entries)
	old := w.known
	w.known = &capture.Tree{Entries: map[string]fs.FileInfo{}}
	w.add(name, left)
	found := w.known
	w.known = old
	if before+len(found.Entries) > capture.TreeLimit {
		return
	}
	for path, info := range found.Entries {
		if old.Entries[path] != nil {
			continue
		}
		old.Entries[path] = info
		f := w.r.File(path, trace.State{Is: trace.IsAbsent})
		op := trace.Create
		if info.IsDir() {
			op = trace.MakeFolder
		}
		w.r.Event(trace.Event{At: at, Op: op, File: f.N})
		w.r.MarkTouched(f)
	}
}

const foundByComparing = "found by comparing"

// compare finds, at the end, what no notification told.
func (w *watch) compare() {
	for path, info := range w.moved { // out of what is watched
		if _, err := os.Lstat(filepath.FromSlash(path)); err == nil {
			w.there(filepath.FromSlash(path), path, true, "")
			continue
		}
		w.gone(path, info, "")
	}
	now := &capture.Tree{Entries: map[string]fs.FileInfo{}}
	visited := map[string]int{}
	for _, f := range w.o.Folders {
		now.Walk(filepath.Clean(f.Folder), 0, f.Depth, capture.TreeLimit, func(at string, level int) bool {
			left := 0
			if f.Depth > 0 {
				left = f.Depth - level
			}
			if old, seen := visited[at]; seen && (old == 0 || left != 0 && old >= left) {
				return false
			}
			visited[at] = left
			return !w.isOwnOutput(capture.TracePath(at))
		})
	}
	for _, d := range now.DiffSince(w.known) {
		switch {
		case w.isOwnOutput(d.Path):
		case d.After == nil && unmounted(filepath.FromSlash(d.Path), d.Before):
			w.r.Gap("a file system was unmounted before the end: what its files were then is not known")
			if f := w.r.Known(d.Path); f != nil {
				w.r.Forget(f)
			}
		case d.After == nil:
			if _, err := os.Lstat(filepath.FromSlash(d.Path)); errors.Is(err, fs.ErrNotExist) {
				w.gone(d.Path, d.Before, foundByComparing)
			}
		case w.r.WasChanged(d.Path):
			// told, and the look at it at the end tells the rest
		default:
			w.there(filepath.FromSlash(d.Path), d.Path, d.Before == nil, foundByComparing)
		}
	}
	if w.unwatched > 0 {
		w.r.Gap(fmt.Sprintf(
			"%d folders gave no notifications, as the system allows no more: what changed there was found by "+
				"comparing, without the steps between",
			w.unwatched,
		))
	}
}
