// Package manifest is what is published: the documents of titles and of launchers'
// sheets, and the shards in which they are carried. Evidence stays in the service; a
// published location tells what it amounts to. See docs/published.md for the format.
//
//	shard, err := manifest.ReadShard("0110", compressed)
//	for _, t := range shard.Titles { … }
package manifest

import (
	"bytes"
	"errors"
	"fmt"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"

	"endroit/core/notes"
	"endroit/core/standing"
	"endroit/core/words"
)

// Format is the name and version in a published document.
const Format = "endroit/manifest/1"

// Title is one game, however sold. The fields that this version does not know are kept:
// read and write it with Decode and Canonical alone.
type Title struct {
	ID    string `json:"id"` // see CheckID
	Name  string `json:"name"`
	Names []Name `json:"names,omitempty"` // other names
	Year  int    `json:"year,omitempty"`  // of the first release, where it tells two titles apart
	Maker string `json:"maker,omitempty"` // the same
	// MergedInto is the title that this one turned out to be. It has no variants then.
	MergedInto string         `json:"merged_into,omitempty"`
	Editions   []Edition      `json:"editions,omitempty"`
	Variants   []Variant      `json:"variants"`
	Unknown    jsontext.Value `json:",unknown" cbor:"-"`
}

// Name is another name of a title.
type Name struct {
	Name     string         `json:"name"`
	Language string         `json:"language,omitempty"` // BCP 47, such as de or pt-BR
	Unknown  jsontext.Value `json:",unknown" cbor:"-"`
}

// Edition is a title as one store sells it.
type Edition struct {
	Store    string         `json:"store"`
	Ref      string         `json:"ref"`                // the store's own number or word
	Versions []string       `json:"versions,omitempty"` // that were run, in the order in which they were first seen
	Unknown  jsontext.Value `json:",unknown" cbor:"-"`
}

// Variant is one combination of edition, launcher, operating system and runtime.
type Variant struct {
	Store     string     `json:"store,omitempty"`
	Ref       string     `json:"ref,omitempty"`
	Launcher  string     `json:"launcher,omitempty"`
	OS        string     `json:"os"`
	Runtime   string     `json:"runtime"`
	Locations []Location `json:"locations"`
	// Cloud is how much of its progress and settings the launcher's cloud keeps, as far as
	// that was seen: all, part or none.
	Cloud string `json:"cloud,omitempty"`
	// Absence says that experiments found nothing kept on the machine.
	Absence *Absence       `json:"absence,omitempty"`
	Unknown jsontext.Value `json:",unknown" cbor:"-"`
}

// Absence is how well it is known that a variant keeps nothing on the machine.
type Absence struct {
	Standing standing.Standing `json:"standing"`
	Reason   string            `json:"reason"`
	Counts   standing.Counts   `json:"counts,omitzero"`
	// SeenVersion and Then are as those of a location.
	SeenVersion string            `json:"seen_version,omitempty"`
	Then        standing.Standing `json:"then,omitempty"`
	Unknown     jsontext.Value    `json:",unknown" cbor:"-"`
}

// Location is where a variant keeps something, and how well that is known.
type Location struct {
	At       string            `json:"at"`
	Holds    string            `json:"holds"`
	Belongs  string            `json:"belongs,omitempty"` // settings: to the machine or the person
	Standing standing.Standing `json:"standing"`
	Reason   string            `json:"reason"`             // for the standing, in words
	Counts   standing.Counts   `json:"counts,omitzero"`    // of the evidence
	Versions *standing.Range   `json:"versions,omitempty"` // of the edition, for which it holds; nil for all
	Replaces []string          `json:"replaces,omitempty"` // locations that it took the place of
	// Notes are on the structure of the files there, the last that were accepted.
	Notes *notes.Notes `json:"notes,omitempty"`
	// SeenVersion is the newest version of the edition that the evidence is of; Then the
	// standing up to that version, where a newer one made it stale.
	SeenVersion string            `json:"seen_version,omitempty"`
	Then        standing.Standing `json:"then,omitempty"`
	// Hazards are the operations that were tried, and what became of it.
	Hazards []standing.Tried `json:"hazards,omitempty"`
	// Cloud is what was seen of the launcher's cloud: kept, or not kept.
	Cloud   string         `json:"cloud,omitempty"`
	Unknown jsontext.Value `json:",unknown" cbor:"-"`
}

// Known is what is published of its standing.
func (l Location) Known() standing.Known {
	return standing.Known{Standing: l.Standing, Reason: l.Reason, Counts: l.Counts, Version: l.SeenVersion, Then: l.Then}
}

