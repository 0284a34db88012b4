package store

import (
	"context"
	"maps"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"

	"endroit/core/manifest"
	"endroit/core/place"
)

// stemsOf are those of all of a title's locations that keep others out.
func stemsOf(t *manifest.Title) (all []string) {
	for _, v := range t.Variants {
		for _, l := range v.Locations {
			if at, err := place.Parse(l.At); err == nil && l.Standing.Counted() {
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

// stem puts into a batch that titles get their stems.
func stem(batch *pgx.Batch, titles ...manifest.Title) {
	ids, stems, of := []string{}, []string{}, []string{}
	for i := range titles {
		ids = append(ids, titles[i].ID)
		for _, s := range stemsOf(&titles[i]) {
			stems, of = append(stems, s), append(of, titles[i].ID)
		}
	}
	batch.Queue(`DELETE FROM title_stems WHERE title_id = ANY($1)
		AND (stem, title_id) NOT IN (SELECT * FROM unnest($2::text[], $3::text[]))`, ids, stems, of)
	batch.Queue(`INSERT INTO title_stems (stem, title_id) SELECT * FROM unnest($1::text[], $2::text[]) ON CONFLICT DO NOTHING`, stems, of)
}

// stemsAtOnce is how many titles get their stems in one transaction.
const stemsAtOnce = 1_000

// stemAll writes the stems of all titles that have those of another version.
func (s *Store) stemAll(ctx context.Context) error {
	made := 0
	var err error
	for more := true; more && err == nil; {
		err = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			titles, err := titlesBy(
				ctx, tx, `SELECT shown FROM titles WHERE stems_version < $1 ORDER BY id LIMIT $2 FOR UPDATE`, place.StemsVersion, stemsAtOnce,
			)
			if err != nil {
				return err
			}
			batch := &pgx.Batch{}
			stem(batch, titles...)
			ids := make([]string, len(titles))
			for i := range titles {
				ids[i] = titles[i].ID
			}
			more, made = len(titles) > 0, made+len(titles)
			batch.Queue(`UPDATE titles SET stems_version = $2 WHERE id = ANY($1)`, ids, place.StemsVersion)
			return tx.SendBatch(ctx, batch).Close()
		})
	}
	if err == nil && made > 0 { // so that they are looked up by their index at once
		_, err = s.Pool.Exec(ctx, `ANALYZE titles, title_stems`)
	}
	return err
}

// Near gives the titles whose locations could overlap these; among them can be others. It
// does not look at every title. An acceptance waits here for those before it that could
// overlap it, so that two titles do not take one place at a time.
func (w *world) Near(ctx context.Context, locations []string) ([]manifest.Title, error) {
	own, above := []string{}, []string{}
	for _, text := range locations {
		at, err := place.Parse(text)
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
	if len(own) == 0 {
		return nil, nil
	}
	slices.Sort(above)
	above = slices.Compact(above)
	// First which, then the titles: how many a range of stems gives is more than the
	// planner can guess.
	var ids, below []string
	err := w.ask(ctx, lockFolders, foldersOf(own), func(b *pgx.Batch) {
		collect(b.Queue(`SELECT title_id FROM title_stems WHERE stem = ANY($1::text[])`, above), &ids, pgx.RowTo)
		collect(b.Queue(`SELECT s.title_id FROM unnest($1::text[]) m
			JOIN title_stems s ON s.stem >= m COLLATE "C" AND s.stem < (m || chr(127)) COLLATE "C"`, own), &below, pgx.RowTo)
	})
	if ids = append(ids, below...); err != nil || len(ids) == 0 {
		return nil, err
	}
	return titlesBy(ctx, w.db, `SELECT shown FROM titles WHERE id = ANY($1) ORDER BY id`, ids)
}

// maxOccupied bounds how many locks one acceptance takes for its places.
const maxOccupied = 64

// occupied are the folders to lock for stems, sorted, and of each whether for this
// acceptance alone: the last whole folder of a stem is, those above it are shared. So
// acceptances meet exactly if a stem of one begins a stem of the other, or nearly.
func occupied(stems []string) (folders []string, alone []bool) {
	locks := map[string]bool{}
	for _, s := range stems {
		last := max(strings.LastIndexByte(s, '/'), strings.IndexByte(s, ':'))
		for end, c := range []byte(s[:last]) {
			if c == '/' || c == ':' {
				locks[s[:end+1]] = locks[s[:end+1]] || false
			}
		}
		locks[s[:last+1]] = true
	}
	if len(locks) > maxOccupied { // the anchors alone
		locks = map[string]bool{}
		for _, s := range stems {
			locks[s[:strings.IndexByte(s, ':')+1]] = true
		}
	}
	folders = slices.Sorted(maps.Keys(locks))
	for _, f := range folders {
		alone = append(alone, locks[f])
	}
	return folders, alone
}

// foldersOf are what lockFolders needs for stems.
func foldersOf(stems []string) []any {
	folders, alone := occupied(stems)
	return []any{lockPlaces, folders, alone}
}

// lockFolders waits for acceptances whose places could overlap.
const lockFolders = `SELECT CASE WHEN alone THEN pg_advisory_xact_lock($1, hashtext(folder))
	ELSE pg_advisory_xact_lock_shared($1, hashtext(folder)) END FROM unnest($2::text[], $3::bool[]) AS f(folder, alone)`

// titlesBy collects titles as they are published.
func titlesBy(ctx context.Context, db querier, sql string, args ...any) ([]manifest.Title, error) {
	rows, err := db.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, func(row pgx.CollectableRow) (t manifest.Title, err error) {
		var doc []byte
		if err = row.Scan(&doc); err == nil {
			err = manifest.Decode(doc, &t)
		}
		return t, err
	})
}
