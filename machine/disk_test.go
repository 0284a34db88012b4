package machine

import (
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/standin/launchers"
)

// rootsOf are the anchors of a home on this system.
func rootsOf(home string) place.Roots {
	if System() == "windows" {
		home = filepath.ToSlash(home)
		return place.Roots{place.Home: home, place.LocalAppData: home + "/AppData/Local", place.RoamingAppData: home + "/AppData/Roaming"}
	}
	return place.LinuxRoots(map[string]string{"HOME": home})
}

// quayside is the stand-in launcher in a home of its own.
func quayside(t *testing.T) (s *sheet.Sheet, home, disk string, read func() sheet.Found) {
	t.Helper()
	home, disk = own(t), own(t)
	require.NoError(t, launchers.Quayside(home, disk))
	s, err := sheet.Parse(launchers.QuaysideSheet)
	require.NoError(t, err)
	return s, home, disk, func() sheet.Found {
		found := s.Read(System(), Disk{Roots: rootsOf(home)})
		require.Len(t, found, 1)
		return found[0]
	}
}

func TestASheetFindsWhatIsInstalled(t *testing.T) {
	_, home, disk, read := quayside(t)
	f := read()
	top := filepath.ToSlash(launchers.QuaysideHome(home))
	assert.Equal(t, top, f.Home)
	require.Len(t, f.Libraries, 3)
	own, second, unplugged := f.Libraries[0], f.Libraries[1], f.Libraries[2]
	assert.Equal(t, []sheet.Edition{{Store: "quayside", Ref: "418820", Name: "Tidewrack", Version: "1.2", Folder: top + "/installed/Tidewrack"}}, own.Editions)
	require.Len(t, second.Editions, 2)
	if System() == "linux" {
		assert.Equal(t, disk+"/QuaysideLibrary/prefixes/505310", second.Editions[0].Prefix)
	}
	assert.Equal(t, filepath.ToSlash(disk)+"/QuaysideLibrary/installed/Lantern Hollow", second.Editions[0].Folder)
	assert.Contains(t, second.Editions[1].Missing, "listed as installed")
	assert.Contains(t, unplugged.Missing, "the folder does not exist; is its disk connected?")
	require.Len(t, f.Accounts, 2)
	assert.Equal(t, sheet.Account{ID: "90210017", Name: "gullwatch", Folder: top + "/accounts/90210017", InUse: true}, f.Accounts[0])
	require.NotNil(t, f.Cloud)
	assert.True(t, *f.Cloud)
	assert.Empty(t, f.Notes)
}

// Of which folders of a title copies are kept, the launcher's own file says: an entry for
// each. What is no full path is noted, and left out.
func TestASheetSaysWhatTheCloudKeeps(t *testing.T) {
	_, home, disk, read := quayside(t)
	saves := filepath.ToSlash(disk) + "/saves"
	text := `"cloud" { "keep-copies" "1" "titles" {
		"a" { "reference" "418820" "copies" "1" "folder" "` + saves + `/" }
		"b" { "reference" "418820" "copies" "1" "folder" "` + saves + `/../options.ini" }
		"c" { "reference" "418820" "copies" "1" "folder" "../../etc" }
		"d" { "reference" "505310" "copies" "0" }
	} }`
	require.NoError(t, os.WriteFile(filepath.Join(launchers.QuaysideHome(home), "settings/cloud.qk"), []byte(text), 0o600))
	f := read()
	assert.Equal(t, map[string]bool{"418820": true, "505310": false}, f.CloudTitles)
	assert.Equal(t, map[string][]string{"418820": {saves, filepath.ToSlash(disk) + "/options.ini"}}, f.CloudFolders)
	require.Len(t, f.Notes, 1)
	assert.Contains(t, f.Notes[0].What, `cloud copies of 418820 are kept of "../../etc"`)
	installed, _ := sheet.Join([]sheet.Found{f})
	for _, i := range installed {
		assert.Equal(t, i.Ref == "418820", len(i.CloudFolders) == 2, i.Ref)
	}
}

