package world

import (
	"strings"

	"endroit/core/contribution"
	"endroit/core/sheet"
	"endroit/standin/launchers"
)

// sheets are the demo's contributions of launchers' sheets: one for each stand-in,
// and a change of one that waits.
func sheets() []finding {
	of := func(by, text, note, then string, found contribution.Findings) finding {
		s, err := sheet.Parse([]byte(text))
		if err != nil {
			panic("world: " + err.Error()) // a test reads them all
		}
		return finding{by: by, title: s.Name, then: then, sheet: &contribution.Sheet{
			Head: contribution.Head{Name: contribution.SheetKind, Machine: machineOf(by)}, Sheet: s, Found: &found, Note: note,
		}}
	}
	quayside := contribution.Findings{
		OS:            "linux",
		Installations: 1,
		Libraries:     3,
		Titles:        3,
		Missing:       2,
		Prefixes:      1,
		Accounts:      2,
		InUse:         true,
		Cloud:         true,
	}
	return []finding{
		of("mira", string(launchers.QuaysideSheet), "", accepted, quayside),
		of(
			"tobin", string(launchers.QuaysideSheet), "", accepted,
			contribution.Findings{OS: "linux", Installations: 1, Libraries: 1, Titles: 2, Accounts: 1, InUse: true, Cloud: true},
		),
		of("ysolde", string(launchers.BrasslightSheet), "", accepted, contribution.Findings{
			OS:            "linux",
			Installations: 1,
			Libraries:     2,
			Titles:        1,
			Prefixes:      1,
			Accounts:      1,
			InUse:         true,
			Cloud:         true,
			Starts:        1,
		}),
		of("tobin", string(launchers.LarderSheet), "", accepted, contribution.Findings{OS: "linux", Installations: 1, Titles: 2}),
		of(
			"tobin",
			strings.Replace(
				string(launchers.QuaysideSheet), "home: [xdg-data:quayside/]",
				"home: [xdg-data:quayside/, home:.var/app/example.quayside.Launcher/data/quayside/]", 1,
			),
			"The launcher is offered as a sandboxed application too; its folders lie below that application's.",
			waiting,
			quayside,
		),
	}
}
