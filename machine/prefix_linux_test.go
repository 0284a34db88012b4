package machine

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/place"
	"endroit/standin/winetest"
)

const (
	machineHive = `WINE REGISTRY Version 2
;; All keys relative to REGISTRY\\Machine

[Software\\Microsoft\\Windows NT\\CurrentVersion\\ProfileList] 1795576273
"ProgramData"=str(2):"C:\\ProgramData"
"Public"=str(2):"C:\\users\\Public"

[Software\\Microsoft\\Windows NT\\CurrentVersion\\ProfileList\\S-1-5-21-0-0-0-1000] 1795576273
"ProfileImagePath"="C:\\users\\player"

[Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders] 1795576272
"Common AppData"=str(2):"%ProgramData%"
"Common Documents"=str(2):"%PUBLIC%\\Documents"

[Software\\Saltglass\\Voyage] 1795576272
"Number"=dword:00000003
`
	userHive = `WINE REGISTRY Version 2
;; All keys relative to REGISTRY\\User\\S-1-5-21-0-0-0-1000

[Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders] 1795576272
"AppData"=str(2):"%USERPROFILE%\\AppData\\Roaming"
"Local AppData"=str(2):"D:\\Local"
"Personal"=str(2):"%USERPROFILE%\\Documents"

[Software\\Tidewrack] 1795576273
"Captain"="Sedge"
`
)

// prefix makes a prefix with a second drive and documents that are the person's
// own, and returns it with that person's home.
func prefix(t *testing.T, hives map[string]string) (folder, home string) {
	t.Helper()
	folder, home = t.TempDir(), tree(t, "Saltglass/saves/voyage.glass", "diary.txt")
	other := tree(t, "Local/Tidewrack/settings.ini")
	for _, f := range []string{"users/player/AppData/Roaming/TIDEWRACK/12345678/Profile.BIN", "users/player/Saved Games/Lantern Hollow/7/world.lhs", "users/Public/Documents/x", "windows/system.ini"} {
		p := filepath.Join(folder, "drive_c", f)
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, []byte(f), 0o644))
	}
	require.NoError(t, os.Mkdir(filepath.Join(folder, "dosdevices"), 0o755))
	for name, to := range map[string]string{"dosdevices/c:": "../drive_c", "dosdevices/d:": other, "dosdevices/z:": "/", "drive_c/users/player/Documents": home} {
		require.NoError(t, os.Symlink(to, filepath.Join(folder, name)))
	}
	for name, text := range hives {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte(text), 0o644))
	}
	return folder, home
}

func open(t *testing.T, folder string) *Prefix {
	t.Helper()
	p, err := OpenPrefix(t.Context(), folder)
	require.NoError(t, err)
	return p
}

func located(t *testing.T, p *Prefix, at string) Found {
	t.Helper()
	l, err := place.Parse(at)
	require.NoError(t, err)
	f, err := p.Find(t.Context(), l, nil)
	require.NoError(t, err)
	return f
}

func TestAPrefixHasItsOwnKnownFolders(t *testing.T) {
	folder, home := prefix(t, map[string]string{"system.reg": machineHive, "user.reg": userHive})
	p := open(t, folder)
	assert.Empty(t, p.Notes)
	assert.Equal(t, "player", p.User)
	c := filepath.Join(folder, "drive_c")
	for anchor, want := range map[place.Anchor]string{
		place.PrefixDrive: c, place.Home: c + "/users/player", place.RoamingAppData: c + "/users/player/AppData/Roaming", place.SavedGames: c + "/users/player/Saved Games",
		place.LocalLowAppData: c + "/users/player/AppData/LocalLow", place.PublicDocuments: c + "/users/Public/Documents", place.ProgramData: c + "/ProgramData", place.Documents: home,
	} {
		assert.Equal(t, want, p.Roots[anchor], anchor)
	}
	assert.Equal(t, `D:\Local`, p.Windows[place.LocalAppData], "moved to another drive")
	drives := p.Drives()
	assert.Len(t, drives, 3)
	assert.Equal(t, c, drives["c:"])
	assert.Equal(t, "/", drives["z:"])
	assert.DirExists(t, drives["d:"]+"/Local")

	f := located(t, p, "roaming-app-data:Tidewrack/{account}/profile.bin")
	require.Len(t, f.Files, 1, "names compare without regard to case")
	assert.Equal(t, c+"/users/player/AppData/Roaming/TIDEWRACK", f.Folder, "as the disk has it")
	assert.Equal(t, "12345678", f.Files[0].Captures["account"])
	assert.Equal(t, `C:\users\player\AppData\Roaming\TIDEWRACK\12345678\Profile.BIN`, p.WindowsPath(place.RoamingAppData, f.Files[0].Path))
	f = located(t, p, "documents:saltglass/Saves/")
	require.Len(t, f.Files, 1, "also where the documents are the person's own")
	assert.Equal(t, home+"/Saltglass/saves/voyage.glass", f.Files[0].Path)
	assert.Equal(t, `C:\users\player\Documents\Saltglass\saves\voyage.glass`, p.WindowsPath(place.Documents, f.Files[0].Path))
	assert.Len(t, located(t, p, "local-app-data:Tidewrack/settings.ini").Files, 1)
	assert.Contains(t, located(t, p, "saved-games:Nowhere/*.sav").Missing, "Saved Games/Nowhere does not exist")
	assert.Empty(t, p.WindowsPath(place.Documents, "/etc/passwd"))
}

