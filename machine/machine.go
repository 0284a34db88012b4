// Package machine knows this machine: where its anchors lie, and which files a
// location names here.
//
//	roots, err := machine.Roots()
//	found, err := machine.Find(roots, location, known)
package machine

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"sort"
	"strings"
	"time"

	"endroit/core/place"
)

// The bounds of one search, so that a loose pattern or a huge folder ends.
const (
	maxEntries = 200_000 // names looked at
	maxFound   = 20_000
)

// File is a file that a location names on this machine.
type File struct {
	Path     string         `json:"path"`
	Size     int64          `json:"size"` // bytes
	Time     time.Time      `json:"time"` // of the last change
	Captures place.Captures `json:"captures,omitempty"`
}

// Found is what a location comes to on this machine.
type Found struct {
	Folder  string `json:"folder"`            // the folder above the first variable part, or the file
	Files   []File `json:"files"`             // the newest first
	Missing string `json:"missing,omitempty"` // why there are none, or not all
}

// Errors that callers decide on.
var (
	// ErrNoRoot says that the anchor has no place here, or that it is not known.
	ErrNoRoot = errors.New("the anchor has no place on this machine")
	// ErrTooMany says that the search was ended by its bounds.
	ErrTooMany = errors.New("too many files to list")
)

// Find lists the files that a location names below its anchor's root. It never
// leaves the root: a link that leads out is reported as missing, not followed.
// known fixes named parts, such as the user's name; it may be nil.
func Find(roots place.Roots, l place.Location, known place.Captures) (Found, error) {
	return findBelow(roots, l, known, l.Folds())
}

// Find is the function Find for this prefix: names compare without regard to
// case below every anchor.
func (p *Prefix) Find(l place.Location, known place.Captures) (Found, error) {
	return findBelow(p.Roots, l, known, true)
}

func findBelow(roots place.Roots, l place.Location, known place.Captures, fold bool) (Found, error) {
	if err := l.Narrow(); err != nil {
		return Found{}, err
	}
	top := roots[l.Anchor]
	if top == "" {
		return Found{Files: []File{}}, fmt.Errorf("%s: %w", l.Anchor, ErrNoRoot)
	}
	fixed := fixedPart(l)
	if fold {
		fixed = asOnDisk(top, fixed)
	}
	out := Found{Folder: filepath.Join(append([]string{top}, fixed...)...), Files: []File{}}
	root, err := os.OpenRoot(top)
	if err != nil {
		out.Missing = fmt.Sprintf("the folder %s is not there", top)
		if !errors.Is(err, fs.ErrNotExist) {
			out.Missing = fmt.Sprintf("the folder %s cannot be opened: %v", top, errors.Unwrap(err))
		}
		return out, nil
	}
	defer root.Close()
	w := walk{root: root, top: top, l: l, fold: fold, out: &out, seen: map[string]bool{}}
	err = w.into(nil, 0, known)
	sort.SliceStable(out.Files, func(i, j int) bool { return out.Files[i].Time.After(out.Files[j].Time) })
	if len(out.Files) == 0 && out.Missing == "" {
		out.Missing = missingLevel(root, top, fixed)
	}
	return out, err
}

// fixedPart is the names before the first variable part.
func fixedPart(l place.Location) (names []string) {
	for _, s := range l.Pattern.Segments {
		if len(s) != 1 || s[0].Kind != place.Literal {
			break
		}
		names = append(names, s[0].Text)
	}
	return names
}

// asOnDisk writes names as the folders on the disk are called, as far as they
// are there.
func asOnDisk(top string, names []string) []string {
	out := slices.Clone(names)
	for i, n := range names {
		found, ok := anyCase(top, n)
		if !ok {
			break
		}
		out[i] = found
		top = filepath.Join(top, found)
	}
	return out
}

// missingLevel says which part of the way is not there.
func missingLevel(root *os.Root, top string, names []string) string {
	for i := range names {
		if _, err := root.Stat(filepath.Join(names[:i+1]...)); err != nil {
			at := filepath.Join(append([]string{top}, names[:i+1]...)...)
			if errors.Is(err, fs.ErrNotExist) {
				return at + " is not there"
			}
			return at + " cannot be looked at: " + errors.Unwrap(err).Error()
		}
	}
	return "the folder is there, and no file in it fits"
}