// Newest is the newest version of an edition for which a location holds; empty if none is
// known.
func (t *Title) Newest(store, ref string, versions *standing.Range) (newest string) {
	for _, e := range t.Editions {
		if e.Store != store || e.Ref != ref {
			continue
		}
		for _, v := range e.Versions {
			if versions.Includes(v) {
				newest = standing.Newer(newest, v)
			}
		}
	}
	return newest
}

// Usable reports whether programs may change what the location matches: it was neither
// withdrawn nor is it disputed.
func (l Location) Usable() bool { return l.Standing.Usable() }

// The bounds of what is published.
const (
	MaxTitle = 1 << 20 // bytes of a title's document
	maxParts = 100_000 // objects and lists in a document
	maxName  = 1000    // bytes of a name
)

// ErrFormat says that the input is no published document of this version.
var ErrFormat = errors.New("not a published document that this version reads")

// Decode reads one document: strictly as JSON, and with the fields that it does not know.
func Decode(data []byte, v any) error {
	if parts := bytes.Count(data, []byte{'{'}) + bytes.Count(data, []byte{'['}); parts > maxParts {
		return fmt.Errorf("it has %d parts; the limit is %d", parts, maxParts)
	}
	return json.Unmarshal(data, v, jsonv1.FormatDurationAsNano(true))
}

// Canonical writes a value as RFC 8785 says, so that equal values have equal bytes.
func Canonical(v any) ([]byte, error) {
	raw, err := json.Marshal(v, jsonv1.FormatDurationAsNano(true), jsonv1.OmitEmptyWithLegacySemantics(true))
	if err == nil {
		err = (*jsontext.Value)(&raw).Canonicalize()
	}
	if err != nil {
		return nil, fmt.Errorf("write canonical JSON: %w", err)
	}
	return raw, nil
}

// idLength is the number of hexadecimal digits of a title's id.
const idLength = 16

// CheckID says what is wrong with a title's id, which is 16 lowercase hexadecimal digits:
// opaque, and permanent. It is empty if nothing is.
func CheckID(id string) string {
	if len(id) == idLength && strings.Trim(id, "0123456789abcdef") == "" {
		return ""
	}
	return fmt.Sprintf("%.40q is not a title's id: it must be %d lowercase hexadecimal digits", id, idLength)
}

// Check says what of a title must not reach a person's eyes, or a program, as it is.
func (t *Title) Check() error {
	if reason := CheckID(t.ID); reason != "" {
		return errors.New(reason)
	}
	if t.MergedInto != "" && CheckID(t.MergedInto) != "" {
		return errors.New("merged_into: " + CheckID(t.MergedInto))
	}
	texts := []string{t.Name, t.Maker}
	for _, n := range t.Names {
		texts = append(texts, n.Name, n.Language)
	}
	for _, e := range t.Editions {
		texts = append(append(texts, e.Store, e.Ref), e.Versions...)
	}
	for _, v := range t.Variants {
		texts = append(texts, v.Store, v.Ref, v.Launcher, v.OS, v.Runtime)
		for _, l := range v.Locations {
			if !word(l.Holds) || !word(string(l.Standing)) || l.Belongs != "" && !word(l.Belongs) {
				return fmt.Errorf("a location has an invalid holds %.40q or standing %.40q", l.Holds, l.Standing)
			}
			for _, w := range []string{string(l.Then), strings.ReplaceAll(l.Cloud, " ", "-")} {
				if w != "" && !word(w) {
					return fmt.Errorf("a location has an invalid word %.40q", w)
				}
			}
			for _, h := range l.Hazards {
				if !word(string(h.Operation)) {
					return fmt.Errorf("a location has an invalid operation %.40q", h.Operation)
				}
			}
			texts = append(texts, l.Reason, l.SeenVersion)
		}
		if v.Cloud != "" && !word(v.Cloud) {
			return fmt.Errorf("a variant has an invalid cloud %.40q", v.Cloud)
		}
		if a := v.Absence; a != nil {
			if !word(string(a.Standing)) || a.Then != "" && !word(string(a.Then)) {
				return fmt.Errorf("a variant has an invalid standing %.40q", a.Standing)
			}
			texts = append(texts, a.Reason, a.SeenVersion)
		}
	}
	for _, text := range texts {
		if reason := words.Shown(text, maxName); reason != "" {
			return errors.New("a name or text: " + reason)
		}
	}
	return nil
}

// word reports whether a text is one of the words that formats use, known here or not.
func word(text string) bool {
	for i := range len(text) {
		if c := text[i]; (c < 'a' || c > 'z') && c != '-' {
			return false
		}
	}
	return len(text) > 0 && len(text) <= 20
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

// Sold reports whether a store sells the title under a reference; any store if it is empty.
func (t *Title) Sold(store, ref string) bool {
	for _, e := range t.Editions {
		if e.Ref == ref && (store == "" || e.Store == store) {
			return true
		}
	}
	return false
}
