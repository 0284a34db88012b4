package contribution

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/proof"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/core/trace"
	"endroit/core/words"
)

// ProofKind is the kind of a Proof.
var ProofKind = register("proof", func() Body { return &Proof{} })

// Proof is an experiment that was led to its end, with the footprints of its starts: that
// locations are needed or not, that nothing is kept on the machine, what an operation does
// to them, or what a launcher's cloud keeps.
type Proof struct {
	Head
	TitleID string             `json:"title_id,omitempty"` // of a recorded title; its edition or name tells it otherwise
	Title   string             `json:"title"`
	Variant record.Combination `json:"variant"`
	Version string             `json:"version,omitempty"` // of the edition that was run
	Proof   *proof.Proof       `json:"proof"`
	// Runs are the footprints of the starts, in order. Of an absence the first is the run
	// before, by which it is known what the game writes.
	Runs []*footprint.Footprint `json:"runs,omitempty"`
	Note string                 `json:"note,omitempty"`
}

// PrepareProof makes a contribution of an experiment and the footprints of its starts, in
// order; of an absence, before is that of the run before. What tells of the machine stays
// behind, and of the footprints only the files in the locations go along.
func PrepareProof(
	p *proof.Proof, runs []*footprint.Footprint, before *footprint.Footprint, note string, self *footprint.Self,
) (*Proof, error) {
	var locations []place.Location
	for i, l := range p.Locations {
		at, err := place.Parse(l.At)
		if err != nil {
			return nil, &Error{fmt.Sprintf("proof.locations[%d].at", i), err.Error()}
		}
		locations = append(locations, at)
	}
	sent := *p
	sent.ID, sent.Variant, sent.Machine, sent.Copy = "", "", "", ""
	sent.Before, sent.Aside, sent.Paths, sent.Beside = nil, nil, nil, nil
	sent.Locations = slices.Clone(p.Locations)
	sent.Rounds = slices.Clone(p.Rounds)
	own := (&footprint.Footprint{Self: self}).Anonymizer(locations...)
	sent.Slot = own.Text(p.Slot)
	for i, l := range sent.Locations {
		if hidden := (&footprint.Footprint{Self: self}).HidePlace(l.At); hidden != l.At {
			return nil, &Error{fmt.Sprintf("proof.locations[%d].at", i), l.At + " identifies you; use a named part instead, such as " + hidden}
		}
		sent.Locations[i].Group = ""
	}
	out := &Proof{
		Head: Head{Name: ProofKind}, TitleID: p.TitleID, Title: p.Title, Variant: p.Combination, Version: p.Version, Proof: &sent,
		Note: own.Text(note),
	}
	n := 0
	for i := range sent.Rounds {
		r := &sent.Rounds[i]
		r.Operation, r.Returned = "", slices.Clone(r.Returned)
		for j := range r.Returned {
			r.Returned[j].Path = ""
		}
		r.Lists = slices.Clone(r.Lists)
		for j, at := range r.Lists {
			r.Lists[j] = (&footprint.Footprint{Self: self}).HidePlace(at)
		}
		if r.Trace == "" {
			continue
		}
		if n >= len(runs) {
			return nil, &Error{fmt.Sprintf("proof.rounds[%d].trace", i), "its trace is gone: the experiment cannot be shared without it"}
		}
		f := runs[n].ShareIn(runs[n].Anonymizer(locations...), locations)
		r.Sees = proof.See(sent.Locations, f)
		out.Runs = append(out.Runs, f)
		n++
	}
	if before != nil {
		out.Runs = append([]*footprint.Footprint{before.ShareWritten(before.Anonymizer(locations...))}, out.Runs...)
	}
	if p.Aim == proof.Nothing && before == nil {
		return nil, &Error{"runs", "the run before is missing, by which it is known what the game writes"}
	}
	return out, nil
}

// About says what it is about.
func (b *Proof) About() About {
	return aboutPlace(b.TitleID, b.Title, record.Place{Variant: b.Variant})
}

// Statement says in a sentence what it asks for.
func (b *Proof) Statement() string {
	p := b.Proof
	switch {
	case p.Aim == proof.Nothing:
		return fmt.Sprintf("record that %s keeps nothing on the machine, in %s", b.Title, b.Variant)
	case p.ByList:
		return fmt.Sprintf("record what the launcher's own files list of %s for its cloud: %s", b.Title, p.Statement())
	case p.Aim == proof.Aim(standing.CloudOn):
		return fmt.Sprintf("record what the launcher's cloud keeps of %s: %s", b.Title, p.Statement())
	case p.Aim.Hazard():
		return fmt.Sprintf("record what %s does to %s of %s: %s", standing.Operation(p.Aim).Words(),
			phrase.Count(len(p.Locations), "location", "locations"), b.Title, p.Statement())
	}
	return fmt.Sprintf(
		"record an experiment with %s of %s: %s", phrase.Count(len(p.Locations), "location", "locations"), b.Title, p.Statement(),
	)
}

