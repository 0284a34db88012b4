package proof

import (
	"fmt"
	"slices"
	"strings"

	"endroit/core/phrase"
	"endroit/core/place"
)

// contradiction says where an answer does not fit what was observed.
func (p *Proof) contradiction(r *Round) string {
	read := 0
	for _, s := range r.Sees {
		if slices.Contains(r.Away, s.Location) {
			read += s.used()
		}
	}
	switch {
	case len(r.Returned) > 0:
		return fmt.Sprintf(
			"%s brought back%s before the game was started, so that this round shows nothing of them",
			phrase.Count(len(r.Returned), "file was", "files were"), Bringers(r.Returned),
		)
	case len(r.Away) == 0 && len(r.Sees) > 0 && sum(r.Sees) == 0 && !p.unseen() && r.Answer.shows():
		return "all files were there, and the game used none of them: was it this game, and did it get so far?"
	case r.Answer.shows() && read > 0:
		says := fmt.Sprintf("%s of what was taken away was there all the same, and was used", phrase.Count(read, "file", "files"))
		if slices.ContainsFunc(r.Away, func(i int) bool { return p.Locations[i].Stays > 0 }) {
			says += "; files of accounts that are not in use had stayed: does the game go by another account than the launcher says?"
		}
		return says
	}
	return ""
}

// unseen reports whether there are locations of which it is not seen that they are read: keys
// of the registry.
func (p *Proof) unseen() bool {
	return slices.ContainsFunc(p.Locations, func(l Location) bool { return inRegistry(l.At) })
}

// IsKey reports whether it is a key of the registry.
func (l Location) IsKey() bool { return inRegistry(l.At) }

func inRegistry(location string) bool {
	at, err := place.ParseAny(location) // in a search, of one key
	return err == nil && at.Anchor == place.Registry
}

// created reports whether a start created files of a location.
func created(r Round, location int) bool {
	return slices.ContainsFunc(r.Sees, func(s Sees) bool { return s.Location == location && s.Created > 0 })
}

// usedOthers reports whether a start used files of other locations.
func usedOthers(r Round, location int) bool {
	return slices.ContainsFunc(r.Sees, func(s Sees) bool { return s.Location != location && s.used() > 0 })
}

// idleSays is why nothing is known of a location that is idle.
const idleSays = "no start used any of its files where it was in place: at each start, go to where the game shows what is in them"

// idle reports whether no start used files of a location while all of them were in place. What
// the game does without them then shows nothing.
func (p *Proof) idle(location int) bool {
	if p.Locations[location].IsKey() {
		return false
	}
	seen := false
	for _, r := range p.Rounds {
		for _, s := range r.Sees {
			if s.Location != location || slices.Contains(r.Away, location) {
				continue
			}
			if s.used() > 0 {
				return false
			}
			seen = true
		}
	}
	return seen
}

// used is how many files were there and used.
func (s Sees) used() int { return s.Read + s.Gone }

func sum(sees []Sees) (read int) {
	for _, s := range sees {
		read += s.used()
	}
	return read
}

// conclude says what the rounds show of each location.
func (p *Proof) conclude() {
	whole := func(why string) {
		for i := range p.Locations {
			p.Locations[i].Result, p.Locations[i].Why = Undecided, why
		}
	}
	if p.Aim.Hazard() {
		p.concludeOperation()
		return
	}
	for _, r := range p.Rounds {
		if r.Contradiction != "" {
			whole(r.Contradiction)
			return
		}
	}
	if p.Aim == Which {
		p.concludeSearch()
		return
	}
	control, what, fresh := p.round(), p.old(), p.fresh()
	switch {
	case p.Ended != "":
		whole("it was ended early: " + p.Ended)
		return
	case control == nil || len(control.Away) > 0:
		whole("it was not ended")
		return
	case control.Answer != Progress:
		whole("with all files in their places again, the game did not show " + what + ": nothing is shown by its absence before")
		return
	}
	switch p.Rounds[0].Answer {
	case Progress:
		for i := range p.Locations {
			l := &p.Locations[i]
			l.Result, l.Why = NotNeeded, "with all of these locations away, the game showed "+what+": it is kept elsewhere"
			if p.Aim != Nothing && p.idle(i) {
				l.Result, l.Why = Undecided, idleSays
			}
		}
		return
	case Part:
		whole("with all of these locations away, the game showed part of " + what + ": that is kept elsewhere, so of these it is not known")
		return
	case NewGame:
	default:
		whole("the first start gave no answer: " + string(p.Rounds[0].Answer))
		return
	}
	if p.Aim == Nothing {
		whole("with all that it had written away, the game showed " + fresh + ": something is kept on this machine")
		return
	}
	if len(p.Locations) == 1 {
		p.Locations[0].Result, p.Locations[0].Why = Needed, "without it, the game showed "+fresh+"; with it back, it showed "+what
		return
	}
	p.concludeEach(what, fresh)
}

// concludeEach says what the starts show in which one location each was away.
func (p *Proof) concludeEach(what, fresh string) {
	var needed []int // together, as far as is known
	apart := false   // some are needed for a part each
	for _, r := range p.Rounds[1 : len(p.Rounds)-1] {
		i := r.Away[0]
		l := &p.Locations[i]
		if r.Answer != Unsure && p.idle(i) {
			l.Result, l.Why = Undecided, idleSays
			continue
		}
		switch r.Answer {
		case NewGame:
			l.Result, l.Why = Needed, "with only this location away, the game showed "+fresh
			needed = append(needed, i)
		case Part:
			l.Result, l.Why, apart = Needed, "with only this location away, part of "+what+" was missing", true
		case Failed:
			// It starts with all of them away, and with all in place: the others are what it
			// refuses, if it has read any.
			if !usedOthers(r, i) {
				l.Result, l.Why = Undecided, "with only this location away, the game did not start, and used none of the others"
				continue
			}
			l.Result, l.Why = Needed, "with only this location away, the game read others and refused them; with all away, it showed "+fresh
			needed = append(needed, i)
		case Progress:
			l.Result, l.Why = NotNeeded, "with only this location away, the game showed "+what
			if created(r, i) {
				l.Why += "; the game created its files again"
			}
		default:
			l.Result, l.Why = Undecided, "with only this location away, the start gave no answer: "+string(r.Answer)
		}
	}
	if len(needed) > 1 {
		var names []string
		for _, i := range needed {
			names = append(names, p.Locations[i].At)
		}
		for _, i := range needed {
			p.Locations[i].Result = NotEnough
			p.Locations[i].Why += "; all of these are needed together: " + strings.Join(names, ", ")
		}
	}
	if len(needed) == 0 && !apart && !slices.ContainsFunc(p.Locations, func(l Location) bool { return l.Result == Undecided }) {
		for i := range p.Locations {
			p.Locations[i].Why += "; with all of them away it showed " + fresh + ", so the others are enough without it"
			p.Locations[i].Enough = len(p.Locations) == 2 // the one that was left, when the other was away
		}
	}
}
