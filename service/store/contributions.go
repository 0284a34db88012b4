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
	"endroit/core/standing"
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
	ErrFull      = errors.New("the contribution has as many corrections as it can have")
	ErrWaiting   = fmt.Errorf("%d contributions of yours wait already; a reviewer has to decide on some first", MaxWaiting)
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

// ClashError says that a sheet cannot stand beside the others.
type ClashError struct{ Clashes []sheet.Clash }

func (e *ClashError) Error() string { return e.Clashes[0].Reason }

// AddContribution stores a submission. Sent again with the same key and body it
// returns the first one's number; again is then true.
func (s *Store) AddContribution(ctx context.Context, person int64, key string, digest []byte, kind, title string, body []byte) (id int64, again bool, err error) {
	err = s.Pool.QueryRow(ctx, `INSERT INTO contributions (person_id, idempotency_key, body_digest, kind, title, body) SELECT $1, $2, $3, $4, $5, $6
		WHERE (SELECT count(*) FROM contributions WHERE person_id = $1 AND state = 'waiting') < $7
		ON CONFLICT (person_id, idempotency_key) DO NOTHING RETURNING id`, person, key, digest, kind, title, body, MaxWaiting).Scan(&id)
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
	err = s.Pool.QueryRow(ctx, `SELECT id, body_digest FROM contributions WHERE person_id = $1 AND idempotency_key = $2`, person, key).Scan(&id, &old)
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
	rows, err := s.Pool.Query(ctx, `SELECT `+contributionColumns+`, c.body`+contributionTables+`WHERE c.id = $1`, id)
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
		err := tx.QueryRow(ctx, `SELECT c.person_id, p.name, c.state, coalesce(d.name, ''), c.body`+contributionTables+`WHERE c.id = $1 FOR UPDATE OF c`, id).
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
		_, err = tx.Exec(ctx, `UPDATE contributions SET state = 'accepted', decided_by = $2, decided = $3, revision = $4, title = $5 WHERE id = $1`, id, reviewer.ID, now, revision, next.name)
		return err
	})
	return revision, err
}

// version is what one revision changes: a title or a sheet.
type version struct {
	table, column string // where its versions are kept, and under which id
	id, name      string
	title         *manifest.Title // nil for a sheet
	doc           []byte          // canonical
}

// accepted is what accepting a contribution makes.
func accepted(ctx context.Context, tx pgx.Tx, body *contribution.Body, evidence standing.Evidence) (version, error) {
	if body.Sheet != nil {
		return acceptedSheet(ctx, tx, body, evidence)
	}
	sheets, err := allSheets(ctx, tx)
	if err != nil {
		return version{}, err
	}
	if err := contribution.CheckLaunchers(body.Draft, Readable(sheets)); err != nil {
		return version{}, err
	}
	others, err := titlesNear(ctx, tx, body.Draft)
	if err != nil {
		return version{}, err
	}
	conflicts, err := manifest.Conflicts(ctx, body.Draft, others)
	if err != nil {
		return version{}, err
	}
	if len(conflicts) > 0 {
		return version{}, &ConflictError{conflicts}
	}
	evidence.Observer = body.Footprint.Observer
	if body.Draft.Edition != nil {
		evidence.Version = body.Draft.Edition.Version
	}
	next, err := manifest.Apply(manifest.Present(others, body.Draft), manifest.Accepted{Draft: body.Draft, Evidence: evidence})
	if err != nil {
		return version{}, err
	}
	doc, err := manifest.Canonical(next)
	return version{"title_versions", "title_id", next.ID, next.Name, &next, doc}, err
}

func acceptedSheet(ctx context.Context, tx pgx.Tx, body *contribution.Body, evidence standing.Evidence) (version, error) {
	all, err := allSheets(ctx, tx)
	if err != nil {
		return version{}, err
	}
	if clashes := ClashesWith(body.Sheet, all); len(clashes) > 0 {
		return version{}, &ClashError{clashes}
	}
	var present *manifest.Sheet
	for i := range all {
		if all[i].ID == body.Sheet.ID {
			present = &all[i]
		}
	}
	evidence.Observer = body.Found.String()
	next, err := manifest.ApplySheet(present, body.Sheet, evidence)
	if err != nil {
		return version{}, err
	}
	doc, err := manifest.Canonical(next)
	return version{table: "sheet_versions", column: "sheet_id", id: next.ID, name: body.Sheet.Name, doc: doc}, err
}

// publish makes the next revision with one title or sheet changed.
func publish(ctx context.Context, tx pgx.Tx, v version, now time.Time) (int, error) {
	var head manifest.Head
	if err := tx.QueryRow(ctx, `SELECT number + 1, digest FROM revisions ORDER BY number DESC LIMIT 1`).Scan(&head.Revision, &head.Previous); err != nil {
		return 0, err
	}
	head.Published = now
	docs := map[string][][]byte{}
	for _, of := range []version{{table: "sheet_versions", column: "sheet_id"}, {table: "title_versions", column: "title_id"}} {
		if of.table == v.table {
			of.id, of.doc = v.id, v.doc
		}
		var err error
		if docs[of.table], err = newest(ctx, tx, of, head.Revision); err != nil {
			return 0, err
		}
	}
	body, err := manifest.Assemble(head, docs["sheet_versions"], docs["title_versions"])
	if err != nil {
		return 0, err
	}
	if _, err := tx.Exec(ctx, `INSERT INTO revisions (number, previous, digest, published) VALUES ($1, $2, $3, $4)`, head.Revision, head.Previous, manifest.Digest(body), head.Published); err != nil {
		return 0, err
	}
	if v.title == nil {
		_, err = tx.Exec(ctx, `INSERT INTO sheet_versions (sheet_id, revision, name, doc) VALUES ($1, $2, $3, $4)`, v.id, head.Revision, v.name, v.doc)
		return head.Revision, err
	}
	folded := manifest.Fold(v.name)
	if _, err := tx.Exec(ctx, `INSERT INTO titles (id, name, folded, revision, doc) VALUES ($1, $2, $3, $4, $5)
		ON CONFLICT (id) DO UPDATE SET name = excluded.name, folded = excluded.folded, revision = excluded.revision, doc = excluded.doc`,
		v.id, v.name, folded, head.Revision, v.doc); err != nil {
		return 0, err
	}
	if err := stem(ctx, tx, *v.title); err != nil {
		return 0, err
	}
	_, err = tx.Exec(ctx, `INSERT INTO title_versions (title_id, revision, name, folded, doc) VALUES ($1, $2, $3, $4, $5)`, v.id, head.Revision, v.name, folded, v.doc)
	return head.Revision, err
}

// newest gives the documents of one table as they are in a revision, by id, with
// the one that it changes in place; v.id is empty if it changes none there.
func newest(ctx context.Context, db querier, v version, revision int) ([][]byte, error) {
	rows, err := db.Query(ctx, `SELECT DISTINCT ON (id COLLATE "C") doc
		FROM (SELECT `+v.column+` AS id, revision, doc FROM `+v.table+` WHERE revision <= $3 UNION ALL SELECT $1::text, $3::integer, $2::bytea WHERE $1::text <> '') v ORDER BY id COLLATE "C", revision DESC`, v.id, v.doc, revision)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[[]byte])
}

// querier is a connection, a pool of them or a transaction.
type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}
