package sheet

import (
	"fmt"

	"endroit/core/place"
)

// CheckOwnFiles says, as a *place.WideError, that a location reaches into what a launcher keeps for
// itself: its home, but for the folders in which titles are installed, their prefixes and
// the accounts' folders. A program that trusts the location would overwrite the launcher's
// own state, its sign-ins among it. nil if it reaches into none.
func CheckOwnFiles(l place.Location, sheets []*Sheet) error {
	if d, _ := place.Define(l.Anchor); !d.Shared {
		return nil // a title's own folder, wherever it is
	}
	for _, s := range sheets {
		for _, system := range s.Systems {
			for _, text := range system.Home {
				home, err := place.Parse(text)
				if err != nil || !place.Overlap(l, home) || system.spares(l, home) {
					continue
				}
				return &place.WideError{
					Rule: place.RuleLauncher, Reason: fmt.Sprintf(
						"it can match in %s, which belongs to %s itself; only the folders of titles, prefixes and accounts in it can be used",
						text, s.Name,
					),
				}
			}
		}
	}
	return nil
}

// spares reports whether a location lies in a part of a launcher's home that is its
// titles'.
func (s System) spares(l, home place.Location) bool {
	var parts []string
	if s.Prefixes != nil {
		parts = append(parts, s.Prefixes.Folder)
	}
	if s.Accounts != nil {
		parts = append(parts, s.Accounts.Folder)
	}
	if s.Titles != nil && s.Titles.Below != "" {
		parts = append(parts, s.Titles.Below)
	}
	for _, p := range parts {
		if part, err := below(p); err == nil && place.LiesIn(l, home.Below(part.Pattern)) {
			return true
		}
	}
	return false
}

// Keeps are a launcher's home on this machine and the folders in it that are its titles'.
type Keeps struct {
	Name   string
	Home   string
	Spares []string
}

// KeepsOf gathers them of what sheets found.
func KeepsOf(found []Found) (all []Keeps) {
	for _, f := range found {
		if f.Home == "" {
			continue
		}
		k := Keeps{Name: f.Name, Home: f.Home}
		for _, l := range f.Libraries {
			if l.Folder != f.Home {
				k.Spares = append(k.Spares, l.Folder)
			}
			for _, e := range l.Editions {
				k.Spares = append(k.Spares, e.Folder, e.Prefix)
			}
		}
		for _, a := range f.Accounts {
			k.Spares = append(k.Spares, a.Folder)
		}
		all = append(all, k)
	}
	return all
}
