package kept

import (
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"unicode/utf8"

	_ "modernc.org/sqlite" // the index

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/workers"
)

// schema is the index. Its version stands in user_version: another is built anew.
const (
	schemaVersion = 1
	schema        = `
CREATE TABLE head (digest TEXT, size INTEGER, time INTEGER, doc TEXT, titles INTEGER) STRICT;
CREATE TABLE sheets (id TEXT PRIMARY KEY, doc TEXT) STRICT;
CREATE TABLE titles (id TEXT PRIMARY KEY, name TEXT, folded TEXT, doc BLOB) STRICT, WITHOUT ROWID;
CREATE INDEX titles_by_name ON titles (folded, name);
CREATE TABLE editions (ref TEXT, store TEXT, title TEXT, PRIMARY KEY (ref, store, title)) STRICT, WITHOUT ROWID;
CREATE TABLE firsts (anchor TEXT, first TEXT, second TEXT, title TEXT, PRIMARY KEY (anchor, first, second, title)) STRICT, WITHOUT ROWID;
`
)

// Kept is the local manifest. It is safe for concurrent use.
type Kept struct {
	Head   manifest.Head
	Digest string
	Titles int // how many there are
	db     *sql.DB
}

// Close ends it.
func (k *Kept) Close() error { return k.db.Close() }

// Open opens the local manifest by its index. The index is built first where it is
// missing, damaged or of another version, or where the revision's file changed;
// told is called then, and may be nil.
func Open(folder string, told func()) (*Kept, error) {
	d, err := digest(folder)
	if err != nil {
		return nil, err
	}
	if k, err := open(folder, d); err == nil {
		return k, nil
	}
	if told != nil {
		told()
	}
	m, d, err := Read(folder)
	if err != nil {
		return nil, err
	}
	if err := build(folder, m, d); err != nil {
		return nil, err
	}
	return open(folder, d)
}

func indexFile(folder, digest string) string { return filepath.Join(folder, digest+".index") }

// address is SQLite's name for a file.
func address(file, options string) string {
	path := filepath.ToSlash(file)
	if !strings.HasPrefix(path, "/") { // C:/…
		path = "/" + path
	}
	return (&url.URL{Scheme: "file", Path: path, RawQuery: options}).String()
}

// open opens an index that fits its revision.
func open(folder, d string) (k *Kept, err error) {
	file := indexFile(folder, d)
	if _, err := os.Stat(file); err != nil {
		return nil, err
	}
	db, err := sql.Open("sqlite", address(file, "mode=ro&immutable=1"))
	if err != nil {
		return nil, err
	}
	defer func() {
		if err != nil {
			_ = db.Close()
		}
	}()
	var version int
	if err := db.QueryRow(`PRAGMA user_version`).Scan(&version); err != nil {
		return nil, err
	}
	if version != schemaVersion {
		return nil, errors.New("an index of another version")
	}
	k = &Kept{db: db}
	var size, time int64
	var doc string
	if err := db.QueryRow(`SELECT digest, size, time, doc, titles FROM head`).Scan(&k.Digest, &size, &time, &doc, &k.Titles); err != nil {
		return nil, err
	}
	info, err := os.Stat(filepath.Join(folder, d+".json"))
	if err != nil {
		return nil, err
	}
	if k.Digest != d || info.Size() != size || info.ModTime().UnixNano() != time {
		return nil, errors.New("an index of another file")
	}
	return k, json.Unmarshal([]byte(doc), &k.Head)
}

// build writes the index of a revision beside it.
func build(folder string, m *manifest.Manifest, d string) error {
	info, err := os.Stat(filepath.Join(folder, d+".json"))
	if err != nil {
		return err
	}
	f, err := os.CreateTemp(folder, ".new-*.index")
	if err != nil {
		return err
	}
	_ = f.Close()
	defer os.Remove(f.Name())
	if err := write(f.Name(), m, d, info); err != nil {
		return fmt.Errorf("index the manifest: %w", err)
	}
	return os.Rename(f.Name(), indexFile(folder, d))
}

