package machine

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"endroit/core/place"
	"endroit/core/sheet"
)

// guarding holds what was found against the guarded places of this machine by where it
// really is: a link, or an anchor that is set to a home, changes the name of a place, and
// not the place.
type guarding struct {
	roots  []place.Roots // without links: those of the search, and this person's home
	really func(folder string) (string, error)

	mu      sync.Mutex
	folders map[string]guardedFolder // by folder, as it was named

	keeps  []kept
	once   sync.Once
	ids    map[fileID]string
	mounts func() mountTable
}

// kept is what a launcher keeps for itself.
type kept struct {
	name, home string          // where it really is
	spares     map[string]bool // as they are called
	really     func() map[string]bool
}

func keptPlaces(keeps []sheet.Keeps, really func(string) (string, error)) (all []kept) {
	for _, k := range keeps {
		home, err := really(k.Home)
		if err != nil {
			continue
		}
		one := kept{name: k.Name, home: home, spares: map[string]bool{}}
		for _, s := range k.Spares {
			if s != "" && s != home {
				one.spares[s] = true
			}
		}
		one.really = sync.OnceValue(func() map[string]bool {
			all := map[string]bool{}
			for s := range one.spares {
				if p, err := really(s); err == nil && p != home {
					all[p] = true
				}
			}
			return all
		})
		all = append(all, one)
	}
	return all
}

// holds reports whether a folder, by where it really is, lies in the launcher's home, and
// in nothing of it that is its titles'. Most of those are where they are called; only for
// what is not found so are their links followed.
func (k kept) holds(folder string) bool {
	if _, in := cutFolder(folder, k.home); !in {
		return false
	}
	return !k.above(folder, k.spares) && !k.above(folder, k.really())
}

// above reports whether a folder is one of these, or lies in one.
func (k kept) above(folder string, spares map[string]bool) bool {
	for ; folder != k.home; folder = filepath.Dir(folder) {
		if spares[folder] {
			return true
		}
	}
	return false
}

// movesAbout says of an anchor that it is another folder for each title.
func movesAbout(a place.Anchor) bool { return a == place.Install || a == place.AccountData }

func newGuarding(roots place.Roots, keeps []kept, mounts func() mountTable, really func(string) (string, error)) *guarding {
	g := &guarding{folders: map[string]guardedFolder{}, keeps: keeps, really: really, mounts: mounts}
	resolved := place.Roots{}
	for a, top := range roots {
		if a == place.Registry || movesAbout(a) {
			continue
		}
		if p, err := really(filepath.FromSlash(top)); err == nil {
			resolved[a] = filepath.ToSlash(p)
		}
	}
	g.roots = append(g.roots, resolved)
	if home, err := os.UserHomeDir(); err == nil {
		if p, err := really(home); err == nil && filepath.ToSlash(p) != resolved[place.Home] {
			g.roots = append(g.roots, place.Roots{place.Home: filepath.ToSlash(p)})
		}
	}
	return g
}

// holdsHome says why an anchor's folder is not looked into: it is a home, or holds one.
// Of home itself, and of a whole drive, that is what they are.
func (g *guarding) holdsHome(a place.Anchor, top string) string {
	if a == place.Home || a == place.PrefixDrive {
		return ""
	}
	resolved, err := g.really(filepath.FromSlash(top))
	if err != nil {
		return ""
	}
	resolved = filepath.ToSlash(resolved)
	for _, roots := range g.roots {
		home := roots[place.Home]
		if home != "" && (resolved == home || strings.HasPrefix(home, strings.TrimSuffix(resolved, "/")+"/")) {
			return fmt.Sprintf("%s is %s here, which is or contains a home directory: it is not searched", a, top)
		}
	}
	if filepath.Dir(filepath.FromSlash(resolved)) == filepath.FromSlash(resolved) {
		return fmt.Sprintf("%s is %s here, which is a whole drive: it is not searched", a, top)
	}
	if !movesAbout(a) && a != place.Documents {
		return ""
	}
	// What is one title's, or one's own, is no folder in which all programs keep theirs.
	for _, roots := range g.roots {
		for _, d := range place.Definitions {
			shared := roots[d.Anchor]
			if d.Anchor == a || d.Anchor == place.Home || !d.Shared || shared == "" || d.Anchor == place.Registry {
				continue
			}
			if _, in := cutFolder(shared, resolved); in {
				return fmt.Sprintf(
					"%s is %s here, which is or contains %s, the folder of all programs: it is not searched", a,
					top, d.Anchor,
				)
			}
		}
	}
	return ""
}

