package locate

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/localmanifest"
	"endroit/machine"
	"endroit/published/publishedtest"
	"endroit/standin/launchers"
)

// written makes empty files below a folder, each a second younger than the one
// before.
func written(t *testing.T, top string, names ...string) {
	t.Helper()
	for i, n := range names {
		p := filepath.Join(top, n)
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, nil, 0o644))
		when := time.Date(2026, 11, 24, 12, 0, i, 0, time.UTC)
		require.NoError(t, os.Chtimes(p, when, when))
	}
}

func title(name string, variants ...manifest.Variant) *manifest.Title {
	for i := range variants {
		for j := range variants[i].Locations {
			variants[i].Locations[j].Reason = "seen by 1 person on 1 machine, in a traced run"
		}
	}
	return &manifest.Title{ID: publishedtest.ID(name), Name: name, Variants: variants}
}

func at(locations ...string) (out []manifest.Location) {
	for _, l := range locations {
		out = append(out, manifest.Location{At: l, Holds: "save", Standing: "observed"})
	}
	return out
}

// located resolves a title.
func located(t *testing.T, h *Resolver, of *manifest.Title, scope Scope) Title {
	t.Helper()
	found, err := h.Title(t.Context(), of, scope)
	require.NoError(t, err)
	return found
}

func TestEachEditionAndEachAccountIsLookedUp(t *testing.T) {
	top := t.TempDir()
	written(t, top, "one/saves/a.dat", "two/saves/b.dat", "accounts/11/418820/p.bin", "accounts/22/418820/p.bin")
	in := func(folder string) sheet.Edition {
		return sheet.Edition{Store: "quayside", Ref: "418820", Name: "Tidewrack", Version: "1.2", Folder: filepath.Join(top, folder)}
	}
	accounts := []sheet.Account{{ID: "22", Name: "mira", InUse: true, Folder: filepath.Join(top, "accounts/22")}, {ID: "11", Folder: filepath.Join(top, "accounts/11")}, {ID: "33"}}
	h := New(&machine.Survey{Installed: []sheet.Installed{
		{Edition: in("one"), System: machine.System(), Launcher: "quayside", Accounts: accounts}, {Edition: in("two"), System: machine.System(), Launcher: "quayside", Accounts: accounts},
		{Edition: sheet.Edition{Store: "quayside", Ref: "7", Name: "Other", Folder: top}, System: machine.System()},
	}}, place.Roots{})
	variant := manifest.Variant{Store: "quayside", Ref: "418820", Launcher: "quayside", OS: machine.System(), Runtime: "native", Locations: at("install:saves/", "account-data:{ref}/p.bin")}
	found := located(t, h, title("Tidewrack", variant), Everywhere)
	require.Len(t, found.Variants, 4, "an account that has no folder yet is skipped")
	one, other := found.Variants[0], found.Variants[1]
	assert.Equal(t, filepath.Join(top, "one"), one.Install)
	assert.Equal(t, "1.2", one.Version)
	assert.Equal(t, "22 (mira), in use", one.Account, "the account in use comes first")
	require.Len(t, one.Locations, 2)
	assert.Equal(t, filepath.Join(top, "one/saves/a.dat"), one.Locations[0].Files[0].Path)
	assert.Equal(t, filepath.Join(top, "accounts/22/418820/p.bin"), one.Locations[1].Files[0].Path)
	require.Len(t, other.Locations, 1, "the others add only what lies in their folder")
	assert.Equal(t, filepath.Join(top, "accounts/11/418820/p.bin"), other.Locations[0].Files[0].Path)
	assert.Equal(t, filepath.Join(top, "accounts/22/418820/p.bin"), found.Newest)

	// Started by a launcher that is not here, sold by another store, or installed
	// nowhere: the locations that need an installation say so.
	variant.Launcher = "brasslight"
	found = located(t, h, title("Tidewrack", variant), Everywhere)
	require.Len(t, found.Variants, 1)
	assert.Contains(t, found.Variants[0].Locations[0].Error, "--install FOLDER")
	assert.Contains(t, found.Variants[0].Locations[1].Error, "account folder")
	h.Install = filepath.Join(top, "two")
	found = located(t, h, title("Tidewrack", variant), Everywhere)
	assert.Equal(t, filepath.Join(top, "two/saves/b.dat"), found.Variants[0].Locations[0].Files[0].Path)
}

