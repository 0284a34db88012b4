package machine

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/standin/launchers"
)

// quayside is the stand-in launcher in a home of its own.
func quayside(t *testing.T) (s *sheet.Sheet, home, disk string, read func() sheet.Found) {
	t.Helper()
	home, disk = t.TempDir(), t.TempDir()
	require.NoError(t, launchers.Quayside(home, disk))
	s, err := sheet.Parse(launchers.QuaysideSheet)
	require.NoError(t, err)
	return s, home, disk, func() sheet.Found {
		found := s.Read("linux", Disk{place.LinuxRoots(map[string]string{"HOME": home})})
		require.Len(t, found, 1)
		return found[0]
	}
}

func TestASheetFindsWhatIsInstalled(t *testing.T) {
	_, home, disk, read := quayside(t)
	f := read()
	top := filepath.Join(home, ".local/share/quayside")
	assert.Equal(t, top, f.Home)
	require.Len(t, f.Libraries, 3)
	own, second, unplugged := f.Libraries[0], f.Libraries[1], f.Libraries[2]
	assert.Equal(t, []sheet.Edition{{Store: "quayside", Ref: "418820", Name: "Tidewrack", Version: "1.2", Folder: top + "/installed/Tidewrack"}}, own.Editions)
	require.Len(t, second.Editions, 2)
	assert.Equal(t, disk+"/QuaysideLibrary/prefixes/505310", second.Editions[0].Prefix)
	assert.Contains(t, second.Editions[1].Missing, "listed as installed")
	assert.Contains(t, unplugged.Missing, "not plugged in")
	require.Len(t, f.Accounts, 2)
	assert.Equal(t, sheet.Account{ID: "90210017", Name: "mira", Folder: top + "/accounts/90210017", InUse: true}, f.Accounts[0])
	require.NotNil(t, f.Cloud)
	assert.True(t, *f.Cloud)
	assert.Empty(t, f.Notes)
}

func TestOddLauncherFilesAreNotedAndTheRestIsFound(t *testing.T) {
	for name, c := range map[string]struct {
		file, text string
		says       string
	}{
		"truncated":              {"titles/610777.entry", `"entry" { "reference" "6`, "closing quote"},
		"another format":         {"titles/610777.entry", "\x00\x01", "quoted text is due"},
		"without a name":         {"titles/610777.entry", `"entry" { "reference" "610777" "folder" "x" }`, "without reference, name or folder"},
		"nothing that counts":    {"titles/610777.entry", `"something" "else"`, "finds nothing"},
		"out of the library":     {"titles/610777.entry", `"entry" { "reference" "610777" "name" "X" "folder" "../../../etc" }`, "leads out of the library"},
		"a folder claimed twice": {"titles/9.entry", `"entry" { "reference" "9" "name" "Y" "folder" "Tidewrack" }`, "both claim"},
		"a library at the top":   {"settings/libraries.qk", `"libraries" { "1" { "path" "/" } }`, "no folder with a full path"},
		"a relative library":     {"settings/libraries.qk", `"libraries" { "1" { "path" "games" } }`, "no folder with a full path"},
		"a library of nothing":   {"settings/libraries.qk", `"libraries" { "1" { "drive" "x" } }`, "without a folder"},
		"huge":                   {"titles/610777.entry", strings.Repeat(" ", sheet.MaxFile+1), "larger than"},
	} {
		_, home, _, read := quayside(t)
		file := filepath.Join(home, ".local/share/quayside", c.file)
		require.NoError(t, os.WriteFile(file, []byte(c.text), 0o644))
		f := read()
		require.NotEmpty(t, f.Notes, name)
		assert.Contains(t, f.Notes[0].What, c.says, name)
		assert.Equal(t, file, f.Notes[0].Where, name)
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
	top := filepath.Join(home, ".local/share/quayside")
	require.NoError(t, os.WriteFile(filepath.Join(outside, "7.entry"), []byte(`"entry" { "reference" "7" "name" "Outside" "folder" "x" }`), 0o644))
	require.NoError(t, os.Symlink(filepath.Join(outside, "7.entry"), filepath.Join(top, "titles/7.entry")))
	require.NoError(t, os.Symlink(outside, filepath.Join(top, "accounts/linked")))
	require.NoError(t, os.Symlink("418820.entry", filepath.Join(top, "titles/inner.entry")))
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
	assert.Empty(t, s.Read("linux", Disk{place.LinuxRoots(map[string]string{"HOME": t.TempDir()})}))
	assert.Empty(t, s.Read("windows", Disk{place.Roots{}}))
	assert.Empty(t, s.Read("linux", Disk{place.Roots{}}))
}
