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
	FROM revisions r LEFT JOIN contributions c ON c.revision = r.number LEFT JOIN title_versions v ON v.revision = r.number LEFT JOIN sheet_versions s ON s.revision = r.number `

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
	body, err := manifest.Assemble(manifest.Head{Revision: r.Number, Previous: r.Previous, Published: r.Published.UTC()}, sheets, titles)
	if err != nil {
		return nil, err
	}
	if got := manifest.Digest(body); got != r.Digest {
		return nil, fmt.Errorf("revision %d does not have its digest any more (%s, now %s): the database was changed by hand", r.Number, r.Digest, got)
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
	rows, err := db.Query(ctx, `SELECT DISTINCT ON (sheet_id COLLATE "C") doc FROM sheet_versions ORDER BY sheet_id COLLATE "C", revision DESC`)
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

// Search finds titles whose folded name holds the text or comes close, the best
// first; all by name if the text is empty. It starts behind offset.
func (s *Store) Search(ctx context.Context, text string, offset, limit int) ([]manifest.Title, error) {
	folded := manifest.Fold(text)
	rows, err := s.Pool.Query(ctx, `SELECT doc FROM titles WHERE $1 = '' OR strpos(folded, $1) > 0 OR $1 <% folded
		ORDER BY (folded = $1) DESC, starts_with(folded, $1) DESC, word_similarity($1, folded) DESC, folded, id OFFSET $2 LIMIT $3`, folded, offset, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, titleOf)
}
