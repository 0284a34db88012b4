package proof

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/place"
	"endroit/core/trace"
	"endroit/core/words"
)

// The bounds of an experiment that comes from outside.
const (
	MaxLocations = 2000
	MaxRounds    = 500
	maxText      = 2000
)

// See counts what a start did with the files of each location. Of a key of the registry only
// that it was created is seen: what is read there passes no file of its own.
func See(locations []Location, f *footprint.Footprint) []Sees {
	all := []Sees{}
	exact := make([]*place.Location, len(f.Files))
	for i, x := range f.Files {
		if at, err := place.ParseAny(x.Place); err == nil && x.Place != "" {
			exact[i] = &at
		}
	}
	for i, l := range locations {
		at, err := place.Parse(l.At)
		if err != nil {
			continue
		}
		s := Sees{Location: i}
		for n, x := range f.Files {
			if exact[n] == nil || exact[n].Anchor != at.Anchor {
				continue
			}
			if _, covered := at.Match(exact[n].Names(), nil); !covered {
				continue
			}
			was := x.Before.Is == trace.IsFile || x.Before.Is == trace.IsKey
			is := x.After.Is == trace.IsFile || x.After.Is == trace.IsKey
			switch {
			case was && x.Reads+x.ReadAs > 0:
				s.Read++
			case was && !is:
				s.Gone++
			case !was && is:
				s.Created++
			}
		}
		for _, text := range f.Looked() {
			if looked, err := place.ParseAny(text); err == nil && looked.Anchor == at.Anchor {
				if _, covered := at.Match(looked.Names(), nil); covered {
					s.Missing++
				}
			}
		}
		all = append(all, s)
	}
	return all
}

// Verify reports, as an error that says where, what of an experiment that comes from outside
// does not follow from what it says was done: it is led again with its own answers, which
// has to end where it ended.
func (p *Proof) Verify() error {
	if err := p.checkValues(); err != nil {
		return err
	}
	fresh := slices.Clone(p.Locations)
	for i := range fresh {
		fresh[i].Result, fresh[i].Why, fresh[i].Enough = "", "", false
	}
	again, err := New(p.ID, p.About, fresh, p.Began)
	if err != nil {
		return err
	}
	for again.At != Finish {
		e := Event{Copy: "said", Now: p.Began}
		n := len(again.Rounds) - 1
		if p.ByList {
			n = 0 // it has no steps before
		}
		if n >= len(p.Rounds) {
			return fmt.Errorf("rounds: after %d rounds the experiment is not over", len(p.Rounds))
		}
		if n >= 0 {
			r := p.Rounds[n]
			if p.ByList {
				e.Lists, e.Listed, e.Now = r.Lists, r.Listed, r.Began
			} else if !slices.Equal(r.Away, again.Rounds[n].Away) || r.Direction != again.Rounds[n].Direction {
				return fmt.Errorf("rounds[%d].away: it is not what is tried next after what was seen before", n)
			}
			e.Operation, e.Returned, e.Trace = r.Operation, r.Returned, r.Trace
			e.Sees, e.Became, e.Answer, e.Now = r.Sees, r.Became, r.Answer, r.Began
		}
		if again.At == Start && e.Answer != Failed {
			e.Answer = ""
		}
		if err := again.Done(again.At, e); err != nil {
			return fmt.Errorf("rounds[%d]: %w", max(n, 0), err)
		}
	}
	if len(again.Rounds) != len(p.Rounds) {
		return fmt.Errorf("rounds: there are %d, and the experiment is over after %d", len(p.Rounds), len(again.Rounds))
	}
	for i, l := range again.Locations {
		if said := p.Locations[i]; said.Result != l.Result || said.Enough != l.Enough || said.Why != l.Why {
			return fmt.Errorf(
				"locations[%d].result: it says %q (%s), and from its rounds follows %q (%s)", i, said.Result, said.Why, l.Result, l.Why,
			)
		}
	}
	for i, r := range again.Rounds {
		if r.Contradiction != p.Rounds[i].Contradiction {
			return fmt.Errorf("rounds[%d].contradiction: it does not follow from what was seen", i)
		}
	}
	return nil
}

