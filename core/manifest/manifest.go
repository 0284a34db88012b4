// Package manifest is all that was accepted, published as numbered revisions
// that never change.
//
//	m, err := manifest.Parse(data)
//	next, err := manifest.Apply(title, accepted)
package manifest

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"sort"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/gowebpki/jcs"
	"golang.org/x/text/cases"
	"golang.org/x/text/runes"
	"golang.org/x/text/transform"
	"golang.org/x/text/unicode/norm"

	"endroit/core/draft"
	"endroit/core/notes"
	"endroit/core/place"
	"endroit/core/standing"
	"endroit/core/words"
)

// Format is the name and version in a revision.
const Format = "endroit/manifest/1"

// MaxBytes bounds a revision.
const MaxBytes = 512 << 20

// Head is a revision without its titles.
type Head struct {
	Format    string    `json:"format"`
	Revision  int       `json:"revision"`
	Previous  string    `json:"previous"` // digest of the revision before, empty for the first
	Published time.Time `json:"published"`
}

// Manifest is one whole revision.
type Manifest struct {
	Head
	Sheets []Sheet `json:"sheets,omitempty"` // of launchers, by id
	Titles []Title `json:"titles"`           // by id
}

// Title is one game, however sold.
type Title struct {
	ID       string    `json:"id"`
	Name     string    `json:"name"`
	Variants []Variant `json:"variants"`
}

// Variant is one combination of edition, launcher, operating system and runtime.
type Variant struct {
	Store     string     `json:"store,omitempty"`
	Ref       string     `json:"ref,omitempty"`
	Launcher  string     `json:"launcher,omitempty"`
	OS        string     `json:"os"`
	Runtime   string     `json:"runtime"`
	Locations []Location `json:"locations"`
}

// Location is where a variant keeps something, with the evidence for it.
type Location struct {
	At       string              `json:"at"`
	Holds    string              `json:"holds"`
	Standing standing.Standing   `json:"standing"`
	Evidence []standing.Evidence `json:"evidence"`
	// Notes are on the structure of the files there, the last that were accepted.
	Notes *notes.Notes `json:"notes,omitempty"`
}

// ErrFormat says that the input is no manifest of this version.
var ErrFormat = errors.New("not a manifest that this version reads")

// Parse reads a revision as Stream does, and holds it whole.
func Parse(data []byte) (*Manifest, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("read manifest: it has %d bytes; at most %d are read", len(data), MaxBytes)
	}
	m := &Manifest{Titles: []Title{}}
	var err error
	m.Head, err = Stream(bytes.NewReader(data), Each{
		Sheet: func(x Sheet) error { m.Sheets = append(m.Sheets, x); return nil },
		Title: func(t Title) error { m.Titles = append(m.Titles, t); return nil },
	})
	if err != nil {
		return nil, err
	}
	return m, nil
}

// unshowable says what of a title must not reach a person's eyes as it is.
func (t *Title) unshowable() string {
	for _, text := range []string{t.ID, t.Name} {
		if reason := words.Shown(text, maxName); reason != "" {
			return "its name: " + reason
		}
	}
	for _, v := range t.Variants {
		for _, text := range []string{v.Store, v.Ref, v.Launcher, v.OS, v.Runtime} {
			if reason := words.Shown(text, maxName); reason != "" {
				return "a variant: " + reason
			}
		}
		for _, l := range v.Locations {
			if !word(l.Holds) || !word(string(l.Standing)) {
				return fmt.Sprintf("a location has an invalid holds %.40q or standing %.40q", l.Holds, l.Standing)
			}
		}
	}
	return ""
}

// maxName is how long a name in a manifest may be, in bytes.
const maxName = 1000

// word reports whether a text is one of the words that formats use, known here or not.
func word(text string) bool {
	for i := range len(text) {
		if c := text[i]; (c < 'a' || c > 'z') && c != '-' {
			return false
		}
	}
	return len(text) > 0 && len(text) <= 20
}

