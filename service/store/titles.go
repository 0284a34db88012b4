package store

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/core/manifest"
	"endroit/core/record"
)

// Title returns the record of a title; ErrNotFound if there is none. One that was merged
// is returned as it is.
func (s *Store) Title(ctx context.Context, id string) (*record.Title, error) {
	var doc []byte
	if err := s.Pool.QueryRow(ctx, `SELECT doc FROM titles WHERE id = $1`, id).Scan(&doc); err != nil {
		return nil, notFound(err)
	}
	return record.Parse(doc)
}

// Reference is a store's own number or word for a title. An empty store is any.
type Reference struct{ Store, Ref string }

// Sold finds the titles that have a reference.
func (s *Store) Sold(ctx context.Context, sold Reference, offset, limit int) ([]Listed, error) {
	return listedBy(ctx, s.Pool, `SELECT `+listed+` FROM titles t JOIN editions e ON e.title_id = t.id
		WHERE e.ref = $1 AND ($2 = '' OR e.store = $2) ORDER BY t.folded, t.id OFFSET $3 LIMIT $4`,
		sold.Ref, sold.Store, offset, limit)
}

// escapeLike makes a text a pattern of LIKE that matches itself.
var escapeLike = strings.NewReplacer(`\`, `\\`, `%`, `\%`, `_`, `\_`)

// ranked is how many names that have a text inside, or are similar to it, are compared, so
// that a search takes no longer the more titles there are: where more are alike, the best
// of them is not to be told by a few letters.
const ranked = "5000"

// The queries of a search. The first reads no more of the indexes than a page needs; the
// others are for what it does not find.
const (
	searchAll = `SELECT ` + listed + ` FROM titles t WHERE merged_into IS NULL ORDER BY folded, id OFFSET {first} LIMIT {most}`
	// searchWords finds names that begin with the text $1, then those of which another word
	// does.
	searchWords = `SELECT ` + listed + ` FROM (
			SELECT title_id, min(folded) AS folded, bool_or(first) AS first FROM (
				(SELECT title_id, folded, true AS first FROM title_names WHERE folded >= $1 AND folded < $1 || chr(1114109)
					ORDER BY folded, title_id LIMIT {all})
				UNION ALL (SELECT title_id, folded, false FROM title_words WHERE rest >= $1 AND rest < $1 || chr(1114109)
					ORDER BY rest, title_id LIMIT {all})) n
			GROUP BY title_id) n JOIN titles t ON t.id = n.title_id
		ORDER BY n.folded <> $1, NOT n.first, n.folded, t.id OFFSET {first} LIMIT {most}`
	searchWithin = `SELECT ` + listed + ` FROM (
			SELECT title_id, bool_or(folded = $1) AS same, bool_or(starts_with(folded, $1)) AS first, min(folded) AS folded
			FROM (SELECT title_id, folded FROM title_names WHERE folded LIKE '%' || $2 || '%' LIMIT ` + ranked + `) m
			GROUP BY title_id ORDER BY 2 DESC, 3 DESC, 4, 1 OFFSET {first} LIMIT {most}) n JOIN titles t ON t.id = n.title_id
		ORDER BY n.same DESC, n.first DESC, n.folded, t.id`
	searchSimilar = `SELECT ` + listed + ` FROM (
			SELECT title_id, max(word_similarity($1, folded)) AS similar, min(folded) AS folded
			FROM (SELECT title_id, folded FROM title_names WHERE $1 <% folded LIMIT ` + ranked + `) m
			GROUP BY title_id ORDER BY 2 DESC, 3, 1 OFFSET {first} LIMIT {most}) n
		JOIN titles t ON t.id = n.title_id ORDER BY n.similar DESC, n.folded, t.id`
)

// page asks for a page of a search. The query of the first, which is nearly always the one,
// says how much it wants, so that it is planned well for all texts.
func (s *Store) page(ctx context.Context, query string, offset, limit int, args ...any) ([]Listed, error) {
	if offset == 0 {
		return listedBy(ctx, s.planned, firstPage(query, limit), args...)
	}
	first, most := fmt.Sprintf("$%d::int", len(args)+1), fmt.Sprintf("$%d::int", len(args)+2)
	query = strings.NewReplacer("{first}", first, "{most}", most, "{all}", first+" + "+most).Replace(query)
	return listedBy(ctx, s.Pool, query, append(args, offset, limit)...)
}

func firstPage(query string, limit int) string {
	n := strconv.Itoa(limit)
	return strings.NewReplacer("{first}", "0", "{most}", n, "{all}", n).Replace(query)
}

// SearchWords is the query of a search's first page, for a text $1, exported to be measured.
func SearchWords(limit int) string { return firstPage(searchWords, limit) }

// shortText is how long a text has to be, in bytes, to be looked for inside of names: the
// index knows three letters at a time.
const shortText = 3

// Search finds titles of whose names a word begins with the text, the first word before
// others; where there is none, those that have it inside, or otherwise similar ones, on one
// page; all by name if it is empty. It starts behind offset.
func (s *Store) Search(ctx context.Context, text string, offset, limit int) ([]Listed, error) {
	folded := manifest.Fold(text)
	if folded == "" {
		return s.page(ctx, searchAll, offset, limit)
	}
	found, err := s.page(ctx, searchWords, offset, limit, folded)
	if err != nil || len(found) > 0 || offset > 0 || len(folded) < shortText {
		return found, err
	}
	found, err = s.page(ctx, searchWithin, offset, limit, folded, escapeLike.Replace(folded))
	if err != nil || len(found) > 0 {
		return found, err
	}
	return s.page(ctx, searchSimilar, offset, limit, folded)
}

// Change is one acceptance in a title's history.
type Change struct {
	Version      int
	Contribution int64
	Kind         string
	Statement    string
	By           string // empty for somebody who was forgotten
	ReviewedBy   string
	Accepted     time.Time
	Revision     *int // the first that has it; nil until it is published
	Doc          []byte
}

// History lists what changed a title, the newest first, starting behind a version (0: at
// the newest).
func (s *Store) History(ctx context.Context, id string, before, limit int) ([]Change, error) {
	rows, err := s.Pool.Query(ctx, `SELECT v.version, v.contribution_id AS contribution, c.kind, c.statement,
			CASE WHEN p.forgotten IS NULL THEN p.name ELSE '' END AS by,
			CASE WHEN d.forgotten IS NULL THEN d.name ELSE '' END AS reviewedby, v.accepted,
			(SELECT min(revision) FROM revision_titles r WHERE r.title_id = v.title_id AND r.version >= v.version) AS revision, v.doc
		FROM title_versions v JOIN contributions c ON c.id = v.contribution_id JOIN people p ON p.id = c.person_id
			JOIN people d ON d.id = c.decided_by
		WHERE v.title_id = $1 AND ($2 = 0 OR v.version < $2) ORDER BY v.version DESC LIMIT $3`, id, before, limit)
	if err != nil {
		return nil, err
	}
	return pgx.CollectRows(rows, pgx.RowToStructByName[Change])
}

// maxRecord bounds the record of a title, uncompressed.
const maxRecord = 64 << 20

// Record reads the record that a change made.
func (c Change) Record() (*record.Title, error) {
	doc, err := manifest.Expand(c.Doc, maxRecord)
	if err != nil {
		return nil, err
	}
	return record.Parse(doc)
}

// Version is the record of a title after a change; nil for 0, ErrNotFound if there is none.
func (s *Store) Version(ctx context.Context, id string, version int) (*record.Title, error) {
	if version == 0 {
		return nil, nil
	}
	var c Change
	err := s.Pool.QueryRow(ctx, `SELECT doc FROM title_versions WHERE title_id = $1 AND version = $2`, id, version).Scan(&c.Doc)
	if err != nil {
		return nil, notFound(err)
	}
	return c.Record()
}

// VersionIn is the version of a title that a revision has; 0 if it has none.
func (s *Store) VersionIn(ctx context.Context, id string, revision int) (version int, err error) {
	err = s.Pool.QueryRow(ctx, `SELECT version FROM revision_titles WHERE title_id = $1 AND revision <= $2
		ORDER BY revision DESC LIMIT 1`, id, revision).Scan(&version)
	if errors.Is(err, pgx.ErrNoRows) {
		return 0, nil
	}
	return version, err
}

// Sheets is every launcher's sheet, by id.
func (s *Store) Sheets(ctx context.Context) ([]record.Sheet, error) {
	return (&world{db: s.Pool}).Sheets(ctx)
}
