package manifest

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"endroit/core/notes"
	"endroit/core/standing"
)

// Change is one thing that differs between two states of a title.
type Change struct {
	What     What              `json:"what"`
	Title    string            `json:"title,omitempty"` // whose it is, where several titles change
	Variant  string            `json:"variant,omitempty"`
	At       string            `json:"at,omitempty"`
	Holds    string            `json:"holds,omitempty"`
	Before   standing.Standing `json:"before,omitempty"`
	After    standing.Standing `json:"after,omitempty"`
	Evidence int               `json:"evidence,omitempty"` // how many pieces there are afterwards
	From     string            `json:"from,omitempty"`     // what a text was
	To       string            `json:"to,omitempty"`       // and is
}

// What tells what kind of change it is.
type What string

// The kinds of changes.
const (
	NewTitle        What = "new-title"
	JoinsTitle      What = "joins-title" // a draft goes to a title of another spelling: From what it writes, To the title's name
	Renamed         What = "renamed"
	NameAdded       What = "name-added"
	NameRemoved     What = "name-removed"
	Described       What = "described" // year or maker
	Merged          What = "merged"    // To is the other title's id, From its name if that is known
	NewEdition      What = "new-edition"
	EditionGone     What = "edition-gone"
	VersionSeen     What = "version-seen"
	NewVariant      What = "new-variant"
	VariantGone     What = "variant-gone"
	NewLocation     What = "new-location"
	LocationGone    What = "location-gone"
	MoreEvidence    What = "more-evidence"
	StandingChanged What = "standing-changed"
	VersionsChanged What = "versions-changed"
	BelongsChanged  What = "belongs-changed"
	NewNotes        What = "new-notes"
	HazardTried     What = "hazard-tried"
	CloudSeen       What = "cloud-seen"
	NothingKept     What = "nothing-kept"
)

// Compare lists what differs between two states of a title; before is nil for a new one.
func Compare(before *Title, after Title) []Change {
	changes := []Change{}
	if before == nil {
		changes = append(changes, Change{What: NewTitle, To: after.Name})
		before = &Title{Name: after.Name, Names: after.Names, Year: after.Year, Maker: after.Maker}
	}
	changes = append(changes, compareNames(before, after)...)
	changes = append(changes, compareEditions(before, after)...)
	for _, v := range before.Variants {
		if !slices.ContainsFunc(after.Variants, v.Same) {
			changes = append(changes, Change{What: VariantGone, Variant: v.String()})
		}
	}
	for _, v := range after.Variants {
		i := slices.IndexFunc(before.Variants, v.Same)
		old := Variant{}
		if i < 0 {
			changes = append(changes, Change{What: NewVariant, Variant: v.String()})
		} else {
			old = before.Variants[i]
		}
		changes = append(changes, compareLocations(old, v)...)
		changes = append(changes, compareAbsence(old, v)...)
	}
	return changes
}

func compareNames(before *Title, after Title) (changes []Change) {
	if before.Name != after.Name {
		changes = append(changes, Change{What: Renamed, From: before.Name, To: after.Name})
	}
	same := func(n Name) func(Name) bool {
		return func(o Name) bool { return o.Name == n.Name && o.Language == n.Language }
	}
	for _, n := range after.Names {
		if !slices.ContainsFunc(before.Names, same(n)) {
			changes = append(changes, Change{What: NameAdded, To: n.String()})
		}
	}
	for _, n := range before.Names {
		if !slices.ContainsFunc(after.Names, same(n)) {
			changes = append(changes, Change{What: NameRemoved, From: n.String()})
		}
	}
	if from, to := before.described(), after.described(); from != to {
		changes = append(changes, Change{What: Described, From: from, To: to})
	}
	if before.MergedInto != after.MergedInto {
		changes = append(changes, Change{What: Merged, To: after.MergedInto})
	}
	return changes
}

// String is the name, with its language.
func (n Name) String() string {
	if n.Language == "" {
		return n.Name
	}
	return n.Name + " (" + n.Language + ")"
}

// described is what tells a title from another of the same name: "2019, Harrow Lane".
func (t *Title) described() string {
	var parts []string
	if t.Year != 0 {
		parts = append(parts, fmt.Sprint(t.Year))
	}
	if t.Maker != "" {
		parts = append(parts, t.Maker)
	}
	return strings.Join(parts, ", ")
}

// Distinct is the title's name with what tells it from another of the same name.
func (t *Title) Distinct() string {
	if d := t.described(); d != "" {
		return t.Name + " (" + d + ")"
	}
	return t.Name
}

func compareEditions(before *Title, after Title) (changes []Change) {
	name := func(e Edition) string { return strings.TrimSpace(e.Store + " " + e.Ref) }
	same := func(e Edition) func(Edition) bool {
		return func(o Edition) bool { return o.Store == e.Store && o.Ref == e.Ref }
	}
	for _, e := range before.Editions {
		if !slices.ContainsFunc(after.Editions, same(e)) {
			changes = append(changes, Change{What: EditionGone, From: name(e)})
		}
	}
	for _, e := range after.Editions {
		i := slices.IndexFunc(before.Editions, same(e))
		if i < 0 {
			changes = append(changes, Change{What: NewEdition, To: name(e)})
			continue
		}
		for _, version := range e.Versions {
			if !slices.Contains(before.Editions[i].Versions, version) {
				changes = append(changes, Change{What: VersionSeen, From: name(e), To: version})
			}
		}
	}
	return changes
}