func write(file string, m *manifest.Manifest, d string, info os.FileInfo) (err error) {
	db, err := sql.Open("sqlite", address(file, "_pragma=journal_mode(off)&_pragma=synchronous(off)"))
	if err != nil {
		return err
	}
	defer func() {
		if e := db.Close(); err == nil {
			err = e
		}
	}()
	if _, err := db.Exec(fmt.Sprintf("%s PRAGMA user_version = %d;", schema, schemaVersion)); err != nil {
		return err
	}
	tx, err := db.Begin()
	if err != nil {
		return err
	}
	defer tx.Rollback()
	head, err := json.Marshal(m.Head)
	if err != nil {
		return err
	}
	if _, err := tx.Exec(`INSERT INTO head VALUES (?, ?, ?, ?, ?)`, d, info.Size(), info.ModTime().UnixNano(), string(head), len(m.Titles)); err != nil {
		return err
	}
	for _, s := range m.Sheets {
		if _, err := tx.Exec(`INSERT INTO sheets VALUES (?, ?)`, s.ID, string(s.Sheet)); err != nil {
			return err
		}
	}
	title, err := tx.Prepare(`INSERT INTO titles VALUES (?, ?, ?, ?)`)
	if err != nil {
		return err
	}
	edition, err := tx.Prepare(`INSERT OR IGNORE INTO editions VALUES (?, ?, ?)`)
	if err != nil {
		return err
	}
	first, err := tx.Prepare(`INSERT OR IGNORE INTO firsts VALUES (?, ?, ?, ?)`)
	if err != nil {
		return err
	}
	for i := range m.Titles {
		t := &m.Titles[i]
		doc, err := json.Marshal(t)
		if err != nil {
			return err
		}
		if _, err := title.Exec(t.ID, t.Name, manifest.Fold(t.Name), doc); err != nil {
			return err
		}
		for _, v := range t.Variants {
			if v.Ref != "" {
				if _, err := edition.Exec(v.Ref, v.Store, t.ID); err != nil {
					return err
				}
			}
			for _, l := range v.Locations {
				a, one, two, ok := firstNames(l.At)
				if !ok {
					continue
				}
				if _, err := first.Exec(string(a), one, two, t.ID); err != nil {
					return err
				}
			}
		}
	}
	return tx.Commit()
}

// anyName stands in the index for a name that varies.
const anyName = "*"

// firstNames are the first two names of a location below a folder that many
// titles share, as the index has them: folded where the anchor folds, empty where
// there is no second. ok is false below other anchors.
func firstNames(at string) (a place.Anchor, first, second string, ok bool) {
	l, err := place.Parse(at)
	if err != nil {
		return "", "", "", false
	}
	if d, _ := place.Define(l.Anchor); !d.Shared {
		return "", "", "", false
	}
	names := []string{"", ""}
	for i := range min(2, len(l.Pattern.Segments)) {
		names[i] = anyName
		if s := l.Pattern.Segments[i]; len(s) == 1 && s[0].Kind == place.Literal {
			// Folded for every anchor: below a prefix all names are found in any case.
			names[i] = strings.ToLower(s[0].Text)
		}
	}
	return l.Anchor, names[0], names[1], true
}

// Sheets are the launchers' sheets that the manifest has. One that this version
// cannot read is passed over, and said.
func (k *Kept) Sheets() (all []*sheet.Sheet, notes []string, err error) {
	rows, err := k.db.Query(`SELECT id, doc FROM sheets ORDER BY id`)
	if err != nil {
		return nil, nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id, doc string
		if err := rows.Scan(&id, &doc); err != nil {
			return nil, nil, err
		}
		s, err := sheet.ParseJSON([]byte(doc))
		if err != nil {
			notes = append(notes, fmt.Sprintf("the manifest's sheet %s is passed over: %v", id, err))
			continue
		}
		all = append(all, s)
	}
	return all, notes, rows.Err()
}

// Title returns the title with this id; nil if there is none.
func (k *Kept) Title(id string) (*manifest.Title, error) {
	var doc []byte
	err := k.db.QueryRow(`SELECT doc FROM titles WHERE id = ?`, id).Scan(&doc)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	var t manifest.Title
	return &t, json.Unmarshal(doc, &t)
}

