package hive

import (
	"fmt"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const sample = `WINE REGISTRY Version 2
;; All keys relative to REGISTRY\\User\\S-1-5-21-0-0-0-1000

#arch=win64

[Software\\Tidewrack] 1795576273
#time=1dd7c8aa082033a
@="the default"
"Captain"="Sedge \"the\" \\ Old"
"Slots"=dword:0000000c
"Folder"=str(2):"%USERPROFILE%\\Saved Games"
"Recent"=str(7):"one\0two\0"
"Blob"=hex:01,02,\
  0a,ff
"Odd"=hex(0):
"Zo\xeb \xd83d\xde00"="\x4e9\x9727\t\33"

[Software\\Tide\]wrack\\Empty] 1795576273

`

func TestParse(t *testing.T) {
	h, err := Parse([]byte(sample))
	require.NoError(t, err)
	assert.Equal(t, `REGISTRY\User\S-1-5-21-0-0-0-1000`, h.Root)
	require.Len(t, h.Keys, 2)
	assert.Equal(t, `Software\Tide]wrack\Empty`, h.Keys[1].Path)
	k := h.Key(`SOFTWARE\tidewrack`)
	require.NotNil(t, k, "names compare without regard to case")
	assert.Equal(t, time.Unix(1795576273, 0).UTC(), k.Time)
	assert.Equal(t, []Value{
		{Name: "", Kind: String, Text: "the default"},
		{Name: "Captain", Kind: String, Text: `Sedge "the" \ Old`},
		{Name: "Slots", Kind: DWord, Number: 12},
		{Name: "Folder", Kind: Expand, Text: `%USERPROFILE%\Saved Games`},
		{Name: "Recent", Kind: Multi, Text: "one\ntwo"},
		{Name: "Blob", Kind: Binary, Data: []byte{1, 2, 10, 255}},
		{Name: "Odd", Kind: 0, Data: []byte{}},
		{Name: "Zoë 😀", Kind: String, Text: "\u04e9\u9727\t\x1b"},
	}, k.Values)
	text, ok := h.Text(`Software\Tidewrack`, "folder")
	assert.True(t, ok)
	assert.Equal(t, `%USERPROFILE%\Saved Games`, text)
	_, ok = h.Text(`Software\Tidewrack`, "Slots")
	assert.False(t, ok, "a number is no text")
	_, ok = h.Text(`Software\Nowhere`, "x")
	assert.False(t, ok)
	crlf, err := Parse([]byte(strings.ReplaceAll(sample, "\n", "\r\n")))
	require.NoError(t, err)
	assert.Equal(t, h, crlf)
}

func TestInvalidHives(t *testing.T) {
	for _, text := range []string{"", "hello", "WINE REGISTRY Version 3\n", "regf\x00\x00"} {
		_, err := Parse([]byte(text))
		assert.ErrorIs(t, err, ErrFormat, "%.20q", text)
	}
	const head = "WINE REGISTRY Version 2\n"
	for text, says := range map[string]string{
		`"a"="b"`:                  "before the first key",
		"[a":                       "closing ]",
		"[a]\nnonsense":            "neither a key nor a value",
		"[a]\n\"b":                 "closing \"",
		"[a]\n\"b\"":               "without =",
		"[a]\n\"b\"=maybe":         "an unknown type",
		"[a]\n\"b\"=hex:0":         "odd length",
		"[a]\n\"b\"=dword:xyz":     "invalid syntax",
		"[a]\n\"b\"=str(2:\"x\"":   "a type that is not closed by a parenthesis and a colon",
		"[a]\n\"b\"=str(2):x":      "without quotes",
		"[a]\n\"b\"=\"c\\":         "",
		"[a]\n\"b\"=str(zz):\"x\"": "invalid syntax",
	} {
		_, err := Parse([]byte(head + text))
		if assert.Error(t, err, text) {
			assert.Contains(t, err.Error(), says, text)
			assert.Contains(t, err.Error(), "line ", text)
		}
	}
}

// written is a text as Wine's server writes it (dump_strW).
func written(text string) string {
	var b strings.Builder
	units := utf16.Encode([]rune(text))
	for i, u := range units {
		next := byte(0)
		if i+1 < len(units) && units[i+1] < 128 {
			next = byte(units[i+1])
		}
		switch {
		case u > 127 && isDigit(next, 16):
			fmt.Fprintf(&b, `\x%04x`, u)
		case u > 127:
			fmt.Fprintf(&b, `\x%x`, u)
		case u < 32 && isDigit(next, 8):
			fmt.Fprintf(&b, `\%03o`, u)
		case u < 32:
			fmt.Fprintf(&b, `\%o`, u)
		case strings.ContainsRune(`\"[]`, rune(u)):
			b.WriteString(`\` + string(rune(u)))
		default:
			b.WriteByte(byte(u))
		}
	}
	return b.String()
}

func TestTextRoundTrips(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		name, text := rapid.String().Draw(rt, "name"), rapid.String().Draw(rt, "text")
		h, err := Parse([]byte("WINE REGISTRY Version 2\n[Software] 1\n\"" + written(name) + "\"=\"" + written(text) + "\"\n"))
		require.NoError(rt, err)
		require.Len(rt, h.Keys[0].Values, 1)
		require.Equal(rt, Value{Name: name, Kind: String, Text: text}, h.Keys[0].Values[0])
	})
}

func FuzzParse(f *testing.F) {
	f.Add([]byte(sample))
	f.Fuzz(func(t *testing.T, data []byte) {
		h, err := Parse(data)
		if err != nil {
			return
		}
		for _, k := range h.Keys {
			if h.Key(k.Path) == nil {
				t.Fatalf("key %q is not found", k.Path)
			}
		}
	})
}
