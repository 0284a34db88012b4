// Package record is what the service knows of one title: what is published of it, and the
// evidence behind that, which is not.
//
//	next, err := title.Observe(draft, evidence)
//	document := next.Published(now)
package record

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/notes"
	"endroit/core/standing"
)

// Title is the record of one title. The fields that this version does not know are kept:
// read and write it with Parse and Encode alone.
type Title struct {
	ID         string             `json:"id"`
	Name       string             `json:"name"`
	Names      []manifest.Name    `json:"names,omitempty"`
	Year       int                `json:"year,omitempty"`
	Maker      string             `json:"maker,omitempty"`
	MergedInto string             `json:"merged_into,omitempty"`
	Editions   []manifest.Edition `json:"editions,omitempty"`
	Variants   []Variant          `json:"variants"`
	Unknown    jsontext.Value     `json:",unknown"`
}

// Variant is one combination of edition, launcher, operating system and runtime.
type Variant struct {
	Store     string     `json:"store,omitempty"`
	Ref       string     `json:"ref,omitempty"`
	Launcher  string     `json:"launcher,omitempty"`
	OS        string     `json:"os"`
	Runtime   string     `json:"runtime"`
	Locations []Location `json:"locations"`
	// Evidence is of the variant as a whole: absences.
	Evidence []standing.Evidence `json:"evidence,omitempty"`
	Unknown  jsontext.Value      `json:",unknown"`
}

// Location is where a variant keeps something, with all that was said of it.
type Location struct {
	At        string               `json:"at"`
	Holds     string               `json:"holds"`
	Belongs   string               `json:"belongs,omitempty"`
	Versions  *standing.Range      `json:"versions,omitempty"`
	Replaces  []string             `json:"replaces,omitempty"`
	Notes     *notes.Notes         `json:"notes,omitempty"`
	Evidence  []standing.Evidence  `json:"evidence"`
	Withdrawn *standing.Withdrawal `json:"withdrawn,omitempty"`
	Unknown   jsontext.Value       `json:",unknown"`
}

// Parse reads a record as Encode wrote it, this version's or a later one's.
func Parse(data []byte) (*Title, error) {
	t := &Title{}
	if err := json.Unmarshal(data, t, jsonv1.FormatDurationAsNano(true)); err != nil {
		return nil, fmt.Errorf("read the record of a title: %w", err)
	}
	return t, nil
}

// Encode writes a record as canonical JSON.
func (t *Title) Encode() ([]byte, error) { return manifest.Canonical(t) }

// clone is a copy that shares nothing that is changed.
func (t *Title) clone() *Title {
	n := *t
	n.Names = slices.Clone(t.Names)
	n.Editions = slices.Clone(t.Editions)
	for i := range n.Editions {
		n.Editions[i].Versions = slices.Clone(n.Editions[i].Versions)
	}
	n.Variants = slices.Clone(t.Variants)
	for i := range n.Variants {
		v := &n.Variants[i]
		v.Locations = slices.Clone(v.Locations)
		v.Evidence = slices.Clone(v.Evidence)
		for j := range v.Locations {
			v.Locations[j].Evidence = slices.Clone(v.Locations[j].Evidence)
			v.Locations[j].Replaces = slices.Clone(v.Locations[j].Replaces)
		}
	}
	return &n
}

// Published is what is published of the record at a time, and until when that stays as it
// is while nothing is added; zero if it always does.
func (t *Title) Published(now time.Time) (p manifest.Title, until time.Time) {
	p = manifest.Title{
		ID:         t.ID,
		Name:       t.Name,
		Names:      t.Names,
		Year:       t.Year,
		Maker:      t.Maker,
		MergedInto: t.MergedInto,
		Editions:   t.Editions,
		Variants:   []manifest.Variant{},
		Unknown:    t.Unknown,
	}
	sooner := func(v standing.Verdict) {
		if !v.Until.IsZero() && (until.IsZero() || v.Until.Before(until)) {
			until = v.Until
		}
	}
	for _, v := range t.Variants {
		shown := v.Published()
		var clouds []string
		for _, l := range v.Locations {
			verdict := t.Verdict(v, l, now)
			sooner(verdict)
			x := manifest.Location{
				At:          l.At,
				Holds:       l.Holds,
				Belongs:     l.Belongs,
				Standing:    verdict.Standing,
				Reason:      verdict.Reason,
				Counts:      verdict.Counts,
				Versions:    l.Versions,
				Replaces:    l.Replaces,
				Notes:       l.Notes,
				SeenVersion: verdict.Version,
				Then:        verdict.Then,
				Hazards:     standing.Hazards(l.Evidence),
				Cloud:       standing.CloudSaid(l.Evidence),
				Unknown:     l.Unknown,
			}
			if x.Usable() {
				clouds = append(clouds, x.Cloud)
			}
			shown.Locations = append(shown.Locations, x)
		}
		shown.Cloud = standing.Coverage(clouds)
		if verdict, ok := t.AbsenceVerdict(v, now); ok {
			sooner(verdict)
			shown.Absence = &manifest.Absence{
				Standing: verdict.Standing, Reason: verdict.Reason, Counts: verdict.Counts, SeenVersion: verdict.Version, Then: verdict.Then,
			}
		}
		p.Variants = append(p.Variants, shown)
	}
	return p, until
}

