package sheet

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf16"
	"unicode/utf8"

	"github.com/BurntSushi/toml"

	"endroit/core/hive"
	"endroit/core/yamldoc"
)

// The bounds of a launcher's file, whoever wrote it.
const (
	MaxFile  = 16 << 20 // bytes
	maxDepth = 64
	maxKept  = 1 << 20 // keys of a hive, those above them counted too
)

// most is how many bytes are read of the forms that cost their reader the most: up to
// 2 µs for each byte, and some hundred bytes of memory.
var most = map[string]int{"yaml": 2 << 20, "toml": 4 << 20}

// readers bring a launcher's file to one tree, by the name that a sheet uses:
// objects are map[string]any, lists []any.
var readers = map[string]func([]byte) (any, error){
	"json":        readJSON,
	"yaml":        readYAML,
	"toml":        readTOML,
	"ini":         readINI,
	"xml":         readXML,
	"nested-text": readNested,
	"hive":        readHive,
}

// SQLite is the form of a database, which Files reads.
const SQLite = "sqlite"

// Formats lists what a file can be read as.
func Formats() []string {
	names := []string{SQLite}
	for n := range readers {
		names = append(names, n)
	}
	slices.Sort(names)
	return names
}

// Tree reads a launcher's file. Text in UTF-16, as Windows programs write it, is
// brought to UTF-8 first, and a byte-order mark is skipped.
func Tree(as string, data []byte) (any, error) {
	read, ok := readers[as]
	if !ok {
		return nil, fmt.Errorf("unknown format %q; the formats are %s", as, strings.Join(Formats(), ", "))
	}
	limit := MaxFile
	if m, ok := most[as]; ok {
		limit = m
	}
	if len(data) > limit {
		return nil, fmt.Errorf("it has %d bytes; of %s at most %d are read", len(data), as, limit)
	}
	data, err := utf8Text(data)
	if err != nil {
		return nil, err
	}
	tree, err := read(data)
	if err != nil {
		return nil, fmt.Errorf("it is not %s: %w", as, err)
	}
	if deeper(tree, maxDepth) {
		return nil, fmt.Errorf("it is nested more than %d levels deep", maxDepth)
	}
	return tree, nil
}

func utf8Text(data []byte) ([]byte, error) {
	switch {
	case bytes.HasPrefix(data, []byte("\xef\xbb\xbf")):
		return data[3:], nil
	case bytes.HasPrefix(data, []byte("\xff\xfe")), bytes.HasPrefix(data, []byte("\xfe\xff")):
		if len(data)%2 != 0 {
			return nil, errors.New("it begins as UTF-16 and has an odd number of bytes")
		}
		big := data[0] == 0xfe
		units := make([]uint16, 0, len(data)/2)
		for i := 2; i < len(data); i += 2 {
			a, b := uint16(data[i]), uint16(data[i+1])
			if big {
				a, b = b, a
			}
			units = append(units, a|b<<8)
		}
		return []byte(string(utf16.Decode(units))), nil
	}
	return data, nil
}

func deeper(tree any, levels int) bool {
	if levels == 0 {
		return true
	}
	switch t := tree.(type) {
	case map[string]any:
		for _, v := range t {
			if deeper(v, levels-1) {
				return true
			}
		}
	case []any:
		for _, v := range t {
			if deeper(v, levels-1) {
				return true
			}
		}
	}
	return false
}

func readJSON(data []byte) (tree any, err error) {
	d := json.NewDecoder(bytes.NewReader(data))
	d.UseNumber() // a reference of nineteen digits stays what it is
	if err := d.Decode(&tree); err != nil {
		return nil, err
	}
	if _, err := d.Token(); err != io.EOF {
		return nil, errors.New("there is data after the value")
	}
	return tree, nil
}

// maxParts is how deep brackets and parts of a dotted key may go in TOML.
const maxParts = 64

// tooDeep reports whether a TOML text is nested so deep that reading it would take far
// longer than its size lets expect. It looks at brackets and at the dots of keys,
// wherever they stand: nobody writes so many.
func tooDeep(data []byte) bool {
	open, dots, key := 0, 0, true
	for _, b := range data {
		switch b {
		case '\n':
			dots, key = 0, true
		case '[', '{':
			open++
		case ']', '}':
			open = max(0, open-1)
		case '.':
			if key {
				dots++
			}
		case '=', '"', '\'':
			key = false
		}
		if open > maxParts || dots > maxParts {
			return true
		}
	}
	return false
}

