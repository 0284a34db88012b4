// Package identify finds out which title and edition something belongs to: a name, a
// store's number, the address of a store page, a path, a running process, or the command
// of a run.
//
//	found, err := identify.Identifier{Survey: survey, Manifest: m, Sheets: sheets}.All(ctx, "418820")
package identify

import (
	"context"
	"path/filepath"
	"slices"
	"strings"

	"endroit/core/manifest"
	"endroit/core/sheet"
	"endroit/localmanifest"
	"endroit/machine"
)

// Title is one title that could be meant.
type Title struct {
	Title    string           `json:"title"`
	Because  string           `json:"because"`
	Edition  *sheet.Installed `json:"edition,omitempty"`  // installed here
	Location string           `json:"location,omitempty"` // the recorded location that a path lies in
	Recorded []string         `json:"recorded"`           // variants in the local manifest
}

// Identifier knows what is installed and what is recorded.
type Identifier struct {
	Survey   *machine.Survey
	Manifest *localmanifest.Manifest // nil without one
	Sheets   []*sheet.Sheet
}

// All lists the titles that what could mean. Exact matches come before names that are
// only similar; those are not looked at where there is an exact one.
func (i Identifier) All(ctx context.Context, what string) ([]Title, error) {
	subject := parse(what)
	for _, similar := range []bool{false, true} {
		found, err := i.installed(ctx, subject, similar)
		if err != nil || len(found) > 0 {
			return found, err
		}
		if !similar {
			if found, err = i.atPath(ctx, subject.path); err != nil || len(found) > 0 {
				return found, err
			}
		}
		if found, err = i.inManifest(ctx, what, similar); err != nil || len(found) > 0 {
			return found, err
		}
		if similar {
			break
		}
		if found, err = i.unlisted(ctx, subject.path); err != nil || len(found) > 0 {
			return found, err
		}
	}
	return []Title{}, nil
}

// installed finds it among the editions that launchers list, here or missing, and among
// the prefixes that a person tied to a title.
func (i Identifier) installed(ctx context.Context, s subject, similar bool) (out []Title, err error) {
	for _, e := range append(slices.Clone(i.Survey.Installed), sheet.MissingEditions(i.Survey.Found)...) {
		because := i.reason(s, e)
		if similar {
			because = similarName(s.text, e.Name)
		}
		if because == "" {
			continue
		}
		t := Title{Title: e.Name, Because: because, Edition: &e}
		if t.Recorded, err = i.recorded(ctx, e.Name, e.Store, e.Ref); err != nil {
			return nil, err
		}
		if t.Location, err = i.locationOf(ctx, e, s.path); err != nil {
			return nil, err
		}
		out = append(out, t)
	}
	for _, p := range i.Survey.Prefixes {
		if p.Title == "" || similar {
			continue
		}
		if slices.ContainsFunc(out, func(t Title) bool { return manifest.Plain(t.Title) == manifest.Plain(p.Title) }) {
			continue
		}
		because := ""
		switch {
		case within(s.path, p.Folder):
			because = "the path lies in the prefix that was added for it"
		case manifest.Plain(s.text) == manifest.Plain(p.Title):
			because = "that is its name"
		default:
			continue
		}
		t := Title{Title: p.Title, Because: because, Edition: &sheet.Installed{
			Edition: sheet.Edition{Name: p.Title, Store: p.Store, Prefix: p.Folder},
			System:  "windows", StartedBy: []string{}, Accounts: []sheet.Account{},
		}}
		if t.Recorded, err = i.recorded(ctx, p.Title, p.Store, ""); err != nil {
			return nil, err
		}
		out = append(out, t)
	}
	return innermost(out, s.path), nil
}

// innermost keeps, of several editions that a path lies in, those whose folder is deepest.
func innermost(all []Title, path string) []Title {
	if path == "" {
		return all
	}
	longest := 0
	for _, t := range all {
		if within(path, t.Edition.Folder) {
			longest = max(longest, len(t.Edition.Folder))
		}
	}
	return slices.DeleteFunc(all, func(t Title) bool { return longest > 0 && len(t.Edition.Folder) != longest })
}

// reason says why an installed edition is meant; empty if it is not.
func (i Identifier) reason(s subject, e sheet.Installed) string {
	switch {
	case within(s.path, e.Folder) && s.process:
		return "the process runs from its folder"
	case within(s.path, e.Folder):
		return "the path lies in its folder"
	case within(s.path, e.Prefix):
		return "the path lies in its prefix"
	case e.Ref != "" && e.Ref == s.text:
		return "that is its reference at " + e.Store
	case e.Ref != "" && i.refIn(s.text, e.Store) == e.Ref:
		return "the address is its page at " + e.Store
	case manifest.Plain(s.text) != "" && manifest.Plain(e.Name) == manifest.Plain(s.text):
		return "that is its name"
	}
	for _, account := range e.Accounts {
		if !within(s.path, account.Folder) {
			continue
		}
		below := strings.TrimPrefix(s.path, resolved(account.Folder))
		names := strings.Split(strings.Trim(below, string(filepath.Separator)), string(filepath.Separator))
		switch {
		case below == "":
			return "the path is the folder of account " + account.ID + ", whose titles these are"
		case e.Ref != "" && slices.Contains(names, e.Ref):
			return "the path lies in the folder of account " + account.ID + ", below its reference"
		}
	}
	return ""
}

