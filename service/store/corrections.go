package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/footprint"
)

// maxCorrections is how many corrections a contribution takes, and maxOfOne how many of
// them from one person: nobody uses up another's.
const (
	maxCorrections = 5000
	maxOfOne       = 500
)

// selectCorrections gives what people said of a contribution's files, in the order in which
// they said it.
const selectCorrections = `SELECT c.file, c.kind, CASE WHEN p.forgotten IS NULL THEN p.name ELSE 'somebody' END, c.because, c.made
	FROM corrections c JOIN people p ON p.id = c.person_id
	WHERE c.contribution_id = $1 ORDER BY c.id`

func rowToCorrection(row pgx.CollectableRow) (c footprint.Correction, err error) {
	var made time.Time
	err = row.Scan(&c.File, &c.Kind, &c.By, &c.Because, &made)
	c.Made = made.UTC().Truncate(time.Second)
	return c, err
}

// corrections are what people said of a contribution's files.
func corrections(ctx context.Context, db querier, contribution int64) ([]footprint.Correction, error) {
	rows, err := db.Query(ctx, selectCorrections, contribution)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, rowToCorrection)
}

// AddCorrection keeps one, of a contribution that waits. The error is a *DecidedError for
// one that was decided, and ErrFull where there are too many.
func (s *Store) AddCorrection(ctx context.Context, contribution, person int64, c footprint.Correction) error {
	return s.change(ctx, func(tx pgx.Tx) error {
		var state, by string
		var n, ofOne int
		if err := tx.QueryRow(
			ctx, `SELECT c.state, coalesce(d.name, '')`+contributionTables+`WHERE c.id = $1 FOR UPDATE OF c`,
			contribution,
		).Scan(&state, &by); err != nil {
			return notFound(err)
		}
		if state != "waiting" {
			return &DecidedError{state, by}
		}
		if err := tx.QueryRow(
			ctx,
			`SELECT count(*), count(*) FILTER (WHERE person_id = $2) FROM corrections WHERE contribution_id = $1`,
			contribution, person,
		).Scan(&n, &ofOne); err != nil {
			return err
		}
		if n >= maxCorrections || ofOne >= maxOfOne {
			return ErrFull
		}
		_, err := tx.Exec(
			ctx,
			`INSERT INTO corrections (contribution_id, person_id, file, kind, because) VALUES ($1, $2, $3, $4, $5)`,
			contribution, person, c.File, string(c.Kind), c.Because,
		)
		return err
	})
}
