package machine

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"
	"unicode/utf8"

	_ "modernc.org/sqlite" // the driver

	"endroit/core/sheet"
)

// The bounds of one database.
const (
	maxTables    = 200
	maxRows      = 50_000 // of a table
	maxTableText = 64 << 20
	tablesWithin = 10 * time.Second
)

// Tables reads an SQLite database that List gave. A launcher that runs keeps its
// newest rows in a journal beside the database (FILE-wal, FILE-journal), so that
// is read too: all are copied to a folder of this program's own, and SQLite puts
// them together there. Nothing is written beside the launcher's files, and
// neither views, virtual tables nor computed columns are evaluated.
func (d Disk) Tables(folder string, e sheet.Entry) (any, error) {
	own, err := os.MkdirTemp("", "endroit-tables-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(own)
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	file := filepath.Join(own, "tables.db")
	if err := copyTables(root, filepath.Join(e.Names...), file); err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(context.Background(), tablesWithin)
	defer cancel()
	tree, err := readTables(ctx, file)
	if err != nil {
		return nil, fmt.Errorf("it is not an SQLite database: %w", err)
	}
	return tree, nil
}

// copyTables copies a database with its journals, all of one moment.
func copyTables(root *os.Root, name, to string) error {
	for try := 0; ; try++ {
		before, err := stampOf(root, name)
		if err != nil {
			return fmt.Errorf("it cannot be read: %w", reason(err))
		}
		for _, suffix := range tableFiles {
			_ = os.Remove(to + suffix)
			err := copyFile(root, name+suffix, to+suffix)
			if err != nil && (suffix == "" || !errors.Is(err, fs.ErrNotExist)) {
				return err
			}
		}
		after, err := stampOf(root, name)
		if err == nil && before == after && after.atRest() {
			return nil
		}
		if try == steadyTries {
			return errors.New("it is being written; try again when its launcher is idle")
		}
		time.Sleep(steadyPause)
	}
}

// tableFiles are the ends of the names of a database's files.
var tableFiles = [...]string{"", "-wal", "-journal"}

// stamp tells states of a database's files apart.
type stamp [len(tableFiles)]struct {
	size int64
	time int64
}

func (s stamp) atRest() bool {
	for _, f := range s {
		if f.time != 0 && !atRest(time.Unix(0, f.time)) {
			return false
		}
	}
	return true
}

func stampOf(root *os.Root, name string) (s stamp, err error) {
	for i, suffix := range tableFiles {
		info, err := root.Stat(name + suffix)
		if err == nil && !info.Mode().IsRegular() {
			err = errors.New("it is no file")
		}
		if err != nil {
			if suffix == "" {
				return s, err
			}
			continue
		}
		s[i].size, s[i].time = info.Size(), info.ModTime().UnixNano()
	}
	return s, nil
}

func copyFile(root *os.Root, name, to string) error {
	in, err := root.Open(name)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return err
	}
	n, err := io.Copy(out, io.LimitReader(in, sheet.MaxFile+1))
	if e := out.Close(); err == nil {
		err = e
	}
	if err == nil && n > sheet.MaxFile {
		err = fmt.Errorf("it is larger than %d bytes", sheet.MaxFile)
	}
	return err
}

func readTables(ctx context.Context, file string) (map[string]any, error) {
	db, err := sql.Open(
		"sqlite",
		"file:"+filepath.ToSlash(file)+"?_pragma=trusted_schema(0)&_pragma=cell_size_check(1)&_pragma=mmap_size(0)",
	)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	db.SetMaxOpenConns(1)
	names, err := texts(
		ctx, db,
		`SELECT name FROM sqlite_schema WHERE type = 'table' AND rootpage > 0 AND name NOT LIKE 'sqlite\_%' ESCAPE '\' ORDER BY name`,
	)
	if err != nil {
		return nil, err
	}
	if len(names) > maxTables {
		return nil, fmt.Errorf("it has %d tables; at most %d are read", len(names), maxTables)
	}
	tree := map[string]any{}
	left := maxTableText
	for _, name := range names {
		if tree[name], err = readTable(ctx, db, name, &left); err != nil {
			return nil, fmt.Errorf("table %.60q: %w", name, err)
		}
	}
	return tree, nil
}

func texts(ctx context.Context, db *sql.DB, query string, args ...any) (all []string, err error) {
	rows, err := db.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	for rows.Next() {
		var s string
		if err := rows.Scan(&s); err != nil {
			return nil, err
		}
		all = append(all, s)
	}
	return all, rows.Err()
}

func readTable(ctx context.Context, db *sql.DB, name string, left *int) ([]any, error) {
	// Only columns that are kept: others are computed, by whatever the file says.
	columns, err := texts(ctx, db, `SELECT name FROM pragma_table_xinfo(?) WHERE hidden = 0`, name)
	if err != nil {
		return nil, err
	}
	list := []any{}
	if len(columns) == 0 {
		return list, nil
	}
	quoted := make([]string, len(columns))
	for i, c := range columns {
		// As an expression a column has no declared type, which would turn texts
		// into times.
		quoted[i] = "+" + quoteName(c)
	}
	rows, err := db.QueryContext(ctx, "SELECT "+strings.Join(quoted, ", ")+" FROM "+quoteName(name))
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	cells := make([]any, len(columns))
	into := make([]any, len(columns))
	for i := range cells {
		into[i] = &cells[i]
	}
	for rows.Next() {
		if err := rows.Scan(into...); err != nil {
			return nil, err
		}
		if len(list) == maxRows {
			return nil, fmt.Errorf("it has more than %d rows", maxRows)
		}
		row := make(map[string]any, len(columns))
		for i, c := range columns {
			row[c] = cell(cells[i])
			if text, ok := row[c].(string); ok {
				*left -= len(text)
			}
			*left -= 16
		}
		if *left < 0 {
			return nil, fmt.Errorf("its rows have more than %d MiB", maxTableText>>20)
		}
		list = append(list, row)
	}
	return list, rows.Err()
}

func quoteName(name string) string { return `"` + strings.ReplaceAll(name, `"`, `""`) + `"` }

// cell is a value as JSON has it. Bytes that are no text come to nothing.
func cell(v any) any {
	switch v := v.(type) {
	case []byte:
		if utf8.Valid(v) {
			return string(v)
		}
		return nil
	case string:
		return strings.ToValidUTF8(v, "\uFFFD")
	}
	return v
}
