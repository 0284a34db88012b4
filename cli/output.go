package cli

import (
	"bufio"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"strings"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/dustin/go-humanize"
	"golang.org/x/term"
	"golang.org/x/text/unicode/bidi"

	"endroit/core/trace"
	"endroit/safefile"
)

func (a *app) json(v any) error {
	e := json.NewEncoder(a.out)
	e.SetIndent("", "  ")
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

func (a *app) say(format string, args ...any)  { fmt.Fprintf(a.out, format+"\n", args...) }
func (a *app) tell(format string, args ...any) { fmt.Fprintf(a.err, format+"\n", args...) }

// shown makes a text from outside safe for a terminal: what does not show as
// itself is written as an escape, also line ends and tabs: a name must not look like a
// row of its own. One that has letters written from right to left is isolated (UAX #9), so
// that it does not turn what stands beside it.
func shown(text string) string {
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

// shownLines shows a text of several lines as such: for where a line of it cannot be taken
// for one of this program's.
func shownLines(text string) string {
	lines := strings.Split(text, "\n")
	for i, l := range lines {
		lines[i] = shown(l)
	}
	return strings.Join(lines, "\n")
}

// inTerms writes a duration for people: 0.4 s, 31 s, 12 min.
func inTerms(d time.Duration) string {
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

func bytesInTerms(n int64) string { return humanize.Bytes(uint64(max(n, 0))) }

func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return humanize.Comma(int64(n)) + " " + many
}

// ask asks on the terminal and takes only a plain yes. It fails if standard input is
// not a terminal.
func (a *app) ask(question string) (bool, error) {
	if !term.IsTerminal(int(a.in.Fd())) {
		return false, fail(exitUsage, "standard input is not a terminal; pass --yes to go ahead")
	}
	fmt.Fprintf(a.err, "%s [y/N] ", question)
	line, err := bufio.NewReader(a.in).ReadString('\n')
	if err != nil && line == "" {
		return false, fail(exitFailed, "no answer was read; nothing was done")
	}
	switch strings.ToLower(strings.TrimSpace(line)) {
	case "y", "yes":
		return true, nil
	}
	return false, nil
}

// newFile creates a file that must not be there yet.
func newFile(name string) (*os.File, error) {
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, os.ErrExist) {
		return nil, fail(exitUsage, "%s is there already; name another file with --out, or remove it", name)
	}
	if err != nil {
		return nil, fail(exitFailed, "%w", err)
	}
	return f, nil
}

// indent puts each line behind a margin.
func indent(margin, text string) string {
	return margin + strings.ReplaceAll(strings.TrimRight(text, "\n"), "\n", "\n"+margin)
}

// gapsShown is how many gaps are printed, and gapShown how many characters of one.
const (
	gapsShown = 20
	gapShown  = 600
)

// gapLines prints what could not be seen, a line each.
func gapLines(gaps []trace.Gap, say func(line string)) {
	for i, g := range gaps {
		if i == gapsShown {
			say(fmt.Sprintf("not seen: and %d more (--json lists them)", len(gaps)-i))
			return
		}
		text := []rune(g.What)
		if len(text) > gapShown {
			text = append(text[:gapShown], '…')
		}
		say("not seen: " + shown(string(text)))
	}
}

// ownFile is how large a file is at most that the program keeps for itself.
const ownFile = 1 << 20

// unread is the exit code of a file that cannot be read: too large is bad input.
func unread(err error) int {
	var large *safefile.ErrLarge
	if errors.As(err, &large) {
		return exitInput
	}
	return exitNotFound
}
