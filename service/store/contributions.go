package store

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/standing"
)

// Contribution is what somebody submitted, and what became of it.
type Contribution struct {
	ID        int64
	By        string
	Title     string
	Body      []byte // JSON, as sent; nil in lists
	State     string // waiting, accepted, returned
	Submitted time.Time
	DecidedBy string
	Decided   *time.Time
	Because   string
	Revision  *int
}

// The reasons why a contribution cannot be added or decided.
var (
	ErrKeyReused = errors.New("the idempotency key was used for another submission")
	ErrOwn       = errors.New("nobody decides on a contribution of their own")
)

// DecidedError says that somebody was faster.
type DecidedError struct{ State, By string }

func (e *DecidedError) Error() string { return fmt.Sprintf("it was %s by %s already", e.State, e.By) }

// ConflictError says that accepting would let a location reach another title's
// files.
type ConflictError struct{ Conflicts []manifest.Conflict }

func (e *ConflictError) Error() string {
	c := e.Conflicts[0]
	return fmt.Sprintf("%s can match files of %s, which keeps its own in %s", c.At, c.TitleName, c.TitlesAt)
}

// AddContribution stores a submission. Sent again with the same key and body it
// returns the first one's number; again is then true.
func (s *Store) AddContribution(ctx context.Context, person int64, key string, digest []byte, title string, body []byte) (id int64, again bool, err error) {
	err = s.Pool.QueryRow(ctx, `INSERT INTO contributions (person_id, idempotency_key, body_digest, title, body) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (person_id, idempotency_key) DO NOTHING RETURNING id`, person, key, digest, title, body).Scan(&id)
	if !errors.Is(err, pgx.ErrNoRows) {
		return id, false, err
	}
	var old []byte
	err = s.Pool.QueryRow(ctx, `SELECT id, body_digest FROM contributions WHERE person_id = $1 AND idempotency_key = $2`, person, key).Scan(&id, &old)
	if err == nil && !bytes.Equal(old, digest) {
		return 0, false, ErrKeyReused
	}
	return id, true, err
}

const contributionColumns = `c.id, p.name AS by, c.title, c.state, c.submitted, coalesce(d.name, '') AS decidedby, c.decided, c.because, c.revision`
const contributionTables = ` FROM contributions c JOIN people p ON p.id = c.person_id LEFT JOIN people d ON d.id = c.decided_by `

// Contributions lists those in a state (any if empty) and by a person (anybody
// if 0), the oldest first for what waits and the newest first otherwise,
// starting behind the number after.
func (s *Store) Contributions(ctx context.Context, state string, person, after int64, limit int) ([]Contribution, error) {
	order, beyond := "DESC", "<"
	if state == "waiting" {
		order, beyond = "ASC", ">"
	}
	rows, err := s.Pool.Query(ctx, `SELECT `+contributionColumns+`, NULL::bytea AS body`+contributionTables+
		`WHERE ($1 = '' OR c.state = $1) AND ($2 = 0 OR c.person_id = $2) AND ($3 = 0 OR c.id `+beyond+` $3) ORDER BY c.id `+order+` LIMIT $4`, state, person, after, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Contribution])
}

// Contribution returns one whole; ErrNotFound if there is none.
func (s *Store) Contribution(ctx context.Context, id int64) (Contribution, error) {
	rows, err := s.Pool.Query(ctx, `SELECT `+contributionColumns+`, convert_to(c.body::text, 'UTF8') AS body`+contributionTables+`WHERE c.id = $1`, id)
	if err != nil {
		return Contribution{}, err
	}
	c, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Contribution])
	return c, notFound(err)
}

// decide runs what changes a waiting contribution, with its row locked.
func (s *Store) decide(ctx context.Context, id int64, reviewer Person, do func(tx pgx.Tx, by string, body []byte) error) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var author int64
		var state, by, decidedBy string
		var body []byte
		err := tx.QueryRow(ctx, `SELECT c.person_id, p.name, c.state, coalesce(d.name, ''), convert_to(c.body::text, 'UTF8')`+contributionTables+`WHERE c.id = $1 FOR UPDATE OF c`, id).
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
		_, err := tx.Exec(ctx, `UPDATE contributions SET state = 'returned', decided_by = $2, decided = now(), because = $3 WHERE id = $1`, id, reviewer.ID, because)
		return err
	})
}

