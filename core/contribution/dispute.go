package contribution

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/core/trace"
	"endroit/core/words"
)

// DisputeKind is the kind of a Dispute.
var DisputeKind = register("dispute", func() Body { return &Dispute{} })

// Dispute says that a recorded location is wrong, with the footprint of a run that
// contradicts it.
type Dispute struct {
	Head
	TitleID   string               `json:"title_id"`
	Title     string               `json:"title"` // its name, as the contributor knows it
	Location  record.Place         `json:"location"`
	Version   string               `json:"version,omitempty"` // of the edition that was run
	Because   string               `json:"because"`
	Footprint *footprint.Footprint `json:"footprint"`
}

// About says what it is about.
func (b *Dispute) About() About { return aboutPlace(b.TitleID, b.Title, b.Location) }

func aboutPlace(id, name string, p record.Place) About {
	return About{Title: name, TitleID: id, Store: p.Variant.Store, Ref: p.Variant.Ref, System: p.Variant.OS}
}

// Statement says in a sentence what it asks for.
func (b *Dispute) Statement() string {
	return fmt.Sprintf("dispute %s (%s) in %s", b.Location.At, footprint.Kind(b.Location.Holds).Word(), b.Location.Variant)
}

// Reason is the contributor's own text.
func (b *Dispute) Reason() string { return b.Because }

// Evidence is its footprint.
func (b *Dispute) Evidence() *footprint.Footprint { return b.Footprint }

// Check reports, as an *Error, what is wrong with it: above all a footprint that does not
// contradict the location.
func (b *Dispute) Check(ctx context.Context) error {
	if err := b.check(); err != nil {
		return err
	}
	if err := checkPlace(b.TitleID, b.Title, b.Location); err != nil {
		return err
	}
	if err := checkReason(b.Because); err != nil {
		return err
	}
	if reason := words.Name(b.Version, maxText); b.Version != "" && reason != "" {
		return &Error{"version", reason}
	}
	if err := checkRun(b.Footprint, b.Location.Variant, true); err != nil {
		return err
	}
	if why, _ := Contradicts(ctx, b.Location, b.Footprint); why == "" {
		return &Error{"footprint", fmt.Sprintf(
			"the run does not contradict %s: either it used files of interest there, or it wrote no %s elsewhere",
			b.Location.At, footprint.Kind(b.Location.Holds).Word(),
		)}
	}
	return ctx.Err()
}

// checkPlace checks what names a recorded location.
func checkPlace(id, name string, p record.Place) error {
	if err := checkTitleID("title_id", id); err != nil {
		return err
	}
	if _, err := place.Parse(p.At); err != nil {
		return &Error{"location.at", err.Error()}
	}
	if !slices.Contains(draft.Holds, p.Holds) {
		return &Error{"location.holds", "it must be one of " + strings.Join(draft.Holds, ", ")}
	}
	v := p.Variant
	for _, text := range []string{name, v.Store, v.Ref, v.Launcher, v.OS, v.Runtime} {
		if reason := words.Name(text, maxText); text != "" && reason != "" {
			return &Error{"location.variant", reason}
		}
	}
	if name == "" || v.OS == "" || v.Runtime == "" {
		return &Error{"location.variant", "title, os and runtime are required"}
	}
	return nil
}

// checkRun checks a footprint that speaks of a variant.
func checkRun(f *footprint.Footprint, v record.Combination, required bool) error {
	if f == nil {
		if required {
			return &Error{"footprint", "it is missing: a traced run is required"}
		}
		return nil
	}
	if err := checkFootprint(f); err != nil {
		return err
	}
	if f.OS != v.OS || f.Runtime != v.Runtime {
		return &Error{"footprint.os", fmt.Sprintf(
			"the run was on %s, %s, and the location is for %s: it is not evidence for the other", f.OS, f.Runtime, v,
		)}
	}
	return nil
}

// Contradicts says in what way a run contradicts a recorded location: it is empty if it
// does not. A run contradicts a location if it wrote what the location is said to hold,
// elsewhere alone; or if what it used there is nothing of interest. A run that wrote
// nothing of the kind says nothing.
func Contradicts(ctx context.Context, p record.Place, f *footprint.Footprint) (why string, err error) {
	d := &draft.Draft{Locations: []draft.Location{{At: p.At, Holds: p.Holds}}}
	covered, err := Cover(ctx, d, f)
	if err != nil {
		return "", err
	}
	there := map[int]bool{}
	interest := false
	for _, n := range covered[0].Files {
		there[n] = true
		interest = interest || f.Files[n].Kind.OfInterest()
	}
	if interest {
		return "", nil
	}
	if len(there) > 0 {
		return fmt.Sprintf("of %d files that it used there none is progress, settings or pictures", len(there)), nil
	}
	for n, x := range f.Files {
		if !there[n] && string(x.Kind) == p.Holds && x.Written() && x.After.Is != trace.IsAbsent {
			return fmt.Sprintf("it wrote %s in %s, and nothing there", x.Kind.Word(), x.Place), nil
		}
	}
	return "", nil
}

// Apply adds the dispute to the location's evidence.
func (b *Dispute) Apply(ctx context.Context, w World, e standing.Evidence) (*Outcome, error) {
	if why, err := Contradicts(ctx, b.Location, b.Footprint); err != nil {
		return nil, err
	} else if why == "" { // by what was said of its files since
		return nil, &Error{"footprint", "by what was said of its files, the run does not contradict the location any more"}
	}
	t, err := recorded(ctx, w, b.TitleID)
	if err != nil {
		return nil, err
	}
	e.Observer, e.Machine, e.Version = b.Footprint.Observer, b.Machine, b.Version
	next, err := t.Dispute(b.Location, e)
	if err != nil {
		return nil, err
	}
	return &Outcome{Titles: []TitleChange{{t, next}}}, nil
}
