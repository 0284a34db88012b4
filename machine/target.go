package machine

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"slices"
	"strings"

	"endroit/core/place"
)

// Target is where a file lies, or would lie: below the folder of its anchor, which is what
// whoever writes it opens, and keeps to.
type Target struct {
	Top   string
	Names []string // as they are called on the disk, as far as they are there
}

// Path is the target's path.
func (t Target) Path() string { return filepath.Join(append([]string{t.Top}, t.Names...)...) }

// Rel is the path below Top.
func (t Target) Rel() string { return filepath.Join(t.Names...) }

// ErrNotCovered says that no location covers a file.
var ErrNotCovered = errors.New("the location does not cover it")

// Target says where the file at an exact place, by its names below the location's anchor,
// lies or would lie. It is refused if the location does not cover it, or it would really
// be in a guarded place. With fold, names that are there in another case are taken.
func (f *Finder) Target(roots place.Roots, l place.Location, names []string, known place.Captures, fold bool) (Target, error) {
	if err := l.Narrow(); err != nil {
		return Target{}, err
	}
	known, _ = named(l, known)
	if _, ok := l.Match(names, known); !ok || l.Anchor == place.Registry {
		return Target{}, ErrNotCovered
	}
	top := roots[l.Anchor]
	if top == "" {
		return Target{}, fmt.Errorf("%s: %w", l.Anchor, ErrNoRoot)
	}
	guard := f.guard(roots)
	if why := guard.holdsHome(l.Anchor, top); why != "" {
		return Target{}, errors.New(why)
	}
	out := Target{Top: filepath.FromSlash(top), Names: slices.Clone(names)}
	if fold {
		out.Names, _ = new(Finder).asOnDisk(out.Top, names) // as it is now: nothing remembered
	}
	if err := guard.refusesTarget(out); err != nil {
		return Target{}, err
	}
	return out, nil
}

// refusesTarget says which guarded place a file would really lie in, whether or not it and
// its folders are there; nil if in none.
func (g *guarding) refusesTarget(t Target) error {
	for i := len(t.Names) - 1; i >= 0; i-- {
		folder := filepath.Join(append([]string{t.Top}, t.Names[:i]...)...)
		resolved, err := g.really(folder)
		switch {
		case errors.Is(err, fs.ErrNotExist):
			continue
		case err != nil:
			return fmt.Errorf("%s: %w", folder, reason(err))
		}
		if top, err := g.really(t.Top); err == nil {
			if _, in := cutFolder(resolved, top); !in {
				return fmt.Errorf("%s: %w", folder, errLeadsOut)
			}
		}
		path := filepath.Join(append([]string{resolved}, t.Names[i:]...)...)
		if err := g.guardedAt(path, false); err != nil {
			return err
		}
		for _, k := range g.keeps {
			if k.holds(filepath.Dir(path)) {
				return fmt.Errorf("it is in %s, which belongs to %s itself", k.home, k.name)
			}
		}
		break
	}
	return place.GuardedName(t.Names[len(t.Names)-1])
}

// Names are the file's names below its anchor's folder, as they are on the disk.
func (f File) Names() []string {
	rel, err := filepath.Rel(f.top, f.Path)
	if err != nil {
		return nil
	}
	return strings.Split(rel, string(filepath.Separator))
}

// Top is its anchor's folder.
func (f File) Top() string { return f.top }

// Linked reports whether its name is a link to it.
func (f File) Linked() bool { return f.linked }
