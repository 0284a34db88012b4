// Package contribution is what a contributor sends: a draft or a launcher's sheet
// and the evidence for it, with nothing in it that tells who they are.
//
//	body, err := contribution.Prepare(draft, footprint)
//	err = body.Check()
package contribution

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"sync"
	"time"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/jsondoc"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/core/trace"
	"endroit/core/words"
)

// The bounds of what is sent.
const (
	MaxBytes = 4 << 20
	MaxFiles = 10_000
	maxText  = 2000

	maxStrokes  = 100_000
	maxFindings = 100
)

var findingID = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[a-z]+(-[a-z]+){0,9}$`) })

// Body is what is sent: a draft with its footprint, or a sheet with what it found.
type Body struct {
	Draft     *draft.Draft         `json:"draft,omitempty"`
	Footprint *footprint.Footprint `json:"footprint,omitempty"`

	Sheet *sheet.Sheet `json:"sheet,omitempty"`
	Found *Findings    `json:"found,omitempty"`
	Note  string       `json:"note,omitempty"` // of a sheet's; a draft has its own
}

// Parse reads a body as it is sent, strictly: see jsondoc.Decode. It does not check it.
// The error is a *jsondoc.Error.
func Parse(data []byte) (*Body, error) {
	b := &Body{}
	return b, jsondoc.Decode("contribution", data, b)
}

// The kinds of contributions.
const (
	OfDraft = "draft"
	OfSheet = "sheet"
)

// Kind is which of both it is.
func (b *Body) Kind() string {
	if b.Sheet != nil {
		return OfSheet
	}
	return OfDraft
}

// Title is what it is about, in words: the title or the launcher.
func (b *Body) Title() string {
	if b.Sheet != nil {
		return b.Sheet.Name
	}
	return b.Draft.Title
}

// Prepare makes the body from a draft and the footprint of its trace: see
// footprint.Share for what is replaced and left out. The trace's file name
// stays behind, its digest goes along.
//
// A location that itself tells who the contributor is cannot be replaced without
// changing what it matches: the error, an *Error, says how to write it.
func Prepare(d *draft.Draft, f *footprint.Footprint) (*Body, error) {
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
	out.Also, out.Names = nil, nil
	for _, t := range d.Also {
		out.Also = append(out.Also, draft.Trace{SHA256: t.SHA256})
	}
	out.Questions = sentQuestions(d.Questions, leaving)
	return withTexts(&Body{Draft: &out, Footprint: f.Share(leaving)}, leaving.Text)
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

// PrepareSheet makes the body from a launcher's sheet and what it found here. The sheet is
// sent as it was written; the note goes as all texts do. self is who sends it.
func PrepareSheet(s *sheet.Sheet, found *Findings, note string, self *footprint.Self) *Body {
	return &Body{Sheet: s, Found: found, Note: (&footprint.Footprint{Self: self}).Anonymizer().Text(note)}
}

// withTexts is a copy of a body in which every text went through a function, but for those
// that are no free text: words of the formats, times, digests, and what is published of the
// title as it stands.
func withTexts(b *Body, change func(string) string) (*Body, error) {
	raw, err := json.Marshal(b)
	if err != nil {
		return nil, fmt.Errorf("write contribution: %w", err)
	}
	d := json.NewDecoder(bytes.NewReader(raw))
	d.UseNumber()
	var tree any
	if err := d.Decode(&tree); err != nil {
		return nil, err
	}
	if raw, err = json.Marshal(texts(tree, "", change)); err != nil {
		return nil, err
	}
	out := &Body{}
	return out, json.Unmarshal(raw, out)
}

// closed are the keys whose texts are no free ones.
var closed = map[string]bool{
	"format":    true,
	"os":        true,
	"runtime":   true,
	"kind":      true,
	"was":       true,
	"holds":     true,
	"is":        true,
	"observer":  true,
	"looks":     true,
	"id":        true,
	"case":      true,
	"topic":     true,
	"answers":   true,
	"answer":    true,
	"belongs":   true,
	"type":      true,
	"order":     true,
	"stored":    true,
	"algorithm": true,
	"length":    true,
	"repeat":    true,
	"header":    true,
	"sha256":    true,
	"started":   true,
	"time":      true,
	"made":      true,
	"title":     true,
	"store":     true,
	"ref":       true,
	"version":   true,
	"launcher":  true,
	"at":        true,
	"place":     true,
	"file":      true,
}

func texts(tree any, key string, change func(string) string) any {
	switch t := tree.(type) {
	case string:
		if closed[key] {
			return t
		}
		return change(t)
	case []any:
		if key == "is" {
			key = "" // the values that a field of notes can have, not what a file is
		}
		for i := range t {
			t[i] = texts(t[i], key, change)
		}
	case map[string]any:
		for k := range t {
			t[k] = texts(t[k], k, change)
		}
	}
	return tree
}

// Encode writes the body as it is sent.
func (b *Body) Encode() ([]byte, error) {
	data, err := json.MarshalIndent(b, "", "  ")
	if err != nil {
		return nil, fmt.Errorf("write contribution: %w", err)
	}
	if len(data) > MaxBytes {
		return nil, fmt.Errorf(
			"write contribution: it has %d bytes and at most %d can be sent; a draft with fewer locations has a smaller footprint",
			len(data),
			MaxBytes,
		)
	}
	return data, nil
}

// Error is what is wrong with a contribution, with the field in question.
type Error struct{ Field, Reason string }

func (e *Error) Error() string {
	if e.Field == "" {
		return e.Reason
	}
	return e.Field + ": " + e.Reason
}

// Check reports, as an *Error, what is wrong: an unsound draft, a
// footprint that is not what Share makes, a location for which the footprint
// has no file. It ends with the context's error where that ends before it.
func (b *Body) Check(ctx context.Context) error {
	if b.Sheet != nil {
		return b.checkSheet()
	}
	if b.Draft == nil || b.Footprint == nil {
		return &Error{"draft", "a contribution has a draft and a footprint, or a sheet and what it found"}
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

func checkFootprint(f *footprint.Footprint) error {
	if f.Format != footprint.Format {
		return &Error{"footprint.format", fmt.Sprintf("it is %.40q, not %s", f.Format, footprint.Format)}
	}
	if len(f.Files) > MaxFiles {
		return &Error{"footprint.files", fmt.Sprintf("there are %d; at most %d can be sent", len(f.Files), MaxFiles)}
	}
	known := map[footprint.Kind]bool{}
	for _, k := range footprint.Kinds {
		known[k] = true
	}
	texts := append([]string{f.OS, f.Runtime, f.Observer, f.Cut}, f.Programs...)
	for i, c := range f.Cues {
		if reason := words.Name(c.Word, maxText); reason != "" {
			return &Error{fmt.Sprintf("footprint.cues[%d]", i), reason}
		}
	}
	end := time.Duration(0)
	for i, r := range f.Runs {
		if i > draft.MaxTraces || r.At < end || r.Length < 0 || r.At > f.Length {
			return &Error{
				fmt.Sprintf("footprint.runs[%d]", i),
				"runs stand one behind the other, within the footprint's length, and there are at most 17",
			}
		}
		end = r.At + r.Length
	}
	for kind, n := range f.Counts {
		if !known[kind] || n < 0 {
			return &Error{"footprint.counts", fmt.Sprintf("%.40q is not a kind of file, or its number is negative", kind)}
		}
	}
	if f.Events < 0 || f.Length < 0 {
		return &Error{"footprint.events", "a number is negative"}
	}
	for _, g := range f.Gaps {
		texts = append(texts, g.What)
	}
	corrected, judged := map[string]bool{}, map[string]bool{}
	for i, c := range f.Corrections {
		field := fmt.Sprintf("footprint.corrections[%d]", i)
		if !known[c.Kind] || !known[c.Was] || corrected[c.File] {
			return &Error{field, "a kind is unknown, or the file was corrected before"}
		}
		if c.By != "" {
			return &Error{field + ".by", "the service knows the sender"}
		}
		corrected[c.File] = true
		texts = append(texts, c.Because)
	}
	strokes := 0
	for i, x := range f.Files {
		field := fmt.Sprintf("footprint.files[%d]", i)
		if x.Path != "" {
			return &Error{field + ".path", "paths stay on the contributor's machine"}
		}
		if _, err := place.ParseAny(x.Place); err != nil {
			return &Error{field + ".place", err.Error()}
		}
		if !known[x.Kind] || x.Confidence < 0 || x.Confidence > 1 || x.Reads < 0 || x.Writes < 0 {
			return &Error{field, "its kind, confidence or counts are out of range"}
		}
		if j := x.Judged; j != nil {
			if !corrected[x.Place] || !known[j.Kind] || j.Confidence < 0 || j.Confidence > 1 {
				return &Error{field + ".judged", "only a corrected file has an original kind"}
			}
			judged[x.Place] = true
		}
		if len(x.Reasons) > 0 || x.Again != nil {
			return &Error{field + ".reasons", "reasons are made from the findings, where they are read; leave them out"}
		}
		if len(x.Findings) > maxFindings {
			return &Error{field + ".findings", fmt.Sprintf("there are %d; at most %d are allowed", len(x.Findings), maxFindings)}
		}
		for _, f := range x.Findings {
			if !findingID().MatchString(f.ID) || f.Case != "" && !findingID().MatchString(f.Case) || f.Share < 0 || f.Share > 1 {
				return &Error{
					field + ".findings",
					fmt.Sprintf("%.40q is not a finding's id, its case is none, or its share is not between 0 and 1", f.ID),
				}
			}
			texts = append(texts, f.Word)
		}
		for _, s := range []trace.State{x.Before, x.After} {
			if !slices.Contains(trace.States, s.Is) || s.Size < 0 {
				return &Error{field, fmt.Sprintf("%.40q is not a file type, or its size is negative", s.Is)}
			}
		}
		if x.Lane != nil {
			for _, s := range append(append([]footprint.Stroke{}, x.Lane.Reads...), x.Lane.Writes...) {
				if strokes++; strokes > maxStrokes || s[0] < 0 || s[1] < s[0] || s[2] < 1 {
					return &Error{
						field + ".lane",
						fmt.Sprintf(
							"a stroke must end after it begins, with a positive count, and all files together have at most %d",
							maxStrokes,
						),
					}
				}
			}
		}
		texts = append(append(append(texts, x.Programs...), x.Near...), x.Before.Looks, x.After.Looks)
	}
	if len(corrected) > len(judged) {
		return &Error{"footprint.corrections", "one refers to a file that is not in the footprint"}
	}
	return checkTexts(texts, "footprint")
}

func checkTexts(texts []string, field string) error {
	for _, t := range texts {
		if reason := words.Shown(t, maxText); reason != "" {
			return &Error{field, "a text: " + reason}
		}
	}
	return nil
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