// Published is the variant without its locations.
func (v Variant) Published() manifest.Variant {
	return manifest.Variant{
		Store: v.Store, Ref: v.Ref, Launcher: v.Launcher, OS: v.OS, Runtime: v.Runtime,
		Locations: []manifest.Location{}, Unknown: v.Unknown,
	}
}

// VariantOf is the variant that a draft speaks of, without locations.
func VariantOf(d *draft.Draft) manifest.Variant {
	v := manifest.Variant{Launcher: d.Launcher, OS: d.OS, Runtime: d.Runtime, Locations: []manifest.Location{}}
	if d.Edition != nil {
		v.Store, v.Ref = d.Edition.Store, d.Edition.Ref
	}
	return v
}

// Observe returns the record with a draft's locations, each with the evidence, added to it.
// t is not changed.
func (t *Title) Observe(d *draft.Draft, e standing.Evidence) (*Title, error) {
	if t.MergedInto != "" {
		return nil, &MergedError{t.ID, t.MergedInto}
	}
	next := t.clone()
	e.Kind = standing.Observation
	if d.Edition != nil {
		e.Version = d.Edition.Version
		next.see(*d.Edition)
	}
	v := next.variant(VariantOf(d))
	for _, proposed := range d.Locations {
		l := v.location(proposed.At, proposed.Holds)
		l.Evidence = append(l.Evidence, e)
		l.Withdrawn = nil // it was seen again
		if proposed.Notes != nil {
			l.Notes = proposed.Notes
		}
		if proposed.Belongs != "" {
			l.Belongs = proposed.Belongs
		}
	}
	v.sort()
	next.sort()
	return next, nil
}

// MergedError says that a title is part of another one now.
type MergedError struct{ ID, Into string }

func (e *MergedError) Error() string {
	return fmt.Sprintf("the title %s was merged into %s: use that one", e.ID, e.Into)
}

func (t *Title) sort() {
	slices.SortStableFunc(t.Variants, func(a, b Variant) int {
		return strings.Compare(a.Published().String(), b.Published().String())
	})
}

func (v *Variant) sort() {
	slices.SortStableFunc(v.Locations, func(a, b Location) int {
		if n := slices.Index(draft.Holds, a.Holds) - slices.Index(draft.Holds, b.Holds); n != 0 {
			return n
		}
		return strings.Compare(a.At, b.At)
	})
}

// variant is the variant of that combination, which is added where it is missing.
func (t *Title) variant(like manifest.Variant) *Variant {
	for i := range t.Variants {
		if t.Variants[i].Published().Same(like) {
			return &t.Variants[i]
		}
	}
	t.Variants = append(t.Variants, Variant{
		Store: like.Store, Ref: like.Ref, Launcher: like.Launcher, OS: like.OS, Runtime: like.Runtime,
		Locations: []Location{},
	})
	return &t.Variants[len(t.Variants)-1]
}

func (v *Variant) find(at, holds string) *Location {
	for i := range v.Locations {
		if v.Locations[i].At == at && v.Locations[i].Holds == holds {
			return &v.Locations[i]
		}
	}
	return nil
}

// location is the location of that place, which is added where it is missing.
func (v *Variant) location(at, holds string) *Location {
	if l := v.find(at, holds); l != nil {
		return l
	}
	v.Locations = append(v.Locations, Location{At: at, Holds: holds, Evidence: []standing.Evidence{}})
	return &v.Locations[len(v.Locations)-1]
}
