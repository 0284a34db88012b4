package store

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/manifest"
	"endroit/core/sheet"
)

// Revision is a published state of the manifest, without its titles.
type Revision struct {
	Number       int
	Previous     string
	Digest       string
	Published    time.Time
	Contribution *int64
	Title        *string
	TitleID      *string
	Sheet        *string // the launcher's name
	SheetID      *string
}

const revisionSelect = `SELECT r.number, r.previous, r.digest, r.published, c.id AS contribution, v.name AS title, v.title_id AS titleid, s.name AS sheet, s.sheet_id AS sheetid
	FROM revisions r LEFT JOIN contributions c ON c.revision = r.number
		LEFT JOIN title_versions v ON v.revision = r.number LEFT JOIN sheet_versions s ON s.revision = r.number `

// Revisions lists the newest first, starting behind the number before (-1: at
// the newest).
func (s *Store) Revisions(ctx context.Context, before, limit int) ([]Revision, error) {
	rows, err := s.Pool.Query(ctx, revisionSelect+`WHERE $1 < 0 OR r.number < $1 ORDER BY r.number DESC LIMIT $2`, before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Revision])
}

// Revision returns one, the newest for -1; ErrNotFound if there is none.
func (s *Store) Revision(ctx context.Context, number int) (Revision, error) {
	rows, err := s.Pool.Query(ctx, revisionSelect+`WHERE $1 < 0 OR r.number = $1 ORDER BY r.number DESC LIMIT 1`, number)
	if err != nil {
		return Revision{}, err
	}
	r, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Revision])
	return r, notFound(err)
}

// RevisionBody puts a revision's bytes together and checks them against its
// digest.
func (s *Store) RevisionBody(ctx context.Context, r Revision) ([]byte, error) {
	sheets, err := newest(ctx, s.Pool, version{table: "sheet_versions", column: "sheet_id"}, r.Number)
	if err != nil {
		return nil, err
	}
	titles, err := newest(ctx, s.Pool, version{table: "title_versions", column: "title_id"}, r.Number)
	if err != nil {
		return nil, err
	}
	body, err := manifest.Assemble(
		manifest.Head{Revision: r.Number, Previous: r.Previous, Published: r.Published.UTC()}, sheets, titles,
	)
	if err != nil {
		return nil, err
	}
	if got := manifest.Digest(body); got != r.Digest {
		return nil, fmt.Errorf(
			"revision %d does not have its digest any more (%s, now %s): the database was changed by hand",
			r.Number, r.Digest, got,
		)
	}
	return body, nil
}

// titleOf reads a title from its document.
func titleOf(row pgx.CollectableRow) (t manifest.Title, err error) {
	var doc []byte
	if err = row.Scan(&doc); err == nil {
		err = json.Unmarshal(doc, &t)
	}
	return t, err
}

// allSheets is every launcher's sheet as it is now, by id.
func allSheets(ctx context.Context, db querier) ([]manifest.Sheet, error) {
	rows, err := db.Query(
		ctx,
		`SELECT DISTINCT ON (sheet_id COLLATE "C") doc FROM sheet_versions ORDER BY sheet_id COLLATE "C", revision DESC`,
	)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (s manifest.Sheet, err error) {
		var doc []byte
		if err = row.Scan(&doc); err == nil {
			err = json.Unmarshal(doc, &s)
		}
		return s, err
	})
}

// Sheets is every launcher's sheet as it is now, by id.
func (s *Store) Sheets(ctx context.Context) ([]manifest.Sheet, error) {
	return allSheets(ctx, s.Pool)
}

// ClashesWith is what keeps a sheet from standing beside those that are there.
func ClashesWith(s *sheet.Sheet, all []manifest.Sheet) []sheet.Clash {
	return sheet.Clashes(s, Readable(all))
}

// Readable are the sheets that this version reads.
func Readable(all []manifest.Sheet) (read []*sheet.Sheet) {
	for _, x := range all {
		if s, err := x.Read(); err == nil {
			read = append(read, s)
		}
	}
	return read
}

// Title returns a title as it is now; ErrNotFound if there is none.
func (s *Store) Title(ctx context.Context, id string) (manifest.Title, error) {
	var doc []byte
	var t manifest.Title
	if err := s.Pool.QueryRow(ctx, `SELECT doc FROM titles WHERE id = $1`, id).Scan(&doc); err != nil {
		return t, notFound(err)
	}
	return t, json.Unmarshal(doc, &t)
}

// Reference is a store's own number or word for a title. An empty store is any.
type Reference struct{ Store, Ref string }

// Search finds titles whose folded name holds the text or comes close, and those that
// have the reference, the best first; all by name if both are empty. It starts behind
// offset.
func (s *Store) Search(ctx context.Context, text string, sold Reference, offset, limit int) ([]manifest.Title, error) {
	rows, err := s.Pool.Query(
		ctx,
		`SELECT doc FROM titles, LATERAL (SELECT $2 <> '' AND jsonb_path_query_array(doc, '$.variants[*].ref') ? $2
			AND ($3 = '' OR doc @> jsonb_build_object('variants', jsonb_build_array(jsonb_build_object('store', $3::text, 'ref', $2::text)))) AS sold) AS x
		WHERE $1 = '' AND $2 = '' OR $1 <> '' AND (strpos(folded, $1) > 0 OR $1 <% folded) OR sold
		ORDER BY (folded = $1) DESC, sold DESC, starts_with(folded, $1) DESC, word_similarity($1, folded) DESC, folded, id
		OFFSET $4 LIMIT $5`,
		manifest.Fold(text),
		sold.Ref,
		sold.Store,
		offset,
		limit,
	)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, titleOf)
}

// Similar finds the titles whose names are a few letters from the text, the closest
// first, at most five. It reads every name: it is for what Search does not find.
func (s *Store) Similar(ctx context.Context, text string) ([]manifest.Title, error) {
	rows, err := s.Pool.Query(ctx, `SELECT name, folded FROM titles ORDER BY id`)
	if err != nil {
		return nil, err
	}
	near := manifest.NewNearest(text)
	var name, folded string
	if _, err = pgx.ForEachRow(rows, []any{&name, &folded}, func() error { near.Add(name, folded); return nil }); err != nil {
		return nil, err
	}
	names := near.Names()
	if rows, err = s.Pool.Query(
		ctx, `SELECT doc FROM titles WHERE name = ANY($1) ORDER BY array_position($1, name)`, names,
	); err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, titleOf)
}