// TitlesOf returns the titles with these ids, of those that there are.
func (k *Kept) TitlesOf(ids []string) (all []*manifest.Title, err error) {
	list, err := json.Marshal(ids)
	if err != nil {
		return nil, err
	}
	rows, err := k.db.Query(`SELECT doc FROM json_each(?) AS n CROSS JOIN titles ON titles.id = n.value`, string(list))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var docs [][]byte
	for rows.Next() {
		var doc []byte
		if err := rows.Scan(&doc); err != nil {
			return nil, err
		}
		docs = append(docs, doc)
	}
	if err := rows.Err(); err != nil {
		return nil, err
	}
	all, failed := make([]*manifest.Title, len(docs)), make([]error, len(docs))
	workers.Each(len(docs), nil, func(i int) {
		all[i] = &manifest.Title{}
		failed[i] = json.Unmarshal(docs[i], all[i])
	})
	return all, errors.Join(failed...)
}

// Find returns the title with this name or id, and otherwise the names that come
// close, the closest first, at most five.
func (k *Kept) Find(name string) (t *manifest.Title, close []string, err error) {
	if t, err = k.Title(manifest.ID(name)); err != nil || t != nil {
		return t, nil, err
	}
	var id string
	err = k.db.QueryRow(`SELECT id FROM titles WHERE folded = ? LIMIT 1`, manifest.Fold(name)).Scan(&id)
	if err == nil {
		t, err = k.Title(id)
		return t, nil, err
	}
	if !errors.Is(err, sql.ErrNoRows) {
		return nil, nil, err
	}
	rows, err := k.db.Query(`SELECT name, folded FROM titles INDEXED BY titles_by_name`)
	if err != nil {
		return nil, nil, err
	}
	defer rows.Close()
	near := manifest.NewNearest(name)
	for rows.Next() {
		var other, folded string
		if err := rows.Scan(&other, &folded); err != nil {
			return nil, nil, err
		}
		near.Add(other, folded)
	}
	return nil, near.Names(), rows.Err()
}

