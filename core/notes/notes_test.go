package notes

import (
	"encoding/binary"
	"hash/crc32"
	"math"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

const slot = `format: endroit/notes/1
about: a slot
header: '"TIDE"'
fields:
  - {name: version, type: u16, is: ["2", "3"]}
  - {name: day, type: u32, says: the day of the tale}
  - {name: captain, type: text, length: u16}
  - {name: count, type: u8}
  - name: items
    repeat: count
    fields:
      - {name: id, type: u16, order: big}
      - {name: label, type: text, length: zero}
  - {name: speed, type: f32}
  - {name: debt, type: i16}
checksum: {algorithm: CRC-32/ISO-HDLC, at: -4, stored: little-endian}
`

func file() []byte {
	le := binary.LittleEndian
	b := []byte("TIDE")
	b = le.AppendUint16(b, 2)
	b = le.AppendUint32(b, 12)
	b = append(le.AppendUint16(b, 5), "Sedge"...)
	b = append(b, 2)
	b = append(binary.BigEndian.AppendUint16(b, 7), "rope\x00"...)
	b = append(binary.BigEndian.AppendUint16(b, 9), "lamp\x00"...)
	b = le.AppendUint32(b, math.Float32bits(1.5))
	b = le.AppendUint16(b, 0xffff)
	return le.AppendUint32(b, crc32.ChecksumIEEE(b))
}

func parse(t *testing.T, text string) *Notes {
	t.Helper()
	n, err := Parse([]byte(text))
	require.NoError(t, err)
	return n
}

func (r Reading) texts() map[string]string {
	m := map[string]string{}
	for _, v := range r.Values {
		m[v.Name] = v.Text
	}
	return m
}

func TestRead(t *testing.T) {
	r := parse(t, slot).Read(file())
	assert.True(t, r.Valid(), r.Problems)
	assert.Equal(t, map[string]string{"version": "2", "day": "12", "captain": "Sedge", "count": "2", "items[0].id": "7", "items[0].label": "rope", "items[1].id": "9", "items[1].label": "lamp", "speed": "1.5", "debt": "-1"}, r.texts())
	assert.Equal(t, []string{"header", "checksum"}, r.Sound)
	assert.Empty(t, r.Free)
	assert.Equal(t, "the day of the tale", r.Values[1].Says)
	assert.Equal(t, 12, r.Values[2].At, "where the letters begin, behind their length")
}

// What does not fit is reported with its place, and as much as possible is read.
func TestFirstMismatchOfAFile(t *testing.T) {
	n := parse(t, slot)
	for name, c := range map[string]struct {
		change func(b []byte) []byte
		says   string
	}{
		"another kind":    {func(b []byte) []byte { b[0] = 'X'; return b }, "its header is not"},
		"another version": {func(b []byte) []byte { b[4] = 9; return b }, "version at 0x0004 is 9, and can be 2, 3"},
		"damaged":         {func(b []byte) []byte { b[7] ^= 1; return b }, "the file is damaged or of another format"},
		"cut":             {func(b []byte) []byte { return b[:14] }, "takes 5 bytes, and the file has 2 more"},
		"a wrong length":  {func(b []byte) []byte { b[11] = 0xff; return b }, "captain at 0x000A: it takes 65285 bytes"},
		"no text":         {func(b []byte) []byte { b[12] = 0xff; return b }, "captain at 0x000C is not UTF-8 text"},
		"too many items":  {func(b []byte) []byte { b[17] = 200; return b }, "it is not zero-terminated"},
		"empty":           {func([]byte) []byte { return nil }, "its header is not"},
	} {
		r := n.Read(c.change(file()))
		assert.False(t, r.Valid(), name)
		assert.Contains(t, strings.Join(r.Problems, "\n"), c.says, name)
	}
	r := parse(t, "format: endroit/notes/1\nfields:\n  - {name: a, at: 0, type: u32}\n  - {name: b, at: 2, type: u32}\n  - {name: c, at: 900, type: u8}\n").Read(make([]byte, 20))
	assert.Equal(t, []string{"c would be at 900, outside the file of 20 bytes", "b at 0x0002 overlaps a"}, r.Problems)
	assert.Equal(t, []Gap{{6, 14}}, r.Free)
	r = parse(t, "format: endroit/notes/1\nfields:\n  - name: forever\n    repeat: rest\n    fields: [{name: none, type: bytes, length: 0}]\n").Read([]byte("abc"))
	assert.Contains(t, r.Problems[0], "takes no bytes, so it is not repeated")
}

func TestEveryType(t *testing.T) {
	n := parse(t, `format: endroit/notes/1
order: big
fields:
  - {name: a, type: u64}
  - {name: b, type: i8}
  - {name: c, type: f64}
  - {name: d, type: text16, length: u8}
  - {name: e, type: bytes, length: 3}
  - {name: g, at: -2, type: i16, order: little}
`)
	be := binary.BigEndian
	b := be.AppendUint64(nil, math.MaxUint64)
	b = append(b, 0x80)
	b = be.AppendUint64(b, math.Float64bits(-2.25))
	b = append(b, 2, 0, 'H', 0, 'i', 0xde, 0xad, 0x01)
	b = append(b, 0xfe, 0xff)
	r := n.Read(b)
	assert.True(t, r.Valid(), r.Problems)
	assert.Equal(t, map[string]string{"a": "18446744073709551615", "b": "-128", "c": "-2.25", "d": "Hi", "e": "dead01", "g": "-2"}, r.texts())
}

// A copy with another value keeps all else, and its checksum is right.
func TestSet(t *testing.T) {
	n := parse(t, slot)
	before := file()
	for field, value := range map[string]string{"day": "99", "captain": "Brine", "items[1].id": "0x1234", "speed": "-0.25", "debt": "-300", "items[0].label": "oars"} {
		out, err := n.Set(before, field, value)
		require.NoError(t, err, field)
		r := n.Read(out)
		assert.True(t, r.Valid(), "%s: %v", field, r.Problems)
		want := n.Read(before).texts()
		want[field] = strings.Replace(value, "0x1234", "4660", 1)
		assert.Equal(t, want, r.texts())
		assert.Len(t, out, len(before))
	}
	assert.Equal(t, file(), before, "the file itself stays")
	for _, c := range [][3]string{{"day", "-1", "is not an unsigned number of"}, {"day", "4294967296", "is not an unsigned number of"}, {"captain", "Sedge the Elder", "bytes there, and this value has"}, {"nobody", "1", "have no field nobody; there are: version, day"},
		{"version", "7", "it would not match the notes: version at 0x0004 is 7"}, {"count", "3", "it would not match the notes:"}, {"speed", "fast", "is not a floating-point number"}} {
		_, err := n.Set(before, c[0], c[1])
		assert.ErrorContains(t, err, c[2], c[0])
	}
	before[6] ^= 1
	_, err := n.Set(before, "day", "5")
	assert.ErrorContains(t, err, "the file does not match the notes: the checksum")
}

func TestNotesThatAreWrong(t *testing.T) {
	head := "format: endroit/notes/1\n"
	for text, says := range map[string]string{
		"format: endroit/notes/9\n":                                                        `notes: line 1, column 9: format: it is "endroit/notes/9"`,
		head + "feilds: []\n":                                                              "unknown field",
		head + "header: TIDE\n":                                                            "is neither a quoted text nor hexadecimal bytes such as 54 49 44 45",
		head + "order: middle\n":                                                           `is not a byte order; it must be little or big`,
		head + "fields: [{name: a, type: u128}]\n":                                         `is not a type; the types are`,
		head + "fields: [{name: A b, type: u8}]\n":                                         "is not a name: it must begin with a lowercase letter and contain only lowercase letters, digits, - and _",
		head + "fields: [{name: a, type: u8}, {name: a, type: u8}]\n":                      "duplicate field a",
		head + "fields: [{name: a, type: text}]\n":                                         "length is missing: a number, a field's name, u8, u16, u32, zero or rest",
		head + "fields: [{name: a, type: u8, length: 3}]\n":                                "a u8 has its own length",
		head + "fields: [{name: a, type: text, length: later}, {name: later, type: u8}]\n": "is neither a number nor an earlier field",
		head + "fields: [{name: a, type: bytes, length: 99999999999}]\n":                   "is out of bounds",
		head + "fields: [{name: a, repeat: 3}]\n":                                          "a record without fields",
		head + "fields: [{name: a, type: u8, fields: [{name: b, type: u8}]}]\n":            "a record has fields, and no type, length or values",
		head + "checksum: {algorithm: CRC-31, at: 0, stored: big-endian}\n":                "there is no algorithm",
		head + "checksum: {algorithm: MD5, at: 0, stored: sideways}\n":                     "is not a way to store it; use",
		head + "fields: " + strings.Repeat("[{name: a, fields: ", 9) + "[{name: b, type: u8}]" + strings.Repeat("}]", 9) + "\n": "more than 8 deep",
		"": "format",
	} {
		_, err := Parse([]byte(text))
		assert.ErrorContains(t, err, says, text)
	}
}

// Whatever the notes and the file, reading ends, and what it tells lies in the file.
func FuzzRead(f *testing.F) {
	f.Add([]byte(slot), file())
	f.Add([]byte("format: endroit/notes/1\nfields:\n  - name: r\n    repeat: rest\n    fields: [{name: n, type: u8}, {name: x, type: bytes, length: n}]\n"), []byte("\x01a\x02bc"))
	f.Add([]byte("format: endroit/notes/1\nchecksum: {algorithm: sum of bytes, bits: 16, at: 3, from: -9, to: -1, zeroed: true, stored: big-endian}\n"), []byte("0123456789abcdef"))
	f.Fuzz(func(t *testing.T, text, data []byte) {
		n, err := Parse(text)
		if err != nil {
			return
		}
		r := n.Read(data)
		for _, v := range r.Values {
			if v.At < 0 || v.Length < 0 || v.At+v.Length > len(data) {
				t.Fatalf("%+v in %d bytes", v, len(data))
			}
		}
		if r.Valid() && len(r.Values) > 0 {
			v := r.Values[0]
			if out, err := n.Set(data, v.Name, "1"); err == nil && !n.Read(out).Valid() {
				t.Fatalf("%q does not fit any more", v.Name)
			}
		}
	})
}