// What the launcher's own files say of its cloud is held against what each location finds.
func TestTheCloudByTheLaunchersOwnFiles(t *testing.T) {
	top := t.TempDir()
	written(t, top, "g/saves/a.dat", "g/saves/b.dat", "g/savesets/c.dat", "g/mixed/d.dat", "g/mixed/kept/e.dat")
	e := sheet.Installed{
		Edition: sheet.Edition{Store: "quayside", Ref: "418820", Name: "Tidewrack", Version: "1.2", Folder: filepath.Join(top, "g")},
		System:  machine.System(), Launcher: "quayside",
	}
	variant := manifest.Variant{
		Store: "quayside", Ref: "418820", Launcher: "quayside", OS: machine.System(), Runtime: "native",
		Locations: at("install:saves/", "install:savesets/", "install:mixed/", "install:gone/", "install:saves/none/"),
	}
	said := func(folders ...string) (said []string) {
		e.CloudFolders = nil
		for _, f := range folders {
			e.CloudFolders = append(e.CloudFolders, filepath.ToSlash(filepath.Join(top, f)))
		}
		h := New(&machine.Survey{Installed: []sheet.Installed{e}}, place.Roots{})
		for _, l := range located(t, h, title("Tidewrack", variant), Everywhere).Variants[0].Locations {
			said = append(said, l.CloudLists)
		}
		return said
	}
	assert.Equal(t, []string{"", "", "", "", ""}, said(), "it says nothing")
	assert.Equal(t, []string{"kept", "not kept", "part", "not kept", "kept"}, said("g/saves", "g/mixed/kept"))
	assert.Equal(t, []string{"part", "not kept", "not kept", "not kept", "not kept"}, said("g/saves/a.dat"))
	assert.Equal(t, []string{"kept", "kept", "kept", "kept", "kept"}, said("g"))
}

func TestAnEditionWithoutAReferenceIsToldByItsTitle(t *testing.T) {
	top := t.TempDir()
	written(t, top, "fen/saves/a.dat")
	h := New(&machine.Survey{Installed: []sheet.Installed{{Edition: sheet.Edition{Store: "larder", Name: "COPPERFEN", Folder: filepath.Join(top, "fen")}, System: machine.System()}}}, place.Roots{})
	v := manifest.Variant{Store: "larder", OS: machine.System(), Runtime: "native", Locations: at("install:saves/")}
	assert.Equal(t, filepath.Join(top, "fen"), located(t, h, title("Copperfen", v), Everywhere).Variants[0].Install)
	assert.Empty(t, located(t, h, title("Saltglass", v), Everywhere).Variants[0].Install)
}

// What is recorded and not on this machine is named apart, unless nothing of the
// title is here.
func TestOnlyWhatIsThereIsShown(t *testing.T) {
	h, home, _ := surveyed(t)
	native := manifest.Variant{Store: "larder", OS: "linux", Runtime: "native", Locations: at("xdg-data:ninefold-orchard/almanac.dat")}
	prefix := manifest.Variant{Store: "larder", OS: "linux", Runtime: "prefix", Locations: at("roaming-app-data:Ninefold Orchard/orchards/*.orchard")}
	found := located(t, h, title("Ninefold Orchard", native, prefix), Everywhere)
	require.Len(t, found.Variants, 1)
	assert.Equal(t, home+"/.wine", found.Variants[0].Prefix)
	assert.Equal(t, []string{"larder, linux native"}, found.Elsewhere)
	found = located(t, h, title("Ninefold Orchard", native), Everywhere)
	require.Len(t, found.Variants, 1, "where they would have to be put")
	assert.Contains(t, found.Variants[0].Locations[0].Missing, "does not exist")
	written(t, home, ".local/share/ninefold-orchard/almanac.dat")
	assert.Len(t, located(t, h, title("Ninefold Orchard", native, prefix), Everywhere).Variants, 2)
}

