package running

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"sync"

	"github.com/fsnotify/fsnotify"
)

// maxWatched bounds the folders that are watched, and maxLooks how often it is looked which
// program writes in them.
const (
	maxWatched = 1000
	maxLooks   = 500
)

// Watcher notes which programs write in folders: when something changes there, it looks which
// program has it open for writing. One that opens, writes and closes a file within the
// milliseconds that a look takes is not found.
type Watcher struct {
	w    *fsnotify.Watcher
	stop context.CancelFunc
	done chan struct{}

	mu    sync.Mutex
	looks int
	files map[string]Program // by the path of what it had open
}

// Watch begins to watch folders, without those below them; nil if it cannot be done. Folders
// that are missing are left out. It is done on Linux alone, which tells who has a file open (proc(5)).
func Watch(ctx context.Context, folders []string) *Watcher {
	if !tellsWriters {
		return nil
	}
	w, err := fsnotify.NewWatcher()
	if err != nil {
		return nil
	}
	ctx, stop := context.WithCancel(ctx)
	x := &Watcher{w: w, stop: stop, done: make(chan struct{}), files: map[string]Program{}}
	for _, folder := range folders[:min(len(folders), maxWatched)] {
		_ = w.Add(folder)
	}
	go x.run(ctx)
	return x
}

func (x *Watcher) run(ctx context.Context) {
	defer close(x.done)
	for {
		select {
		case <-ctx.Done():
			return
		case e, ok := <-x.w.Events:
			if !ok {
				return
			}
			if e.Has(fsnotify.Create) || e.Has(fsnotify.Write) || e.Has(fsnotify.Chmod) {
				x.lookAt(ctx, e)
			}
		case <-x.w.Errors: // some were lost
		}
	}
}

func (x *Watcher) lookAt(ctx context.Context, e fsnotify.Event) {
	path := e.Name
	if x.known(path) {
		return
	}
	info, err := os.Lstat(path)
	if err == nil && info.IsDir() {
		if len(x.w.WatchList()) < maxWatched {
			_ = x.w.Add(path)
		}
		return
	}
	folder := filepath.Dir(path)
	if real := resolved(folder); real != "" {
		x.note(folder, writers(ctx, real))
	}
}

// writer is a program that has a file open for writing.
type writer struct {
	Program
	file string // its name in its folder
}

// known reports whether nothing more need be looked at for a path.
func (x *Watcher) known(path string) bool {
	x.mu.Lock()
	defer x.mu.Unlock()
	if _, known := x.files[path]; known || x.looks >= maxLooks {
		return true
	}
	x.looks++
	return false
}

// note notes who writes in a folder: of several that have a file open the one that was there
// first, since the programs that it starts inherit what it has open.
func (x *Watcher) note(folder string, found []writer) {
	slices.SortStableFunc(found, func(a, b writer) int { return a.PID - b.PID })
	x.mu.Lock()
	defer x.mu.Unlock()
	for _, w := range found {
		if path := filepath.Join(folder, w.file); x.files[path].Name == "" {
			x.files[path] = w.Program
		}
	}
}

// Close ends the watching.
func (x *Watcher) Close() {
	if x == nil {
		return
	}
	x.stop()
	_ = x.w.Close()
	<-x.done
}

// By is the program that had a file open for writing while it was watched; else the only one
// that had any in its folder, as one has that writes under another name first.
func (x *Watcher) By(path string) (p Program, ok bool) {
	if x == nil {
		return p, false
	}
	x.mu.Lock()
	defer x.mu.Unlock()
	if p, ok = x.files[path]; ok {
		return p, true
	}
	for other, program := range x.files {
		if filepath.Dir(other) != filepath.Dir(path) || program.Name == p.Name {
			continue
		}
		if p.Name != "" {
			return Program{}, false
		}
		p = program
	}
	return p, p.Name != ""
}
