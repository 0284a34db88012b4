// Package phrase writes numbers, sizes, times and texts from outside as people read them,
// the same in every output.
//
//	phrase.Count(12345, "file", "files") // 12,345 files
package phrase

import (
	"fmt"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/dustin/go-humanize"
	"github.com/mattn/go-runewidth"
	"golang.org/x/text/unicode/bidi"
)

// Duration writes a duration: 0.4 s, 31 s, 12 min 5 s, 3.0 h.
func Duration(d time.Duration) string {
	switch {
	case d < 10*time.Second:
		return fmt.Sprintf("%.1f s", d.Seconds())
	case d < 2*time.Minute:
		return fmt.Sprintf("%.0f s", d.Seconds())
	case d < 2*time.Hour:
		d = d.Round(time.Second)
		return fmt.Sprintf("%d min %d s", int(d.Minutes()), int(d.Seconds())%60)
	}
	return fmt.Sprintf("%.1f h", d.Hours())
}

// Size writes a number of bytes in decimal units: 82 kB.
func Size(n int64) string { return humanize.Bytes(uint64(max(n, 0))) }

// Count writes a number with its noun: 1 file, 12,345 files.
func Count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return humanize.Comma(int64(n)) + " " + many
}

// Visible makes a text from outside safe for a terminal: what does not show as
// itself is written as an escape, also line ends and tabs: a name must not look like a
// row of its own. One that has letters written from right to left is isolated (UAX #9), so
// that it does not turn what stands beside it.
func Visible(text string) string {
	if !strings.ContainsFunc(text, func(r rune) bool { return r < ' ' || r > '~' }) {
		return text // as most are
	}
	var b strings.Builder
	turns := false
	for i := 0; i < len(text); {
		r, n := utf8.DecodeRuneInString(text[i:])
		switch {
		case r == utf8.RuneError && n == 1:
			fmt.Fprintf(&b, `\x%02X`, text[i])
		case r == '\n':
			b.WriteString(`\n`)
		case r == '\t':
			b.WriteString(`\t`)
		case unicode.IsGraphic(r) && !unicode.Is(unicode.Cf, r):
			b.WriteString(text[i : i+n])
			turns = turns || rightToLeft(r)
		default:
			fmt.Fprintf(&b, `\u%04X`, r)
		}
		i += n
	}
	if turns {
		return "\u2068" + b.String() + "\u2069"
	}
	return b.String()
}

// rightToLeft reports whether a letter is written so.
func rightToLeft(r rune) bool {
	p, _ := bidi.LookupRune(r)
	return p.Class() == bidi.R || p.Class() == bidi.AL || p.Class() == bidi.AN
}

// VisibleLines shows a text of several lines as such: for where a line of it cannot be taken
// for one of this program's.
func VisibleLines(text string) string {
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		lines[i] = Visible(l)
	}
	return strings.Join(lines, "\n")
}

// Clip shortens a text to so many characters, with an ellipsis in place of the rest.
func Clip(text string, most int) string {
	n := 0
	for i := range text {
		if n == most {
			return text[:i] + "…"
		}
		n++
	}
	return text
}

// Pad fills a text up with spaces to a width in terminal cells: letters of some scripts take
// two.
func Pad(text string, width int) string { return runewidth.FillRight(text, width) }

// Width is how many terminal cells a text takes.
func Width(text string) int { return runewidth.StringWidth(text) }
