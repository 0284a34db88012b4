package store

import (
	"context"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/place"
)

// stemsOf are those of all of a title's locations.
func stemsOf(t *manifest.Title) (all []string) {
	for _, v := range t.Variants {
		for _, l := range v.Locations {
			if at, err := place.Parse(l.At); err == nil {
				all = append(all, stemsIn(at)...)
			}
		}
	}
	slices.Sort(all)
	return slices.Compact(all)
}

// stemsIn are none where titles cannot meet: below an installation, or an account's
// folder.
func stemsIn(l place.Location) []string {
	if d, _ := place.Define(l.Anchor); !d.Shared {
		return nil
	}
	return l.Stems()
}

// stem writes the stems of titles as they are in their revisions.
func stem(ctx context.Context, tx pgx.Tx, titles ...manifest.Title) error {
	ids, stems, of := []string{}, []string{}, []string{}
	for i := range titles {
		ids = append(ids, titles[i].ID)
		for _, s := range stemsOf(&titles[i]) {
			stems, of = append(stems, s), append(of, titles[i].ID)
		}
	}
	if _, err := tx.Exec(ctx, `DELETE FROM title_stems WHERE title_id = ANY($1)`, ids); err != nil {
		return err
	}
	if _, err := tx.Exec(
		ctx, `INSERT INTO title_stems (stem, title_id) SELECT * FROM unnest($1::text[], $2::text[])`, stems, of,
	); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `UPDATE titles SET stemmed = revision WHERE id = ANY($1)`, ids)
	return err
}

// stemsAtOnce is how many titles get their stems in one transaction.
const stemsAtOnce = 1_000

// stemAll writes the stems of all titles that have none, or have those of another
// version.
func (s *Store) stemAll(ctx context.Context) error {
	err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		known, err := tx.Exec(ctx, `DELETE FROM stems_made WHERE version = $1`, place.StemsVersion)
		if err != nil {
			return err
		}
		if known.RowsAffected() == 0 {
			if _, err := tx.Exec(ctx, `UPDATE titles SET stemmed = NULL WHERE stemmed IS NOT NULL`); err != nil {
				return err
			}
		}
		_, err = tx.Exec(ctx, `WITH old AS (DELETE FROM stems_made) INSERT INTO stems_made VALUES ($1)`, place.StemsVersion)
		return err
	})
	made := 0
	for more := true; more && err == nil; {
		err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			rows, err := tx.Query(ctx, `SELECT doc FROM titles WHERE unstemmed ORDER BY id LIMIT $1 FOR UPDATE`, stemsAtOnce)
			if err != nil {
				return err
			}
			titles, err := pgx.CollectRows(rows, titleOf)
			if err != nil {
				return err
			}
			more, made = len(titles) > 0, made+len(titles)
			return stem(ctx, tx, titles...)
		})
	}
	if err == nil && made > 0 { // so that they are looked up by their index at once
		_, err = s.Pool.Exec(ctx, `ANALYZE titles, title_stems`)
	}
	return err
}

// TitlesNear gives a draft's own title, if there is one, and all whose locations its
// own could overlap; among them can be others. It does not look at every title.
func (s *Store) TitlesNear(ctx context.Context, d *draft.Draft) ([]manifest.Title, error) {
	return titlesNear(ctx, s.Pool, d)
}

func titlesNear(ctx context.Context, db querier, d *draft.Draft) ([]manifest.Title, error) {
	own, above := []string{}, []string{}
	for _, l := range d.Locations {
		at, err := l.Place()
		if err != nil {
			continue
		}
		for _, s := range stemsIn(at) {
			own = append(own, s)
			for end := strings.IndexByte(s, ':') + 1; end < len(s); end++ {
				above = append(above, s[:end])
			}
		}
	}
	slices.Sort(above)
	above = slices.Compact(above)
	// First which, then the titles: how many a range of stems gives is more than the
	// planner can guess.
	rows, err := db.Query(ctx, `SELECT $1::text COLLATE "C"
		UNION SELECT id FROM titles WHERE unstemmed
		UNION SELECT title_id FROM title_stems WHERE stem = ANY($2::text[])
		UNION SELECT s.title_id FROM unnest($3::text[]) m
			JOIN title_stems s ON s.stem >= m COLLATE "C" AND s.stem < (m || chr(127)) COLLATE "C"`, manifest.ID(d.Title), above, own)
	if err != nil {
		return nil, err
	}
	ids, err := pgx.CollectRows(rows, pgx.RowTo[string])
	if err != nil {
		return nil, err
	}
	if rows, err = db.Query(ctx, `SELECT doc FROM titles WHERE id = ANY($1) ORDER BY id`, ids); err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, titleOf)
}
