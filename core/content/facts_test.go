package content

import (
	"bytes"
	"compress/gzip"
	"compress/zlib"
	"encoding/binary"
	"fmt"
	"math"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func said(list []Fact) (out []string) {
	for _, f := range list {
		text := fmt.Sprintf("%d+%d %s", f.At, f.Length, f.What)
		if f.Value != "" {
			text += ": " + f.Value
		}
		out = append(out, text)
	}
	return out
}

func TestEncodings(t *testing.T) {
	for text, want := range map[string]string{
		"":                            "none: the file is empty",
		"day=1\nday=2\n":              "text, ASCII, LF line endings",
		"day=1\r\nday=2\r\n":          "text, ASCII, CR LF line endings",
		"a\r\nb\n":                    "text, ASCII, mixed line endings",
		"Zoë":                         "text, UTF-8",
		"\xef\xbb\xbfday":             "text, UTF-8 with a byte-order mark",
		"\xff\xfed\x00a\x00":          "text, UTF-16, little-endian",
		"\xfe\xff\x00d":               "text, UTF-16, big-endian",
		"caf\xe9 in the harbour town": "text, one byte per character",
		"\x00\x01\x02":                "no text",
	} {
		assert.Equal(t, want, Examine([]byte(text), time.Time{}).Encoding, "%q", text)
	}
}

func TestNumbersAndStrings(t *testing.T) {
	le, be := binary.LittleEndian, binary.BigEndian
	when := time.Date(2026, 11, 20, 10, 30, 0, 0, time.UTC)
	var b []byte
	b = append(b, "TWSA"...)                                            // 0
	b = le.AppendUint32(b, 0)                                           // 4: the size of what follows
	b = le.AppendUint32(b, uint32(when.Unix()))                         // 8
	b = be.AppendUint32(b, 0)                                           // 12: the size of the file
	b = le.AppendUint64(b, uint64(when.UnixMilli()))                    // 16
	b = le.AppendUint64(b, uint64(when.Unix()+sinceWindows)*10_000_000) // 24
	b = le.AppendUint64(b, math.Float64bits(46346.4375))                // 32: 2026-11-20 10:30
	b = append(be.AppendUint16(b, 7), "harbour"...)                     // 40: 42+7
	b = append(le.AppendUint32(append(b, 1), 5), "town\x00"...)         // 50: 54+4
	b = append(append(b, 0xff, 4), "dune"...)                           // 59: 61+4
	b = append(b, 0xff, 0xff)                                           // 65
	b = le.AppendUint32(b, 8)                                           // 67: 71
	for _, u := range utf16.Encode([]rune("Lantern!")) {
		b = le.AppendUint16(b, u)
	}
	b = append(b, bytes.Repeat([]byte{0xff}, 200)...)
	le.PutUint32(b[4:], uint32(len(b)-8))
	be.PutUint32(b[12:], uint32(len(b)))
	f := Examine(b, when.Add(time.Hour))
	assert.Equal(t, "no text", f.Encoding)
	assert.Equal(t, Bytes, f.Looks)
	texts := said(f.Strings)
	for _, want := range []string{
		"0+4 text: TWSA",
		"42+7 text, preceded by its length in 2 bytes, big-endian: harbour",
		"54+4 text, preceded by its length in 4 bytes, little-endian: town",
		"61+4 text, preceded by its length in one byte: dune",
		"71+16 text in UTF-16, preceded by its length in 4 bytes, little-endian in characters: Lantern!",
	} {
		assert.Contains(t, texts, want)
	}
	numbers := said(f.Numbers)
	for _, want := range []string{
		fmt.Sprintf("4+4 the size of what follows, 4 bytes, little-endian: %d", len(b)-8),
		"8+4 a time in seconds since 1970, 4 bytes, little-endian: 2026-11-20T10:30:00Z",
		fmt.Sprintf("12+4 the size of the file, 4 bytes, big-endian: %d", len(b)),
		"16+8 a time in milliseconds since 1970, 8 bytes, little-endian: 2026-11-20T10:30:00Z",
		"24+8 a Windows file time, 8 bytes, little-endian: 2026-11-20T10:30:00Z",
		"32+8 a time in days since 1899-12-30, 8 bytes, little-endian: 2026-11-20T10:30:00Z",
	} {
		assert.Contains(t, numbers, want)
	}
	assert.Empty(t, Examine([]byte("a=1\n"), time.Time{}).Numbers, "a text has words")
}

// What is packed inside is found anywhere, and what only looks like it is not.
func TestInside(t *testing.T) {
	var packed, zipped bytes.Buffer
	z := zlib.NewWriter(&packed)
	_, _ = z.Write([]byte(strings.Repeat("the tide comes in ", 20)))
	require.NoError(t, z.Close())
	g := gzip.NewWriter(&zipped)
	_, _ = g.Write(bytes.Repeat([]byte("sand"), 100))
	require.NoError(t, g.Close())
	data := bytes.Join([][]byte{[]byte("HEAD\x00\x01"), packed.Bytes(), []byte("\x00\x00\x89PNG\r\n\x1a\n\x00"), zipped.Bytes(), []byte("\x78\x9cno data at all"), []byte("SQLite format 3\x00")}, nil)
	f := Examine(data, time.Time{})
	var what []string
	for _, x := range f.Inside {
		what = append(what, x.What)
	}
	assert.Equal(t, []string{"zlib data", "PNG picture", "gzip data", "SQLite database"}, what)
	assert.Equal(t, 6, f.Inside[0].At)
	assert.Equal(t, len(data)-16, f.Inside[3].At)
	assert.Empty(t, Examine([]byte("BM is how this text begins"), time.Time{}).Inside)
	assert.Equal(t, "gzip data", Examine(zipped.Bytes(), time.Time{}).Inside[0].What)
}

func TestEntropyAlongAFile(t *testing.T) {
	data := bytes.Join([][]byte{make([]byte, 1024), bytes.Repeat([]byte("day=12;gold=7\n"), 74), someBytes(4096, 9)}, nil)
	parts := Examine(data, time.Time{}).Entropy
	require.Len(t, parts, 3)
	assert.Equal(t, "one repeated value", parts[0].Says)
	assert.Equal(t, "compressed, encrypted or random", parts[2].Says)
	assert.Zero(t, parts[0].Bits)
	assert.Greater(t, parts[2].Bits, 7.0)
	at := 0
	for _, p := range parts {
		assert.Equal(t, at, p.From)
		at = p.To
	}
	assert.Equal(t, len(data), at)
}

// Whatever the bytes, facts lie within the file.
func FuzzExamine(f *testing.F) {
	f.Add([]byte("TWSA\x07\x00harbour\x00\x78\x9c\x03\x00"))
	f.Add([]byte("\x1f\x8b\x08\x00"))
	f.Fuzz(func(t *testing.T, data []byte) {
		x := Examine(data, time.Time{})
		for _, list := range [][]Fact{x.Inside, x.Numbers, x.Strings} {
			for _, fact := range list {
				if fact.At < 0 || fact.Length < 0 || fact.At+fact.Length > len(data) {
					t.Fatalf("%+v in %d bytes", fact, len(data))
				}
			}
		}
		FindSums(data, SumOptions{At: []int{3, -2}, Headers: []int{5}})
		rebuilt(t, data, append([]byte("x"), data...), Compare(data, append([]byte("x"), data...)))
	})
}
