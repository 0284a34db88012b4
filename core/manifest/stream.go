package manifest

import (
	"bytes"
	"errors"
	"fmt"
	"io"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"
)

// The bounds of what a revision holds.
const (
	maxEntry = 8 << 20 // bytes of a title or a sheet
	maxParts = 100_000 // objects and lists in one
)

// Each is what Stream calls for each entry of a revision; nil for what is not wanted.
type Each struct {
	Sheet func(Sheet) error
	Title func(Title) error
}

// Stream reads a revision and holds one entry of it at a time. It checks the form, not
// each location: those are parsed where they are used. Keys that it does not know are
// passed over, as a later version may add some. What is wrong is an ErrFormat; an error of
// a callback is returned as it is.
func Stream(in io.Reader, each Each) (Head, error) {
	s := &streaming{in: &paced{in: in}}
	s.d = jsontext.NewDecoder(s.in)
	var h Head
	err := s.object(func(name string) error {
		switch name {
		case "format":
			return s.value(&h.Format)
		case "revision":
			return s.value(&h.Revision)
		case "previous":
			return s.value(&h.Previous)
		case "published":
			return s.value(&h.Published)
		case "sheets":
			last := ""
			return s.list(func(i int) error {
				x, err := entry[Sheet](s, i, "sheet", &last, func(x Sheet) string { return x.ID })
				if err == nil && each.Sheet != nil {
					err = own(each.Sheet(x))
				}
				return err
			})
		case "titles":
			last := ""
			return s.list(func(i int) error {
				t, err := entry[Title](s, i, "title", &last, func(t Title) string { return t.ID })
				if err != nil {
					return err
				}
				if reason := t.unshowable(); reason != "" {
					return fmt.Errorf("title %d: %s", i+1, reason)
				}
				if each.Title != nil {
					return own(each.Title(t))
				}
				return nil
			})
		}
		s.in.left = maxEntry
		return s.d.SkipValue()
	})
	var mine *ownError
	switch {
	case errors.As(err, &mine):
		return h, mine.error
	case errors.Is(err, errLarge): // whatever the JSON reader says of it besides
		return h, fmt.Errorf("read manifest: %w: %w", ErrFormat, errLarge)
	case err != nil:
		return h, fmt.Errorf("read manifest: %w: %w", ErrFormat, err)
	case h.Format != Format:
		return h, fmt.Errorf("read manifest: %w: it has format %.40q, not %s", ErrFormat, h.Format, Format)
	}
	return h, nil
}

// ownError is an error of the caller's.
type ownError struct{ error }

func own(err error) error {
	if err == nil {
		return nil
	}
	return &ownError{err}
}

var errLarge = fmt.Errorf("an entry is larger than %d bytes", maxEntry)

// paced hands out what one entry may need, and the reader's own buffer.
type paced struct {
	in   io.Reader
	left int
}

func (p *paced) Read(b []byte) (int, error) {
	if p.left <= 0 {
		return 0, errLarge
	}
	n, err := p.in.Read(b[:min(len(b), 64<<10)])
	p.left -= n
	return n, err
}

type streaming struct {
	in *paced
	d  *jsontext.Decoder
}

// object reads an object, which is the whole of the text.
func (s *streaming) object(member func(name string) error) error {
	s.in.left = maxEntry
	if err := s.begin('{'); err != nil {
		return err
	}
	for s.d.PeekKind() != '}' {
		s.in.left = maxEntry
		name, err := s.d.ReadToken()
		if err != nil {
			return err
		}
		if err := member(name.String()); err != nil {
			return err
		}
	}
	if _, err := s.d.ReadToken(); err != nil {
		return err
	}
	switch _, err := s.d.ReadToken(); {
	case err == nil:
		return errors.New("there is data after its end")
	case err != io.EOF:
		return err
	}
	return nil
}

func (s *streaming) begin(kind jsontext.Kind) error {
	token, err := s.d.ReadToken()
	if err == io.EOF {
		return errors.New("it is empty")
	}
	if err == nil && token.Kind() != kind {
		err = fmt.Errorf("%v instead of %v", token.Kind(), kind)
	}
	return err
}

func (s *streaming) list(element func(i int) error) error {
	if s.d.PeekKind() == 'n' {
		_, err := s.d.ReadToken()
		return err
	}
	if err := s.begin('['); err != nil {
		return err
	}
	for i := 0; ; i++ {
		s.in.left = maxEntry
		if s.d.PeekKind() == ']' {
			break
		}
		if err := element(i); err != nil {
			return err
		}
	}
	_, err := s.d.ReadToken()
	return err
}

// value reads a value of the head, or an entry, that is not made of very many parts.
func (s *streaming) value(v any) error {
	s.in.left = maxEntry
	raw, err := s.d.ReadValue()
	if err != nil {
		return err
	}
	if parts := bytes.Count(raw, []byte{'{'}) + bytes.Count(raw, []byte{'['}); parts > maxParts {
		return fmt.Errorf("an entry has %d parts; the limit is %d", parts, maxParts)
	}
	return json.Unmarshal(raw, v, jsonv1.FormatDurationAsNano(true))
}

// entry reads an entry, whose ids rise.
func entry[T any](s *streaming, i int, what string, last *string, id func(T) string) (T, error) {
	var x T
	if err := s.value(&x); err != nil {
		return x, fmt.Errorf("%s %d: %w", what, i+1, err)
	}
	if id(x) == "" || id(x) <= *last {
		return x, fmt.Errorf("%s %d (%.40q) is out of order", what, i+1, id(x))
	}
	*last = id(x)
	return x, nil
}
