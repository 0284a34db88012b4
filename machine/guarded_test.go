package machine

import (
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/place"
	"endroit/core/sheet"
)

// Whatever a location is called, what it comes to is held against where it really is.
func TestGuardedPlacesByWhatIsThere(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("links need rights there")
	}
	home, err := filepath.EvalSymlinks(t.TempDir())
	require.NoError(t, err)
	t.Setenv("HOME", home)
	put := func(name string) {
		path := filepath.Join(home, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o700))
		require.NoError(t, os.WriteFile(path, []byte("x"), 0o600))
	}
	for _, name := range []string{".ssh/a.sav", ".config/google-chrome/Default/a.sav", ".tidewrack/a.sav", "games/Tidewrack/a.sav", "games/Tidewrack/wallet.dat", "notes.sav"} {
		put(name)
	}
	link := func(to, name string) { require.NoError(t, os.Symlink(to, filepath.Join(home, name))) }
	link(".ssh", ".saltglass")
	link(filepath.Join(home, ".config", "google-chrome"), "games/Tidewrack/profiles")
	link("../.ssh/a.sav", ".tidewrack/b.sav")
	require.NoError(t, os.Link(filepath.Join(home, ".ssh/a.sav"), filepath.Join(home, ".tidewrack/c.sav")))
	require.NoError(t, os.Link(filepath.Join(home, ".tidewrack/a.sav"), filepath.Join(home, ".tidewrack/d.sav")))
	roots := place.Roots{place.Home: home, place.Install: home + "/games/Tidewrack"}
	find := func(roots place.Roots, text string) (names []string, missing string) {
		l, err := place.Parse(text)
		require.NoError(t, err, text)
		for _, f := range []*Finder{NewFinder(), {}} {
			found, err := f.Find(t.Context(), roots, l, nil)
			require.NoError(t, err, text)
			names = nil
			for _, x := range found.Files {
				rel, err := filepath.Rel(home, x.Path)
				require.NoError(t, err)
				names = append(names, filepath.ToSlash(rel))
			}
			missing = said(found)
		}
		return names, missing
	}
	names, missing := find(roots, "home:.tidewrack/*.sav")
	slices.Sort(names)
	if runtime.GOOS == "linux" {
		assert.Equal(t, []string{".tidewrack/a.sav", ".tidewrack/d.sav"}, names, missing)
		assert.Contains(t, missing, "c.sav was left out: it is the same file as "+home+"/.ssh/a.sav")
	}
	assert.Contains(t, missing, "b.sav was left out: reaches too far: it can match in home:.ssh")
	names, missing = find(roots, "home:.saltglass/*.sav")
	assert.Empty(t, names, "the folder is a link to keys")
	assert.Contains(t, missing, "keys and certificates")
	names, _ = find(roots, "install:**/*.sav")
	assert.Equal(t, []string{"games/Tidewrack/a.sav"}, names, "a link in an installation leads to a browser's profile")
	names, missing = find(roots, "install:*.dat")
	assert.Empty(t, names)
	assert.Contains(t, missing, "wallets")
	for _, top := range []string{home, filepath.Dir(home), "/"} {
		names, missing = find(place.Roots{place.Home: home, place.Install: top}, "install:notes.sav")
		assert.Empty(t, names, top)
		assert.Contains(t, missing, "which is or contains a home directory: it is not searched", top)
		names, _ = find(place.Roots{place.Home: home, place.Documents: top}, "documents:notes.sav")
		assert.Empty(t, names, top)
	}
	for _, set := range []place.Anchor{place.Install, place.AccountData, place.Documents} {
		for _, top := range []string{"/.config", "/.local"} {
			roots := place.Roots{place.Home: home, place.XDGConfig: home + "/.config", place.XDGData: home + "/.local/share", set: home + top}
			require.NoError(t, os.MkdirAll(home+"/.local/share", 0o700))
			names, missing = find(roots, string(set)+":tidewrack/notes.sav")
			assert.Empty(t, names, set)
			assert.Contains(t, missing, ", the folder of all programs: it is not searched", "%s at %s", set, top)
		}
	}
	link(home, "games/all")
	names, missing = find(place.Roots{place.Home: home, place.Install: home + "/games/all"}, "install:notes.sav")
	assert.Empty(t, names)
	assert.Contains(t, missing, "which is or contains a home directory: it is not searched", "by identity, not by name")
	names, _ = find(place.Roots{place.Install: home + "/.ssh"}, "install:*.sav")
	assert.Empty(t, names, "an installation that is set to a guarded place")
}

