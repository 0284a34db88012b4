package store

import (
	"context"
	"slices"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/jackc/pgx/v5"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/record"
)

// Listed is what lists show of a title.
type Listed struct {
	ID        string             `json:"id"`
	Name      string             `json:"name"`
	Names     []manifest.Name    `json:"names,omitempty"`
	Year      int                `json:"year,omitempty"`
	Maker     string             `json:"maker,omitempty"`
	Editions  []manifest.Edition `json:"editions,omitempty"` // without their versions
	Stores    []string           `json:"stores,omitempty"`   // of its variants
	Systems   []string           `json:"systems,omitempty"`
	Variants  int                `json:"variants"`
	Locations int                `json:"locations"` // of all variants
}

func listedOf(t *manifest.Title) Listed {
	l := Listed{ID: t.ID, Name: t.Name, Names: t.Names, Year: t.Year, Maker: t.Maker, Variants: len(t.Variants)}
	for _, e := range t.Editions {
		l.Editions = append(l.Editions, manifest.Edition{Store: e.Store, Ref: e.Ref})
	}
	for _, v := range t.Variants {
		l.Locations += len(v.Locations)
		if v.Store != "" && !slices.Contains(l.Stores, v.Store) {
			l.Stores = append(l.Stores, v.Store)
		}
		if v.OS != "" && !slices.Contains(l.Systems, v.OS) {
			l.Systems = append(l.Systems, v.OS)
		}
	}
	return l
}

// List gives what lists need of a title, which is short, as the database keeps it.
func List(t *manifest.Title) ([]byte, error) { return manifest.Canonical(listedOf(t)) }

// listed selects what lists need of titles t: see listedBy.
const listed = `t.found_version = t.version, CASE WHEN t.found_version = t.version THEN t.listed ELSE t.shown END`

// listedBy collects titles as lists show them. Where another version of this program has
// written a title, its short form is made here.
func listedBy(ctx context.Context, db querier, sql string, args ...any) ([]Listed, error) {
	rows, err := db.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (l Listed, err error) {
		var short bool
		var doc []byte
		if err = row.Scan(&short, &doc); err != nil {
			return l, err
		}
		if short {
			err = json.Unmarshal(doc, &l)
			return l, err
		}
		var t manifest.Title
		err = manifest.Decode(doc, &t)
		return listedOf(&t), err
	})
}

// pairs are rows of a title with two columns beside its id.
type pairs struct{ a, b []string }

func (p *pairs) add(a, b string) { p.a, p.b = append(p.a, a), append(p.b, b) }

// changes reports whether a change of a title changes rows of it.
func changes(c contribution.TitleChange, rows func(*record.Title) pairs) bool {
	if c.Before == nil {
		return true
	}
	before, after := rows(c.Before), rows(c.After)
	return !slices.Equal(before.a, after.a) || !slices.Equal(before.b, after.b)
}

// save puts into a batch that a title has its rows, where a change of it changes them.
func save(batch *pgx.Batch, c contribution.TitleChange, rows func(*record.Title) pairs, others, write string) {
	if changes(c, rows) {
		rows(c.After).queue(batch, c.After.ID, c.Before == nil, others, write)
	}
}

// queue puts into a batch that a title has these rows and no others.
func (p pairs) queue(batch *pgx.Batch, id string, isNew bool, others, write string) {
	if !isNew {
		batch.Queue(others, id, p.a, p.b)
	}
	if len(p.a) > 0 {
		batch.Queue(write, id, p.a, p.b)
	}
}