// checkValues checks each value by itself.
func (p *Proof) checkValues() error {
	switch {
	case p.Format != Format:
		return fmt.Errorf("format: it is %.40q and this program reads %s", p.Format, Format)
	case p.At != Finish || p.Ended != "":
		return errors.New("at: it was not led to its end")
	case p.Aim.Hazard() && !slices.Contains(Operations, p.Aim):
		return fmt.Errorf("aim: %.40q is none of %s", p.Aim, strings.Join(aims(), ", "))
	case !slices.Contains(draft.Holds, p.Holds):
		return fmt.Errorf("holds: it must be one of %s", strings.Join(draft.Holds, ", "))
	case len(p.Locations) == 0 || len(p.Locations) > MaxLocations:
		return fmt.Errorf("locations: there are %d; between 1 and %d are possible", len(p.Locations), MaxLocations)
	case len(p.Rounds) == 0 || len(p.Rounds) > MaxRounds:
		return fmt.Errorf("rounds: there are %d; between 1 and %d are possible", len(p.Rounds), MaxRounds)
	case p.Began.IsZero():
		return errors.New("began: it is missing")
	}
	for i, l := range p.Locations {
		if _, err := place.Parse(l.At); err != nil {
			return fmt.Errorf("locations[%d].at: %w", i, err)
		}
		if !slices.Contains(draft.Holds, l.Holds) || l.Files < 1 {
			return fmt.Errorf("locations[%d]: holds must be one of %s, and files 1 or more", i, strings.Join(draft.Holds, ", "))
		}
	}
	texts := []string{p.Title, p.Version, p.Slot, p.By, p.Observer}
	for i, r := range p.Rounds {
		if r.Began.Before(p.Began) || i > 0 && r.Began.Before(p.Rounds[i-1].Began) {
			return fmt.Errorf("rounds[%d].began: it is before what was done before it", i)
		}
		for _, n := range r.Away {
			if n < 0 || n >= len(p.Locations) {
				return fmt.Errorf("rounds[%d].away: there is no location %d", i, n)
			}
		}
		for _, b := range r.Became {
			if b.Location < 0 || b.Location >= len(p.Locations) || min(b.Same, b.Changed, b.Gone) < 0 {
				return fmt.Errorf("rounds[%d].became: there is no location %d, or a number below 0", i, b.Location)
			}
		}
		for _, s := range r.Sees {
			if s.Location < 0 || s.Location >= len(p.Locations) || min(s.Created, s.Missing, s.Read, s.Gone) < 0 {
				return fmt.Errorf("rounds[%d].sees: there is no location %d, or a number below 0", i, s.Location)
			}
		}
		for _, f := range r.Returned {
			texts = append(texts, f.Path, f.By)
		}
		if err := p.checkListed(r); err != nil {
			return fmt.Errorf("rounds[%d].%w", i, err)
		}
	}
	for _, text := range texts {
		if reason := words.Text(text, maxText); reason != "" {
			return errors.New("a text: " + reason)
		}
	}
	return nil
}

// checkListed checks what a launcher's list is said to have: a location that lies in what is
// listed is listed whole, and one that has nothing in common with it not at all.
func (p *Proof) checkListed(r Round) error {
	if !p.ByList {
		if len(r.Lists)+len(r.Listed) > 0 {
			return errors.New("lists: nothing is tried where the launcher's list is read")
		}
		return nil
	}
	switch {
	case len(r.Lists) == 0 || len(r.Lists) > maxLists:
		return fmt.Errorf("lists: there are %d; between 1 and %d are possible", len(r.Lists), maxLists)
	case len(r.Listed) != len(p.Locations):
		return fmt.Errorf("listed: there are %d, and %d locations", len(r.Listed), len(p.Locations))
	case len(r.Away)+len(r.Returned)+len(r.Sees)+len(r.Became) > 0 || r.Trace != "" || r.Answer != "":
		return errors.New("away: nothing is tried where the launcher's list is read")
	}
	lists := make([]place.Location, len(r.Lists))
	for i, text := range r.Lists {
		at, err := place.ParseAny(text)
		if err != nil {
			return fmt.Errorf("lists[%d]: %w", i, err)
		}
		lists[i] = at
	}
	for i, x := range r.Listed {
		if x.Location != i {
			return fmt.Errorf("listed[%d].location: it has to be %d", i, i)
		}
		l := p.Locations[i]
		at, _ := place.Parse(l.At) // it was checked
		in := slices.ContainsFunc(lists, func(list place.Location) bool { return place.LiesIn(at, list) })
		may := slices.ContainsFunc(lists, func(list place.Location) bool { return place.Overlap(at, list) })
		if x.Files < 0 || x.Files > l.Files || in && x.Files < l.Files || !may && x.Files > 0 {
			return fmt.Errorf("listed[%d].files: %d of %d does not follow from what is listed", i, x.Files, l.Files)
		}
	}
	return nil
}

// maxLists bounds what a launcher's list has of one title.
const maxLists = 64

// Operations are the aims that are operations.
var Operations = []Aim{"prefix-removal", "move", "uninstall", "repair", "cloud"}

func aims() (out []string) {
	for _, a := range append([]Aim{Locations, Which, Nothing}, Operations...) {
		out = append(out, string(a))
	}
	return out
}

// Statement says what was shown, in a line.
func (p *Proof) Statement() string {
	counts := map[Result]int{}
	for _, l := range p.Locations {
		counts[l.Result]++
	}
	if p.Absent() {
		return "nothing of its progress is kept on the machine"
	}
	var parts []string
	for _, r := range []Result{Needed, NotEnough, NotNeeded, Survived, Destroyed, Kept, NotKept, Undecided} {
		if counts[r] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", counts[r], r))
		}
	}
	return cmp.Or(strings.Join(parts, ", "), "nothing was shown")
}

// Absent reports whether it showed that nothing is kept on the machine.
func (p *Proof) Absent() bool {
	return p.Aim == Nothing && p.At == Finish && !slices.ContainsFunc(p.Locations, func(l Location) bool { return l.Result != NotNeeded })
}
