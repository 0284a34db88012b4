package content

import (
	"bytes"
	"compress/flate"
	"encoding/binary"
	"fmt"
	"io"
	"math"
	"slices"
	"strings"
	"time"
	"unicode/utf16"
	"unicode/utf8"
)

// Fact is something found in a file at an offset.
type Fact struct {
	At     int    `json:"at"`
	Length int    `json:"length"` // bytes
	What   string `json:"what"`   // in words
	Value  string `json:"value,omitempty"`
}

// Facts are what is found in a file.
type Facts struct {
	Size     int     `json:"size"`
	Looks    string  `json:"looks"`
	Encoding string  `json:"encoding"` // of text, or that it is none
	Entropy  []Part  `json:"entropy"`  // along the file
	Inside   []Fact  `json:"inside"`   // archives, databases, compressed data, pictures
	Numbers  []Fact  `json:"numbers"`  // sizes, counts and times
	Strings  []Fact  `json:"strings"`
	More     int     `json:"more"`  // strings that were left out
	Zeros    float64 `json:"zeros"` // share of the bytes
}

// Part is a stretch of a file whose bytes are about equally mixed.
type Part struct {
	From int     `json:"from"`
	To   int     `json:"to"`
	Bits float64 `json:"bits"` // entropy of a byte, 0 to 8
	Says string  `json:"says"`
}

// The bounds of what is listed.
const (
	maxStrings = 500
	maxNumbers = 100
	maxInside  = 50
	numbersIn  = 4096 // bytes at the beginning in which numbers are looked for
	numbersEnd = 256  // and at the end
	minString  = 4    // characters
	longString = 7    // of these chance makes hardly any
)

// Examine finds facts in a whole file that was last changed at a time, around which times
// in it are plausible; the zero time if that is not known.
func Examine(data []byte, changed time.Time) Facts {
	f := Facts{
		Size:     len(data),
		Looks:    Looks(data[:min(len(data), HeadSize)]),
		Encoding: encodingOf(data),
		Entropy:  entropy(data),
		Inside:   inside(data),
	}
	if len(data) > 0 {
		f.Zeros = float64(bytes.Count(data, []byte{0})) / float64(len(data))
	}
	f.Strings, f.More = findStrings(data, f.Entropy)
	if !strings.HasPrefix(f.Encoding, "text") {
		f.Numbers = numbers(data, f, timesAround(changed))
	}
	return f
}

// encodingOf says how a text is written down, or that it is no text.
func encodingOf(data []byte) string {
	lines := func() string {
		crlf, lf := bytes.Count(data, []byte("\r\n")), bytes.Count(data, []byte("\n"))
		switch {
		case lf == 0:
			return ""
		case crlf == lf:
			return ", CR LF line endings"
		case crlf > 0:
			return ", mixed line endings"
		}
		return ", LF line endings"
	}
	switch {
	case len(data) == 0:
		return "none: the file is empty"
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")) && utf8.Valid(data):
		return "text, UTF-8 with a byte-order mark" + lines()
	case bytes.HasPrefix(data, []byte("\xff\xfe")):
		return "text, UTF-16, little-endian"
	case bytes.HasPrefix(data, []byte("\xfe\xff")):
		return "text, UTF-16, big-endian"
	case !printable(data):
		return "no text"
	case !slices.ContainsFunc(data, func(b byte) bool { return b >= 0x80 }):
		return "text, ASCII" + lines()
	case utf8.Valid(data):
		return "text, UTF-8" + lines()
	}
	return "text, one byte per character" + lines()
}

// printable holds if no byte is a control character other than white space, and not
// many are of no ASCII letter.
func printable(data []byte) bool {
	high := 0
	for _, b := range data {
		if b < ' ' && !strings.ContainsRune("\t\n\r\f\x1b", rune(b)) || b == 0x7f {
			return false
		}
		if b >= 0x80 {
			high++
		}
	}
	return high*4 < len(data) || utf8.Valid(data)
}

// entropy cuts a file into at most 64 pieces and joins neighbours that are alike.
func entropy(data []byte) (parts []Part) {
	if len(data) == 0 {
		return nil
	}
	size := max(256, (len(data)+63)/64)
	for from := 0; from < len(data); from += size {
		to := min(from+size, len(data))
		bits := bitsOf(data[from:to])
		says := saysOf(bits, to-from)
		if n := len(parts); n > 0 && parts[n-1].Says == says {
			last := &parts[n-1]
			last.Bits = (last.Bits*float64(last.To-last.From) + bits*float64(to-from)) / float64(to-last.From)
			last.To = to
			continue
		}
		parts = append(parts, Part{from, to, bits, says})
	}
	for i := range parts {
		parts[i].Bits = math.Round(100*parts[i].Bits) / 100
	}
	return parts
}

// bitsOf is the entropy of a byte, by how often each occurs (Shannon).
func bitsOf(data []byte) (bits float64) {
	var counts [256]int
	for _, b := range data {
		counts[b]++
	}
	for _, n := range counts {
		if n > 0 {
			p := float64(n) / float64(len(data))
			bits -= p * math.Log2(p)
		}
	}
	return bits
}

