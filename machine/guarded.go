package machine

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"endroit/core/place"
)

// guarding holds what was found against the guarded places of this machine by where it
// really is: a link, or an anchor that is set to a home, changes the name of a place, and
// not the place.
type guarding struct {
	roots  []place.Roots // without links: those of the search, and this person's home
	really func(folder string) (string, error)

	mu      sync.Mutex
	folders map[string]error // by folder, as it was named
}

// movesAbout says of an anchor that it is another folder for each title.
func movesAbout(a place.Anchor) bool { return a == place.Install || a == place.AccountData }

func newGuarding(roots place.Roots, really func(string) (string, error)) *guarding {
	g := &guarding{folders: map[string]error{}, really: really}
	real := place.Roots{}
	for a, top := range roots {
		if a == place.Registry || movesAbout(a) {
			continue
		}
		if p, err := really(filepath.FromSlash(top)); err == nil {
			real[a] = filepath.ToSlash(p)
		}
	}
	g.roots = append(g.roots, real)
	if home, err := os.UserHomeDir(); err == nil {
		if p, err := really(home); err == nil && filepath.ToSlash(p) != real[place.Home] {
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
	real, err := g.really(filepath.FromSlash(top))
	if err != nil {
		return ""
	}
	real = filepath.ToSlash(real)
	for _, roots := range g.roots {
		home := roots[place.Home]
		if home != "" && (real == home || strings.HasPrefix(home, strings.TrimSuffix(real, "/")+"/")) {
			return fmt.Sprintf("%s is %s here, which is a home or holds one: nothing is looked for there", a, top)
		}
	}
	return ""
}

// refuses says which guarded place a file really lies in; nil if in none.
func (g *guarding) refuses(path string) error {
	folder, name := filepath.Split(path)
	g.mu.Lock()
	err, known := g.folders[folder]
	g.mu.Unlock()
	if !known {
		err = g.places(folder)
		g.mu.Lock()
		g.folders[folder] = err
		g.mu.Unlock()
	}
	if err != nil {
		return err
	}
	return place.GuardedName(name)
}

func (g *guarding) places(folder string) error {
	real, err := g.really(folder)
	if err != nil {
		return nil // it has gone
	}
	real = filepath.ToSlash(real)
	for _, roots := range g.roots {
		if a, names, ok := roots.PlaceFold(real); ok {
			if err := place.Of(a, names, true).Guarded(); err != nil {
				return err
			}
		}
	}
	return nil
}
