// Package launchers makes the stand-in launchers of the demo's world: a real tree
// on disk for each, and the sheet that describes it.
//
//	err := launchers.All(home, secondDisk)
//	s, err := sheet.Parse(launchers.Sheets[0].Text)
package launchers

import (
	"database/sql"
	_ "embed"
	"fmt"
	"os"
	"path/filepath"
	"runtime"

	_ "modernc.org/sqlite" // Brasslight's shelf
)

// The sheets that describe them.
var (
	//go:embed quayside.yaml
	QuaysideSheet []byte
	//go:embed brasslight.yaml
	BrasslightSheet []byte
	//go:embed larder.yaml
	LarderSheet []byte
)

// Sheet is a launcher's sheet with the name of its file.
type Sheet struct {
	File string
	Text []byte
}

// Sheets are all of them.
var Sheets = []Sheet{{"quayside.yaml", QuaysideSheet}, {"brasslight.yaml", BrasslightSheet}, {"larder.yaml", LarderSheet}}

// All installs every launcher in a home, with a second disk.
func All(home, disk string) error {
	for _, make := range []func(home, disk string) error{Quayside, Brasslight, Larder} {
		if err := make(home, disk); err != nil {
			return err
		}
	}
	return nil
}

// QuaysideHome is where Quayside is installed in a home, on this system.
func QuaysideHome(home string) string {
	if runtime.GOOS == "windows" {
		return filepath.Join(home, "AppData", "Local", "Quayside")
	}
	return filepath.Join(home, ".local", "share", "quayside")
}

// BrasslightHome is where Brasslight is.
func BrasslightHome(home string) string {
	if runtime.GOOS == "windows" {
		return filepath.Join(home, "AppData", "Roaming", "Brasslight")
	}
	return filepath.Join(home, ".local", "share", "brasslight")
}

// unplugged is a library on a disk that is not there.
func unplugged() string {
	if runtime.GOOS == "windows" {
		return `Q:\QuaysideLibrary`
	}
	return "/media/unplugged/QuaysideLibrary"
}

