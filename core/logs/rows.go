package logs

import (
	"bufio"
	"bytes"
	"encoding/csv"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"
	"golang.org/x/text/transform"
)

// row is one line of a log: its fields by heading.
type row struct {
	line   int
	text   string // as it stands there, roughly
	fields map[string]string
}

func (r row) get(heading string) string {
	if heading == "" {
		return ""
	}
	return strings.TrimSpace(r.fields[heading])
}

// errRow says that one line cannot be read; the next may.
var errRow = errors.New("it is damaged")

type rows interface {
	// next returns the next line, io.EOF behind the last, and an error that wraps
	// errRow, with the line, for one that cannot be read.
	next() (row, error)
}

// sniffed is how many bytes of a log tell its encoding and form.
const sniffed = 64 << 10

// open finds the encoding and the form, and reads the heading.
func (p *Plan) open(in io.Reader) (rows, error) {
	raw := bufio.NewReaderSize(in, sniffed)
	head, err := raw.Peek(sniffed)
	if err != nil && !errors.Is(err, io.EOF) {
		return nil, err
	}
	decoded, name := decoding(raw, head)
	p.Encoding = name
	text := bufio.NewReaderSize(decoded, sniffed)
	first, err := firstLine(text)
	if err != nil {
		return nil, err
	}
	if strings.HasPrefix(first, "{") {
		p.Form = "JSON lines"
		return p.jsonRows(text)
	}
	return p.tableRows(text, first)
}

// decoding makes UTF-8 of a text: by its byte-order mark, by the zeros that UTF-16 has
// between Latin letters, or else as Windows-1252 where it is no UTF-8.
func decoding(in io.Reader, head []byte) (io.Reader, string) {
	utf16 := func(e unicode.Endianness, name string) (io.Reader, string) {
		return transform.NewReader(in, unicode.UTF16(e, unicode.UseBOM).NewDecoder()), name
	}
	switch {
	case bytes.HasPrefix(head, []byte{0xEF, 0xBB, 0xBF}):
		return transform.NewReader(in, unicode.UTF8BOM.NewDecoder()), "UTF-8 with a byte-order mark"
	case bytes.HasPrefix(head, []byte{0xFF, 0xFE}):
		return utf16(unicode.LittleEndian, "UTF-16, little-endian")
	case bytes.HasPrefix(head, []byte{0xFE, 0xFF}):
		return utf16(unicode.BigEndian, "UTF-16, big-endian")
	case len(head) >= 4 && head[1] == 0 && head[3] == 0:
		return transform.NewReader(
			in,
			unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewDecoder(),
		), "UTF-16, little-endian"
	case len(head) >= 4 && head[0] == 0 && head[2] == 0:
		return transform.NewReader(in, unicode.UTF16(unicode.BigEndian, unicode.IgnoreBOM).NewDecoder()), "UTF-16, big-endian"
	}
	if cut := bytes.LastIndexByte(head, '\n'); cut > 0 {
		head = head[:cut] // not within a character
	}
	if utf8.Valid(head) {
		return in, "UTF-8"
	}
	return transform.NewReader(in, charmap.Windows1252.NewDecoder()), "Windows-1252"
}

// firstLine shows the first line that is not empty, and takes only empty ones.
func firstLine(in *bufio.Reader) (string, error) {
	for {
		b, err := in.ReadByte()
		if errors.Is(err, io.EOF) {
			return "", fmt.Errorf("%w: it is empty", ErrFormat)
		}
		if err != nil {
			return "", err
		}
		if b != '\n' && b != '\r' {
			_ = in.UnreadByte()
			break
		}
	}
	head, err := in.Peek(sniffed)
	if err != nil && !errors.Is(err, io.EOF) {
		return "", err
	}
	if bytes.IndexByte(head, 0) >= 0 {
		return "", fmt.Errorf("%w: it contains bytes that are not text", ErrFormat)
	}
	line, _, _ := bytes.Cut(head, []byte{'\n'})
	return strings.TrimSpace(string(line)), nil
}

// delimiters of tables, the likeliest first.
var delimiters = []rune{',', ';', '\t', '|'}

type table struct {
	r    *csv.Reader
	head []string
}