func TestTheRegistryOfAPrefix(t *testing.T) {
	folder, _ := prefix(t, map[string]string{"system.reg": machineHive, "user.reg": userHive})
	p := open(t, folder)
	for path, want := range map[string]struct {
		values int
		found  bool
	}{
		"HKEY_CURRENT_USER/Software/tidewrack":  {1, true},
		"HKEY_CURRENT_USER/Software/Nowhere":    {0, false},
		"HKEY_LOCAL_MACHINE/Software/Saltglass": {0, true},
	} {
		values, found, err := p.HasKey(strings.Split(path, "/"))
		require.NoError(t, err)
		assert.Equal(t, want.values, values, path)
		assert.Equal(t, want.found, found, path)
	}
	_, _, err := p.HasKey(nil)
	assert.Error(t, err)
}

// What was read of a hive counts as long as the file is the same.
func TestHivesAreRemembered(t *testing.T) {
	folder, _ := prefix(t, map[string]string{"system.reg": machineHive, "user.reg": userHive})
	roots := place.Roots{place.XDGCache: t.TempDir()}
	file, long := filepath.Join(folder, "user.reg"), time.Now().Add(-time.Hour)
	keys := wantedKeys([]string{`Software\Tidewrack`})
	captain := func(keys []string) (name string, read bool) {
		t.Helper()
		m := remember(roots, keys)
		p, err := openPrefix(t.Context(), Disk{links: &links{}}, m, folder, "", keys)
		require.NoError(t, err)
		assert.Empty(t, p.Notes)
		assert.Equal(t, "player", p.User)
		assert.Equal(t, `D:\Local`, p.Windows[place.LocalAppData])
		name, _ = p.user.Text(`Software\tidewrack`, "captain")
		m.save()
		return name, m.changed
	}
	require.NoError(t, os.Chtimes(file, long, long))
	name, read := captain(keys)
	assert.Equal(t, "Sedge", name)
	assert.True(t, read)
	name, read = captain(keys)
	assert.Equal(t, "Sedge", name)
	assert.False(t, read, "nothing was read")

	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(userHive, "Sedge", "Marsh", 1)), 0o644))
	require.NoError(t, os.Chtimes(file, long, long))
	name, read = captain(keys)
	assert.Equal(t, "Marsh", name, "of the same size, and its time was set back")
	assert.True(t, read)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(userHive, "Sedge", "Reeds", 1)), 0o644))
	name, read = captain(keys)
	assert.Equal(t, "Reeds", name, "of the same size, changed at another time")
	assert.True(t, read)
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(userHive, "Sedge", "Fen", 1)), 0o644))
	require.NoError(t, os.Chtimes(file, long, long))
	name, _ = captain(keys)
	assert.Equal(t, "Fen", name, "of the same time, of another size")
	_, read = captain(wantedKeys(nil))
	assert.True(t, read, "for other keys")
	strange := []string{"", "{", `{"version": 9}`, "\xbf\xff", "\xa1\x65hives\xbb\xff\xff\xff\xff\xff\xff\xff\xff"}
	for _, k := range []keptHives{{Version: memoryVersion + 1, Keys: keys}, {Version: memoryVersion, Keys: []string{}}, {}} {
		other, err := memoryWriter.Marshal(k)
		require.NoError(t, err)
		strange = append(strange, string(other))
	}
	for _, broken := range strange {
		require.NoError(t, os.WriteFile(filepath.Join(roots[place.XDGCache], "endroit/hives.cbor"), []byte(broken), 0o600))
		name, read = captain(keys)
		assert.Equal(t, "Fen", name)
		assert.True(t, read, broken)
	}
}