func compareLocations(before, after Variant) (changes []Change) {
	name := after.String()
	same := func(l Location) func(Location) bool {
		return func(o Location) bool { return o.At == l.At && o.Holds == l.Holds }
	}
	for _, l := range before.Locations {
		if !slices.ContainsFunc(after.Locations, same(l)) {
			changes = append(changes, Change{What: LocationGone, Variant: name, At: l.At, Holds: l.Holds, Before: l.Standing})
		}
	}
	for _, l := range after.Locations {
		c := Change{Variant: name, At: l.At, Holds: l.Holds, After: l.Standing, Evidence: l.Counts.All()}
		i := slices.IndexFunc(before.Locations, same(l))
		var notesBefore *notes.Notes
		if i < 0 {
			c.What, c.To = NewLocation, strings.Join(l.Replaces, ", ")
			changes = append(changes, c)
		} else {
			old := before.Locations[i]
			notesBefore = old.Notes
			c.Before = old.Standing
			switch {
			case old.Standing != l.Standing:
				c.What, c.To = StandingChanged, l.Reason
			case !old.Counts.Same(l.Counts):
				c.What = MoreEvidence
			}
			if c.What != "" {
				changes = append(changes, c)
			}
			if from, to := old.Versions.String(), l.Versions.String(); from != to {
				changes = append(changes, Change{What: VersionsChanged, Variant: name, At: l.At, Holds: l.Holds, From: from, To: to})
			}
			if old.Belongs != l.Belongs {
				changes = append(changes, Change{What: BelongsChanged, Variant: name, At: l.At, Holds: l.Holds, From: old.Belongs, To: l.Belongs})
			}
		}
		var had Location
		if i >= 0 {
			had = before.Locations[i]
		}
		for _, h := range l.Hazards {
			if !slices.ContainsFunc(had.Hazards, func(o standing.Tried) bool {
				return o.Operation == h.Operation && o.Destroyed == h.Destroyed && o.Survived == h.Survived
			}) {
				changes = append(changes, Change{What: HazardTried, Variant: name, At: l.At, Holds: l.Holds, To: h.String()})
			}
		}
		if l.Cloud != had.Cloud {
			changes = append(changes, Change{What: CloudSeen, Variant: name, At: l.At, Holds: l.Holds, From: had.Cloud, To: l.Cloud})
		}
		if l.Notes != nil && !l.Notes.Same(notesBefore) {
			changes = append(changes, Change{What: NewNotes, Variant: name, At: l.At, Holds: l.Holds, To: l.Notes.Summary()})
		}
	}
	return changes
}

// compareAbsence tells what differs in what is said of nothing being kept.
func compareAbsence(before, after Variant) []Change {
	if after.Absence == nil || before.Absence != nil && before.Absence.Standing == after.Absence.Standing &&
		before.Absence.Counts.Same(after.Absence.Counts) {
		return nil
	}
	c := Change{
		What: NothingKept, Variant: after.String(), After: after.Absence.Standing, Evidence: after.Absence.Counts.All(),
		To: after.Absence.Reason,
	}
	if before.Absence != nil {
		c.Before = before.Absence.Standing
	}
	return []Change{c}
}

// String says the change in a sentence.
func (c Change) String() string {
	if c.Title != "" {
		return c.Title + ": " + c.text()
	}
	return c.text()
}

func (c Change) text() string {
	at := fmt.Sprintf("%s (%s)", c.At, c.Variant)
	switch c.What {
	case NewTitle:
		return "a new title: " + c.To
	case JoinsTitle:
		return fmt.Sprintf("joins the title %s (the draft writes %s)", c.To, c.From)
	case Renamed:
		return fmt.Sprintf("renamed from %s to %s", c.From, c.To)
	case NameAdded:
		return "another name: " + c.To
	case NameRemoved:
		return "no longer a name: " + c.From
	case Described:
		return fmt.Sprintf("described as %s (before: %s)", cmp.Or(c.To, "nothing"), cmp.Or(c.From, "nothing"))
	case Merged:
		if c.From != "" {
			return fmt.Sprintf("merged into %s (%s)", c.From, c.To)
		}
		return "merged into title " + c.To
	case NewEdition:
		return "a new edition: " + c.To
	case EditionGone:
		return "the edition " + c.From + " belongs to another title now"
	case VersionSeen:
		return fmt.Sprintf("version %s of %s was run", c.To, c.From)
	case NewVariant:
		return "a new variant: " + c.Variant
	case VariantGone:
		return "the variant " + c.Variant + " belongs to another title now"
	case NewLocation:
		if c.To != "" {
			return fmt.Sprintf("a new location: %s, %s, in place of %s", at, c.After, c.To)
		}
		return fmt.Sprintf("a new location: %s, %s", at, c.After)
	case LocationGone:
		return "no longer recorded: " + at
	case MoreEvidence:
		return fmt.Sprintf("more evidence for %s, which stays %s", at, c.After)
	case StandingChanged:
		return fmt.Sprintf("%s: %s instead of %s: %s", at, c.After, c.Before, c.To)
	case VersionsChanged:
		return fmt.Sprintf("%s holds for %s instead of %s", at, c.To, c.From)
	case BelongsChanged:
		return fmt.Sprintf("%s belongs to the %s", at, cmp.Or(c.To, "machine or the person"))
	case HazardTried:
		return fmt.Sprintf("%s: %s", at, c.To)
	case CloudSeen:
		return fmt.Sprintf("%s is %s by the launcher's cloud", at, cmp.Or(c.To, "no longer said to be kept"))
	case NothingKept:
		return fmt.Sprintf("nothing is kept on the machine by %s: %s (%s)", c.Variant, c.After, c.To)
	case NewNotes:
		return fmt.Sprintf("notes on the structure of %s: %s", at, c.To)
	}
	return string(c.What)
}
