package plays

import (
	"fmt"
	"slices"
	"sort"

	"endroit/core/candidate"
	"endroit/core/footprint"
)

// Score is how the judgement did on some plays.
type Score struct {
	Plays     int
	Right     map[footprint.Kind]int // of interest: files that are of the kind and were taken for it
	Taken     map[footprint.Kind]int // that were taken for it
	Are       map[footprint.Kind]int // that are of it
	Confused  map[string]int         // "save taken for log"
	Located   int                    // plays with one right set of locations
	Proposed  int                    // of these, those whose locations are exactly right
	Locations [3]int                 // right, proposed, that should be
	Faults    []string               // what went wrong, play by play
}

// Precision and Recall of a kind, 0 to 1; 1 where there is nothing.
func (s Score) Precision(k footprint.Kind) float64 { return ratio(s.Right[k], s.Taken[k]) }

// Recall of a kind.
func (s Score) Recall(k footprint.Kind) float64 { return ratio(s.Right[k], s.Are[k]) }

func ratio(a, b int) float64 {
	if b == 0 {
		return 1
	}
	return float64(a) / float64(b)
}

// NewScore begins one.
func NewScore() Score {
	return Score{Right: map[footprint.Kind]int{}, Taken: map[footprint.Kind]int{}, Are: map[footprint.Kind]int{}, Confused: map[string]int{}}
}

// Add scores a footprint of a play; root is the home that it was played in.
func (s *Score) Add(p Play, fp *footprint.Footprint, root string) {
	s.Plays++
	s.files(p, fp, root)
	s.locations(p, fp)
}

// Run plays those that are chosen, and scores the judgement.
func Run(choose func(i int) bool) (s Score, err error) {
	s = NewScore()
	for i, p := range All() {
		if !choose(i) {
			continue
		}
		fp, err := p.Footprint()
		if err != nil {
			return s, err
		}
		s.Add(p, fp, home)
	}
	return s, nil
}

func (s *Score) files(p Play, fp *footprint.Footprint, root string) {
	is := map[string]footprint.Kind{}
	for k, names := range map[footprint.Kind][]string{footprint.Save: p.Save, footprint.Config: p.Config, footprint.Capture: p.Capture} {
		for _, n := range names {
			is[at(root, p.For(0, n))] = k
			s.Are[k]++
		}
	}
	either := map[string]bool{}
	for _, n := range p.all(0, p.Among) {
		either[at(root, n)] = true
	}
	for _, f := range fp.Files {
		k, known := is[f.Path]
		if either[f.Path] && !known {
			continue // either would be right
		}
		if f.Kind.OfInterest() {
			s.Taken[f.Kind]++
		}
		if known && f.Kind == k {
			s.Right[k]++
			continue
		}
		if !known && !f.Kind.OfInterest() {
			continue
		}
		want := "nothing of interest"
		if known {
			want = string(k)
		}
		s.Confused[fmt.Sprintf("%s taken for %s", want, f.Kind)]++
		s.Faults = append(s.Faults, fmt.Sprintf("%s: %s is %s, taken for %s (%.2f; %q)", p.Name, f.Path, want, f.Kind, f.Confidence, f.Reasons))
	}
}

func (s *Score) locations(p Play, fp *footprint.Footprint) {
	if len(p.At) == 0 && len(p.Save)+len(p.Config)+len(p.Capture) > 0 {
		return // several would be right; what the second person gets is what counts
	}
	s.Located++
	var got []string
	for _, l := range candidate.Propose(fp, nil).Locations {
		got = append(got, string(l.Holds)+" "+l.At.String())
	}
	want := slices.Clone(p.At)
	sort.Strings(got)
	sort.Strings(want)
	for _, g := range got {
		if slices.Contains(want, g) {
			s.Locations[0]++
		}
	}
	s.Locations[1] += len(got)
	s.Locations[2] += len(want)
	if slices.Equal(got, want) {
		s.Proposed++
		return
	}
	s.Faults = append(s.Faults, fmt.Sprintf("%s: proposed %q, right is %q", p.Name, got, want))
}
