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
	"github.com/goccy/go-yaml"
	"gopkg.in/ini.v1"

	"endroit/core/hive"
	"endroit/core/yamldoc"
)

// The bounds of a launcher's file, whoever wrote it.
const (
	MaxFile  = 16 << 20 // bytes
	maxDepth = 64
)

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
// brought to UTF-8 first, and a byte-order mark is passed over.
func Tree(as string, data []byte) (any, error) {
	read, ok := readers[as]
	if !ok {
		return nil, fmt.Errorf("nothing is read as %q; there are %s", as, strings.Join(Formats(), ", "))
	}
	if len(data) > MaxFile {
		return nil, fmt.Errorf("it has %d bytes; at most %d are read", len(data), MaxFile)
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
		return nil, fmt.Errorf("it is nested deeper than %d levels", maxDepth)
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
		return nil, errors.New("something stands behind the value")
	}
	return tree, nil
}

// Readers that go down into a text by calling themselves, or look at a long key
// once for each of its parts, would take hours for a few megabytes of brackets.
func tooDeepText(data []byte) error {
	if yamldoc.TooDeep(data) {
		return errors.New("it is nested too deep, or a key has too many parts")
	}
	return nil
}

func readYAML(data []byte) (tree any, err error) {
	if err := tooDeepText(data); err != nil {
		return nil, err
	}
	if yamldoc.Aliases(data) {
		return nil, errors.New("anchors and aliases are not read: a small text can stand for a huge one")
	}
	if err := yaml.Unmarshal(data, &tree); err != nil {
		return nil, errors.New(strings.SplitN(err.Error(), "\n", 2)[0])
	}
	return plain(tree), nil
}

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
	if err := tooDeepText(data); err != nil {
		return nil, err
	}
	var tree map[string]any
	if err := toml.Unmarshal(data, &tree); err != nil {
		return nil, err
	}
	return plain(tree), nil
}

// readINI gives an object of sections; keys before the first section stand in
// the section with an empty name.
func readINI(data []byte) (any, error) {
	f, err := ini.LoadSources(ini.LoadOptions{AllowBooleanKeys: true, SkipUnrecognizableLines: false, IgnoreInlineComment: true, KeyValueDelimiters: "="}, data)
	if err != nil {
		return nil, err
	}
	tree := map[string]any{}
	for _, s := range f.Sections() {
		name := s.Name()
		if name == ini.DefaultSection {
			name = ""
		}
		keys := map[string]any{}
		for _, k := range s.Keys() {
			keys[k.Name()] = k.Value()
		}
		tree[name] = keys
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
				return nil, fmt.Errorf("nested deeper than %d levels", maxDepth)
			}
			element := map[string]any{}
			for _, a := range t.Attr {
				element["@"+a.Name.Local] = a.Value
			}
			list, _ := here[t.Name.Local].([]any)
			here[t.Name.Local] = append(list, element)
			stack = append(stack, element)
		case xml.EndElement:
			stack = stack[:len(stack)-1]
		case xml.CharData:
			if text := strings.TrimSpace(string(t)); text != "" && len(stack) > 1 {
				before, _ := here["#text"].(string)
				here["#text"] = before + text
			}
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
	for _, k := range h.Keys {
		at := tree
		for _, name := range strings.Split(k.Path, `\`) {
			next, ok := at[name].(map[string]any)
			if !ok {
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
		return nil, fmt.Errorf("nested deeper than %d levels", maxDepth)
	}
	out := map[string]any{}
	for {
		p.space()
		if p.at == len(p.text) {
			if depth > 0 {
				return nil, errors.New("it ends before a } that is due")
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
		return "", fmt.Errorf("%q where a quoted text is due", r)
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