const (
	deleteNames = `DELETE FROM title_names WHERE title_id = $1
		AND (folded, plain) NOT IN (SELECT * FROM unnest($2::text[], $3::text[]))`
	insertNames = `INSERT INTO title_names (title_id, folded, plain)
		SELECT $1, f, p FROM unnest($2::text[], $3::text[]) AS n(f, p) ON CONFLICT DO NOTHING`
	deleteWords = `DELETE FROM title_words WHERE title_id = $1
		AND (rest, folded) NOT IN (SELECT * FROM unnest($2::text[], $3::text[]))`
	insertWords = `INSERT INTO title_words (title_id, rest, folded)
		SELECT $1, r, f FROM unnest($2::text[], $3::text[]) AS n(r, f) ON CONFLICT DO NOTHING`
	// Editions that another title has by now stay with it: it is written after this one.
	deleteEditions = `DELETE FROM editions WHERE title_id = $1
		AND (store, ref) NOT IN (SELECT * FROM unnest($2::text[], $3::text[]))`
	insertEditions = `INSERT INTO editions AS e (store, ref, title_id) SELECT s, r, $1 FROM unnest($2::text[], $3::text[]) AS n(s, r)
		ON CONFLICT (ref, store) DO UPDATE SET title_id = excluded.title_id WHERE e.title_id <> excluded.title_id`
)

// namesOf are a title's names, as they are compared and without punctuation.
func namesOf(t *record.Title) (names pairs) {
	names = pairs{[]string{}, []string{}}
	for _, n := range foundBy(t) {
		names.add(manifest.Fold(n), manifest.Plain(n))
	}
	return names
}

// wordsOf are a title's names from their second word on, from their third, and so on, and
// the whole names.
func wordsOf(t *record.Title) (words pairs) {
	words = pairs{[]string{}, []string{}}
	for _, n := range foundBy(t) {
		for _, r := range Words(manifest.Fold(n)) {
			words.add(r, manifest.Fold(n))
		}
	}
	return words
}

// foundBy are the names by which a title is found: none once it is merged into another.
func foundBy(t *record.Title) []string {
	if t.MergedInto != "" {
		return nil
	}
	return (&manifest.Title{Name: t.Name, Names: t.Names}).AllNames()
}

// maxWords is by how many of its words a name is found.
const maxWords = 12

// Words are a folded name from its second word on, from its third, and so on.
func Words(folded string) (rest []string) {
	for i := 0; len(rest) < maxWords-1; {
		n := strings.IndexFunc(folded[i:], func(r rune) bool { return r == ' ' || r == '-' || r == ':' || r == '(' })
		if n < 0 {
			break
		}
		if i += n + 1; i < len(folded) && folded[i] != ' ' {
			rest = append(rest, folded[i:])
		}
	}
	return rest
}

// editionsOf are the stores and references of a title's editions.
func editionsOf(t *record.Title) pairs {
	out := pairs{[]string{}, []string{}}
	for _, e := range t.Editions {
		if e.Ref != "" {
			out.add(e.Store, e.Ref)
		}
	}
	return out
}

// foundAtOnce is how many titles are made to be found in one transaction.
const foundAtOnce = 500

// findAll writes the words and short forms of titles that an earlier version of this
// program changed, which did not know of them.
func (s *Store) findAll(ctx context.Context) error {
	for more := true; more; {
		err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			docs, err := list[[]byte](ctx, tx, `SELECT doc FROM titles WHERE found_version <> version
				ORDER BY id LIMIT $1 FOR UPDATE SKIP LOCKED`, foundAtOnce)
			if err != nil {
				return err
			}
			if more = len(docs) == foundAtOnce; len(docs) == 0 {
				return nil
			}
			batch := &pgx.Batch{}
			for _, doc := range docs {
				t, err := record.Parse(doc)
				if err != nil {
					return err
				}
				published, _ := t.Published(now())
				short, err := List(&published)
				if err != nil {
					return err
				}
				wordsOf(t).queue(batch, t.ID, false, deleteWords, insertWords)
				batch.Queue(`UPDATE titles SET listed = $2, found_version = version WHERE id = $1`, t.ID, short)
			}
			return tx.SendBatch(ctx, batch).Close()
		})
		if err != nil {
			return err
		}
	}
	return nil
}
