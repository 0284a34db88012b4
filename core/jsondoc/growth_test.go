package jsondoc

import (
	"testing"

	"endroit/standin/growth"
)

func TestReadTimeIsLinear(t *testing.T) {
	type part struct {
		Name  string         `json:"name"`
		Parts []part         `json:"parts"`
		Count map[string]int `json:"count"`
	}
	read := func(text []byte) { _ = Decode("thing", text, &part{}) }
	for name, input := range map[string]growth.Input{
		"a list":         growth.Repeat(`{"parts":[{}`, `,{"name":"x"}`, `]}`),
		"keys of a map":  growth.Repeat(`{"count":{"a":1`, `,"k{n}":1`, `}}`),
		"own keys":       growth.Repeat(`{"name":""`, `,"x-{n}":1`, `}`),
		"one's own list": growth.Repeat(`{"x-a":[1`, `,1`, `]}`),
		"escapes":        growth.Repeat(`{"name":"`, `\u00e9`, `"}`),
		"a long number":  growth.Repeat(`{"x-a":1`, `0`, `}`),
		"spaces":         growth.Repeat(`{`, ` `, `}`),
		"brackets":       growth.Repeat(``, `[`, ``),
	} {
		growth.Hold(t, name, 16<<10, input, read)
	}
	growth.Hunt(t, 2<<10, []string{"{", "}", "[", "]", ",", ":", `"name"`, `"parts"`, `"x-a"`, "1", "e", "-", ".", `"`, `\`, `\u`, "d800", " ", "\n", "null"}, read)
}
