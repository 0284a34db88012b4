package machine

import (
	"database/sql"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/sheet"
	"endroit/standin/launchers"
)

// allLaunchers are the stand-ins in a home of their own, with a second disk.
func allLaunchers(t *testing.T) (sheets []*sheet.Sheet, home, disk string, look func(named ...Named) *Survey) {
	t.Helper()
	home, disk = own(t), own(t)
	require.NoError(t, launchers.All(home, disk))
	for _, x := range launchers.Sheets {
		s, err := sheet.Parse(x.Text)
		require.NoError(t, err, x.File)
		sheets = append(sheets, s)
	}
	t.Setenv("WINEPREFIX", "")
	return sheets, home, disk, func(named ...Named) *Survey {
		survey, err := Look(t.Context(), sheets, rootsOf(home), named, nil)
		require.NoError(t, err)
		return survey
	}
}

func editionNamed(t *testing.T, s *Survey, name string) sheet.Installed {
	t.Helper()
	for _, i := range s.Installed {
		if i.Name == name {
			return i
		}
	}
	require.Fail(t, "not installed: "+name)
	return sheet.Installed{}
}

func foundBy(t *testing.T, s *Survey, launcher string) sheet.Found {
	t.Helper()
	for _, f := range s.Found {
		if f.Launcher == launcher {
			return f
		}
	}
	require.Fail(t, "not found: "+launcher)
	return sheet.Found{}
}

func TestFoldersThatAPersonNames(t *testing.T) {
	_, home, _, look := allLaunchers(t)
	s := look(Named{Folder: home + "/games/copperfen"}, Named{Folder: own(t)},
		Named{Folder: own(t), Title: "The Quiet Signal", Store: "quayside"}, Named{Folder: home + "/gone", Title: "Tidewrack"})
	copperfen := editionNamed(t, s, "Copperfen")
	copperfen.Folder = filepath.ToSlash(copperfen.Folder)
	assert.Equal(t, sheet.Edition{Store: "larder", Name: "Copperfen", Version: "2.3", Folder: filepath.ToSlash(home) + "/games/copperfen"}, copperfen.Edition)
	assert.Equal(t, "quayside", editionNamed(t, s, "The Quiet Signal").Store)
	f := foundBy(t, s, "")
	require.Len(t, f.Libraries[0].Editions, 3)
	assert.Contains(t, f.Libraries[0].Editions[2].Missing, "the folder does not exist; is its disk connected?")
	require.Len(t, f.Notes, 1)
	assert.Contains(t, f.Notes[0].What, "endroit machine add FOLDER --title NAME")
}

func TestMalformedDatabases(t *testing.T) {
	sheets, home, _, look := allLaunchers(t)
	file := filepath.Join(launchers.BrasslightHome(home), "data/shelf.db")
	good, err := os.ReadFile(file)
	require.NoError(t, err)
	wal, err := os.ReadFile(file + "-wal")
	require.NoError(t, err)
	made := func(statements ...string) []byte {
		name := filepath.Join(own(t), "made.db")
		db, err := sql.Open("sqlite", name)
		require.NoError(t, err)
		for _, s := range statements {
			_, err := db.Exec(s)
			require.NoError(t, err, s)
		}
		require.NoError(t, db.Close())
		data, err := os.ReadFile(name)
		require.NoError(t, err)
		return data
	}
	for name, c := range map[string]struct {
		data, wal []byte
		says      string // empty if it is read
		starts    int
	}{
		"with its journal":     {good, wal, "", 1},
		"a torn journal":       {good, wal[:len(wal)/2], "", 0}, // SQLite takes what was committed whole
		"no database":          {[]byte("not a database, but long enough to be looked at as if it were one"), nil, "it is not an SQLite database:", 0},
		"empty":                {nil, nil, "", 0},
		"cut":                  {made(`CREATE TABLE shelf (a)`, `INSERT INTO shelf VALUES (hex(zeroblob(20000)))`)[:5000], nil, "it is not an SQLite database:", 0},
		"a view":               {made(`CREATE VIEW shelf AS WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n) SELECT i FROM n`), nil, "", 0},
		"a computed column":    {made(`CREATE TABLE shelf (number TEXT, bought_at TEXT AS (hex(zeroblob(1000000))))`, `INSERT INTO shelf (number) VALUES ('1')`), nil, "", 0},
		"bytes and odd names":  {made(`CREATE TABLE shelf (number, title, bought_at, folder, "a""b")`, `INSERT INTO shelf VALUES (505310, x'ff00', 'quayside', NULL, 1.5)`), nil, "", 1},
		"very many rows":       {made(`CREATE TABLE shelf (a)`, `WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n LIMIT 50001) INSERT INTO shelf SELECT i FROM n`), nil, "more than 50000 rows", 0},
		"larger than is taken": {make([]byte, sheet.MaxFile+1), nil, "larger than", 0},
	} {
		require.NoError(t, os.WriteFile(file, c.data, 0o644))
		require.NoError(t, os.WriteFile(file+"-wal", c.wal, 0o644))
		f := foundBy(t, look(), "brasslight")
		if c.says == "" {
			assert.Empty(t, f.Notes, name)
			assert.Len(t, f.Starts, c.starts, name)
			continue
		}
		require.NotEmpty(t, f.Notes, name)
		assert.Contains(t, f.Notes[0].What, c.says, name)
		assert.Len(t, f.Libraries, 2, name)
	}
	entries, err := os.ReadDir(filepath.Dir(file))
	require.NoError(t, err)
	assert.Len(t, entries, 2, "nothing is left beside the launcher's files")
	assert.Len(t, sheets, 3)
}

// A file that is written while it is read is not taken half.
func TestAFileThatIsBeingWritten(t *testing.T) {
	_, home, _, look := allLaunchers(t)
	file := filepath.Join(launchers.QuaysideHome(home), "titles/418820.entry")
	whole, err := os.ReadFile(file)
	require.NoError(t, err)
	stop, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		for {
			select {
			case <-stop:
				return
			default: // in two halves, as a program without care does
				_ = os.WriteFile(file, whole[:len(whole)/2], 0o644)
				f, err := os.OpenFile(file, os.O_APPEND|os.O_WRONLY, 0)
				if err == nil {
					_, _ = f.Write(whole[len(whole)/2:])
					_ = f.Close()
				}
			}
		}
	}()
	for range 4 {
		f := foundBy(t, look(), "quayside")
		if len(f.Notes) > 0 { // it is being written; or its writer has paused half-way
			assert.Contains(t, f.Notes[0].Where, "418820.entry")
			assert.Empty(t, f.Libraries[0].Editions)
			assert.Len(t, f.Libraries[1].Editions, 2, "the rest still shows")
		} else {
			assert.Equal(t, "1.2", f.Libraries[0].Editions[0].Version)
		}
	}
	close(stop)
	<-ended
	f := foundBy(t, look(), "quayside")
	assert.Empty(t, f.Notes)
	assert.Equal(t, "1.2", f.Libraries[0].Editions[0].Version)
}