// surveyed is the stand-in launchers' machine.
func surveyed(t *testing.T) (h *Resolver, home, disk string) {
	t.Helper()
	if machine.System() != "linux" {
		t.Skip("the stand-ins are Linux trees")
	}
	home, disk = t.TempDir(), t.TempDir()
	require.NoError(t, launchers.All(home, disk))
	t.Setenv("WINEPREFIX", "")
	var sheets []*sheet.Sheet
	for _, x := range launchers.Sheets {
		s, err := sheet.Parse(x.Text)
		require.NoError(t, err)
		sheets = append(sheets, s)
	}
	roots := place.LinuxRoots(map[string]string{"HOME": home})
	survey, err := machine.Look(t.Context(), sheets, roots, nil, nil)
	require.NoError(t, err)
	return New(survey, roots), home, disk
}

func TestAWindowsBuildInItsPrefix(t *testing.T) {
	h, _, disk := surveyed(t)
	prefix := disk + "/QuaysideLibrary/prefixes/505310"
	written(t, prefix+"/drive_c/users/player/Saved Games/Lantern Hollow", "5550001/world.lhs", "90210017/world.lhs", "90210017/old.lhs")
	written(t, prefix+"/drive_c/users/player/Saved Games/Lantern Hollow", "5550001/newest.lhs")
	require.NoError(t, os.Chtimes(prefix+"/drive_c/users/player/Saved Games/Lantern Hollow/5550001/newest.lhs", time.Now(), time.Now()))
	v := manifest.Variant{Store: "quayside", Ref: "505310", Launcher: "brasslight", OS: "linux", Runtime: "prefix", Locations: at("saved-games:Lantern Hollow/{account}/", "registry:HKEY_CURRENT_USER/Software/Lantern/", "documents:Lantern/x.cfg")}
	found := located(t, h, title("Lantern Hollow", v), Everywhere)
	require.Len(t, found.Variants, 1)
	one := found.Variants[0]
	assert.Equal(t, prefix, one.Prefix)
	assert.Equal(t, "quayside, brasslight", one.StartedBy)
	assert.Equal(t, []place.Form{{For: place.ForFileManager, Text: `%USERPROFILE%\Saved Games\Lantern Hollow`}, {For: place.ForPrograms, Text: `C:\users\player\Saved Games\Lantern Hollow`},
		{For: place.ForShell, Text: "'" + prefix + "/drive_c/users/player/Saved Games/Lantern Hollow'"}}, one.Locations[0].Forms)
	var accounts []string
	for _, f := range one.Locations[0].Files {
		accounts = append(accounts, f.Captures["account"])
	}
	assert.Equal(t, []string{"90210017", "90210017", "5550001", "5550001"}, accounts, "the account in use first")
	assert.Equal(t, prefix+"/drive_c/users/player/Saved Games/Lantern Hollow/5550001/newest.lhs", found.Newest)
	assert.Contains(t, one.Locations[1].Missing, "the prefix's registry has no such key")
	assert.Equal(t, `HKEY_CURRENT_USER\Software\Lantern`, one.Locations[1].Forms[0].Text)
	assert.Contains(t, one.Locations[2].Missing, "does not exist")
}

func TestAVariantRecordedForAnotherStoreIsShownOnce(t *testing.T) {
	h, _, _ := surveyed(t)
	brasslight := manifest.Variant{Store: "brasslight", Ref: "SG-02", Launcher: "brasslight", OS: "linux", Runtime: "prefix", Locations: at("documents:Saltglass/saves/")}
	quayside := manifest.Variant{Store: "quayside", Ref: "733015", Launcher: "quayside", OS: "windows", Runtime: "native", Locations: at("documents:Saltglass/saves/", "documents:Saltglass/photos/*.png")}
	found := located(t, h, title("Saltglass", quayside, brasslight), Everywhere)
	require.Len(t, found.Variants, 1)
	assert.Contains(t, found.Variants[0].Variant, "brasslight SG-02")
	assert.Empty(t, located(t, h, title("Saltglass", quayside), Scope{}).Variants, "no prefix is in that scope")
}

