// Package words says what is wrong with texts that strangers choose and others read: names,
// lines and longer texts. What passes looks like what it is.
//
//	if reason := words.Name(title, 200); reason != "" { … }
package words

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"golang.org/x/text/unicode/norm"
)

// Name checks what people distinguish by its looks: a title, a person, a cue. Beside what
// Line checks, its letters are in composed form, a word has letters of one script (or of
// those that one language writes together), and it has no more than two marks on a letter.
// max is in bytes; an empty name passes. The reason is empty if nothing is wrong.
func Name(text string, most int) (reason string) {
	if reason := Line(text, most); reason != "" {
		return reason
	}
	if !norm.NFC.IsNormalString(text) {
		return "it is not in Unicode's composed form (NFC)"
	}
	marks := 0
	var word []rune
	for _, r := range text + " " {
		switch {
		case unicode.Is(unicode.M, r):
			if marks++; marks > 2 || len(word) == 0 {
				return "it has too many combining marks, or one without a letter"
			}
		case unicode.IsLetter(r):
			marks, word = 0, append(word, r)
		default:
			if a, b, mixed := scripts(word); mixed {
				return fmt.Sprintf("the word %q mixes letters of the scripts %s and %s, which look alike", string(word), a, b)
			}
			marks, word = 0, word[:0]
		}
	}
	return ""
}

// Line checks a text on one line.
func Line(text string, most int) (reason string) {
	if strings.TrimSpace(text) != text {
		return "it begins or ends with a space"
	}
	return check(text, most, "")
}

// Shown checks a text on one line that is shown as it is, spaces at its edges and all.
func Shown(text string, most int) (reason string) { return check(text, most, "") }

// Text checks a text that may have several lines.
func Text(text string, most int) (reason string) { return check(text, most, "\n") }

func check(text string, most int, also string) (reason string) {
	switch {
	case len(text) > most:
		return fmt.Sprintf("it is longer than %d bytes", most)
	case !utf8.ValidString(text):
		return "it is not UTF-8"
	case strings.ContainsFunc(text, func(r rune) bool { return Hidden(r) && !strings.ContainsRune(also, r) }):
		return "it contains an invisible or unprintable character"
	}
	return ""
}

// Hidden reports whether a character does not show as itself: controls, direction marks,
// fillers, and spaces that are no plain one.
func Hidden(r rune) bool {
	switch {
	case r == ' ':
		return false
	case r < 0x7f:
		return r < ' '
	}
	return !unicode.IsGraphic(r) ||
		unicode.In(r, unicode.Cf, unicode.Zs, unicode.Other_Default_Ignorable_Code_Point, unicode.Variation_Selector) ||
		r == 0x2800 // the pattern of Braille without dots
}

// together are the scripts that one language writes in a word (UTS #39, "highly
// restrictive"), without Latin: a word of Latin letters alone is another.
var together = [][]string{
	{"Han", "Hiragana", "Katakana"},
	{"Han", "Bopomofo"},
	{"Han", "Hangul"},
}

// scripts finds two scripts in a word that are not written together.
func scripts(word []rune) (a, b string, mixed bool) {
	var seen []string
	for _, r := range word {
		s := script(r)
		if s == "" {
			continue
		}
		fits := true
		for _, other := range seen {
			if s != other && !written(s, other) {
				return other, s, true
			}
			fits = fits && s != other
		}
		if fits {
			seen = append(seen, s)
		}
	}
	return "", "", false
}

func written(a, b string) bool {
	for _, set := range together {
		in := 0
		for _, s := range set {
			if s == a || s == b {
				in++
			}
		}
		if in == 2 {
			return true
		}
	}
	return false
}

// script is the script of a letter; empty for those that several share.
func script(r rune) string {
	switch {
	case r < 0x80, unicode.Is(unicode.Latin, r):
		return "Latin"
	case unicode.In(r, unicode.Common, unicode.Inherited):
		return ""
	}
	for name, table := range unicode.Scripts {
		if unicode.Is(table, r) {
			return name
		}
	}
	return "unknown"
}
