package contribution

import (
	"context"
	"fmt"
	"strings"

	"golang.org/x/text/language"

	"endroit/core/manifest"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/core/words"
)

// TitleKind is the kind of a TitleChange.
var TitleKind = register("title", func() Body { return &TitleEdit{} })

// TitleEdit changes a title itself: its names, what tells it from others, which titles are
// one, and whose an edition is. Exactly one of the changes is given.
type TitleEdit struct {
	Head
	TitleID   string       `json:"title_id"`
	Title     string       `json:"title"` // its name, as the contributor knows it
	Rename    *Rename      `json:"rename,omitempty"`
	AddName   *NewName     `json:"add_name,omitempty"`
	Describe  *Description `json:"describe,omitempty"`
	MergeInto string       `json:"merge_into,omitempty"` // the id of the title that it is
	IntoName  string       `json:"into_name,omitempty"`  // its name, as the contributor knows it
	Move      *EditionMove `json:"move_edition,omitempty"`
	Because   string       `json:"because"`
}

// Rename gives a title another name.
type Rename struct {
	Name string `json:"name"`
	Keep bool   `json:"keep,omitempty"` // the old one among its other names
}

// NewName is a further name.
type NewName struct {
	Name     string `json:"name"`
	Language string `json:"language,omitempty"` // BCP 47
}

// Description is what tells a title from others of the same name.
type Description struct {
	Year  int    `json:"year,omitempty"`
	Maker string `json:"maker,omitempty"`
}

// EditionMove gives an edition to another title, or splits it off as a new one.
type EditionMove struct {
	Store  string `json:"store"`
	Ref    string `json:"ref"`
	To     string `json:"to,omitempty"`      // the id of the other title; empty to split it off
	ToName string `json:"to_name,omitempty"` // its name, as the contributor knows it
	Name   string `json:"name,omitempty"`    // of the new title
	Year   int    `json:"year,omitempty"`
	Maker  string `json:"maker,omitempty"`
}

// About says what it is about.
func (b *TitleEdit) About() About {
	a := About{Title: b.Title, TitleID: b.TitleID}
	if b.Move != nil {
		a.Store, a.Ref = b.Move.Store, b.Move.Ref
	}
	return a
}

// Statement says in a sentence what it asks for.
func (b *TitleEdit) Statement() string {
	switch {
	case b.Rename != nil && b.Rename.Keep:
		return fmt.Sprintf("rename %s to %s, and keep the old name among its other names", b.Title, b.Rename.Name)
	case b.Rename != nil:
		return fmt.Sprintf("rename %s to %s", b.Title, b.Rename.Name)
	case b.AddName != nil:
		return fmt.Sprintf("add the name %s to %s", manifest.Name{Name: b.AddName.Name, Language: b.AddName.Language}, b.Title)
	case b.Describe != nil:
		t := manifest.Title{Name: b.Title, Year: b.Describe.Year, Maker: b.Describe.Maker}
		return "describe it as " + t.Distinct()
	case b.MergeInto != "":
		return fmt.Sprintf("merge %s into %s", b.Title, titleCalled(b.IntoName, b.MergeInto))
	case b.Move != nil && b.Move.To != "":
		return fmt.Sprintf("give the edition %s %s of %s to %s", b.Move.Store, b.Move.Ref, b.Title, titleCalled(b.Move.ToName, b.Move.To))
	case b.Move != nil:
		t := manifest.Title{Name: b.Move.Name, Year: b.Move.Year, Maker: b.Move.Maker}
		return fmt.Sprintf("split the edition %s %s off %s, as %s", b.Move.Store, b.Move.Ref, b.Title, t.Distinct())
	}
	return "change " + b.Title
}

// titleCalled names a title by its id, and by the name that somebody knows it by.
func titleCalled(name, id string) string {
	if name == "" {
		return "the title " + id
	}
	return fmt.Sprintf("%s (%s)", name, id)
}

// Reason is the contributor's own text.
func (b *TitleEdit) Reason() string { return b.Because }

// Check reports, as an *Error, what is wrong with it.
func (b *TitleEdit) Check(context.Context) error {
	if err := b.check(); err != nil {
		return err
	}
	if err := checkTitleID("title_id", b.TitleID); err != nil {
		return err
	}
	if err := checkReason(b.Because); err != nil {
		return err
	}
	n := 0
	for _, asked := range []bool{b.Rename != nil, b.AddName != nil, b.Describe != nil, b.MergeInto != "", b.Move != nil} {
		if asked {
			n++
		}
	}
	if n != 1 {
		return &Error{"rename", "exactly one of rename, add_name, describe, merge_into and move_edition is required"}
	}
	if err := checkName("title", b.Title); err != nil {
		return err
	}
	switch {
	case b.Rename != nil:
		return checkName("rename.name", b.Rename.Name)
	case b.AddName != nil:
		if _, err := language.Parse(b.AddName.Language); b.AddName.Language != "" && err != nil {
			return &Error{"add_name.language", fmt.Sprintf("%.40q is not a language tag (BCP 47) such as de or pt-BR", b.AddName.Language)}
		}
		return checkName("add_name.name", b.AddName.Name)
	case b.Describe != nil:
		return checkDescription("describe", b.Describe.Year, b.Describe.Maker)
	case b.MergeInto != "":
		if b.MergeInto == b.TitleID {
			return &Error{"merge_into", "a title cannot be merged into itself"}
		}
		if b.IntoName != "" {
			if err := checkName("into_name", b.IntoName); err != nil {
				return err
			}
		}
		return checkTitleID("merge_into", b.MergeInto)
	}
	return b.Move.check()
}

