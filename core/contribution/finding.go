package contribution

import (
	"context"
	"fmt"
	"slices"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/sheet"
	"endroit/core/standing"
)

// FindingKind is the kind of a Finding.
var FindingKind = register("finding", func() Body { return &Finding{} })

// Finding is a draft with the footprint of the runs that it was made from: where one
// variant of a title keeps things.
type Finding struct {
	Head
	Draft     *draft.Draft         `json:"draft"`
	Footprint *footprint.Footprint `json:"footprint"`
}

// Prepare makes a finding from a draft and the footprint of its trace: see
// footprint.Share for what is replaced and left out. The trace's file name
// stays behind, its digest goes along.
//
// A location that itself tells who the contributor is cannot be replaced without
// changing what it matches: the error, an *Error, says how to write it.
func Prepare(d *draft.Draft, f *footprint.Footprint) (*Finding, error) {
	out := *d
	var locations []place.Location
	for i, l := range d.Locations {
		if hidden := f.HidePlace(l.At); hidden != l.At {
			return nil, &Error{
				fmt.Sprintf("draft.locations[%d].at", i),
				fmt.Sprintf("%s identifies you; use a named part instead, such as %s", l.At, hidden),
			}
		}
	}
	for _, l := range d.Locations {
		if at, err := l.Place(); err == nil {
			locations = append(locations, at)
		}
	}
	leaving := f.Anonymizer(locations...)
	if d.Trace != nil {
		out.Trace = &draft.Trace{SHA256: d.Trace.SHA256}
	}
	out.Also, out.Names, out.Disputes = nil, nil, nil
	for _, t := range d.Also {
		out.Also = append(out.Also, draft.Trace{SHA256: t.SHA256})
	}
	out.Questions = sentQuestions(d.Questions, leaving)
	return withTexts(
		&Finding{Head: Head{Name: FindingKind}, Draft: &out, Footprint: f.Share(leaving)}, &Finding{}, leaving.Text,
	)
}

// sentQuestions are questions as they may leave: names that the player may have chosen stay
// here, whatever was answered, and places go as those of files do.
func sentQuestions(list []draft.Question, leaving *footprint.Anonymizer) (out []draft.Question) {
	for _, q := range list {
		if q.Topic == draft.TopicNames {
			n := phrase.Count(len(q.Of), "name", "names")
			if chosen, err := q.Chosen(); q.Answer != "" && err == nil {
				q.Answer = fmt.Sprintf("%d of them", len(chosen))
			}
			q.Ask, q.Of = "which of "+n+" did the player choose?", nil
			out = append(out, q)
			continue
		}
		var places []string
		for _, at := range q.Of {
			if at = leaving.Place(at); at != "" {
				places = append(places, at)
			}
		}
		q.Of = places
		if draft.AnswersTo(q.Topic) == nil {
			q.Answer = leaving.Text(q.Answer)
		}
		out = append(out, q)
	}
	return out
}

// TellNames gives a footprint what its draft keeps of names, so that it is sent accordingly.
func TellNames(f *footprint.Footprint, names *draft.Names) {
	if names == nil || f.Self == nil {
		return
	}
	self := *f.Self
	self.Chosen, self.Program = names.Chosen, names.Program
	f.Self = &self
}

// About says what it is about.
func (b *Finding) About() About {
	a := About{Title: b.Draft.Title, TitleID: b.Draft.TitleID, System: b.Draft.OS}
	if a.TitleID == draft.NewTitle {
		a.TitleID = ""
	}
	if b.Draft.Edition != nil {
		a.Store, a.Ref = b.Draft.Edition.Store, b.Draft.Edition.Ref
	}
	return a
}

// Statement says in a sentence what it asks for.
func (b *Finding) Statement() string {
	return fmt.Sprintf("record %s of %s", phrase.Count(len(b.Draft.Locations), "location", "locations"), b.Draft.Title)
}

// Reason is the draft's note.
func (b *Finding) Reason() string { return b.Draft.Note }

// Evidence is its footprint.
func (b *Finding) Evidence() *footprint.Footprint { return b.Footprint }

// Check reports, as an *Error, what is wrong: an unsound draft, a footprint that is not
// what Share makes, a location for which the footprint has no file.
func (b *Finding) Check(ctx context.Context) error {
	if err := b.check(); err != nil {
		return err
	}
	if b.Draft == nil || b.Footprint == nil {
		return &Error{"draft", "a finding has a draft and a footprint"}
	}
	if err := b.Draft.Check(); err != nil {
		if e, ok := err.(*draft.Error); ok {
			return &Error{"draft." + e.Field, e.Reason}
		}
		return &Error{"draft", err.Error()}
	}
	if err := checkFootprint(b.Footprint); err != nil {
		return err
	}
	if b.Footprint.OS != b.Draft.OS || b.Footprint.Runtime != b.Draft.Runtime {
		return &Error{
			"draft.os",
			fmt.Sprintf(
				"the draft is for %s, %s, and the footprint of a run on %s, %s: it is not evidence for the other",
				b.Draft.OS, b.Draft.Runtime, b.Footprint.OS, b.Footprint.Runtime,
			),
		}
	}
	covered, err := Cover(ctx, b.Draft, b.Footprint)
	if err != nil {
		return err
	}
	for i, c := range covered {
		if len(c.Files) == 0 {
			return &Error{
				fmt.Sprintf("draft.locations[%d].at", i),
				fmt.Sprintf(
					"no observed file lies in %s; a location needs evidence: trace a run that uses the file, or remove the location",
					c.At,
				),
			}
		}
	}
	return nil
}

