package content

import (
	"bytes"
	"crypto/md5"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/binary"
	"encoding/hex"
	"hash"
	"hash/fnv"
	"maps"
	"math"
	"slices"
	"strconv"
	"sync"
)

// SumOptions say where a checksum is looked for beside the usual places.
type SumOptions struct {
	At      []int // offsets at which it could be stored; negative from the end
	Headers []int // sizes of headers that it could leave out
}

// ByChance is how likely a match may be to come about by itself and still count.
const ByChance = 0.01

// SumMatch is a checksum that fits.
type SumMatch struct {
	Algorithm string  `json:"algorithm"`
	Bits      int     `json:"bits"`
	Stored    string  `json:"stored"` // how: little-endian, big-endian, or hexadecimal text
	At        int     `json:"at"`     // offset
	Length    int     `json:"length"` // bytes that it takes there
	From      int     `json:"from"`   // the range that it is of, with To; its own place is left out
	To        int     `json:"to"`
	Zeroed    bool    `json:"zeroed,omitempty"` // its own place counts as zeros instead
	FromEnd   bool    `json:"from_end"`         // its place is counted from the end of the file
	Value     string  `json:"value"`            // in hexadecimal, highest first
	Chance    float64 `json:"chance"`           // how many such matches are expected of bytes at random
	size      int
}

// The ways in which a checksum is stored.
const (
	LittleEnd = "little-endian"
	BigEnd    = "big-endian"
	HexText   = "hexadecimal text"
)

// The usual places and headers.
var (
	usualStarts  = []int{0, 4, 8, 12, 16, 20, 24, 28, 32}
	fewStarts    = []int{0, 4, 8} // for what cannot be computed from parts
	usualHeaders = []int{4, 8, 12, 16, 20, 24, 32}
	fewHeaders   = []int{8, 16}
)

// span is what a checksum is computed over: a range without a hole in it, or with the
// hole as zeros.
type span struct {
	from, to, hole, holeEnd int
	zeroed                  bool
}

// summer computes one algorithm over many spans.
type summer struct {
	name   string
	bits   int
	parts  bool                                     // the spans can be computed from parts, so that many cost little
	digest bool                                     // bytes in one order alone
	over   func(data []byte, spans []span) [][]byte // the values, highest byte first
}

// FindSums looks for checksums of the file's own bytes within it: for every common
// algorithm, in both orders of bytes and as text, at the usual places and those that are
// told, over all before it, all behind it, all but it, or what follows a header. The
// longest matches, which chance explains least, come first.
func FindSums(data []byte, o SumOptions) (found []SumMatch) {
	for _, s := range summers() {
		found = append(found, s.find(data, o)...)
	}
	slices.SortStableFunc(found, func(a, b SumMatch) int { return b.Bits - a.Bits })
	return found
}

// SumOf is what a checksum is of: a range, with a hole that is left out or counts as zeros.
type SumOf struct {
	From, To, Hole, HoleEnd int
	Zeroed                  bool
}

func summerOf(algorithm string, bits int) (summer, bool) {
	i := slices.IndexFunc(summers(), func(s summer) bool { return s.name == algorithm && (bits == 0 || s.bits == bits) })
	if i < 0 {
		return summer{}, false
	}
	return summers()[i], true
}

// HasSum reports whether there is an algorithm of this name, with so many bits (0 for any).
func HasSum(algorithm string, bits int) bool { _, ok := summerOf(algorithm, bits); return ok }

// SumLength is how many bytes a checksum takes as it is stored.
func SumLength(algorithm string, bits int, stored string) int {
	s, _ := summerOf(algorithm, bits)
	if stored == HexText {
		return s.bits / 4
	}
	return s.bits / 8
}

// SumBytes is a checksum as it is stored. The algorithm has to be one that HasSum knows,
// and the range has to lie within the data.
func SumBytes(data []byte, algorithm string, bits int, stored string, of SumOf) []byte {
	s, _ := summerOf(algorithm, bits)
	value := s.over(data, []span{{of.From, of.To, of.Hole, of.HoleEnd, of.Zeroed}})[0]
	switch stored {
	case HexText:
		return []byte(hex.EncodeToString(value))
	case LittleEnd:
		slices.Reverse(value)
	}
	return value
}

// EverySum is what each algorithm makes of the whole of some bytes, by its name and the
// number of bits, highest byte first.
func EverySum(data []byte) map[string][]byte {
	all := map[string][]byte{}
	for _, s := range summers() {
		all[s.name+", "+strconv.Itoa(s.bits)+" bits"] = s.over(data, []span{{from: 0, to: len(data)}})[0]
	}
	return all
}