const unstructured = "compressed, encrypted or random"

// saysOf puts entropy in words; few bytes cannot come to eight bits.
func saysOf(bits float64, n int) string {
	most := math.Min(8, math.Log2(float64(n)))
	switch {
	case bits < 0.5:
		return "one repeated value"
	case bits < 0.55*most:
		return "plain structure"
	case bits < 0.86*most:
		return "text or mixed data"
	}
	return unstructured
}

// inside looks for known formats anywhere in the file.
func inside(data []byte) (found []Fact) {
	add := func(at int, what string) {
		if len(found) < maxInside && !slices.ContainsFunc(found, func(f Fact) bool { return f.At == at }) {
			found = append(found, Fact{At: at, What: what})
		}
	}
	for _, h := range heads {
		if len(strings.ReplaceAll(h.magic, "\x00", "")) < 4 { // few bytes are chance, but for the file's own
			if h.at == 0 && bytes.HasPrefix(data, []byte(h.magic)) && !printable(data[:min(len(data), HeadSize)]) {
				add(0, h.looks)
			}
			continue
		}
		for from := 0; ; {
			i := bytes.Index(data[from:], []byte(h.magic))
			if i < 0 {
				break
			}
			if at := from + i - h.at; at >= 0 && (h.magic != "WAVE" || bytes.HasPrefix(data[at:], []byte("RIFF"))) {
				add(at, h.looks)
			}
			from += i + 1
		}
	}
	for _, z := range compressed {
		for from := 0; ; {
			i := bytes.Index(data[from:], []byte(z.magic))
			if i < 0 {
				break
			}
			if at := from + i; at+z.skip < len(data) && inflates(data[at+z.skip:]) {
				add(at, z.what)
			}
			from += i + 1
		}
	}
	slices.SortFunc(found, func(a, b Fact) int { return a.At - b.At })
	return found
}

// compressed are the headers of deflated data, by how much stands before the data.
var compressed = []struct {
	magic string
	skip  int
	what  string
}{
	{"\x1f\x8b\x08\x00", 10, "gzip data"}, // RFC 1952, without a name
	{"\x78\x01", 2, "zlib data"},          // RFC 1950
	{"\x78\x5e", 2, "zlib data"},
	{"\x78\x9c", 2, "zlib data"},
	{"\x78\xda", 2, "zlib data"},
}

// inflates reports whether data is deflated, as far as its beginning tells (RFC 1951).
func inflates(data []byte) bool {
	if len(data) < 4 {
		return false
	}
	r := flate.NewReader(bytes.NewReader(data))
	n, err := io.CopyN(io.Discard, r, 512)
	return n >= 64 || n > 0 && err == io.EOF
}

// headerSize is the beginning of a file in which a little says something, whatever follows.
const headerSize = 64

// random reports whether an offset lies in a stretch without structure, where numbers and
// letters come about by chance.
func random(parts []Part, at int) bool {
	for _, p := range parts {
		if at < p.To {
			return at >= headerSize && p.Says == unstructured
		}
	}
	return false
}

// findStrings lists runs of letters, also in UTF-16, with the length that stands before
// them, if one does.
func findStrings(data []byte, parts []Part) (list []Fact, more int) {
	add := func(at, n int, what, value string) {
		if len(list) >= maxStrings {
			more++
			return
		}
		list = append(list, Fact{at, n, what, clipText(value)})
	}
	for i := 0; i < len(data); {
		n, chars := run8(data[i:])
		if chars >= minString {
			what := "text"
			if p := prefixed(data, i, n); p != "" {
				what += ", " + p
			} else if i+n < len(data) && data[i+n] == 0 {
				what += ", zero-terminated"
			} else if chars < longString && random(parts, i) {
				i += n
				continue
			}
			add(i, n, what, string(data[i:i+n]))
			i += n
			continue
		}
		if n16, value := run16(data[i:]); len(value) >= minString {
			what := "text in UTF-16"
			if p := prefixed(data, i, n16); p != "" {
				what += ", " + p
			} else if p := prefixed(data, i, n16/2); p != "" {
				what += ", " + p + " in characters"
			}
			add(i, n16, what, value)
			i += n16
			continue
		}
		i += max(n, 1)
	}
	return list, more
}

func clipText(text string) string {
	if r := []rune(text); len(r) > 120 {
		return string(r[:120]) + "…"
	}
	return text
}

// run8 is the run of UTF-8 letters and the like at the beginning.
func run8(data []byte) (n, chars int) {
	for n < len(data) {
		r, size := utf8.DecodeRune(data[n:])
		if r == utf8.RuneError && size <= 1 || r < ' ' || r == 0x7f || r >= 0x80 && r < 0xa0 {
			return n, chars
		}
		n += size
		chars++
	}
	return n, chars
}

// run16 is the run of Latin letters in UTF-16, little-endian, at the beginning.
func run16(data []byte) (n int, text string) {
	var units []uint16
	for n+1 < len(data) && data[n+1] == 0 && data[n] >= ' ' && data[n] < 0x7f {
		units = append(units, uint16(data[n]))
		n += 2
	}
	return n, string(utf16.Decode(units))
}

