// Package place knows where things are kept in words that hold on any machine.
//
// A location is written as one string, ANCHOR:PATTERN, and read with Parse:
//
//	l, err := place.Parse("xdg-data:tidewrack/slots/*.sav")
//
// The grammar of what stands behind the colon:
//
//	pattern = segment { "/" segment } [ "/" ]   a trailing slash: the folder with all that is in it
//	segment = "**"                              any number of segments, also none
//	        | part { part }
//	part    = literal                           special characters percent-encoded, UTF-8 byte by byte
//	        | "*"                               any text within the segment, also none
//	        | "?"                               one character
//	        | "{" name "}"                      account, slot, user or ref: one character or more, captured
//
// A pattern has one spelling: Parse refuses any other, so Parse and String are
// exact inverses. Named parts and stars take the shortest text that lets the
// segment match; a name used in two segments must capture the same text.
//
// Parse also refuses what is not Narrow: people let programs overwrite and
// delete what a location matches.
package place

import (
	"fmt"
	"strings"

	"endroit/core/phrase"
)

// Location is a place where a title keeps something, on any machine.
type Location struct {
	Anchor  Anchor
	Pattern Pattern
}

// Parse reads a location. An error says what is wrong with the text, where and
// what to write; a *WideError says that the text is well formed and reaches too
// far.
func Parse(text string) (Location, error) {
	l, err := parse(text)
	if err != nil {
		return Location{}, fmt.Errorf("location %q: %w", phrase.Clip(text, 120), err)
	}
	if err := l.Narrow(); err != nil {
		return Location{}, fmt.Errorf("location %q: %w", phrase.Clip(text, 120), err)
	}
	return l, nil
}

func parse(text string) (Location, error) {
	if len(text) > maxLength {
		return Location{}, fmt.Errorf("%d bytes long; at most %d are allowed", len(text), maxLength)
	}
	name, rest, found := strings.Cut(text, ":")
	if !found {
		return Location{}, fmt.Errorf("no colon; write ANCHOR:PATTERN, such as xdg-data:tidewrack/*.sav")
	}
	a := Anchor(name)
	if _, ok := byAnchor[a]; !ok {
		return Location{}, unknownAnchor(phrase.Clip(name, 120))
	}
	p, err := parsePattern(rest)
	if err != nil {
		return Location{}, err
	}
	return Location{a, p}, nil
}

// ParseAny reads a location that need not be narrow: the place of a file that
// was seen, for showing and comparing. What deletes or overwrites uses Parse.
func ParseAny(text string) (Location, error) {
	l, err := parse(text)
	if err != nil {
		return Location{}, fmt.Errorf("location %q: %w", phrase.Clip(text, 120), err)
	}
	return l, nil
}

// String writes the location in its one spelling: Parse's inverse.
func (l Location) String() string { return string(l.Anchor) + ":" + l.Pattern.String() }

// MarshalText writes the location as String does.
func (l Location) MarshalText() ([]byte, error) { return []byte(l.String()), nil }

// UnmarshalText reads the location as Parse does.
func (l *Location) UnmarshalText(text []byte) (err error) {
	*l, err = Parse(string(text))
	return err
}

// Of makes the location of exactly one file or folder below an anchor. It does
// not ask whether that is narrow.
func Of(a Anchor, names []string, folder bool) Location {
	p := Pattern{Folder: folder}
	for _, n := range names {
		p.Segments = append(p.Segments, LiteralSegment(n))
	}
	return Location{a, p}
}

// Exact is the text of the location of exactly one file: that of Of(a, names, false).
func Exact(a Anchor, names []string) string {
	var b strings.Builder
	size := len(a) + 1
	for _, n := range names {
		size += len(n) + 1
	}
	b.Grow(size)
	b.WriteString(string(a))
	b.WriteByte(':')
	for i, n := range names {
		if i > 0 {
			b.WriteByte('/')
		}
		encode(&b, n, true, true)
	}
	return b.String()
}

// Names gives the names below the anchor of an exact place. A part that was made
// general, to hide whose it is, stands as it is written: "{account}".
func (l Location) Names() (names []string) {
	for _, s := range l.Pattern.Segments {
		if s.literal() {
			names = append(names, s[0].Text)
		} else {
			text := ""
			for _, p := range s {
				if p.Kind == Literal {
					text += p.Text
				} else {
					text += Segment{p}.String()
				}
			}
			names = append(names, text)
		}
	}
	return names
}
