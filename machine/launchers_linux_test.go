package machine

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/standin/launchers"
)

func TestEveryLauncherIsSurveyed(t *testing.T) {
	_, home, disk, look := allLaunchers(t)
	told := 0
	s := look()
	assert.Empty(t, s.Notes)
	require.Len(t, s.Installed, 4)

	saltglass := editionNamed(t, s, "Saltglass")
	assert.Equal(t, "brasslight", saltglass.Launcher)
	assert.Equal(t, sheet.Edition{Store: "brasslight", Ref: "SG-02", Name: "Saltglass", Version: "1.0.3", Folder: disk + "/Brasslight/Saltglass", Prefix: disk + "/Brasslight/compat/SG-02", PrefixUser: "brass"}, saltglass.Edition)
	lantern := editionNamed(t, s, "Lantern Hollow")
	assert.Equal(t, "quayside", lantern.Store)
	assert.Equal(t, "quayside", lantern.Launcher)
	assert.Equal(t, []string{"brasslight"}, lantern.StartedBy)
	assert.Equal(t, disk+"/QuaysideLibrary/prefixes/505310", lantern.Prefix, "inside Quayside's prefix, whoever starts it")
	orchard := editionNamed(t, s, "Ninefold Orchard")
	assert.Empty(t, orchard.Launcher)
	assert.Equal(t, "windows", orchard.System)
	assert.Equal(t, home+"/.wine/drive_c/Larder Games/Ninefold Orchard", orchard.Folder)
	assert.Equal(t, home+"/.wine", orchard.Prefix)

	b := foundBy(t, s, "brasslight")
	assert.False(t, *b.Cloud)
	assert.True(t, b.Accounts[0].InUse)
	require.Len(t, s.Prefixes, 3)
	users := map[string]string{}
	for _, p := range s.Prefixes {
		require.NotNil(t, p.Prefix, p.Folder)
		users[p.Folder] = p.User
		assert.NotEmpty(t, p.Of)
	}
	assert.Equal(t, map[string]string{disk + "/Brasslight/compat/SG-02": "brass", disk + "/QuaysideLibrary/prefixes/505310": "player", home + "/.wine": "mira"}, users)
	_, err := Look(t.Context(), nil, place.Roots{}, []Named{{Folder: home + "/.wine"}}, func(done, of int) { told++ })
	require.NoError(t, err)
	assert.Equal(t, 1, told)
}

func TestPrefixesThatAPersonNames(t *testing.T) {
	_, home, _, look := allLaunchers(t)
	prefix := tree(t, "drive_c/users/somebody/x", "x")
	s := look(Named{Folder: prefix}, Named{Folder: home + "/.wine/drive_c/Larder Games/Ninefold Orchard"})
	assert.Equal(t, "you added it", s.Prefixes[len(s.Prefixes)-1].Why)
	orchards := 0
	for _, i := range s.Installed {
		if i.Name == "Ninefold Orchard" {
			orchards++
		}
	}
	assert.Equal(t, 1, orchards, "what the registry lists already is not listed twice")
}

// A launcher that is a sandboxed application has its places below the
// application's own folders.
func TestALauncherInASandbox(t *testing.T) {
	sheets, home, disk, look := allLaunchers(t)
	require.NoError(t, os.MkdirAll(filepath.Join(home, ".var/app/example.Quayside"), 0o755))
	require.NoError(t, os.Rename(filepath.Join(home, ".local/share"), filepath.Join(home, ".var/app/example.Quayside/data")))
	s := look()
	f := foundBy(t, s, "quayside")
	assert.Equal(t, "example.Quayside", f.Sandbox)
	assert.Equal(t, home+"/.var/app/example.Quayside/data/quayside", f.Home)
	assert.Equal(t, disk+"/QuaysideLibrary/installed/Lantern Hollow", editionNamed(t, s, "Lantern Hollow").Folder)
	_ = sheets
}

