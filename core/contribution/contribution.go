// Package contribution is what a contributor sends: one of several kinds, each with the
// evidence for it and with nothing in it that tells who they are. A kind is a file of this
// package: how it is checked, what it is about, and what accepting it does.
//
//	body, err := contribution.Parse(raw)
//	err = body.Check(ctx)
//	outcome, err := body.Apply(ctx, world, evidence)
package contribution

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strings"

	jsonv2 "github.com/go-json-experiment/json"

	"endroit/core/footprint"
	"endroit/core/jsondoc"
	"endroit/core/manifest"
	"endroit/core/standing"
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

// Body is what is sent: one of the kinds.
type Body interface {
	// Kind is the name of the kind.
	Kind() string
	// From is the machine that it comes from: see Head.
	From() string
	// Check reports, as an *Error, what is wrong with it by itself. It ends with the
	// context's error where that ends before it.
	Check(ctx context.Context) error
	// About says what it is about, for lists.
	About() About
	// Statement says in a sentence what it asks for.
	Statement() string
	// Reason is the contributor's own text, empty if there is none.
	Reason() string
	// Evidence is the footprint that comes with it; nil without one.
	Evidence() *footprint.Footprint
	// Apply says what accepting it does to what is recorded. The evidence is what it
	// adds, without what the kind knows better. Nothing is changed.
	Apply(ctx context.Context, w World, e standing.Evidence) (*Outcome, error)
}

// About is what a contribution is about.
type About struct {
	Title   string // the name, or the launcher's
	TitleID string // empty for a title that it does not name by its id
	Store   string
	Ref     string
	System  string // linux, windows or macos; empty for all
}

// Head is what all kinds have in common.
type Head struct {
	Name string `json:"kind"`
	// Machine is a pseudonym that the contributor's machine made for this service: 32
	// lowercase hexadecimal digits, or none.
	Machine string `json:"machine,omitempty"`
}

// Kind is the name of the kind.
func (h *Head) Kind() string { return h.Name }

// From is the machine that it comes from.
func (h *Head) From() string { return h.Machine }

// Evidence is none.
func (h *Head) Evidence() *footprint.Footprint { return nil }

// sign puts in which machine it comes from.
func (h *Head) sign(machine string) { h.Machine = machine }

// Sign puts in which machine a body comes from.
func Sign(b Body, machine string) { b.(interface{ sign(string) }).sign(machine) }

// checkHead checks what all kinds have in common.
func (h *Head) check() error {
	if h.Machine != "" && (len(h.Machine) != 32 || strings.Trim(h.Machine, "0123456789abcdef") != "") {
		return &Error{"machine", "it must be 32 lowercase hexadecimal digits, or be left out"}
	}
	return nil
}

// kinds makes an empty body for the name of each kind.
var kinds = map[string]func() Body{}

// register adds a kind, once, before the program begins.
func register(name string, empty func() Body) string {
	kinds[name] = empty
	return name
}

// Kinds are the names of all kinds.
func Kinds() []string { return slices.Sorted(maps.Keys(kinds)) }

// Parse reads a body as it is sent, strictly: see jsondoc.Decode. It does not check it.
// The error is a *jsondoc.Error.
func Parse(data []byte) (Body, error) {
	var head struct {
		Kind string `json:"kind"`
	}
	if err := jsonv2.Unmarshal(data, &head); err != nil { // what is unsound is told by the strict reading
		return nil, jsondoc.Decode("contribution", data, &Finding{})
	}
	empty := kinds[head.Kind]
	if empty == nil {
		return nil, &jsondoc.Error{
			What: "contribution", Field: "kind",
			Reason: fmt.Sprintf("%.40q is not a kind of contribution; the kinds are %s", head.Kind, strings.Join(Kinds(), ", ")),
		}
	}
	b := empty()
	return b, jsondoc.Decode("contribution", data, b)
}

// Encode writes a body as it is sent.
func Encode(b Body) ([]byte, error) {
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

// checkReason checks a text that has to be there.
func checkReason(because string) error {
	if strings.TrimSpace(because) == "" {
		return &Error{"because", "a reason is required, so that a reviewer can decide"}
	}
	if reason := words.Text(because, maxText); reason != "" {
		return &Error{"because", reason}
	}
	return nil
}

func checkTitleID(field, id string) error {
	if reason := manifest.CheckID(id); reason != "" {
		return &Error{field, reason}
	}
	return nil
}

// withTexts changes a body so that every text went through a function, but for those that
// are no free text: words of the formats, times, digests, and what is published of the
// title as it stands. into is another, empty body of the same kind.
func withTexts[B any](b B, into B, change func(string) string) (B, error) {
	raw, err := json.Marshal(b)
	if err != nil {
		return into, fmt.Errorf("write contribution: %w", err)
	}
	d := json.NewDecoder(bytes.NewReader(raw))
	d.UseNumber()
	var tree any
	if err := d.Decode(&tree); err != nil {
		return into, err
	}
	if raw, err = json.Marshal(texts(tree, "", change)); err != nil {
		return into, err
	}
	return into, json.Unmarshal(raw, into)
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
	"title_id":  true,
	"machine":   true,
	"to":        true,
	"from":      true,
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
