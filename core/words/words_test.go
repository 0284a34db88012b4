package words_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"endroit/core/words"
)

func TestNamesThatLookLikeWhatTheyAre(t *testing.T) {
	for _, name := range []string{"", "Tidewrack", "The Quiet Mill", "C++ Tale", "Élan Vital", "Ōkami-go 2", "Война и мир", "Ελπίδα 3", "東京クエスト", "서울 이야기", "漢字かな交じり", "שלום", "مرحبا", "Tidewrack: Война", "Nine ★ Lanterns", "Việt Nữ", "हिन्दी खेल", "ไทย", "100%", "Don't Fall!", "R&D™", "½ Moon"} {
		assert.Empty(t, words.Name(name, 200), "%q", name)
	}
	for name, want := range map[string]string{
		"Tidewr\u0430ck":         "mixes letters of the scripts Latin and Cyrillic",
		"\u0422idewrack":         "mixes letters",
		"Tide\u03c9rack":         "Latin and Greek",
		"game\u30a2":             "mixes letters",
		"Tide\u200bwrack":        "does not show",
		"\u202eTidewrack":        "does not show",
		"Tide\u2066wrack":        "does not show",
		"Tide\u00adwrack":        "does not show",
		"Tide\u3164wrack":        "does not show",
		"\u2800":                 "does not show",
		"Tide\u00a0wrack":        "does not show",
		"Tide\u2003wrack":        "does not show",
		"Tide\ufe0fwrack":        "does not show",
		"Tide\U000E0041wrack":    "does not show",
		"Tide\nwrack":            "does not show",
		"Tide\x1b[2Jwrack":       "does not show",
		"Tide\xffwrack":          "not UTF-8",
		" Tidewrack":             "space",
		"Cafe\u0301":             "composed",
		"T\u0489\u0489\u0489ide": "marks",
		"\u0301Tide":             "mark",
		strings.Repeat("a", 201): "longer than 200",
	} {
		assert.Contains(t, words.Name(name, 200), want, "%q", name)
	}
}

func TestLinesAndTexts(t *testing.T) {
	assert.Empty(t, words.Line("the folder сохранения holds it, not saveы", 100), "what people say of names is not one")
	assert.Contains(t, words.Line("two\nlines", 100), "does not show")
	assert.Empty(t, words.Text("two\nlines", 100))
	for _, bad := range []string{"a\u202eb", "a\x00b", "a\rb", "a\u200fb", "a\x7fb"} {
		assert.Contains(t, words.Text(bad, 100), "does not show", "%q", bad)
	}
}
