// Package hive reads the text form in which Wine keeps a registry hive: system.reg
// and user.reg of a prefix.
//
//	h, err := hive.Parse(data)
//	text, ok := h.Text(`Software\Tidewrack`, "LastSlot")
//
// The form is the one that Wine's server writes (server/registry.c and
// server/unicode.c): a first line WINE REGISTRY Version 2, keys in brackets with
// the time of their last change, and a line for each value.
package hive

import (
	"bytes"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"
	"unicode/utf16"
	"unicode/utf8"
)

// The bounds of a hive, whoever wrote it.
const (
	MaxBytes = 256 << 20
	maxKeys  = 2_000_000
	maxValue = 16 << 20 // bytes of one line, continued lines joined
)

// firstLine is how a hive begins.
const firstLine = "WINE REGISTRY Version 2"

// ErrFormat says that the input is no hive in text form.
var ErrFormat = errors.New("not a registry hive in Wine's text form, version 2")

// Kind is a value's type, by its number in Windows (winnt.h).
type Kind uint32

// The kinds that have a form of their own.
const (
	String Kind = 1
	Expand Kind = 2 // a string with %VARIABLES%
	Binary Kind = 3
	DWord  Kind = 4
	Multi  Kind = 7 // several strings
)

// Value is one named value. The default value has an empty name.
type Value struct {
	Name   string
	Kind   Kind
	Text   string // of String and Expand; of Multi the strings joined by line ends
	Number uint32 // of DWord
	Data   []byte // of all other kinds
}

// Key is one key with its values, in the order of the file.
type Key struct {
	Path   string // below the hive's root, with backslashes
	Time   time.Time
	Values []Value
}

// Hive is a whole hive.
type Hive struct {
	// Root is where its keys hang: REGISTRY\Machine, REGISTRY\User\S-1-….
	Root  string
	Keys  []Key
	byID  map[string]int
	exact bool
}

// New makes a hive of keys; of two with one path the last counts.
func New(root string, keys []Key) *Hive {
	h := &Hive{Root: root, Keys: keys, byID: make(map[string]int, len(keys))}
	for i, k := range keys {
		h.byID[fold(k.Path)] = i
	}
	return h
}

// Parse reads a hive. An error names the line.
func Parse(data []byte) (*Hive, error) { return parse(data, nil, false) }

