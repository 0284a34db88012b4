package candidate

import (
	"slices"
	"strings"
	"unicode"

	"endroit/core/footprint"
	"endroit/core/place"
)

// varying are the names that differ from run to run: of each place of progress the names at
// one position, below the same names above it, that one run alone has. Runs are separate
// samples of one behaviour: where each has a name of its own, side by side, the name is not
// the game's.
type varying map[string]bool

func (v varying) at(l place.Location, i int) bool { return v != nil && v[positionKey(l, i, true)] }

// positionKey is a place with its names from a position on left out, and the name there too
// unless it is wanted.
func positionKey(l place.Location, i int, with bool) string {
	names := l.Names()
	if i >= len(names) {
		return ""
	}
	if with {
		i++
	}
	return string(l.Anchor) + ":" + strings.Join(names[:i], "/") + "|"
}

// varyingIn finds the names that differ from run to run in a merged footprint; nil in one of
// a single run. Numbers alone are slots, and are left to them.
func varyingIn(f *footprint.Footprint) varying {
	type name struct {
		key    string // with the name
		folder bool
		runs   []int
	}
	byFolder := map[string]map[string]*name{}
	for _, x := range f.Files {
		if len(x.Runs) == 0 {
			return nil
		}
		if x.Kind != footprint.Save || x.Place == "" || !x.Written() {
			continue
		}
		l, err := place.Parse(x.Place)
		if err != nil || l.Anchor == place.Registry {
			continue
		}
		all := l.Names()
		for i := footprint.TitleDepth(l.Anchor); i < len(all); i++ {
			// Files are alike by their extension, folders by what is below them.
			rest, folder := positionKey(l, i, false), false
			if i == len(all)-1 {
				rest += endOf(all[i], true)
			} else {
				rest += "/" + shapes().digits.ReplaceAllString(strings.Join(all[i+1:], "/"), "0")
				folder = true
			}
			if byFolder[rest] == nil {
				byFolder[rest] = map[string]*name{}
			}
			n := byFolder[rest][all[i]]
			if n == nil {
				n = &name{key: positionKey(l, i, true), folder: folder}
				byFolder[rest][all[i]] = n
			}
			for _, r := range x.Runs {
				if !slices.Contains(n.runs, r) {
					n.runs = append(n.runs, r)
				}
			}
		}
	}
	out := varying{}
	for _, names := range byFolder {
		alike := map[string][]int{} // names without their numbers, and the runs that have them
		for text, n := range names {
			plain := shapes().digits.ReplaceAllString(text, "0")
			alike[plain] = append(alike[plain], n.runs...)
		}
		own := map[int][]string{} // by run, the names that it alone has
		for text, n := range names {
			stem := text
			if !n.folder {
				stem, _ = cutExtension(text)
			}
			runs := slices.Compact(slices.Sorted(slices.Values(alike[shapes().digits.ReplaceAllString(text, "0")])))
			if len(runs) == 1 && strings.ContainsFunc(stem, unicode.IsLetter) {
				own[runs[0]] = append(own[runs[0]], n.key)
			}
		}
		if len(own) < 2 {
			continue
		}
		for _, keys := range own {
			for _, k := range keys {
				out[k] = true
			}
		}
	}
	return out
}
