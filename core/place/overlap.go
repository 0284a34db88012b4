package place

import (
	mathbits "math/bits"
	"slices"
	"strings"
	"sync"
	"unicode/utf8"
)

// Overlap reports whether one file could be covered by both locations. It errs
// on the side of yes where that depends on what named parts capture.
func Overlap(a, b Location) bool {
	for i, x := range a.spellings() {
		for j, y := range b.spellings() {
			if i > 0 && i == j && a.Anchor == b.Anchor {
				continue // the same names before both: they meet if they do without
			}
			if x.Anchor == y.Anchor {
				m := matcher{fold: byAnchor[x.Anchor].FoldCase}
				if m.meet(x.Pattern.tail(), y.Pattern.tail()) {
					return true
				}
			}
		}
	}
	return false
}

// spellings gives the location and what it is below the anchors that usually
// contain its own, so that home:.config/x and xdg-config:x are seen to meet.
func (l Location) spellings() []Location {
	all := []Location{l}
	for i := 0; i < len(all); i++ {
		for _, outer := range outers()[all[i].Anchor] {
			p := Pattern{slices.Concat(outer.Pattern.Segments, all[i].Pattern.Segments), l.Pattern.Folder}
			all = append(all, Location{outer.Anchor, p})
		}
	}
	return all
}

// outers are the folders of other anchors that an anchor usually is.
var outers = sync.OnceValue(func() map[Anchor][]Location {
	all := map[Anchor][]Location{}
	for _, d := range Definitions {
		for _, text := range d.usually() {
			outer, err := parse(text)
			if err != nil {
				panic("place: the table of anchors: " + err.Error())
			}
			all[d.Anchor] = append(all[d.Anchor], outer)
		}
	}
	return all
})

// tail writes a folder pattern as `*/**`: at least one name below it.
func (p Pattern) tail() []Segment {
	if !p.Folder {
		return p.Segments
	}
	out := append([]Segment{}, p.Segments...)
	return append(out, Segment{{Kind: Any}}, Segment{{Kind: Deep}})
}

// meet reports whether some path matches both lists of segments.
func (m matcher) meet(a, b []Segment) bool {
	type at struct{ i, j int }
	seen := map[at]bool{}
	var walk func(i, j int) bool
	walk = func(i, j int) bool {
		if seen[at{i, j}] {
			return false
		}
		seen[at{i, j}] = true
		aDeep, bDeep := i < len(a) && a[i].deep(), j < len(b) && b[j].deep()
		switch {
		case i == len(a) && j == len(b):
			return true
		case aDeep && walk(i+1, j), bDeep && walk(i, j+1):
			return true
		case i == len(a) || j == len(b):
			return false
		case aDeep && bDeep:
			return false // both skips were tried; consuming a name from both changes nothing
		case aDeep:
			return walk(i, j+1)
		case bDeep:
			return walk(i+1, j)
		}
		return m.segmentsMeet(a[i], b[j]) && walk(i+1, j+1)
	}
	return walk(0, 0)
}

// A unit is one step of a segment: a character, any one character, or a star.
type unit struct {
	r    rune
	one  bool
	star bool
}

func (m matcher) units(s Segment) []unit {
	var out []unit
	for _, p := range s {
		switch p.Kind {
		case Literal:
			for _, r := range m.appendFolded(nil, p.Text) {
				out = append(out, unit{r: r})
			}
		case One:
			out = append(out, unit{one: true})
		case Any:
			out = append(out, unit{star: true})
		case Named:
			out = append(out, unit{one: true}, unit{star: true})
		}
	}
	return out
}

// segmentsMeet reports whether some name matches both segments.
func (m matcher) segmentsMeet(s, t Segment) bool {
	if m.apart(s, t) {
		return false
	}
	if s.any() || t.any() || s.plain() && t.plain() { // and not apart
		return true
	}
	return m.haveCommon(s, t)
}

// plain reports whether a segment is one text in ASCII.
func (s Segment) plain() bool { return len(s) == 1 && s[0].Kind == Literal && ascii(s[0].Text) }

// any reports whether every name matches.
func (s Segment) any() bool { return len(s) == 1 && s[0].Kind == Any }

