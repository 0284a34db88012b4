// Package notes reads notes on the structure of files: a header, fields with their place
// and type, repeated records and a checksum, as somebody who looked inside wrote them
// down. A file is read by them field by field, and what does not fit is reported with its place.
//
//	n, err := notes.Parse(text)
//	reading := n.Read(data)
package notes

import (
	"bytes"
	"encoding/hex"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"

	"endroit/core/content"
	"endroit/core/words"
	"endroit/core/yamldoc"
)

// Format is the name and version in notes.
const Format = "endroit/notes/1"

// MaxBytes is the largest text that is read as notes.
const MaxBytes = 256 << 10

// Bounds of what notes may ask for.
const (
	maxDepth  = 8
	maxFields = 1000    // that are written down
	maxValues = 200_000 // that are read of a file
)

// Notes describe one kind of file.
type Notes struct {
	Format string `yaml:"format" json:"format"`
	About  string `yaml:"about,omitempty" json:"about,omitempty"`
	// Order is of bytes in numbers: little, which is meant if it is left out, or big.
	Order    string    `yaml:"order,omitempty" json:"order,omitempty"`
	Header   string    `yaml:"header,omitempty" json:"header,omitempty"` // what the file begins with: "text" or hexadecimal bytes
	Fields   []Field   `yaml:"fields,omitempty" json:"fields,omitempty"`
	Checksum *Checksum `yaml:"checksum,omitempty" json:"checksum,omitempty"`
	Unknown  unknown   `yaml:"-" json:",unknown"`
	header   []byte
}

// unknown are fields in the record that this version does not know, which are kept. What
// people write must have none.
type unknown = jsontext.Value

// Field is one field, or a record of several.
type Field struct {
	Name string `yaml:"name" json:"name"`
	Says string `yaml:"says,omitempty" json:"says,omitempty"` // what it is, in words
	// At is the offset, negative from the end, in a record from its beginning. Left out, the
	// field stands behind the one before it.
	At    *int   `yaml:"at,omitempty" json:"at,omitempty"`
	Type  string `yaml:"type,omitempty" json:"type,omitempty"` // see Types; a record has none
	Order string `yaml:"order,omitempty" json:"order,omitempty"`
	// Length is of text and bytes: a number, a field's name, u8, u16 or u32 that stands before
	// it, zero (a zero ends it) or rest.
	Length string   `yaml:"length,omitempty" json:"length,omitempty"`
	Repeat string   `yaml:"repeat,omitempty" json:"repeat,omitempty"` // of a record: a number, a field's name, or rest
	Fields []Field  `yaml:"fields,omitempty" json:"fields,omitempty"` // of a record
	Is     []string `yaml:"is,omitempty" json:"is,omitempty"`         // the values that it can have

	Unknown unknown `yaml:"-" json:",unknown"`
}

// Checksum says where a checksum stands and what it is of.
type Checksum struct {
	Algorithm string `yaml:"algorithm" json:"algorithm"`           // as endroit bytes --sums names it
	Bits      int    `yaml:"bits,omitempty" json:"bits,omitempty"` // where one name has several widths
	At        *int   `yaml:"at" json:"at"`                         // offset, negative from the end
	Stored    string `yaml:"stored" json:"stored"`                 // little-endian, big-endian, or hexadecimal text
	From      int    `yaml:"from,omitempty" json:"from,omitempty"`
	// To is the offset of the end, negative from the file's end. Left out, it is the checksum's
	// own place if that stands behind From, else the file's end.
	To     *int `yaml:"to,omitempty" json:"to,omitempty"`
	Zeroed bool `yaml:"zeroed,omitempty" json:"zeroed,omitempty"`

	Unknown unknown `yaml:"-" json:",unknown"`
}

// MarshalJSON is for encoding/json as well, which knows nothing of what is not known.
func (n Notes) MarshalJSON() ([]byte, error) {
	type plain Notes
	return marshal(plain(n))
}

// MarshalJSON is as that of Notes.
func (f Field) MarshalJSON() ([]byte, error) {
	type plain Field
	return marshal(plain(f))
}

// MarshalJSON is as that of Notes.
func (c Checksum) MarshalJSON() ([]byte, error) {
	type plain Checksum
	return marshal(plain(c))
}

func marshal(v any) ([]byte, error) {
	return json.Marshal(v, jsonv1.OmitEmptyWithLegacySemantics(true), json.Deterministic(true))
}

// Types are those of fields, by their size in bytes; 0 for those with a length.
var Types = map[string]int{
	"u8":     1,
	"u16":    2,
	"u32":    4,
	"u64":    8,
	"i8":     1,
	"i16":    2,
	"i32":    4,
	"i64":    8,
	"f32":    4,
	"f64":    8,
	"bytes":  0,
	"text":   0,
	"text16": 0,
}

