package draft

import (
	"bytes"
	"fmt"
	"strings"

	"github.com/goccy/go-yaml"

	"endroit/core/notes"
	"endroit/core/yamldoc"
)

// WithNotes puts notes to a location of a draft's text, by its index, in place of those
// that it had. All else is unchanged, comments too.
func WithNotes(text []byte, location int, n *notes.Notes) ([]byte, error) {
	var d Draft
	doc, err := yamldoc.Decode("draft", text, MaxBytes, &d)
	if err != nil {
		return nil, err
	}
	field := fmt.Sprintf("locations[%d]", location)
	keys, ok := doc.Keys(field)
	if !ok {
		return nil, fmt.Errorf("read draft: %s is not a block mapping, so notes cannot be added to it", field)
	}
	added, err := yaml.MarshalWithOptions(map[string]*notes.Notes{"notes": n}, yaml.IndentSequence(true))
	if err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	lines := strings.SplitAfter(string(text), "\n")
	indent := keys[0].Column - 1
	// ends is the line behind what stands deeper than a column, from a line on.
	ends := func(from, column int) int {
		for ; from < len(lines); from++ {
			if inner := strings.TrimLeft(lines[from], " "); strings.TrimSpace(inner) != "" &&
				len(lines[from])-len(inner) < column {
				break
			}
		}
		return from
	}
	from := ends(keys[0].Line, indent) // line numbers count from 1: this is the next
	to := from
	for i, k := range keys {
		if k.Name == "notes" && i == 0 {
			return nil, fmt.Errorf("read draft: the notes are the first key of %s; put at: first", field)
		}
		if k.Name == "notes" {
			from, to = k.Line-1, ends(k.Line, indent+1)
		}
	}
	var out bytes.Buffer
	out.WriteString(strings.Join(lines[:from], ""))
	if from > 0 && !strings.HasSuffix(lines[from-1], "\n") {
		out.WriteByte('\n')
	}
	for line := range strings.Lines(string(added)) {
		out.WriteString(strings.Repeat(" ", indent) + line)
	}
	out.WriteString(strings.Join(lines[to:], ""))
	after, err := Parse(out.Bytes())
	if err != nil {
		return nil, fmt.Errorf("write draft: %w", err)
	}
	if !after.Locations[location].Notes.Same(n) {
		return nil, fmt.Errorf("write draft: the notes could not be added unchanged; add them by hand")
	}
	return out.Bytes(), nil
}