// try is a place with a span, and how the value would stand there.
type try struct {
	at, length int
	stored     string
	span       span
}

func (s summer) find(data []byte, o SumOptions) (found []SumMatch) {
	tries := s.tries(data, o)
	spans := make([]span, len(tries))
	for i, t := range tries {
		spans[i] = t.span
	}
	for i, value := range s.over(data, spans) {
		t := tries[i]
		if !stands(data[t.at:t.at+t.length], value, t.stored) || plain(data, t) {
			continue
		}
		found = append(found, SumMatch{
			Algorithm: s.name,
			Bits:      s.bits,
			Stored:    t.stored,
			At:        t.at,
			Length:    t.length,
			From:      t.span.from,
			To:        t.span.to,
			Zeroed:    t.span.zeroed,
			FromEnd:   t.at > len(data)/2,
			Value:     hex.EncodeToString(value),
			Chance:    float64(len(tries)) * math.Pow(2, -float64(min(s.bits, 8*significant(value)))),
			size:      len(data),
		})
	}
	return found
}

// tries lists the places and spans that are tried.
func (s summer) tries(data []byte, o SumOptions) (list []try) {
	n, width := len(data), s.bits/8
	starts, headers := usualStarts, slices.Concat(usualHeaders, o.Headers)
	if !s.parts {
		starts, headers = fewStarts, slices.Concat(fewHeaders, o.Headers)
	}
	seen := map[try]bool{}
	add := func(at, length int, stored string, sp span) {
		t := try{at, length, stored, sp}
		if sp.to-sp.from-(sp.holeEnd-sp.hole) >= 4 && !seen[t] { // fewer bytes tell nothing
			seen[t] = true
			list = append(list, t)
		}
	}
	place := func(at, length int, stored string) {
		if at < 0 || at+length > n {
			return
		}
		none := func(from, to int) span { return span{from: from, to: to} }
		add(at, length, stored, none(at+length, n))
		add(at, length, stored, none(0, at))
		for _, h := range headers {
			if h > 0 && h < at {
				add(at, length, stored, none(h, at))
			}
			if h > at+length && h < n {
				add(at, length, stored, none(h, n))
			}
		}
		if at > 0 && at+length < n && (s.parts || slices.Contains(o.At, at) || slices.Contains(o.At, at-n)) {
			add(at, length, stored, span{0, n, at, at + length, false})
		}
		if s.parts || slices.Contains(o.At, at) || slices.Contains(o.At, at-n) {
			add(at, length, stored, span{0, n, at, at + length, true})
		}
	}
	stored := []string{LittleEnd, BigEnd}
	if s.digest || width == 1 {
		stored = []string{BigEnd}
	}
	for _, how := range append(stored, HexText) {
		length := width
		if how == HexText {
			length = 2 * width
		}
		var at []int
		for _, a := range o.At {
			if a < 0 {
				a += n
			}
			at = append(at, a)
		}
		at = append(at, n-length)
		if how == HexText {
			at = append(at, n-length-1, n-length-2) // before the end of a line
		}
		for _, a := range slices.Concat(at, starts) {
			if how != HexText || a >= 0 && a+length <= n && isHex(data[a:a+length]) {
				place(a, length, how)
			}
		}
	}
	return list
}

func isHex(b []byte) bool {
	for _, c := range b {
		if !(c >= '0' && c <= '9' || c|0x20 >= 'a' && c|0x20 <= 'f') {
			return false
		}
	}
	return true
}

// stands reports whether a value stands in bytes.
func stands(b, value []byte, stored string) bool {
	switch stored {
	case BigEnd:
		return bytes.Equal(b, value)
	case HexText:
		return bytes.EqualFold(b, []byte(hex.EncodeToString(value)))
	}
	for i, x := range value {
		if b[len(b)-1-i] != x {
			return false
		}
	}
	return true
}

// plain reports whether a match tells nothing: of bytes that are all the same, or a
// value of zeros or ones alone.
func plain(data []byte, t try) bool {
	of := data[t.span.from:t.span.to]
	if bytes.Count(of[:min(len(of), 1<<16)], of[:1]) == min(len(of), 1<<16) {
		return true
	}
	value := data[t.at : t.at+t.length]
	return bytes.Count(value, []byte{0}) == len(value) || bytes.Count(value, []byte{0xff}) == len(value)
}

// significant is how many bytes of a value are between its zeros, or ones, at both ends.
// Files have many small numbers: a sum that is one is met by chance as often as a number
// of that few bytes.
func significant(value []byte) int {
	for _, fill := range []byte{0, 0xff} {
		for len(value) > 0 && value[0] == fill {
			value = value[1:]
		}
		for len(value) > 0 && value[len(value)-1] == fill {
			value = value[:len(value)-1]
		}
	}
	return len(value)
}

