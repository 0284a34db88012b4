// Package store keeps the service's records in PostgreSQL.
//
//	s, err := store.Open(ctx, "postgres://…")
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"strings"
	"sync"
	"sync/atomic"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/jackc/pgx/v5/pgxpool"
	"github.com/jackc/pgx/v5/stdlib"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Errors that callers decide on.
var (
	ErrNotFound = errors.New("not found")
	ErrTaken    = errors.New("the name is taken")
)

// NewerError says that a later version of this program has changed the database.
type NewerError struct{ Present, Known int64 }

func (e *NewerError) Error() string {
	return fmt.Sprintf(
		"its schema has version %d and this program knows %d: run the version of endroit that changed it, or a later one",
		e.Present, e.Known,
	)
}

// Store is the database. It is safe for concurrent use.
type Store struct {
	Pool *pgxpool.Pool
	// planned has connections that plan each query once, whatever is asked for: for searches,
	// which else are planned each time, and that takes as long as answering them.
	planned *pgxpool.Pool

	telling atomic.Bool // whether acceptances will be told that were not yet
	tellers sync.WaitGroup
}

// Open connects and brings the schema up to date. Several processes may open at once.
func Open(ctx context.Context, url string) (*Store, error) {
	config, err := pgxpool.ParseConfig(url)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	// How close a misspelt word has to come; the default finds too little.
	config.ConnConfig.RuntimeParams["pg_trgm.word_similarity_threshold"] = "0.4"
	pool, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		return nil, fmt.Errorf("open database: %w", err)
	}
	config = config.Copy()
	config.ConnConfig.RuntimeParams["plan_cache_mode"] = "force_generic_plan"
	config.MinConns = config.MaxConns // so that nobody who types waits for one
	planned, err := pgxpool.NewWithConfig(ctx, config)
	if err != nil {
		pool.Close()
		return nil, fmt.Errorf("open database: %w", err)
	}
	s := &Store{Pool: pool, planned: planned}
	if err := pool.Ping(ctx); err != nil {
		s.Close()
		return nil, fmt.Errorf(
			"open database %s as %s: %w; is PostgreSQL running, and is the address right?",
			config.ConnConfig.Database, config.ConnConfig.User, lastTried(err),
		)
	}
	if err := s.prepare(ctx); err != nil {
		s.Close()
		return nil, fmt.Errorf("open database: %w", err)
	}
	return s, nil
}

// lastTried is an error of connecting in one line: a list of all addresses that were tried
// comes to what the last one said.
func lastTried(err error) error {
	text := err.Error()
	if i := strings.LastIndexByte(text, '\n'); i >= 0 {
		return &oneLine{strings.TrimSpace(text[i:]), err}
	}
	return err
}

type oneLine struct {
	text string
	error
}

func (e *oneLine) Error() string { return e.text }
func (e *oneLine) Unwrap() error { return e.error }

// Close ends all connections.
func (s *Store) Close() {
	s.tellers.Wait()
	s.Pool.Close()
	s.planned.Close()
}

// The keys of the advisory locks, and the spaces of those that have a name.
const (
	lockMigrate = 0x656e6401
	lockPublish = 0x656e6402
	lockName    = 0x656e6403
	lockEdition = 0x656e6404
	lockPlaces  = 0x656e6405
	lockSheets  = 0x656e6406
)

// Writes is what this program knows of the rows that it writes: one that knows less than
// the database demands would drop what it does not know. It is raised, and with it
// writing.lowest by a migration, when documents gain what must not be dropped.
const Writes = 1

// OutdatedError says that this program may read the database and not write to it.
type OutdatedError struct{ Lowest int }

func (e *OutdatedError) Error() string {
	return fmt.Sprintf(
		"a later version of endroit has taken the database over (it demands %d, and this one has %d): this process only reads; "+
			"end it and run the later version",
		e.Lowest, Writes,
	)
}

// mayWrite puts into a batch what gives an *OutdatedError where a later version has taken
// over.
func mayWrite(batch *pgx.Batch) {
	batch.Queue(`SELECT lowest FROM writing`).QueryRow(func(row pgx.Row) error {
		var lowest int
		if err := row.Scan(&lowest); err != nil {
			return err
		}
		if lowest > Writes {
			return &OutdatedError{lowest}
		}
		return nil
	})
}

func (s *Store) prepare(ctx context.Context) error {
	conn, err := s.Pool.Acquire(ctx)
	if err != nil {
		return err
	}
	defer conn.Release()
	if _, err := conn.Exec(ctx, "SELECT pg_advisory_lock($1)", lockMigrate); err != nil {
		return err
	}
	defer conn.Exec(context.WithoutCancel(ctx), "SELECT pg_advisory_unlock($1)", lockMigrate)

	folder, err := fs.Sub(migrations, "migrations")
	if err != nil {
		return err
	}
	db := stdlib.OpenDBFromPool(s.Pool)
	defer db.Close()
	provider, err := goose.NewProvider(goose.DialectPostgres, db, folder)
	if err != nil {
		return err
	}
	if present, known, err := provider.GetVersions(ctx); err != nil {
		return fmt.Errorf("migrate: %w", err)
	} else if present > known {
		return &NewerError{present, known}
	}
	if _, err := provider.Up(ctx); err != nil {
		return fmt.Errorf("migrate: %w", err)
	}
	for _, complete := range []func(context.Context) error{s.stemAll, s.findAll} {
		if err := complete(ctx); err != nil {
			return fmt.Errorf("migrate: %w", err)
		}
	}
	return s.EnsureParts(ctx)
}

func notFound(err error) error {
	if errors.Is(err, pgx.ErrNoRows) {
		return ErrNotFound
	}
	return err
}

// isViolation reports whether rows that are there contradict what was to be made.
func isViolation(err error) bool {
	var p *pgconn.PgError
	return errors.As(err, &p) && p.Code == "23514"
}

func isUnique(err error) bool {
	var p *pgconn.PgError
	return errors.As(err, &p) && p.Code == "23505"
}
