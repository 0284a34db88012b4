package place

import (
	"regexp"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"
)

// Captures holds the text that each named part matched, by name.
type Captures map[string]string

// Match reports whether the location covers the file whose names below the
// anchor are given, and what its named parts captured. known fixes named parts
// whose text is known beforehand (the user's name, the edition's reference);
// it may be nil.
func (l Location) Match(names []string, known Captures) (Captures, bool) {
	if l.Anchor == Registry && l.Pattern.Folder { // a key is there by itself, as a file is
		key := l
		key.Pattern.Folder = false
		if captures, ok := key.Match(names, known); ok {
			return captures, true
		}
	}
	m := matcher{fold: byAnchor[l.Anchor].FoldCase, known: known}
	return m.pattern(l.Pattern, names)
}

// MatchSegment reports whether one segment of the location matches a name,
// adding to captures what it captures. The walk of a real folder uses it. fold
// compares without regard to case: see Location.Folds.
func (l Location) MatchSegment(i int, name string, captures Captures, fold bool) (Captures, bool) {
	m := matcher{fold: fold}
	return m.segment(l.Pattern.Segments[i], name, captures)
}

// SegmentMatches is MatchSegment for who does not ask what it captures.
func (l Location) SegmentMatches(i int, name string, captures Captures, fold bool) bool {
	m := matcher{fold: fold, blind: true}
	_, ok := m.segment(l.Pattern.Segments[i], name, captures)
	return ok
}

// Folds reports whether names below the location's anchor compare without regard
// to case: below a Windows anchor everywhere, below the others where the host or
// the prefix does.
func (l Location) Folds() bool { return byAnchor[l.Anchor].FoldCase }

// IsDeep reports whether segment i is `**`.
func (l Location) IsDeep(i int) bool { return l.Pattern.Segments[i].deep() }

type matcher struct {
	fold  bool
	blind bool // what one segment captures is not asked for
	known Captures
}

func (m matcher) pattern(p Pattern, names []string) (Captures, bool) {
	return m.rest(p.Segments, p.Folder, names, m.known)
}

func (m matcher) rest(segments []Segment, folder bool, names []string, captures Captures) (Captures, bool) {
	for i, s := range segments {
		if s.deep() {
			for skip := 0; skip <= len(names); skip++ {
				if c, ok := m.rest(segments[i+1:], folder, names[skip:], captures); ok {
					return c, true
				}
			}
			return nil, false
		}
		if len(names) == 0 {
			return nil, false
		}
		var ok bool
		if captures, ok = m.segment(s, names[0], captures); !ok {
			return nil, false
		}
		names = names[1:]
	}
	if folder != (len(names) > 0) {
		return nil, false
	}
	return captures, true
}

// segment matches one name. Taking the earliest place for each literal decides whether
// there is a match, unless a named part has to be a text that is known: that is tried
// everywhere then.
func (m matcher) segment(s Segment, name string, before Captures) (Captures, bool) {
	captures, ok := m.earliest(s, name, before)
	if !ok && slices.ContainsFunc(s, func(p Part) bool { _, known := before[p.Text]; return p.Kind == Named && known }) {
		return m.everywhere(s, name, before)
	}
	return captures, ok
}

// everywhere matches one name by trying every place for every part. It takes time in the
// number of parts and the square of the name's length: what failed is not tried again.
func (m matcher) everywhere(s Segment, name string, before Captures) (Captures, bool) {
	text := appendRunes(nil, name)
	folded := m.appendFolded(nil, name)
	type state struct{ part, at int }
	failed := map[state]bool{}
	captured := map[string]string{}
	var from func(i, at int) bool
	from = func(i, at int) bool {
		if i == len(s) {
			return at == len(folded)
		}
		if failed[state{i, at}] {
			return false
		}
		p := s[i]
		switch p.Kind {
		case Literal:
			block := m.appendFolded(nil, p.Text)
			if at+len(block) <= len(folded) && blockAt(block, folded, at) && from(i+1, at+len(block)) {
				return true
			}
		case One:
			if at < len(folded) && from(i+1, at+1) {
				return true
			}
		default:
			end := at
			if p.Kind == Named {
				end++
			}
			old, known := before[p.Text]
			for ; end <= len(folded); end++ {
				if p.Kind == Named && known && !m.equal(old, encodeRunes(text[at:end])) {
					continue
				}
				if from(i+1, end) {
					if p.Kind == Named && !known {
						captured[p.Text] = encodeRunes(text[at:end])
					}
					return true
				}
			}
		}
		failed[state{i, at}] = true
		return false
	}
	if !from(0, 0) {
		return nil, false
	}
	captures := before
	for name, value := range captured {
		if !m.blind {
			captures = captures.with(name, value)
		}
	}
	return captures, true
}