// Apply adds the draft's locations to the title that it is of, or to a new one. What
// people said of the footprint's files counts: a location that covers no file of interest
// any more is left out, and one whose files are all of another kind holds that.
func (b *Finding) Apply(ctx context.Context, w World, e standing.Evidence) (*Outcome, error) {
	d, err := b.corrected(ctx)
	if err != nil {
		return nil, err
	}
	sheets, err := w.Sheets(ctx)
	if err != nil {
		return nil, err
	}
	if err := CheckLaunchers(d, readable(sheets)); err != nil {
		return nil, err
	}
	present, _, err := TitleOf(ctx, w, d)
	if err != nil {
		return nil, err
	}
	out := &Outcome{}
	title := present
	if present == nil {
		title = &record.Title{ID: w.NewID(), Name: d.Title, Variants: []record.Variant{}}
	} else if !present.Named(d.Title) {
		out.Joins = d.Title
	}
	var locations []string
	for _, l := range d.Locations {
		locations = append(locations, l.At)
	}
	if out.Conflicts, err = conflicts(ctx, w, title.ID, locations); err != nil {
		return nil, err
	}
	e.Observer, e.Machine = b.Footprint.Observer, b.Machine
	next, err := title.Observe(d, e)
	if err != nil {
		return nil, err
	}
	out.Titles = []TitleChange{{present, next}}
	return out, nil
}

// corrected is the draft with what people said of the files taken into account.
func (b *Finding) corrected(ctx context.Context) (*draft.Draft, error) {
	if len(b.Footprint.Corrections) == 0 {
		return b.Draft, nil
	}
	covered, err := Cover(ctx, b.Draft, b.Footprint)
	if err != nil {
		return nil, err
	}
	d := *b.Draft
	d.Locations = nil
	for i, l := range b.Draft.Locations {
		said := slices.ContainsFunc(covered[i].Files, func(n int) bool { return b.Footprint.Files[n].Judged != nil })
		if said {
			if l.Holds = holds(covered[i], l.Holds); l.Holds == "" {
				continue
			}
		}
		d.Locations = append(d.Locations, l)
	}
	if len(d.Locations) == 0 {
		return nil, &Error{"draft.locations", "by what was said of its files, none of its locations keeps anything of interest"}
	}
	return &d, nil
}

// holds is what a location holds by the kinds of the files in it: what it was said to hold
// where some file is of that kind, otherwise the commonest; empty if none is of interest.
func holds(c Covered, said string) string {
	best, most := "", 0
	for _, k := range draft.Holds {
		n := c.Kinds[footprint.Kind(k)]
		if k == said && n > 0 {
			return said
		}
		if n > most {
			best, most = k, n
		}
	}
	return best
}

// Covered says which files of a footprint one location covers.
type Covered struct {
	At    string                 `json:"at"`
	Holds string                 `json:"holds"`
	Files []int                  `json:"files"` // indexes into the footprint's files
	Kinds map[footprint.Kind]int `json:"kinds"`
}

// Cover says for each location of a draft which files it covers. It ends with the context's
// error where that ends before it.
func Cover(ctx context.Context, d *draft.Draft, f *footprint.Footprint) ([]Covered, error) {
	places := make([]*place.Location, len(f.Files))
	for i, x := range f.Files {
		if l, err := place.ParseAny(x.Place); err == nil {
			places[i] = &l
		}
	}
	out := []Covered{}
	for _, l := range d.Locations {
		c := Covered{At: l.At, Holds: l.Holds, Files: []int{}, Kinds: map[footprint.Kind]int{}}
		if at, err := l.Place(); err == nil {
			for i, p := range places {
				if err := ctx.Err(); err != nil {
					return nil, err
				}
				if p == nil || p.Anchor != at.Anchor {
					continue
				}
				if _, ok := at.Match(p.Names(), nil); ok {
					c.Files = append(c.Files, i)
					c.Kinds[f.Files[i].Kind]++
				}
			}
		}
		out = append(out, c)
	}
	return out, nil
}

// CheckLaunchers reports, as an *Error, a location of a draft that reaches into what a
// launcher keeps for itself.
func CheckLaunchers(d *draft.Draft, sheets []*sheet.Sheet) error {
	for i, l := range d.Locations {
		at, err := l.Place()
		if err == nil {
			err = sheet.CheckOwnFiles(at, sheets)
		}
		if err != nil {
			return &Error{fmt.Sprintf("draft.locations[%d].at", i), err.Error()}
		}
	}
	return nil
}
