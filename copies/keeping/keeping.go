// Package keeping watches a title's files while its game runs, and takes a copy after each
// save has settled.
//
//	err := (&keeping.Keeper{Folders: folders, Quiet: time.Second, Take: take}).Run(ctx)
package keeping

import (
	"context"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"
)

// Keeper keeps a title's files.
type Keeper struct {
	Folders []string      // in which its files are, with all below them; or single files
	Quiet   time.Duration // for how long nothing may change before a save counts as over
	Every   time.Duration // take a copy so often, where anything changed; 0 for after each save
	// Take takes a copy. It is called from Run, never twice at once. busy says that files
	// were changing: it is tried again when they have been quiet.
	Take func(ctx context.Context) (busy bool, err error)
	// Runs reports whether the game runs; nil if that cannot be told. When it has run and has
	// ended, so does Run.
	Runs func(ctx context.Context) bool
	// Ready is called when everything is watched, and what was there is copied; may be nil.
	Ready func()
}

// How often it is looked whether the game runs, and, as notifications can be lost, whether a
// file has changed.
const (
	lookAtGame  = 2 * time.Second
	lookAtFiles = 5 * time.Second
)

// maxWatched bounds the folders that are watched; beyond it they are looked at.
const maxWatched = 4096

// Run takes a copy of what is there, and watches until ctx ends, or the game that ran has ended: then what changed last is
// copied too. It returns nil in both cases.
func (k *Keeper) Run(ctx context.Context) error {
	w, err := fsnotify.NewWatcher()
	if err != nil {
		return err
	}
	defer w.Close()
	s := &session{k: k, w: w, watched: map[string]bool{}}
	for _, folder := range k.Folders {
		s.watch(folder)
	}
	s.last = map[string]mark{}
	if busy, err := s.take(ctx); err != nil {
		return err
	} else if busy {
		s.changed = time.Now()
	}
	if k.Ready != nil {
		k.Ready()
	}
	return s.loop(ctx)
}

// session is one run.
type session struct {
	k       *Keeper
	w       *fsnotify.Watcher
	watched map[string]bool
	last    map[string]mark // the files as they were when a copy was taken last
	changed time.Time       // when something changed last; zero if nothing has since the last copy
	ran     bool
}

// mark is how a file looks.
type mark struct {
	size int64
	time int64
}

// watch watches a folder and those below it. Of one that is missing the closest above is
// watched, so that its making is seen.
func (s *session) watch(folder string) {
	at := folder
	info, err := os.Stat(at)
	for err != nil && filepath.Dir(at) != at {
		at = filepath.Dir(at)
		info, err = os.Stat(at)
	}
	switch {
	case at != folder:
		s.add(at)
		return
	case !info.IsDir(): // a location that is one file
		s.add(filepath.Dir(at))
		return
	}
	_ = filepath.WalkDir(folder, func(path string, e fs.DirEntry, err error) error {
		if err == nil && e.IsDir() {
			s.add(path)
		}
		return nil
	})
}

func (s *session) add(folder string) {
	if !s.watched[folder] && len(s.watched) < maxWatched && s.w.Add(folder) == nil {
		s.watched[folder] = true
	}
}

// inside reports whether a path is one of the folders, or lies in one.
func (s *session) inside(path string) bool {
	for _, folder := range s.k.Folders {
		if path == folder || strings.HasPrefix(path, folder+string(filepath.Separator)) {
			return true
		}
	}
	return false
}

// print looks at all files.
func (s *session) print() map[string]mark {
	out := map[string]mark{}
	for _, folder := range s.k.Folders {
		_ = filepath.WalkDir(folder, func(path string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() {
				return nil
			}
			if info, err := e.Info(); err == nil {
				out[path] = mark{info.Size(), info.ModTime().UnixNano()}
			}
			return nil
		})
	}
	return out
}

func same(a, b map[string]mark) bool {
	if len(a) != len(b) {
		return false
	}
	for path, m := range a {
		if b[path] != m {
			return false
		}
	}
	return true
}

func (s *session) loop(ctx context.Context) error {
	game, files := time.NewTicker(lookAtGame), time.NewTicker(lookAtFiles)
	defer game.Stop()
	defer files.Stop()
	quiet := time.NewTimer(s.k.Quiet)
	defer quiet.Stop()
	every := make(<-chan time.Time)
	if s.k.Every > 0 {
		ticker := time.NewTicker(s.k.Every)
		defer ticker.Stop()
		every = ticker.C
	}
	touched := func() {
		s.changed = time.Now()
		if s.k.Every == 0 {
			quiet.Reset(s.k.Quiet)
		}
	}
	for {
		select {
		case <-ctx.Done():
			return s.finish()
		case e, ok := <-s.w.Events:
			if !ok {
				return s.finish()
			}
			if e.Has(fsnotify.Create) {
				if info, err := os.Lstat(e.Name); err == nil && info.IsDir() {
					s.watchMade(e.Name)
				}
			}
			if s.inside(e.Name) {
				touched()
			}
		case <-s.w.Errors: // some were lost
			touched()
		case <-files.C:
			if s.changed.IsZero() && !same(s.last, s.print()) {
				touched()
			}
		case <-quiet.C:
			if s.changed.IsZero() {
				continue
			}
			if busy, err := s.take(ctx); err != nil {
				return err
			} else if busy {
				quiet.Reset(s.k.Quiet)
			}
		case <-every:
			if s.changed.IsZero() || time.Since(s.changed) < s.k.Quiet {
				continue // in the middle of a save: the next time
			}
			if _, err := s.take(ctx); err != nil {
				return err
			}
		case <-game.C:
			if s.k.Runs == nil {
				continue
			}
			runs := s.k.Runs(ctx)
			if s.ran && !runs {
				return s.finish()
			}
			s.ran = s.ran || runs
		}
	}
}

// watchMade watches a folder that was made: one of those that are kept, or on the way to one.
func (s *session) watchMade(path string) {
	if s.inside(path) {
		s.watch(path)
		return
	}
	for _, folder := range s.k.Folders {
		if strings.HasPrefix(folder, path+string(filepath.Separator)) {
			s.watch(folder)
		}
	}
}

// take takes a copy, unless nothing is changed after all.
func (s *session) take(ctx context.Context) (busy bool, err error) {
	now := s.print()
	if same(s.last, now) {
		s.changed = time.Time{}
		return false, nil
	}
	if busy, err = s.k.Take(ctx); err != nil || busy {
		return busy, err
	}
	s.last, s.changed = now, time.Time{}
	if !same(now, s.print()) {
		s.changed = time.Now() // it was written again since
		return true, nil
	}
	return false, nil
}

// howOften and how long the last copy is tried for, when files still change at the end.
const (
	lastTries = 20
	lastTime  = 30 * time.Second
)

// finish copies what changed last. It is not ended by the context that ended the watching.
func (s *session) finish() error {
	ctx, cancel := context.WithTimeout(context.Background(), lastTime)
	defer cancel()
	for range lastTries {
		if s.changed.IsZero() && same(s.last, s.print()) {
			return nil
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(s.k.Quiet):
		}
		if busy, err := s.take(ctx); err != nil || !busy {
			return err
		}
	}
	return nil
}