// topOfDisk is the folder that is in no other.
func topOfDisk() string {
	if runtime.GOOS == "windows" {
		return `C:\`
	}
	return "/"
}

func TestMalformedLauncherFilesAreNoted(t *testing.T) {
	for name, c := range map[string]struct {
		file, text string
		says       string
	}{
		"truncated":              {"titles/610777.entry", `"entry" { "reference" "6`, "closing quote"},
		"another format":         {"titles/610777.entry", "\x00\x01", "instead of a quoted text"},
		"without a name":         {"titles/610777.entry", `"entry" { "reference" "610777" "folder" "x" }`, "without reference, name or folder"},
		"nothing that counts":    {"titles/610777.entry", `"something" "else"`, "finds nothing"},
		"out of the library":     {"titles/610777.entry", `"entry" { "reference" "610777" "name" "X" "folder" "../../../etc" }`, "leads out of the library"},
		"a folder claimed twice": {"titles/9.entry", `"entry" { "reference" "9" "name" "Y" "folder" "Tidewrack" }`, "both claim"},
		"a library at the top":   {"settings/libraries.qk", `"libraries" { "1" { "path" "` + strings.ReplaceAll(topOfDisk(), `\`, `\\`) + `" } }`, "no folder with a full path"},
		"a relative library":     {"settings/libraries.qk", `"libraries" { "1" { "path" "games" } }`, "no folder with a full path"},
		"a library of nothing":   {"settings/libraries.qk", `"libraries" { "1" { "drive" "x" } }`, "without a folder"},
		"huge":                   {"titles/610777.entry", strings.Repeat(" ", sheet.MaxFile+1), "larger than"},
	} {
		_, home, _, read := quayside(t)
		file := filepath.Join(launchers.QuaysideHome(home), c.file)
		require.NoError(t, os.WriteFile(file, []byte(c.text), 0o644))
		f := read()
		require.NotEmpty(t, f.Notes, name)
		assert.Contains(t, f.Notes[0].What, c.says, name)
		where := file
		if name == "a folder claimed twice" {
			where = filepath.Join(launchers.QuaysideHome(home), "installed/Tidewrack")
		}
		assert.Equal(t, filepath.ToSlash(where), f.Notes[0].Where, name)
		found := false
		for _, e := range f.Libraries[0].Editions {
			found = found || e.Name == "Tidewrack"
		}
		assert.True(t, found, name)
	}
}

func TestASheetDoesNotFollowALinkOut(t *testing.T) {
	_, home, _, read := quayside(t)
	outside := tree(t, "7.entry", "secret")
	top := filepath.ToSlash(launchers.QuaysideHome(home))
	require.NoError(t, os.WriteFile(filepath.Join(outside, "7.entry"), []byte(`"entry" { "reference" "7" "name" "Outside" "folder" "x" }`), 0o644))
	link(t, filepath.Join(outside, "7.entry"), filepath.Join(top, "titles/7.entry"))
	link(t, outside, filepath.Join(top, "accounts/linked"))
	link(t, "418820.entry", filepath.Join(top, "titles/inner.entry"))
	f := read()
	for _, e := range f.Libraries[0].Editions {
		assert.NotEqual(t, "Outside", e.Name)
	}
	for _, a := range f.Accounts {
		assert.NotEqual(t, "linked", a.ID)
	}
	assert.Contains(t, f.Notes[0].What, "both claim", "a link within is followed")
}

func TestWithoutTheLauncherNothingIsFound(t *testing.T) {
	s, _, _, _ := quayside(t)
	assert.Empty(t, s.Read(System(), Disk{Roots: rootsOf(own(t))}))
	assert.Empty(t, s.Read("macos", Disk{Roots: place.Roots{}}))
	assert.Empty(t, s.Read(System(), Disk{Roots: place.Roots{}}))
}

// Whatever a database's file holds, reading it ends with a tree within its bounds
// or an error, and leaves the file as it was. (Go's fuzzing would have to follow
// all of SQLite, and does a few tries a minute.)
func TestDamagedDatabases(t *testing.T) {
	home, disk := own(t), own(t)
	require.NoError(t, launchers.Brasslight(home, disk))
	shelf := filepath.Join(launchers.BrasslightHome(home), "data", "shelf.db")
	whole, err := os.ReadFile(shelf)
	require.NoError(t, err)
	journal, err := os.ReadFile(shelf + "-wal")
	require.NoError(t, err)
	folder := own(t)
	file, long := filepath.Join(folder, "a.db"), time.Now().Add(-time.Hour)
	rapid.Check(t, func(t *rapid.T) {
		data := damaged(t, "database", whole)
		for name, text := range map[string][]byte{file: data, file + "-wal": damaged(t, "journal", journal)} {
			require.NoError(t, os.WriteFile(name, text, 0o600))
			require.NoError(t, os.Chtimes(name, long, long))
		}
		tree, err := Disk{}.Tables(folder, sheet.Entry{Names: []string{"a.db"}})
		if err == nil {
			tables := tree.(map[string]any)
			assert.LessOrEqual(t, len(tables), maxTables)
			for name, rows := range tables {
				assert.LessOrEqual(t, len(rows.([]any)), maxRows, name)
			}
		} else {
			assert.Nil(t, tree)
		}
		after, err := os.ReadFile(file)
		require.NoError(t, err)
		assert.Equal(t, data, after)
	})
}

// damaged is a text with bytes changed, or cut, or whole.
func damaged(t *rapid.T, what string, text []byte) []byte {
	out := slices.Clone(text[:rapid.OneOf(rapid.Just(len(text)), rapid.IntRange(0, len(text))).Draw(t, what+": length")])
	for _, at := range rapid.SliceOfN(rapid.IntRange(0, len(text)-1), 0, 20).Draw(t, what+": changed") {
		if at < len(out) {
			out[at] = rapid.Byte().Draw(t, what+": to")
		}
	}
	return out
}
