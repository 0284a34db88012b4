package notes

import (
	"cmp"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"slices"
	"strconv"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"endroit/core/content"
	"endroit/core/phrase"
)

type reader struct {
	data    []byte
	order   string
	out     Reading
	covered []stretch
	full    bool // no more values are taken
	looked  int  // bytes that fields took, however often
}

// spend notes that a field looks at n bytes. Fields may lie over one another, which a
// record that is repeated multiplies: four times the file is the end.
func (r *reader) spend(n int) error {
	if r.looked += n; r.looked > 4*len(r.data)+64<<10 {
		r.full = true
		return errors.New("the fields overlap so often that the rest is not read")
	}
	return nil
}

type stretch struct {
	from, to int
	what     string
	turn     int // when it was read
}

// checksumPlace is what the checksum's bytes are called.
const checksumPlace = "the checksum"

// maxProblems is how many problems are reported.
const maxProblems = 100

func (r *reader) problem(format string, args ...any) {
	if len(r.out.Problems) < maxProblems {
		r.out.Problems = append(r.out.Problems, fmt.Sprintf(format, args...))
	}
}

// cover notes which bytes a field takes.
func (r *reader) cover(from, to int, what string) {
	if from < to {
		r.covered = append(r.covered, stretch{from, to, what, len(r.covered)})
	}
}

// free lists the bytes that nothing covers, and says which fields take bytes of another.
func (r *reader) free() {
	slices.SortFunc(r.covered, func(a, b stretch) int { return cmp.Or(a.from-b.from, a.to-b.to, a.turn-b.turn) })
	at := 0
	var last stretch // of those so far, the one that goes furthest
	for _, s := range r.covered {
		if s.from < last.to &&
			!(s.what == checksumPlace && s.from == last.from && s.to == last.to) { // the checksum may be a field too
			first, second := last, s
			if first.turn > second.turn {
				first, second = second, first
			}
			r.problem("%s at 0x%04X overlaps %s", second.what, second.from, first.what)
		}
		if s.from > at {
			r.out.Free = append(r.out.Free, Gap{at, s.from - at})
		}
		at = max(at, s.to)
		if s.to > last.to {
			last = s
		}
	}
	if at < len(r.data) {
		r.out.Free = append(r.out.Free, Gap{at, len(r.data) - at})
	}
}

// names are the fields that were read so far, with those of the records around them.
type names struct {
	here map[string]int64
	up   *names
}

func (n *names) value(name string) (v int64, ok bool) {
	for ; n != nil; n = n.up {
		if v, ok = n.here[name]; ok {
			return v, true
		}
	}
	return 0, false
}

// list reads fields, the first at an offset if it names none itself. base is where the
// record begins. It returns where the last ends; ok is false where it had to stop.
func (r *reader) list(fields []Field, at, base int, path string, around *names) (end int, ok bool) {
	known := &names{here: map[string]int64{}, up: around}
	for _, f := range fields {
		if f.At != nil {
			if at = base + *f.At; *f.At < 0 {
				at = len(r.data) + *f.At
			}
		}
		if at, ok = r.field(f, at, path, known); !ok {
			return at, false
		}
	}
	return at, true
}

func (r *reader) field(f Field, at int, path string, known *names) (end int, ok bool) {
	name := path + f.Name
	if at < 0 || at > len(r.data) {
		r.problem("%s would be at %d, outside the file of %d bytes", name, at, len(r.data))
		return at, false
	}
	if len(f.Fields) == 0 {
		return r.plain(f, name, at, known)
	}
	times, rest := 1, false
	if f.Repeat != "" {
		n, isKnown, err := amount(f.Repeat, known)
		switch {
		case f.Repeat == "rest":
			times, rest = maxValues, true
		case err != nil || !isKnown:
			r.problem("%s: the repeat count is unknown (%s)", name, f.Repeat)
			return at, false
		default:
			times = n
		}
	}
	for i := range times {
		if rest && at >= len(r.data) {
			break
		}
		inner := name + "."
		if f.Repeat != "" {
			inner = name + "[" + strconv.Itoa(i) + "]."
		}
		before := at
		if at, ok = r.list(f.Fields, at, at, inner, known); !ok || r.full {
			return at, false
		}
		if at == before {
			r.problem("%s takes no bytes, so it is not repeated", name)
			break
		}
	}
	return at, true
}

// amount reads a number, or the value of a field that was read before.
func amount(text string, names *names) (n int, known bool, err error) {
	if v, ok := names.value(text); ok {
		if v < 0 || v > maxBytesOf {
			return 0, false, fmt.Errorf("%s is %d", text, v)
		}
		return int(v), true, nil
	}
	n, err = strconv.Atoi(text)
	return n, err == nil, err
}