// Reason is the note.
func (b *Proof) Reason() string { return b.Note }

// Check reports, as an *Error, what is wrong with it: above all results that do not follow
// from its rounds, and rounds that do not fit their footprints.
func (b *Proof) Check(ctx context.Context) error {
	if err := b.check(); err != nil {
		return err
	}
	if b.Proof == nil {
		return &Error{"proof", "it is missing"}
	}
	if b.TitleID != "" {
		if err := checkTitleID("title_id", b.TitleID); err != nil {
			return err
		}
	}
	for _, text := range []string{b.Title, b.Variant.Store, b.Variant.Ref, b.Variant.Launcher, b.Version} {
		if reason := words.Name(text, maxText); text != "" && reason != "" {
			return &Error{"variant", reason}
		}
	}
	if reason := words.Text(b.Note, maxText); reason != "" {
		return &Error{"note", reason}
	}
	if b.Title == "" || !slices.Contains([]string{"linux", "windows", "macos"}, b.Variant.OS) ||
		!slices.Contains([]string{"native", "prefix"}, b.Variant.Runtime) {
		return &Error{"variant", "a title, an os (linux, windows or macos) and a runtime (native or prefix) are required"}
	}
	p := b.Proof
	if p.Title != b.Title || p.Combination != b.Variant || p.Version != b.Version {
		return &Error{"proof", "it is of another title, variant or version than the contribution"}
	}
	if p.Aim == proof.Which {
		return &Error{"proof.aim", "a search among files says nothing of recorded locations: prove the location that it led to"}
	}
	if len(p.Locations) > draft.MaxLocations {
		return &Error{"proof.locations", fmt.Sprintf("there are %d; at most %d can be sent", len(p.Locations), draft.MaxLocations)}
	}
	if err := p.Verify(); err != nil {
		return &Error{"proof", err.Error()}
	}
	if len(b.shown()) == 0 && !p.Absent() {
		return &Error{"proof.locations", "nothing was decided: " + p.Locations[0].Why}
	}
	return b.checkRuns(ctx)
}

// checkRuns holds the rounds to the footprints of their starts.
func (b *Proof) checkRuns(ctx context.Context) error {
	runs := b.Runs
	for i, f := range runs {
		if f == nil {
			return &Error{fmt.Sprintf("runs[%d]", i), "it is missing"}
		}
		if err := checkRun(f, b.Variant, true); err != nil {
			e := err.(*Error)
			return &Error{fmt.Sprintf("runs[%d].%s", i, e.Field), e.Reason}
		}
	}
	if b.Proof.Aim == proof.Nothing {
		if len(runs) == 0 {
			return &Error{"runs", "the run before is missing, by which it is known what the game writes"}
		}
		if !slices.ContainsFunc(runs[0].Files, footprint.File.Written) {
			return &Error{"runs[0]", "it wrote nothing: that says nothing of where its progress is"}
		}
		if missed, err := Untouched(ctx, b.Proof.Locations, runs[0]); err != nil {
			return err
		} else if len(missed) > 0 {
			return &Error{"proof.locations", fmt.Sprintf("the game wrote %s, which was not away", missed[0])}
		}
		runs = runs[1:]
	}
	n := 0
	for i, r := range b.Proof.Rounds {
		if err := ctx.Err(); err != nil {
			return err
		}
		field := fmt.Sprintf("proof.rounds[%d]", i)
		if r.Trace == "" {
			if !b.Proof.Aim.Hazard() && r.Answer != proof.Failed {
				return &Error{field, "the start has no trace"}
			}
			continue
		}
		if n >= len(runs) {
			return &Error{"runs", fmt.Sprintf("there are %d, and more starts with a trace", len(runs))}
		}
		if sees := proof.See(b.Proof.Locations, runs[n]); !slices.Equal(sees, r.Sees) {
			return &Error{field + ".sees", fmt.Sprintf("it does not fit the footprint of that start (runs[%d])", n)}
		}
		n++
	}
	if n != len(runs) {
		return &Error{"runs", fmt.Sprintf("there are %d, and %d starts with a trace", len(runs), n)}
	}
	return nil
}