// earliest matches one name by the earliest place for each literal.
func (m matcher) earliest(s Segment, name string, before Captures) (Captures, bool) {
	var inText, inFolded, inBlock [usualName]rune // so that few names ask for memory
	text := appendRunes(inText[:0], name)
	folded := text
	if m.fold {
		folded = m.appendFolded(inFolded[:0], name)
	}
	at := 0    // where the next part starts
	open := -1 // the variable part that still takes characters, by index
	openAt, least := 0, 0
	captures := before
	shut := func(end int) bool {
		if open < 0 {
			return true
		}
		p := s[open]
		if p.Kind == Named {
			old, seen := captures[p.Text]
			switch {
			case seen && !m.equal(old, encodeRunes(text[openAt:end])):
				return false
			case !seen && !m.blind: // a name stands once in a segment
				captures = captures.with(p.Text, encodeRunes(text[openAt:end]))
			}
		}
		open = -1
		return true
	}
	for i := 0; i < len(s); {
		if s[i].Kind == Any || s[i].Kind == Named {
			open, openAt, least = i, at, 0
			if s[i].Kind == Named {
				least = 1
			}
			i++
			continue
		}
		// A block of literals and question marks, matched as one.
		block := inBlock[:0]
		j := i
		for ; j < len(s) && (s[j].Kind == Literal || s[j].Kind == One); j++ {
			if s[j].Kind == One {
				block = append(block, oneRune)
			} else {
				block = m.appendFolded(block, s[j].Text)
			}
		}
		first, last := at, at
		if open >= 0 {
			first, last = openAt+least, len(folded)-len(block)
			if j == len(s) {
				if last < first {
					return nil, false
				}
				first = last
			}
		}
		found := -1
		for k := first; k <= last; k++ {
			if blockAt(block, folded, k) {
				found = k
				break
			}
		}
		if found < 0 || !shut(found) {
			return nil, false
		}
		at, i = found+len(block), j
	}
	if open >= 0 {
		if len(text)-openAt < least || !shut(len(text)) {
			return nil, false
		}
		return captures, true
	}
	if at != len(text) {
		return nil, false
	}
	return captures, true
}

func (c Captures) with(name, value string) Captures {
	out := make(Captures, len(c)+1)
	for k, v := range c {
		out[k] = v
	}
	out[name] = value
	return out
}

func (m matcher) equal(a, b string) bool {
	return slices.Equal(m.appendFolded(nil, a), m.appendFolded(nil, b))
}

const oneRune = -1 // stands for `?` in a block

func blockAt(block, text []rune, at int) bool {
	if at < 0 || at+len(block) > len(text) {
		return false
	}
	for i, r := range block {
		if r != oneRune && r != text[at+i] {
			return false
		}
	}
	return true
}

// badByte maps a byte that is not UTF-8 to a rune that no text contains, so
// that two such names stay different and come back exactly.
const badByte = 0xDC00

// usualName is how many characters most names have at most.
const usualName = 64

func appendRunes(out []rune, text string) []rune {
	for i := 0; i < len(text); {
		r, n := utf8.DecodeRuneInString(text[i:])
		if r == utf8.RuneError && n == 1 {
			r = badByte + rune(text[i])
		}
		out = append(out, r)
		i += n
	}
	return out
}

func encodeRunes(text []rune) string {
	out := make([]byte, 0, len(text))
	for _, r := range text {
		if r >= badByte && r < badByte+256 {
			out = append(out, byte(r-badByte))
		} else {
			out = utf8.AppendRune(out, r)
		}
	}
	return string(out)
}

// appendFolded brings each character to the smallest of those that differ from it
// only in case (Unicode's simple folding), where the anchor asks for it.
func (m matcher) appendFolded(out []rune, text string) []rune {
	had := len(out)
	out = appendRunes(out, text)
	if !m.fold {
		return out
	}
	for i, r := range out[had:] {
		least := r
		for o := unicode.SimpleFold(r); o != r; o = unicode.SimpleFold(o) {
			if o < least {
				least = o
			}
		}
		out[had+i] = least
	}
	return out
}

// Align says which segment of the location stands for each of a file's names: nil where a
// `**` or the end of a folder does. ok is false if the location does not cover the file.
func (l Location) Align(names []string) (segments []Segment, ok bool) {
	m := matcher{fold: byAnchor[l.Anchor].FoldCase, blind: true}
	own := l.Pattern.Segments
	out := make([]Segment, len(names))
	var from func(i, at int) bool
	from = func(i, at int) bool {
		if i == len(own) {
			return l.Pattern.Folder == (at < len(names))
		}
		if own[i].deep() {
			for skip := at; skip <= len(names); skip++ {
				if from(i+1, skip) {
					return true
				}
			}
			return false
		}
		if at == len(names) {
			return false
		}
		if _, ok := m.segment(own[i], names[at], nil); !ok || !from(i+1, at+1) {
			return false
		}
		out[at] = own[i]
		return true
	}
	if !from(0, 0) {
		return nil, false
	}
	return out, true
}

// Fill gives the name with other texts where the segment is variable; put makes them. Of a
// name that the segment does not match, all is variable.
func (s Segment) Fill(name string, put func(text string) string) string {
	texts, ok := s.cut(name, true)
	if !ok {
		return put(name)
	}
	out := ""
	for i, text := range texts {
		if k := s[i].Kind; k == Any || k == Named {
			text = put(text)
		}
		out += text
	}
	return out
}

// cut gives what each part of the segment stands for in a name, literals too: each the
// shortest text that lets the segment match.
func (s Segment) cut(name string, fold bool) ([]string, bool) {
	var b strings.Builder
	b.WriteString("(?s")
	if fold {
		b.WriteString("i")
	}
	b.WriteString(")^")
	for _, p := range s {
		switch p.Kind {
		case Literal:
			b.WriteString("(" + regexp.QuoteMeta(p.Text) + ")")
		case One:
			b.WriteString("(.)")
		case Named:
			b.WriteString("(.+?)")
		default:
			b.WriteString("(.*?)")
		}
	}
	re, err := regexp.Compile(b.String() + "$")
	if err != nil {
		return nil, false // a text that is not UTF-8
	}
	found := re.FindStringSubmatch(name)
	if found == nil {
		return nil, false
	}
	return found[1:], true
}