// What is present is found by the names in a few folders, not by walking.
func TestLocateAll(t *testing.T) {
	h, home, _ := surveyed(t)
	written(t, home, ".local/share/ninefold/a.sav", ".config/TIDE/x", "Documents/My Games/Fen/a.sav", "Documents/My Games/Other/b", ".var/app/example.Signal/config/quietsignal/s.json")
	h = New(h.survey, h.roots) // the sandbox is new
	native := func(locations ...string) manifest.Variant {
		return manifest.Variant{OS: "linux", Runtime: "native", Locations: at(locations...)}
	}
	titles := []manifest.Title{
		*title("Copperfen", native("documents:My Games/Fen/")),
		*title("Lantern Hollow", manifest.Variant{Store: "quayside", Ref: "505310", OS: "linux", Runtime: "prefix", Locations: at("saved-games:Lantern Hollow/")}),
		*title("Ninefold Orchard", native("xdg-data:ninefold/*.sav"), manifest.Variant{OS: "windows", Runtime: "native", Locations: at("roaming-app-data:ninefold orchard/")}),
		*title("Saltglass", native("xdg-data:saltglass/")),
		*title("The Quiet Signal", native("xdg-config:quietsignal/s.json")),
		*title("Tidewrack", native("xdg-config:tide/x")),
		*title("Wildcards", native("xdg-data:nine*d/*.sav")),
	}
	for i := range 30 { // many share a folder
		name := fmt.Sprintf("z%02d", i)
		titles = append(titles, *title(name, native("documents:My Games/"+name+"/")))
	}
	folder := t.TempDir()
	put(t, folder, 1, titles, nil)
	k, err := localmanifest.Open(t.Context(), folder, nil)
	require.NoError(t, err)
	defer k.Close()
	last := 0
	all, err := h.All(t.Context(), k, nil, func(done, of int) {
		last = of
		assert.LessOrEqual(t, done, of)
	})
	require.NoError(t, err)
	var names []string
	for _, x := range all {
		names = append(names, x.Title)
	}
	// Saltglass and Tidewrack are installed and have nothing there; a Linux name in
	// another case is another name.
	assert.Equal(t, []string{"Copperfen", "Lantern Hollow", "Ninefold Orchard", "Saltglass", "The Quiet Signal", "Tidewrack", "Wildcards"}, names)
	assert.False(t, all[5].Variants[0].HasFiles())
	assert.Len(t, all[2].Variants, 2, "the native copy and the prefix")
	assert.Equal(t, "example.Signal", all[4].Variants[0].Sandbox)
	assert.LessOrEqual(t, last, 12, "few titles were tried")

	// A brief answer has the same files, and so has one that was begun before.
	ahead := StartAhead(t.Context(), k, h.roots)
	h.SummaryOnly()
	brief, err := h.All(t.Context(), k, ahead, nil)
	require.NoError(t, err)
	forms := 0
	for i := range all {
		for j := range all[i].Variants {
			for n := range all[i].Variants[j].Locations {
				l := &all[i].Variants[j].Locations[n]
				forms += len(l.Forms)
				l.Forms = []place.Form{}
				for f := range l.Files {
					l.Files[f].Captures = nil
				}
			}
		}
	}
	assert.NotZero(t, forms)
	assert.Equal(t, all, brief)
}

// What cannot be looked up in the manifest is an error, wherever it is met.
func TestAllOfADamagedIndex(t *testing.T) {
	h, _, _ := surveyed(t)
	folder := t.TempDir()
	put(t, folder, 1, []manifest.Title{*title("Tidewrack", manifest.Variant{OS: "linux", Runtime: "native", Locations: at("xdg-data:tidewrack/")})}, nil)
	k, err := localmanifest.Open(t.Context(), folder, nil)
	require.NoError(t, err)
	require.NoError(t, k.Close())
	_, err = h.All(t.Context(), k, nil, nil)
	assert.Error(t, err)
	ahead := StartAhead(t.Context(), k, h.roots)
	ahead.Wait()
	assert.Error(t, ahead.err)
}

// What a launcher lists and is missing is reported, with where it should be.
func TestListedEditionWithoutItsFolder(t *testing.T) {
	h, _, disk := surveyed(t)
	v := manifest.Variant{Store: "quayside", Ref: "610777", OS: "linux", Runtime: "native", Locations: at("install:saves/", "xdg-config:quiet-signal/station.json")}
	for _, name := range []string{"The Quiet Signal", "Signal (the quiet one)"} { // by its reference too
		found := located(t, h, title(name, v), Everywhere)
		require.Len(t, found.Gone, 1, name)
		assert.Equal(t, disk+"/QuaysideLibrary/installed/Quiet Signal", found.Gone[0].Folder)
		assert.Contains(t, found.Gone[0].Missing, "and its folder does not exist")
	}
	v.Store = "larder"
	assert.Empty(t, located(t, h, title("Another", v), Everywhere).Gone, "a reference counts at its own store")
}

