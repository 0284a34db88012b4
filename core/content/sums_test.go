package content

import (
	"bytes"
	"crypto/sha1"
	"encoding/binary"
	"encoding/hex"
	"fmt"
	"hash/adler32"
	"hash/crc32"
	"hash/fnv"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func someBytes(n int, seed uint64) []byte {
	r := rand.New(rand.NewPCG(seed, 7))
	b := make([]byte, n)
	for i := range b {
		b[i] = byte(r.Uint32())
	}
	return b
}

// A checksum is found with its algorithm, its place and its range, wherever it stands.
func TestFindSums(t *testing.T) {
	data := someBytes(3000, 1)
	le, be := binary.LittleEndian, binary.BigEndian
	fletcher := func(b []byte) uint16 {
		x, y := 0, 0
		for _, c := range b {
			x = (x + int(c)) % 255
			y = (y + x) % 255
		}
		return uint16(y<<8 | x)
	}
	fnv1a := func(b []byte) uint32 { h := fnv.New32a(); h.Write(b); return h.Sum32() }
	sha := func(b []byte) []byte { s := sha1.Sum(b); return s[:] }
	zeroed := slices.Clone(data)
	copy(zeroed[12:16], make([]byte, 4))
	for _, c := range []struct {
		name string
		make func() []byte
		o    SumOptions
		want string
	}{
		{"CRC-32 at the end", func() []byte { return le.AppendUint32(slices.Clone(data), crc32.ChecksumIEEE(data)) }, SumOptions{}, "CRC-32/ISO-HDLC little-endian at 3000 of 0..3000"},
		{"Adler at the start", func() []byte { return append(be.AppendUint32(nil, adler32.Checksum(data)), data...) }, SumOptions{}, "Adler-32 big-endian at 0 of 4..3004"},
		{"behind a header", func() []byte {
			return le.AppendUint32(slices.Clone(data), crc32.ChecksumIEEE(data[16:]))
		}, SumOptions{}, "CRC-32/ISO-HDLC little-endian at 3000 of 16..3000"},
		{"behind a header that is told", func() []byte { return le.AppendUint32(slices.Clone(data), fnv1a(data[37:])) }, SumOptions{Headers: []int{37}}, "FNV-1a 32 little-endian at 3000 of 37..3000"},
		{"in the header", func() []byte {
			return append(be.AppendUint16(slices.Clone(data[:8]), fletcher(data[10:])), data[10:]...)
		}, SumOptions{}, "Fletcher-16 big-endian at 8 of 10..3000"},
		{"its own place as zeros", func() []byte {
			out := slices.Clone(data)
			le.PutUint32(out[12:], crc32.ChecksumIEEE(zeroed))
			return out
		}, SumOptions{}, "CRC-32/ISO-HDLC little-endian at 12 of 0..3000 zeroed"},
		{"all but its place", func() []byte {
			out := slices.Clone(data)
			le.PutUint32(out[20:], adler32.Checksum(slices.Concat(data[:20], data[24:])))
			return out
		}, SumOptions{}, "Adler-32 little-endian at 20 of 0..3000"},
		{"as text", func() []byte { return append(slices.Clone(data), hex.EncodeToString(sha(data))+"\n"...) }, SumOptions{}, "SHA-1 hexadecimal text at 3000 of 0..3000"},
		{"at a place that is told", func() []byte {
			out := slices.Clone(data)
			be.PutUint32(out[1001:], crc32.Checksum(slices.Concat(data[:1001], data[1005:]), crc32.MakeTable(crc32.Castagnoli)))
			return out
		}, SumOptions{At: []int{1001}}, "CRC-32/ISCSI big-endian at 1001 of 0..3000"},
		{"told from the end", func() []byte {
			return append(append(slices.Clone(data), sha(data)...), "tail"...)
		}, SumOptions{At: []int{-24}}, "SHA-1 big-endian at 3000 of 0..3000"},
		{"a sum", func() []byte {
			sum := uint32(0)
			for _, b := range data {
				sum += uint32(b)
			}
			return be.AppendUint32(slices.Clone(data), sum)
		}, SumOptions{}, "sum of bytes big-endian at 3000 of 0..3000"},
	} {
		file := c.make()
		var got []string
		for _, m := range FindSums(file, c.o) {
			text := fmt.Sprintf("%s %s at %d of %d..%d", m.Algorithm, m.Stored, m.At, m.From, m.To)
			if m.Zeroed {
				text += " zeroed"
			}
			got = append(got, text)
			if m.Bits >= 32 {
				assert.Less(t, m.Chance, 1e-4, text+" "+m.Value) // a sum of 3,000 bytes has three bytes that count
			}
		}
		assert.Contains(t, got, c.want, c.name)
	}
}

// What each algorithm makes of spans from parts is what it makes of their bytes.
func TestSumsFromParts(t *testing.T) {
	data := someBytes(700, 2)
	spans := []span{{from: 0, to: 700}, {from: 13, to: 555}, {0, 700, 100, 104, false}, {0, 700, 0, 8, true}, {5, 699, 300, 333, true}, {from: 4, to: 8}}
	for _, s := range summers() {
		values := s.over(data, spans)
		require.Len(t, values, len(spans), s.name)
		for i, sp := range spans {
			assert.Len(t, values[i], s.bits/8, s.name)
			if words := strings.Contains(s.name, "word") || s.name == "Internet checksum"; words && sp.hole != sp.holeEnd {
				continue // words do not run over holes
			}
			var flat []byte
			for j, p := range sp.pieces() {
				if j == 1 && sp.zeroed {
					flat = append(flat, make([]byte, sp.holeEnd-sp.hole)...)
				}
				flat = append(flat, data[p[0]:p[1]]...)
			}
			assert.Equal(t, s.over(flat, []span{{from: 0, to: len(flat)}})[0], values[i], "%s %+v", s.name, sp)
		}
	}
	internet := summers()[slices.IndexFunc(summers(), func(s summer) bool { return s.name == "Internet checksum" })]
	assert.Equal(t, []byte{0x22, 0x0d}, internet.over([]byte{0x00, 0x01, 0xf2, 0x03, 0xf4, 0xf5, 0xf6, 0xf7}, []span{{from: 0, to: 8}})[0], "RFC 1071's example")
	adler := summers()[slices.IndexFunc(summers(), func(s summer) bool { return s.name == "Adler-32" })]
	large := bytes.Repeat([]byte{0xff}, 100_000)
	assert.Equal(t, binary.BigEndian.AppendUint32(nil, adler32.Checksum(large)), adler.over(large, []span{{from: 0, to: len(large)}})[0])
}

// What says nothing is not reported, and two files rule chance out.
func TestSumsByChance(t *testing.T) {
	assert.Empty(t, FindSums(nil, SumOptions{}))
	assert.Empty(t, FindSums(make([]byte, 500), SumOptions{At: []int{3, -900, 900}}))
	assert.Empty(t, FindSums([]byte("ab"), SumOptions{}))
	of := func(seed uint64) []byte {
		data := someBytes(2000+int(seed), seed)
		return binary.LittleEndian.AppendUint32(data, crc32.ChecksumIEEE(data))
	}
	first, second := FindSums(of(10), SumOptions{}), FindSums(of(11), SumOptions{})
	both := CommonSums(first, second)
	require.NotEmpty(t, both)
	assert.Equal(t, "CRC-32/ISO-HDLC", both[0].Algorithm)
	assert.Equal(t, "CRC-32/ISO-HDLC little-endian at end-4 of 0..end-4", both[0].Rule())
	assert.Empty(t, CommonSums(first, FindSums(someBytes(2000, 5), SumOptions{})))
	assert.Less(t, len(both), len(first)+1)
}

// A head that is mostly zeros, and the same in every file, has small sums that stand in it
// by chance.
func TestSumsOfAHeadOfZeros(t *testing.T) {
	of := func(seed uint64) []byte {
		head := make([]byte, 40)
		copy(head, "\x07\x00\x00\x00\x07\x00\x00\x00\x0e\x00\x00\x00\x00\x00\x00\x00\x1c")
		return append(head, someBytes(1000, seed)...)
	}
	both := CommonSums(FindSums(of(1), SumOptions{}), FindSums(of(2), SumOptions{}))
	require.NotEmpty(t, both, "the head's second number is the sum of its first bytes")
	for _, m := range both {
		assert.Greater(t, m.Chance, ByChance, m.Rule())
	}
}

func TestEverySum(t *testing.T) {
	all := EverySum([]byte("123456789"))
	assert.Len(t, all, len(summers()), "each has a name of its own")
	assert.Equal(t, []byte{0xcb, 0xf4, 0x39, 0x26}, all["CRC-32/ISO-HDLC, 32 bits"])
	assert.Equal(t, "25f9e794323b453885f5181f1b624d0b", hex.EncodeToString(all["MD5, 128 bits"]))
	assert.Equal(t, []byte{0x01, 0xdd}, all["sum of bytes, 16 bits"])
}

func BenchmarkFindSums(b *testing.B) {
	data := someBytes(1<<20, 3)
	for b.Loop() {
		FindSums(data, SumOptions{})
	}
}

func BenchmarkEachSumOnce(b *testing.B) {
	data := someBytes(1<<20, 3)
	for b.Loop() {
		EverySum(data)
	}
}