// What a sheet names as a launcher's home is the launcher's, but for what is its titles'.
func TestLaunchersOwnFiles(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("Wine, which runs these tests, does not remove the files afterwards (Invalid function)")
	}
	home, err := filepath.EvalSymlinks(t.TempDir())
	require.NoError(t, err)
	t.Setenv("HOME", home)
	at := func(name string) string { return filepath.Join(home, filepath.FromSlash(name)) }
	for _, name := range []string{"quay/settings/a.sav", "quay/installed/Tidewrack/a.sav", "quay/accounts/1/a.sav", "quay/prefixes/7/a.sav", "quayside/a.sav"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(at(name)), 0o700))
		require.NoError(t, os.WriteFile(at(name), []byte("x"), 0o600))
	}
	survey := &Survey{
		Found:    []sheet.Found{{Name: "Quayside", Home: at("quay"), Libraries: []sheet.Library{{Folder: at("quay"), Editions: []sheet.Edition{{Folder: at("quay/installed/Tidewrack")}}}}, Accounts: []sheet.Account{{Folder: at("quay/accounts/1")}}}},
		Prefixes: []InPrefix{{Folder: at("quay/prefixes/7")}},
	}
	f := survey.Finder()
	defer f.Close()
	for text, want := range map[string][]string{
		"home:quay/**/*.sav":     {"quay/accounts/1/a.sav", "quay/installed/Tidewrack/a.sav", "quay/prefixes/7/a.sav"},
		"home:quay/settings/":    nil,
		"home:quayside/":         {"quayside/a.sav"},
		"install:settings/a.sav": nil,
	} {
		l, err := place.Parse(text)
		require.NoError(t, err, text)
		found, err := f.Find(t.Context(), place.Roots{place.Home: home, place.Install: at("quay")}, l, nil)
		require.NoError(t, err, text)
		var names []string
		for _, x := range found.Files {
			rel, err := filepath.Rel(home, x.Path)
			require.NoError(t, err)
			names = append(names, filepath.ToSlash(rel))
		}
		slices.Sort(names)
		assert.Equal(t, want, names, text)
		if text != "home:quayside/" {
			assert.Contains(t, said(found), "which belongs to Quayside itself", text)
		}
	}
}

// Beside guarded places lie files of games: right in the folder for settings, for one. They
// are found; what is guarded beside them, by whatever way it is reached, is not.
func TestFilesBesideGuardedPlaces(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("links need rights there")
	}
	home, err := filepath.EvalSymlinks(t.TempDir())
	require.NoError(t, err)
	t.Setenv("HOME", home)
	for _, name := range []string{".config/tarn.conf", ".config/kwinrc", ".config/awesome/rc.lua", ".local/share/tarn/a.sav"} {
		path := filepath.Join(home, filepath.FromSlash(name))
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o700))
		require.NoError(t, os.WriteFile(path, []byte("x"), 0o600))
	}
	require.NoError(t, os.Symlink(".config", filepath.Join(home, ".tarn")))
	roots := place.LinuxRoots(map[string]string{"HOME": home})
	for text, want := range map[string]int{
		"xdg-config:tarn.conf":   1,
		"home:.config/tarn.conf": 1,
		"xdg-data:tarn/*.sav":    1,
		"home:.tarn/tarn.conf":   1, // through the link, and still a game's
		"home:.tarn/kwinrc":      0,
		"home:.tarn/*":           1,
	} {
		l, err := place.Parse(text)
		require.NoError(t, err, text)
		for _, f := range []*Finder{NewFinder(), {}} {
			found, err := f.Find(t.Context(), roots, l, nil)
			require.NoError(t, err, text)
			assert.Len(t, found.Files, want, "%s: %s", text, said(found))
		}
	}
}
