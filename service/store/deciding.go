package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"endroit/core/contribution"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/standing"
)

// undecided is a contribution that waits, with its row locked.
type undecided struct {
	author string // opaque
	body   []byte // as it is stored; nil if it was moved away
	said   []footprint.Correction
}

// decide runs what changes a waiting contribution.
func (s *Store) decide(ctx context.Context, id int64, reviewer Person, do func(tx pgx.Tx, x undecided) error) error {
	var author int64
	var state, decidedBy string
	var x undecided
	ask := func(b *pgx.Batch) {
		x = undecided{}
		b.Queue(
			`SELECT c.person_id, p.opaque, c.state, coalesce(d.name, ''), b.body`+contributionTables+
				`LEFT JOIN bodies b ON b.contribution_id = c.id WHERE c.id = $1 FOR UPDATE OF c`, id,
		).QueryRow(func(row pgx.Row) error {
			return notFound(row.Scan(&author, &x.author, &state, &decidedBy, &x.body))
		})
		collect(b.Queue(selectCorrections, id), &x.said, rowToCorrection)
	}
	return s.changeAfter(ctx, ask, func(tx pgx.Tx) error {
		switch {
		case author == reviewer.ID:
			return ErrOwn
		case state != "waiting":
			return &DecidedError{state, decidedBy}
		}
		return do(tx, x)
	})
}

// unlessZero is a time for the database, null for none.
func unlessZero(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

// maxTries is how often a change is made that met another one in a circle.
const maxTries = 5

// change runs a transaction that writes, if this program may, again where it and another
// one waited for each other.
func (s *Store) change(ctx context.Context, do func(tx pgx.Tx) error) error {
	return s.changeAfter(ctx, func(*pgx.Batch) {}, do)
}

// changeAfter is a change that asks something at first, in the round trip that it makes
// anyway.
func (s *Store) changeAfter(ctx context.Context, ask func(*pgx.Batch), do func(tx pgx.Tx) error) error {
	for try := 1; ; try++ {
		err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			batch := &pgx.Batch{}
			mayWrite(batch)
			ask(batch)
			if err := tx.SendBatch(ctx, batch).Close(); err != nil {
				return err
			}
			return do(tx)
		})
		var p *pgconn.PgError
		if try < maxTries && errors.As(err, &p) && (p.Code == "40P01" || p.Code == "40001") {
			continue
		}
		return err
	}
}

// Return gives a contribution back with a reason.
func (s *Store) Return(ctx context.Context, id int64, reviewer Person, because string) error {
	return s.decide(ctx, id, reviewer, func(tx pgx.Tx, _ undecided) error {
		_, err := tx.Exec(
			ctx,
			`UPDATE contributions SET state = 'returned', decided_by = $2, decided = now(), because = $3 WHERE id = $1`,
			id, reviewer.ID, because,
		)
		return err
	})
}

// Accept makes a contribution part of the record. It is published soon after, by whichever
// process does that.
func (s *Store) Accept(ctx context.Context, id int64, reviewer Person) error {
	err := s.decide(ctx, id, reviewer, func(tx pgx.Tx, x undecided) error {
		if x.body == nil {
			return ErrMovedAway
		}
		body, err := parse(id, x.body, "", x.said)
		if err != nil {
			return err
		}
		w := &world{db: tx, now: now(), accepting: true}
		outcome, err := body.Apply(ctx, w, standing.Evidence{
			Contribution: id, Person: x.author, Reviewer: reviewer.Opaque, Accepted: w.now,
		})
		if err == nil {
			err = Stands(outcome)
		}
		if err != nil {
			return err
		}
		name, batch := body.About().Title, &pgx.Batch{}
		for i, c := range outcome.Titles {
			if err := saveTitle(batch, c, id, w); err != nil {
				return err
			}
			if i == 0 {
				name = c.Name()
			}
		}
		if outcome.Sheet != nil {
			if err := saveSheet(ctx, tx, outcome.Sheet.After, id, w); err != nil {
				return err
			}
		}
		batch.Queue(
			`UPDATE contributions SET state = 'accepted', decided_by = $2, decided = $3, title = $4, title_id = $5 WHERE id = $1`,
			id, reviewer.ID, w.now, name, outcome.Subject(),
		)
		return tx.SendBatch(ctx, batch).Close()
	})
	if err == nil {
		s.tell()
	}
	return err
}

// tellAfter is how long acceptances are gathered that are told to the publisher together.
const tellAfter = 30 * time.Millisecond

// tell wakes the process that publishes. It has a transaction of its own, for many
// acceptances: transactions that notify are committed one after another, each with its own
// fsync, and this one needs none. If it is lost, the publisher looks by itself before long.
func (s *Store) tell() {
	if !s.telling.CompareAndSwap(false, true) {
		return
	}
	s.tellers.Go(func() {
		time.Sleep(tellAfter)
		s.telling.Store(false)
		ctx, cancel := context.WithTimeout(context.Background(), lookEvery)
		defer cancel()
		_ = pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			batch := &pgx.Batch{}
			batch.Queue(`SET LOCAL synchronous_commit = off`)
			batch.Queue(`SELECT pg_notify($1, '')`, channel)
			return tx.SendBatch(ctx, batch).Close()
		})
	})
}