// On Windows a path is written with the variable that leads there, and without it
// where somebody moved the folder.
func TestFormsOnWindows(t *testing.T) {
	environment := func(name string) string {
		return map[string]string{"APPDATA": `C:\Users\mira\AppData\Roaming`, "USERPROFILE": `C:\Users\mira\`, "LOCALAPPDATA": `D:\Local`}[name]
	}
	for _, c := range []struct {
		anchor               place.Anchor
		folder, top, manager string
	}{
		{place.RoamingAppData, "C:/Users/mira/AppData/Roaming/Tidewrack", "C:/Users/mira/AppData/Roaming", `%APPDATA%\Tidewrack`},
		{place.RoamingAppData, "c:/users/MIRA/appdata/roaming/Tidewrack", "C:/Users/mira/AppData/Roaming", `%APPDATA%\Tidewrack`},
		{place.RoamingAppData, "E:/Moved/Tidewrack", "E:/Moved", `E:\Moved\Tidewrack`},
		{place.LocalAppData, "D:/Local/Tidewrack/a b.cfg", "D:/Local", `%LOCALAPPDATA%\Tidewrack\a b.cfg`},
		{place.SavedGames, "C:/Users/mira/Saved Games/Lantern Hollow", "C:/Users/mira/Saved Games", `%USERPROFILE%\Saved Games\Lantern Hollow`},
		{place.ProgramData, "C:/ProgramData/x", "C:/ProgramData", `C:\ProgramData\x`},
		{place.Install, "D:/Games/Tidewrack/saves", "D:/Games/Tidewrack", `D:\Games\Tidewrack\saves`},
		{place.RoamingAppData, "C:/x", "", `C:\x`},
	} {
		forms := windowsForms(c.anchor, c.folder, c.top, environment)
		require.Len(t, forms, 2, c.folder)
		assert.Equal(t, place.Form{For: place.ForFileManager, Text: c.manager}, forms[0], c.folder)
		assert.Equal(t, place.ForPowerShell, forms[1].For)
		assert.NotContains(t, forms[1].Text, "%", "PowerShell has variables of its own")
	}
}

func TestAKeyOfTheRegistryInAPrefix(t *testing.T) {
	h, home, _ := surveyed(t)
	hive := "WINE REGISTRY Version 2\n;; All keys relative to REGISTRY\\\\User\\\\S-1-5-21-0-0-0-1000\n\n[Software\\\\Ninefold Orchard] 1795576272\n\"Wind\"=dword:00000003\n\"Rain\"=\"often\"\n"
	require.NoError(t, os.WriteFile(filepath.Join(home, ".wine", "user.reg"), []byte(hive), 0o644))
	v := manifest.Variant{Store: "larder", OS: "linux", Runtime: "prefix", Locations: at("registry:HKEY_CURRENT_USER/Software/Ninefold Orchard/", "registry:HKEY_CURRENT_USER/Software/Larder/", "registry:HKEY_LOCAL_MACHINE/Software/Larder/")}
	found := located(t, h, title("Ninefold Orchard", v), Everywhere)
	require.Len(t, found.Variants, 1)
	key, missing, machines := found.Variants[0].Locations[0], found.Variants[0].Locations[1], found.Variants[0].Locations[2]
	require.NotNil(t, key.Values)
	assert.Equal(t, 2, *key.Values)
	assert.Equal(t, home+"/.wine/user.reg", key.Folder, "the file that keeps it")
	assert.Contains(t, key.Forms[0].Text, `HKEY_CURRENT_USER\Software\Ninefold Orchard`)
	assert.Nil(t, missing.Values)
	assert.Contains(t, missing.Missing, "the prefix's registry has no such key")
	assert.Contains(t, machines.Missing, "the prefix's registry has no such key")
	assert.True(t, found.Variants[0].HasFiles(), "values count")
	assert.Empty(t, found.Newest, "they have no time")
}

// What is recorded for other systems alone is shown where its files would be.
func TestUsualPaths(t *testing.T) {
	h := New(&machine.Survey{}, place.Roots{})
	windows := manifest.Variant{Store: "quayside", Ref: "7", OS: "windows", Runtime: "native", Locations: at("saved-games:Fen/*.sav", "install:saves/")}
	mac := manifest.Variant{Store: "quayside", Ref: "7", OS: "macos", Runtime: "native", Locations: at("mac-preferences:fen.plist")}
	if machine.System() != "linux" {
		t.Skip("the variants are those of other systems than Linux")
	}
	found := located(t, h, title("Fen", windows, mac), Everywhere)
	assert.Empty(t, found.Variants)
	require.Len(t, found.Usual, 2)
	assert.Equal(t, "windows", found.Usual[0].System)
	assert.Equal(t, "7", found.Usual[0].Reference)
	assert.Equal(t, []UsualLocation{{"saved-games:Fen/*.sav", "save", `%USERPROFILE%\Saved Games\Fen\*.sav`}, {"install:saves/", "save", ""}}, found.Usual[0].Locations)
	h.OS = "macos"
	found = located(t, h, title("Fen", windows, mac), Everywhere)
	require.Len(t, found.Usual, 1)
	assert.Equal(t, "~/Library/Preferences/fen.plist", found.Usual[0].Locations[0].Path)
}

// The same files reached by two installed editions are shown and counted once.
func TestTwoEditionsOfTheSameFiles(t *testing.T) {
	top := t.TempDir()
	written(t, top, "share/fen/a.sav", "one/x", "two/x")
	edition := func(store, folder string) sheet.Installed {
		return sheet.Installed{Edition: sheet.Edition{Store: store, Ref: "7", Name: "Fen", Folder: filepath.Join(top, folder)}, System: machine.System()}
	}
	h := New(&machine.Survey{Installed: []sheet.Installed{edition("quayside", "one"), edition("larder", "two")}}, place.Roots{place.XDGData: filepath.Join(top, "share")})
	variant := func(store string) manifest.Variant {
		return manifest.Variant{Store: store, Ref: "7", OS: machine.System(), Runtime: "native", Locations: at("xdg-data:fen/*.sav")}
	}
	found := located(t, h, title("Fen", variant("quayside"), variant("larder")), Everywhere)
	require.Len(t, found.Variants, 2)
	assert.Len(t, found.Variants[0].Locations, 1)
	assert.Empty(t, found.Variants[1].Locations)
	assert.Equal(t, 1, found.Variants[1].Shared)
}

// A location counts for the versions that it holds for, and not once it is withdrawn; one
// that is disputed is shown, as one that nothing may be changed by.
func TestCorrectedLocations(t *testing.T) {
	top := t.TempDir()
	written(t, top, "old/a.sav", "new/a.sav", "gone/a.sav", "said/a.sav")
	v := manifest.Variant{Store: "quayside", Ref: "7", OS: machine.System(), Runtime: "native", Locations: at("install:old/", "install:new/", "install:gone/", "install:said/")}
	v.Locations[0].Versions = &standing.Range{To: "1.9"}
	v.Locations[1].Versions = &standing.Range{From: "1.10"}
	v.Locations[2].Standing = standing.Withdrawn
	v.Locations[3].Standing = standing.Disputed
	for version, want := range map[string][]string{"1.9.3": {"install:said/"}, "1.2": {"install:old/", "install:said/"}, "1.10": {"install:new/", "install:said/"}, "": {"install:old/", "install:new/", "install:said/"}} {
		h := New(&machine.Survey{Installed: []sheet.Installed{{Edition: sheet.Edition{Store: "quayside", Ref: "7", Name: "Fen", Version: version, Folder: top}, System: machine.System()}}}, place.Roots{})
		found := located(t, h, title("Fen", v), Everywhere)
		require.Len(t, found.Variants, 1)
		var shown []string
		for _, l := range found.Variants[0].Locations {
			shown = append(shown, l.At)
			assert.Equal(t, l.At != "install:said/", l.Usable, l.At)
		}
		assert.Equal(t, want, shown, version)
	}
}

// put makes titles and sheets the local manifest in a folder.
func put(t require.TestingT, folder string, revision int, titles []manifest.Title, sheets []manifest.Sheet) {
	news, err := publishedtest.News(revision, titles, sheets)
	require.NoError(t, err)
	_, err = localmanifest.Fetch(context.Background(), folder, news, localmanifest.Options{})
	require.NoError(t, err)
}