type walk struct {
	root    *os.Root
	top     string
	l       place.Location
	fold    bool
	out     *Found
	entries int
	seen    map[string]bool // `**` can reach a file by several ways
}

// into matches the segments from i on below the folder named.
func (w *walk) into(names []string, i int, captures place.Captures) error {
	segments := w.l.Pattern.Segments
	if i == len(segments) { // only folders get here
		return w.all(names, captures)
	}
	s := segments[i]
	if w.l.IsDeep(i) {
		if err := w.into(names, i+1, captures); err != nil {
			return err
		}
		return w.each(names, func(e fs.DirEntry) error {
			if e.IsDir() {
				return w.into(with(names, e.Name()), i, captures)
			}
			return nil
		})
	}
	if len(s) == 1 && s[0].Kind == place.Literal && !w.fold {
		return w.enter(with(names, s[0].Text), i, captures)
	}
	return w.each(names, func(e fs.DirEntry) error {
		if c, ok := w.l.MatchSegment(i, e.Name(), captures, w.fold); ok {
			return w.enter(with(names, e.Name()), i, c)
		}
		return nil
	})
}

// enter goes on behind a name that segment i matched.
func (w *walk) enter(names []string, i int, captures place.Captures) error {
	last := i == len(w.l.Pattern.Segments)-1
	info, err := w.root.Stat(filepath.Join(names...))
	switch {
	case err != nil:
		if !errors.Is(err, fs.ErrNotExist) {
			w.out.Missing = fmt.Sprintf("%s was left out: %v", filepath.Join(append([]string{w.top}, names...)...), errors.Unwrap(err))
		}
		return nil
	case info.IsDir() && (!last || w.l.Pattern.Folder):
		return w.into(names, i+1, captures)
	case info.Mode().IsRegular() && last && !w.l.Pattern.Folder:
		return w.add(names, info, captures)
	}
	return nil
}

// all adds every file below a folder.
func (w *walk) all(names []string, captures place.Captures) error {
	return w.each(names, func(e fs.DirEntry) error {
		inner := with(names, e.Name())
		if e.IsDir() {
			return w.all(inner, captures)
		}
		info, err := w.root.Stat(filepath.Join(inner...))
		if err == nil && info.Mode().IsRegular() {
			return w.add(inner, info, captures)
		}
		return nil
	})
}

func (w *walk) add(names []string, info fs.FileInfo, captures place.Captures) error {
	if len(w.out.Files) == maxFound {
		return fmt.Errorf("%w: more than %d fit %s", ErrTooMany, maxFound, w.l)
	}
	path := filepath.Join(names...)
	if w.seen[path] {
		return nil
	}
	w.seen[path] = true
	w.out.Files = append(w.out.Files, File{Path: filepath.Join(append([]string{w.top}, names...)...), Size: info.Size(), Time: info.ModTime(), Captures: captures})
	return nil
}

func (w *walk) each(names []string, do func(fs.DirEntry) error) error {
	dir := "."
	if len(names) > 0 {
		dir = filepath.Join(names...)
	}
	f, err := w.root.Open(dir)
	if err != nil {
		return nil
	}
	entries, err := f.ReadDir(-1)
	_ = f.Close()
	if err != nil {
		w.out.Missing = fmt.Sprintf("%s was not read whole: %v", filepath.Join(w.top, dir), err)
	}
	if w.entries += len(entries); w.entries > maxEntries {
		return fmt.Errorf("%w: more than %d names lie on the way of %s", ErrTooMany, maxEntries, w.l)
	}
	for _, e := range entries {
		if err := do(e); err != nil {
			return err
		}
	}
	return nil
}

func with(names []string, name string) []string {
	return append(append(make([]string, 0, len(names)+1), names...), name)
}

// userDirs reads the documents folder from user-dirs.dirs: a line
// XDG_DOCUMENTS_DIR="$HOME/…" or an absolute path (xdg-user-dirs(5)).
func userDirs(text, home string) string {
	for line := range strings.Lines(text) {
		value, ok := strings.CutPrefix(strings.TrimSpace(line), "XDG_DOCUMENTS_DIR=")
		if !ok {
			continue
		}
		value = strings.Trim(value, `"`)
		if rest, ok := strings.CutPrefix(value, "$HOME"); ok {
			value = home + rest
		}
		return value
	}
	return ""
}
