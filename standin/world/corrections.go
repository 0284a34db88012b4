package world

import (
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/core/trace"
)

// correction is a contribution that changes what is recorded of a title.
type correction struct {
	by, title string
	body      func(titleID string) contribution.Body
	then      string
}

var (
	saltglassOnWindows = record.Combination{Store: "quayside", Ref: "733015", Launcher: "quayside", OS: "windows", Runtime: "native"}
	lanternInPrefix    = record.Combination{Store: "quayside", Ref: "505310", Launcher: "brasslight", OS: "linux", Runtime: "prefix"}
	orchardOnLinux     = record.Combination{Store: "larder", OS: "linux", Runtime: "native"}
)

// corrections come after the findings.
var corrections = []correction{
	{
		by: "tobin", title: "Lantern Hollow", then: accepted,
		body: func(id string) contribution.Body {
			return &contribution.TitleEdit{
				Head: contribution.Head{Name: contribution.TitleKind}, TitleID: id, Title: "Lantern Hollow",
				AddName: &contribution.NewName{Name: "Laternengrund", Language: "de"}, Because: "it is on the box of the German edition",
			}
		},
	},
	{ // the settings of two players lie side by side
		by: "tobin", title: "Lantern Hollow", then: accepted,
		body: func(id string) contribution.Body {
			run := finding{
				title: "Lantern Hollow", edition: trace.Edition{Store: "quayside", Ref: "505310", Version: "3.1.0"}, launcher: "brasslight",
				os: "linux", runtime: "prefix", observer: bySeccomp,
				files: []seen{{
					place: "local-app-data:Lantern Hollow/Config/Lantern-Wick.ini", kind: footprint.Config, confidence: 0.98,
					reads: 1, writes: 1, read: 1.1, written: 317, near: "changed-setting", before: 2210, size: 2215,
					looks: "text, settings by name", findings: []footprint.Finding{near("changed-setting", 1.0)},
				}},
				others: map[footprint.Kind]int{footprint.Asset: 90, footprint.System: 2155},
			}
			return &contribution.LocationChange{
				Head: contribution.Head{Name: contribution.LocationKind, Machine: machineOf("tobin")}, TitleID: id, Title: "Lantern Hollow",
				Location:  record.Place{Variant: lanternInPrefix, At: "local-app-data:Lantern Hollow/Config/Lantern.ini", Holds: draft.Config},
				To:        "local-app-data:Lantern Hollow/Config/Lantern*.ini",
				Because:   "since 3.1 each profile has settings of its own, beside the old file",
				Footprint: run.footprint(),
			}
		},
	},
	{
		by: "ysolde", title: "Saltglass", then: accepted,
		body: func(id string) contribution.Body {
			run := finding{
				title: "Saltglass", edition: trace.Edition{Store: "quayside", Ref: "733015", Version: "1.0"}, launcher: "quayside",
				os: "windows", runtime: "native", observer: byChanges,
				files: []seen{{
					place: "saved-games:Saltglass/album/0001.png", kind: footprint.Capture, confidence: 0.98, writes: 1, written: 121,
					size: 398000, looks: "PNG picture", findings: []footprint.Finding{found("picture-made", "PNG picture")},
				}},
				others: map[footprint.Kind]int{footprint.System: 44},
			}
			return &contribution.Dispute{
				Head: contribution.Head{Name: contribution.DisputeKind, Machine: machineOf("ysolde")}, TitleID: id, Title: "Saltglass",
				Location: record.Place{Variant: saltglassOnWindows, At: "documents:Saltglass/photos/*.png", Holds: draft.Capture},
				Version:  "1.0", Because: "version 1.0 keeps its pictures in an album among the saved games", Footprint: run.footprint(),
			}
		},
	},
	{
		by: "mira", title: "Ninefold Orchard", then: waiting,
		body: func(id string) contribution.Body {
			return &contribution.LocationChange{
				Head: contribution.Head{Name: contribution.LocationKind, Machine: machineOf("mira")}, TitleID: id, Title: "Ninefold Orchard",
				Location: record.Place{Variant: orchardOnLinux, At: "xdg-data:ninefold-orchard/almanac.dat", Holds: draft.Save},
				Versions: &standing.Range{To: "1.9"}, Because: "the notes to version 2 say that the almanac moved into the orchards themselves",
			}
		},
	},
}
