package record

import (
	"fmt"
	"slices"

	"endroit/core/manifest"
	"endroit/core/standing"
)

// Combination names a variant.
type Combination struct {
	Store    string `json:"store,omitempty"`
	Ref      string `json:"ref,omitempty"`
	Launcher string `json:"launcher,omitempty"`
	OS       string `json:"os"`
	Runtime  string `json:"runtime"`
}

// CombinationOf names a published variant.
func CombinationOf(v manifest.Variant) Combination {
	return Combination{v.Store, v.Ref, v.Launcher, v.OS, v.Runtime}
}

// Variant is the variant without its locations.
func (c Combination) Variant() manifest.Variant {
	return manifest.Variant{
		Store: c.Store, Ref: c.Ref, Launcher: c.Launcher, OS: c.OS, Runtime: c.Runtime, Locations: []manifest.Location{},
	}
}

// String says it in words.
func (c Combination) String() string { return c.Variant().String() }

// Place names one location of a title.
type Place struct {
	Variant Combination `json:"variant"`
	At      string      `json:"at"`
	Holds   string      `json:"holds"`
}

// Error says why a record cannot be changed so.
type Error struct{ Reason string }

func (e *Error) Error() string { return e.Reason }

func refuse(format string, args ...any) error { return &Error{fmt.Sprintf(format, args...)} }

// find gives the location in a copy of the record.
func (t *Title) find(p Place) (*Title, *Variant, *Location, error) {
	if t.MergedInto != "" {
		return nil, nil, nil, &MergedError{t.ID, t.MergedInto}
	}
	next := t.clone()
	for i := range next.Variants {
		v := &next.Variants[i]
		if CombinationOf(v.Published()) != p.Variant {
			continue
		}
		if l := v.find(p.At, p.Holds); l != nil {
			return next, v, l, nil
		}
	}
	return nil, nil, nil, refuse("%s has no location %s (%s) in %s", t.Name, p.At, p.Holds, p.Variant)
}

// Location is one of the title's locations.
func (t *Title) Location(p Place) (Location, error) {
	_, _, l, err := t.find(p)
	if err != nil {
		return Location{}, err
	}
	return *l, nil
}

// Dispute returns the record with a dispute of a location added.
func (t *Title) Dispute(p Place, e standing.Evidence) (*Title, error) {
	next, _, l, err := t.find(p)
	switch {
	case err != nil:
		return nil, err
	case l.Withdrawn != nil:
		return nil, refuse("%s is withdrawn: there is nothing to dispute", p.At)
	}
	e.Kind = standing.Dispute
	l.Evidence = append(l.Evidence, e)
	return next, nil
}

// Withdraw returns the record with a location taken back.
func (t *Title) Withdraw(p Place, w standing.Withdrawal) (*Title, error) {
	next, _, l, err := t.find(p)
	switch {
	case err != nil:
		return nil, err
	case l.Withdrawn != nil:
		return nil, refuse("%s is withdrawn already: %s", p.At, l.Withdrawn.Because)
	}
	l.Withdrawn = &w
	return next, nil
}

// HoldFor returns the record with a location that holds for some versions alone; nil for all.
func (t *Title) HoldFor(p Place, versions *standing.Range) (*Title, error) {
	next, _, l, err := t.find(p)
	switch {
	case err != nil:
		return nil, err
	case l.Withdrawn != nil:
		return nil, refuse("%s is withdrawn", p.At)
	case l.Versions.String() == versions.String():
		return nil, refuse("%s holds for %s already", p.At, versions)
	}
	l.Versions = versions
	return next, nil
}

// Replace returns the record with a location in place of another, which is withdrawn. The
// new one has the evidence that is given: the caller knows which of the old still speaks
// for it.
func (t *Title) Replace(p Place, at string, evidence []standing.Evidence, w standing.Withdrawal) (*Title, error) {
	next, v, l, err := t.find(p)
	switch {
	case err != nil:
		return nil, err
	case l.Withdrawn != nil:
		return nil, refuse("%s is withdrawn: propose %s as a finding of its own", p.At, at)
	case at == p.At:
		return nil, refuse("%s is what it is already", at)
	case len(evidence) == 0:
		return nil, refuse("no traced run is known that used a file in %s: send a footprint with it", at)
	}
	l.Withdrawn = &w
	old := *l
	n := v.location(at, p.Holds)
	n.Withdrawn = nil
	for _, e := range evidence {
		if !slices.ContainsFunc(n.Evidence, func(o standing.Evidence) bool { return o.Contribution == e.Contribution }) {
			n.Evidence = append(n.Evidence, e)
		}
	}
	if !slices.Contains(n.Replaces, p.At) {
		n.Replaces = append(n.Replaces, p.At)
	}
	if n.Belongs == "" {
		n.Belongs = old.Belongs
	}
	if n.Notes == nil {
		n.Notes = old.Notes
	}
	if n.Versions == nil {
		n.Versions = old.Versions
	}
	v.sort()
	return next, nil
}
