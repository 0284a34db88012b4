package store

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/sheet"
)

// Contribution is what somebody submitted, and what became of it.
type Contribution struct {
	ID        int64
	Kind      string
	By        string
	Opaque    string // the contributor's id in records
	Title     string // or the launcher's name
	TitleID   string // empty until it is known
	Store     string
	Ref       string
	System    string
	Statement string
	State     string // waiting, accepted, returned
	Submitted time.Time
	DecidedBy string
	Decided   *time.Time
	Because   string
	Revision  *int // the first that has it; nil until it is published
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

// Stands is nil if nothing keeps the outcome from being accepted.
func Stands(o *contribution.Outcome) error {
	if len(o.Conflicts) > 0 {
		return &ConflictError{o.Conflicts}
	}
	if len(o.Clashes) > 0 {
		return &ClashError{o.Clashes}
	}
	return nil
}

// AddContribution stores a submission, raw as it was sent, with what accepting it would do. Sent again with the same key and
// body it returns the first one's number; again is then true.
func (s *Store) AddContribution(
	ctx context.Context, person int64, key string, digest, raw []byte, body contribution.Body, outcome *contribution.Outcome,
) (id int64, again bool, err error) {
	about := body.About()
	if len(outcome.Titles) > 0 { // under the name that it would be published by
		about.Title = outcome.Titles[0].Name()
		if outcome.Titles[0].Before != nil {
			about.TitleID = outcome.Subject()
		}
	}
	err = s.change(ctx, func(tx pgx.Tx) error {
		// The person's row is locked, so that two submissions at once follow each other.
		var waiting int
		if _, err := tx.Exec(ctx, `SELECT 1 FROM people WHERE id = $1 FOR UPDATE`, person); err != nil {
			return err
		}
		if id, again, err = submitted(ctx, tx, person, key, digest); err != nil || again {
			return err
		}
		if err := tx.QueryRow(
			ctx, `SELECT count(*) FROM contributions WHERE person_id = $1 AND state = 'waiting'`, person,
		).Scan(&waiting); err != nil {
			return err
		}
		if waiting >= MaxWaiting {
			return ErrWaiting
		}
		if err := tx.QueryRow(ctx, `UPDATE counters SET last = last + 1 WHERE name = 'contribution' RETURNING last`).Scan(&id); err != nil {
			return err
		}
		if _, err := tx.Exec(
			ctx,
			`INSERT INTO contributions (id, person_id, idempotency_key, body_digest, kind, title, title_id, store, ref, system, statement)
				VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11)`,
			id, person, key, digest, body.Kind(), about.Title, about.TitleID, about.Store, about.Ref, about.System, body.Statement(),
		); err != nil {
			return err
		}
		_, err := tx.Exec(ctx, `INSERT INTO bodies (contribution_id, body) VALUES ($1, $2)`, id, manifest.Compress(raw))
		return err
	})
	return id, again, err
}

// Submitted finds what somebody has sent under a key; again is false if it is nothing.
func (s *Store) Submitted(ctx context.Context, person int64, key string, digest []byte) (id int64, again bool, err error) {
	return submitted(ctx, s.Pool, person, key, digest)
}

func submitted(ctx context.Context, db querier, person int64, key string, digest []byte) (id int64, again bool, err error) {
	var old []byte
	err = db.QueryRow(
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

// partSize is how many contributions' bodies lie in one part of their table.
const partSize = 250_000

// EnsureParts makes the parts of the table of bodies that are needed next, where that can
// be done without waiting.
func (s *Store) EnsureParts(ctx context.Context) error {
	var last int64
	if err := s.Pool.QueryRow(ctx, `SELECT last FROM counters WHERE name = 'contribution'`).Scan(&last); err != nil {
		return err
	}
	for part := int64(0); part <= last/partSize+1; part++ {
		name := fmt.Sprintf("bodies_%d", part)
		if _, err := s.Pool.Exec(ctx, fmt.Sprintf(
			`CREATE TABLE IF NOT EXISTS %s PARTITION OF bodies FOR VALUES FROM (%d) TO (%d)`, name, part*partSize, (part+1)*partSize,
		)); err != nil && !isViolation(err) { // else what belongs there lies in the rest already
			return fmt.Errorf("make the table %s: %w", name, err)
		}
	}
	return nil
}

const contributionColumns = `c.id, c.kind, CASE WHEN p.forgotten IS NULL THEN p.name ELSE '' END AS by, p.opaque,
	c.title, c.title_id AS titleid, c.store, c.ref, c.system, c.statement,
	c.state, c.submitted, CASE WHEN d.forgotten IS NULL THEN coalesce(d.name, '') ELSE '' END AS decidedby, c.decided, c.because,
	(SELECT min(r.revision) FROM title_versions v JOIN revision_titles r ON r.title_id = v.title_id AND r.version >= v.version
		WHERE v.contribution_id = c.id UNION ALL
		SELECT min(r.revision) FROM sheet_versions v JOIN revision_sheets r ON r.sheet_id = v.sheet_id AND r.version >= v.version
		WHERE v.contribution_id = c.id ORDER BY 1 LIMIT 1) AS revision`
const contributionTables = ` FROM contributions c JOIN people p ON p.id = c.person_id LEFT JOIN people d ON d.id = c.decided_by `

// Filter narrows a list of contributions; empty fields do not.
type Filter struct {
	State, Kind, System, TitleID string
	Person                       int64
}

// Contributions lists those that a filter lets through, the oldest first for what waits
// and the newest first otherwise, starting behind the number after.
func (s *Store) Contributions(ctx context.Context, f Filter, after int64, limit int) ([]Contribution, error) {
	order, beyond := "DESC", "<"
	if f.State == "waiting" {
		order, beyond = "ASC", ">"
	}
	where, args := "true", []any{limit}
	add := func(condition string, value any) {
		args = append(args, value)
		where += fmt.Sprintf(" AND "+condition, len(args))
	}
	if f.State != "" {
		add("c.state = $%d", f.State)
	}
	if f.Kind != "" {
		add("c.kind = $%d", f.Kind)
	}
	if f.System != "" {
		add("c.system = $%d", f.System)
	}
	if f.TitleID != "" {
		add("c.title_id = $%d AND c.title_id <> ''", f.TitleID)
	}
	if f.Person != 0 {
		add("c.person_id = $%d", f.Person)
	}
	if after != 0 {
		add("c.id "+beyond+" $%d", after)
	}
	rows, err := s.Pool.Query(ctx, `SELECT `+contributionColumns+contributionTables+
		`WHERE `+where+` ORDER BY c.id `+order+` LIMIT $1`, args...)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Contribution])
}

// Contribution returns one with what was sent, with what people said of its files applied;
// ErrNotFound if there is none.
func (s *Store) Contribution(ctx context.Context, id int64) (Contribution, contribution.Body, error) {
	rows, err := s.Pool.Query(ctx, `SELECT `+contributionColumns+contributionTables+`WHERE c.id = $1`, id)
	if err != nil {
		return Contribution{}, nil, err
	}
	c, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Contribution])
	if err != nil {
		return c, nil, notFound(err)
	}
	var raw []byte
	if err := s.Pool.QueryRow(ctx, `SELECT body FROM bodies WHERE contribution_id = $1`, id).Scan(&raw); err != nil {
		if errors.Is(err, pgx.ErrNoRows) {
			err = ErrMovedAway
		}
		return c, nil, err
	}
	said, err := corrections(ctx, s.Pool, id)
	if err != nil {
		return c, nil, err
	}
	body, err := parse(id, raw, c.By, said)
	return c, body, err
}

// ErrMovedAway says that what was sent with an old contribution is not kept here any more.
var ErrMovedAway = errors.New("what was sent with it was moved away; ask those who run the service")