// refuses says which guarded place a file really lies in; nil if in none.
func (g *guarding) refuses(f File) error {
	path := f.Path
	if f.linked {
		resolved, err := filepath.EvalSymlinks(path)
		if err != nil {
			return fmt.Errorf("its link cannot be resolved: %w", reason(err))
		}
		path = resolved
	}
	folder, name := filepath.Split(path)
	g.mu.Lock()
	in, known := g.folders[folder]
	g.mu.Unlock()
	if !known {
		in = g.places(folder)
		g.mu.Lock()
		g.folders[folder] = in
		g.mu.Unlock()
	}
	err := in.err
	if err == nil && in.below {
		err = g.guarded(filepath.Join(folder, name), false)
	}
	if err == nil {
		err = place.GuardedName(name)
	}
	if id, has := otherNames(f.was); err == nil && has {
		if same, guarded := g.known()[id]; guarded {
			err = fmt.Errorf("it is the same file as %s, which is guarded", same)
		}
	}
	return err
}

// guardedFolder is what is known of a folder: why no file in it may be reached, and whether
// guarded places lie below it, so that its files have to be looked at one by one.
type guardedFolder struct {
	err   error
	below bool
}

func (g *guarding) places(folder string) guardedFolder {
	resolved, err := g.really(folder)
	if err != nil {
		return guardedFolder{} // it has gone
	}
	below := g.guardedAt(resolved, true) != nil // as it is of what lies in a guarded place
	if below {
		if err := g.guardedAt(resolved, false); err != nil {
			return guardedFolder{err: err}
		}
	}
	for _, k := range g.keeps {
		if k.holds(resolved) {
			return guardedFolder{err: fmt.Errorf("it is in %s, which belongs to %s itself", k.home, k.name)}
		}
	}
	return guardedFolder{below: below}
}

// guarded says which guarded place a path really is or lies in, or with below, which lies in
// it; nil if none.
func (g *guarding) guarded(path string, below bool) error {
	resolved, err := g.really(path)
	if err != nil {
		return nil // it has gone
	}
	return g.guardedAt(resolved, below)
}

// guardedAt is guarded for a path that is known to be without links.
func (g *guarding) guardedAt(resolved string, below bool) error {
	for _, same := range append(g.mounts().others(resolved), resolved) {
		same = filepath.ToSlash(same)
		for _, roots := range g.roots {
			if a, names, ok := roots.PlaceFold(same); ok {
				if err := place.Of(a, names, below).Guarded(); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// cutFolder cuts a folder off a path that is it or lies in it.
func cutFolder(path, folder string) (rest string, ok bool) {
	if folder == "/" {
		return path, true
	}
	rest, ok = strings.CutPrefix(path, folder)
	return rest, ok && (rest == "" || rest[0] == '/' || rest[0] == filepath.Separator)
}

// The bounds of what is looked at to know guarded files by their identity.
const (
	maxGuarded      = 50_000
	maxGuardedDepth = 8
)

// known are the files of the guarded places that are there, by their identity: a file that
// has several names is the same under each. They are looked for once, when the first such
// file is met.
func (g *guarding) known() map[fileID]string {
	g.once.Do(func() {
		g.ids = map[fileID]string{}
		for _, roots := range g.roots {
			for path := range place.GuardedPlaces(roots) {
				g.learn(filepath.FromSlash(path), maxGuardedDepth)
			}
		}
	})
	return g.ids
}

func (g *guarding) learn(path string, depth int) {
	id, ok := identify(path)
	if !ok || len(g.ids) >= maxGuarded {
		return
	}
	g.ids[id] = path
	if depth == 0 {
		return
	}
	entries, err := listFolder(path, maxGuarded)
	if err != nil {
		return // a file, or a folder that nobody may list
	}
	for _, e := range entries {
		g.learn(filepath.Join(path, e.name), depth-1)
	}
}
