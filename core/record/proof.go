package record

import (
	"slices"
	"time"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/standing"
	"endroit/core/trace"
)

// Verdict is the standing of one of the title's locations at a time.
func (t *Title) Verdict(v Variant, l Location, now time.Time) standing.Verdict {
	newest := (&manifest.Title{Editions: t.Editions}).Newest(v.Store, v.Ref, l.Versions)
	return standing.Of(standing.Basis{Evidence: l.Evidence, Withdrawn: l.Withdrawn, Newest: newest}, now)
}

// AbsenceVerdict is the standing of the absence of anything kept on the machine; ok is
// whether anybody said that. What is kept after all contradicts it: progress that was seen
// in a location since, and that nobody took back.
func (t *Title) AbsenceVerdict(v Variant, now time.Time) (verdict standing.Verdict, ok bool) {
	if len(v.Evidence) == 0 {
		return verdict, false
	}
	evidence := slices.Clone(v.Evidence)
	for _, l := range v.Locations {
		if l.Holds != draft.Save || l.Withdrawn != nil {
			continue
		}
		for _, e := range l.Evidence {
			if e.Kind == standing.Observation || e.Kind == standing.Proof {
				e.Kind = standing.Dispute
				evidence = append(evidence, e)
			}
		}
	}
	slices.SortStableFunc(evidence, func(a, b standing.Evidence) int { return a.Accepted.Compare(b.Accepted) })
	newest := (&manifest.Title{Editions: t.Editions}).Newest(v.Store, v.Ref, nil)
	return standing.Of(standing.Basis{Evidence: evidence, Newest: newest}, now), true
}

// Shown is what an experiment showed of a location.
type Shown struct {
	At, Holds string
	Result    string
}

// Prove returns the record with what an experiment showed of locations of a variant. The
// evidence's kind says which experiment it was. Locations that are not recorded are an
// error: what nobody has seen used cannot be proven.
func (t *Title) Prove(c Combination, shown []Shown, e standing.Evidence) (*Title, error) {
	if t.MergedInto != "" {
		return nil, &MergedError{t.ID, t.MergedInto}
	}
	next := t
	for _, s := range shown {
		changed, _, l, err := next.find(Place{c, s.At, s.Holds})
		switch {
		case err != nil:
			return nil, refuse(
				"%s has no location %s (%s) in %s: the finding that it was proposed in has to be accepted first", t.Name, s.At, s.Holds, c,
			)
		case l.Withdrawn != nil:
			return nil, refuse("%s is withdrawn: %s", s.At, l.Withdrawn.Because)
		}
		e.Result = s.Result
		l.Evidence = append(l.Evidence, e)
		next = changed
	}
	if e.Version != "" && next != t {
		next.see(trace.Edition{Store: c.Store, Ref: c.Ref, Version: e.Version})
	}
	return next, nil
}

// NothingKept returns the record with an experiment that found nothing kept on the machine
// by a variant, which is added where it is missing.
func (t *Title) NothingKept(c Combination, e standing.Evidence) (*Title, error) {
	if t.MergedInto != "" {
		return nil, &MergedError{t.ID, t.MergedInto}
	}
	next := t.clone()
	e.Kind = standing.Absence
	v := next.variant(c.Variant())
	v.Evidence = append(v.Evidence, e)
	next.see(trace.Edition{Store: c.Store, Ref: c.Ref, Version: e.Version})
	next.sort()
	return next, nil
}
