// Package yamldoc reads YAML that people write by hand: strictly, with errors
// that name line and column.
//
//	doc, err := yamldoc.Decode("draft", data, 256<<10, &d)
//	err = doc.At(&yamldoc.Error{What: "draft", Field: "locations[2].at", Reason: "…"})
package yamldoc

import (
	"fmt"
	"strings"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"
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
type Doc struct{ file *ast.File }

// Decode reads a document of at most max bytes into v. Unknown keys are refused,
// as they are most likely mistyped; those that begin with x- are somebody's own
// and pass. The error is an *Error.
func Decode(what string, data []byte, max int, v any) (*Doc, error) {
	if len(data) > max {
		return nil, &Error{What: what, Reason: fmt.Sprintf("it has %d bytes; a %s has at most %d", len(data), what, max)}
	}
	if TooDeep(data) {
		return nil, &Error{What: what, Reason: fmt.Sprintf("something in it is nested deeper than %d levels", maxNested)}
	}
	file, err := parser.ParseBytes(data, 0)
	if err != nil {
		return nil, fromYAML(what, err)
	}
	for _, doc := range file.Docs {
		if found := findAlias(doc.Body); found != nil {
			p := found.GetToken().Position
			return nil, &Error{What: what, Line: p.Line, Column: p.Column, Reason: "anchors and aliases of YAML are not used in a " + what + "; write the value out"}
		}
	}
	if err := yaml.UnmarshalWithOptions(data, v, yaml.DisallowUnknownField(), yaml.AllowFieldPrefixes("x-")); err != nil {
		return nil, fromYAML(what, err)
	}
	return &Doc{file}, nil
}

// At returns the error with the line and column of its field.
func (d *Doc) At(e *Error) error {
	e.Line, e.Column = d.position(e.Field)
	return e
}

func fromYAML(what string, err error) *Error {
	e := &Error{What: what, Reason: err.Error()}
	if y, ok := err.(yaml.Error); ok {
		e.Reason = y.GetMessage()
		if t := y.GetToken(); t != nil && t.Position != nil {
			e.Line, e.Column = t.Position.Line, t.Position.Column
		}
	}
	if strings.Contains(e.Reason, "unknown field") {
		e.Reason += "; see the keys of a " + what + " in docs (your own begin with x-)"
	}
	return e
}

// maxNested is how deep brackets, list marks in one line and parts of a dotted key
// may go.
const maxNested = 200

// TooDeep reports whether a YAML or TOML text is nested so deep that reading it
// would take far longer than its size lets expect. It looks at brackets, at list
// marks and at the dots of keys, wherever they stand: nobody writes so many.
func TooDeep(data []byte) bool {
	open, marks, dots := 0, 0, 0
	lineStart, key := true, true
	for _, b := range data {
		switch b {
		case '\n':
			marks, dots, lineStart, key = 0, 0, true, true
			continue
		case '[', '{':
			open++
		case ']', '}':
			open = max(0, open-1)
		case '-', '?':
			if lineStart {
				marks++
			}
		case '.':
			if key {
				dots++
			}
		case '=', ':', '"', '\'':
			key = false
		}
		if b != ' ' && b != '-' && b != '?' && b != '\t' {
			lineStart = false
		}
		if open > maxNested || marks > maxNested || dots > maxNested {
			return true
		}
	}
	return false
}

// Aliases reports whether a YAML text uses anchors or aliases, with which a small
// text can stand for a huge one.
func Aliases(data []byte) bool {
	file, err := parser.ParseBytes(data, 0)
	if err != nil {
		return false // whoever reads it says what is wrong
	}
	for _, doc := range file.Docs {
		if findAlias(doc.Body) != nil {
			return true
		}
	}
	return false
}

// findAlias finds an anchor or alias, with which a small text can stand for a
// huge one.
func findAlias(n ast.Node) (found ast.Node) {
	if n == nil {
		return nil
	}
	ast.Walk(visitor(func(n ast.Node) {
		if t := n.Type(); t == ast.AliasType || t == ast.AnchorType {
			found = n
		}
	}), n)
	return found
}

type visitor func(ast.Node)

func (v visitor) Visit(n ast.Node) ast.Visitor { v(n); return v }

// position finds a field in the text; a missing one where its parent begins.
func (d *Doc) position(field string) (line, column int) {
	for field != "" {
		if p, err := yaml.PathString("$." + field); err == nil {
			if n, err := p.FilterFile(d.file); err == nil && n != nil {
				at := n.GetToken().Position
				return at.Line, at.Column
			}
		}
		field = field[:max(0, strings.LastIndexAny(field, ".["))]
	}
	return 1, 1
}