func typeNames() string {
	return "u8, u16, u32, u64, i8, i16, i32, i64, f32, f64, bytes, text, text16"
}

// The two orders of bytes.
const (
	Little = "little"
	Big    = "big"
)

// Parse reads and checks notes. The error is a *yamldoc.Error that says where.
func Parse(text []byte) (*Notes, error) {
	var n Notes
	doc, err := yamldoc.Decode("notes", text, MaxBytes, &n)
	if err != nil {
		return nil, err
	}
	c := &checker{}
	c.notes(&n)
	if c.first != nil {
		return nil, doc.At(c.first)
	}
	return &n, nil
}

// Check reports, as a *yamldoc.Error, what is wrong with notes that did not come as text.
func (n *Notes) Check() error {
	c := &checker{}
	c.notes(n)
	if c.first != nil {
		return c.first
	}
	return nil
}

// maxSays is how long a text in notes may be, in bytes.
const maxSays = 500

// texts are all in words, for those who have to change or check them.
func (n *Notes) texts(each func(field string, text *string)) {
	each("about", &n.About)
	var fields func(at string, list []Field)
	fields = func(at string, list []Field) {
		for i := range list {
			where := fmt.Sprintf("%s[%d]", at, i)
			each(where+".says", &list[i].Says)
			for j := range list[i].Is {
				each(fmt.Sprintf("%s.is[%d]", where, j), &list[i].Is[j])
			}
			fields(where+".fields", list[i].Fields)
		}
	}
	fields("fields", n.Fields)
}

// Same reports whether two notes say the same. Nil are none.
func (n *Notes) Same(o *Notes) bool {
	if n == nil || o == nil {
		return n == o
	}
	a, err1 := json.Marshal(n)
	b, err2 := json.Marshal(o)
	return err1 == nil && err2 == nil && bytes.Equal(a, b)
}

// With returns a copy with every text in words changed.
func (n *Notes) With(change func(string) string) *Notes {
	out := *n
	out.Fields = copied(n.Fields)
	out.texts(func(_ string, text *string) { *text = change(*text) })
	return &out
}

func copied(list []Field) []Field {
	out := slices.Clone(list)
	for i := range out {
		out[i].Is, out[i].Fields = slices.Clone(out[i].Is), copied(out[i].Fields)
	}
	return out
}

type checker struct {
	first  *yamldoc.Error
	fields int
}

func (c *checker) bad(field, format string, args ...any) {
	if c.first == nil {
		c.first = &yamldoc.Error{What: "notes", Field: field, Reason: fmt.Sprintf(format, args...)}
	}
}

func (c *checker) notes(n *Notes) {
	if n.Format != Format {
		c.bad("format", "it is %q; this program reads %s", n.Format, Format)
		return
	}
	c.order("order", n.Order)
	var err error
	if n.header, err = headerBytes(n.Header); err != nil {
		c.bad("header", "%v", err)
	}
	c.list("fields", n.Fields, nil, 1)
	n.texts(func(field string, text *string) {
		if reason := words.Text(*text, maxSays); reason != "" {
			c.bad(field, "%s", reason)
		}
	})
	if n.Checksum != nil {
		c.checksum(n.Checksum)
	}
}

func (c *checker) order(field, order string) {
	if order != "" && order != Little && order != Big {
		c.bad(field, "%q is not a byte order; it must be little or big", order)
	}
}

// headerBytes reads "TIDE" in quotation marks, or 54 49 44 45.
func headerBytes(text string) ([]byte, error) {
	if text == "" {
		return nil, nil
	}
	if plain, err := strconv.Unquote(text); err == nil && strings.HasPrefix(text, `"`) {
		return []byte(plain), nil
	}
	b, err := hex.DecodeString(strings.Join(strings.Fields(text), ""))
	if err != nil || len(b) == 0 {
		return nil, fmt.Errorf("%q is neither a quoted text nor hexadecimal bytes such as 54 49 44 45", text)
	}
	return b, nil
}

