package store

import (
	"context"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/standing"
)

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
	if err := tx.QueryRow(ctx, `SELECT number + 1, digest FROM revisions ORDER BY number DESC LIMIT 1`).Scan(
		&head.Revision,
		&head.Previous,
	); err != nil {
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
	if _, err := tx.Exec(
		ctx, `INSERT INTO revisions (number, previous, digest, published) VALUES ($1, $2, $3, $4)`,
		head.Revision, head.Previous, manifest.Digest(body), head.Published,
	); err != nil {
		return 0, err
	}
	if v.title == nil {
		_, err = tx.Exec(
			ctx, `INSERT INTO sheet_versions (sheet_id, revision, name, doc) VALUES ($1, $2, $3, $4)`, v.id,
			head.Revision, v.name, v.doc,
		)
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
	_, err = tx.Exec(
		ctx, `INSERT INTO title_versions (title_id, revision, name, folded, doc) VALUES ($1, $2, $3, $4, $5)`,
		v.id, head.Revision, v.name, folded, v.doc,
	)
	return head.Revision, err
}

// newest gives the documents of one table as they are in a revision, by id, with
// the one that it changes in place; v.id is empty if it changes none there.
func newest(ctx context.Context, db querier, v version, revision int) ([][]byte, error) {
	rows, err := db.Query(ctx, `SELECT DISTINCT ON (id COLLATE "C") doc
		FROM (SELECT `+v.column+` AS id, revision, doc FROM `+v.table+` WHERE revision <= $3
			UNION ALL SELECT $1::text, $3::integer, $2::bytea WHERE $1::text <> '') v
			ORDER BY id COLLATE "C", revision DESC`, v.id, v.doc, revision)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowTo[[]byte])
}

// querier is a connection, a pool of them or a transaction.
type querier interface {
	Query(ctx context.Context, sql string, args ...any) (pgx.Rows, error)
}
