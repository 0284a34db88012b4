// Package yamldoc reads YAML that people write by hand: strictly, with errors
// that name line and column, in a time that grows with the text and no faster.
//
//	doc, err := yamldoc.Decode("draft", data, 256<<10, &d)
//	err = doc.At(&yamldoc.Error{What: "draft", Field: "locations[2].at", Reason: "…"})
package yamldoc

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"

	"go.yaml.in/yaml/v4"
)

// Error is what is wrong with a document. Line and Column count from 1, 0 if the
// place in the text is not known.
type Error struct {
	What         string // what kind of document: draft, sheet
	Line, Column int
	Field        string // such as locations[2].at
	Reason       string
}

func (e *Error) Error() string {
	at := e.What
	if e.Line > 0 {
		at += fmt.Sprintf(": line %d, column %d", e.Line, e.Column)
	}
	if e.Field != "" {
		at += ": " + e.Field
	}
	return at + ": " + e.Reason
}

// Doc is a document that was read, to find places in it.
type Doc struct{ root *yaml.Node }

// Decode reads a document of at most max bytes into v, by its yaml tags. Unknown keys are
// refused, as they are most likely mistyped; those that begin with x- are somebody's own
// and pass. Keys that stand twice, anchors and aliases, tags and more than one document
// are refused too. The error is an *Error.
func Decode(what string, data []byte, most int, v any) (*Doc, error) {
	if len(data) > most {
		return nil, &Error{What: what, Reason: fmt.Sprintf("it has %d bytes; a %s has at most %d", len(data), what, most)}
	}
	root, err := read(data)
	if err == nil {
		err = fill(root, v)
	}
	if err != nil {
		var e *Error
		if !errors.As(err, &e) {
			return nil, &Error{What: what, Reason: err.Error()}
		}
		e.What = what
		if strings.HasPrefix(e.Reason, unknown) {
			e.Reason += "; see the keys of a " + what + " in docs (your own begin with x-)"
		}
		return nil, e
	}
	return &Doc{root}, nil
}

// At returns the error with the line and column of its field.
func (d *Doc) At(e *Error) error {
	e.Line, e.Column = d.Position(e.Field)
	return e
}

// maxNested is how deep lists and keys may go.
const maxNested = 100

var errDeep = fmt.Errorf("it is nested more than %d levels deep", maxNested)

// limits end a reading that would go deep, whose cost grows faster than the text.
type limits struct{}

func (limits) CheckDepth(depth int, _ *yaml.DepthContext) error {
	if depth > maxNested {
		return errDeep
	}
	return nil
}

func (limits) CheckAlias(int, int) error { return nil } // sound refuses all

// read brings a text to its nodes, of one document, without what could stand for more
// than is written. The error is an *Error.
func read(data []byte) (*yaml.Node, error) {
	var doc, more yaml.Node
	d, err := yaml.NewLoader(bytes.NewReader(data), yaml.WithPlugin(limits{}))
	if err != nil {
		return nil, err
	}
	switch err := d.Load(&doc); {
	case err == io.EOF || err == nil && len(doc.Content) == 0:
		return &yaml.Node{Kind: yaml.ScalarNode, Tag: "!!null", Line: 1, Column: 1}, nil // it is empty
	case err != nil:
		return nil, unread(err)
	}
	switch err := d.Load(&more); {
	case err == nil:
		return nil, at(&more, "", "only one YAML document per file is supported")
	case err != io.EOF:
		return nil, unread(err)
	}
	return doc.Content[0], sound(doc.Content[0], 0)
}

// unread says what the YAML library found.
func unread(err error) error {
	e := &Error{}
	e.Reason, _, _ = strings.Cut(strings.TrimPrefix(err.Error(), "yaml: "), "\n")
	var l *yaml.LoadError
	if errors.As(err, &l) && l.Mark.Line > 0 {
		e.Line, e.Column, e.Reason = l.Mark.Line, l.Mark.Column, l.Message
	}
	if e.Reason != errDeep.Error() {
		e.Reason = "invalid YAML: " + e.Reason
	}
	return e
}

func at(n *yaml.Node, field, format string, args ...any) *Error {
	return &Error{Line: n.Line, Column: n.Column, Field: field, Reason: fmt.Sprintf(format, args...)}
}

// sound looks for what no document here may have.
func sound(n *yaml.Node, depth int) error {
	switch {
	case depth > maxNested:
		return at(n, "", "%v", errDeep)
	case n.Kind == yaml.AliasNode || n.Anchor != "":
		return at(n, "", "YAML anchors and aliases are not supported; write the value out")
	case n.Style&yaml.TaggedStyle != 0:
		return at(n, "", "YAML tags (%.40s) are not supported; write the value without one", n.Tag)
	}
	keys := map[string]bool{}
	for i, c := range n.Content {
		if n.Kind == yaml.MappingNode && i%2 == 0 {
			switch {
			case c.Kind == yaml.ScalarNode && c.Tag == "!!merge" || c.Kind == yaml.ScalarNode && c.Value == "<<" && c.Style == 0:
				return at(c, "", "YAML merge keys are not supported; write the keys out")
			case c.Kind != yaml.ScalarNode:
				return at(c, "", "a key must be a plain text")
			case keys[c.Value]:
				return at(c, "", "duplicate key %.60s", strconv.Quote(c.Value))
			}
			keys[c.Value] = true
		}
		if err := sound(c, depth+1); err != nil {
			return err
		}
	}
	return nil
}

// Tree reads a document into maps with texts as keys, lists, texts, numbers and truth
// values: any document of others. Numbers are json.Number where JSON has such, so that a
// reference of nineteen digits stays what it is.
func Tree(data []byte) (any, error) {
	root, err := read(data)
	if err != nil {
		return nil, err
	}
	return tree(root)
}

// Position finds a field in the text; a missing one where its parent begins.
func (d *Doc) Position(field string) (line, column int) {
	n := d.root
	line, column = 1, 1
	for _, part := range parts(field) {
		if n = child(n, part); n == nil {
			break
		}
		line, column = n.Line, n.Column
	}
	return line, column
}

// parts splits locations[2].at into locations, 2 and at.
func parts(field string) []string {
	return strings.FieldsFunc(field, func(r rune) bool { return r == '.' || r == '[' || r == ']' })
}

func child(n *yaml.Node, part string) *yaml.Node {
	switch n.Kind {
	case yaml.SequenceNode:
		if i, err := strconv.Atoi(part); err == nil && i >= 0 && i < len(n.Content) {
			return n.Content[i]
		}
	case yaml.MappingNode:
		for i := 0; i+1 < len(n.Content); i += 2 {
			if n.Content[i].Value == part {
				return n.Content[i+1]
			}
		}
	}
	return nil
}

// Key is where a key stands in the text; Line and Column count from 1.
type Key struct {
	Name         string
	Line, Column int
}

// Keys lists the keys of a field, in order. ok is false where there are none, or they do
// not stand one below the other.
func (d *Doc) Keys(field string) (keys []Key, ok bool) {
	n := d.root
	for _, part := range parts(field) {
		if n = child(n, part); n == nil {
			return nil, false
		}
	}
	if n.Kind != yaml.MappingNode || n.Style&yaml.FlowStyle != 0 || len(n.Content) == 0 {
		return nil, false
	}
	for i := 0; i+1 < len(n.Content); i += 2 {
		keys = append(keys, Key{n.Content[i].Value, n.Content[i].Line, n.Content[i].Column})
	}
	return keys, true
}
