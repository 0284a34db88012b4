package record

import (
	"slices"

	"endroit/core/manifest"
	"endroit/core/standing"
	"endroit/core/trace"
)

// maxNames and maxVersions bound what a title can gather.
const (
	maxNames    = 50
	maxVersions = 200
)

// see notes an edition and its version.
func (t *Title) see(e trace.Edition) {
	i := slices.IndexFunc(t.Editions, func(o manifest.Edition) bool { return o.Store == e.Store && o.Ref == e.Ref })
	if i < 0 {
		if e.Store == "" {
			return
		}
		t.Editions = append(t.Editions, manifest.Edition{Store: e.Store, Ref: e.Ref})
		i = len(t.Editions) - 1
	}
	known := &t.Editions[i].Versions
	if e.Version != "" && !slices.Contains(*known, e.Version) && len(*known) < maxVersions {
		*known = append(*known, e.Version)
	}
}

// Rename returns the record under another name. The old one stays among its other names
// if keep says so: a misspelt one need not.
func (t *Title) Rename(name string, keep bool) (*Title, error) {
	if t.MergedInto != "" {
		return nil, &MergedError{t.ID, t.MergedInto}
	}
	if name == t.Name {
		return nil, refuse("its name is %s already", name)
	}
	next := t.clone()
	next.Names = slices.DeleteFunc(next.Names, func(n manifest.Name) bool { return n.Name == name })
	if keep {
		next.Names = append(next.Names, manifest.Name{Name: t.Name})
	}
	next.Name = name
	return next, nil
}

// AddName returns the record with another name.
func (t *Title) AddName(name manifest.Name) (*Title, error) {
	switch {
	case t.MergedInto != "":
		return nil, &MergedError{t.ID, t.MergedInto}
	case slices.ContainsFunc(t.Names, func(n manifest.Name) bool { return n.Name == name.Name && n.Language == name.Language }),
		name.Name == t.Name && name.Language == "":
		return nil, refuse("%s is one of its names already", name)
	case len(t.Names) >= maxNames:
		return nil, refuse("it has %d other names; no more are kept", len(t.Names))
	}
	next := t.clone()
	next.Names = append(next.Names, name)
	return next, nil
}

// Describe returns the record with the year and the maker that tell it from others.
func (t *Title) Describe(year int, maker string) (*Title, error) {
	switch {
	case t.MergedInto != "":
		return nil, &MergedError{t.ID, t.MergedInto}
	case year == t.Year && maker == t.Maker:
		return nil, refuse("that is what is recorded already")
	}
	next := t.clone()
	next.Year, next.Maker = year, maker
	return next, nil
}

// Merge returns both records after t turned out to be the same title as into: into has all
// that both had, and t leads there.
func (t *Title) Merge(into *Title) (gone, whole *Title, err error) {
	switch {
	case t.ID == into.ID:
		return nil, nil, refuse("a title cannot be merged into itself")
	case t.MergedInto != "":
		return nil, nil, &MergedError{t.ID, t.MergedInto}
	case into.MergedInto == t.ID:
		return nil, nil, refuse("%s was merged into %s: the other way round would lead in a circle", into.ID, t.ID)
	case into.MergedInto != "":
		return nil, nil, &MergedError{into.ID, into.MergedInto}
	}
	w := into.clone()
	for _, e := range t.Editions {
		for _, version := range append([]string{""}, e.Versions...) {
			w.see(trace.Edition{Store: e.Store, Ref: e.Ref, Version: version})
		}
	}
	for _, v := range t.Variants {
		w.take(v)
	}
	for _, n := range append([]manifest.Name{{Name: t.Name}}, t.Names...) {
		if n.Name != w.Name && !slices.ContainsFunc(w.Names, func(o manifest.Name) bool { return o.Name == n.Name }) && len(w.Names) < maxNames {
			w.Names = append(w.Names, n)
		}
	}
	w.sort()
	g := t.clone()
	g.MergedInto, g.Editions, g.Variants = into.ID, nil, []Variant{}
	return g, w, nil
}

// take adds another title's variant, with what both know of the same locations joined.
func (t *Title) take(v Variant) {
	own := t.variant(v.Published())
	for _, l := range v.Locations {
		n := own.location(l.At, l.Holds)
		fresh := len(n.Evidence) == 0
		n.Evidence = append(n.Evidence, l.Evidence...)
		slices.SortStableFunc(n.Evidence, func(a, b standing.Evidence) int { return a.Accepted.Compare(b.Accepted) })
		switch {
		case fresh:
			n.Withdrawn = l.Withdrawn
		case n.Withdrawn != nil && l.Withdrawn == nil: // somebody still relies on it
			n.Withdrawn = nil
		}
		for _, r := range l.Replaces {
			if !slices.Contains(n.Replaces, r) {
				n.Replaces = append(n.Replaces, r)
			}
		}
		if n.Notes == nil {
			n.Notes = l.Notes
		}
		if n.Belongs == "" {
			n.Belongs = l.Belongs
		}
		if n.Versions == nil && fresh {
			n.Versions = l.Versions
		}
	}
	own.Evidence = append(own.Evidence, v.Evidence...)
	slices.SortStableFunc(own.Evidence, func(a, b standing.Evidence) int { return a.Accepted.Compare(b.Accepted) })
	own.sort()
}

// MoveEdition returns both records after an edition, with its variants, was given to
// another title: one that is there, or the one that a split makes.
func (t *Title) MoveEdition(store, ref string, to *Title) (rest, other *Title, err error) {
	switch {
	case t.ID == to.ID:
		return nil, nil, refuse("the edition is one of this title's already")
	case t.MergedInto != "":
		return nil, nil, &MergedError{t.ID, t.MergedInto}
	case to.MergedInto != "":
		return nil, nil, &MergedError{to.ID, to.MergedInto}
	}
	r, o := t.clone(), to.clone()
	moved := false
	r.Editions = slices.DeleteFunc(r.Editions, func(e manifest.Edition) bool {
		if e.Store != store || e.Ref != ref {
			return false
		}
		moved = true
		for _, version := range append([]string{""}, e.Versions...) {
			o.see(trace.Edition{Store: e.Store, Ref: e.Ref, Version: version})
		}
		return true
	})
	r.Variants = slices.DeleteFunc(r.Variants, func(v Variant) bool {
		if v.Store != store || v.Ref != ref {
			return false
		}
		moved = true
		o.take(v)
		return true
	})
	if !moved {
		return nil, nil, refuse("%s has no edition %s %s", t.Name, store, ref)
	}
	o.sort()
	return r, o, nil
}

// Named reports whether a text is one of the title's names, when both are folded.
func (t *Title) Named(text string) bool {
	return (&manifest.Title{Name: t.Name, Names: t.Names}).Named(text)
}
