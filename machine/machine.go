// Package machine knows this machine: where its anchors lie, and which files a
// location names here.
//
//	roots, err := machine.Roots()
//	found, err := machine.Find(ctx, roots, location, known)
package machine

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"endroit/core/place"
	"endroit/core/sheet"
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

	top    string      // the folder that the search kept to
	was    fs.FileInfo // when it was found
	linked bool        // its name is a link to it
}

// Found is what a location comes to on this machine.
type Found struct {
	Folder  string `json:"folder"`            // the folder above the first variable part, or the file
	Files   []File `json:"files"`             // the newest first
	Missing string `json:"missing,omitempty"` // why there are none
	// Skipped is what was left out on the way, and why; More is how much beside that.
	Skipped []Skipped `json:"skipped,omitempty"`
	More    int       `json:"skipped_more,omitempty"`
}

// Skipped is something that was left out.
type Skipped struct {
	Path string `json:"path"`
	Why  string `json:"why"`
}

// maxSkipped is how much of what is left out is listed.
const maxSkipped = 50

func (o *Found) skip(path, why string) {
	if len(o.Skipped) == maxSkipped {
		o.More++
		return
	}
	o.Skipped = append(o.Skipped, Skipped{path, why})
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
func Find(ctx context.Context, roots place.Roots, l place.Location, known place.Captures) (Found, error) {
	return new(Finder).findOne(ctx, roots, l, known, folds(l))
}

// Find is the function Find for this prefix: names compare without regard to
// case below every anchor.
func (p *Prefix) Find(ctx context.Context, l place.Location, known place.Captures) (Found, error) {
	return new(Finder).findOne(ctx, p.Roots, l, known, true)
}

// folds reports whether no name minds its case.
func folds(l place.Location) bool { return l.Folds() || runtime.GOOS == "windows" }

// Finder finds many locations, and keeps the folders open that they share. It
// takes them as place.Parse gave them: that they are not too wide is not looked at
// again. It is safe for concurrent use.
type Finder struct {
	// Blind leaves out what files capture, but for the account: who only counts
	// them does not ask.
	Blind bool

	bases      *bases
	listings   *listings
	keeps      []sheet.Keeps // what launchers keep for themselves
	keptOnce   sync.Once
	keptHere   []kept
	mountsOnce sync.Once
	mounts     mountTable
	guards     sync.Map // of roots: *guarding
	reals      sync.Map // of folders: what they really are
}

// NewFinder makes one; Close ends it.
func NewFinder() *Finder { return &Finder{bases: &bases{}} }

// Close closes what is open.
func (f *Finder) Close() { f.bases.close() }

// Find is the function Find.
func (f *Finder) Find(ctx context.Context, roots place.Roots, l place.Location, known place.Captures) (Found, error) {
	return f.find(ctx, roots, l, known, folds(l))
}

// FindIn is Find in a prefix.
func (f *Finder) FindIn(ctx context.Context, p *Prefix, l place.Location, known place.Captures) (Found, error) {
	return f.find(ctx, p.Roots, l, known, true)
}

// FindAs is Find, with it said whether names compare without regard to case.
func (f *Finder) FindAs(
	ctx context.Context, roots place.Roots, l place.Location, known place.Captures, fold bool,
) (Found, error) {
	return f.find(ctx, roots, l, known, fold)
}

func (f *Finder) findOne(
	ctx context.Context, roots place.Roots, l place.Location, known place.Captures, fold bool,
) (Found, error) {
	if err := l.Narrow(); err != nil {
		return Found{}, err
	}
	return f.find(ctx, roots, l, known, fold)
}

func (f *Finder) find(ctx context.Context, roots place.Roots, l place.Location, known place.Captures, fold bool) (Found, error) {
	top := roots[l.Anchor]
	if top == "" {
		return Found{Files: []File{}}, fmt.Errorf("%s: %w", l.Anchor, ErrNoRoot)
	}
	fixed := fixedPart(l)
	alone := len(fixed) // how many of them can only be one
	// A file that is named whole is looked for by the walk: it lists the folder anyway.
	whole := len(fixed) == len(l.Pattern.Segments) && !l.Pattern.Folder
	if fold && whole {
		folders, sure := f.asOnDisk(top, fixed[:len(fixed)-1])
		fixed, alone = with(folders, fixed[len(fixed)-1]), sure
	} else if fold {
		fixed, alone = f.asOnDisk(top, fixed)
	}
	out := Found{Folder: filepath.Join(append([]string{top}, fixed...)...), Files: []File{}}
	guard := f.guard(roots)
	if why := guard.holdsHome(l.Anchor, top); why != "" {
		out.Missing = why
		return out, nil
	}
	t, done, err := f.bases.of(top)
	if err != nil {
		out.Missing = fmt.Sprintf("the folder %s does not exist", top)
		if !errors.Is(err, fs.ErrNotExist) {
			out.Missing = fmt.Sprintf("the folder %s cannot be opened: %v", top, reason(err))
		}
		return out, nil
	}
	defer done()
	known, account := named(l, known)
	w := walk{ctx: ctx, top: top, l: l, fold: fold, out: &out, sure: fixed[:alone], blind: f.Blind && !account}
	for i := range l.Pattern.Segments {
		if l.IsDeep(i) {
			w.seen = map[string]bool{}
		}
	}
	// These need not be looked for name by name.
	begin := fixed[:min(alone, len(l.Pattern.Segments)-1)]
	path := out.Folder
	if len(begin) < len(fixed) {
		path = filepath.Join(append([]string{top}, begin...)...)
	}
	b, err := openBranch(t, path, begin)
	if err == nil {
		err = w.into(b, len(begin), known)
		b.close()
	} else {
		w.leave(begin, err)
		err = nil
	}
	out.keepUnguarded(guard)
	if len(out.Files) == 0 && len(out.Skipped) > 0 {
		out.Missing = "every matching file was skipped"
	}
	slices.SortStableFunc(out.Files, func(a, b File) int { return b.Time.Compare(a.Time) })
	if fold && whole {
		out.Folder = asFound(out)
	}
	if len(out.Files) == 0 && out.Missing == "" {
		out.Missing = missingLevel(t, top, fixed)
	}
	return out, err
}

// guard is what is held against what is found below these roots. Where editions are
// installed makes no difference to it.
func (f *Finder) guard(roots place.Roots) *guarding {
	if f.bases == nil { // one search
		return newGuarding(roots, nil, sync.OnceValue(readMounts), really)
	}
	var key strings.Builder
	for _, d := range place.Definitions {
		if movesAbout(d.Anchor) {
			continue
		}
		key.WriteString(roots[d.Anchor])
		key.WriteByte(0)
	}
	g, ok := f.guards.Load(key.String())
	if !ok {
		g, _ = f.guards.LoadOrStore(key.String(), newGuarding(roots, f.kept(), f.mountsHere, f.really))
	}
	return g.(*guarding)
}

func (f *Finder) kept() []kept {
	f.keptOnce.Do(func() { f.keptHere = keptPlaces(f.keeps, f.really) })
	return f.keptHere
}

func (f *Finder) mountsHere() mountTable {
	f.mountsOnce.Do(func() { f.mounts = readMounts() })
	return f.mounts
}

// really is the function really, asked once for each folder.
func (f *Finder) really(folder string) (string, error) {
	if is, ok := f.reals.Load(folder); ok {
		return is.(string), nil
	}
	is, err := really(folder)
	if err == nil {
		f.reals.Store(folder, is)
	}
	return is, err
}

// keepUnguarded leaves out what really lies in a guarded place, and says so.
func (o *Found) keepUnguarded(g *guarding) {
	o.Files = slices.DeleteFunc(o.Files, func(f File) bool {
		err := g.refuses(f)
		if err != nil {
			o.skip(f.Path, err.Error())
		}
		return err != nil
	})
}

// Open opens a file that was found, for reading: that one, wherever its name leads by now,
// below the folder that the search kept to, and in no guarded place. The caller closes it.
func (f *Finder) Open(roots place.Roots, file File) (*os.File, error) {
	if file.was == nil {
		return nil, fmt.Errorf("%s was not found here", file.Path)
	}
	fail := func(err error) (*os.File, error) {
		return nil, fmt.Errorf("%s: %w", file.Path, reason(err))
	}
	b, done, err := f.bases.of(file.top)
	if err != nil {
		return fail(err)
	}
	defer done()
	rel, err := filepath.Rel(file.top, file.Path)
	if err != nil {
		return fail(err)
	}
	opened, err := b.open(strings.Split(rel, string(filepath.Separator)), file.was)
	if err != nil {
		return fail(err)
	}
	at, err := nameOf(opened)
	if err == nil {
		err = f.guard(roots).refuses(File{Path: at, was: file.was})
	}
	if err != nil {
		_ = opened.Close()
		return nil, fmt.Errorf("%s: %w", file.Path, err)
	}
	return opened, nil
}

// named are the parts that a location has, of those that are known, and whether it tells
// accounts apart.
func named(l place.Location, known place.Captures) (of place.Captures, account bool) {
	for _, s := range l.Pattern.Segments {
		for _, p := range s {
			if p.Kind != place.Named {
				continue
			}
			account = account || p.Text == "account"
			if value, ok := known[p.Text]; ok {
				if of == nil {
					of = place.Captures{}
				}
				of[p.Text] = value
			}
		}
	}
	return of, account
}

// asFound is the path of a file that is named whole as it is called on the disk: as it is
// named, else the first that differs in case alone, else as it is named.
func asFound(out Found) string {
	path := ""
	for _, f := range out.Files {
		if f.Path == out.Folder {
			return f.Path
		}
		if path == "" || f.Path < path {
			path = f.Path
		}
	}
	if path == "" {
		return out.Folder
	}
	return path
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
// are there. alone says how many from the first on can be no other, in whatever case.
func (f *Finder) asOnDisk(top string, names []string) (out []string, alone int) {
	out = slices.Clone(names)
	single := true
	for i, n := range names {
		entries, err := f.listings.list(top)
		found, others := anyCase(entries, n)
		if found.name == "" {
			break
		}
		if single = single && others == 0 && err == nil && len(entries) < maxEntries; single {
			alone = i + 1
		}
		out[i] = found.name
		top = filepath.Join(top, found.name)
	}
	return out, alone
}

// missingLevel says which part of the way is not there.
func missingLevel(t base, top string, names []string) string {
	for i := range names {
		if _, err := t.stat(names[:i+1]); err != nil {
			at := filepath.Join(append([]string{top}, names[:i+1]...)...)
			if errors.Is(err, fs.ErrNotExist) {
				return at + " does not exist"
			}
			return at + " cannot be looked at: " + reason(err).Error()
		}
	}
	return "the folder exists, and no file in it matches"
}

type walk struct {
	ctx     context.Context
	top     string
	l       place.Location
	fold    bool
	blind   bool
	sure    []string // the first names, as far as they can be no others
	out     *Found
	entries int
	seen    map[string]bool // where a `**` can reach a file by several ways
}

// into matches the segments from i on below a folder.
func (w *walk) into(b branch, i int, captures place.Captures) error {
	segments := w.l.Pattern.Segments
	if i == len(segments) { // only folders get here
		return w.all(b, captures)
	}
	s := segments[i]
	if w.l.IsDeep(i) {
		if err := w.into(b, i+1, captures); err != nil {
			return err
		}
		return w.each(b, func(e entry) error {
			if b.isFolder(e) {
				return w.inner(b, e.name, func(b branch) error { return w.into(b, i, captures) })
			}
			if e.kind&fs.ModeSymlink != 0 {
				if kind, err := b.kind(e); err == nil && kind.IsDir() {
					w.out.skip(b.at(e.name), linkedFolder)
				}
			}
			return nil
		})
	}
	if len(s) == 1 && s[0].Kind == place.Literal && (!w.fold || i < len(w.sure)) {
		name := s[0].Text
		if w.fold {
			name = w.sure[i]
		}
		info, linked, err := b.stat(name)
		return w.enter(b, name, info, linked, err, i, captures)
	}
	last := i == len(segments)-1
	return w.each(b, func(e entry) error {
		c, ok := captures, false
		if w.blind && last {
			ok = w.l.SegmentMatches(i, e.name, captures, w.fold)
		} else {
			c, ok = w.l.MatchSegment(i, e.name, captures, w.fold)
		}
		if !ok {
			return nil
		}
		info, linked, err := b.look(e)
		return w.enter(b, e.name, info, linked, err, i, c)
	})
}

// enter goes on behind a name that segment i matched.
func (w *walk) enter(b branch, name string, info fs.FileInfo, linked bool, err error, i int, captures place.Captures) error {
	last := i == len(w.l.Pattern.Segments)-1
	switch {
	case err != nil:
		w.leave(with(b.names, name), err)
		return nil
	case info.IsDir() && (!last || w.l.Pattern.Folder):
		return w.inner(b, name, func(b branch) error { return w.into(b, i+1, captures) })
	case info.Mode().IsRegular() && last && !w.l.Pattern.Folder:
		return w.add(b, name, info, linked, captures)
	}
	return nil
}

// leave says why something was left out; what is not there needs no word.
func (w *walk) leave(names []string, err error) {
	if !errors.Is(err, fs.ErrNotExist) {
		w.out.skip(filepath.Join(append([]string{w.top}, names...)...), reason(err).Error())
	}
}

func (w *walk) inner(b branch, name string, do func(branch) error) error {
	in, err := b.into(name)
	if err != nil {
		w.leave(with(b.names, name), err)
		return nil
	}
	defer in.close()
	return do(in)
}

// all adds every file below a folder.
func (w *walk) all(b branch, captures place.Captures) error {
	return w.each(b, func(e entry) error {
		if b.isFolder(e) {
			return w.inner(b, e.name, func(b branch) error { return w.all(b, captures) })
		}
		info, linked, err := b.look(e)
		switch {
		case err != nil:
			w.leave(with(b.names, e.name), err)
		case info.Mode().IsRegular():
			return w.add(b, e.name, info, linked, captures)
		case info.IsDir():
			w.out.skip(b.at(e.name), linkedFolder)
		default:
			w.out.skip(b.at(e.name), errNoFile.Error())
		}
		return nil
	})
}

// linkedFolder describes a link to a folder below a folder that is taken whole.
const linkedFolder = "it is a link to a folder, which is not followed"

func (w *walk) add(b branch, name string, info fs.FileInfo, linked bool, captures place.Captures) error {
	if len(w.out.Files) == maxFound {
		return fmt.Errorf("%w: more than %d match %s", ErrTooMany, maxFound, w.l)
	}
	path := b.at(name)
	if w.seen != nil {
		if w.seen[path] {
			return nil
		}
		w.seen[path] = true
	}
	w.out.Files = append(w.out.Files, File{path, info.Size(), info.ModTime(), captures, w.top, info, linked})
	return nil
}

func (w *walk) each(b branch, do func(entry) error) error {
	entries, err := b.list()
	if err != nil {
		w.out.skip(b.path, fmt.Sprintf("it could not be read completely: %v", reason(err)))
	}
	if w.entries += len(entries); w.entries > maxEntries {
		return fmt.Errorf("%w: more than %d names lie on the path of %s", ErrTooMany, maxEntries, w.l)
	}
	if cap(w.out.Files) == 0 {
		w.out.Files = make([]File, 0, min(len(entries), usualFiles))
	}
	for _, e := range entries {
		if err := w.ctx.Err(); err != nil {
			return err
		}
		if err := do(e); err != nil {
			return err
		}
	}
	return nil
}

// usualFiles is how many a folder's names make room for at once.
const usualFiles = 16

// Names are the names in a folder; none if it cannot be listed. A folder with very
// many is cut: what lies in it was not put there by titles alone.
func (f *Finder) Names(folder string) (names []string) {
	entries, _ := f.listings.list(folder)
	for _, e := range entries[:min(len(entries), maxNames)] {
		names = append(names, e.name)
	}
	return names
}

const maxNames = 50_000

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