func (p *Plan) tableRows(in io.Reader, first string) (rows, error) {
	best, most := ',', 0
	for _, d := range delimiters {
		if n := strings.Count(first, string(d)); n > most {
			best, most = d, n
		}
	}
	if most == 0 {
		return nil, fmt.Errorf(
			"%w: its first line %.80q is neither a table heading (separated by , ; | or tabs) nor a JSON object",
			ErrFormat, first,
		)
	}
	p.Form = "delimited by " + map[rune]string{',': "commas", ';': "semicolons", '\t': "tabs", '|': "bars"}[best]
	r := csv.NewReader(&limited{in: in})
	r.Comma, r.LazyQuotes, r.FieldsPerRecord, r.ReuseRecord = best, true, -1, true
	head, err := r.Read()
	if err != nil {
		return nil, fmt.Errorf("%w: its heading is invalid: %w", ErrFormat, err)
	}
	if len(head) > maxHeadings {
		return nil, fmt.Errorf("%w: its heading has %d columns; at most %d are read", ErrFormat, len(head), maxHeadings)
	}
	t := &table{r: r, head: slices.Clone(head)}
	for i := range t.head {
		t.head[i] = strings.TrimSpace(t.head[i])
	}
	p.Headings = t.head
	return t, nil
}

func (t *table) next() (row, error) {
	fields, err := t.r.Read()
	r := row{fields: make(map[string]string, len(t.head))}
	var bad *csv.ParseError
	switch {
	case errors.As(err, &bad) && !errors.Is(bad.Err, errLong):
		return row{line: bad.Line, text: bad.Err.Error()}, errRow
	case err != nil:
		return r, err
	}
	r.line, _ = t.r.FieldPos(0)
	r.text = strings.Join(fields, string(t.r.Comma))
	if len(fields) < 2 && len(t.head) > 1 {
		return r, fmt.Errorf("%w: it has only one field", errRow)
	}
	for i, f := range fields {
		if i < len(t.head) {
			r.fields[t.head[i]] = f
		}
	}
	return r, nil
}

// limited ends a line without end: a quotation mark that nobody closes would gather all
// that follows.
type limited struct {
	in   io.Reader
	line int
}

var errLong = fmt.Errorf("%w: a line is longer than %d bytes", ErrFormat, maxLine)

func (l *limited) Read(p []byte) (int, error) {
	n, err := l.in.Read(p)
	for _, b := range p[:n] {
		if l.line++; b == '\n' {
			l.line = 0
		}
		if l.line > maxLine {
			return 0, errLong
		}
	}
	return n, err
}

type objects struct {
	in   *bufio.Scanner
	n    int
	left []row // those read to find the headings
}

// headingRows is how many objects are looked at for their keys.
const headingRows = 100

func (p *Plan) jsonRows(in io.Reader) (rows, error) {
	o := &objects{in: bufio.NewScanner(in)}
	o.in.Buffer(nil, maxLine)
	seen := map[string]bool{}
	for len(o.left) < headingRows {
		r, err := o.read()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil && !errors.Is(err, errRow) {
			return nil, err
		}
		o.left = append(o.left, r)
		var names []string
		for name := range r.fields {
			names = append(names, name)
		}
		slices.Sort(names)
		for _, name := range names {
			if !seen[name] && len(p.Headings) < maxHeadings {
				seen[name] = true
				p.Headings = append(p.Headings, name)
			}
		}
	}
	return o, nil
}

func (o *objects) next() (row, error) {
	if len(o.left) > 0 {
		r := o.left[0]
		o.left = o.left[1:]
		if r.fields == nil {
			return r, errRow
		}
		return r, nil
	}
	return o.read()
}

func (o *objects) read() (row, error) {
	for o.in.Scan() {
		o.n++
		text := strings.TrimSpace(o.in.Text())
		if text == "" {
			continue
		}
		r := row{line: o.n, text: text}
		var values map[string]any
		d := json.NewDecoder(strings.NewReader(text))
		d.UseNumber()
		if err := d.Decode(&values); err != nil || values == nil {
			return r, errRow
		}
		r.fields = map[string]string{}
		flatten(r.fields, "", values, 0)
		return r, nil
	}
	if err := o.in.Err(); err != nil {
		if errors.Is(err, bufio.ErrTooLong) {
			err = errLong
		}
		return row{}, err
	}
	return row{}, io.EOF
}

// flatten names what lies within objects by its way: process.name.
func flatten(into map[string]string, way string, values map[string]any, depth int) {
	for name, v := range values {
		name = way + name
		switch v := v.(type) {
		case string:
			into[name] = v
		case json.Number:
			into[name] = v.String()
		case bool:
			into[name] = strconv.FormatBool(v)
		case map[string]any:
			if depth < 4 {
				flatten(into, name+".", v, depth+1)
			}
		case []any:
			var parts []string
			for _, x := range v {
				parts = append(parts, fmt.Sprint(x))
			}
			into[name] = strings.Join(parts, " ")
		}
	}
}
