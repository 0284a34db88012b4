package place

import (
	"errors"
	"fmt"
	"strings"
)

// Text is what one variable part of a pattern stands for in a file's name.
type Text struct {
	Kind  PartKind
	Name  string // of a named part
	Value string // of `**` the segments, with slashes between them
}

// Texts says what each variable part of the location stands for in a file that it covers,
// in their order, and which names lie below it where it is a folder. ok is false if it does
// not cover the file.
func (l Location) Texts(names []string) (texts []Text, below []string, ok bool) {
	aligned, ok := l.Align(names)
	if !ok {
		return nil, nil, false
	}
	at := 0
	for i, s := range l.Pattern.Segments {
		if l.IsDeep(i) {
			begin := at
			for at < len(names) && aligned[at] == nil && !(l.Pattern.Folder && i == len(l.Pattern.Segments)-1) {
				at++
			}
			texts = append(texts, Text{Kind: Deep, Value: strings.Join(names[begin:at], "/")})
			continue
		}
		if at >= len(names) || aligned[at] == nil {
			return nil, nil, false
		}
		values, fits := s.cut(names[at], byAnchor[l.Anchor].FoldCase)
		if !fits {
			return nil, nil, false
		}
		for n, p := range s {
			if p.Kind == Literal {
				continue
			}
			t := Text{Kind: p.Kind, Value: values[n]}
			if p.Kind == Named {
				t.Name = p.Text
			}
			texts = append(texts, t)
		}
		at++
	}
	return texts, names[at:], true
}

// Make is the inverse of Texts: the names of the file in which the location's variable parts
// stand for these texts. Named parts are taken by their names, all others in their order.
func (l Location) Make(texts []Text, below []string) ([]string, error) {
	byName := map[string]string{}
	var rest []Text
	for _, t := range texts {
		if t.Kind == Named {
			byName[t.Name] = t.Value
		} else {
			rest = append(rest, t)
		}
	}
	var names []string
	next := func(kind PartKind) (string, error) {
		if len(rest) == 0 || rest[0].Kind != kind {
			return "", errors.New("its variable parts are not those of the other location")
		}
		value := rest[0].Value
		rest = rest[1:]
		return value, nil
	}
	for i, s := range l.Pattern.Segments {
		if l.IsDeep(i) {
			value, err := next(Deep)
			if err != nil {
				return nil, err
			}
			if value != "" {
				names = append(names, strings.Split(value, "/")...)
			}
			continue
		}
		name := ""
		for _, p := range s {
			switch p.Kind {
			case Literal:
				name += p.Text
			case Named:
				value, ok := byName[p.Text]
				if !ok {
					return nil, fmt.Errorf("it is not known what {%s} stands for there", p.Text)
				}
				name += value
			default:
				value, err := next(p.Kind)
				if err != nil {
					return nil, err
				}
				name += value
			}
		}
		names = append(names, name)
	}
	if len(rest) > 0 || l.Pattern.Folder != (len(below) > 0) {
		return nil, errors.New("its variable parts are not those of the other location")
	}
	names = append(names, below...)
	if _, ok := l.Match(names, nil); !ok {
		return nil, fmt.Errorf("%s does not cover what would be its place", l)
	}
	return names, nil
}
