package identify

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/machine"
)

// atPath finds the titles that have a recorded location which a path lies in: in this
// person's folders, in a sandbox's or in a prefix's.
func (i Identifier) atPath(ctx context.Context, path string) (out []Title, err error) {
	if path == "" || i.Manifest == nil {
		return nil, nil
	}
	roots, err := machine.Roots()
	if err != nil {
		return nil, err
	}
	sets := []place.Roots{roots}
	for _, s := range machine.Sandboxes(roots[place.Home]) {
		sets = append(sets, s.Roots)
	}
	for _, p := range i.Survey.Prefixes {
		if p.Prefix != nil {
			sets = append(sets, p.Prefix.Roots)
		}
	}
	seen := map[string]bool{}
	for _, set := range sets {
		for anchor, folder := range set {
			names, ok := below(folder, path)
			if !ok {
				continue
			}
			titles, err := i.Manifest.Beside(ctx, place.Of(anchor, names, false).String())
			if err != nil {
				return nil, err
			}
			for _, t := range titles {
				at := locationAt(t.Variants, anchor, names, path)
				if at == "" || seen[t.ID] {
					continue
				}
				seen[t.ID] = true
				recorded, err := i.recorded(ctx, t.ID, "", "")
				if err != nil {
					return nil, err
				}
				out = append(out, Title{
					Title:    t.Name,
					Because:  "the path lies in a location that is recorded for it",
					Location: at,
					Recorded: recorded,
				})
			}
		}
	}
	slices.SortFunc(out, func(a, b Title) int { return strings.Compare(a.Title, b.Title) })
	return out, nil
}

// locationOf is the location, recorded for the title of an edition, that a path below the
// edition's folder, account folder or prefix lies in; empty if there is none.
func (i Identifier) locationOf(ctx context.Context, e sheet.Installed, path string) (string, error) {
	if path == "" || i.Manifest == nil {
		return "", nil
	}
	ids, err := i.Manifest.OfEdition(ctx, e.Store, e.Ref)
	if err != nil {
		return "", err
	}
	named, err := i.Manifest.Named(ctx, e.Name)
	if err != nil {
		return "", err
	}
	titles, err := i.Manifest.TitlesOf(ctx, append(ids, named...))
	if err != nil {
		return "", err
	}
	sets := []place.Roots{{place.Install: e.Folder}}
	for _, a := range e.Accounts {
		sets = append(sets, place.Roots{place.AccountData: a.Folder})
	}
	for _, p := range i.Survey.Prefixes {
		if p.Folder == e.Prefix && p.Prefix != nil {
			sets = append(sets, p.Prefix.Roots)
		}
	}
	for _, set := range sets {
		for anchor, folder := range set {
			names, ok := below(folder, path)
			if !ok {
				continue
			}
			for _, t := range titles {
				if at := locationAt(t.Variants, anchor, names, path); at != "" {
					return at, nil
				}
			}
		}
	}
	return "", nil
}

// locationAt is the first location of an anchor that takes the names below it.
func locationAt(variants []manifest.Variant, anchor place.Anchor, names []string, path string) string {
	info, err := os.Stat(path)
	folder := err == nil && info.IsDir()
	for _, v := range variants {
		for _, l := range v.Locations {
			at, err := place.Parse(l.At)
			if err != nil || at.Anchor != anchor {
				continue
			}
			if _, ok := at.Match(names, nil); ok && !folder {
				return l.At
			}
			if folder && at.Pattern.Folder {
				// A folder lies in it if a file right in the folder would.
				if _, ok := at.Match(append(slices.Clone(names), "x"), nil); ok {
					return l.At
				}
			}
		}
	}
	return ""
}

// below gives the names of a path below a folder.
func below(folder, path string) (names []string, ok bool) {
	if !within(path, folder) {
		return nil, false
	}
	rest := strings.Trim(strings.TrimPrefix(path, resolved(folder)), string(filepath.Separator))
	if rest == "" {
		return nil, false
	}
	return strings.Split(rest, string(filepath.Separator)), true
}
