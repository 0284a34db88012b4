package contribution

import (
	"context"
	"fmt"
	"slices"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/record"
)

// Recorded is a run beside what is recorded of its variant.
type Recorded struct {
	Confirms     []RecordedAt // recorded locations in which it used files of interest
	Contradicted []RecordedAt // those that it contradicts, as Contradicts says
	Unreached    []int        // files of interest that no recorded location reaches: indexes into the footprint's
}

// RecordedAt is one recorded location.
type RecordedAt struct {
	At, Holds string
	Why       string // of one that is contradicted
	Files     []int  // of interest that it covers
}

// Compare holds a run against what is recorded of its variant in a title. What is withdrawn
// is not looked at, nor what holds for other versions. It is nil where the title has no
// such variant.
func Compare(ctx context.Context, t manifest.Title, d *draft.Draft, f *footprint.Footprint) (*Recorded, error) {
	variant := record.VariantOf(d)
	i := slices.IndexFunc(t.Variants, variant.Same)
	if i < 0 {
		return nil, nil
	}
	version := ""
	if d.Edition != nil {
		version = d.Edition.Version
	}
	known := &draft.Draft{}
	for _, l := range t.Variants[i].Locations {
		if l.Standing.Counted() && l.Versions.Includes(version) {
			known.Locations = append(known.Locations, draft.Location{At: l.At, Holds: l.Holds})
		}
	}
	covered, err := Cover(ctx, known, f)
	if err != nil {
		return nil, err
	}
	out := &Recorded{}
	reached := map[int]bool{}
	for _, c := range covered {
		at := RecordedAt{At: c.At, Holds: c.Holds}
		for _, n := range c.Files {
			if f.Files[n].Kind.OfInterest() {
				reached[n] = true
				at.Files = append(at.Files, n)
			}
		}
		if len(at.Files) > 0 {
			out.Confirms = append(out.Confirms, at)
			continue
		}
		at.Why, err = Contradicts(ctx, record.Place{Variant: record.CombinationOf(variant), At: c.At, Holds: c.Holds}, f)
		if err != nil {
			return nil, err
		}
		if at.Why != "" {
			out.Contradicted = append(out.Contradicted, at)
		}
	}
	for n, x := range f.Files {
		if x.Kind.OfInterest() && !reached[n] {
			out.Unreached = append(out.Unreached, n)
		}
	}
	return out, nil
}

// Adopt makes the draft say what a run adds to what is recorded: a proposed location whose
// files are all covered by a recorded one that holds the same becomes that one, so that it
// counts as evidence for it; and what is contradicted becomes a dispute.
func (r *Recorded) Adopt(ctx context.Context, d *draft.Draft, f *footprint.Footprint) error {
	covered, err := Cover(ctx, d, f)
	if err != nil {
		return err
	}
	var locations []draft.Location
	have := map[string]bool{}
	for i, l := range d.Locations {
		if at := r.instead(l, covered[i].Files, f); at != "" {
			l.At = at
			l.Why = append([]string{"it is recorded already, and this run confirms it"}, l.Why...)
		}
		if j := slices.IndexFunc(locations, func(o draft.Location) bool { return o.At == l.At }); j >= 0 {
			locations[j].Seen = append(locations[j].Seen, l.Seen...)
			continue
		}
		have[l.At] = true
		locations = append(locations, l)
	}
	d.Locations = locations
	d.Disputes = nil
	for _, c := range r.Contradicted {
		if !have[c.At] {
			d.Disputes = append(d.Disputes, draft.Dispute{At: c.At, Holds: c.Holds, Because: fmt.Sprintf("in this run %s", c.Why)})
		}
	}
	return nil
}

// instead is the recorded location that covers all files of interest of a proposed one.
func (r *Recorded) instead(l draft.Location, files []int, f *footprint.Footprint) string {
	at, err := l.Place()
	if err != nil {
		return ""
	}
	for _, c := range r.Confirms {
		if c.Holds != l.Holds || c.At == l.At {
			continue
		}
		known, err := place.Parse(c.At)
		if err != nil || !place.Overlap(at, known) {
			continue
		}
		all := true
		for _, n := range files {
			all = all && (!f.Files[n].Kind.OfInterest() || slices.Contains(c.Files, n))
		}
		if all {
			return c.At
		}
	}
	return ""
}

// PrepareDisputes makes the contributions that a draft's disputes are, each with the
// footprint of the run, prepared as that of a finding is.
func PrepareDisputes(d *draft.Draft, f *footprint.Footprint) (out []*Dispute, err error) {
	if len(d.Disputes) == 0 {
		return nil, nil
	}
	if d.TitleID == "" || d.TitleID == draft.NewTitle {
		return nil, &Error{"draft.disputes", "title_id is missing: it is a recorded title whose locations are disputed"}
	}
	var locations []place.Location
	for i, x := range d.Disputes {
		at, err := place.Parse(x.At)
		if err != nil {
			return nil, &Error{fmt.Sprintf("draft.disputes[%d].at", i), err.Error()}
		}
		locations = append(locations, at)
	}
	for _, l := range d.Locations {
		if at, err := l.Place(); err == nil {
			locations = append(locations, at)
		}
	}
	leaving := f.Anonymizer(locations...)
	variant := record.CombinationOf(record.VariantOf(d))
	for _, x := range d.Disputes {
		b := &Dispute{
			Head: Head{Name: DisputeKind}, TitleID: d.TitleID, Title: d.Title,
			Location: record.Place{Variant: variant, At: x.At, Holds: x.Holds}, Because: x.Because, Footprint: f.Share(leaving),
		}
		if d.Edition != nil {
			b.Version = d.Edition.Version
		}
		if b, err = withTexts(b, &Dispute{}, leaving.Text); err != nil {
			return nil, err
		}
		out = append(out, b)
	}
	return out, nil
}
