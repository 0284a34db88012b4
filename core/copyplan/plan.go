// Package copyplan computes what has to change so that one side becomes like another: the
// files of a title on this machine, and those of a copy of them.
//
//	plan, err := copyplan.Make(here, there, copyplan.Options{})
//	for _, s := range plan.Steps { … }
//
// It knows files by their places and states alone and touches none. A plan names only
// places of the two sides; applied and then reversed it changes nothing, and applied a
// second time neither.
package copyplan

import (
	"fmt"
	"slices"
	"strings"
	"time"
)

// Kind is what is at a place.
type Kind string

// The kinds.
const (
	Nothing Kind = ""
	Regular Kind = "file"
	Link    Kind = "link"
	Key     Kind = "key" // of a registry, with all below it
)

// State is what is at a place. The zero State is nothing.
type State struct {
	Kind   Kind      `json:"kind,omitempty"`
	Size   int64     `json:"size,omitzero"`    // bytes; of a key those of its text
	Digest string    `json:"digest,omitempty"` // SHA-256 of a file's content, or a key's text, in hexadecimal; empty if nobody has read it
	BLAKE3 string    `json:"blake3,omitempty"` // of a file's content, in hexadecimal; empty if nobody has read it by that
	Link   string    `json:"link,omitempty"`   // the place that a link leads to
	Time   time.Time `json:"time,omitzero"`    // of the last change
	Mode   uint32    `json:"mode,omitzero"`    // permission bits
}

// Same reports whether two states have the same content. Of two files of one size that were
// not both read by the same digest, that is not known, and they count as different.
func (s State) Same(o State) bool {
	switch {
	case s.Kind != o.Kind:
		return false
	case s.Kind == Regular, s.Kind == Key:
		return s.Size == o.Size && s.Comparable(o) && (s.Digest == "" || o.Digest == "" || s.Digest == o.Digest) &&
			(s.BLAKE3 == "" || o.BLAKE3 == "" || s.BLAKE3 == o.BLAKE3)
	}
	return s.Link == o.Link
}

// Comparable reports whether the contents of two files can be told apart: whether both were
// read by one digest.
func (s State) Comparable(o State) bool {
	return s.Digest != "" && o.Digest != "" || s.BLAKE3 != "" && o.BLAKE3 != ""
}

// Item is a place with what is there. Place is ANCHOR:PATH, exact.
type Item struct {
	Place string `json:"place"`
	State
}

// Step is one place that changes.
type Step struct {
	Place  string `json:"place"`
	Before State  `json:"before,omitzero"`
	After  State  `json:"after,omitzero"`
}

// Change says in a word what a step does.
type Change string

// What steps do.
const (
	Add     Change = "add"
	Replace Change = "replace"
	Remove  Change = "remove"
)

// Change says what the step does.
func (s Step) Change() Change {
	switch {
	case s.Before.Kind == Nothing:
		return Add
	case s.After.Kind == Nothing:
		return Remove
	}
	return Replace
}

// Plan is what has to change.
type Plan struct {
	Steps []Step `json:"steps"` // by place
	Same  int    `json:"same"`  // how many places have the same content on both sides already
}

// Options say how two sides are brought together.
type Options struct {
	// Leave keeps what only this side has: else it is removed, so that all files come
	// from one moment.
	Leave bool
	// Fold gives for a place the text under which the machine finds it: where letters'
	// case is no difference, places that differ in it are one. Nil for no folding.
	Fold func(place string) string
}

// ClashError says that one side has several files where the machine can have one.
type ClashError struct {
	Side   string // "here" or "copy"
	Places []string
}

func (e *ClashError) Error() string {
	where := "on this machine"
	if e.Side == "copy" {
		where = "in the copy"
	}
	return fmt.Sprintf(
		"%s are several files %s, and differ in letters' case alone, which makes no difference here: it is not clear which counts",
		strings.Join(e.Places, " and "), where,
	)
}

// Make computes how what is here becomes like what is there. What is replaced keeps the
// name that it has here. The error is a *ClashError.
func Make(here, there []Item, o Options) (Plan, error) {
	fold := o.Fold
	if fold == nil {
		fold = func(place string) string { return place }
	}
	now, err := index("here", here, fold)
	if err != nil {
		return Plan{}, err
	}
	want, err := index("copy", there, fold)
	if err != nil {
		return Plan{}, err
	}
	// A link is named by where its target will be found here.
	name := func(place string) string {
		if have, ok := now[fold(place)]; ok {
			return have.Place
		}
		return place
	}
	p := Plan{Steps: []Step{}}
	for key, w := range want {
		after := w.State
		if after.Kind == Link {
			after.Link = name(after.Link)
		}
		have := now[key] // nothing if it is not there
		if have.State.Same(after) {
			p.Same++
			continue
		}
		p.Steps = append(p.Steps, Step{name(w.Place), have.State, after})
	}
	for key, have := range now {
		if _, wanted := want[key]; wanted {
			continue
		}
		if o.Leave {
			continue
		}
		p.Steps = append(p.Steps, Step{have.Place, have.State, State{}})
	}
	slices.SortFunc(p.Steps, func(a, b Step) int { return strings.Compare(a.Place, b.Place) })
	return p, nil
}

func index(side string, items []Item, fold func(string) string) (map[string]Item, error) {
	out := make(map[string]Item, len(items))
	for _, it := range items {
		if it.Kind == Nothing {
			continue
		}
		key := fold(it.Place)
		if other, twice := out[key]; twice {
			places := []string{other.Place, it.Place}
			slices.Sort(places)
			return nil, &ClashError{side, places}
		}
		out[key] = it
	}
	return out, nil
}

// Reverse is the plan that takes a plan back.
func (p Plan) Reverse() Plan {
	out := Plan{Steps: make([]Step, len(p.Steps)), Same: p.Same}
	for i, s := range p.Steps {
		out.Steps[i] = Step{s.Place, s.After, s.Before}
	}
	return out
}

// Apply says what a side becomes: it is what a plan means. A place whose state is neither
// what the plan expects nor what it makes is an error.
func (p Plan) Apply(items []Item) ([]Item, error) {
	at := make(map[string]State, len(items))
	for _, it := range items {
		if it.Kind != Nothing {
			at[it.Place] = it.State
		}
	}
	for _, s := range p.Steps {
		is := at[s.Place]
		switch {
		case is.Same(s.After):
		case is == s.Before || is.Same(s.Before):
			if s.After.Kind == Nothing {
				delete(at, s.Place)
			} else {
				at[s.Place] = s.After
			}
		default:
			return nil, fmt.Errorf("%s changed after the plan was made", s.Place)
		}
	}
	out := make([]Item, 0, len(at))
	for place, s := range at {
		out = append(out, Item{place, s})
	}
	slices.SortFunc(out, func(a, b Item) int { return strings.Compare(a.Place, b.Place) })
	return out, nil
}

// Sum is what a plan comes to.
type Sum struct {
	Add     int   `json:"add"`
	Replace int   `json:"replace"`
	Remove  int   `json:"remove"`
	Writes  int64 `json:"writes"` // bytes that are written
	Keeps   int64 `json:"keeps"`  // bytes of what is replaced or removed
}

// Sum adds a plan up.
func (p Plan) Sum() (sum Sum) {
	for _, s := range p.Steps {
		switch s.Change() {
		case Add:
			sum.Add++
		case Replace:
			sum.Replace++
		case Remove:
			sum.Remove++
		}
		sum.Writes += s.After.Size
		sum.Keeps += s.Before.Size
	}
	return sum
}
