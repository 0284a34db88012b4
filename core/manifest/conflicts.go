package manifest

import (
	"context"

	"endroit/core/place"
)

// Conflict is a location that could match another title's files.
type Conflict struct {
	At        string `json:"at"`
	Title     string `json:"title"`      // the other title's id
	TitleName string `json:"title_name"` // and its name
	TitlesAt  string `json:"titles_at"`  // the other title's location
}

// Conflicts finds which of a title's locations, given as texts, reach into another title's
// places. own is the title's id, empty for a new one. Below an installation or an
// account's folder titles cannot meet, and a withdrawn location keeps nobody out. It ends
// with the context's error where that ends before it.
func Conflicts(ctx context.Context, own string, locations []string, others []Title) ([]Conflict, error) {
	out := []Conflict{}
	type other struct {
		t  *Title
		at place.Location
	}
	var places []other
	for i := range others {
		if others[i].ID == own {
			continue
		}
		for _, at := range others[i].places() {
			if l, err := place.Parse(at); err == nil {
				places = append(places, other{&others[i], l})
			}
		}
	}
	for _, proposed := range locations {
		l, err := place.Parse(proposed)
		if def, _ := place.Define(l.Anchor); err != nil || !def.Shared {
			continue
		}
		for _, o := range places {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			if place.Overlap(l, o.at) {
				out = append(out, Conflict{proposed, o.t.ID, o.t.Name, o.at.String()})
			}
		}
	}
	return out, nil
}

// places are the locations that keep others out.
func (t *Title) places() (out []string) {
	seen := map[string]bool{}
	for _, v := range t.Variants {
		for _, l := range v.Locations {
			if !seen[l.At] && l.Standing.Counted() {
				seen[l.At] = true
				out = append(out, l.At)
			}
		}
	}
	return out
}
