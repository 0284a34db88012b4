package candidate

import (
	"fmt"
	"slices"

	"endroit/core/footprint"
	"endroit/core/place"
)

// enoughForWhole is how many patterns in a folder of one slot or profile show that the
// folder is the unit.
const enoughForWhole = 3

// wholeFolders turns what lies in the folder of a slot, a profile or a world into one
// location, the folder: its files are one save, also those that this run did not write.
// A folder of which settings, or files of no interest, make up more than a third stays in
// parts.
func wholeFolders(list []Location, others []place.Location) (out []Location) {
	inside := map[string][]int{}
	var order []string
	for i, l := range list {
		if at, ok := ownFolder(l.At); ok {
			key := at.String()
			if inside[key] == nil {
				order = append(order, key)
			}
			inside[key] = append(inside[key], i)
		}
	}
	gone, whole := map[int]bool{}, map[int]Location{}
	for _, key := range order {
		members := inside[key]
		at, _ := ownFolder(list[members[0]].At)
		w := Location{At: at, Holds: footprint.Save}
		saves, rest := 0, 0
		for _, i := range members {
			if list[i].Holds == footprint.Save {
				saves += len(list[i].Files)
			} else {
				rest += len(list[i].Files)
			}
			w.Files = append(w.Files, list[i].Files...)
		}
		for _, o := range others {
			if _, ok := at.Match(o.Names(), nil); ok && o.Anchor == at.Anchor {
				rest++
			}
		}
		if len(members) < enoughForWhole || saves < 2*rest {
			continue
		}
		if _, err := place.Parse(at.String()); err != nil {
			continue
		}
		w.Why = append(slices.Clone(list[members[0]].Why), fmt.Sprintf(
			"%d patterns in one folder whose name is not the game's own: the folder, whole", len(members),
		))
		whole[members[0]] = w
		for _, i := range members {
			gone[i] = true
		}
	}
	for i, l := range list {
		if w, ok := whole[i]; ok {
			out = append(out, w)
		} else if !gone[i] {
			out = append(out, l)
		}
	}
	return out
}

// ownFolder is the folder of one slot or profile that a location lies in.
func ownFolder(l place.Location) (place.Location, bool) {
	if l.Anchor == place.Registry {
		return place.Location{}, false
	}
	for i, s := range l.Pattern.Segments[:len(l.Pattern.Segments)-1] {
		for _, p := range s {
			if p.Kind == place.Named && (p.Text == "slot" || p.Text == "profile") {
				return place.Location{Anchor: l.Anchor, Pattern: place.Pattern{Segments: l.Pattern.Segments[:i+1], Folder: true}}, true
			}
		}
	}
	return place.Location{}, false
}

// withoutCovered leaves out the locations all of whose files another of the same kind, with
// a chosen name, matches too: saves/{profile}.sav reaches saves/auto.sav.
func withoutCovered(list []Location) (out []Location) {
	into := make([]int, len(list))
	for i, l := range list {
		into[i] = -1
		for j, o := range list {
			if i == j || o.Holds != l.Holds || o.At.Anchor != l.At.Anchor || o.At.String() == l.At.String() ||
				!hasProfile(o.At) || hasProfile(l.At) {
				continue
			}
			if !slices.ContainsFunc(l.Files, func(x footprint.File) bool {
				exact, err := place.Parse(x.Place)
				if err != nil {
					return true
				}
				_, ok := o.At.Match(exact.Names(), nil)
				return !ok
			}) {
				into[i] = j
				break
			}
		}
	}
	for i := range list {
		if into[i] >= 0 {
			list[into[i]].Files = append(slices.Clone(list[into[i]].Files), list[i].Files...)
		}
	}
	for i, l := range list {
		if into[i] < 0 {
			out = append(out, l)
		}
	}
	return out
}

func hasProfile(l place.Location) bool {
	return slices.ContainsFunc(l.Pattern.Segments, func(s place.Segment) bool {
		return slices.ContainsFunc(s, func(p place.Part) bool { return p.Kind == place.Named && p.Text == "profile" })
	})
}
