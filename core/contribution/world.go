package contribution

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/record"
	"endroit/core/sheet"
)

// World is what is recorded, as far as a contribution has to know it.
type World interface {
	// Title is the record with this id; ErrNoTitle if there is none.
	Title(ctx context.Context, id string) (*record.Title, error)
	// Sold are the ids of the titles that an edition is of, of which there is one at most.
	Sold(ctx context.Context, store, ref string) ([]string, error)
	// Named are the ids of the titles that have a name, without regard to case and accents;
	// where none has, those that have it without regard to punctuation.
	Named(ctx context.Context, name string) ([]string, error)
	// Near are the titles whose locations these could overlap; among them can be others.
	Near(ctx context.Context, locations []string) ([]manifest.Title, error)
	// Sheets are all launchers' sheets.
	Sheets(ctx context.Context) ([]record.Sheet, error)
	// Footprint is what was sent with a contribution that was accepted; nil if it is gone.
	Footprint(ctx context.Context, contribution int64) (*footprint.Footprint, error)
	// NewID is an id that no title has had.
	NewID() string
	Now() time.Time
}

// ErrNoTitle says that no title has an id.
var ErrNoTitle = errors.New("there is no such title")

// Outcome is what accepting a contribution does.
type Outcome struct {
	Titles []TitleChange
	Sheet  *SheetChange
	// Joins is the name that a draft writes, where its title has another spelling.
	Joins string
	// Conflicts and Clashes are why it cannot be accepted.
	Conflicts []manifest.Conflict
	Clashes   []sheet.Clash
}

// TitleChange is a title before and after; before is nil for a new one.
type TitleChange struct{ Before, After *record.Title }

// Name is the title's name before the change; that of a new one afterwards.
func (c TitleChange) Name() string {
	if c.Before != nil {
		return c.Before.Name
	}
	return c.After.Name
}

// SheetChange is a launcher's sheet before and after.
type SheetChange struct{ Before, After *record.Sheet }

// Subject is the id of the title that the contribution is filed under, empty for a sheet.
func (o *Outcome) Subject() string {
	if len(o.Titles) == 0 {
		return ""
	}
	return o.Titles[0].After.ID
}

// Changes lists what would differ in what is published at a time, and of which title it is
// where there are several.
func (o *Outcome) Changes(now time.Time) []manifest.Change {
	out := []manifest.Change{}
	for _, c := range o.Titles {
		after, _ := c.After.Published(now)
		var before *manifest.Title
		if c.Before != nil {
			p, _ := c.Before.Published(now)
			before = &p
		}
		if o.Joins != "" && before != nil {
			out = append(out, manifest.Change{What: manifest.JoinsTitle, From: o.Joins, To: before.Name})
		}
		for _, x := range manifest.Compare(before, after) {
			if len(o.Titles) > 1 {
				x.Title = c.Name()
			}
			if x.What == manifest.Merged {
				x.From = o.nameOf(x.To)
			}
			out = append(out, x)
		}
	}
	return out
}

// nameOf is the name of one of the titles afterwards; empty if it is none of them.
func (o *Outcome) nameOf(id string) string {
	for _, c := range o.Titles {
		if c.After.ID == id {
			return c.After.Name
		}
	}
	return ""
}

// AmbiguousError says that several titles have a name.
type AmbiguousError struct {
	Name   string
	Titles []*record.Title
}

func (e *AmbiguousError) Error() string {
	var list []string
	for _, t := range e.Titles {
		p, _ := t.Published(time.Time{})
		list = append(list, fmt.Sprintf("%s is %s", t.ID, p.Distinct()))
	}
	return fmt.Sprintf(
		"%d titles are called %s: %s; write the id of the one that is meant, or new, as title_id",
		len(e.Titles), e.Name, strings.Join(list, ", "),
	)
}

// How a title was found.
const (
	ByID      = "by its id"
	ByEdition = "by the edition's reference"
	ByName    = "by its name"
	AsNew     = "as a new title"
)

// TitleOf finds the title that a draft is of: by the id that it gives, by its edition's
// reference, or by its name. It is nil for a new one; how says which it was. Where several
// have the name it is an *AmbiguousError.
func TitleOf(ctx context.Context, w World, d *draft.Draft) (t *record.Title, how string, err error) {
	if d.TitleID == draft.NewTitle {
		return nil, AsNew, nil
	}
	if d.TitleID != "" {
		t, err := Follow(ctx, w, d.TitleID)
		if errors.Is(err, ErrNoTitle) {
			return nil, "", &Error{"draft.title_id", fmt.Sprintf("there is no title %s", d.TitleID)}
		}
		return t, ByID, err
	}
	if d.Edition != nil && d.Edition.Ref != "" {
		ids, err := w.Sold(ctx, d.Edition.Store, d.Edition.Ref)
		if err != nil {
			return nil, "", err
		}
		if len(ids) > 0 {
			t, err := Follow(ctx, w, ids[0])
			return t, ByEdition, err
		}
	}
	ids, err := w.Named(ctx, d.Title)
	if err != nil {
		return nil, "", err
	}
	var all []*record.Title
	seen := map[string]bool{}
	for _, id := range ids {
		t, err := Follow(ctx, w, id)
		if err != nil {
			return nil, "", err
		}
		if !seen[t.ID] {
			seen[t.ID] = true
			all = append(all, t)
		}
	}
	switch len(all) {
	case 0:
		return nil, AsNew, nil
	case 1:
		return all[0], ByName, nil
	}
	return nil, "", &Error{"draft.title_id", (&AmbiguousError{d.Title, all}).Error()}
}

// maxMerges is how many merges an id is followed through.
const maxMerges = 32

// Follow gives the title that an id leads to: itself, or what it was merged into.
func Follow(ctx context.Context, w World, id string) (*record.Title, error) {
	for range maxMerges {
		t, err := w.Title(ctx, id)
		if err != nil || t.MergedInto == "" {
			return t, err
		}
		id = t.MergedInto
	}
	return nil, fmt.Errorf("title %s was merged more than %d times", id, maxMerges)
}

// conflicts finds which locations of a title reach into others' places.
func conflicts(ctx context.Context, w World, own string, locations []string) ([]manifest.Conflict, error) {
	others, err := w.Near(ctx, locations)
	if err != nil {
		return nil, err
	}
	return manifest.Conflicts(ctx, own, locations, others)
}

// readable are the sheets that this version reads.
func readable(all []record.Sheet) (read []*sheet.Sheet) {
	for _, x := range all {
		if s, err := x.Read(); err == nil {
			read = append(read, s)
		}
	}
	return read
}
