package draft

import (
	"bytes"
	"fmt"

	"github.com/goccy/go-yaml"
	"github.com/goccy/go-yaml/ast"
	"github.com/goccy/go-yaml/parser"

	"endroit/core/notes"
)

// WithNotes puts notes to a location of a draft's text, by its index, in place of those
// that it had. All else stays as it is written, comments too.
func WithNotes(text []byte, location int, n *notes.Notes) ([]byte, error) {
	file, err := parser.ParseBytes(text, parser.ParseComments)
	if err != nil {
		return nil, fmt.Errorf("read draft: %w", err)
	}
	path, err := yaml.PathString(fmt.Sprintf("$.locations[%d]", location))
	if err != nil {
		return nil, err
	}
	node, err := path.FilterFile(file)
	if err != nil {
		return nil, fmt.Errorf("read draft: location %d: %w", location, err)
	}
	m, ok := node.(*ast.MappingNode)
	if !ok {
		return nil, fmt.Errorf("read draft: location %d is not written as keys and values", location)
	}
	kept := m.Values[:0]
	for _, v := range m.Values {
		if v.Key.String() != "notes" {
			kept = append(kept, v)
		}
	}
	m.Values = kept
	if m.IsFlowStyle {
		return nil, fmt.Errorf("location %d is written in braces; write its keys one below the other, so that notes can stand among them", location)
	}
	added, err := yaml.MarshalWithOptions(map[string]*notes.Notes{"notes": n}, yaml.IndentSequence(true))
	if err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	if err := path.MergeFromReader(file, bytes.NewReader(added)); err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	out := []byte(file.String())
	d, err := Parse(out)
	if err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	if !d.Locations[location].Notes.Same(n) {
		return nil, fmt.Errorf("write draft: the notes did not come out as they are; put them there by hand")
	}
	return out, nil
}
