package store

import (
	"context"

	"github.com/jackc/pgx/v5"
)

// Contributions lists those in a state (any if empty) and by a person (anybody
// if 0), the oldest first for what waits and the newest first otherwise,
// starting behind the number after.
func (s *Store) Contributions(ctx context.Context, state string, person, after int64, limit int) ([]Contribution, error) {
	order, beyond := "DESC", "<"
	if state == "waiting" {
		order, beyond = "ASC", ">"
	}
	rows, err := s.Pool.Query(ctx, `SELECT `+contributionColumns+`, NULL::bytea AS body`+contributionTables+
		`WHERE ($1 = '' OR c.state = $1) AND ($2 = 0 OR c.person_id = $2) AND ($3 = 0 OR c.id `+beyond+` $3)
			ORDER BY c.id `+order+` LIMIT $4`, state, person, after, limit)
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