// Canonical writes a value as RFC 8785 says, so that equal values have equal
// bytes.
func Canonical(v any) ([]byte, error) {
	raw, err := json.Marshal(v)
	if err != nil {
		return nil, fmt.Errorf("write canonical JSON: %w", err)
	}
	out, err := jcs.Transform(raw)
	if err != nil {
		return nil, fmt.Errorf("write canonical JSON: %w", err)
	}
	return out, nil
}

// Assemble joins a head with sheets and titles that are canonical already, each in
// the order of their ids, to the canonical revision: "sheets" and "titles" sort
// last among the keys. Without sheets their key is left out.
func Assemble(h Head, sheets, titles [][]byte) ([]byte, error) {
	h.Format = Format
	head, err := Canonical(h)
	if err != nil {
		return nil, err
	}
	var b bytes.Buffer
	b.Write(head[:len(head)-1])
	if len(sheets) > 0 {
		b.WriteString(`,"sheets":[`)
		b.Write(bytes.Join(sheets, []byte{','}))
		b.WriteByte(']')
	}
	b.WriteString(`,"titles":[`)
	b.Write(bytes.Join(titles, []byte{','}))
	b.WriteString("]}")
	return b.Bytes(), nil
}

// Digest is the SHA-256 of a revision's bytes in hexadecimal.
func Digest(revision []byte) string {
	sum := sha256.Sum256(revision)
	return hex.EncodeToString(sum[:])
}

// Fold brings a name to the form in which names are compared: without case,
// accents and double spaces.
func Fold(name string) string {
	if ascii(name) { // as most are; the tables of Unicode take their time
		return strings.Join(strings.Fields(strings.ToLower(name)), " ")
	}
	t := transform.Chain(norm.NFKD, runes.Remove(runes.In(unicode.Mn)), norm.NFKC)
	plain, _, err := transform.String(t, name)
	if err != nil {
		plain = name
	}
	return strings.Join(strings.Fields(cases.Fold().String(plain)), " ")
}

func ascii(text string) bool {
	return !strings.ContainsFunc(text, func(r rune) bool { return r >= utf8.RuneSelf })
}

var apostrophes = strings.NewReplacer("'", "", "’", "")

// ID makes a title's id from its name: letters and digits of any script, folded,
// with a hyphen between words.
func ID(name string) string {
	words := strings.FieldsFunc(Fold(apostrophes.Replace(name)), func(r rune) bool {
		return !unicode.IsLetter(r) && !unicode.IsDigit(r)
	})
	return strings.Join(words, "-")
}

// Accepted is a draft that a reviewer accepted, with who and when.
type Accepted struct {
	Draft    *draft.Draft
	Evidence standing.Evidence
}

// Apply returns the title with the draft's locations and evidence added. title
// is the present one, nil if there is none; it is not changed.
func Apply(title *Title, a Accepted) (Title, error) {
	next := Title{ID: ID(a.Draft.Title), Name: a.Draft.Title}
	if next.ID == "" {
		return Title{}, fmt.Errorf("the title %q contains no letter or digit", a.Draft.Title)
	}
	if title != nil {
		raw, err := json.Marshal(title)
		if err != nil {
			return Title{}, err
		}
		next = Title{}
		if err := json.Unmarshal(raw, &next); err != nil {
			return Title{}, err
		}
	}
	v := next.variant(VariantOf(a.Draft))
	for _, proposed := range a.Draft.Locations {
		l := v.location(proposed.At, proposed.Holds)
		l.Evidence = append(l.Evidence, a.Evidence)
		l.Standing, _ = standing.Of(l.Evidence)
		if proposed.Notes != nil {
			l.Notes = proposed.Notes
		}
	}
	return next, nil
}