func readYAML(data []byte) (any, error) { return yamldoc.Tree(data) }

// plain turns keys that are not texts into texts.
func plain(tree any) any {
	switch t := tree.(type) {
	case map[string]any:
		for k, v := range t {
			t[k] = plain(v)
		}
	case map[any]any:
		out := make(map[string]any, len(t))
		for k, v := range t {
			out[fmt.Sprint(k)] = plain(v)
		}
		return out
	case []any:
		for i, v := range t {
			t[i] = plain(v)
		}
	case []map[string]any:
		out := make([]any, len(t))
		for i, v := range t {
			out[i] = plain(v)
		}
		return out
	}
	return tree
}

func readTOML(data []byte) (any, error) {
	if tooDeep(data) {
		return nil, errors.New("it is nested too deep, or a key has too many parts")
	}
	var tree map[string]any
	if err := toml.Unmarshal(data, &tree); err != nil {
		return nil, err
	}
	return plain(tree), nil
}

// readINI gives an object of sections; keys before the first section stand in
// the section with an empty name. It reads as Windows does (GetPrivateProfileString):
// a line is a section in brackets, a key = value, a key alone, or a comment behind ; or
// #; a pair of quotes around a value is taken off, and nothing is continued on the next
// line, since a folder's path may end in a backslash. Of two equal keys the last counts.
func readINI(data []byte) (any, error) {
	section := map[string]any{}
	tree := map[string]any{"": section}
	n := 0
	for line := range bytes.SplitSeq(data, []byte{'\n'}) {
		n++
		line := strings.TrimSpace(string(line))
		switch {
		case line == "", line[0] == ';', line[0] == '#':
		case line[0] == '[':
			end := strings.LastIndexByte(line, ']')
			if end < 0 {
				return nil, fmt.Errorf("line %d: a section without its ]", n)
			}
			name := strings.TrimSpace(line[1:end])
			before, ok := tree[name].(map[string]any)
			if !ok {
				before = map[string]any{}
				tree[name] = before
			}
			section = before
		default:
			key, value, has := strings.Cut(line, "=")
			if key = strings.TrimSpace(key); key == "" {
				return nil, fmt.Errorf("line %d: a value without a key", n)
			}
			if value = strings.TrimSpace(value); !has {
				value = "true"
			}
			if q := len(value) - 1; q > 0 && (value[0] == '"' || value[0] == '\'') && value[q] == value[0] {
				value = value[1:q]
			}
			section[key] = value
		}
	}
	return tree, nil
}

// readXML gives an object with the root's name. An element is an object: its
// attributes behind @, its text under #text, and a list for each child's name.
func readXML(data []byte) (any, error) {
	d := xml.NewDecoder(bytes.NewReader(data))
	d.CharsetReader = func(string, io.Reader) (io.Reader, error) { return nil, errors.New("only UTF-8 and UTF-16 are read") }
	top := map[string]any{}
	stack := []map[string]any{top}
	texts := []*strings.Builder{{}} // of the elements that are open
	for {
		token, err := d.Token()
		if err == io.EOF {
			break
		}
		if err != nil {
			return nil, err
		}
		here := stack[len(stack)-1]
		switch t := token.(type) {
		case xml.StartElement:
			if len(stack) > maxDepth {
				return nil, fmt.Errorf("nested more than %d levels deep", maxDepth)
			}
			element := map[string]any{}
			for _, a := range t.Attr {
				element["@"+a.Name.Local] = a.Value
			}
			list, _ := here[t.Name.Local].([]any)
			here[t.Name.Local] = append(list, element)
			stack, texts = append(stack, element), append(texts, &strings.Builder{})
		case xml.EndElement:
			last := len(stack) - 1
			if texts[last].Len() > 0 {
				here["#text"] = texts[last].String()
			}
			stack, texts = stack[:last], texts[:last]
		case xml.CharData:
			texts[len(texts)-1].Write(bytes.TrimSpace(t))
		}
	}
	if len(top) == 0 {
		return nil, errors.New("there is no element")
	}
	return top, nil
}

