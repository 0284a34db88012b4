package regtext

import (
	"encoding/binary"
	"strings"
	"testing"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/hive"
	"endroit/standin/growth"
)

const top = `HKEY_CURRENT_USER\Software\Fen\Tidewrack`

// wide writes a text as the registry editor does.
func wide(text string) []byte {
	out := []byte{0xff, 0xfe}
	for _, u := range utf16.Encode([]rune(strings.ReplaceAll(text, "\n", "\r\n"))) {
		out = binary.LittleEndian.AppendUint16(out, u)
	}
	return out
}

const saved = header + `

[HKEY_CURRENT_USER\Software\Fen\Tidewrack]
@="the \"default\" \\"
"Blob"=hex:01,02,0a,ff
"Captain"="Zoë 😀"
"Folder"=hex(2):25,00,00,00
"Odd"=hex(1):41,00
"Volume"=dword:00000050

[HKEY_CURRENT_USER\Software\Fen\Tidewrack\Slots]
"Lines"=hex(1):61,00,0a,00,00,00

`

func tree() []hive.Branch {
	return []hive.Branch{
		{Path: "", Values: []hive.Raw{
			{Name: "", Kind: hive.String, Data: wide("the \"default\" \\\x00")[2:]},
			{Name: "Blob", Kind: hive.Binary, Data: []byte{1, 2, 10, 255}},
			{Name: "Captain", Kind: hive.String, Data: wide("Zoë 😀\x00")[2:]},
			{Name: "Folder", Kind: hive.Expand, Data: []byte{'%', 0, 0, 0}},
			{Name: "Odd", Kind: hive.String, Data: []byte{'A', 0}},
			{Name: "Volume", Kind: hive.DWord, Data: []byte{80, 0, 0, 0}},
		}},
		{Path: "Slots", Values: []hive.Raw{{Name: "Lines", Kind: hive.String, Data: []byte{'a', 0, '\n', 0, 0, 0}}}},
	}
}

func TestText(t *testing.T) {
	text, err := Text(top, tree())
	require.NoError(t, err)
	assert.Equal(t, wide(saved), text)
	got, err := Parse(text, strings.ToUpper(top))
	require.NoError(t, err)
	assert.Equal(t, tree(), got)
	assert.Equal(t, 7, Values(got))

	mixed := tree()
	mixed[0], mixed[1] = mixed[1], mixed[0]
	mixed[1].Values[0], mixed[1].Values[3] = mixed[1].Values[3], mixed[1].Values[0]
	again, err := Text(top, mixed)
	require.NoError(t, err)
	assert.Equal(t, text, again, "in any order it is one text")

	_, err = Text(top, []hive.Branch{{Path: "a\nb"}})
	assert.ErrorContains(t, err, "cannot be written")
	_, err = Text(top, []hive.Branch{{Values: []hive.Raw{{Name: "a\x00"}}}})
	assert.ErrorContains(t, err, "cannot be written")
	replacing, err := Replacing(top, nil)
	require.NoError(t, err)
	assert.Equal(t, wide(header+"\n\n[-"+top+"]\n\n"), replacing)
}