func similarName(what, name string) string {
	n := manifest.NewNearest(what)
	n.Add(name, manifest.Fold(name))
	if len(n.Names()) > 0 {
		return "its name is similar"
	}
	return ""
}

func (i Identifier) refIn(address, store string) string {
	for _, s := range i.Sheets {
		if s.StoreID() == store {
			if ref := s.RefIn(address); ref != "" {
				return ref
			}
		}
	}
	return ""
}

// inManifest finds what is not installed here.
func (i Identifier) inManifest(ctx context.Context, what string, similar bool) (out []Title, err error) {
	if i.Manifest == nil {
		return nil, nil
	}
	add := func(id, because string) error {
		t, err := i.Manifest.Title(ctx, id)
		if err != nil || t == nil {
			return err
		}
		recorded := []string{}
		for _, v := range t.Variants {
			recorded = append(recorded, v.String())
		}
		out = append(out, Title{Title: t.Distinct(), Because: because, Recorded: recorded})
		return nil
	}
	if similar {
		_, near, err := i.Manifest.Find(ctx, what)
		for n := 0; err == nil && n < len(near); n++ {
			var ids []string
			if ids, err = i.Manifest.Named(ctx, near[n]); err == nil && len(ids) > 0 {
				err = add(ids[0], "its name is similar")
			}
		}
		return out, err
	}
	if manifest.CheckID(what) == "" {
		if err := add(what, "that is its id"); err != nil {
			return nil, err
		}
	}
	ids, err := i.Manifest.Named(ctx, what)
	for n := 0; err == nil && n < len(ids); n++ {
		err = add(ids[n], "that is its name")
	}
	if err != nil {
		return nil, err
	}
	ids, err = i.Manifest.OfEdition(ctx, "", what)
	for n := 0; err == nil && n < len(ids); n++ {
		err = add(ids[n], "that is its reference at a store")
	}
	for n := 0; err == nil && n < len(i.Sheets); n++ {
		s := i.Sheets[n]
		ref := s.RefIn(what)
		if ref == "" {
			continue
		}
		if ids, err = i.Manifest.OfEdition(ctx, s.StoreID(), ref); err != nil {
			break
		}
		for _, id := range ids {
			if err = add(id, "the address is its page at "+s.Name); err != nil {
				break
			}
		}
	}
	return out, err
}

// unlisted looks for a file that says what is installed, in the folder of a path and in
// those above it.
func (i Identifier) unlisted(ctx context.Context, path string) ([]Title, error) {
	const levels = 8
	for level := 0; path != "" && level < levels; level++ {
		if e, _ := machine.InstalledIn(i.Sheets, path); e != nil {
			recorded, err := i.recorded(ctx, e.Name, e.Store, e.Ref)
			return []Title{
				{
					Title:   e.Name,
					Because: "a file in the folder says so, and no launcher lists it; add it with endroit machine add FOLDER",
					Edition: &sheet.Installed{
						Edition:   *e,
						System:    machine.System(),
						StartedBy: []string{},
						Accounts:  []sheet.Account{},
					},
					Recorded: recorded,
				},
			}, err
		}
		up := filepath.Dir(path)
		if up == path {
			break
		}
		path = up
	}
	return nil, nil
}

// recorded lists the variants that the manifest has of a title, by its edition and by its
// name; those of the edition first.
func (i Identifier) recorded(ctx context.Context, name, store, ref string) ([]string, error) {
	own, others := []string{}, []string{}
	if i.Manifest == nil {
		return own, nil
	}
	ids, err := i.Manifest.Named(ctx, name)
	if err != nil {
		return nil, err
	}
	if ref != "" {
		of, err := i.Manifest.OfEdition(ctx, store, ref)
		if err != nil {
			return nil, err
		}
		ids = append(of, ids...)
	}
	for n, id := range ids {
		if slices.Contains(ids[:n], id) {
			continue
		}
		t, err := i.Manifest.Title(ctx, id)
		if err != nil {
			return nil, err
		}
		if t == nil {
			continue
		}
		for _, v := range t.Variants {
			if store != "" && v.Store == store && v.Ref == ref {
				own = append(own, v.String())
			} else {
				others = append(others, v.String())
			}
		}
	}
	return append(own, others...), nil
}
