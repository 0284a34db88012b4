// Package regtext is the text in which a copy keeps a registry key with all below it: a file
// that Windows' registry editor, and Wine's, import.
//
//	text, err := regtext.Text(`HKEY_CURRENT_USER\Software\Fen`, tree)
//	tree, err := regtext.Parse(text, `HKEY_CURRENT_USER\Software\Fen`)
//
// Text has one form for one content: keys and values in order, each value in one way, in
// UTF-16 as the editor writes it. So a digest of the text tells whether a key is the same.
// Parse also reads what the editors export.
package regtext

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"unicode/utf16"

	"endroit/core/hive"
)

// The bounds of a text, whoever wrote it.
const (
	MaxBytes  = 16 << 20
	maxKeys   = 10_000
	maxValues = 100_000
	maxDepth  = 64 // keys in keys
)

// header is the first line of a file of the registry editor.
const header = "Windows Registry Editor Version 5.00"

// Text writes a key and all below it.
func Text(top string, tree []hive.Branch) ([]byte, error) { return write(top, tree, false) }

// Replacing is a text by whose import a key becomes just what it says, or, with no tree, is
// removed.
func Replacing(top string, tree []hive.Branch) ([]byte, error) { return write(top, tree, true) }

func write(top string, tree []hive.Branch, replacing bool) ([]byte, error) {
	var b strings.Builder
	b.WriteString(header + "\r\n\r\n")
	if replacing {
		b.WriteString("[-" + top + "]\r\n\r\n")
	}
	values := 0
	for _, k := range sorted(tree) {
		path := top
		if k.Path != "" {
			path += `\` + k.Path
		}
		if reason := unwritable(path); reason != "" {
			return nil, fmt.Errorf("the name of the key %q cannot be written: %s", path, reason)
		}
		b.WriteString("[" + path + "]\r\n")
		for _, v := range k.Values {
			if reason := unwritable(v.Name); reason != "" {
				return nil, fmt.Errorf("the name of the value %q in %s cannot be written: %s", v.Name, path, reason)
			}
			if v.Name == "" {
				b.WriteString("@=")
			} else {
				b.WriteString(quoted(v.Name) + "=")
			}
			b.WriteString(data(v) + "\r\n")
		}
		b.WriteString("\r\n")
		values += len(k.Values)
	}
	if len(tree) > maxKeys || values > maxValues || b.Len() > MaxBytes/2 {
		return nil, fmt.Errorf("it has more than %d keys, %d values or %d bytes", maxKeys, maxValues, MaxBytes/2)
	}
	out := []byte{0xff, 0xfe}
	for _, u := range utf16.Encode([]rune(b.String())) {
		out = binary.LittleEndian.AppendUint16(out, u)
	}
	return out, nil
}

// sorted puts keys and values into their order, without the keys that are there only for
// those below them: a hive does not tell of them.
func sorted(tree []hive.Branch) []hive.Branch {
	below := map[string]bool{} // of which paths there are some, folded
	for _, k := range tree {
		path := strings.ToLower(k.Path)
		for path != "" {
			cut := max(strings.LastIndexByte(path, '\\'), 0)
			if path = path[:cut]; below[path] {
				break
			}
			below[path] = true
		}
	}
	out := make([]hive.Branch, 0, len(tree))
	for _, k := range tree {
		if len(k.Values) == 0 && below[strings.ToLower(k.Path)] {
			continue
		}
		values := slices.Clone(k.Values)
		slices.SortFunc(values, func(a, b hive.Raw) int { return compare(a.Name, b.Name) })
		out = append(out, hive.Branch{Path: k.Path, Values: values})
	}
	slices.SortFunc(out, func(a, b hive.Branch) int { return compare(a.Path, b.Path) })
	return out
}

func compare(a, b string) int {
	return cmp.Or(strings.Compare(strings.ToLower(a), strings.ToLower(b)), strings.Compare(a, b))
}

// unwritable says why a name cannot stand in a text; empty if it can.
func unwritable(name string) string {
	for _, r := range name {
		if r < ' ' || r == 0x7f || r == '\uFFFD' || r == 0x2028 || r == 0x2029 {
			return "it has a character that ends a line, or is none"
		}
	}
	return ""
}

func quoted(text string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(text) + `"`
}

// data writes a value's data: a text in quotes where that reads back as the same bytes.
func data(v hive.Raw) string {
	switch {
	case v.Kind == hive.DWord && len(v.Data) == 4:
		return fmt.Sprintf("dword:%08x", binary.LittleEndian.Uint32(v.Data))
	case v.Kind == hive.String:
		units, ended := hive.Units(v.Data)
		text := string(utf16.Decode(units))
		if ended && unwritable(text) == "" && slices.Equal(utf16.Encode([]rune(text)), units) {
			return quoted(text)
		}
	case v.Kind == hive.Binary:
		return string(hive.AppendBytes([]byte("hex:"), v.Data))
	}
	return string(hive.AppendBytes(fmt.Appendf(nil, "hex(%x):", uint32(v.Kind)), v.Data))
}

// Parse reads a text that has the key top and what lies below it, and nothing else. An error
// names the line.
func Parse(text []byte, top string) ([]hive.Branch, error) {
	if len(text) > MaxBytes {
		return nil, fmt.Errorf("it is larger than %d bytes", MaxBytes)
	}
	if len(text)%2 != 0 || !bytes.HasPrefix(text, []byte{0xff, 0xfe}) {
		return nil, errors.New("it is not a text of the registry editor in UTF-16")
	}
	units := make([]uint16, 0, len(text)/2)
	for i := 2; i < len(text); i += 2 {
		units = append(units, binary.LittleEndian.Uint16(text[i:]))
	}
	p := parser{top: top, keys: map[string]bool{}}
	lines := strings.Split(string(utf16.Decode(units)), "\n")
	for i := 0; i < len(lines); i++ {
		at := i + 1
		line := strings.TrimSuffix(lines[i], "\r")
		if continues(line) {
			var whole strings.Builder
			for continues(line) && i+1 < len(lines) {
				whole.WriteString(strings.TrimSuffix(strings.TrimLeft(line, " "), `\`))
				i++
				line = strings.TrimSuffix(lines[i], "\r")
			}
			whole.WriteString(strings.TrimLeft(line, " "))
			line = whole.String()
		}
		if err := p.line(line); err != nil {
			return nil, fmt.Errorf("line %d: %w", at, err)
		}
	}
	if len(p.tree) == 0 {
		return nil, errors.New("it has no key")
	}
	return sorted(p.tree), nil
}

// continues reports whether a line of bytes goes on in the next.
func continues(line string) bool {
	return strings.HasSuffix(line, `\`) && !strings.HasPrefix(line, "[") && !strings.HasSuffix(line, `\\`)
}

type parser struct {
	top    string
	begun  bool
	tree   []hive.Branch
	keys   map[string]bool // by path, folded
	names  map[string]bool // of the last key's values, folded
	values int
}

func (p *parser) line(line string) error {
	switch {
	case !p.begun:
		p.begun = true
		if line != header {
			return fmt.Errorf("it does not begin with %q", header)
		}
		return nil
	case line == "" || strings.HasPrefix(line, ";"):
		return nil
	case strings.HasPrefix(line, "["):
		return p.key(line)
	case len(p.tree) == 0:
		return errors.New("a value before the first key")
	}
	return p.value(line)
}

func (p *parser) key(line string) error {
	path, closed := strings.CutSuffix(line[1:], "]")
	if !closed || strings.HasPrefix(path, "-") {
		return errors.New("it is no key")
	}
	rel := ""
	if !strings.EqualFold(path, p.top) {
		if len(path) <= len(p.top)+1 || !strings.EqualFold(path[:len(p.top)], p.top) || path[len(p.top)] != '\\' {
			return fmt.Errorf("%s does not lie in %s", path, p.top)
		}
		rel = path[len(p.top)+1:]
	}
	if strings.Count(rel, `\`) >= maxDepth {
		return fmt.Errorf("%.100s… lies deeper than %d keys", path, maxDepth)
	}
	for name := range strings.SplitSeq(rel, `\`) {
		if rel != "" && (name == "" || len(name) > 255) {
			return fmt.Errorf("%s is no path of a key", path)
		}
	}
	if len(p.tree) == maxKeys {
		return fmt.Errorf("there are more than %d keys", maxKeys)
	}
	if key := strings.ToLower(rel); p.keys[key] {
		return fmt.Errorf("%s stands there twice", path)
	} else {
		p.keys[key] = true
	}
	p.tree, p.names = append(p.tree, hive.Branch{Path: rel}), map[string]bool{}
	return nil
}

func (p *parser) value(line string) error {
	var v hive.Raw
	rest := line
	if strings.HasPrefix(line, "@") {
		rest = line[1:]
	} else {
		var err error
		if v.Name, rest, err = unquote(line); err != nil {
			return err
		}
	}
	text, ok := strings.CutPrefix(rest, "=")
	if !ok {
		return errors.New("a value without =")
	}
	var err error
	switch {
	case strings.HasPrefix(text, `"`):
		got, behind, failed := unquote(text)
		if err = failed; err == nil && behind != "" {
			err = errors.New("something follows the text")
		}
		v.Kind = hive.String
		for _, u := range utf16.Encode([]rune(got)) {
			v.Data = binary.LittleEndian.AppendUint16(v.Data, u)
		}
		v.Data = append(v.Data, 0, 0)
	case strings.HasPrefix(text, "dword:"):
		var n uint64
		n, err = strconv.ParseUint(text[len("dword:"):], 16, 32)
		v.Kind, v.Data = hive.DWord, binary.LittleEndian.AppendUint32(nil, uint32(n))
	case strings.HasPrefix(text, "hex:"):
		v.Kind = hive.Binary
		v.Data, err = decodeBytes(text[len("hex:"):])
	case strings.HasPrefix(text, "hex("):
		number, list, found := strings.Cut(text[len("hex("):], "):")
		kind, failed := strconv.ParseUint(number, 16, 32)
		if !found || failed != nil {
			return errors.New("a type that is no number")
		}
		v.Kind = hive.Kind(kind)
		v.Data, err = decodeBytes(list)
	default:
		err = errors.New("an unknown type of value, or one that removes something")
	}
	if err != nil {
		return fmt.Errorf("value %.60q: %w", v.Name, err)
	}
	if key := strings.ToLower(v.Name); p.names[key] {
		return fmt.Errorf("value %.60q stands there twice", v.Name)
	} else {
		p.names[key] = true
	}
	if p.values++; p.values > maxValues {
		return fmt.Errorf("there are more than %d values", maxValues)
	}
	k := &p.tree[len(p.tree)-1]
	k.Values = append(k.Values, v)
	return nil
}

// unquote reads a text in quotes, and gives what stands behind it.
func unquote(line string) (text, rest string, err error) {
	if !strings.HasPrefix(line, `"`) {
		return "", "", errors.New("neither a key nor a value")
	}
	var b strings.Builder
	for i := 1; i < len(line); i++ {
		switch c := line[i]; {
		case c == '"':
			return b.String(), line[i+1:], nil
		case c == '\\' && i+1 < len(line):
			i++
			if line[i] != '\\' && line[i] != '"' {
				return "", "", fmt.Errorf(`\%c is no escape`, line[i])
			}
			b.WriteByte(line[i])
		default:
			b.WriteByte(c)
		}
	}
	return "", "", errors.New("a text without its closing quote")
}

func decodeBytes(list string) ([]byte, error) {
	list = strings.TrimSuffix(strings.ReplaceAll(list, " ", ""), ",")
	if list == "" {
		return []byte{}, nil
	}
	out := make([]byte, 0, (len(list)+1)/3)
	for part := range strings.SplitSeq(list, ",") {
		b, err := hex.DecodeString(part)
		if err != nil || len(b) != 1 {
			return nil, fmt.Errorf("%.10q is no byte", part)
		}
		out = append(out, b[0])
	}
	return out, nil
}

// Values is how many values a tree has.
func Values(tree []hive.Branch) (n int) {
	for _, k := range tree {
		n += len(k.Values)
	}
	return n
}