// ids runs a query for ids of titles.
func (k *Kept) ids(query string, args ...any) (ids []string, err error) {
	rows, err := k.db.Query(query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var id string
		if err := rows.Scan(&id); err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, rows.Err()
}

// Edition is what a store sells under a reference; with an empty store, any does.
type Edition struct{ Store, Ref string }

// OfEdition gives the ids of the titles that an edition is of.
func (k *Kept) OfEdition(store, ref string) ([]string, error) {
	of, err := k.OfEditions([]Edition{{store, ref}})
	if err != nil {
		return nil, err
	}
	return of[0], nil
}

// OfEditions gives for each edition the ids of the titles that it is of.
func (k *Kept) OfEditions(editions []Edition) ([][]string, error) {
	refs := make([]string, len(editions))
	for i, e := range editions {
		refs[i] = e.Ref
	}
	list, err := json.Marshal(refs)
	if err != nil {
		return nil, err
	}
	rows, err := k.db.Query(`SELECT DISTINCT ref, store, title FROM json_each(?) AS n CROSS JOIN editions ON ref = n.value ORDER BY title`, string(list))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	type sold struct{ store, title string }
	of := map[string][]sold{}
	for rows.Next() {
		var ref string
		var s sold
		if err := rows.Scan(&ref, &s.store, &s.title); err != nil {
			return nil, err
		}
		of[ref] = append(of[ref], s)
	}
	out := make([][]string, len(editions))
	for i, e := range editions {
		for _, s := range of[e.Ref] {
			if (e.Store == "" || e.Store == s.store) && !slices.Contains(out[i], s.title) {
				out[i] = append(out[i], s.title)
			}
		}
	}
	return out, rows.Err()
}

// Folder is one of the folders that an anchor has on this machine.
type Folder struct {
	Names []string // of what lies right in it
	// Inside lists the names in one of these: it is asked where many titles share
	// that.
	Inside func(name string) []string
}

// Below gives, for each of an anchor's folders, the ids of the titles that may keep
// something in it, by the names that are there. Its cost grows with the names,
// not with the titles.
func (k *Kept) Below(anchor place.Anchor, folders []Folder) ([][]string, error) {
	out := make([][]string, len(folders))
	seen := make([]map[string]bool, len(folders))
	add := func(i int, ids []string) {
		for _, id := range ids {
			if !seen[i][id] {
				seen[i][id] = true
				out[i] = append(out[i], id)
			}
		}
	}
	// Which folders have a name, in small letters, and how it is written there.
	type written struct {
		folder int
		name   string
	}
	in := map[string][]written{}
	for i, f := range folders {
		seen[i] = map[string]bool{}
		for _, name := range f.Names {
			folded := strings.ToLower(name)
			in[folded] = append(in[folded], written{i, name})
		}
	}
	few, many, err := k.named(anchor, slices.Collect(maps.Keys(in)))
	if err != nil {
		return nil, err
	}
	anywhere, err := k.ids(`SELECT title FROM firsts WHERE anchor = ? AND first = ?`, string(anchor), anyName)
	if err != nil {
		return nil, err
	}
	for i, f := range folders {
		if len(f.Names) > 0 {
			add(i, anywhere)
		}
	}
	for name, ids := range few {
		for _, w := range in[name] {
			add(w.folder, ids)
		}
	}
	for _, name := range many {
		for _, w := range in[name] {
			for _, second := range append([]string{"", anyName}, folders[w.folder].Inside(w.name)...) {
				ids, err := k.ids(`SELECT title FROM firsts WHERE anchor = ? AND first = ? AND second = ?`, string(anchor), name, strings.ToLower(second))
				if err != nil {
					return nil, err
				}
				add(w.folder, ids)
			}
		}
	}
	return out, nil
}

// named gives the titles of those first names that few share, and the names that
// many do.
func (k *Kept) named(anchor place.Anchor, names []string) (few map[string][]string, many []string, err error) {
	few = map[string][]string{}
	sort := func(name string, ids []string) {
		if len(ids) > manyShare {
			many = append(many, name)
		} else {
			few[name] = ids
		}
	}
	texts := make([]string, 0, len(names))
	for _, name := range names {
		if utf8.ValidString(name) {
			texts = append(texts, name)
			continue
		}
		// A list in JSON cannot hold it.
		ids, err := k.ids(`SELECT title FROM firsts WHERE anchor = ? AND first = ? LIMIT ?`, string(anchor), name, manyShare+1)
		if err != nil {
			return nil, nil, err
		}
		sort(name, ids)
	}
	list, err := json.Marshal(texts)
	if err != nil {
		return nil, nil, err
	}
	// Of a name that many titles share no more are read than tell so.
	rows, err := k.db.Query(`SELECT n.value, (SELECT json_group_array(title) FROM (SELECT title FROM firsts WHERE anchor = ?1 AND first = n.value LIMIT ?2))
		FROM json_each(?3) AS n WHERE n.value <> ?4 AND EXISTS (SELECT 1 FROM firsts WHERE anchor = ?1 AND first = n.value)`, string(anchor), manyShare+1, string(list), anyName)
	if err != nil {
		return nil, nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var name, titles string
		if err := rows.Scan(&name, &titles); err != nil {
			return nil, nil, err
		}
		var ids []string
		if err := json.Unmarshal([]byte(titles), &ids); err != nil {
			return nil, nil, err
		}
		sort(name, ids)
	}
	return few, many, rows.Err()
}

// manyShare is how many titles may share a folder before it is looked into.
const manyShare = 8

// maxBeside is how many titles one location is held against.
const maxBeside = 200

// Beside gives the titles that keep something right where a location points, by the first
// names below its anchor: those whose files it can match are among them, and others.
func (k *Kept) Beside(at string) ([]*manifest.Title, error) {
	a, first, second, ok := firstNames(at)
	if !ok {
		return nil, nil
	}
	ids, err := k.ids(`SELECT DISTINCT title FROM firsts WHERE anchor = ?1 AND (?2 = ?4 OR first IN (?2, ?4)) AND (?3 IN ('', ?4) OR second IN (?3, '', ?4)) LIMIT ?5`, string(a), first, second, anyName, maxBeside)
	if err != nil || len(ids) == 0 {
		return nil, err
	}
	return k.TitlesOf(ids)
}
