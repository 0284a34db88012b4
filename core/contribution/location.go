package contribution

import (
	"context"
	"errors"
	"fmt"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/core/words"
)

// LocationKind is the kind of a LocationChange.
var LocationKind = register("location", func() Body { return &LocationChange{} })

// LocationChange changes a recorded location: it puts another one in its place, narrower,
// wider or elsewhere; says for which versions of the edition it holds; or withdraws it.
type LocationChange struct {
	Head
	TitleID   string               `json:"title_id"`
	Title     string               `json:"title"` // its name, as the contributor knows it
	Location  record.Place         `json:"location"`
	To        string               `json:"to,omitempty"` // the location that takes its place
	Versions  *standing.Range      `json:"versions,omitempty"`
	Withdraw  bool                 `json:"withdraw,omitempty"`
	Because   string               `json:"because"`
	Footprint *footprint.Footprint `json:"footprint,omitempty"` // of a run that shows it
}

// About says what it is about.
func (b *LocationChange) About() About { return aboutPlace(b.TitleID, b.Title, b.Location) }

// Statement says in a sentence what it asks for.
func (b *LocationChange) Statement() string {
	at := fmt.Sprintf("%s (%s) in %s", b.Location.At, footprint.Kind(b.Location.Holds).Word(), b.Location.Variant)
	switch {
	case b.Withdraw:
		return "withdraw " + at
	case b.To != "":
		return fmt.Sprintf("put %s in place of %s", b.To, at)
	}
	return fmt.Sprintf("say that %s holds for %s", at, b.Versions)
}

// Reason is the contributor's own text.
func (b *LocationChange) Reason() string { return b.Because }

// Evidence is its footprint; nil without one.
func (b *LocationChange) Evidence() *footprint.Footprint { return b.Footprint }

// Check reports, as an *Error, what is wrong with it.
func (b *LocationChange) Check(ctx context.Context) error {
	if err := b.check(); err != nil {
		return err
	}
	if err := checkPlace(b.TitleID, b.Title, b.Location); err != nil {
		return err
	}
	n := 0
	for _, asked := range []bool{b.To != "", b.Versions != nil, b.Withdraw} {
		if asked {
			n++
		}
	}
	if n != 1 {
		return &Error{"to", "exactly one of to, versions and withdraw is required"}
	}
	if b.To != "" {
		if _, err := place.Parse(b.To); err != nil {
			return &Error{"to", err.Error()}
		}
	}
	if v := b.Versions; v != nil {
		for _, text := range []string{v.From, v.To} {
			if reason := words.Name(text, 100); text != "" && reason != "" {
				return &Error{"versions", reason}
			}
		}
		if v.From != "" && v.To != "" && standing.CompareVersions(v.From, v.To) > 0 {
			return &Error{"versions", fmt.Sprintf("%s comes after %s", v.From, v.To)}
		}
	}
	if err := checkReason(b.Because); err != nil {
		return err
	}
	if err := checkRun(b.Footprint, b.Location.Variant, false); err != nil {
		return err
	}
	if b.To != "" && b.Footprint != nil {
		ok, err := uses(ctx, b.To, b.Footprint)
		if err == nil && !ok {
			err = &Error{"footprint", fmt.Sprintf("no file of interest in it lies in %s", b.To)}
		}
		return err
	}
	return ctx.Err()
}

// uses reports whether a run used a file of interest in a location.
func uses(ctx context.Context, at string, f *footprint.Footprint) (bool, error) {
	covered, err := Cover(ctx, &draft.Draft{Locations: []draft.Location{{At: at}}}, f)
	if err != nil {
		return false, err
	}
	for _, n := range covered[0].Files {
		if f.Files[n].Kind.OfInterest() {
			return true, nil
		}
	}
	return false, nil
}

// Apply changes the location.
func (b *LocationChange) Apply(ctx context.Context, w World, e standing.Evidence) (*Outcome, error) {
	t, err := recorded(ctx, w, b.TitleID)
	if err != nil {
		return nil, err
	}
	out := &Outcome{}
	gone := standing.Withdrawal{Because: b.Because, Contribution: e.Contribution, Accepted: e.Accepted}
	var next *record.Title
	switch {
	case b.Withdraw:
		next, err = t.Withdraw(b.Location, gone)
	case b.To == "":
		next, err = t.HoldFor(b.Location, b.Versions)
	default:
		gone.Because = fmt.Sprintf("%s takes its place (%s)", b.To, b.Because)
		next, err = b.replace(ctx, w, t, e, gone, out)
	}
	if err != nil {
		return nil, err
	}
	out.Titles = []TitleChange{{t, next}}
	return out, nil
}

// replace puts the other location in place, with the evidence that speaks for it: this
// contribution's run, and those of the old location's whose runs used a file in it.
func (b *LocationChange) replace(
	ctx context.Context, w World, t *record.Title, e standing.Evidence, gone standing.Withdrawal, out *Outcome,
) (*record.Title, error) {
	to, err := place.Parse(b.To)
	if err != nil {
		return nil, &Error{"to", err.Error()}
	}
	sheets, err := w.Sheets(ctx)
	if err != nil {
		return nil, err
	}
	if err := sheet.CheckOwnFiles(to, readable(sheets)); err != nil {
		return nil, &Error{"to", err.Error()}
	}
	if out.Conflicts, err = conflicts(ctx, w, t.ID, []string{b.To}); err != nil {
		return nil, err
	}
	old, err := t.Location(b.Location)
	if err != nil {
		return nil, err
	}
	evidence, err := carried(ctx, w, old.Evidence, b.To)
	if err != nil {
		return nil, err
	}
	if b.Footprint != nil {
		if used, err := uses(ctx, b.To, b.Footprint); err != nil {
			return nil, err
		} else if !used { // by what was said of its files since
			return nil, &Error{"footprint", fmt.Sprintf("by what was said of its files, the run used nothing of interest in %s", b.To)}
		}
		e.Kind, e.Observer, e.Machine = standing.Observation, b.Footprint.Observer, b.Machine
		evidence = append(evidence, e)
	}
	return t.Replace(b.Location, b.To, evidence, gone)
}

// maxCarried is how many pieces of evidence are looked at again, the newest first.
const maxCarried = 200

// carried are the observations whose runs used a file of interest in a location.
func carried(ctx context.Context, w World, all []standing.Evidence, at string) (out []standing.Evidence, err error) {
	for _, e := range all[max(0, len(all)-maxCarried):] {
		if e.Kind != standing.Observation {
			continue
		}
		f, err := w.Footprint(ctx, e.Contribution)
		if err != nil {
			return nil, err
		}
		if f == nil {
			continue
		}
		ok, err := uses(ctx, at, f)
		if err != nil {
			return nil, err
		}
		if ok {
			out = append(out, e)
		}
	}
	return out, nil
}

// recorded is the title with an id, or what it was merged into.
func recorded(ctx context.Context, w World, id string) (*record.Title, error) {
	t, err := Follow(ctx, w, id)
	if errors.Is(err, ErrNoTitle) {
		return nil, &Error{"title_id", fmt.Sprintf("there is no title %s", id)}
	}
	return t, err
}
