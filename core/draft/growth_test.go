package draft

import (
	"testing"

	"endroit/standin/growth"
)

// A draft of the largest size is read in a time that goes with it, whatever it is made of.
func TestDraftParseTimeIsLinear(t *testing.T) {
	const head = "format: endroit/draft/1\ntitle: T\nos: linux\nruntime: native\n"
	const location = "  - {at: 'xdg-data:t/a', holds: save, "
	read := func(text []byte) { _, _ = Parse(text[:min(len(text), MaxBytes)]) }
	for name, input := range map[string]growth.Input{
		"own keys":             growth.Repeat(head, "x-{n}: 1\n", ""),
		"unknown keys":         growth.Repeat(head, "y-{n}: 1\n", ""),
		"documents":            growth.Repeat(head, "---\n", ""),
		"anchors":              growth.Repeat(head+"x-a:\n", "  - &a{n} 1\n", ""),
		"quotes":               growth.Repeat(head+"note: '", "''", "'\n"),
		"double quotes":        growth.Repeat(head+"note: \"", "\\\"", "\"\n"),
		"comments":             growth.Repeat(head, "# x\n", ""),
		"comments and braces":  growth.Repeat("", "#\n{", ""),
		"locations":            growth.Repeat(head+"locations:\n", "  - {at: 'xdg-data:t/a{n}', holds: save}\n", ""),
		"what was seen":        growth.Repeat(head+"locations:\n"+location+"seen: [a", ", b", "]}\n"),
		"values of a field":    growth.Repeat(head+"locations:\n"+location+"notes: {format: endroit/notes/1, fields: [{name: a, type: u8, is: [1", ", {n}", "]}]}}\n"),
		"a long location":      growth.Repeat(head+"locations:\n  - {at: 'xdg-data:t", "/a*", "', holds: save}\n"),
		"a mistake at the end": growth.Repeat(head, "x-{n}: 1\n", "locations:\n  - {at: nowhere, holds: save}\n"),
	} {
		growth.Hold(t, name, MaxBytes/16, input, read)
	}
	growth.Hunt(t, 2<<10, []string{head, "locations:\n", "  - ", "at: ", "xdg-data:t/a", "\n", ": ", "'", "\"", "{", "}", "[", "]", ",", "#", "&a ", "*a", "|\n", ">\n", " ", "---\n"}, read)
}