func (m *EditionMove) check() error {
	if m.Store == "" {
		return &Error{"move_edition.store", "it is missing"}
	}
	for field, text := range map[string]string{"store": m.Store, "ref": m.Ref} {
		if reason := words.Name(text, maxText); text != "" && reason != "" {
			return &Error{"move_edition." + field, reason}
		}
	}
	if m.To != "" {
		if m.Name != "" || m.Year != 0 || m.Maker != "" {
			return &Error{"move_edition.name", "the other title has a name of its own; leave name, year and maker out"}
		}
		if m.ToName != "" {
			if err := checkName("move_edition.to_name", m.ToName); err != nil {
				return err
			}
		}
		return checkTitleID("move_edition.to", m.To)
	}
	if err := checkName("move_edition.name", m.Name); err != nil {
		return err
	}
	return checkDescription("move_edition", m.Year, m.Maker)
}

// maxTitle is how long a name may be, in bytes.
const maxTitle = 200

func checkName(field, name string) error {
	if strings.TrimSpace(name) != name || name == "" {
		return &Error{field, "a name is required, without spaces around it"}
	}
	if reason := words.Name(name, maxTitle); reason != "" {
		return &Error{field, reason}
	}
	return nil
}

func checkDescription(field string, year int, maker string) error {
	if year != 0 && (year < 1950 || year > 2200) {
		return &Error{field + ".year", "it must be a year from 1950 to 2200"}
	}
	if reason := words.Name(maker, maxTitle); maker != "" && reason != "" {
		return &Error{field + ".maker", reason}
	}
	return nil
}

// Apply changes the title.
func (b *TitleEdit) Apply(ctx context.Context, w World, _ standing.Evidence) (*Outcome, error) {
	// Not followed: what is to be changed is the title itself, as the contributor saw it.
	t, err := w.Title(ctx, b.TitleID)
	if err == ErrNoTitle {
		err = &Error{"title_id", fmt.Sprintf("there is no title %s", b.TitleID)}
	}
	if err != nil {
		return nil, err
	}
	var next *record.Title
	switch {
	case b.Rename != nil:
		if b.Title != t.Name {
			return nil, &Error{"title", fmt.Sprintf("its name is %s by now: look at it again", t.Name)}
		}
		next, err = t.Rename(b.Rename.Name, b.Rename.Keep)
	case b.AddName != nil:
		next, err = t.AddName(manifest.Name{Name: b.AddName.Name, Language: b.AddName.Language})
	case b.Describe != nil:
		next, err = t.Describe(b.Describe.Year, b.Describe.Maker)
	case b.MergeInto != "":
		return b.merge(ctx, w, t)
	default:
		return b.move(ctx, w, t)
	}
	if err != nil {
		return nil, err
	}
	return &Outcome{Titles: []TitleChange{{t, next}}}, nil
}

func (b *TitleEdit) merge(ctx context.Context, w World, t *record.Title) (*Outcome, error) {
	into, err := w.Title(ctx, b.MergeInto)
	if err == ErrNoTitle {
		err = &Error{"merge_into", fmt.Sprintf("there is no title %s", b.MergeInto)}
	}
	if err != nil {
		return nil, err
	}
	gone, whole, err := t.Merge(into)
	if err != nil {
		return nil, err
	}
	return &Outcome{Titles: []TitleChange{{t, gone}, {into, whole}}}, nil
}

func (b *TitleEdit) move(ctx context.Context, w World, t *record.Title) (*Outcome, error) {
	var before *record.Title
	to := &record.Title{ID: w.NewID(), Name: b.Move.Name, Year: b.Move.Year, Maker: b.Move.Maker, Variants: []record.Variant{}}
	if b.Move.To != "" {
		other, err := w.Title(ctx, b.Move.To)
		if err == ErrNoTitle {
			err = &Error{"move_edition.to", fmt.Sprintf("there is no title %s", b.Move.To)}
		}
		if err != nil {
			return nil, err
		}
		before, to = other, other
	}
	rest, other, err := t.MoveEdition(b.Move.Store, b.Move.Ref, to)
	if err != nil {
		return nil, err
	}
	return &Outcome{Titles: []TitleChange{{t, rest}, {before, other}}}, nil
}
