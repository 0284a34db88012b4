package place

import (
	"slices"
	"strings"
)

// StemsVersion changes with what Stems gives.
const StemsVersion = 1

// maxStem bounds a stem: a database's index takes no longer keys. A shorter one only
// tells fewer apart.
const maxStem = 600

// Stems are texts by which locations are found that a location could overlap, without
// looking at all: two can overlap only if a stem of one begins a stem of the other.
// They are the fixed beginnings of the location, spelled below the anchors that lie in
// no other, in letters, digits and ASCII signs that sort by their bytes. That of a person's home
// stands below the system drive, and whose it is is left out.
func (l Location) Stems() (all []string) {
	for _, s := range l.spellings() {
		if len(outers()[s.Anchor]) == 0 {
			all = append(all, s.stem())
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

func (l Location) stem() string {
	m := matcher{fold: true} // superfluous where case counts: it tells fewer apart
	b := &strings.Builder{}
	b.WriteString(string(l.Anchor) + ":")
	for i, s := range l.Pattern.Segments {
		switch {
		case i == 1 && l.Anchor == PrefixDrive && !s.deep() && m.segmentsMeet(l.Pattern.Segments[0], users):
			b.WriteString("*/")
			continue
		case s.literal():
			m.writeStem(b, s[0].Text)
			b.WriteByte('/')
			continue
		case s[0].Kind == Literal:
			m.writeStem(b, s[0].Text)
		}
		break
	}
	return b.String()[:min(b.Len(), maxStem)]
}

// writeStem writes each byte by itself, so that the beginning of a text gives the
// beginning of what is written for it.
func (m matcher) writeStem(b *strings.Builder, text string) {
	for _, c := range []byte(encodeRunes(m.appendFolded(nil, text))) {
		switch {
		case c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '.' || c == '-' || c == '_':
			b.WriteByte(c)
		default:
			b.WriteByte('%')
			b.WriteByte(hexDigits[c>>4])
			b.WriteByte(hexDigits[c&15])
		}
	}
}
