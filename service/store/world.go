package store

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/contribution"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/record"
)

// world is what is recorded, as contributions ask for it. One that is accepting locks what
// it reads, so that two acceptances that meet follow each other.
type world struct {
	db        querier
	now       time.Time
	accepting bool
}

// World is what is recorded, for a look at what accepting something would do.
func (s *Store) World() contribution.World { return &world{db: s.Pool, now: now()} }

// now is the time with the precision that is published.
func now() time.Time { return time.Now().UTC().Truncate(time.Second) }

// querier is a connection, a pool of them or a transaction.
type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
	QueryRow(ctx context.Context, sql string, args ...any) pgx.Row
	SendBatch(ctx context.Context, b *pgx.Batch) pgx.BatchResults
}

func (w *world) Now() time.Time { return w.now }

func (w *world) NewID() string {
	var b [8]byte
	_, _ = rand.Read(b[:]) // it never fails
	return hex.EncodeToString(b[:])
}

// Title is the record with this id, locked for changing where it is accepted to.
func (w *world) Title(ctx context.Context, id string) (*record.Title, error) {
	lock := ""
	if w.accepting {
		lock = " FOR UPDATE"
	}
	var doc []byte
	err := w.db.QueryRow(ctx, `SELECT doc FROM titles WHERE id = $1`+lock, id).Scan(&doc)
	if errors.Is(err, pgx.ErrNoRows) {
		return nil, contribution.ErrNoTitle
	}
	if err != nil {
		return nil, fmt.Errorf("read title %s: %w", id, err)
	}
	return record.Parse(doc)
}

// ask sends a batch, and before it a lock that is held until the end of the transaction,
// so that of two acceptances that would not see each other's change one waits. Each
// statement of a batch sees what was committed before it, and so before the lock was had.
func (w *world) ask(ctx context.Context, lock string, args []any, questions func(*pgx.Batch)) error {
	batch := &pgx.Batch{}
	if w.accepting {
		batch.Queue(lock, args...)
	}
	questions(batch)
	return w.db.SendBatch(ctx, batch).Close()
}

// lockOf locks what somebody calls by a text.
const lockOf = `SELECT pg_advisory_xact_lock($1, hashtext($2))`

// collect gathers the rows of a batch's query.
func collect[T any](q *pgx.QueuedQuery, into *[]T, row pgx.RowToFunc[T]) {
	q.Query(func(rows pgx.Rows) (err error) {
		*into, err = pgx.CollectRows(rows, row)
		return err
	})
}

func (w *world) Sold(ctx context.Context, store, ref string) (ids []string, err error) {
	err = w.ask(ctx, lockOf, []any{lockEdition, store + "\n" + ref}, func(b *pgx.Batch) {
		collect(b.Queue(`SELECT title_id FROM editions WHERE ref = $1 AND store = $2`, ref, store), &ids, pgx.RowTo)
	})
	return ids, err
}

func (w *world) Named(ctx context.Context, name string) (ids []string, err error) {
	plain := manifest.Plain(name)
	var like []string
	err = w.ask(ctx, lockOf, []any{lockName, plain}, func(b *pgx.Batch) {
		collect(b.Queue(`SELECT title_id FROM title_names WHERE folded = $1 ORDER BY title_id`, manifest.Fold(name)), &ids, pgx.RowTo)
		if plain != "" {
			collect(b.Queue(`SELECT DISTINCT title_id FROM title_names WHERE plain = $1 ORDER BY title_id LIMIT 20`, plain), &like, pgx.RowTo)
		}
	})
	if len(ids) == 0 {
		ids = like
	}
	return ids, err
}

// Sheets are those that are recorded; nobody saves one meanwhile: see saveSheet.
func (w *world) Sheets(ctx context.Context) (all []record.Sheet, err error) {
	err = w.ask(ctx, `SELECT pg_advisory_xact_lock_shared($1, 0)`, []any{lockSheets}, func(b *pgx.Batch) {
		collect(b.Queue(`SELECT doc FROM sheets ORDER BY id`), &all, func(row pgx.CollectableRow) (record.Sheet, error) {
			var doc []byte
			if err := row.Scan(&doc); err != nil {
				return record.Sheet{}, err
			}
			s, err := record.ParseSheet(doc)
			if err != nil {
				return record.Sheet{}, err
			}
			return *s, nil
		})
	})
	return all, err
}

func (w *world) Footprint(ctx context.Context, id int64) (*footprint.Footprint, error) {
	var raw []byte
	var state string
	err := w.db.QueryRow(
		ctx, `SELECT b.body, c.state FROM bodies b JOIN contributions c ON c.id = b.contribution_id WHERE c.id = $1`, id,
	).Scan(&raw, &state)
	if errors.Is(err, pgx.ErrNoRows) || err == nil && state != "accepted" {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("read contribution %d: %w", id, err)
	}
	said, err := corrections(ctx, w.db, id)
	if err != nil {
		return nil, err
	}
	body, err := parse(id, raw, "", said)
	if err != nil {
		return nil, err
	}
	return body.Evidence(), nil
}

// parse reads a contribution as it is stored, with what people said of its files applied:
// first what its sender did, whose name is given.
func parse(id int64, raw []byte, by string, said []footprint.Correction) (contribution.Body, error) {
	text, err := manifest.Expand(raw, contribution.MaxBytes)
	if err != nil {
		return nil, fmt.Errorf("contribution %d as it is stored: %v", id, err) // not the caller's mistake
	}
	body, err := contribution.Parse(text)
	if err != nil {
		return nil, fmt.Errorf("contribution %d as it is stored: %v", id, err)
	}
	if f := body.Evidence(); f != nil {
		for i := range f.Corrections {
			f.Corrections[i].By = by
		}
		f.Explain()
		if err := f.Correct(said); err != nil {
			return nil, err
		}
	}
	return body, nil
}

// list collects the rows of a query with one column.
func list[T any](ctx context.Context, db querier, sql string, args ...any) ([]T, error) {
	rows, err := db.Query(ctx, sql, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[T])
}