// plain reads a field of a type.
func (r *reader) plain(f Field, name string, at int, known *names) (end int, ok bool) {
	order := f.Order
	if order == "" {
		order = r.order
	}
	start, size := at, Types[f.Type]
	if size == 0 {
		var err error
		if at, size, end, err = r.length(f, at, order, known); err != nil {
			r.problem("%s at 0x%04X: %v", name, start, err)
			return start, false
		}
	} else if end = at + size; end > len(r.data) {
		r.problem("%s at 0x%04X takes %d bytes, and the file has %d more", name, at, size, len(r.data)-at)
		return at, false
	}
	if len(r.out.Values) >= maxValues {
		r.problem("there are more than %d values: the rest is not read", maxValues)
		r.full = true
		return at, false
	}
	if err := r.spend(size); err != nil {
		r.problem("%s at 0x%04X: %v", name, start, err)
		return at, false
	}
	v := Value{Name: name, At: at, Length: size, Type: f.Type, Says: f.Says, order: order}
	v.read(r.data[at:at+size], order)
	if v.whole {
		known.here[f.Name] = v.number
	}
	if f.Type == "text" && !utf8.Valid(r.data[at:at+size]) {
		r.problem("%s at 0x%04X is not UTF-8 text", name, at)
	}
	if len(f.Is) > 0 && !slices.Contains(f.Is, v.Text) {
		r.problem("%s at 0x%04X is %s, and can be %s", name, at, v.Text, strings.Join(f.Is, ", "))
	}
	r.cover(start, end, name)
	r.out.Values = append(r.out.Values, v)
	return end, true
}

// length finds where a text or bytes begin, how long they are, and where what belongs to
// them ends.
func (r *reader) length(f Field, at int, order string, known *names) (begin, size, end int, err error) {
	unit := 1
	if f.Type == "text16" {
		unit = 2
	}
	switch f.Length {
	case "rest":
		size = (len(r.data) - at) / unit * unit
		return at, size, len(r.data), nil
	case "zero":
		for i := at; i+unit <= len(r.data); i += unit {
			if r.data[i] == 0 && r.data[i+unit-1] == 0 {
				return at, i - at, i + unit, nil
			}
		}
		if err := r.spend(len(r.data) - at); err != nil {
			return at, 0, at, err
		}
		return at, 0, at, errors.New("it is not zero-terminated")
	case "u8", "u16", "u32":
		before := Types[f.Length]
		if at+before > len(r.data) {
			return at, 0, at, errors.New("its length is beyond the end of the file")
		}
		size = int(unsigned(r.data[at:at+before], order)) * unit
		at += before
	default:
		n, isKnown, err := amount(f.Length, known)
		if err != nil || !isKnown {
			return at, 0, at, fmt.Errorf("its length is unknown (%s)", f.Length)
		}
		size = n * unit
	}
	if size < 0 || size > len(r.data)-at {
		return at, 0, at, fmt.Errorf("it takes %d bytes, and the file has %d more", size, len(r.data)-at)
	}
	return at, size, at + size, nil
}

// order16 reads and writes numbers of 16 bits.
type order16 interface {
	Uint16([]byte) uint16
	AppendUint16([]byte, uint16) []byte
}

func byteOrder(order string) order16 {
	if order == Big {
		return binary.BigEndian
	}
	return binary.LittleEndian
}

func unsigned(b []byte, order string) uint64 {
	var eight [8]byte
	if order == Big {
		copy(eight[8-len(b):], b)
		return binary.BigEndian.Uint64(eight[:])
	}
	copy(eight[:], b)
	return binary.LittleEndian.Uint64(eight[:])
}

// longText is how many characters of a text or bytes of data are written out.
const longText = 200

// read puts the value in words.
func (v *Value) read(b []byte, order string) {
	switch v.Type[0] {
	case 'u':
		x := unsigned(b, order)
		v.Text = strconv.FormatUint(x, 10)
		v.number, v.whole = int64(x), x <= math.MaxInt64
	case 'i':
		x := int64(unsigned(b, order)<<(64-8*len(b))) >> (64 - 8*len(b))
		v.Text, v.number, v.whole = strconv.FormatInt(x, 10), x, true
	case 'f':
		x := math.Float64frombits(unsigned(b, order))
		if len(b) == 4 {
			x = float64(math.Float32frombits(uint32(unsigned(b, order))))
			v.Text = strconv.FormatFloat(x, 'g', -1, 32)
			return
		}
		v.Text = strconv.FormatFloat(x, 'g', -1, 64)
	case 't':
		if v.Type == "text16" {
			b = b[:min(len(b), 4*(longText+1))] // that many characters at least
			units := make([]uint16, len(b)/2)
			for i := range units {
				units[i] = byteOrder(order).Uint16(b[2*i:])
			}
			v.Text = phrase.Clip(string(utf16.Decode(units)), longText)
			return
		}
		v.Text = phrase.Clip(strings.ToValidUTF8(string(b[:min(len(b), utf8.UTFMax*(longText+1))]), "\uFFFD"), longText)
	default:
		v.Text = hex.EncodeToString(b[:min(len(b), longText)])
		if len(b) > longText {
			v.Text += "…"
		}
	}
}

