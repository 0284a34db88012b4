package manifest

import (
	"endroit/core/notes"
	"endroit/core/standing"
)

// Change is one thing that differs between two states of a title.
type Change struct {
	What     string            `json:"what"` // joins-title, new-title, new-variant, new-location, more-evidence, new-notes
	Variant  string            `json:"variant,omitempty"`
	At       string            `json:"at,omitempty"`
	Holds    string            `json:"holds,omitempty"`
	Before   standing.Standing `json:"before,omitempty"`
	After    standing.Standing `json:"after,omitempty"`
	Evidence int               `json:"evidence,omitempty"` // how many pieces there are afterwards
	Notes    string            `json:"notes,omitempty"`    // what new notes tell, in one line
	Title    string            `json:"title,omitempty"`    // the name that a title has and keeps
	Written  string            `json:"written,omitempty"`  // how the draft writes it
}

// Published is the name under which a draft's locations are published: a title keeps the
// one that it has, however a draft writes it. present is nil for a new title.
func Published(present *Title, written string) string {
	if present != nil {
		return present.Name
	}
	return written
}

// JoinedTitle tells, before all other changes, that a draft goes to a title of another spelling.
func JoinedTitle(present *Title, written string) []Change {
	if name := Published(present, written); name != written {
		return []Change{{What: "joins-title", Title: name, Written: written}}
	}
	return nil
}

// Compare lists what the next state of a title adds to the present one, which
// is nil for a new title. States only ever grow.
func Compare(now *Title, next Title) []Change {
	changes := []Change{}
	if now == nil {
		changes = append(changes, Change{What: "new-title"})
		now = &Title{}
	}
	for _, v := range next.Variants {
		old, found := Variant{}, false
		for _, o := range now.Variants {
			if o.Same(v) {
				old, found = o, true
			}
		}
		if !found {
			changes = append(changes, Change{What: "new-variant", Variant: v.String()})
		}
		for _, l := range v.Locations {
			c := Change{
				What:     "new-location",
				Variant:  v.String(),
				At:       l.At,
				Holds:    l.Holds,
				After:    l.Standing,
				Evidence: len(l.Evidence),
			}
			var notesBefore *notes.Notes
			for _, o := range old.Locations {
				if o.At == l.At && o.Holds == l.Holds {
					notesBefore = o.Notes
					c.What, c.Before = "more-evidence", o.Standing
					if len(o.Evidence) == len(l.Evidence) {
						c.What = ""
					}
				}
			}
			if c.What != "" {
				changes = append(changes, c)
			}
			if l.Notes != nil && !l.Notes.Same(notesBefore) {
				changes = append(
					changes,
					Change{What: "new-notes", Variant: v.String(), At: l.At, Holds: l.Holds, Notes: l.Notes.Summary()},
				)
			}
		}
	}
	return changes
}
