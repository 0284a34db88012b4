package locate

import (
	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/standing"
	"endroit/machine"
)

// Place is the location, parsed. It is the zero value of one that could not be.
func (l *Location) Place() place.Location { return l.place }

// Folds reports whether letters' case is no difference where it was looked up: below a
// Windows anchor, and in a prefix below every one.
func (l *Location) Folds() bool { return l.fold }

// Known are the named parts that are known beforehand on this machine: the user's name,
// the edition's reference.
func (l *Location) Known() place.Captures { return l.known }

// Target says where the file with these names below the location's anchor lies or would
// lie; an error if the location does not cover it here, or it is guarded.
func (h *Resolver) Target(l *Location, names []string) (machine.Target, error) {
	return h.finder.Target(l.roots, l.place, names, l.known, l.fold)
}

// OfDraft is a draft as if it were recorded: a title with one variant, whose locations are
// merely observed.
func OfDraft(d *draft.Draft) *manifest.Title {
	v := manifest.Variant{Launcher: d.Launcher, OS: d.OS, Runtime: d.Runtime}
	if d.Edition != nil {
		v.Store, v.Ref = d.Edition.Store, d.Edition.Ref
	}
	for _, l := range d.Locations {
		v.Locations = append(v.Locations, manifest.Location{
			At: l.At, Holds: l.Holds, Belongs: l.Belongs, Notes: l.Notes, Standing: standing.Observed,
			Reason: "proposed in a draft, which nobody has reviewed",
		})
	}
	return &manifest.Title{Name: d.Title, Variants: []manifest.Variant{v}}
}
