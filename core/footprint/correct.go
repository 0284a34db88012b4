package footprint

import (
	"errors"
	"fmt"
	"slices"
	"time"
)

// Correction is what a person says of a file's kind, against the judgement.
type Correction struct {
	File    string    `json:"file"` // its place, or its path where it has none
	Kind    Kind      `json:"kind"`
	Was     Kind      `json:"was"`          // what the judgement said
	By      string    `json:"by,omitempty"` // left out when shared: the service knows who sends
	Because string    `json:"because,omitempty"`
	Made    time.Time `json:"made"`
}

// The reasons why a correction is refused.
var (
	ErrNoSuchFile = errors.New("the footprint has no such file")
	ErrNoSuchKind = errors.New("unknown kind")
)

// Name is what a correction calls a file: its place, or its path where it has none.
func (f File) Name() string {
	if f.Place != "" {
		return f.Place
	}
	return f.Path
}

// Correct applies corrections in their order: a later one of the same file counts, and
// one that says what the judgement says takes an earlier one back. Those that hold stay
// with the footprint, whose files keep their order. The error joins those that do not, which wrap ErrNoSuchFile or
// ErrNoSuchKind; they change nothing.
func (f *Footprint) Correct(list []Correction) error {
	if len(list) == 0 {
		return nil
	}
	at := make(map[string]int, len(f.Files))
	for i, x := range f.Files {
		at[x.Name()] = i
		if x.Path != "" {
			at[x.Path] = i
		}
	}
	var wrong []error
	for _, c := range list {
		i, ok := at[c.File]
		switch {
		case !ok:
			wrong = append(wrong, fmt.Errorf("%s is said to be %s: %w", c.File, c.Kind, ErrNoSuchFile))
			continue
		case !slices.Contains(Kinds, c.Kind):
			wrong = append(wrong, fmt.Errorf("%s: %w as %q", c.File, ErrNoSuchKind, c.Kind))
			continue
		}
		f.correct(&f.Files[i], c)
	}
	return errors.Join(wrong...)
}

func (f *Footprint) correct(x *File, c Correction) {
	f.Counts[x.Kind]--
	x.asJudged() // start again
	f.Corrections = slices.DeleteFunc(slices.Clone(f.Corrections), func(o Correction) bool { return o.File == x.Name() })
	if c.Kind != x.Kind {
		c.File, c.Was = x.Name(), x.Kind
		x.Judged = &Judged{x.Kind, x.Confidence}
		x.Kind, x.Confidence, x.Reasons = c.Kind, 1, slices.Concat([]string{c.says()}, x.Reasons)
		f.Corrections = append(f.Corrections, c)
	}
	f.Counts[x.Kind]++
}

// asJudged takes back what a person said: the first reason.
func (x *File) asJudged() {
	if x.Judged != nil {
		x.Kind, x.Confidence, x.Reasons, x.Judged = x.Judged.Kind, x.Judged.Confidence, x.Reasons[min(1, len(x.Reasons)):], nil
	}
}

// says is the correction as a reason.
func (c Correction) says() string {
	who := c.By
	if who == "" {
		who = "the contributor"
	}
	text := fmt.Sprintf("%s says that it is %s, not %s", who, c.Kind, c.Was)
	if c.Because != "" {
		text += ": " + c.Because
	}
	return text
}

// AsJudged is a copy of the footprint before it was corrected, with its files in the same
// order.
func (f *Footprint) AsJudged() *Footprint {
	out := *f
	out.Files, out.Counts, out.Corrections = slices.Clone(f.Files), map[Kind]int{}, nil
	for k, n := range f.Counts {
		out.Counts[k] = n
	}
	for i := range out.Files {
		x := &out.Files[i]
		out.Counts[x.Kind]--
		x.asJudged()
		out.Counts[x.Kind]++
	}
	return &out
}
