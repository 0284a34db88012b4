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
		"Tide\u200bwrack":        "it contains an invisible or unprintable character",
		"\u202eTidewrack":        "it contains an invisible or unprintable character",
		"Tide\u2066wrack":        "it contains an invisible or unprintable character",
		"Tide\u00adwrack":        "it contains an invisible or unprintable character",
		"Tide\u3164wrack":        "it contains an invisible or unprintable character",
		"\u2800":                 "it contains an invisible or unprintable character",
		"Tide\u00a0wrack":        "it contains an invisible or unprintable character",
		"Tide\u2003wrack":        "it contains an invisible or unprintable character",
		"Tide\ufe0fwrack":        "it contains an invisible or unprintable character",
		"Tide\U000E0041wrack":    "it contains an invisible or unprintable character",
		"Tide\nwrack":            "it contains an invisible or unprintable character",
		"Tide\x1b[2Jwrack":       "it contains an invisible or unprintable character",
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
	assert.Contains(t, words.Line("two\nlines", 100), "it contains an invisible or unprintable character")
	assert.Empty(t, words.Text("two\nlines", 100))
	for _, bad := range []string{"a\u202eb", "a\x00b", "a\rb", "a\u200fb", "a\x7fb"} {
		assert.Contains(t, words.Text(bad, 100), "it contains an invisible or unprintable character", "%q", bad)
	}
}
