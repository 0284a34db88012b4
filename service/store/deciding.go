package store

import (
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/standing"
)

// decide runs what changes a waiting contribution, with its row locked.
func (s *Store) decide(ctx context.Context, id int64, reviewer Person, do func(tx pgx.Tx, author string) error) error {
	return s.change(ctx, func(tx pgx.Tx) error {
		var author int64
		var state, opaque, decidedBy string
		err := tx.QueryRow(
			ctx,
			`SELECT c.person_id, p.opaque, c.state, coalesce(d.name, '')`+contributionTables+`WHERE c.id = $1 FOR UPDATE OF c`,
			id,
		).
			Scan(&author, &opaque, &state, &decidedBy)
		switch {
		case err != nil:
			return notFound(err)
		case author == reviewer.ID:
			return ErrOwn
		case state != "waiting":
			return &DecidedError{state, decidedBy}
		}
		return do(tx, opaque)
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
	for try := 1; ; try++ {
		err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			if err := mayWrite(ctx, tx); err != nil {
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
	return s.decide(ctx, id, reviewer, func(tx pgx.Tx, _ string) error {
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
	return s.decide(ctx, id, reviewer, func(tx pgx.Tx, author string) error {
		var raw []byte
		if err := tx.QueryRow(ctx, `SELECT body FROM bodies WHERE contribution_id = $1`, id).Scan(&raw); err != nil {
			return fmt.Errorf("read contribution %d: %w", id, err)
		}
		body, err := parse(ctx, tx, id, raw, "")
		if err != nil {
			return err
		}
		w := &world{db: tx, now: now(), accepting: true}
		outcome, err := body.Apply(ctx, w, standing.Evidence{
			Contribution: id, Person: author, Reviewer: reviewer.Opaque, Accepted: w.now,
		})
		if err == nil {
			err = Stands(outcome)
		}
		if err != nil {
			return err
		}
		name := body.About().Title
		for i, c := range outcome.Titles {
			if err := saveTitle(ctx, tx, c, id, w); err != nil {
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
		if _, err := tx.Exec(
			ctx,
			`UPDATE contributions SET state = 'accepted', decided_by = $2, decided = $3, title = $4, title_id = $5 WHERE id = $1`,
			id, reviewer.ID, w.now, name, outcome.Subject(),
		); err != nil {
			return err
		}
		_, err = tx.Exec(ctx, `SELECT pg_notify($1, '')`, channel)
		return err
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

// saveTitle writes one title as it is afterwards, with all by which it is found.
func saveTitle(ctx context.Context, tx pgx.Tx, c contribution.TitleChange, id int64, w *world) error {
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
	var into any
	if t.MergedInto != "" {
		into = t.MergedInto
	}
	var version int
	err = tx.QueryRow(ctx, `INSERT INTO titles AS t (id, name, folded, merged_into, version, doc, shown, shown_until, stems_version)
		VALUES ($1, $2, $3, $4, 1, $5, $6, $7, $8)
		ON CONFLICT (id) DO UPDATE SET name = excluded.name, folded = excluded.folded, merged_into = excluded.merged_into,
			version = t.version + 1, doc = excluded.doc, shown = excluded.shown, shown_until = excluded.shown_until,
			stems_version = excluded.stems_version
		RETURNING version`,
		t.ID, t.Name, manifest.Fold(t.Name), into, doc, shown, unlessZero(until), place.StemsVersion).Scan(&version)
	if err != nil {
		return err
	}
	if (version == 1) != (c.Before == nil) {
		return fmt.Errorf("title %s was changed by somebody else", t.ID)
	}
	if _, err := tx.Exec(
		ctx, `INSERT INTO title_versions (title_id, version, contribution_id, accepted, doc) VALUES ($1, $2, $3, $4, $5)`,
		t.ID, version, id, w.now, manifest.Compress(doc),
	); err != nil {
		return err
	}
	if err := saveNames(ctx, tx, t); err != nil {
		return err
	}
	if err := saveEditions(ctx, tx, t); err != nil {
		return err
	}
	return stem(ctx, tx, published)
}

func saveNames(ctx context.Context, tx pgx.Tx, t *record.Title) error {
	for _, table := range []string{"title_names", "title_words"} {
		if _, err := tx.Exec(ctx, `DELETE FROM `+table+` WHERE title_id = $1`, t.ID); err != nil {
			return err
		}
	}
	if t.MergedInto != "" {
		return nil
	}
	folded, plain, rest, whole := []string{}, []string{}, []string{}, []string{}
	for _, n := range (&manifest.Title{Name: t.Name, Names: t.Names}).AllNames() {
		folded, plain = append(folded, manifest.Fold(n)), append(plain, manifest.Plain(n))
		for _, r := range Words(manifest.Fold(n)) {
			rest, whole = append(rest, r), append(whole, manifest.Fold(n))
		}
	}
	if _, err := tx.Exec(ctx, `INSERT INTO title_words (title_id, rest, folded)
		SELECT $1, r, f FROM unnest($2::text[], $3::text[]) AS n(r, f) ON CONFLICT DO NOTHING`, t.ID, rest, whole); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `INSERT INTO title_names (title_id, folded, plain)
		SELECT $1, f, p FROM unnest($2::text[], $3::text[]) AS n(f, p) ON CONFLICT DO NOTHING`, t.ID, folded, plain)
	return err
}

// maxWords is by how many of its words a name is found.
const maxWords = 12

// Words are a folded name from its second word on, from its third, and so on.
func Words(folded string) (rest []string) {
	for i := 0; len(rest) < maxWords-1; {
		n := strings.IndexFunc(folded[i:], func(r rune) bool { return r == ' ' || r == '-' || r == ':' || r == '(' })
		if n < 0 {
			break
		}
		if i += n + 1; i < len(folded) && folded[i] != ' ' {
			rest = append(rest, folded[i:])
		}
	}
	return rest
}

func saveEditions(ctx context.Context, tx pgx.Tx, t *record.Title) error {
	stores, refs := []string{}, []string{}
	for _, e := range t.Editions {
		if e.Ref != "" {
			stores, refs = append(stores, e.Store), append(refs, e.Ref)
		}
	}
	// Those that another title has by now stay with it: it is written after this one.
	if _, err := tx.Exec(ctx, `DELETE FROM editions WHERE title_id = $1
		AND (store, ref) NOT IN (SELECT * FROM unnest($2::text[], $3::text[]))`, t.ID, stores, refs); err != nil {
		return err
	}
	_, err := tx.Exec(ctx, `INSERT INTO editions (store, ref, title_id) SELECT s, r, $1 FROM unnest($2::text[], $3::text[]) AS e(s, r)
		ON CONFLICT (ref, store) DO UPDATE SET title_id = excluded.title_id`, t.ID, stores, refs)
	return err
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
