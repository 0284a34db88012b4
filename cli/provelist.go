package cli

import (
	"strings"

	"endroit/copies"
	"endroit/core/phrase"
	"endroit/core/proof"
)

// beginList says what is read of the launcher's own files. Nothing is changed, so nobody is
// asked.
func (x *proving) beginList(side *copies.Side, locations []proof.Location, empty []string) error {
	a := x.a
	if x.c.Bool("json") {
		return nil
	}
	a.say("%s", a.heading("What the cloud keeps of "+shown(x.s.title.Name)+", by the launcher's own files"))
	a.printWhere(side.Variant)
	for _, l := range locations {
		a.say("  %s  %s  (%s)", a.kind(phrase.Pad(word(l.Holds), 8)), shown(l.At), proof.Amount(l.At, l.Files))
	}
	for _, at := range empty {
		a.say("  %s", a.quiet("left out, since it finds nothing here: "+shown(at)))
	}
	return nil
}

// readList holds what the launcher's own files list for its cloud against the files here.
func (x *proving) readList(side *copies.Side) (e proof.Event, err error) {
	v := side.Variant
	places, without := v.CloudPlaces()
	if len(without) > 0 {
		return e, fail(exitConflict, "%s lists %s, which lies below no anchor; without --listed it is tried", launcherOf(v), shown(without[0]))
	}
	for _, at := range places {
		e.Lists = append(e.Lists, at.String())
	}
	e.Listed = make([]proof.Listing, len(x.p.Locations))
	for i, l := range x.p.Locations {
		e.Listed[i].Location = i
		for _, f := range side.Files {
			if v.Locations[f.Location].At == l.At && v.CloudHas(f.File.Path) {
				e.Listed[i].Files++
			}
		}
		x.tell("  %s: %s", shown(l.At), x.p.Listing(e.Listed[i]))
	}
	x.tell("  listed by %s: %s", shown(launcherOf(v)), shown(strings.Join(e.Lists, ", ")))
	return e, nil
}
