package copyplan

import (
	"slices"
	"strings"
	"time"
)

// Side sums one side up, for a person who has to choose between two.
type Side struct {
	Files  int       `json:"files"`
	Bytes  int64     `json:"bytes"`
	Newest time.Time `json:"newest,omitzero"` // when the file that changed last did
	Which  string    `json:"which,omitempty"` // its place
}

// Of sums items up.
func Of(items []Item) (s Side) {
	for _, it := range items {
		if it.Kind == Nothing {
			continue
		}
		s.Files++
		s.Bytes += it.Size
		if it.Time.After(s.Newest) || s.Which == "" {
			s.Newest, s.Which = it.Time, it.Place
		}
	}
	return s
}

// Sides sums up what a plan replaces or removes, and what comes in its place.
func (p Plan) Sides() (before, after Side) {
	var was, is []Item
	for _, s := range p.Steps {
		was = append(was, Item{s.Place, s.Before})
		is = append(is, Item{s.Place, s.After})
	}
	return Of(was), Of(is)
}

// Age says which of two sides is the newer one.
type Age string

// What a comparison of two sides can come to. Unknown is for a difference that clocks and
// file systems make by themselves: FAT keeps times in steps of two seconds.
const (
	Here    Age = "here"
	There   Age = "copy"
	Equal   Age = "same"
	Unknown Age = "unknown"
)

// grain is the difference of times that says nothing.
const grain = 2 * time.Second

// Newer says which side was changed last; now is the machine's clock. A time in the future
// tells nothing: some clock was wrong.
func Newer(here, there Side, now time.Time) Age {
	switch d := here.Newest.Sub(there.Newest); {
	case here.Files == 0 && there.Files == 0:
		return Equal
	case here.Files == 0:
		return There
	case there.Files == 0:
		return Here
	case here.Newest.After(now.Add(grain)), there.Newest.After(now.Add(grain)):
		return Unknown
	case d > grain:
		return Here
	case d < -grain:
		return There
	}
	return Unknown
}

// Divergence is a place that changed on both sides since they were last the same.
type Divergence struct {
	Place string `json:"place"`
	Base  State  `json:"base,omitzero"`
	Here  State  `json:"here,omitzero"`
	There State  `json:"there,omitzero"`
}

// Divided compares two sides with what both once were: the places that changed here alone,
// there alone, and on both sides to different contents. Neither of those wins by being
// newer.
func Divided(base, here, there []Item) (onlyHere, onlyThere []string, both []Divergence) {
	b, h, t := states(base), states(here), states(there)
	places := map[string]bool{}
	for _, side := range []map[string]State{b, h, t} {
		for place := range side {
			places[place] = true
		}
	}
	for place := range places {
		changedHere, changedThere := !h[place].Same(b[place]), !t[place].Same(b[place])
		switch {
		case changedHere && changedThere:
			if !h[place].Same(t[place]) {
				both = append(both, Divergence{place, b[place], h[place], t[place]})
			}
		case changedHere:
			onlyHere = append(onlyHere, place)
		case changedThere:
			onlyThere = append(onlyThere, place)
		}
	}
	slices.Sort(onlyHere)
	slices.Sort(onlyThere)
	slices.SortFunc(both, func(a, b Divergence) int { return strings.Compare(a.Place, b.Place) })
	return onlyHere, onlyThere, both
}

func states(items []Item) map[string]State {
	out := make(map[string]State, len(items))
	for _, it := range items {
		out[it.Place] = it.State
	}
	return out
}
