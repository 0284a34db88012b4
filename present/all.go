package present

import (
	"errors"
	"maps"
	"slices"
	"sort"

	"endroit/core/place"
	"endroit/kept"
	"endroit/workers"
)

// All resolves every title that is present, by name: those that are installed, and
// those of which something lies in a folder of this person, a sandbox or a
// prefix. It neither walks these folders nor tries each title: the names right in
// them lead to the titles. told is called as titles are looked at, with how many
// of how many; it may be nil.
func (h *Here) All(k *kept.Kept, told func(done, of int)) ([]Title, error) {
	scopes := map[string]Scope{}
	add := func(ids []string, prefix string) {
		for _, id := range ids {
			if scopes[id] == nil {
				scopes[id] = Scope{}
			}
			if prefix != "" {
				scopes[id][prefix] = true
			}
		}
	}
	editions := make([]kept.Edition, 0, len(h.survey.Installed))
	for id := range h.byTitle {
		add([]string{id}, "") // recorded for another store, or for any
	}
	for _, e := range h.survey.Installed {
		if e.Ref != "" {
			editions = append(editions, kept.Edition{Store: e.Store, Ref: e.Ref})
		}
	}
	of, err := k.OfEditions(editions)
	if err != nil {
		return nil, err
	}
	for _, ids := range of {
		add(ids, "")
	}
	keepers := make([][]keeper, len(place.Definitions))
	failed := make([]error, len(keepers))
	workers.Each(len(keepers), nil, func(i int) {
		if d := place.Definitions[i]; d.Shared {
			keepers[i], failed[i] = h.keepers(k, d.Anchor)
		}
	})
	if err := errors.Join(failed...); err != nil {
		return nil, err
	}
	for _, below := range keepers {
		for _, x := range below {
			add(x.ids, x.prefix)
		}
	}
	return h.resolve(k, scopes, told)
}

// keeper is a folder of this person's, a sandbox's or a prefix's, with the titles
// that may keep something in it.
type keeper struct {
	ids    []string
	prefix string // empty outside prefixes
}

// keepers are the folders that an anchor has here.
func (h *Here) keepers(k *kept.Kept, a place.Anchor) (all []keeper, err error) {
	var folders []kept.Folder
	look := func(roots place.Roots, prefix string) {
		if top := roots[a]; top != "" {
			folders = append(folders, kept.Folder{Names: h.finder.Names(top), Inside: func(name string) []string { return h.finder.Names(top + "/" + name) }})
			all = append(all, keeper{prefix: prefix})
		}
	}
	look(h.roots, "")
	for _, s := range h.sandboxes {
		look(s.Roots, "")
	}
	for _, p := range h.survey.Prefixes {
		if p.Prefix != nil {
			look(p.Prefix.Roots, p.Folder)
		}
	}
	ids, err := k.Below(a, folders)
	if err != nil {
		return nil, err
	}
	for i := range ids {
		all[i].ids = ids[i]
	}
	return all, nil
}

func (h *Here) resolve(k *kept.Kept, scopes map[string]Scope, told func(done, of int)) ([]Title, error) {
	titles, err := k.TitlesOf(slices.Sorted(maps.Keys(scopes))) // without those that nobody has recorded
	if err != nil {
		return nil, err
	}
	found := make([]Title, len(titles))
	workers.Each(len(titles), told, func(i int) { found[i] = h.Title(titles[i], scopes[titles[i].ID]) })
	all := []Title{}
	for _, t := range found {
		t.Variants = slices.DeleteFunc(t.Variants, func(v Variant) bool { return !v.there() })
		if len(t.Variants) > 0 {
			all = append(all, t)
		}
	}
	sort.Slice(all, func(i, j int) bool {
		return all[i].Title < all[j].Title || all[i].Title == all[j].Title && all[i].ID < all[j].ID
	})
	return all, nil
}