// prefixed says in which way the length of what begins at an offset stands before it.
func prefixed(data []byte, at, n int) string {
	for _, size := range []int{4, 2, 1} {
		if at < size {
			continue
		}
		b := data[at-size : at]
		for _, extra := range []int{0, 1} { // with the zero that ends it
			if extra == 1 && (at+n >= len(data) || data[at+n] != 0) {
				continue
			}
			want := uint64(n + extra)
			le, be := little(b), big(b)
			switch {
			case le == want && size == 1:
				return "preceded by its length in one byte"
			case le == want:
				return fmt.Sprintf("preceded by its length in %d bytes, little-endian", size)
			case be == want:
				return fmt.Sprintf("preceded by its length in %d bytes, big-endian", size)
			}
		}
	}
	return ""
}

func little(b []byte) (x uint64) {
	for i, c := range b {
		x |= uint64(c) << (8 * i)
	}
	return x
}

func big(b []byte) (x uint64) {
	for _, c := range b {
		x = x<<8 | uint64(c)
	}
	return x
}

// numbers looks for numbers that mean something: the file's size, that of what follows, a
// count of the strings behind, a time.
func numbers(data []byte, known Facts, times around) (found []Fact) {
	texts := known.Strings
	in := func(at int) bool { // the letters of a text are no numbers
		i, hit := slices.BinarySearchFunc(texts, at, func(f Fact, at int) int { return f.At - at })
		return hit || i > 0 && at < texts[i-1].At+texts[i-1].Length
	}
	for at := 0; at+4 <= len(data); at++ {
		if at == numbersIn && len(data)-numbersEnd > at {
			at = len(data) - numbersEnd
		}
		if in(at) || len(found) >= maxNumbers {
			continue
		}
		for _, order := range []struct {
			name string
			of   func([]byte) uint64
		}{{"little-endian", little}, {"big-endian", big}} {
			if what, value := meaning(data, at, 4, order.of(data[at:at+4]), times); what != "" && !random(known.Entropy, at) {
				found = append(found, Fact{at, 4, what + ", 4 bytes, " + order.name, value})
			}
			if at+8 > len(data) {
				continue
			}
			if what, value := meaning(data, at, 8, order.of(data[at:at+8]), times); what != "" {
				found = append(found, Fact{at, 8, what + ", 8 bytes, " + order.name, value})
			}
		}
		if at%4 == 0 && at+8 <= len(data) {
			if t, ok := times.days(math.Float64frombits(binary.LittleEndian.Uint64(data[at:]))); ok {
				found = append(found, Fact{at, 8, "a time in days since 1899-12-30, 8 bytes, little-endian", t})
			}
		}
	}
	return found
}

// around are the times that are plausible: what a game notes down happened in the last
// years before it wrote the file. A wider span would take one number in four for a time.
type around struct{ first, last time.Time }

func timesAround(changed time.Time) around {
	if changed.IsZero() {
		return around{time.Date(2015, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(2035, 1, 1, 0, 0, 0, 0, time.UTC)}
	}
	return around{changed.AddDate(-3, 0, 0), changed.AddDate(0, 0, 1)}
}

func (a around) plausible(t time.Time) (string, bool) {
	return t.UTC().Format(time.RFC3339), t.After(a.first) && t.Before(a.last)
}

// sinceWindows is what Windows' file times begin with, 1601, in seconds before 1970.
const sinceWindows = 11_644_473_600

func meaning(data []byte, at, size int, x uint64, times around) (what, value string) {
	n := uint64(len(data))
	if n >= 16 {
		switch x {
		case n:
			return "the size of the file", fmt.Sprint(x)
		case n - uint64(at+size):
			return "the size of what follows", fmt.Sprint(x)
		case n - uint64(at):
			return "the size from here to the end", fmt.Sprint(x)
		}
	}
	if size == 4 {
		if t, ok := times.plausible(time.Unix(int64(x), 0)); ok && at%4 == 0 {
			return "a time in seconds since 1970", t
		}
		return "", ""
	}
	if x > 1<<62 || at%4 != 0 {
		return "", ""
	}
	for _, u := range []struct {
		what string
		t    time.Time
	}{
		{"a time in seconds since 1970", time.Unix(int64(min(x, 1<<40)), 0)},
		{"a time in milliseconds since 1970", time.UnixMilli(int64(min(x, 1<<50)))},
		{"a time in microseconds since 1970", time.UnixMicro(int64(x))},
		{"a Windows file time", time.Unix(int64(x/10_000_000)-sinceWindows, 0)},
		{"a time in 100 ns since the year 1", time.Unix(int64(x&(1<<62-1)/10_000_000)-62_135_596_800, 0)},
	} {
		if t, ok := times.plausible(u.t); ok {
			return u.what, t
		}
	}
	return "", ""
}

func (a around) days(days float64) (string, bool) {
	if math.IsNaN(days) || days < 38_000 || days > 52_000 || days == math.Trunc(days) && math.Mod(days, 100) == 0 {
		return "", false
	}
	return a.plausible(time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC).Add(time.Duration(days * float64(24*time.Hour))))
}
