package content

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestLooks(t *testing.T) {
	for head, want := range map[string]string{
		"":                                     Empty,
		`{"session_token": "abc", "level": 3}`: "text, JSON, with a token",
		"[net]\nauth_token=9f3c02\n":           "text, settings by name, with a token",
		"<?xml version='1.0'?><Password>hunter2</Password>": "text, XML, with a token",
		"my password is hidden":                             Text,
		`{"tokens": 12, "secret": true, "cookies": 4}`:      "text, JSON",
		"hide_secrets=default\nmax_tokens=300\n":            Settings,
		"tokens = 12\ntoken=\n":                             Settings,
		"SQLite format 3\x00\x10\x00":                       "SQLite database",
		"MZ\x90\x00\x03":                                    "Windows program or library",
		"MZ is how this note begins":                        Text,
		"BMW":                                               Text,
		"\x01\x02TIDE":                                      Bytes,
		"RIFF\x24\x00\x00\x00WAVEfmt ":                      "WAVE sound",
		"[video]\nwidth = 1280\n; dark":                     "text, settings by name",
		"volume: 70\nlanguage: en\n":                        "text, settings by name",
		"$volume = 3;\n$keys = {\n  'up' => 99,\n  'down' => 100\n};\n": "text, settings by name",
		"# Only values are preserved.\ndebug 0\nfull_screen 1\n":        "text, settings by name",
		"Wren 1200\nOakes 900\n":                                        Text,
		"-- written by the game\nvolume = 3\n":                          "text, settings by name",
		`{"slot": 1}`:                                                   "text, JSON",
		`{slot`:                                                         Text,
		"\xef\xbb\xbf<?xml version=":                                    "text, XML",
		"Once upon a time\nit rained":                                   Text,
		"caf\xc3\xa9":                                                   Text,
		"caf\xc3":                                                       Bytes,
		strings.Repeat("a", HeadSize-1) + "\xc3":                        Text,
		strings.Repeat("\x00", 300):                                     Bytes,
		strings.Repeat("x", 257) + "ustar":                              "tar archive",
	} {
		assert.Equal(t, want, Looks([]byte(head)), "%.30q", head)
		assert.True(t, Known(want))
		assert.Equal(t, strings.Contains(want, "with a token"), NamesToken(want))
	}
}