// Accept adds a contribution to the manifest: the new revision is made in the
// same transaction. It returns the revision's number.
func (s *Store) Accept(ctx context.Context, id int64, reviewer Person) (revision int, err error) {
	err = s.decide(ctx, id, reviewer, func(tx pgx.Tx, by string, raw []byte) error {
		var body contribution.Body
		if err := json.Unmarshal(raw, &body); err != nil {
			return fmt.Errorf("contribution %d: %w", id, err)
		}
		if err := body.Check(); err != nil { // the rules may have become stricter since
			return err
		}
		// One revision at a time, whoever makes it.
		if _, err := tx.Exec(ctx, `SELECT pg_advisory_xact_lock($1)`, lockPublish); err != nil {
			return err
		}
		others, err := allTitles(ctx, tx)
		if err != nil {
			return err
		}
		if conflicts := manifest.Conflicts(body.Draft, others); len(conflicts) > 0 {
			return &ConflictError{conflicts}
		}
		now := time.Now().UTC().Truncate(time.Second)
		evidence := standing.Evidence{Contribution: int(id), By: by, ReviewedBy: reviewer.Name, Accepted: now, Observer: body.Footprint.Observer}
		if body.Draft.Edition != nil {
			evidence.Version = body.Draft.Edition.Version
		}
		var present *manifest.Title
		for i := range others {
			if others[i].ID == manifest.ID(body.Draft.Title) {
				present = &others[i]
			}
		}
		next, err := manifest.Apply(present, manifest.Accepted{Draft: body.Draft, Evidence: evidence})
		if err != nil {
			return err
		}
		if revision, err = publish(ctx, tx, next, now); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `UPDATE contributions SET state = 'accepted', decided_by = $2, decided = $3, revision = $4 WHERE id = $1`, id, reviewer.ID, now, revision)
		return err
	})
	return revision, err
}

// publish makes the next revision with one title changed.
func publish(ctx context.Context, tx pgx.Tx, t manifest.Title, now time.Time) (int, error) {
	var head manifest.Head
	if err := tx.QueryRow(ctx, `SELECT number + 1, digest FROM revisions ORDER BY number DESC LIMIT 1`).Scan(&head.Revision, &head.Previous); err != nil {
		return 0, err
	}
	head.Published = now
	doc, err := manifest.Canonical(t)
	if err != nil {
		return 0, err
	}
	folded := manifest.Fold(t.Name)
	if _, err := tx.Exec(ctx, `INSERT INTO titles (id, name, folded, revision, doc) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (id) DO UPDATE SET name = excluded.name, folded = excluded.folded, revision = excluded.revision, doc = excluded.doc`,
		t.ID, t.Name, folded, head.Revision, doc); err != nil {
		return 0, err
	}
	rows, err := tx.Query(ctx, `SELECT DISTINCT ON (title_id COLLATE "C") CASE WHEN title_id = $1 THEN $2 ELSE doc END
		FROM (SELECT title_id, revision, doc FROM title_versions UNION ALL SELECT $1, $3, $2) v ORDER BY title_id COLLATE "C", revision DESC`, t.ID, doc, head.Revision)
	if err != nil {
		return 0, err
	}
	docs, err := pgx.CollectRows(rows, pgx.RowTo[[]byte])
	if err != nil {
		return 0, err
	}
	body, err := manifest.Assemble(head, docs)
	if err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, `INSERT INTO revisions (number, previous, digest, published) VALUES ($1, $2, $3, $4)`, head.Revision, head.Previous, manifest.Digest(body), head.Published); err != nil {
		return 0, err
	}
	_, err = tx.Exec(ctx, `INSERT INTO title_versions (title_id, revision, name, folded, doc) VALUES ($1, $2, $3, $4, $5)`, t.ID, head.Revision, t.Name, folded, doc)
	return head.Revision, err
}
