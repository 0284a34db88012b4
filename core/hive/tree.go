package hive

import (
	"bytes"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"
	"unicode/utf16"
)

// Raw is a value as Windows keeps it: texts in UTF-16, the lower byte first, with the zero
// that ends them.
type Raw struct {
	Name string
	Kind Kind
	Data []byte
}

// Raw is the value in bytes. Of a text it is exact only as ReadTree reads it.
func (v Value) Raw() Raw {
	r := Raw{Name: v.Name, Kind: v.Kind, Data: v.Data}
	if v.Kind == DWord && v.Data == nil {
		r.Data = binary.LittleEndian.AppendUint32(nil, v.Number)
	}
	return r
}

// Branch is a key with what lies below it. Path is the way from the branch's top: the top's
// own is empty.
type Branch struct {
	Path   string
	Values []Raw
}

// ErrLink says that a key is only another name for one elsewhere.
var ErrLink = errors.New("a key there is a link to another")

// ReadTree reads a key and all below it, in the file's order; found is false if there is
// none. newest is when one of them last changed.
func ReadTree(data []byte, path string) (tree []Branch, newest time.Time, found bool, err error) {
	if _, err := parse(data, wanted{}, false); err != nil {
		return nil, newest, false, err
	}
	own, err := sections(data, path)
	if err != nil || len(own) == 0 {
		return nil, newest, false, err
	}
	only := []byte(firstLine + "\n")
	for _, s := range own {
		only = append(only, data[s.from:s.to]...)
	}
	h, err := parse(only, nil, true)
	if err != nil {
		return nil, newest, false, err
	}
	for _, k := range h.Keys {
		b := Branch{Path: strings.TrimPrefix(k.Path[len(path):], `\`)}
		for _, v := range k.Values {
			b.Values = append(b.Values, v.Raw())
		}
		tree = append(tree, b)
		if k.Time.After(newest) {
			newest = k.Time
		}
	}
	return tree, newest, true, nil
}

// section is where a key's lines stand in a file: from its own to that of the next key.
type section struct{ from, to int }

// sections finds those of a key and all below it.
func sections(data []byte, path string) (all []section, err error) {
	top := fold(path)
	for at := 0; at < len(data); {
		next := len(data)
		if i := bytes.Index(data[at:], []byte("\n[")); i >= 0 {
			next = at + i + 1
		}
		if data[at] == '[' {
			line, _, _ := bytes.Cut(data[at+1:next], []byte("\n"))
			name, _, err := unescape(string(line), ']')
			if err != nil {
				return nil, err
			}
			if name = fold(name); name == top || strings.HasPrefix(name, top+`\`) {
				if bytes.Contains(data[at:next], []byte("\n#link")) {
					return nil, ErrLink
				}
				all = append(all, section{at, next})
			}
		}
		at = next
	}
	return all, nil
}

// ReplaceTree gives the hive with a key and all below it replaced by a tree, or, with none,
// removed. Everything else keeps its bytes. The key that it lies in stays, though it may be
// empty then.
func ReplaceTree(data []byte, path string, tree []Branch, now time.Time) ([]byte, error) {
	if _, err := parse(data, wanted{}, false); err != nil {
		return nil, err
	}
	if path == "" {
		return nil, errors.New("no key is named")
	}
	old, err := sections(data, path)
	if err != nil {
		return nil, err
	}
	at := len(data)
	if len(old) > 0 {
		at = old[0].from
	}
	out := slices.Clone(data[:at])
	if n := len(out); n > 0 && out[n-1] != '\n' {
		out = append(out, '\n')
	}
	if cut := strings.LastIndexByte(path, '\\'); len(tree) == 0 && len(old) > 0 && cut > 0 {
		parent := path[:cut]
		with, err := sections(data, parent)
		if err != nil {
			return nil, err
		}
		if len(with) == len(old) {
			out = appendKey(out, parent, nil, now)
		}
	}
	for _, b := range tree {
		whole := path
		if b.Path != "" {
			whole += `\` + b.Path
		}
		out = appendKey(out, whole, b.Values, now)
	}
	for i, s := range old {
		next := len(data)
		if i+1 < len(old) {
			next = old[i+1].from
		}
		out = append(out, data[s.to:next]...)
	}
	if len(out) > MaxBytes {
		return nil, fmt.Errorf("write hive: it would have more than %d bytes", MaxBytes)
	}
	return out, nil
}

// epoch is 1970-01-01 in FILETIME: 100 nanoseconds since 1601.
const epoch = 116_444_736_000_000_000

func appendKey(out []byte, path string, values []Raw, now time.Time) []byte {
	out = append(out, '[')
	out = appendUnits(out, utf16.Encode([]rune(path)), "[]")
	out = fmt.Appendf(out, "] %d\n#time=%x\n", now.Unix(), now.UnixNano()/100+epoch)
	for _, v := range values {
		if v.Name == "" {
			out = append(out, '@')
		} else {
			out = append(out, '"')
			out = appendUnits(out, utf16.Encode([]rune(v.Name)), `""`)
			out = append(out, '"')
		}
		out = append(out, '=')
		out = appendData(out, v)
		out = append(out, '\n')
	}
	return append(out, '\n')
}

func appendData(out []byte, v Raw) []byte {
	switch {
	case v.Kind == DWord && len(v.Data) == 4:
		return fmt.Appendf(out, "dword:%08x", binary.LittleEndian.Uint32(v.Data))
	case v.Kind == String || v.Kind == Expand || v.Kind == Multi:
		units, ended := Units(v.Data)
		if !ended {
			break
		}
		if v.Kind != String {
			out = fmt.Appendf(out, "str(%x):", uint32(v.Kind))
		}
		out = append(out, '"')
		out = appendUnits(out, units, `""`)
		return append(out, '"')
	}
	if v.Kind == Binary {
		out = append(out, "hex:"...)
	} else {
		out = fmt.Appendf(out, "hex(%x):", uint32(v.Kind))
	}
	return AppendBytes(out, v.Data)
}

// AppendBytes appends bytes in hexadecimal with commas between them.
func AppendBytes(out, data []byte) []byte {
	for i, b := range data {
		if i > 0 {
			out = append(out, ',')
		}
		out = fmt.Appendf(out, "%02x", b)
	}
	return out
}

// Units are the characters of a text without the zero that ends it; ended is false if it
// has none, or is no whole number of characters.
func Units(data []byte) (units []uint16, ended bool) {
	n := len(data)
	if n < 2 || n%2 != 0 || data[n-1] != 0 || data[n-2] != 0 {
		return nil, false
	}
	for i := 0; i < n-2; i += 2 {
		units = append(units, binary.LittleEndian.Uint16(data[i:]))
	}
	return units, true
}

// letterEscapes are the control characters that have a letter.
var letterEscapes = map[uint16]byte{7: 'a', 8: 'b', 9: 't', 10: 'n', 11: 'v', 12: 'f', 13: 'r', 27: 'e'}

// appendUnits writes characters as Wine's server does (server/unicode.c, dump_strW), with a
// backslash before each of special.
func appendUnits(out []byte, units []uint16, special string) []byte {
	for i, u := range units {
		next := uint16(0)
		if i+1 < len(units) {
			next = units[i+1]
		}
		switch letter, has := letterEscapes[u]; {
		case u > 127 && next < 128 && isDigit(byte(next), 16):
			out = fmt.Appendf(out, `\x%04x`, u)
		case u > 127:
			out = fmt.Appendf(out, `\x%x`, u)
		case has:
			out = append(out, '\\', letter)
		case u < 32 && next < 128 && isDigit(byte(next), 8):
			out = fmt.Appendf(out, `\%03o`, u)
		case u < 32:
			out = fmt.Appendf(out, `\%o`, u)
		default:
			if c := byte(u); c == '\\' || c == special[0] || c == special[1] {
				out = append(out, '\\')
			}
			out = append(out, byte(u))
		}
	}
	return out
}