// Present is the title among these that a draft speaks of; nil if it is none of them.
func Present(titles []Title, d *draft.Draft) *Title {
	id := ID(d.Title)
	for i := range titles {
		if titles[i].ID == id {
			return &titles[i]
		}
	}
	return nil
}

// VariantOf is the variant that a draft speaks of, without locations.
func VariantOf(d *draft.Draft) Variant {
	v := Variant{Launcher: d.Launcher, OS: d.OS, Runtime: d.Runtime, Locations: []Location{}}
	if d.Edition != nil {
		v.Store, v.Ref = d.Edition.Store, d.Edition.Ref
	}
	return v
}

// Same reports whether two variants are the same combination.
func (v Variant) Same(o Variant) bool {
	return v.Store == o.Store && v.Ref == o.Ref && v.Launcher == o.Launcher && v.OS == o.OS && v.Runtime == o.Runtime
}

// String names the combination in words: "quayside 418820, started by quayside, linux native".
func (v Variant) String() string {
	var parts []string
	if v.Store != "" {
		parts = append(parts, strings.TrimSpace(v.Store+" "+v.Ref))
	} else {
		parts = append(parts, "any store")
	}
	if v.Launcher != "" {
		parts = append(parts, "started by "+v.Launcher)
	}
	return strings.Join(append(parts, v.OS+" "+v.Runtime), ", ")
}

func (t *Title) variant(v Variant) *Variant {
	for i := range t.Variants {
		if t.Variants[i].Same(v) {
			return &t.Variants[i]
		}
	}
	t.Variants = append(t.Variants, v)
	sort.SliceStable(t.Variants, func(i, j int) bool { return t.Variants[i].String() < t.Variants[j].String() })
	return t.variant(v)
}

func (v *Variant) location(at, holds string) *Location {
	for i := range v.Locations {
		if v.Locations[i].At == at && v.Locations[i].Holds == holds {
			return &v.Locations[i]
		}
	}
	v.Locations = append(v.Locations, Location{At: at, Holds: holds, Evidence: []standing.Evidence{}})
	order := map[string]int{draft.Save: 0, draft.Config: 1, draft.Capture: 2}
	sort.SliceStable(v.Locations, func(i, j int) bool {
		if a, b := order[v.Locations[i].Holds], order[v.Locations[j].Holds]; a != b {
			return a < b
		}
		return v.Locations[i].At < v.Locations[j].At
	})
	return v.location(at, holds)
}

// Conflict is a location that could match another title's files.
type Conflict struct {
	At        string `json:"at"`
	Title     string `json:"title"`      // the other title's id
	TitleName string `json:"title_name"` // and its name
	TitlesAt  string `json:"titles_at"`  // the other title's location
}

// Conflicts finds what in a draft reaches into another title's places. Below an
// installation or an account's folder titles cannot meet. It ends with the context's error
// where that ends before it.
func Conflicts(ctx context.Context, d *draft.Draft, others []Title) ([]Conflict, error) {
	own := ID(d.Title)
	out := []Conflict{}
	type other struct {
		t  *Title
		at place.Location
	}
	var places []other
	for i := range others {
		if others[i].ID == own {
			continue
		}
		for _, at := range others[i].places() {
			if l, err := place.Parse(at); err == nil {
				places = append(places, other{&others[i], l})
			}
		}
	}
	for _, proposed := range d.Locations {
		l, err := proposed.Place()
		if def, _ := place.Define(l.Anchor); err != nil || !def.Shared {
			continue
		}
		for _, o := range places {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			if place.Overlap(l, o.at) {
				out = append(out, Conflict{proposed.At, o.t.ID, o.t.Name, o.at.String()})
			}
		}
	}
	return out, nil
}

func (t Title) places() (out []string) {
	seen := map[string]bool{}
	for _, v := range t.Variants {
		for _, l := range v.Locations {
			if !seen[l.At] {
				seen[l.At] = true
				out = append(out, l.At)
			}
		}
	}
	return out
}
