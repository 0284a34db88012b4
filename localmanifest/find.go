package localmanifest

import (
	"bytes"
	"context"
	"maps"
	"slices"
	"strings"

	bolt "go.etcd.io/bbolt"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/parallel"
)

// Title returns the title with this id, or what it was merged into; nil if there is none.
func (k *Manifest) Title(ctx context.Context, id string) (*manifest.Title, error) {
	for range maxMerges {
		all, err := k.TitlesOf(ctx, []string{id})
		if err != nil || len(all) == 0 {
			return nil, err
		}
		if all[0].MergedInto == "" {
			return all[0], nil
		}
		id = all[0].MergedInto
	}
	return nil, nil
}

// maxMerges is how many merges an id is followed through.
const maxMerges = 32

// TitlesOf returns the titles with these ids, of those that there are.
func (k *Manifest) TitlesOf(ctx context.Context, ids []string) ([]*manifest.Title, error) {
	var docs [][]byte
	err := k.view(ctx, func(tx *bolt.Tx) error {
		titles := tx.Bucket(inTitles)
		for _, id := range ids {
			if doc := titles.Get([]byte(id)); doc != nil {
				docs = append(docs, bytes.Clone(doc))
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	all := make([]*manifest.Title, len(docs))
	return all, parallel.Each(ctx, len(docs), func(_ context.Context, i int) error {
		all[i] = &manifest.Title{}
		return titleReader.Unmarshal(docs[i], all[i])
	})
}

// Find returns the title with this id, or all with this name, without regard to case and
// accents; where there is none, those with the name without regard to punctuation;
// otherwise the names that come close, the closest first, at most five.
func (k *Manifest) Find(ctx context.Context, name string) (found []*manifest.Title, near []string, err error) {
	if manifest.CheckID(name) == "" {
		if t, err := k.Title(ctx, name); err != nil || t != nil {
			return []*manifest.Title{t}, nil, err
		}
	}
	ids, err := k.Named(ctx, name)
	if err != nil {
		return nil, nil, err
	}
	if len(ids) > 0 {
		found, err = k.TitlesOf(ctx, ids)
		return found, nil, err
	}
	closest := manifest.NewNearest(name)
	err = k.view(ctx, func(tx *bolt.Tx) error {
		return tx.Bucket(inNames).ForEach(func(k, other []byte) error {
			closest.Add(string(other), splitKey(k)[0])
			return ctx.Err()
		})
	})
	return nil, closest.Names(), err
}

// Named are the ids of the titles with this name, without regard to case and accents;
// where none has it, of those that have it without regard to punctuation.
func (k *Manifest) Named(ctx context.Context, name string) ([]string, error) {
	of, err := k.NamedEach(ctx, []string{name})
	if err != nil {
		return nil, err
	}
	return of[0], nil
}

// NamedEach is Named for each of several names.
func (k *Manifest) NamedEach(ctx context.Context, names []string) ([][]string, error) {
	out := make([][]string, len(names))
	err := k.view(ctx, func(tx *bolt.Tx) error {
		for i, name := range names {
			for _, way := range []struct {
				bucket []byte
				text   string
			}{{inNames, manifest.Fold(name)}, {inPlains, manifest.Plain(name)}} {
				if way.text == "" || len(out[i]) > 0 {
					continue
				}
				below(tx.Bucket(way.bucket).Cursor(), key(way.text), func(parts []string) bool {
					out[i] = append(out[i], parts[0])
					return true
				})
			}
		}
		return nil
	})
	return out, err
}

// Names lists titles' names in order, so many at most.
func (k *Manifest) Names(ctx context.Context, most int) (list []string, err error) {
	err = k.view(ctx, func(tx *bolt.Tx) error {
		c := tx.Bucket(inNames).Cursor()
		for k, name := c.First(); k != nil && len(list) < most; k, name = c.Next() {
			list = append(list, string(name))
		}
		return nil
	})
	return list, err
}

// below gives the parts of the keys behind their first ones, until do has enough.
func below(c *bolt.Cursor, first []byte, do func(parts []string) bool) {
	for k, _ := c.Seek(first); bytes.HasPrefix(k, first); k, _ = c.Next() {
		if !do(splitKey(k[len(first):])) {
			return
		}
	}
}

// Edition is what a store sells under a reference; with an empty store, any does.
type Edition struct{ Store, Ref string }

// OfEdition gives the ids of the titles that an edition is of.
func (k *Manifest) OfEdition(ctx context.Context, store, ref string) ([]string, error) {
	of, err := k.OfEditions(ctx, []Edition{{store, ref}})
	if err != nil {
		return nil, err
	}
	return of[0], nil
}

// OfEditions gives for each edition the ids of the titles that it is of.
func (k *Manifest) OfEditions(ctx context.Context, editions []Edition) ([][]string, error) {
	out := make([][]string, len(editions))
	err := k.view(ctx, func(tx *bolt.Tx) error {
		c := tx.Bucket(inEditions).Cursor()
		for i, e := range editions {
			below(c, key(e.Ref), func(parts []string) bool {
				if store, title := parts[0], parts[1]; (e.Store == "" || e.Store == store) && !slices.Contains(out[i], title) {
					out[i] = append(out[i], title)
				}
				return true
			})
			slices.Sort(out[i])
		}
		return nil
	})
	return out, err
}

// Folder is one of the folders that an anchor has on this machine.
type Folder struct {
	Names []string // of what lies right in it
	// Inside lists the names in one of these: it is asked where many titles share
	// that.
	Inside func(name string) []string
}

// Below gives, for each of an anchor's folders, the ids of the titles that may keep
// something in it, by the names that are there. Its cost grows with the names,
// not with the titles.
func (k *Manifest) Below(ctx context.Context, anchor place.Anchor, folders []Folder) ([][]string, error) {
	out := make([][]string, len(folders))
	seen := make([]map[string]bool, len(folders))
	add := func(i int, ids []string) {
		for _, id := range ids {
			if !seen[i][id] {
				seen[i][id] = true
				out[i] = append(out[i], id)
			}
		}
	}
	// Which folders have a name, in lowercase, and how it is written there.
	type written struct {
		folder int
		name   string
	}
	in := map[string][]written{}
	for i, f := range folders {
		seen[i] = map[string]bool{}
		for _, name := range f.Names {
			folded := strings.ToLower(name)
			in[folded] = append(in[folded], written{i, name})
		}
	}
	err := k.view(ctx, func(tx *bolt.Tx) error {
		c := tx.Bucket(inFirsts).Cursor()
		anywhere := titlesAt(c, noLimit, string(anchor), anyName)
		for i, f := range folders {
			if len(f.Names) > 0 {
				add(i, anywhere)
			}
		}
		for _, name := range slices.Sorted(maps.Keys(in)) {
			if name == anyName {
				continue
			}
			if err := ctx.Err(); err != nil {
				return err
			}
			// Of a name that many titles share no more are read than tell so.
			ids := titlesAt(c, manyShare+1, string(anchor), name)
			for _, w := range in[name] {
				if len(ids) <= manyShare {
					add(w.folder, ids)
					continue
				}
				for _, second := range append([]string{"", anyName}, folders[w.folder].Inside(w.name)...) {
					add(w.folder, titlesAt(c, noLimit, string(anchor), name, strings.ToLower(second)))
				}
			}
		}
		return nil
	})
	return out, err
}

// manyShare is how many titles may share a folder before it is looked into.
const manyShare = 8

// noLimit is how many titlesAt gives where none is set.
const noLimit = -1

// titlesAt gives the ids of titles that keep something at an anchor, below first
// names; so many at most.
func titlesAt(c *bolt.Cursor, limit int, names ...string) (ids []string) {
	below(c, key(names...), func(parts []string) bool {
		ids = append(ids, parts[len(parts)-1])
		return len(ids) != limit
	})
	return ids
}

// maxBeside is how many titles one location is held against.
const maxBeside = 200

// Beside gives the titles that keep something right where a location points, by the first
// names below its anchor: those whose files it can match are among them, and others.
func (k *Manifest) Beside(ctx context.Context, at string) ([]*manifest.Title, error) {
	a, first, second, ok := firstNames(at)
	if !ok {
		return nil, nil
	}
	ids := []string{}
	err := k.view(ctx, func(tx *bolt.Tx) error {
		c := tx.Bucket(inFirsts).Cursor()
		seen := map[string]bool{}
		add := func(id string) bool {
			if !seen[id] {
				seen[id] = true
				ids = append(ids, id)
			}
			return len(ids) < maxBeside
		}
		seconds := []string{second, "", anyName}
		if first == anyName {
			below(c, key(string(a)), func(parts []string) bool {
				return !slices.Contains(seconds, parts[1]) && second != "" && second != anyName || add(parts[2])
			})
			return nil
		}
		for _, f := range []string{first, anyName} {
			if second == "" || second == anyName {
				below(c, key(string(a), f), func(parts []string) bool { return add(parts[1]) })
				continue
			}
			for _, s := range seconds {
				below(c, key(string(a), f, s), func(parts []string) bool { return add(parts[0]) })
			}
		}
		return nil
	})
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	return k.TitlesOf(ctx, ids[:min(len(ids), maxBeside)]) // the last way may have added one more
}