func TestALauncherInsideAPrefix(t *testing.T) {
	s, err := sheet.Parse([]byte(`
format: endroit/sheet/1
id: quayside
name: Quayside
systems:
  windows:
    home: [program-data:Quayside/]
    libraries: {files: places.ini, as: ini, each: '$[?@.path]', folder: $.path}
    titles: {files: 'list/*.json', as: json, ref: $.ref, name: $.name, folder: $.folder}
    accounts:
      folder: People/{account}/
      known: {keys: [HKEY_CURRENT_USER/Software/Quayside/Signed In/], id: "$['#values'].Account", in-use: "$['#values'].Now"}
`))
	require.NoError(t, err)
	prefix := filled(t, "drive_c/ProgramData/QUAYSIDE/Places.INI", "[a]\npath=D:\\Games\n[b]\npath=E:\\Gone\n[c]\npath=/etc\n",
		"drive_c/ProgramData/QUAYSIDE/people/77/x", "", "drive_c/users/mira/x", "",
		"disk/Games/List/one.json", `{"ref": "418820", "name": "Tidewrack", "folder": "D:\\Games\\Tidewrack"}`, "disk/Games/tidewrack/t.exe", "",
		"user.reg", "WINE REGISTRY Version 2\n\n[Software\\\\Quayside\\\\Signed In] 1795576272\n\"Account\"=\"77\"\n\"Now\"=dword:00000001\n")
	require.NoError(t, os.MkdirAll(filepath.Join(prefix, "dosdevices"), 0o755))
	require.NoError(t, os.Symlink("../drive_c", filepath.Join(prefix, "dosdevices/c:")))
	require.NoError(t, os.Symlink("../disk", filepath.Join(prefix, "dosdevices/d:")))
	survey, err := Look(t.Context(), []*sheet.Sheet{s}, place.Roots{}, []Named{{Folder: prefix}}, nil)
	require.NoError(t, err)
	f := foundBy(t, survey, "quayside")
	assert.Equal(t, prefix, f.Prefix)
	require.Len(t, f.Libraries, 2, "names in any case, and other drives")
	assert.Equal(t, prefix+"/disk/Games", f.Libraries[1].Folder)
	require.Len(t, f.Libraries[1].Editions, 1)
	assert.Equal(t, prefix+"/disk/Games/tidewrack", f.Libraries[1].Editions[0].Folder, "as it is called on the disk")
	assert.Empty(t, f.Libraries[1].Editions[0].Missing)
	assert.Equal(t, []sheet.Account{{ID: "77", Folder: prefix + "/drive_c/ProgramData/QUAYSIDE/people/77", InUse: true}}, f.Accounts)
	require.Len(t, f.Notes, 2)
	assert.Contains(t, f.Notes[0].What, "there is no drive E:")
	assert.Contains(t, f.Notes[1].What, "/etc")
}

// What the person may not read is listed with the reason; the rest still shows.
func TestUnreadableFiles(t *testing.T) {
	_, home, disk, look := allLaunchers(t)
	for _, top := range []string{home, disk} { // a test's folders are for their owner
		require.NoError(t, os.Chmod(filepath.Dir(top), 0o755))
	}
	top := launchers.QuaysideHome(home)
	entry, accounts, hive := filepath.Join(disk, "QuaysideLibrary/titles/505310.entry"), filepath.Join(top, "accounts"), filepath.Join(disk, "Brasslight/compat/SG-02/user.reg")
	for _, closed := range []string{entry, accounts, hive} {
		require.NoError(t, os.Chmod(closed, 0))
		t.Cleanup(func() { _ = os.Chmod(closed, 0o755) })
	}
	var s *Survey
	asAnybody(t, func() { s = look() })
	f := foundBy(t, s, "quayside")
	noted := map[string]string{}
	for _, n := range f.Notes {
		noted[n.Where] = n.What
	}
	assert.Contains(t, noted[entry], "permission denied")
	assert.Equal(t, accounts+" cannot be listed: permission denied", noted["accounts/{account}/"])
	assert.Equal(t, "Tidewrack", f.Libraries[0].Editions[0].Name)
	assert.Equal(t, "The Quiet Signal", f.Libraries[1].Editions[0].Name)
	editionNamed(t, s, "Saltglass")
	said := ""
	for _, p := range s.Prefixes {
		if strings.HasSuffix(p.Folder, "SG-02") {
			said = strings.Join(p.Notes, "; ")
		}
	}
	assert.Contains(t, said, "user.reg")
	assert.Contains(t, said, "permission denied")
}

// asAnybody runs f without root's right to read what is closed.
func asAnybody(t *testing.T, f func()) {
	t.Helper()
	if os.Geteuid() == 0 {
		require.NoError(t, syscall.Seteuid(65534))
		defer func() { require.NoError(t, syscall.Seteuid(0)) }()
	}
	f()
}

// Libraries that are one folder by several ways, or lead in a circle, count once.
func TestLinkedLibraries(t *testing.T) {
	_, home, disk, look := allLaunchers(t)
	top := filepath.Join(home, ".local/share/quayside")
	require.NoError(t, os.Symlink(filepath.Join(disk, "QuaysideLibrary"), filepath.Join(disk, "again")))
	require.NoError(t, os.Symlink("loop", filepath.Join(disk, "loop")))
	require.NoError(t, os.Symlink(top, filepath.Join(disk, "home")))
	require.NoError(t, os.WriteFile(filepath.Join(top, "settings/libraries.qk"),
		[]byte(`"libraries" { "1" { "path" "`+disk+`/QuaysideLibrary" } "2" { "path" "`+disk+`/again" } "3" { "path" "`+disk+`/loop" } "4" { "path" "`+disk+`/home" } "5" { "path" "C:\\Games" } }`), 0o644))
	f := foundBy(t, look(), "quayside")
	require.Len(t, f.Libraries, 3)
	assert.Equal(t, disk+"/loop", f.Libraries[2].Folder)
	var says []string
	for _, n := range f.Notes {
		says = append(says, n.What)
	}
	assert.Contains(t, strings.Join(says, "; "), "too many levels of symbolic links")
	assert.Contains(t, strings.Join(says, "; "), "a path of another system")
}

// filled is a folder with files: each a name and what is in it.
func filled(t *testing.T, files ...string) string {
	t.Helper()
	top := t.TempDir()
	for i := 0; i < len(files); i += 2 {
		name := filepath.Join(top, files[i])
		require.NoError(t, os.MkdirAll(filepath.Dir(name), 0o755))
		require.NoError(t, os.WriteFile(name, []byte(files[i+1]), 0o644))
	}
	return top
}