// place finds where the checksum stands and what it is of.
func (s Checksum) place(data []byte) (at, length int, of content.SumOf, err error) {
	n := len(data)
	from := func(x int) int {
		if x < 0 {
			return n + x
		}
		return x
	}
	length = content.SumLength(s.Algorithm, s.Bits, s.Stored)
	at = from(*s.At)
	of = content.SumOf{From: from(s.From), To: n, Zeroed: s.Zeroed}
	switch {
	case s.To != nil:
		of.To = from(*s.To)
	case at >= of.From && !s.Zeroed:
		of.To = at
	}
	if at < 0 || at+length > n || of.From < 0 || of.To > n || of.From > of.To {
		return at, length, of, fmt.Errorf(
			"the checksum at %d over %d to %d lies outside the file of %d bytes", at, of.From, of.To, n,
		)
	}
	if at < of.To && at+length > of.From {
		of.Hole, of.HoleEnd = at, at+length
		if at < of.From || at+length > of.To {
			return at, length, of, errors.New("the checksum partly overlaps the range it covers")
		}
	}
	return at, length, of, nil
}

func (r *reader) checksum(s Checksum) {
	at, length, of, err := s.place(r.data)
	if err != nil {
		r.problem("%v", err)
		return
	}
	r.cover(at, at+length, checksumPlace)
	want := content.SumBytes(r.data, s.Algorithm, s.Bits, s.Stored, of)
	if strings.EqualFold(string(want), string(r.data[at:at+length])) &&
		(s.Stored == content.HexText || string(want) == string(r.data[at:at+length])) {
		r.out.Sound = append(r.out.Sound, "checksum")
		return
	}
	r.problem(
		"the checksum at 0x%04X is %x, and %s of 0x%04X to 0x%04X is %x: the file is damaged or of another format",
		at, r.data[at:at+length], s.Algorithm, of.From, of.To, want,
	)
}

// Set returns a copy of a file with another value in a field, and a correct checksum.
// A text or bytes keep their length. The file itself has to fit the notes.
func (n *Notes) Set(data []byte, name, value string) ([]byte, error) {
	before := n.Read(data)
	if !before.Valid() {
		return nil, fmt.Errorf("the file does not match the notes: %s", before.Problems[0])
	}
	i := slices.IndexFunc(before.Values, func(v Value) bool { return v.Name == name })
	if i < 0 {
		return nil, fmt.Errorf("the notes have no field %s; there are: %s", name, fieldNames(before.Values))
	}
	v := before.Values[i]
	written, err := v.write(value)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	out := slices.Clone(data)
	copy(out[v.At:v.At+v.Length], written)
	if s := n.Checksum; s != nil {
		at, length, of, err := s.place(out)
		if err != nil {
			return nil, err
		}
		copy(out[at:at+length], content.SumBytes(out, s.Algorithm, s.Bits, s.Stored, of))
	}
	if after := n.Read(out); !after.Valid() {
		return nil, fmt.Errorf("with %s as %s it would not match the notes: %s", name, value, after.Problems[0])
	}
	return out, nil
}

// namesListed is how many fields an error names.
const namesListed = 20

func fieldNames(values []Value) string {
	var names []string
	for _, v := range values {
		names = append(names, v.Name)
	}
	if more := len(names) - namesListed; more > 0 {
		names = append(names[:namesListed], fmt.Sprintf("and %d more", more))
	}
	return strings.Join(names, ", ")
}

// write makes the bytes of another value.
func (v Value) write(text string) ([]byte, error) {
	bits := 8 * v.Length
	put := func(x uint64) []byte {
		if v.order == Big {
			return binary.BigEndian.AppendUint64(nil, x)[8-v.Length:]
		}
		return binary.LittleEndian.AppendUint64(nil, x)[:v.Length]
	}
	switch v.Type[0] {
	case 'u':
		x, err := strconv.ParseUint(text, 0, bits)
		if err != nil {
			return nil, fmt.Errorf("%q is not an unsigned number of %d bits", text, bits)
		}
		return put(x), nil
	case 'i':
		x, err := strconv.ParseInt(text, 0, bits)
		if err != nil {
			return nil, fmt.Errorf("%q is not a number of %d bits", text, bits)
		}
		return put(uint64(x)), nil
	case 'f':
		x, err := strconv.ParseFloat(text, bits)
		if err != nil {
			return nil, fmt.Errorf("%q is not a floating-point number", text)
		}
		if bits == 32 {
			return put(uint64(math.Float32bits(float32(x)))), nil
		}
		return put(math.Float64bits(x)), nil
	}
	b := []byte(text)
	switch v.Type {
	case "text16":
		b = nil
		for _, u := range utf16.Encode([]rune(text)) {
			b = byteOrder(v.order).AppendUint16(b, u)
		}
	case "bytes":
		var err error
		if b, err = hex.DecodeString(strings.Join(strings.Fields(text), "")); err != nil {
			return nil, fmt.Errorf("%q is not hexadecimal", text)
		}
	}
	if len(b) != v.Length {
		return nil, fmt.Errorf("it has %d bytes there, and this value has %d: the size cannot change", v.Length, len(b))
	}
	return b, nil
}