// Rule is a match as it holds for another file of the same kind: places behind the
// middle count from the end.
func (m SumMatch) Rule() string {
	relative := func(at int, end bool) string {
		if end {
			return "end-" + strconv.Itoa(m.size-at)
		}
		return strconv.Itoa(at)
	}
	text := m.Algorithm + " " + m.Stored + " at " + relative(m.At, m.FromEnd) + " of " + relative(
		m.From,
		false,
	) + ".." + relative(m.To, m.To > m.size/2)
	if m.Zeroed {
		text += " zeroed"
	}
	return text
}

// CommonSums are the matches of the first file that hold in each other one: chance is
// nearly ruled out. A file in which it has the same value, as in a head that all files
// share, says nothing new.
func CommonSums(first []SumMatch, others ...[]SumMatch) (both []SumMatch) {
	for _, m := range first {
		in := 0
		for _, list := range others {
			if i := slices.IndexFunc(list, func(x SumMatch) bool { return x.Rule() == m.Rule() }); i >= 0 {
				in++
				if list[i].Value != m.Value {
					m.Chance *= list[i].Chance
				}
			}
		}
		if in == len(others) {
			both = append(both, m)
		}
	}
	return both
}

// summers are the algorithms that are tried.
var summers = sync.OnceValue(func() (list []summer) {
	for _, c := range crcs {
		r := newRegister(c)
		list = append(list, summer{name: c.name, bits: int(c.width), parts: true, over: r.over})
	}
	for _, width := range []int{8, 16, 32, 64} {
		mask := ^uint64(0) >> (64 - width)
		for _, v := range []struct {
			name  string
			value func(sum uint64) uint64
		}{
			{"sum of bytes", func(x uint64) uint64 { return x }},
			{"sum of bytes, negated", func(x uint64) uint64 { return -x }},
			{"sum of bytes, inverted", func(x uint64) uint64 { return ^x }},
		} {
			list = append(list, summer{name: v.name, bits: width, parts: true, over: byteSums(width, mask, v.value)})
		}
	}
	list = append(list, summer{name: "XOR of bytes", bits: 8, parts: true, over: byteXors})
	for _, f := range []struct {
		name   string
		modulo uint64
		start  uint64
		half   int
	}{{"Fletcher-16", 255, 0, 8}, {"Fletcher-32 of bytes", 65535, 0, 16}, {"Adler-32", 65521, 1, 16}} {
		list = append(list, summer{name: f.name, bits: 2 * f.half, parts: true, over: fletchers(f.modulo, f.start, f.half)})
	}
	for _, w := range []struct {
		name string
		bits int
		of   words
		end  func(sum uint64) uint64
	}{
		{"sum of 16-bit words, little-endian", 16, words{2, false, false}, same},
		{"sum of 16-bit words, big-endian", 16, words{2, true, false}, same},
		{"Internet checksum", 16, words{2, true, false}, onesComplement},
		{"sum of 32-bit words, little-endian", 32, words{4, false, false}, same},
		{"sum of 32-bit words, big-endian", 32, words{4, true, false}, same},
		{"sum of 32-bit words, little-endian, negated", 32, words{4, false, false}, func(x uint64) uint64 { return -x }},
		{"XOR of 32-bit words, little-endian", 32, words{4, false, true}, same},
		{"XOR of 16-bit words, little-endian", 16, words{2, false, true}, same},
	} {
		list = append(list, summer{
			name:  w.name,
			bits:  w.bits,
			parts: true,
			over:  func(data []byte, spans []span) [][]byte { return w.of.over(data, spans, w.bits, w.end) },
		})
	}
	for _, h := range []struct {
		name   string
		bits   int
		digest bool
		make   func() hash.Hash
	}{
		{"FNV-1 32", 32, false, func() hash.Hash { return fnv.New32() }},
		{"FNV-1a 32", 32, false, func() hash.Hash { return fnv.New32a() }},
		{"FNV-1 64", 64, false, func() hash.Hash { return fnv.New64() }},
		{"FNV-1a 64", 64, false, func() hash.Hash { return fnv.New64a() }},
		{"hash * 33 + byte, from 5381", 32, false, func() hash.Hash {
			return &step{start: 5381, times: 33}
		}},
		{"hash * 33 XOR byte, from 5381", 32, false, func() hash.Hash {
			return &step{start: 5381, times: 33, xor: true}
		}},
		{"hash * 31 + byte", 32, false, func() hash.Hash { return &step{times: 31} }},
		{"hash * 65599 + byte", 32, false, func() hash.Hash { return &step{times: 65599} }},
		{"MD5", 128, true, md5.New},
		{"SHA-1", 160, true, sha1.New},
		{"SHA-256", 256, true, sha256.New},
		{"SHA-512", 512, true, sha512.New},
	} {
		list = append(list, summer{name: h.name, bits: h.bits, digest: h.digest, over: hashes(h.make)})
	}
	return list
})

