package content

import (
	"bytes"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/unicode"
)

// LineDifference is a part in which two texts are not the same, in whole lines. Where one
// has none, lines were inserted or removed.
type LineDifference struct {
	From int      `json:"from"` // the number of the first line in each, from 1
	To   int      `json:"to"`
	Was  []string `json:"was"` // without their line endings
	Is   []string `json:"is"`
}

// maxLine is the longest line, in bytes, of a text that is compared by lines: where all is
// in one line, the bytes tell more.
const maxLine = 1000

// CompareLines lists what differs between two texts, in order. It reports false if one is
// not text in UTF-8, or UTF-16 with a byte-order mark, if its lines are very long, or if
// they differ in what lines do not tell: in the encoding or the line endings.
// It costs what Compare does.
func CompareLines(a, b []byte) ([]LineDifference, bool) {
	x, ok := textOf(a)
	y, ok2 := textOf(b)
	if !ok || !ok2 {
		return nil, false
	}
	c := byLines{x: x, y: y, line: [2]int{1, 1}}
	for _, d := range Compare(x, y) {
		c.add(d)
	}
	c.end()
	unseen := slices.ContainsFunc(c.out, func(d LineDifference) bool { return slices.Equal(d.Was, d.Is) })
	return c.out, !unseen && (len(c.out) > 0 || bytes.Equal(a, b))
}

// textOf is a text in UTF-8.
func textOf(data []byte) ([]byte, bool) {
	if bytes.HasPrefix(data, []byte("\xff\xfe")) || bytes.HasPrefix(data, []byte("\xfe\xff")) {
		text, err := unicode.UTF16(unicode.LittleEndian, unicode.ExpectBOM).NewDecoder().Bytes(data)
		if err != nil {
			return nil, false
		}
		data = text
	}
	if !utf8.Valid(data) || !printable(data) {
		return nil, false
	}
	for rest := data; len(rest) > 0; {
		n := bytes.IndexByte(rest, '\n')
		if n < 0 {
			n = len(rest) - 1
		}
		if n > maxLine {
			return nil, false
		}
		rest = rest[n+1:]
	}
	return data, true
}

// byLines widens differences to whole lines. What is between two of them is the same in
// both texts, so that a place moves in both at once.
type byLines struct {
	x, y    []byte
	pending *Difference // widened to the start of a line, and not yet to the end of one
	out     []LineDifference
	line    [2]int // the numbers of the lines at counted
	counted [2]int
}

func atLineStart(text []byte, at int) bool { return at == 0 || text[at-1] == '\n' }

func (c *byLines) starts(a, b int) bool { return atLineStart(c.x, a) && atLineStart(c.y, b) }

// add takes the next difference.
func (c *byLines) add(d Difference) {
	if c.pending != nil && !c.widen(d.A) { // they share a line
		c.pending.ALen, c.pending.BLen = d.A+d.ALen-c.pending.A, d.B+d.BLen-c.pending.B
		return
	}
	least := 0
	if c.pending != nil {
		least = c.pending.A + c.pending.ALen
		c.take()
	}
	for d.A > least && d.B > 0 && !c.starts(d.A, d.B) {
		d = Difference{d.A - 1, d.B - 1, d.ALen + 1, d.BLen + 1}
	}
	c.pending = &d
}

// widen brings the pending difference to the end of a line, if there is one before the
// next difference, which begins at limit in the first text.
func (c *byLines) widen(limit int) bool {
	p := c.pending
	a, b := p.A+p.ALen, p.B+p.BLen
	for ; !c.starts(a, b) && a < limit && b < len(c.y); a, b = a+1, b+1 {
	}
	if a >= limit && limit < len(c.x) || !c.starts(a, b) && (a < len(c.x) || b < len(c.y)) {
		return false
	}
	p.ALen, p.BLen = a-p.A, b-p.B
	return true
}

// end widens the last difference.
func (c *byLines) end() {
	if c.pending != nil {
		c.widen(len(c.x))
		c.take()
	}
}

// take lists the pending difference, without the lines that both begin or end with.
func (c *byLines) take() {
	p := c.pending
	was, is := slices.Collect(bytes.Lines(c.x[p.A:p.A+p.ALen])), slices.Collect(bytes.Lines(c.y[p.B:p.B+p.BLen]))
	for len(was) > 0 && len(is) > 0 && bytes.Equal(was[0], is[0]) {
		p.A, p.B = p.A+len(was[0]), p.B+len(is[0])
		was, is = was[1:], is[1:]
	}
	for len(was) > 0 && len(is) > 0 && bytes.Equal(was[len(was)-1], is[len(is)-1]) {
		was, is = was[:len(was)-1], is[:len(is)-1]
	}
	for i, at := range []int{p.A, p.B} {
		c.line[i] += bytes.Count([][]byte{c.x, c.y}[i][c.counted[i]:at], []byte("\n"))
		c.counted[i] = at
	}
	c.out = append(c.out, LineDifference{c.line[0], c.line[1], trimLineEnds(was), trimLineEnds(is)})
	c.pending = nil
}

func trimLineEnds(lines [][]byte) []string {
	out := []string{}
	for _, line := range lines {
		out = append(out, strings.TrimSuffix(strings.TrimSuffix(string(line), "\n"), "\r"))
	}
	return out
}
