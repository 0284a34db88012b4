package locate

import (
	"context"
	"maps"
	"slices"
	"sort"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/localmanifest"
	"endroit/machine"
	"endroit/parallel"
)

// Prefetch is what this person's own folders, and those of sandboxes, lead to in the
// manifest: it can be found out while the machine is surveyed.
type Prefetch struct {
	done   chan struct{}
	titles map[string]*manifest.Title // by id
	err    error
}

// StartAhead begins to find out. Wait has to be called before the manifest is closed.
func StartAhead(ctx context.Context, k *localmanifest.Manifest, roots place.Roots) *Prefetch {
	a := &Prefetch{done: make(chan struct{}), titles: map[string]*manifest.Title{}}
	go func() {
		defer close(a.done)
		folders := []rooted{{roots: roots}}
		for _, s := range machine.Sandboxes(roots[place.Home]) {
			folders = append(folders, rooted{roots: s.Roots})
		}
		finder := machine.NewFinder()
		defer finder.Close()
		var below []keeper
		if below, a.err = keepers(ctx, k, finder, folders); a.err != nil {
			return
		}
		ids := map[string]bool{}
		for _, x := range below {
			for _, id := range x.ids {
				ids[id] = true
			}
		}
		var titles []*manifest.Title
		if titles, a.err = k.TitlesOf(ctx, slices.Sorted(maps.Keys(ids))); a.err != nil {
			return
		}
		for _, t := range titles {
			a.titles[t.ID] = t
		}
	}()
	return a
}

// Wait waits until it is found out.
func (a *Prefetch) Wait() { <-a.done }

// All resolves every title that is present, by name: those that are installed, and
// those of which something lies in a folder of this person, a sandbox or a
// prefix. It neither walks these folders nor tries each title: the names right in
// them lead to the titles. ahead is what was begun for the same manifest and roots;
// it may be nil. told is called as titles are looked at, with how many of how many;
// it may be nil.
func (h *Resolver) All(
	ctx context.Context, k *localmanifest.Manifest, ahead *Prefetch, told func(done, of int),
) ([]Title, error) {
	scopes := map[string]Scope{}
	add := func(id, prefix string) {
		if scopes[id] == nil {
			scopes[id] = Scope{}
		}
		if prefix != "" {
			scopes[id][prefix] = true
		}
	}
	editions := make([]localmanifest.Edition, 0, len(h.survey.Installed))
	var names []string
	for _, e := range h.survey.Installed {
		names = append(names, e.Name)
	}
	named, err := k.NamedEach(ctx, names)
	if err != nil {
		return nil, err
	}
	for _, ids := range named {
		for _, id := range ids {
			add(id, "") // recorded for another store, or for any
		}
	}
	for _, e := range h.survey.Installed {
		if e.Ref != "" {
			editions = append(editions, localmanifest.Edition{Store: e.Store, Ref: e.Ref})
		}
	}
	of, err := k.OfEditions(ctx, editions)
	if err != nil {
		return nil, err
	}
	for _, ids := range of {
		for _, id := range ids {
			add(id, "")
		}
	}
	var folders []rooted
	for _, p := range h.survey.Prefixes {
		if p.Prefix != nil {
			folders = append(folders, rooted{p.Prefix.Roots, p.Folder})
		}
	}
	below, err := keepers(ctx, k, h.finder, folders)
	if err != nil {
		return nil, err
	}
	for _, x := range below {
		for _, id := range x.ids {
			add(id, x.prefix)
		}
	}
	if ahead == nil {
		ahead = StartAhead(ctx, k, h.roots)
	}
	if ahead.Wait(); ahead.err != nil {
		return nil, ahead.err
	}
	for id := range ahead.titles {
		add(id, "")
	}
	titles, err := titlesOf(ctx, k, scopes, ahead.titles)
	if err != nil {
		return nil, err
	}
	return h.resolve(ctx, titles, scopes, told)
}

// titlesOf gives the titles, without those that nobody has recorded. Some are known.
func titlesOf(
	ctx context.Context, k *localmanifest.Manifest, scopes map[string]Scope, known map[string]*manifest.Title,
) ([]*manifest.Title, error) {
	var all []*manifest.Title
	var unknown []string
	for _, id := range slices.Sorted(maps.Keys(scopes)) {
		if t := known[id]; t != nil {
			all = append(all, t)
		} else {
			unknown = append(unknown, id)
		}
	}
	rest, err := k.TitlesOf(ctx, unknown)
	return append(all, rest...), err
}

// rooted are the folders of a person, a sandbox or a prefix.
type rooted struct {
	roots  place.Roots
	prefix string // empty outside prefixes
}

// keeper is one of them, with the titles that may keep something in it.
type keeper struct {
	ids    []string
	prefix string
}

// keepers are those of all anchors whose folders titles share.
func keepers(ctx context.Context, k *localmanifest.Manifest, finder *machine.Finder, folders []rooted) ([]keeper, error) {
	found := make([][]keeper, len(place.Definitions))
	err := parallel.Each(ctx, len(found), func(ctx context.Context, i int) (err error) {
		if d := place.Definitions[i]; d.Shared {
			found[i], err = keptFolders(ctx, k, finder, d.Anchor, folders)
		}
		return err
	})
	return slices.Concat(found...), err
}

func keptFolders(
	ctx context.Context, k *localmanifest.Manifest, finder *machine.Finder, a place.Anchor, folders []rooted,
) (all []keeper, err error) {
	var list []localmanifest.Folder
	for _, f := range folders {
		if top := f.roots[a]; top != "" {
			list = append(list, localmanifest.Folder{
				Names:  finder.Names(top),
				Inside: func(name string) []string { return finder.Names(top + "/" + name) },
			})
			all = append(all, keeper{prefix: f.prefix})
		}
	}
	ids, err := k.Below(ctx, a, list)
	if err != nil {
		return nil, err
	}
	for i := range ids {
		all[i].ids = ids[i]
	}
	return all, nil
}

func (h *Resolver) resolve(
	ctx context.Context, titles []*manifest.Title, scopes map[string]Scope, told func(done, of int),
) ([]Title, error) {
	found := make([]Title, len(titles))
	err := parallel.EachTold(ctx, len(titles), told, func(ctx context.Context, i int) (err error) {
		found[i], err = h.Title(ctx, titles[i], scopes[titles[i].ID])
		return err
	})
	if err != nil {
		return nil, err
	}
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
