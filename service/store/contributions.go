package store

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/manifest"
	"endroit/core/sheet"
)

// Contribution is what somebody submitted, and what became of it.
type Contribution struct {
	ID        int64
	Kind      string // draft or sheet
	By        string
	Title     string // or the launcher's name
	Body      []byte // canonical JSON; nil in lists
	State     string // waiting, accepted, returned
	Submitted time.Time
	DecidedBy string
	Decided   *time.Time
	Because   string
	Revision  *int
}

// MaxWaiting is how many contributions of one person can wait at a time.
const MaxWaiting = 100

// The reasons why a contribution cannot be added or decided.
var (
	ErrKeyReused = errors.New("the idempotency key was used for another submission")
	ErrFull      = errors.New("the contribution has the maximum number of corrections")
	ErrWaiting   = fmt.Errorf("%d of your contributions are waiting; a reviewer has to decide on some first", MaxWaiting)
	ErrOwn       = errors.New("reviewers cannot decide on their own contributions")
)

// DecidedError says that the contribution was decided already.
type DecidedError struct{ State, By string }

func (e *DecidedError) Error() string { return fmt.Sprintf("it was %s by %s already", e.State, e.By) }

// ConflictError says that accepting would let a location reach another title's
// files.
type ConflictError struct{ Conflicts []manifest.Conflict }

func (e *ConflictError) Error() string {
	c := e.Conflicts[0]
	return fmt.Sprintf("%s can match files of %s, which keeps its own in %s", c.At, c.TitleName, c.TitlesAt)
}

// ClashError says that a sheet cannot stand beside the others.
type ClashError struct{ Clashes []sheet.Clash }

func (e *ClashError) Error() string { return e.Clashes[0].Reason }

// AddContribution stores a submission. Sent again with the same key and body it
// returns the first one's number; again is then true.
func (s *Store) AddContribution(
	ctx context.Context, person int64, key string, digest []byte, kind, title string, body []byte,
) (id int64, again bool, err error) {
	err = s.Pool.QueryRow(
		ctx,
		`INSERT INTO contributions (person_id, idempotency_key, body_digest, kind, title, body) SELECT $1, $2, $3, $4, $5, $6
		WHERE (SELECT count(*) FROM contributions WHERE person_id = $1 AND state = 'waiting') < $7
		ON CONFLICT (person_id, idempotency_key) DO NOTHING RETURNING id`,
		person,
		key,
		digest,
		kind,
		title,
		body,
		MaxWaiting,
	).Scan(&id)
	if !errors.Is(err, pgx.ErrNoRows) {
		return id, false, err
	}
	id, again, err = s.Submitted(ctx, person, key, digest)
	if err == nil && !again {
		err = ErrWaiting
	}
	return id, again, err
}

// Submitted finds what somebody has sent under a key; again is false if it is nothing.
func (s *Store) Submitted(ctx context.Context, person int64, key string, digest []byte) (id int64, again bool, err error) {
	var old []byte
	err = s.Pool.QueryRow(
		ctx, `SELECT id, body_digest FROM contributions WHERE person_id = $1 AND idempotency_key = $2`, person,
		key,
	).Scan(&id, &old)
	switch {
	case errors.Is(err, pgx.ErrNoRows):
		return 0, false, nil
	case err == nil && !bytes.Equal(old, digest):
		return 0, false, ErrKeyReused
	}
	return id, err == nil, err
}

const contributionColumns = `c.id, c.kind, p.name AS by, c.title, c.state, c.submitted, coalesce(d.name, '') AS decidedby, c.decided, c.because, c.revision`
const contributionTables = ` FROM contributions c JOIN people p ON p.id = c.person_id LEFT JOIN people d ON d.id = c.decided_by `
