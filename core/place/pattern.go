package place

import (
	"errors"
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// The bounds of a pattern, so that matching stays cheap whoever wrote it.
const (
	maxLength   = 1024 // bytes of the whole location as written
	maxSegments = 32
	maxDeep     = 2 // `**` segments
)

// Names that a named part can have.
var partNames = []string{"account", "slot", "profile", "user", "host", "ref"}

// PartKind says what one part of a segment stands for.
type PartKind uint8

const (
	Literal PartKind = iota // the text itself
	Any                     // `*`: any text within the segment, also none
	One                     // `?`: one character
	Named                   // `{slot}`: at least one character, captured
	Deep                    // `**`: any number of whole segments, also none
)

// Part is a piece of a segment. Text is the decoded literal, or the name of a
// named part.
type Part struct {
	Kind PartKind
	Text string
}

// Segment is what stands between two slashes.
type Segment []Part

// Pattern is a path below an anchor, with its variable parts. A Folder pattern
// (trailing slash) means the folder with all that is in it; any other pattern
// means files only.
type Pattern struct {
	Segments []Segment
	Folder   bool
}

func (s Segment) deep() bool    { return len(s) == 1 && s[0].Kind == Deep }
func (s Segment) literal() bool { return len(s) == 1 && s[0].Kind == Literal }

// LiteralSegment makes the segment that matches exactly this name.
func LiteralSegment(name string) Segment { return Segment{{Literal, name}} }

// String writes the segment in its one spelling.
func (s Segment) String() string {
	var b strings.Builder
	for i, p := range s {
		switch p.Kind {
		case Literal:
			encode(&b, p.Text, i == 0, i == len(s)-1)
		case Any:
			b.WriteByte('*')
		case One:
			b.WriteByte('?')
		case Named:
			b.WriteString("{" + p.Text + "}")
		case Deep:
			b.WriteString("**")
		}
	}
	return b.String()
}

// String writes the pattern in its one spelling: ParsePattern's inverse.
func (p Pattern) String() string {
	parts := make([]string, len(p.Segments))
	for i, s := range p.Segments {
		parts[i] = s.String()
	}
	text := strings.Join(parts, "/")
	if p.Folder {
		text += "/"
	}
	return text
}

const hexDigits = "0123456789ABCDEF"

// encode writes a literal; first and last say whether it begins or ends its
// segment, where a space would get lost in copying.
func encode(b *strings.Builder, text string, first, last bool) {
	for i := 0; i < len(text); {
		r, n := utf8.DecodeRuneInString(text[i:])
		edgeSpace := r == ' ' && (first && i == 0 || last && i+n == len(text))
		if special(r, n) || edgeSpace {
			for _, c := range []byte(text[i : i+n]) {
				b.WriteByte('%')
				b.WriteByte(hexDigits[c>>4])
				b.WriteByte(hexDigits[c&15])
			}
		} else {
			b.WriteString(text[i : i+n])
		}
		i += n
	}
}

// special tells the characters that are always percent-encoded: those with a
// meaning here, separators of either kind, bytes that are not UTF-8, and what
// a terminal or a page would not show as itself.
func special(r rune, size int) bool {
	if r < utf8.RuneSelf { // nearly all are; the tables of Unicode take their time
		return r < ' ' || r == 0x7f || r == '%' || r == '*' || r == '?' || r == '{' || r == '}' || r == '/' || r == '\\'
	}
	if r == utf8.RuneError && size == 1 {
		return true
	}
	return r != ' ' && !unicode.IsGraphic(r) || unicode.Is(unicode.Cf, r) || unicode.IsSpace(r) && r != ' '
}

// parsePattern reads a pattern. Errors carry the byte offset in text.
func parsePattern(text string) (Pattern, error) {
	var p Pattern
	if text == "" {
		return p, errors.New("the pattern is empty; it must say where below the anchor")
	}
	if text[0] == '/' {
		return p, errors.New("the pattern begins with a slash; a location is always below its anchor")
	}
	if strings.HasSuffix(text, "/") {
		p.Folder, text = true, text[:len(text)-1]
	}
	offset, deep := 0, 0
	for _, raw := range strings.Split(text, "/") {
		s, err := parseSegment(raw, offset)
		if err != nil {
			return Pattern{}, err
		}
		if s.deep() {
			deep++
			if n := len(p.Segments); n > 0 && p.Segments[n-1].deep() {
				return Pattern{}, fmt.Errorf("at %d: two ** in a row mean the same as one", offset)
			}
		}
		p.Segments = append(p.Segments, s)
		offset += len(raw) + 1
	}
	switch {
	case len(p.Segments) > maxSegments:
		return Pattern{}, fmt.Errorf("%d segments; at most %d are allowed", len(p.Segments), maxSegments)
	case deep > maxDeep:
		return Pattern{}, fmt.Errorf("%d times **; at most %d are allowed", deep, maxDeep)
	case p.Segments[len(p.Segments)-1].deep():
		return Pattern{}, errors.New("the pattern ends in **; use a trailing slash for a folder with everything in it")
	}
	if !plainlyWritten(text) && text != strings.TrimSuffix(p.String(), "/") {
		return Pattern{}, fmt.Errorf("write it as %s: encode only the characters that need it, with uppercase hex digits", p)
	}
	return p, nil
}

// plainlyWritten reports, for most patterns that can be read, that they have the one
// spelling: nothing is encoded, and nothing would have to be.
func plainlyWritten(text string) bool {
	before := byte('/')
	for i := range len(text) {
		c := text[i]
		if c < ' ' || c > '~' || c == '%' || c == ' ' && before == '/' || c == '/' && before == ' ' {
			return false
		}
		before = c
	}
	return before != ' '
}

func parseSegment(raw string, offset int) (Segment, error) {
	fail := func(i int, format string, args ...any) (Segment, error) {
		return nil, fmt.Errorf("at %d: %s", offset+i, fmt.Sprintf(format, args...))
	}
	if raw == "" {
		return fail(0, "an empty segment; two slashes in a row are not allowed")
	}
	if raw == "**" {
		return Segment{{Kind: Deep}}, nil
	}
	if !strings.ContainsAny(raw, `*{}?\%`) && raw != "." && raw != ".." {
		return LiteralSegment(raw), nil
	}
	var s Segment
	var literal strings.Builder
	flush := func() {
		if literal.Len() > 0 {
			s = append(s, Part{Literal, literal.String()})
			literal.Reset()
		}
	}
	variable := func() bool {
		return literal.Len() == 0 && len(s) > 0 && (s[len(s)-1].Kind == Any || s[len(s)-1].Kind == Named)
	}
	names := map[string]bool{}
	for i := 0; i < len(raw); i++ {
		switch c := raw[i]; c {
		case '*', '{':
			if variable() {
				return fail(i, "two variable parts without text between them")
			}
			flush()
			if c == '*' {
				s = append(s, Part{Kind: Any})
				continue
			}
			end := strings.IndexByte(raw[i:], '}')
			if end < 0 {
				return fail(i, "{ without }; write %%7B for the character itself")
			}
			name := raw[i+1 : i+end]
			if !knownName(name) {
				return fail(i, "there is no named part {%s}; there are {%s}", name, strings.Join(partNames, "}, {"))
			}
			if names[name] {
				return fail(i, "{%s} appears twice in one segment", name)
			}
			names[name] = true
			s = append(s, Part{Named, name})
			i += end
		case '}':
			return fail(i, "} without {; write %%7D for the character itself")
		case '?':
			flush()
			s = append(s, Part{Kind: One})
		case '\\':
			return fail(i, `a backslash; segments are separated by / everywhere (write %%5C for the character itself)`)
		case '%':
			if i+2 >= len(raw) || strings.IndexByte(hexDigits, raw[i+1]) < 0 || strings.IndexByte(hexDigits, raw[i+2]) < 0 {
				return fail(i, "%% must be followed by two uppercase hexadecimal digits; write %%25 for the character itself")
			}
			v := strings.IndexByte(hexDigits, raw[i+1])<<4 | strings.IndexByte(hexDigits, raw[i+2])
			if v == 0 {
				return fail(i, "a name cannot contain NUL")
			}
			literal.WriteByte(byte(v))
			i += 2
		default:
			literal.WriteByte(c)
		}
	}
	flush()
	if s.literal() && (s[0].Text == "." || s[0].Text == "..") {
		return fail(0, "%q is not allowed in a path", s[0].Text)
	}
	return s, nil
}

func knownName(name string) bool {
	for _, n := range partNames {
		if n == name {
			return true
		}
	}
	return false
}