// readHive gives an object of keys within keys; the values of a key stand in an
// object under #values.
func readHive(data []byte) (any, error) {
	h, err := hive.Parse(data)
	if err != nil {
		return nil, err
	}
	tree := map[string]any{}
	kept := 0
	for _, k := range h.Keys {
		at := tree
		if strings.Count(k.Path, `\`) >= maxDepth {
			return nil, fmt.Errorf("a key lies deeper than %d levels", maxDepth)
		}
		for name := range strings.SplitSeq(k.Path, `\`) {
			next, ok := at[name].(map[string]any)
			if !ok {
				if kept++; kept > maxKept {
					return nil, fmt.Errorf("it has more than %d keys", maxKept)
				}
				next = map[string]any{}
				at[name] = next
			}
			at = next
		}
		at["#values"] = KeyValues(&k)
	}
	return tree, nil
}

// KeyValues are the texts and numbers of a registry key.
func KeyValues(k *hive.Key) map[string]any {
	values := map[string]any{}
	for _, v := range k.Values {
		switch v.Kind {
		case hive.String, hive.Expand, hive.Multi:
			values[v.Name] = v.Text
		case hive.DWord:
			values[v.Name] = json.Number(fmt.Sprint(v.Number))
		}
	}
	return values
}

// readNested reads nested key-value text:
//
//	"library"
//	{
//	    "path"   "/games"
//	    "titles" { "418820" "installed" }
//	}
//
// A key and its value stand in quotes, with \" \\ \n and \t; a value is a text or
// another list of keys in braces. A key that stands again makes a list.
func readNested(data []byte) (any, error) {
	p := nested{text: string(data), line: 1}
	tree, err := p.keys(0)
	if err == nil && p.at < len(p.text) {
		err = errors.New("a } without its {")
	}
	if err != nil {
		return nil, fmt.Errorf("line %d: %w", p.line, err)
	}
	return tree, nil
}

type nested struct {
	text string
	at   int
	line int
}

func (p *nested) space() {
	for p.at < len(p.text) && strings.IndexByte(" \t\r\n", p.text[p.at]) >= 0 {
		if p.text[p.at] == '\n' {
			p.line++
		}
		p.at++
	}
}

// keys reads keys with their values up to the } that closes them, or the end.
func (p *nested) keys(depth int) (map[string]any, error) {
	if depth > maxDepth {
		return nil, fmt.Errorf("nested more than %d levels deep", maxDepth)
	}
	out := map[string]any{}
	for {
		p.space()
		if p.at == len(p.text) {
			if depth > 0 {
				return nil, errors.New("a } is missing at its end")
			}
			return out, nil
		}
		if p.text[p.at] == '}' {
			if depth == 0 {
				return out, nil // the caller says so
			}
			p.at++
			return out, nil
		}
		key, err := p.quoted()
		if err != nil {
			return nil, err
		}
		value, err := p.value(depth)
		if err != nil {
			return nil, fmt.Errorf("%.60q: %w", key, err)
		}
		switch before := out[key].(type) {
		case nil:
			out[key] = value
		case []any:
			out[key] = append(before, value)
		default:
			out[key] = []any{before, value}
		}
	}
}

func (p *nested) value(depth int) (any, error) {
	p.space()
	if p.at == len(p.text) {
		return nil, errors.New("it ends before a value")
	}
	if p.text[p.at] == '{' {
		p.at++
		return p.keys(depth + 1)
	}
	return p.quoted()
}

func (p *nested) quoted() (string, error) {
	if p.text[p.at] != '"' {
		r, _ := utf8.DecodeRuneInString(p.text[p.at:])
		return "", fmt.Errorf("%q instead of a quoted text", r)
	}
	from := p.at + 1
	if n := strings.IndexAny(p.text[from:], "\"\\\n"); n >= 0 && p.text[from+n] == '"' {
		p.at = from + n + 1
		return p.text[from : from+n], nil // nothing in it is escaped
	}
	var b strings.Builder
	for i := from; i < len(p.text); i++ {
		switch c := p.text[i]; c {
		case '"':
			p.at = i + 1
			return b.String(), nil
		case '\\':
			i++
			if i == len(p.text) {
				return "", errors.New("a text without its closing quote")
			}
			switch c := p.text[i]; c {
			case 'n':
				b.WriteByte('\n')
			case 't':
				b.WriteByte('\t')
			default:
				b.WriteByte(c)
			}
		case '\n':
			return "", errors.New("a text without its closing quote")
		default:
			b.WriteByte(c)
		}
	}
	return "", errors.New("a text without its closing quote")
}
