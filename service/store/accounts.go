package store

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"github.com/jackc/pgx/v5"
)

// Account is a person with what operators see of them.
type Account struct {
	Name     string
	Reviewer bool
	Created  time.Time
	Disabled *time.Time // nil while the account can be used
	SignIns  int        // tokens and browsers that hold
}

// signIns are the tokens and browsers that hold, as rows of id, kind, person_id, created
// and expires.
const signIns = `(SELECT 't' || id AS id, 'token' AS kind, person_id, created, expires FROM tokens WHERE expires > now()
	UNION ALL SELECT 'b' || id, 'browser', person_id, created, expires FROM browsers WHERE expires > now())`

// Accounts lists all, by name.
func (s *Store) Accounts(ctx context.Context) ([]Account, error) {
	rows, err := s.Pool.Query(
		ctx,
		`SELECT p.name, p.reviewer, p.created, p.disabled, (SELECT count(*) FROM `+signIns+` s
			WHERE s.person_id = p.id)::int AS signins FROM people p ORDER BY p.name`,
	)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Account])
}

// Changed is what becomes of an account; nil fields stay as they are.
type Changed struct {
	Reviewer, Disabled *bool
	PasswordHash       *string
	SignOut            bool // everywhere; so does disabling, and another password
}

// ChangeAccount changes one; ErrNotFound if there is none of that name.
func (s *Store) ChangeAccount(ctx context.Context, name string, c Changed) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		var id int64
		err := tx.QueryRow(ctx, `UPDATE people SET reviewer = coalesce($2, reviewer), password_hash = coalesce($3, password_hash),
			disabled = CASE WHEN $4::boolean IS NULL THEN disabled WHEN $4 THEN coalesce(disabled, now()) END
				WHERE name = $1 RETURNING id`, name, c.Reviewer, c.PasswordHash, c.Disabled).Scan(&id)
		if err != nil {
			return notFound(err)
		}
		if c.SignOut || c.PasswordHash != nil || c.Disabled != nil && *c.Disabled {
			return signOut(ctx, tx, id, "")
		}
		return nil
	})
}

// signOut ends all sign-ins of a person but the one that is named.
func signOut(ctx context.Context, tx pgx.Tx, person int64, but string) error {
	for _, table := range []string{"tokens", "browsers"} {
		if _, err := tx.Exec(
			ctx, `DELETE FROM `+table+` WHERE person_id = $1 AND $2 <> $3 || id::text`, person, but, table[:1],
		); err != nil {
			return err
		}
	}
	return nil
}

// SignIn is a token or a browser of a person.
type SignIn struct {
	ID, Kind         string
	Created, Expires time.Time
}

// SignIns lists a person's, the newest first.
func (s *Store) SignIns(ctx context.Context, person int64) ([]SignIn, error) {
	rows, err := s.Pool.Query(
		ctx,
		`SELECT id, kind, created, expires FROM `+signIns+` s WHERE person_id = $1 ORDER BY created DESC, id`,
		person,
	)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[SignIn])
}

// EndSignIn ends one of a person's; ErrNotFound if they have none of that id.
func (s *Store) EndSignIn(ctx context.Context, person int64, id string) error {
	table := map[string]string{"t": "tokens", "b": "browsers"}[id[:min(1, len(id))]]
	n, err := strconv.ParseInt(id[min(1, len(id)):], 10, 64)
	if table == "" || err != nil {
		return ErrNotFound
	}
	tag, err := s.Pool.Exec(ctx, `DELETE FROM `+table+` WHERE person_id = $1 AND id = $2`, person, n)
	if err == nil && tag.RowsAffected() == 0 {
		err = ErrNotFound
	}
	return err
}

// ChangePassword gives a person another one, and ends all their sign-ins but the one that
// is named.
func (s *Store) ChangePassword(ctx context.Context, person int64, hash, but string) error {
	return pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, `UPDATE people SET password_hash = $2 WHERE id = $1`, person, hash); err != nil {
			return fmt.Errorf("change the password: %w", err)
		}
		return signOut(ctx, tx, person, but)
	})
}

// AddBrowser notes that a browser was signed in, and returns its number.
func (s *Store) AddBrowser(ctx context.Context, person int64, expires time.Time) (id int64, err error) {
	err = s.Pool.QueryRow(
		ctx, `INSERT INTO browsers (person_id, expires) VALUES ($1, $2) RETURNING id`, person, expires,
	).Scan(&id)
	return id, err
}

// PersonByBrowser returns ErrNotFound if it was signed out, or the account disabled.
func (s *Store) PersonByBrowser(ctx context.Context, id int64) (Person, error) {
	return s.onePerson(
		ctx,
		`SELECT p.id, p.opaque, p.name, p.password_hash AS passwordhash, p.reviewer, p.disabled IS NOT NULL AS disabled
			FROM browsers b JOIN people p ON p.id = b.person_id
			WHERE b.id = $1 AND b.expires > now() AND p.disabled IS NULL`,
		id,
	)
}
