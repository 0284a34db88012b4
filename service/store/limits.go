package store

import (
	"context"
	"time"
)

// Limit is how often something may be done: Burst times at once, then once in Every.
type Limit struct {
	Name  string
	Burst int
	Every time.Duration
}

// Use is what is left of a limit after one more use of it, or after one that was refused.
type Use struct {
	Allowed bool
	Left    int           // further uses at this moment
	Again   time.Duration // until one more is allowed; 0 if it is now
}

// UseLimit counts one use of a limit by somebody, for all processes on this database: the
// generic cell rate algorithm (ITU-T I.371), one row for each who uses it.
func (s *Store) UseLimit(ctx context.Context, l Limit, by string) (Use, error) {
	// due is when all that was used would be made up for.
	var allowed bool
	var owed float64 // seconds until then
	err := s.Pool.QueryRow(ctx, `
		WITH now AS (SELECT clock_timestamp() AS t),
		taken AS (
			INSERT INTO limits AS l (key, due) SELECT $1, t + $2 FROM now
			ON CONFLICT (key) DO UPDATE SET due = greatest(l.due, clock_timestamp()) + $2
			WHERE greatest(l.due, clock_timestamp()) + $2 <= clock_timestamp() + $2 * $3
			RETURNING due)
		SELECT taken.due IS NOT NULL, extract(epoch FROM coalesce(taken.due, (SELECT due FROM limits
			WHERE key = $1), t) - t)::float8 FROM now LEFT JOIN taken ON true`,
		l.Name+" "+by, l.Every, l.Burst).Scan(&allowed, &owed)
	if err != nil {
		return Use{}, err
	}
	free := time.Duration(l.Burst)*l.Every - time.Duration(owed*float64(time.Second))
	u := Use{Allowed: allowed, Left: max(0, int(free/l.Every))}
	if u.Left == 0 {
		u.Again = max(0, l.Every-free)
	}
	return u, nil
}

// DeleteExpired deletes limits that are no longer in use, and tokens a month after they
// expired.
func (s *Store) DeleteExpired(ctx context.Context) error {
	if _, err := s.Pool.Exec(ctx, `DELETE FROM limits WHERE due < now()`); err != nil {
		return err
	}
	if _, err := s.Pool.Exec(ctx, `DELETE FROM sessions WHERE expiry < now()`); err != nil {
		return err
	}
	if _, err := s.Pool.Exec(ctx, `DELETE FROM browsers WHERE expires < now()`); err != nil {
		return err
	}
	_, err := s.Pool.Exec(ctx, `DELETE FROM tokens WHERE expires < now() - interval '30 days'`)
	return err
}
