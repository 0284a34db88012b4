package hive

import (
	"testing"

	"endroit/standin/growth"
)

func TestHiveTimeIsLinear(t *testing.T) {
	const head = "WINE REGISTRY Version 2\n"
	for name, input := range map[string]growth.Input{
		"keys":            growth.Repeat(head, "[a\\\\k{n}] 1\n", ""),
		"the same key":    growth.Repeat(head, "[a] 1\n\"v{n}\"=\"x\"\n", ""),
		"values":          growth.Repeat(head+"[a] 1\n", "\"v{n}\"=\"x\"\n", ""),
		"the same value":  growth.Repeat(head+"[a] 1\n", "\"v\"=\"{n}\"\n", ""),
		"continued bytes": growth.Repeat(head+"[a] 1\n\"v\"=hex:", "00,\\\n", "00\n"),
		"escapes":         growth.Repeat(head+"[a] 1\n\"v\"=\"", "\\x00e9", "\"\n"),
		"comments":        growth.Repeat(head, ";; x\n", ""),
		"a deep key":      growth.Repeat(head+"[", "a\\\\", "] 1\n"),
	} {
		growth.Hold(t, name, 16<<10, input, func(text []byte) {
			h, err := Parse(text)
			if err != nil {
				return
			}
			Compare(h, nil)
			Compare(nil, h)
			Compare(h, h)
			_, _ = ParseBelow(text, "Software")
			h.Text("a", "v")
		})
	}
}
