package candidate

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"

	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/place"
)

// ErrOtherTitle says that runs are of different titles, which nothing can be learned from.
var ErrOtherTitle = errors.New("the runs are of different titles")

// Joint is one place of a title as several runs saw it.
type Joint struct {
	At         string         `json:"at"` // the place, made general where the runs show that it is
	Kind       footprint.Kind `json:"kind"`
	Confidence float64        `json:"confidence"`
	Reasons    []string       `json:"reasons"`
	Seen       []Seen         `json:"seen"` // by run
	Told       []string       `json:"told"` // what the runs together tell
}

// Seen is what one run did to a place: the files that it stands for there.
type Seen struct {
	Files   []footprint.File `json:"files"` // none if the run did not touch it
	Written bool             `json:"written"`
}

// Comparison is several runs side by side. Each place stands in one list.
type Comparison struct {
	Named  []Joint                `json:"named"`  // the same place under different names, one for a run at least
	All    []Joint                `json:"all"`    // written in every run
	Some   []Joint                `json:"some"`   // written in some runs alone
	Never  []Joint                `json:"never"`  // of interest, and never written
	Others map[footprint.Kind]int `json:"others"` // of no interest, by kind
}

// Compare puts runs of one title side by side. Two runs separate what one cannot: a slot
// from a place of its own, a setting from what is written anyway. Files of no interest in
// any run are counted.
func Compare(runs []*footprint.Footprint) (c Comparison, err error) {
	if len(runs) < 2 {
		return c, errors.New("comparing needs at least two runs")
	}
	for _, f := range runs[1:] {
		if a, b := runs[0].Title, f.Title; manifest.Plain(a) != manifest.Plain(b) {
			return c, fmt.Errorf("%w: %q and %q", ErrOtherTitle, a, b)
		}
	}
	var order []string
	joints := map[string]*Joint{}
	all := &footprint.Footprint{}
	for _, f := range runs {
		all.Files = append(all.Files, f.Files...)
	}
	for i, f := range runs {
		view := *f // names differ between runs too
		view.Files = all.Files
		for _, x := range f.Files {
			at := jointPlace(x, &view)
			j := joints[at]
			if j == nil {
				j = &Joint{At: at, Seen: make([]Seen, len(runs)), Told: []string{}}
				joints[at] = j
				order = append(order, at)
			}
			j.Seen[i].Files = append(j.Seen[i].Files, x)
			j.Seen[i].Written = j.Seen[i].Written || x.Written()
		}
	}
	c.Others = map[footprint.Kind]int{}
	for _, at := range order {
		j := joints[at]
		j.judge(runs)
		j.exact()
		c.put(*j)
	}
	for _, list := range [][]Joint{c.Named, c.All, c.Some, c.Never} {
		slices.SortStableFunc(list, func(a, b Joint) int {
			if d := rank(a.Kind) - rank(b.Kind); d != 0 {
				return d
			}
			return strings.Compare(a.At, b.At)
		})
	}
	return c, nil
}

// jointPlace is the place that a file stands for in every run.
func jointPlace(x footprint.File, f *footprint.Footprint) string {
	exact, err := place.ParseAny(x.Place)
	if err != nil {
		return x.Path
	}
	if general, _ := newGeneraliser(f, nil).generalise(exact, x.Kind); general.String() != "" {
		return general.String()
	}
	return x.Place
}

// exact takes the general name back where every run has the same one.
func (j *Joint) exact() {
	name := ""
	for _, s := range j.Seen {
		for _, x := range s.Files {
			if at := cmp.Or(x.Place, x.Path); name == "" {
				name = at
			} else if name != at {
				return
			}
		}
	}
	j.At = name
}

// named reports whether runs have different names for the place.
func (j *Joint) named() bool {
	names := map[string]bool{}
	for _, s := range j.Seen {
		for _, x := range s.Files {
			names[cmp.Or(x.Place, x.Path)] = true
		}
	}
	return len(names) > 1
}

func (j *Joint) runs(written bool) (list []int) {
	for i, s := range j.Seen {
		if len(s.Files) > 0 && (!written || s.Written) {
			list = append(list, i)
		}
	}
	return list
}

func (c *Comparison) put(j Joint) {
	written := len(j.runs(true))
	switch {
	case !j.Kind.OfInterest() && (j.Kind != footprint.Unknown || written == 0):
		c.Others[j.Kind]++
	case j.named():
		c.Named = append(c.Named, j)
	case written == 0:
		c.Never = append(c.Never, j)
	case written == len(j.Seen):
		c.All = append(c.All, j)
	default:
		c.Some = append(c.Some, j)
	}
}

// judge joins the findings of the runs, and adds what they tell together.
func (j *Joint) judge(runs []*footprint.Footprint) {
	var findings [][]footprint.Finding
	for _, s := range j.Seen {
		for _, x := range s.Files {
			findings = append(findings, x.Findings)
		}
	}
	told := j.together(runs)
	j.Kind, j.Confidence, j.Reasons = footprint.Decide(append(footprint.JoinFindings(findings), told...))
	for _, f := range told {
		if f.SpeaksOf(j.Kind) { // what speaks of another kind is of no use to the reader
			j.Told = append(j.Told, f.Sentence())
		}
	}
	switch n := j.contents(); {
	case n > 1:
		j.Told = append(j.Told, "its content differs between runs")
	case n == 1 && len(j.runs(true)) > 1:
		j.Told = append(j.Told, "its content is the same after every run")
	}
}

// together is what only several runs can tell. Cues that stand in the same runs cannot be
// told apart by them.
func (j *Joint) together(runs []*footprint.Footprint) (told []footprint.Finding) {
	written := j.runs(true)
	if slices.Equal(marked(runs, "saved"), marked(runs, "changed-setting")) {
		return nil
	}
	for _, w := range []struct{ cue, id string }{{"changed-setting", "only-when-set"}, {"saved", "only-when-saved"}} {
		with := marked(runs, w.cue)
		switch {
		case len(with) == 0 || len(with) == len(runs):
		case slices.Equal(written, with):
			told = append(told, footprint.Finding{ID: w.id, Facts: footprint.Facts{Word: numbers(with)}})
		case w.id == "only-when-set" && len(written) == len(runs):
			told = append(told, footprint.Finding{ID: "always-written"})
		}
	}
	return told
}

// contents counts the different contents after the runs, of those that are known.
func (j *Joint) contents() int {
	seen := map[string]bool{}
	for _, s := range j.Seen {
		for _, x := range s.Files {
			if x.After.Digest != "" {
				seen[x.After.Digest] = true
			}
		}
	}
	return len(seen)
}

// marked are the runs with a cue.
func marked(runs []*footprint.Footprint, word string) (list []int) {
	for i, f := range runs {
		for _, c := range f.Cues {
			if c.Word == word {
				list = append(list, i)
				break
			}
		}
	}
	return list
}

// numbers names runs as people count them.
func numbers(list []int) string {
	var out []string
	for _, i := range list {
		out = append(out, fmt.Sprint(i+1))
	}
	return strings.Join(out, ", ")
}
