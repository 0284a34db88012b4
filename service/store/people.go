package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"
)

// Person is somebody with an account.
type Person struct {
	ID           int64
	Opaque       string // their id in records
	Name         string
	PasswordHash string
	Reviewer     bool
	Disabled     bool
}

// AddPerson makes an account; ErrTaken if the name has one.
func (s *Store) AddPerson(ctx context.Context, name, passwordHash string, reviewer bool) error {
	_, err := s.Pool.Exec(
		ctx, `INSERT INTO people (name, password_hash, reviewer) VALUES ($1, $2, $3)`, name, passwordHash,
		reviewer,
	)
	if isUnique(err) {
		return ErrTaken
	}
	return err
}

const personColumns = `id, opaque, name, password_hash AS passwordhash, reviewer, disabled IS NOT NULL AS disabled`

func (s *Store) onePerson(ctx context.Context, sql string, args ...any) (Person, error) {
	rows, err := s.Pool.Query(ctx, sql, args...)
	if err != nil {
		return Person{}, err
	}
	p, err := pgx.CollectExactlyOneRow(rows, pgx.RowToStructByName[Person])
	return p, notFound(err)
}

// PersonByName returns ErrNotFound if there is none.
func (s *Store) PersonByName(ctx context.Context, name string) (Person, error) {
	return s.onePerson(ctx, `SELECT `+personColumns+` FROM people WHERE name = $1`, name)
}

// PersonByToken finds whose token has this digest, and the token's number; expired says
// that it was valid once. ErrNotFound if there is none, or the account is disabled.
func (s *Store) PersonByToken(ctx context.Context, digest []byte) (p Person, token int64, expired bool, err error) {
	var expires time.Time
	err = s.Pool.QueryRow(
		ctx,
		`SELECT p.id, p.opaque, p.name, p.password_hash, p.reviewer, t.id, t.expires FROM tokens t
			JOIN people p ON p.id = t.person_id WHERE t.digest = $1 AND p.disabled IS NULL`,
		digest,
	).
		Scan(&p.ID, &p.Opaque, &p.Name, &p.PasswordHash, &p.Reviewer, &token, &expires)
	return p, token, err == nil && time.Now().After(expires), notFound(err)
}

// AddToken stores a token's digest.
func (s *Store) AddToken(ctx context.Context, person int64, digest []byte, expires time.Time) error {
	_, err := s.Pool.Exec(ctx, `INSERT INTO tokens (digest, person_id, expires) VALUES ($1, $2, $3)`, digest, person, expires)
	return err
}

// RemoveToken forgets a token.
func (s *Store) RemoveToken(ctx context.Context, digest []byte) error {
	_, err := s.Pool.Exec(ctx, `DELETE FROM tokens WHERE digest = $1`, digest)
	return err
}

// NamesOf gives the names of people by their ids in records. Who was forgotten has none.
func (s *Store) NamesOf(ctx context.Context, opaque []string) (map[string]string, error) {
	rows, err := s.Pool.Query(ctx, `SELECT opaque, name FROM people WHERE opaque = ANY($1) AND forgotten IS NULL`, opaque)
	if err != nil {
		return nil, err
	}
	names := map[string]string{}
	var id, name string
	_, err = pgx.ForEachRow(rows, []any{&id, &name}, func() error { names[id] = name; return nil })
	return names, err
}

// Rename gives a person another name; ErrTaken if somebody has it. Nothing that was
// published changes, since it has none.
func (s *Store) Rename(ctx context.Context, name, to string) error {
	tag, err := s.Pool.Exec(ctx, `UPDATE people SET name = $2 WHERE name = $1 AND forgotten IS NULL`, name, to)
	switch {
	case isUnique(err):
		return ErrTaken
	case err == nil && tag.RowsAffected() == 0:
		return ErrNotFound
	}
	return err
}

// Forget removes a person's name, password and sign-ins. What they contributed stays, of
// somebody.
func (s *Store) Forget(ctx context.Context, name string) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var id int64
		err := tx.QueryRow(ctx, `UPDATE people SET name = 'forgotten-' || id, password_hash = '', reviewer = false,
			disabled = coalesce(disabled, now()), forgotten = now() WHERE name = $1 AND forgotten IS NULL RETURNING id`, name).Scan(&id)
		if err != nil {
			return notFound(err)
		}
		return signOut(ctx, tx, id, "")
	})
}