// tree writes files below a folder.
func tree(top string, files map[string]string) error {
	for name, text := range files {
		name = filepath.Join(top, name)
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// Quayside installs the launcher in a home, with titles in its own library and in
// one on a second disk, two accounts, a prefix, and an entry of a library that is
// not plugged in.
func Quayside(home, disk string) error {
	top := QuaysideHome(home)
	second := filepath.Join(disk, "QuaysideLibrary")
	err := tree(top, map[string]string{
		"settings/libraries.qk": fmt.Sprintf(
			"\"libraries\"\n{\n\t\"1\"\n\t{\n\t\t\"path\"\t%q\n\t}\n\t\"2\"\n\t{\n\t\t\"path\"\t%q\n\t}\n\t\"3\"\n\t{\n\t\t\"path\"\t%q\n\t}\n}\n",
			top, second, unplugged(),
		),
		"settings/accounts.qk": "\"accounts\"\n{\n\t\"a\" { \"number\" \"90210017\" \"name\" \"gullwatch\" \"current\" \"1\" }\n" +
			"\t\"b\" { \"number\" \"90210444\" \"name\" \"guest\" \"current\" \"0\" }\n}\n",
		"settings/cloud.qk":                           "\"cloud\" { \"keep-copies\" \"1\" }\n",
		"accounts/90210017/418820/remote/profile.bin": "x",
		"accounts/90210444/610777/remote/station":     "x",
		"titles/418820.entry":                         entry("418820", "Tidewrack", "1.2", "Tidewrack"),
		"installed/Tidewrack/tidewrack":               "#!/bin/sh\n",
	})
	if err != nil {
		return err
	}
	return tree(second, map[string]string{
		"titles/505310.entry":                  entry("505310", "Lantern Hollow", "3.0.4", "Lantern Hollow"),
		"installed/Lantern Hollow/lantern.exe": "MZ",
		"prefixes/505310/system.reg":           machineHive("player"),
		"prefixes/505310/user.reg":             userHive,
		"prefixes/505310/drive_c/users/player/Saved Games/Lantern Hollow/90210017/world.lhs": "a lantern, lit",
		"titles/610777.entry": entry("610777", "The Quiet Signal", "1.4", "Quiet Signal"),
	})
}

func entry(ref, name, version, folder string) string {
	return fmt.Sprintf(
		"\"entry\"\n{\n\t\"reference\"\t%q\n\t\"name\"\t\t%q\n\t\"version\"\t%q\n\t\"folder\"\t%q\n}\n", ref,
		name, version, folder,
	)
}

// Brasslight installs the launcher in a home: its shelf is an SQLite database,
// its settings are JSON. On the second disk it has a title of its own with a
// prefix, and it starts a title that Quayside laid out.
func Brasslight(home, disk string) error {
	top := BrasslightHome(home)
	second := filepath.Join(disk, "Brasslight")
	saltglass := filepath.Join(second, "Saltglass")
	err := tree(top, map[string]string{
		"config/places.json":   fmt.Sprintf("{\"places\": [{\"folder\": %q}]}\n", second),
		"config/members.json":  "{\"members\": [{\"id\": \"m-4471\", \"called\": \"gullwatch\", \"signed_in\": true}]}\n",
		"config/settings.json": "{\"sync\": {\"enabled\": false}}\n",
		"members/m-4471/.keep": "",
	})
	if err == nil {
		err = tree(second, map[string]string{
			"Saltglass/saltglass.exe": "MZ",
			"compat/SG-02/system.reg": machineHive("brass"),
			"compat/SG-02/user.reg":   userHive,
			"compat/SG-02/drive_c/users/brass/Documents/Saltglass/saves/voyage.glass": "a voyage",
			"compat/SG-02/drive_c/users/brass/Documents/Saltglass/options.cfg":        "sea=calm\n",
		})
	}
	if err == nil {
		err = os.MkdirAll(filepath.Join(top, "data"), 0o755)
	}
	if err != nil {
		return err
	}
	return shelf(filepath.Join(top, "data", "shelf.db"), [][]any{
		{"SG-02", "Saltglass", "1.0.3", saltglass, "brasslight"},
		{"505310", "Lantern Hollow", nil, nil, "quayside"},
	})
}

// shelf makes Brasslight's database with its rows still in the journal beside it,
// as while the launcher runs.
func shelf(file string, rows [][]any) error {
	own, err := os.MkdirTemp("", "endroit-shelf-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(own)
	made := filepath.Join(own, "shelf.db")
	db, err := sql.Open("sqlite", "file:"+filepath.ToSlash(made)+"?_pragma=journal_mode(wal)&_pragma=wal_autocheckpoint(0)")
	if err != nil {
		return err
	}
	defer db.Close() // which would bring the journal in, so the files are taken before
	if _, err := db.Exec(
		`CREATE TABLE shelf (number TEXT, title TEXT NOT NULL, build TEXT, folder TEXT,
			bought_at TEXT NOT NULL, added DATETIME DEFAULT '2026-10-02 18:30:00')`,
	); err != nil {
		return err
	}
	for _, r := range rows {
		if _, err := db.Exec(
			`INSERT INTO shelf (number, title, build, folder, bought_at) VALUES (?, ?, ?, ?, ?)`,
			r...); err != nil {
			return err
		}
	}
	for _, suffix := range []string{"", "-wal"} {
		data, err := os.ReadFile(made + suffix)
		if err != nil {
			return err
		}
		if err := os.WriteFile(file+suffix, data, 0o644); err != nil {
			return err
		}
	}
	return nil
}

// Larder lays out what its plain installers do: a native title in a folder of the
// person's choice, with the installer's own file in it, and a Windows title in
// the person's own prefix, with an entry in the list of installed programs.
func Larder(home, _ string) error {
	err := tree(filepath.Join(home, ".wine"), map[string]string{
		"system.reg": machineHive("mira") + LarderEntry(),
		"user.reg":   userHive,
	})
	if err != nil {
		return err
	}
	return LarderFiles(home, "mira")
}

// LarderFiles are Larder's titles without the registry of the prefix in which one
// of them is; the prefix's user is inner.
func LarderFiles(home, inner string) error {
	users := filepath.Join(".wine", "drive_c", "users", inner)
	return tree(home, map[string]string{
		"games/copperfen/copperfen":                                                                 "#!/bin/sh\n",
		"games/copperfen/larder.toml":                                                               receipt("Copperfen", "2.3"),
		"games/copperfen/saves/fen-a.dat":                                                           "a fen",
		"games/copperfen/copperfen.cfg":                                                             "reeds=tall\n",
		".wine/drive_c/Larder Games/Ninefold Orchard/orchard.exe":                                   "MZ",
		".wine/drive_c/Larder Games/Ninefold Orchard/larder.toml":                                   receipt("Ninefold Orchard", "1.1.0"),
		filepath.Join(users, "AppData", "Roaming", "Ninefold Orchard", "orchards", "first.orchard"): "nine trees",
		filepath.Join(users, "AppData", "Local", "Ninefold Orchard", "settings.toml"):               "wind = 3\n",
	})
}

func receipt(name, version string) string {
	return fmt.Sprintf("# written by Larder's installer\n[product]\nname = %q\nversion = %q\n", name, version)
}

// The hives of a prefix, in Wine's text form, as far as they matter.
func machineHive(user string) string {
	return `WINE REGISTRY Version 2
;; All keys relative to REGISTRY\\Machine

[Software\\Microsoft\\Windows NT\\CurrentVersion\\ProfileList\\S-1-5-21-0-0-0-1000] 1795576273
"ProfileImagePath"="C:\\users\\` + user + `"
`
}

const userHive = `WINE REGISTRY Version 2
;; All keys relative to REGISTRY\\User\\S-1-5-21-0-0-0-1000

[Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders] 1795576272
"{4C5C32FF-BB9D-43B0-B5B4-2D72E54EAAA4}"=str(2):"%USERPROFILE%\\Saved Games"
`

// LarderKey is the key of Larder's entry in the list of installed programs, and
// LarderValues what stands in it.
const LarderKey = `Software\Microsoft\Windows\CurrentVersion\Uninstall\Ninefold Orchard`

// LarderValues are the values of LarderKey.
var LarderValues = [][2]string{
	{"DisplayName", "Ninefold Orchard"},
	{"DisplayVersion", "1.1.0"},
	{"Publisher", "Larder"},
	{"InstallLocation", `C:\Larder Games\Ninefold Orchard`},
}

// LarderEntry is Larder's entry as a hive has it.
func LarderEntry() string {
	text := "\n[" + doubled(LarderKey) + "] 1795576273\n"
	for _, v := range LarderValues {
		text += fmt.Sprintf("\"%s\"=\"%s\"\n", v[0], doubled(v[1]))
	}
	return text
}

func doubled(text string) (out string) {
	for _, r := range text {
		if r == '\\' {
			out += `\`
		}
		out += string(r)
	}
	return out
}