// haveCommon compares whole segments: it walks the units of one from the end and keeps,
// as a set of bits, at which units of the other the rest of both has a text in common.
func (m matcher) haveCommon(s, t Segment) bool {
	a, b := m.units(s), m.units(t)
	size := len(b)/64 + 1
	stars, ones, fixed, of := newBits(size), newBits(size), newBits(size), map[rune]bits{}
	for j, u := range b {
		switch {
		case u.star:
			stars.set(j)
			continue
		case u.one:
			ones.set(j)
		default:
			if of[u.r] == nil {
				of[u.r] = newBits(size)
			}
			of[u.r].set(j)
		}
		fixed.set(j)
	}
	rest := newBits(size) // j: a[i:] and b[j:] have a text in common
	rest.set(len(b))
	rest.spread(stars)
	row := newBits(size)
	for i := len(a) - 1; i >= 0; i-- {
		u := a[i]
		if u.star {
			rest.fill()
			continue
		}
		with := fixed
		if !u.one {
			with = ones
		}
		same := of[u.r]
		for w := range row {
			next := rest[w] >> 1
			if w+1 < size {
				next |= rest[w+1] << 63
			}
			takes := with[w]
			if !u.one && same != nil {
				takes |= same[w]
			}
			row[w] = next&takes | rest[w]&stars[w]
		}
		row.spread(stars)
		rest, row = row, rest
	}
	return rest[0]&1 != 0
}

// bits is a set of small numbers.
type bits []uint64

func newBits(words int) bits { return make(bits, words) }

func (b bits) set(i int) { b[i/64] |= 1 << (i % 64) }

// spread adds to a set what stands before one of it and is a star, which may be empty.
func (b bits) spread(stars bits) {
	for again := true; again; {
		again = false
		for w := range b {
			next := b[w] >> 1
			if w+1 < len(b) {
				next |= b[w+1] << 63
			}
			if add := next & stars[w] &^ b[w]; add != 0 {
				b[w] |= add
				again = true
			}
		}
	}
}

// fill adds all that is smaller than the largest.
func (b bits) fill() {
	for w := len(b) - 1; w >= 0; w-- {
		if b[w] == 0 {
			continue
		}
		b[w] = ^uint64(0) >> mathbits.LeadingZeros64(b[w])
		for w--; w >= 0; w-- {
			b[w] = ^uint64(0)
		}
	}
}

// apart reports, for most segments that have no name in common, that they have
// none: their beginnings differ. It costs little.
func (m matcher) apart(s, t Segment) bool {
	if len(s) == 0 || len(t) == 0 || s[0].Kind != Literal || t[0].Kind != Literal {
		return false
	}
	a, b := s[0].Text, t[0].Text
	for i := range min(len(a), len(b)) {
		x, y := a[i], b[i]
		if x >= utf8.RuneSelf || y >= utf8.RuneSelf {
			return false // it may be a letter that differs in case alone
		}
		if m.fold {
			x, y = lower(x), lower(y)
		}
		if x != y {
			return true
		}
	}
	return len(a) != len(b) && s.plain() && t.plain()
}

func ascii(text string) bool {
	for i := range len(text) {
		if text[i] >= utf8.RuneSelf {
			return false
		}
	}
	return true
}

func lower(b byte) byte {
	if 'A' <= b && b <= 'Z' {
		b += 'a' - 'A'
	}
	return b
}

// LiesIn reports whether all that a location names lies in a folder, as far as names tell:
// where the folder has a variable part, any name will do.
func LiesIn(l, folder Location) bool {
	for _, x := range l.spellings() {
		for _, y := range folder.spellings() {
			n := len(y.Pattern.Segments)
			if x.Anchor != y.Anchor || len(x.Pattern.Segments) < n || len(x.Pattern.Segments) == n && !x.Pattern.Folder {
				continue
			}
			in := true
			for i, s := range y.Pattern.Segments {
				own := x.Pattern.Segments[i]
				in = in && !own.deep() && (!s.literal() || own.literal() && strings.EqualFold(own[0].Text, s[0].Text))
			}
			if in {
				return true
			}
		}
	}
	return false
}

// Below is the place of a pattern below a folder.
func (l Location) Below(p Pattern) Location {
	return Location{l.Anchor, Pattern{slices.Concat(l.Pattern.Segments, p.Segments), p.Folder}}
}