// Made gives the titles before and after a contribution that was accepted.
func (s *Store) Made(ctx context.Context, id int64) (*contribution.Outcome, error) {
	rows, err := s.Pool.Query(ctx, `SELECT title_id, version FROM title_versions WHERE contribution_id = $1 ORDER BY title_id`, id)
	if err != nil {
		return nil, err
	}
	type at struct {
		ID      string
		Version int
	}
	all, err := pgx.CollectRows(rows, pgx.RowToStructByPos[at])
	if err != nil {
		return nil, err
	}
	out := &contribution.Outcome{}
	for _, x := range all {
		var c contribution.TitleChange
		if c.Before, err = s.Version(ctx, x.ID, x.Version-1); err == nil {
			c.After, err = s.Version(ctx, x.ID, x.Version)
		}
		if err != nil {
			return nil, err
		}
		out.Titles = append(out.Titles, c)
	}
	return out, nil
}

// saveTitle puts into a batch that one title is written as it is afterwards, with its
// version and all by which it is found. Rows that stay the same are not touched.
func saveTitle(batch *pgx.Batch, c contribution.TitleChange, id int64, w *world) error {
	t := c.After
	doc, err := t.Encode()
	if err != nil {
		return err
	}
	published, until := t.Published(w.now)
	if err := published.Check(); err != nil {
		return fmt.Errorf("title %s: %w", t.ID, err)
	}
	shown, err := manifest.Canonical(published)
	if err != nil {
		return err
	}
	if len(shown) > manifest.MaxTitle {
		return &contribution.Error{Field: "", Reason: fmt.Sprintf("%s would have more than %d bytes in the manifest", t.Name, manifest.MaxTitle)}
	}
	short, err := List(&published)
	if err != nil {
		return err
	}
	var into any
	if t.MergedInto != "" {
		into = t.MergedInto
	}
	wordsChange := changes(c, wordsOf)
	batch.Queue(`INSERT INTO titles AS t
			(id, name, folded, merged_into, version, doc, shown, shown_until, stems_version, listed, found_version)
		VALUES ($1, $2, $3, $4, 1, $5, $6, $7, $8, $9, 1)
		ON CONFLICT (id) DO UPDATE SET name = excluded.name, folded = excluded.folded, merged_into = excluded.merged_into,
			version = t.version + 1, doc = excluded.doc, shown = excluded.shown, shown_until = excluded.shown_until,
			stems_version = excluded.stems_version, listed = excluded.listed,
			found_version = CASE WHEN $10 OR t.found_version = t.version THEN t.version + 1 ELSE t.found_version END
		RETURNING version`,
		t.ID, t.Name, manifest.Fold(t.Name), into, doc, shown, unlessZero(until), place.StemsVersion, short, wordsChange,
	).QueryRow(func(row pgx.Row) error {
		var version int
		if err := row.Scan(&version); err != nil {
			return err
		}
		if (version == 1) != (c.Before == nil) {
			return fmt.Errorf("title %s was changed by somebody else", t.ID)
		}
		return nil
	})
	batch.Queue(
		`INSERT INTO title_versions (title_id, version, contribution_id, accepted, doc) SELECT id, version, $2, $3, $4 FROM titles WHERE id = $1`,
		t.ID, id, w.now, manifest.Compress(doc),
	)
	save(batch, c, namesOf, deleteNames, insertNames)
	save(batch, c, editionsOf, deleteEditions, insertEditions)
	save(batch, c, wordsOf, deleteWords, insertWords)
	var stemsBefore []string
	if c.Before != nil {
		was, _ := c.Before.Published(w.now)
		stemsBefore = stemsOf(&was)
	}
	if c.Before == nil || !slices.Equal(stemsBefore, stemsOf(&published)) {
		stem(batch, published)
	}
	return nil
}

func saveSheet(ctx context.Context, tx pgx.Tx, s *record.Sheet, id int64, w *world) error {
	if _, err := tx.Exec(ctx, `SELECT pg_advisory_xact_lock($1, 0)`, lockSheets); err != nil {
		return err
	}
	doc, err := s.Encode()
	if err != nil {
		return err
	}
	read, err := s.Read()
	if err != nil {
		return err
	}
	var version int
	if err := tx.QueryRow(ctx, `INSERT INTO sheets AS s (id, name, version, doc) VALUES ($1, $2, 1, $3)
		ON CONFLICT (id) DO UPDATE SET name = excluded.name, version = s.version + 1, doc = excluded.doc RETURNING version`,
		s.ID, read.Name, doc).Scan(&version); err != nil {
		return err
	}
	_, err = tx.Exec(
		ctx, `INSERT INTO sheet_versions (sheet_id, version, contribution_id, accepted, doc) VALUES ($1, $2, $3, $4, $5)`,
		s.ID, version, id, w.now, manifest.Compress(doc),
	)
	return err
}
