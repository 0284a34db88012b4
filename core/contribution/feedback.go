package contribution

import (
	"context"
	"slices"
	"strings"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/place"
)

// Feedback says what the locations of a draft in the making would do.
type Feedback struct {
	Locations []Tried `json:"locations"` // as they were given
	Left      []int   `json:"left"`      // files of interest that none covers: indexes into the footprint's
	Error     string  `json:"error"`     // of the draft as a whole, beside those of its locations
}

// Tried is one location as it would be.
type Tried struct {
	At    string                 `json:"at"`
	Holds string                 `json:"holds"`
	Error string                 `json:"error"` // why it is refused; empty if it is accepted
	Files []int                  `json:"files"` // that it covers: indexes into the footprint's
	Kinds map[footprint.Kind]int `json:"kinds"` // of these
	Stray []int                  `json:"stray"` // the files among these whose kind differs from Holds
	// Others are the titles whose files it can match.
	Others []manifest.Conflict `json:"others"`
	Twice  []string            `json:"twice"` // other locations of the draft that reach the same
	Notes  []string            `json:"notes"`
}

// Try says what a draft's locations would do with the files of a footprint, beside what
// other titles keep. own is the id of the draft's title, empty for a new one. It takes drafts
// that are not valid yet: each location is looked at by itself. It ends with the context's
// error where that ends before it.
func Try(
	ctx context.Context, d *draft.Draft, f *footprint.Footprint, own string, others []manifest.Title,
) (Feedback, error) {
	out := Feedback{Locations: make([]Tried, 0, len(d.Locations)), Left: []int{}}
	good := draft.Draft{Title: d.Title}
	parsed := make([]*place.Location, len(d.Locations))
	for i, l := range d.Locations {
		t := Tried{
			At:     l.At,
			Holds:  l.Holds,
			Files:  []int{},
			Kinds:  map[footprint.Kind]int{},
			Stray:  []int{},
			Others: []manifest.Conflict{},
			Twice:  []string{},
			Notes:  []string{},
		}
		at, err := l.Place()
		switch {
		case err != nil:
			t.Error = err.Error()
		case !slices.Contains(draft.Holds, l.Holds):
			t.Error = "holds is missing: one of " + strings.Join(draft.Holds, ", ")
		default:
			parsed[i] = &at
			good.Locations = append(good.Locations, l)
		}
		out.Locations = append(out.Locations, t)
	}
	var ats []string
	for _, l := range good.Locations {
		ats = append(ats, l.At)
	}
	conflicts, err := manifest.Conflicts(ctx, own, ats, others)
	if err != nil {
		return out, err
	}
	covered, err := Cover(ctx, &good, f)
	if err != nil {
		return out, err
	}
	taken := map[int]bool{}
	next := 0
	for i := range out.Locations {
		t := &out.Locations[i]
		if parsed[i] == nil {
			continue
		}
		c := covered[next]
		next++
		t.Files, t.Kinds = c.Files, c.Kinds
		for _, n := range c.Files {
			taken[n] = true
			if string(f.Files[n].Kind) != t.Holds {
				t.Stray = append(t.Stray, n)
			}
		}
		for _, o := range conflicts {
			if o.At == t.At {
				t.Others = append(t.Others, o)
			}
		}
		for j, o := range parsed {
			if err := ctx.Err(); err != nil {
				return out, err
			}
			if j != i && o != nil && o.Anchor == parsed[i].Anchor && place.Overlap(*parsed[i], *o) {
				t.Twice = append(t.Twice, d.Locations[j].At)
			}
		}
		t.note(f)
	}
	for n, x := range f.Files {
		if x.Kind.OfInterest() && !taken[n] {
			out.Left = append(out.Left, n)
		}
	}
	whole := *d
	whole.Format = draft.Format
	if e, ok := whole.Check().(*draft.Error); ok && !strings.HasPrefix(e.Field, "locations[") {
		out.Error = strings.TrimLeft(e.Field+": "+e.Reason, ": ")
	}
	return out, nil
}

// note adds remarks on a location that is accepted.
func (t *Tried) note(f *footprint.Footprint) {
	switch {
	case len(t.Files) == 0:
		t.Notes = append(t.Notes, "no observed file lies in it: a location needs evidence")
	case !slices.ContainsFunc(t.Files, func(n int) bool { return f.Files[n].Written() }):
		t.Notes = append(t.Notes, "nothing in it was written in this run")
	}
	if strings.Contains(t.At, "{slot}") && len(t.Files) == 1 {
		t.Notes = append(t.Notes, "only one slot was observed; a run with a second one confirms it")
	}
}