// What an editor exports has its own line breaks.
func TestParseAnExport(t *testing.T) {
	got, err := Parse(wide(header+"\n; exported\n\n["+top+"]\n\"Blob\"=hex:01,02,\\\n  0a,ff\n\"Path\\\\\"=\"C:\\\\\"\n"), top)
	require.NoError(t, err)
	assert.Equal(t, []hive.Branch{{Values: []hive.Raw{
		{Name: "Blob", Kind: hive.Binary, Data: []byte{1, 2, 10, 255}}, {Name: `Path\`, Kind: hive.String, Data: wide("C:\\\x00")[2:]},
	}}}, got)
}

func TestInvalidTexts(t *testing.T) {
	for text, says := range map[string]string{
		"":                                                   "does not begin with",
		"REGEDIT4\n[" + top + "]":                            "does not begin with",
		header:                                               "it has no key",
		header + "\n\"a\"=\"b\"":                             "before the first key",
		header + "\n[" + top + " 2]":                         "does not lie in",
		header + "\n[HKEY_CURRENT_USER\\Other]":              "does not lie in",
		header + "\n[-" + top + "]":                          "no key",
		header + "\n[" + top + "\\]":                         "does not lie in",
		header + "\n[" + top + "\\a\\\\b]":                   "no path of a key",
		header + "\n[" + top + "]\n[" + top + "]":            "line 3: " + top + " stands there twice",
		header + "\n[" + top + "]\n\"a\"=-":                  "removes something",
		header + "\n[" + top + "]\n\"a\"=\"b":                "closing quote",
		header + "\n[" + top + "]\n\"a\"=\"b\"c":             "something follows",
		header + "\n[" + top + "]\n\"a\"=hex:1":              "no byte",
		header + "\n[" + top + "]\n\"a\"=hex(:1":             "no number",
		header + "\n[" + top + "]\n\"a\"=dword:g":            "invalid syntax",
		header + "\n[" + top + "]\n\"a\"=\"1\"\n\"A\"=\"2\"": "stands there twice",
		header + "\n[" + top + "]\n\"a\\n\"=\"1\"":           "no escape",
	} {
		_, err := Parse(wide(text), top)
		assert.ErrorContains(t, err, says, "%q", text)
	}
	_, err := Parse([]byte(saved), top)
	assert.ErrorContains(t, err, "UTF-16")
	_, err = Parse(make([]byte, MaxBytes+1), top)
	assert.ErrorContains(t, err, "larger")
}

// Any tree is read from its text byte for byte, and from a hive that it went through.
func TestTextRoundTrips(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		names := rapid.SliceOfNDistinct(rapid.StringMatching(`[a-z0-9 "=\\\[\];@é😀-]{0,6}`), 0, 4, strings.ToLower)
		values := func(label string) (all []hive.Raw) {
			for _, n := range names.Draw(t, label) {
				all = append(all, hive.Raw{
					Name: n, Kind: hive.Kind(rapid.IntRange(0, 12).Draw(t, "kind")),
					Data: append([]byte{}, rapid.SliceOfN(rapid.SampledFrom([]byte{0, 0, 10, 'a', '\\', '"', 0xd8, 0xff}), 0, 8).Draw(t, "data")...),
				})
			}
			return all
		}
		key := rapid.StringMatching(`[a-z0-9 "=\[\]é]{1,6}`).Draw(t, "key")
		in := sorted([]hive.Branch{{Values: values("top")}, {Path: key, Values: values("below")}})
		text, err := Text(top, in)
		require.NoError(t, err)
		got, err := Parse(text, top)
		require.NoError(t, err)
		require.Equal(t, in, got)
	})
}

func FuzzParse(f *testing.F) {
	f.Add(wide(saved))
	f.Fuzz(func(t *testing.T, data []byte) {
		tree, err := Parse(data, top)
		if err != nil {
			return
		}
		text, err := Text(top, tree)
		if err != nil {
			return
		}
		again, err := Parse(text, top)
		require.NoError(t, err)
		require.Equal(t, tree, again)
	})
}

func TestTimeIsLinear(t *testing.T) {
	head := header + "\n[" + top + "]\n"
	for name, input := range map[string]growth.Input{
		"keys":      growth.Repeat(head, "["+top+"\\k{n}]\n", ""),
		"values":    growth.Repeat(head, "\"v{n}\"=\"x\"\n", ""),
		"continued": growth.Repeat(head+"\"v\"=hex:", "00,\\\n", "00\n"),
		"escapes":   growth.Repeat(head+"\"v\"=\"", "\\\\", "\"\n"),
		"deep":      growth.Repeat(head+"["+top, "\\a", "]\n"),
	} {
		growth.Hold(t, name, 16<<10, input, func(text []byte) {
			got, err := Parse(wide(string(text)), top)
			if err == nil {
				_, _ = Text(top, got)
			}
		})
	}
}