// ParseBelow reads only the keys with these paths and those below them, and passes
// over all others unread: a hive has tens of thousands. Paths are in ASCII; with
// others everything is read.
func ParseBelow(data []byte, paths ...string) (*Hive, error) {
	w := wanted{}
	for _, p := range paths {
		if strings.ContainsFunc(p, func(r rune) bool { return r < ' ' || r > '~' || r == ']' }) {
			return parse(data, nil, false)
		}
		w = append(w, []byte(strings.ReplaceAll(strings.ToLower(p), `\`, `\\`)))
	}
	return parse(data, w, false)
}

// wanted are paths as they stand in a file, in lowercase.
type wanted [][]byte

// has reports whether a line opens a key with one of the paths, or one below it.
func (w wanted) has(line []byte) bool {
	for _, p := range w {
		if rest := line[1:]; len(rest) > len(p) && (rest[len(p)] == ']' || rest[len(p)] == '\\') &&
			bytes.EqualFold(rest[:len(p)], p) {
			return true
		}
	}
	return false
}

// parse reads the keys that are wanted, all with nil. With exact, Data of a text is what the
// registry has of it, byte for byte.
func parse(data []byte, only wanted, exact bool) (*Hive, error) {
	if len(data) > MaxBytes {
		return nil, fmt.Errorf("read hive: %d bytes; the limit is %d", len(data), MaxBytes)
	}
	p := parser{rest: data}
	first, _ := p.line()
	if strings.TrimSpace(string(first)) != firstLine {
		return nil, fmt.Errorf("read hive: %w", ErrFormat)
	}
	h := &Hive{byID: map[string]int{}, exact: exact}
	for {
		line, ok := p.line()
		if !ok {
			return h, nil
		}
		if only != nil && bytes.HasPrefix(line, []byte("[")) && !only.has(line) {
			p.skip()
			continue
		}
		if err := h.add(string(line)); err != nil {
			return nil, fmt.Errorf("read hive: line %d: %w", p.n, err)
		}
	}
}

type parser struct {
	rest []byte
	n    int
}

// skip passes over the values of a key: to the line that opens the next.
func (p *parser) skip() {
	end := len(p.rest)
	if i := bytes.Index(p.rest, []byte("\n[")); i >= 0 {
		end = i + 1
	}
	if bytes.HasPrefix(p.rest, []byte("[")) {
		end = 0
	}
	p.n += bytes.Count(p.rest[:end], []byte{'\n'})
	p.rest = p.rest[end:]
}

// line returns the next line, joined with those that continue it.
func (p *parser) line() ([]byte, bool) {
	var whole []byte
	for {
		if len(p.rest) == 0 {
			return whole, whole != nil
		}
		p.n++
		line, rest, _ := bytes.Cut(p.rest, []byte{'\n'})
		p.rest = rest
		line = bytes.TrimSuffix(line, []byte{'\r'})
		// Only lists of bytes are continued; a text may end in a backslash only
		// within its quotes.
		if n := len(line); n > 0 && line[n-1] == '\\' && len(whole)+n <= maxValue {
			whole = append(whole, bytes.TrimLeft(line[:n-1], " ")...)
			continue
		}
		if whole == nil {
			return line, true
		}
		return append(whole, bytes.TrimLeft(line, " ")...), true
	}
}

func (h *Hive) add(line string) error {
	switch {
	case line == "":
		return nil
	case strings.HasPrefix(line, ";"):
		if root, ok := strings.CutPrefix(line, ";; All keys relative to "); ok {
			h.Root = strings.ReplaceAll(root, `\\`, `\`)
		}
		return nil
	case strings.HasPrefix(line, "#"):
		return nil // the time to a finer grain, the architecture, a class, a link
	case strings.HasPrefix(line, "["):
		return h.key(line[1:])
	}
	if len(h.Keys) == 0 {
		return errors.New("a value before the first key")
	}
	return h.Keys[len(h.Keys)-1].value(line, h.exact)
}

func (h *Hive) key(rest string) error {
	path, n, err := unescape(rest, ']')
	if err != nil {
		return err
	}
	k := Key{Path: path}
	if seconds, err := strconv.ParseInt(strings.TrimSpace(rest[n:]), 10, 64); err == nil && seconds > 0 && seconds < 1<<33 {
		k.Time = time.Unix(seconds, 0).UTC()
	}
	if len(h.Keys) == maxKeys {
		return fmt.Errorf("more than %d keys", maxKeys)
	}
	h.byID[fold(path)] = len(h.Keys)
	h.Keys = append(h.Keys, k)
	return nil
}

func (k *Key) value(line string, exact bool) error {
	var v Value
	rest, isDefault := strings.CutPrefix(line, "@")
	if !isDefault {
		if !strings.HasPrefix(line, `"`) {
			return errors.New("neither a key nor a value")
		}
		name, n, err := unescape(line[1:], '"')
		if err != nil {
			return err
		}
		v.Name, rest = name, line[1+n:]
	}
	rest, ok := strings.CutPrefix(rest, "=")
	if !ok {
		return errors.New("a value without =")
	}
	if err := v.parse(rest, exact); err != nil {
		return fmt.Errorf("value %.60q: %w", v.Name, err)
	}
	k.Values = append(k.Values, v)
	return nil
}

func (v *Value) parse(text string, exact bool) error {
	kind, rest := uint64(Binary), text
	switch {
	case strings.HasPrefix(text, `"`):
		kind = uint64(String)
	case strings.HasPrefix(text, "dword:"):
		n, err := strconv.ParseUint(text[len("dword:"):], 16, 32)
		v.Kind, v.Number = DWord, uint32(n)
		return err
	case strings.HasPrefix(text, "str("), strings.HasPrefix(text, "hex("):
		number, after, found := strings.Cut(text[4:], "):")
		if !found {
			return errors.New("a type that is not closed by a parenthesis and a colon")
		}
		var err error
		if kind, err = strconv.ParseUint(number, 16, 32); err != nil {
			return err
		}
		rest = after
		if text[0] == 'h' {
			return v.bytes(Kind(kind), rest)
		}
	case strings.HasPrefix(text, "hex:"):
		return v.bytes(Binary, text[len("hex:"):])
	default:
		return errors.New("an unknown type")
	}
	if !strings.HasPrefix(rest, `"`) {
		return errors.New("a text without quotes")
	}
	units, _, err := unescapeUnits(rest[1:], '"')
	got := string(utf16.Decode(units))
	if exact {
		v.Data = make([]byte, 0, 2*len(units)+2)
		for _, u := range units {
			v.Data = binary.LittleEndian.AppendUint16(v.Data, u)
		}
		v.Data = append(v.Data, 0, 0) // which is not written
	}
	v.Kind, v.Text = Kind(kind), got
	if v.Kind == Multi {
		v.Text = strings.ReplaceAll(strings.TrimRight(got, "\x00"), "\x00", "\n")
	}
	return err
}

func (v *Value) bytes(kind Kind, text string) error {
	v.Kind = kind
	text = strings.ReplaceAll(strings.ReplaceAll(text, ",", ""), " ", "")
	data, err := hex.DecodeString(text)
	v.Data = data
	return err
}

// unescape reads up to the closing character and returns the text and how many
// bytes it took, the closing one included. Characters are UTF-16 units.
func unescape(text string, until byte) (string, int, error) {
	units, n, err := unescapeUnits(text, until)
	return string(utf16.Decode(units)), n, err
}

func unescapeUnits(text string, until byte) (units []uint16, n int, err error) {
	for i := 0; i < len(text); {
		c := text[i]
		switch {
		case c == until:
			return units, i + 1, nil
		case c != '\\':
			// Other characters stand in UTF-8, or in Latin-1 as older versions wrote.
			r, n := utf8.DecodeRuneInString(text[i:])
			if r == utf8.RuneError && n == 1 {
				r = rune(c)
			}
			units = utf16.AppendRune(units, r)
			i += n
		default:
			u, n := escape(text[i+1:])
			if n == 0 {
				return nil, 0, errors.New("a text ends in a backslash")
			}
			units = append(units, u)
			i += 1 + n
		}
	}
	return nil, 0, fmt.Errorf("a text without its closing %c", until)
}

var simpleEscapes = map[byte]uint16{'a': 7, 'b': 8, 'e': 27, 'f': 12, 'n': 10, 'r': 13, 't': 9, 'v': 11}

// escape reads what stands behind a backslash: a letter, x with up to four
// hexadecimal digits, up to three octal digits, or a character itself.
func escape(text string) (unit uint16, n int) {
	if text == "" {
		return 0, 0
	}
	c := text[0]
	if u, ok := simpleEscapes[c]; ok {
		return u, 1
	}
	base, from, most := 0, 0, 0
	switch {
	case c == 'x':
		base, from, most = 16, 1, 5
	case c >= '0' && c <= '7':
		base, from, most = 8, 0, 3
	default:
		return uint16(c), 1
	}
	end := from
	for end < len(text) && end < most && isDigit(text[end], base) {
		end++
	}
	if end == from {
		return uint16(c), 1
	}
	v, err := strconv.ParseUint(text[from:end], base, 16)
	if err != nil {
		return uint16(c), 1
	}
	return uint16(v), end
}

func isDigit(c byte, base int) bool {
	_, err := strconv.ParseUint(string(c), base, 8)
	return err == nil
}

// fold brings a path to the form in which paths are compared.
func fold(path string) string { return strings.ToLower(path) }

// Key returns the key with this path below the root, whatever its case; nil if
// there is none.
func (h *Hive) Key(path string) *Key {
	if i, ok := h.byID[fold(path)]; ok {
		return &h.Keys[i]
	}
	return nil
}

// Text returns a value of kind String or Expand.
func (h *Hive) Text(path, name string) (string, bool) {
	k := h.Key(path)
	if k == nil {
		return "", false
	}
	for _, v := range k.Values {
		if strings.EqualFold(v.Name, name) && (v.Kind == String || v.Kind == Expand) {
			return v.Text, true
		}
	}
	return "", false
}