func same(x uint64) uint64 { return x }

// onesComplement folds the carries in and inverts (RFC 1071).
func onesComplement(x uint64) uint64 {
	for x>>16 != 0 {
		x = x&0xffff + x>>16
	}
	return ^x
}

// step is a hash of 32 bits that takes byte after byte.
type step struct {
	start, x, times uint32
	xor, begun      bool
}

func (s *step) Write(p []byte) (int, error) {
	if !s.begun {
		s.Reset()
	}
	x, times := s.x, s.times
	if s.xor {
		for _, b := range p {
			x = x*times ^ uint32(b)
		}
	} else {
		for _, b := range p {
			x = x*times + uint32(b)
		}
	}
	s.x = x
	return len(p), nil
}
func (s *step) Reset()              { s.x, s.begun = s.start, true }
func (s *step) Size() int           { return 4 }
func (s *step) BlockSize() int      { return 1 }
func (s *step) Sum(b []byte) []byte { return binary.BigEndian.AppendUint32(b, s.x) }

// highFirst is the lower bits of a value as bytes.
func highFirst(x uint64, bits int) []byte {
	return binary.BigEndian.AppendUint64(nil, x)[8-bits/8:]
}

// boundaries are the offsets at which spans begin and end, in order.
func boundaries(spans []span) (list []int) {
	for _, s := range spans {
		list = append(list, s.from, s.to, s.hole, s.holeEnd)
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// at runs once over the data and keeps what next has come to at each cut.
func at[T any](data []byte, spans []span, next func(x T, part []byte) T) map[int]T {
	kept := map[int]T{}
	var x T
	before := 0
	for _, c := range boundaries(spans) {
		x = next(x, data[before:c])
		kept[c], before = x, c
	}
	return kept
}

// pieces are the ranges of a span around its hole.
func (s span) pieces() [][2]int {
	if s.hole == s.holeEnd {
		return [][2]int{{s.from, s.to}}
	}
	return [][2]int{{s.from, s.hole}, {s.holeEnd, s.to}}
}

func (r *register) over(data []byte, spans []span) (values [][]byte) {
	reached := at(data, spans, r.update) // from a register of zeros
	for _, s := range spans {
		x := r.start
		for i, p := range s.pieces() {
			if i == 1 && s.zeroed {
				x = r.zeros(x, s.holeEnd-s.hole)
			}
			x = r.zeros(x^reached[p[0]], p[1]-p[0]) ^ reached[p[1]]
		}
		values = append(values, highFirst(r.value(x), int(r.width)))
	}
	return values
}

func addBytes(x uint64, part []byte) uint64 {
	for _, b := range part {
		x += uint64(b)
	}
	return x
}

func byteSums(width int, mask uint64, value func(uint64) uint64) func([]byte, []span) [][]byte {
	return func(data []byte, spans []span) (values [][]byte) {
		reached := at(data, spans, addBytes)
		for _, s := range spans {
			sum := uint64(0)
			for _, p := range s.pieces() {
				sum += reached[p[1]] - reached[p[0]]
			}
			values = append(values, highFirst(value(sum)&mask, width))
		}
		return values
	}
}

func byteXors(data []byte, spans []span) (values [][]byte) {
	reached := at(data, spans, func(x byte, part []byte) byte {
		for _, b := range part {
			x ^= b
		}
		return x
	})
	for _, s := range spans {
		x := byte(0)
		for _, p := range s.pieces() {
			x ^= reached[p[1]] ^ reached[p[0]]
		}
		values = append(values, []byte{x})
	}
	return values
}

// twoSums are those of Fletcher's kind: of the bytes, and of those sums.
type twoSums struct{ a, b uint64 }

func fletchers(modulo, start uint64, half int) func([]byte, []span) [][]byte {
	const often = 5000 // so that neither sum runs over 64 bits
	return func(data []byte, spans []span) (values [][]byte) {
		reached := at(data, spans, func(x twoSums, part []byte) twoSums {
			for chunk := range slices.Chunk(part, often) {
				a, b := x.a, x.b
				for _, c := range chunk {
					a += uint64(c)
					b += a
				}
				x.a, x.b = a%modulo, b%modulo
			}
			return x
		})
		for _, s := range spans {
			x := twoSums{a: start % modulo}
			for i, p := range s.pieces() {
				if i == 1 && s.zeroed {
					x.b = (x.b + uint64(s.holeEnd-s.hole)%modulo*x.a) % modulo
				}
				n, from, to := uint64(p[1]-p[0])%modulo, reached[p[0]], reached[p[1]]
				x.b = (x.b + n*x.a + to.b + modulo*modulo - from.b - n*from.a%modulo) % modulo
				x.a = (x.a + to.a + modulo - from.a) % modulo
			}
			values = append(values, highFirst(x.b<<half|x.a, 2*half))
		}
		return values
	}
}

// words reads words of a size, and puts them together.
type words struct {
	size int // bytes
	big  bool
	xor  bool
}

func (w words) word(b []byte) uint64 {
	switch {
	case w.size == 2 && w.big:
		return uint64(binary.BigEndian.Uint16(b))
	case w.size == 2:
		return uint64(binary.LittleEndian.Uint16(b))
	case w.big:
		return uint64(binary.BigEndian.Uint32(b))
	}
	return uint64(binary.LittleEndian.Uint32(b))
}

func (w words) put(sum, word uint64) uint64 {
	if w.xor {
		return sum ^ word
	}
	return sum + word
}

// take is the inverse of put.
func (w words) take(sum, part uint64) uint64 {
	if w.xor {
		return sum ^ part
	}
	return sum - part
}

// through puts the whole words of bytes to a sum.
func (w words) through(sum uint64, b []byte) uint64 {
	switch {
	case w.size == 4 && !w.big && !w.xor:
		for ; len(b) >= 4; b = b[4:] {
			sum += uint64(binary.LittleEndian.Uint32(b))
		}
	case w.size == 2 && w.big:
		for ; len(b) >= 2; b = b[2:] {
			sum += uint64(binary.BigEndian.Uint16(b))
		}
	default:
		for ; len(b) >= w.size; b = b[w.size:] {
			sum = w.put(sum, w.word(b))
		}
	}
	return sum
}

// over goes once through the data for each way in which words can begin: at offsets that
// leave 0, 1 … when divided by their size. The bytes that make no whole word at the end
// of a piece count as one with zeros.
func (w words) over(data []byte, spans []span, bits int, end func(uint64) uint64) (values [][]byte) {
	reached := make([]map[int]uint64, w.size) // by the remainder: the sum of the words before an offset
	for i := range reached {
		reached[i] = map[int]uint64{}
	}
	for _, s := range spans {
		for _, p := range s.pieces() {
			class := reached[p[0]%w.size]
			class[p[0]] = 0
			class[p[1]-(p[1]-p[0])%w.size] = 0
		}
	}
	for i, class := range reached {
		sum, before := uint64(0), i
		for _, at := range slices.Sorted(maps.Keys(class)) {
			sum = w.through(sum, data[before:at])
			class[at], before = sum, at
		}
	}
	for _, s := range spans {
		sum := uint64(0)
		for _, p := range s.pieces() {
			class := reached[p[0]%w.size]
			whole := p[1] - (p[1]-p[0])%w.size
			sum = w.put(sum, w.take(class[whole], class[p[0]]))
			if whole < p[1] {
				var last [4]byte
				copy(last[:], data[whole:p[1]])
				sum = w.put(sum, w.word(last[:w.size]))
			}
		}
		values = append(values, highFirst(end(sum), bits))
	}
	return values
}

// hashes go once through the data for each beginning; a hash goes on after it was read.
func hashes(newHash func() hash.Hash) func([]byte, []span) [][]byte {
	return func(data []byte, spans []span) [][]byte {
		values := make([][]byte, len(spans))
		byFrom := map[int][]int{}
		for i, s := range spans {
			if s.hole != s.holeEnd {
				h := newHash()
				for j, p := range s.pieces() {
					if j == 1 && s.zeroed {
						h.Write(make([]byte, s.holeEnd-s.hole))
					}
					h.Write(data[p[0]:p[1]])
				}
				values[i] = h.Sum(nil)
				continue
			}
			byFrom[s.from] = append(byFrom[s.from], i)
		}
		for from, list := range byFrom {
			slices.SortFunc(list, func(a, b int) int { return spans[a].to - spans[b].to })
			h, reached := newHash(), from
			for _, i := range list {
				h.Write(data[reached:spans[i].to])
				reached = spans[i].to
				values[i] = h.Sum(nil)
			}
		}
		return values
	}
}