// shown is what it shows of each location.
func (b *Proof) shown() (out []record.Shown) {
	p := b.Proof
	for _, l := range p.Locations {
		s := record.Shown{At: l.At, Holds: l.Holds}
		switch {
		case p.Aim == proof.Nothing:
			continue
		case l.Result == proof.NotNeeded && l.Enough:
			s.Result = standing.Enough
		case l.Result == proof.NotNeeded && p.Rounds[0].Answer == proof.Progress:
			s.Result = standing.Elsewhere
		case l.Result == proof.Undecided || l.Result == "":
			continue
		default:
			s.Result = string(l.Result)
		}
		if p.Aim.Hazard() || l.Holds == p.Holds {
			out = append(out, s)
		}
	}
	return out
}

// Apply adds what it shows to the record.
func (b *Proof) Apply(ctx context.Context, w World, e standing.Evidence) (*Outcome, error) {
	d := &draft.Draft{
		Title: b.Title, TitleID: b.TitleID, Launcher: b.Variant.Launcher, OS: b.Variant.OS, Runtime: b.Variant.Runtime,
		Edition: &trace.Edition{Store: b.Variant.Store, Ref: b.Variant.Ref, Version: b.Version},
	}
	t, _, err := TitleOf(ctx, w, d)
	if err != nil {
		return nil, err
	}
	e.Machine, e.Version, e.Observer = b.Machine, b.Version, b.observer()
	p, out := b.Proof, &Outcome{}
	before := t
	if t == nil {
		if p.Aim != proof.Nothing {
			return nil, &Error{"title", fmt.Sprintf(
				"no title is recorded as %s: the finding that the locations were proposed in has to be accepted first", b.Title,
			)}
		}
		t = &record.Title{ID: w.NewID(), Name: b.Title, Variants: []record.Variant{}}
	}
	var next *record.Title
	switch {
	case p.Aim == proof.Nothing:
		next, err = t.NothingKept(b.Variant, e)
	case p.Aim == proof.Aim(standing.CloudOn):
		if e.Kind = standing.Cloud; p.ByList {
			e.Kind = standing.CloudList
		}
		next, err = t.Prove(b.Variant, b.shown(), e)
	case p.Aim.Hazard():
		e.Kind, e.Operation = standing.Hazard, standing.Operation(p.Aim)
		next, err = t.Prove(b.Variant, b.shown(), e)
	default:
		e.Kind = standing.Proof
		next, err = t.Prove(b.Variant, b.shown(), e)
	}
	if err != nil {
		return nil, err
	}
	out.Titles = []TitleChange{{before, next}}
	return out, nil
}

// observer is by what the starts were observed; for an operation, how it was tried.
func (b *Proof) observer() string {
	for _, f := range b.Runs {
		return f.Observer
	}
	if b.Proof.ByList {
		return "the launcher's own files"
	}
	return "files compared"
}

// Untouched are the files that a run wrote, and that stayed, in none of the locations.
func Untouched(ctx context.Context, locations []proof.Location, f *footprint.Footprint) (places []string, err error) {
	d := &draft.Draft{}
	for _, l := range locations {
		d.Locations = append(d.Locations, draft.Location{At: l.At, Holds: l.Holds})
	}
	covered, err := Cover(ctx, d, f)
	if err != nil {
		return nil, err
	}
	in := map[int]bool{}
	for _, c := range covered {
		for _, n := range c.Files {
			in[n] = true
		}
	}
	for n, x := range f.Files {
		if !in[n] && x.StaysWritten() {
			places = append(places, x.Place)
		}
	}
	return places, nil
}

// WrittenIn are locations that cover all files that a run wrote and that stayed: of those
// in one folder of a shared anchor the folder that they have in common, of others each file.
func WrittenIn(f *footprint.Footprint) (out []draft.Location) {
	common := map[string][]string{} // by the title's own folder
	var order []string
	for _, x := range f.Files {
		if !x.StaysWritten() {
			continue
		}
		anchor, path, _ := strings.Cut(x.Place, ":")
		folders := strings.Split(path, "/")
		folders = folders[:len(folders)-1]
		depth := max(1, footprint.TitleDepth(place.Anchor(anchor)))
		if len(folders) < depth {
			out = append(out, draft.Location{At: x.Place, Holds: draft.Save})
			continue
		}
		key := anchor + ":" + strings.Join(folders[:depth], "/")
		have, found := common[key]
		if !found {
			common[key], order = folders, append(order, key)
			continue
		}
		n := 0
		for n < min(len(have), len(folders)) && have[n] == folders[n] {
			n++
		}
		common[key] = have[:n]
	}
	for _, key := range order {
		anchor, _, _ := strings.Cut(key, ":")
		out = append(out, draft.Location{At: anchor + ":" + strings.Join(common[key], "/") + "/", Holds: draft.Save})
	}
	return out
}
