// Package launchers makes the stand-in launchers of the demo's world: a real tree
// on disk for each, and the sheet that describes it.
//
//	err := launchers.Quayside(home, secondDisk)
//	s, err := sheet.Parse(launchers.QuaysideSheet)
package launchers

import (
	_ "embed"
	"fmt"
	"os"
	"path/filepath"
)

// QuaysideSheet describes Quayside.
//
//go:embed quayside.yaml
var QuaysideSheet []byte

// Quayside installs the launcher in a home, with titles in its own library and in
// one on a second disk, two accounts, a prefix, and an entry of a library that is
// not plugged in.
func Quayside(home, disk string) error {
	top := filepath.Join(home, ".local", "share", "quayside")
	second := filepath.Join(disk, "QuaysideLibrary")
	files := map[string]string{
		filepath.Join(top, "settings/libraries.qk"):                                                                 fmt.Sprintf("\"libraries\"\n{\n\t\"1\"\n\t{\n\t\t\"path\"\t%q\n\t}\n\t\"2\"\n\t{\n\t\t\"path\"\t%q\n\t}\n\t\"3\"\n\t{\n\t\t\"path\"\t\"/media/unplugged/QuaysideLibrary\"\n\t}\n}\n", top, second),
		filepath.Join(top, "settings/accounts.qk"):                                                                  "\"accounts\"\n{\n\t\"a\" { \"number\" \"90210017\" \"name\" \"mira\" \"current\" \"1\" }\n\t\"b\" { \"number\" \"90210444\" \"name\" \"guest\" \"current\" \"0\" }\n}\n",
		filepath.Join(top, "settings/cloud.qk"):                                                                     "\"cloud\" { \"keep-copies\" \"1\" }\n",
		filepath.Join(top, "accounts/90210017/418820/remote/profile.bin"):                                           "x",
		filepath.Join(top, "accounts/90210444/610777/remote/station"):                                               "x",
		filepath.Join(top, "titles/418820.entry"):                                                                   entry("418820", "Tidewrack", "1.2", "Tidewrack"),
		filepath.Join(top, "installed/Tidewrack/tidewrack"):                                                         "#!/bin/sh\n",
		filepath.Join(second, "titles/505310.entry"):                                                                entry("505310", "Lantern Hollow", "3.0.4", "Lantern Hollow"),
		filepath.Join(second, "installed/Lantern Hollow/lantern.exe"):                                               "MZ",
		filepath.Join(second, "prefixes/505310/system.reg"):                                                         machineHive,
		filepath.Join(second, "prefixes/505310/user.reg"):                                                           userHive,
		filepath.Join(second, "prefixes/505310/drive_c/users/player/Saved Games/Lantern Hollow/90210017/world.lhs"): "a lantern, lit",
		filepath.Join(second, "titles/610777.entry"):                                                                entry("610777", "The Quiet Signal", "1.4", "Quiet Signal"),
	}
	for name, text := range files {
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(name, []byte(text), 0o644); err != nil {
			return err
		}
	}
	return nil
}

// The hives of the prefix, in Wine's text form, as far as they matter.
const (
	machineHive = `WINE REGISTRY Version 2
;; All keys relative to REGISTRY\\Machine

[Software\\Microsoft\\Windows NT\\CurrentVersion\\ProfileList\\S-1-5-21-0-0-0-1000] 1795576273
"ProfileImagePath"="C:\\users\\player"
`
	userHive = `WINE REGISTRY Version 2
;; All keys relative to REGISTRY\\User\\S-1-5-21-0-0-0-1000

[Software\\Microsoft\\Windows\\CurrentVersion\\Explorer\\User Shell Folders] 1795576272
"{4C5C32FF-BB9D-43B0-B5B4-2D72E54EAAA4}"=str(2):"%USERPROFILE%\\Saved Games"
`
)

func entry(ref, name, version, folder string) string {
	return fmt.Sprintf("\"entry\"\n{\n\t\"reference\"\t%q\n\t\"name\"\t\t%q\n\t\"version\"\t%q\n\t\"folder\"\t%q\n}\n", ref, name, version, folder)
}
