package notes

import (
	"bytes"
	"strings"
	"testing"

	"endroit/standin/growth"
)

func TestFileReadTimeIsLinear(t *testing.T) {
	zeros := func(n int) []byte { return make([]byte, n) }
	parse := func(text string) *Notes {
		n, err := Parse([]byte("format: endroit/notes/1\nfields:\n" + text))
		if err != nil {
			t.Fatal(err)
		}
		return n
	}
	many := strings.Builder{}
	for i := range 900 {
		many.WriteString("  - {name: n" + strings.Repeat("x", i%20) + string(rune('a'+i%26)) + strings.Repeat("y", i/26) + ", at: 0, type: u8}\n")
	}
	for name, n := range map[string]*Notes{
		"a record again and again":        parse("  - {name: r, repeat: rest, fields: [{name: a, type: u16}]}\n"),
		"records behind, then before":     parse("  - {name: a, at: -8, type: u8}\n  - {name: r, at: 0, repeat: rest, fields: [{name: a, type: u16}]}\n"),
		"fields over one another":         parse("  - {name: r, repeat: rest, fields: [{name: a, type: u32}, {name: b, at: 0, type: u16}]}\n"),
		"many names around a record":      parse(many.String() + "  - {name: r, repeat: rest, fields: [{name: z, type: u16}]}\n"),
		"texts that a zero ends":          parse("  - {name: r, repeat: rest, fields: [{name: a, type: text, length: zero}]}\n"),
		"a text to a zero, from anywhere": parse("  - {name: r, repeat: rest, fields: [{name: a, type: u8}, {name: b, at: 0, type: text, length: rest}, {name: c, at: 1, type: u8}]}\n"),
	} {
		growth.Hold(t, name, 16<<10, zeros, func(data []byte) { n.Read(data) })
		growth.Hold(t, name+", of other bytes", 16<<10, func(size int) []byte { return bytes.Repeat([]byte{0xff}, size) }, func(data []byte) { n.Read(data) })
	}
}

// Notes of one's own are bounded, whatever they are made of.
func TestParseTimeIsLinear(t *testing.T) {
	const head = "format: endroit/notes/1\nfields:\n"
	for name, input := range map[string]growth.Input{
		"fields":       growth.Repeat(head, "  - {name: a{n}, type: u8}\n", ""),
		"same fields":  growth.Repeat(head, "  - {name: a, type: u8}\n", ""),
		"values":       growth.Repeat(head+"  - {name: a, type: u8, is: [1", ", {n}", "]}\n"),
		"keys":         growth.Repeat("format: endroit/notes/1\n", "x-{n}: 1\n", ""),
		"unknown keys": growth.Repeat("format: endroit/notes/1\n", "y-{n}: 1\n", ""),
	} {
		growth.Hold(t, name, MaxBytes/16, input, func(text []byte) { _, _ = Parse(text[:min(len(text), MaxBytes)]) })
	}
	growth.Hunt(t, 2<<10, []string{"format: endroit/notes/1\n", "fields:", "\n", " ", "- ", "name: a", "is: [1]", "x-a: ", "{", "}", "[", "]", "'", "\"", "#", "|", "\\"}, func(text []byte) { _, _ = Parse(text) })
}