func TestWithoutItsHivesTheUsualPlacesCount(t *testing.T) {
	for name, hives := range map[string]map[string]string{"missing": {}, "broken": {"system.reg": "regf", "user.reg": userHive[:300]}} {
		folder, home := prefix(t, hives)
		p := open(t, folder)
		assert.NotEmpty(t, p.Notes, name)
		assert.Equal(t, "player", p.User, name)
		assert.Equal(t, home, p.Roots[place.Documents], name)
		assert.Len(t, located(t, p, "saved-games:Lantern Hollow/{account}/").Files, 1, name)
	}
}

func TestMalformedPrefixes(t *testing.T) {
	_, err := OpenPrefix(t.Context(), t.TempDir())
	assert.ErrorIs(t, err, ErrNoPrefix)
	assert.ErrorContains(t, err, "drive_c")

	// A known folder that is this machine's whole file system, on a drive that is
	// not there, or that climbs, is left out, with a note.
	for value, says := range map[string]string{`Z:\\`: "whole file system", `Q:\\x`: "no drive Q:", `C:\\..\\..\\etc`: "climbs", `C:\\missing\\..\\..\\..\\etc`: "climbs", `relative`: "drive's letter", `%TREASURE%\\x`: ""} {
		folder, _ := prefix(t, map[string]string{"system.reg": machineHive, "user.reg": strings.Replace(userHive, `%USERPROFILE%\\Documents`, value, 1)})
		p := open(t, folder)
		assert.Empty(t, p.Roots[place.Documents], value)
		assert.Contains(t, strings.Join(p.Notes, "\n"), says, value)
	}

	folder, _ := prefix(t, nil)
	require.NoError(t, os.MkdirAll(filepath.Join(folder, "drive_c/users/another"), 0o755))
	p := open(t, folder)
	assert.Contains(t, strings.Join(p.Notes, "\n"), "several users")
	require.NoError(t, os.RemoveAll(filepath.Join(folder, "dosdevices")))
	assert.NotEmpty(t, open(t, folder).Roots[place.PrefixDrive], "drive C is found without its link")
}

func TestAPrefixThatWineMade(t *testing.T) {
	made := winetest.Prefix(t)
	p := open(t, made.Folder)
	assert.Empty(t, p.Notes)
	for _, d := range place.Definitions {
		if d.Value != "" {
			assert.DirExists(t, p.Roots[d.Anchor], d.Anchor)
		}
	}

	// The Windows build passes the tests of this folder too.
	out := made.Run(t, made.BuildTests(t, "endroit/machine"), "-test.v", "-test.timeout=120s")
	for _, want := range []string{"TestRootsAreTheKnownFolders", "TestTheRealRegistry", "TestFind", "TestFindAgreesWithMatch", "TestFoldersThatAPersonNames", "TestMalformedDatabases", "TestAFileThatIsBeingWritten"} {
		assert.Contains(t, out, "--- PASS: "+want+" (")
	}
	assert.NotContains(t, out, "--- FAIL")
}

// A file that is named whole is shown as it is called on the disk.
func TestAFileInAnyCase(t *testing.T) {
	folder, _ := prefix(t, nil)
	top := filepath.Join(folder, "drive_c/users/player/AppData/Roaming/TIDEWRACK/12345678")
	at := "roaming-app-data:Tidewrack/12345678/profile.bin"
	f := located(t, open(t, folder), at)
	require.Len(t, f.Files, 1)
	assert.Equal(t, filepath.Join(top, "Profile.BIN"), f.Folder)
	for _, name := range []string{"PROFILE.bin", "profile.bin"} {
		require.NoError(t, os.WriteFile(filepath.Join(top, name), nil, 0o644))
		f = located(t, open(t, folder), at)
		assert.Equal(t, filepath.Join(top, name), f.Folder, "the first, then the one that is called so")
	}
	assert.Len(t, f.Files, 3)
	f = located(t, open(t, folder), "roaming-app-data:tidewrack/12345678/missing.bin")
	assert.Empty(t, f.Files)
	assert.Equal(t, filepath.Join(top, "missing.bin"), f.Folder)
	assert.Equal(t, filepath.Join(top, "missing.bin")+" does not exist", f.Missing)
}
