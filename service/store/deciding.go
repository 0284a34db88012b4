package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/contribution"
	"endroit/core/standing"
)

// decide runs what changes a waiting contribution, with its row locked.
func (s *Store) decide(ctx context.Context, id int64, reviewer Person, do func(tx pgx.Tx, by string, body []byte) error) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var author int64
		var state, by, decidedBy string
		var body []byte
		err := tx.QueryRow(
			ctx,
			`SELECT c.person_id, p.name, c.state, coalesce(d.name, ''), c.body`+contributionTables+`WHERE c.id = $1 FOR UPDATE OF c`,
			id,
		).
			Scan(&author, &by, &state, &decidedBy, &body)
		switch {
		case err != nil:
			return notFound(err)
		case author == reviewer.ID:
			return ErrOwn
		case state != "waiting":
			return &DecidedError{state, decidedBy}
		}
		return do(tx, by, body)
	})
}

// Return gives a contribution back with a reason.
func (s *Store) Return(ctx context.Context, id int64, reviewer Person, because string) error {
	return s.decide(ctx, id, reviewer, func(tx pgx.Tx, _ string, _ []byte) error {
		_, err := tx.Exec(
			ctx,
			`UPDATE contributions SET state = 'returned', decided_by = $2, decided = now(), because = $3 WHERE id = $1`,
			id, reviewer.ID, because,
		)
		return err
	})
}

// Accept adds a contribution to the manifest: the new revision is made in the
// same transaction. It returns the revision's number.
func (s *Store) Accept(ctx context.Context, id int64, reviewer Person) (revision int, err error) {
	err = s.decide(ctx, id, reviewer, func(tx pgx.Tx, by string, raw []byte) error {
		body, err := contribution.Parse(raw)
		if err != nil {
			return err
		}
		if err := body.Check(ctx); err != nil { // the rules may have become stricter since
			return err
		}
		// One revision at a time, whoever makes it.
		if _, err := tx.Exec(ctx, `SELECT pg_advisory_xact_lock($1)`, lockPublish); err != nil {
			return err
		}
		now := time.Now().UTC().Truncate(time.Second)
		evidence := standing.Evidence{Contribution: int(id), By: by, ReviewedBy: reviewer.Name, Accepted: now}
		next, err := accepted(ctx, tx, body, evidence)
		if err != nil {
			return err
		}
		if revision, err = publish(ctx, tx, next, now); err != nil {
			return err
		}
		_, err = tx.Exec(
			ctx,
			`UPDATE contributions SET state = 'accepted', decided_by = $2, decided = $3, revision = $4, title = $5 WHERE id = $1`,
			id, reviewer.ID, now, revision, next.name,
		)
		return err
	})
	return revision, err
}