var nameShape = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^[a-z][a-z0-9_-]{0,59}$`)
})

// list checks fields; known are the names that were read before them.
func (c *checker) list(at string, fields []Field, known []string, depth int) {
	if depth > maxDepth {
		c.bad(at, "records are nested more than %d deep", maxDepth)
		return
	}
	known = slices.Clone(known)
	here := map[string]bool{}
	for i := range fields {
		f, where := &fields[i], fmt.Sprintf("%s[%d]", at, i)
		if c.fields++; c.fields > maxFields {
			c.bad(at, "there are more than %d fields", maxFields)
			return
		}
		switch {
		case !nameShape().MatchString(f.Name):
			c.bad(
				where+".name",
				"%q is not a name: it must begin with a lowercase letter and contain only lowercase letters, digits, - and _",
				f.Name,
			)
		case here[f.Name]:
			c.bad(where+".name", "duplicate field %s", f.Name)
		}
		here[f.Name] = true
		c.order(where+".order", f.Order)
		c.field(where, f, known, depth)
		known = append(known, f.Name)
	}
}

func (c *checker) field(where string, f *Field, known []string, depth int) {
	if len(f.Fields) > 0 || f.Repeat != "" {
		if f.Type != "" || f.Length != "" || len(f.Is) > 0 {
			c.bad(where+".type", "a record has fields, and no type, length or values")
		}
		if len(f.Fields) == 0 {
			c.bad(where+".fields", "a record without fields")
		}
		if f.Repeat != "" && f.Repeat != "rest" {
			c.amount(where+".repeat", f.Repeat, known, nil)
		}
		c.list(where+".fields", f.Fields, known, depth+1)
		return
	}
	size, ok := Types[f.Type]
	switch {
	case !ok:
		c.bad(where+".type", "%q is not a type; the types are %s", f.Type, typeNames())
	case size > 0 && f.Length != "":
		c.bad(where+".length", "a %s has its own length", f.Type)
	case size == 0 && f.Length == "":
		c.bad(where+".length", "length is missing: a number, a field's name, u8, u16, u32, zero or rest")
	case size == 0:
		c.amount(where+".length", f.Length, known, []string{"u8", "u16", "u32", "zero", "rest"})
	}
}

func (c *checker) amount(where, text string, known, words []string) {
	if n, err := strconv.Atoi(text); err == nil {
		if n < 0 || n > maxBytesOf {
			c.bad(where, "%d is out of bounds", n)
		}
		return
	}
	if !slices.Contains(words, text) && !slices.Contains(known, text) {
		c.bad(where, "%q is neither a number nor an earlier field", text)
	}
}

// maxBytesOf is the largest amount that is written down.
const maxBytesOf = 64 << 20

func (c *checker) checksum(s *Checksum) {
	if s.At == nil {
		c.bad("checksum.at", "at is missing")
	}
	if !content.HasSum(s.Algorithm, s.Bits) {
		bits := ""
		if s.Bits != 0 {
			bits = fmt.Sprintf(" with %d bits", s.Bits)
		}
		c.bad("checksum.algorithm", "there is no algorithm %q%s; endroit bytes --sums lists them", s.Algorithm, bits)
	}
	if !slices.Contains([]string{content.LittleEnd, content.BigEnd, content.HexText}, s.Stored) {
		c.bad(
			"checksum.stored", "%q is not a way to store it; use %s, %s or %s", s.Stored, content.LittleEnd,
			content.BigEnd, content.HexText,
		)
	}
}

// Value is a field as it stands in a file.
type Value struct {
	Name   string `json:"name"` // with those of the records around it: items[2].gold
	At     int    `json:"at"`
	Length int    `json:"length"` // bytes
	Type   string `json:"type"`
	Text   string `json:"text"` // the value in words or digits
	Says   string `json:"says,omitempty"`
	number int64
	whole  bool // number is the value
	order  string
}

// Reading is a file as the notes have it.
type Reading struct {
	Values   []Value  `json:"values"`
	Problems []string `json:"problems"` // where the file does not fit the notes
	Free     []Gap    `json:"free"`     // bytes of which the notes say nothing
	// Sound is "header", "checksum" or both if these fit, as far as the notes tell of
	// them.
	Sound []string `json:"sound"`
}

// Gap is a stretch of bytes.
type Gap struct {
	At     int `json:"at"`
	Length int `json:"length"`
}

// Valid reports whether nothing is wrong with the file.
func (r Reading) Valid() bool { return len(r.Problems) == 0 }

// Read reads a file by the notes. Whatever the file holds, it ends.
func (n *Notes) Read(data []byte) Reading {
	r := reader{
		data:  data,
		order: n.Order,
		out:   Reading{Values: []Value{}, Problems: []string{}, Free: []Gap{}, Sound: []string{}},
	}
	header := n.header
	if header == nil { // the notes came as JSON
		header, _ = headerBytes(n.Header)
	}
	if len(header) > 0 {
		r.cover(0, min(len(header), len(data)), "the header")
		if bytes.HasPrefix(data, header) {
			r.out.Sound = append(r.out.Sound, "header")
		} else {
			r.problem("its header is not %s", n.Header)
		}
	}
	r.list(n.Fields, len(header), 0, "", nil)
	if n.Checksum != nil {
		r.checksum(*n.Checksum)
	}
	r.free()
	return r.out
}
