package world

import (
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/trace"
)

const (
	bySeccomp = trace.ByCalls
	byChanges = trace.ByNotifications
)

// findings are the demo's contributions, oldest first.
var findings = []finding{
	{
		by: "mira", title: "Tidewrack", edition: trace.Edition{Store: "quayside", Ref: "418820", Version: "1.2"}, launcher: "quayside", os: "windows", runtime: "native", observer: byChanges,
		locations: []draft.Location{
			{At: "roaming-app-data:Tidewrack/{account}/profile.bin", Holds: draft.Save, Why: []string{"a name looks like an account number: {account}", "it was written 1.2 s before the cue saved"}},
			{At: "roaming-app-data:Tidewrack/{account}/slots/slot{slot}.sav", Holds: draft.Save, Why: []string{"the number in slot1.sav differs between slots: {slot}", "it was written 0.6 s before the cue saved"}},
			{At: "local-app-data:Tidewrack/settings.ini", Holds: draft.Config, Why: []string{"it was written 2.1 s before the cue changed-setting"}},
		},
		files: []seen{
			{place: "roaming-app-data:Tidewrack/{account}/profile.bin", kind: footprint.Save, confidence: 0.97, writes: 2, written: 238.8, near: "saved", before: 208, size: 208, looks: "bytes", reasons: []string{"it was written 1.2 s before the cue saved", "its name contains \"profile\""}},
			{place: "roaming-app-data:Tidewrack/{account}/slots/slot1.sav", kind: footprint.Save, confidence: 0.99, writes: 1, written: 239.4, near: "saved", before: 547, size: 561, looks: "bytes", reasons: []string{"it was written 0.6 s before the cue saved", "its extension .sav is one for progress"}},
			{place: "local-app-data:Tidewrack/settings.ini", kind: footprint.Config, confidence: 0.98, writes: 1, written: 315.9, near: "changed-setting", before: 49, size: 49, looks: "text, settings by name", reasons: []string{"it was written 2.1 s before the cue changed-setting", "its extension .ini is one for settings"}},
			{place: "local-app-data:Tidewrack/tidewrack.log", kind: footprint.Log, confidence: 0.98, writes: 214, written: 411, before: 8200, size: 31400, looks: "text", reasons: []string{"its name is one for logs"}},
		},
		others: map[footprint.Kind]int{footprint.Asset: 14, footprint.System: 612}, then: accepted,
	},
	{
		by: "ysolde", title: "Lantern Hollow", edition: trace.Edition{Store: "quayside", Ref: "505310", Version: "3.0.4"}, launcher: "brasslight", os: "linux", runtime: "prefix", observer: bySeccomp,
		locations: []draft.Location{
			{At: "saved-games:Lantern Hollow/{account}/", Holds: draft.Save, Why: []string{"a name looks like an account number: {account}", "every file in it was written near the cue saved"}},
			{At: "local-app-data:Lantern Hollow/Config/Lantern.ini", Holds: draft.Config, Why: []string{"its name is one for settings"}},
		},
		files: []seen{
			{place: "saved-games:Lantern Hollow/{account}/world.lhs", kind: footprint.Save, confidence: 0.98, reads: 1, writes: 1, read: 19, written: 238, near: "saved", before: 184320, size: 190464, looks: "bytes", reasons: []string{"it was written 2.0 s before the cue saved", "it was read early, at 19 s"}},
			{place: "saved-games:Lantern Hollow/{account}/journal.lhs", kind: footprint.Save, confidence: 0.95, reads: 1, writes: 1, read: 19, written: 238.2, near: "saved", before: 9216, size: 9728, looks: "bytes", reasons: []string{"it was written 1.8 s before the cue saved"}},
			{place: "local-app-data:Lantern Hollow/Config/Lantern.ini", kind: footprint.Config, confidence: 0.98, reads: 1, writes: 1, read: 1.2, written: 317, near: "changed-setting", before: 2210, size: 2212, looks: "text, settings by name", reasons: []string{"it was written 1.0 s before the cue changed-setting"}},
		},
		others: map[footprint.Kind]int{footprint.Asset: 88, footprint.System: 2140, footprint.Cache: 12}, then: accepted,
	},
	{
		by: "mira", title: "Ninefold Orchard", edition: trace.Edition{Store: "larder", Version: "1.0.9"}, os: "linux", runtime: "native", observer: bySeccomp,
		locations: orchard, files: orchardFiles, others: map[footprint.Kind]int{footprint.Asset: 31, footprint.System: 204}, then: accepted,
	},
	{
		by: "ysolde", title: "Ninefold Orchard", edition: trace.Edition{Store: "larder", Version: "1.1.0"}, os: "linux", runtime: "native", observer: bySeccomp,
		locations: orchard, files: orchardFiles, others: map[footprint.Kind]int{footprint.Asset: 33, footprint.System: 198}, then: accepted,
	},
	{
		by: "tobin", title: "Saltglass", edition: trace.Edition{Store: "quayside", Ref: "733015", Version: "0.9"}, launcher: "quayside", os: "windows", runtime: "native", observer: byChanges,
		locations: []draft.Location{
			{At: "documents:Saltglass/saves/", Holds: draft.Save},
			{At: "documents:Saltglass/options.cfg", Holds: draft.Config},
			{At: "documents:Saltglass/photos/*.png", Holds: draft.Capture},
		},
		files: []seen{
			{place: "documents:Saltglass/saves/voyage.glass", kind: footprint.Save, confidence: 0.96, writes: 2, written: 239, near: "saved", before: 71000, size: 71552, looks: "bytes", reasons: []string{"it was written 1.0 s before the cue saved"}},
			{place: "documents:Saltglass/options.cfg", kind: footprint.Config, confidence: 0.97, writes: 1, written: 316, near: "changed-setting", before: 730, size: 733, looks: "text, settings by name", reasons: []string{"it was written 2.0 s before the cue changed-setting"}},
			{place: "documents:Saltglass/photos/0007.png", kind: footprint.Capture, confidence: 0.98, writes: 1, written: 120, size: 402000, looks: "PNG picture", reasons: []string{"it is a PNG picture made in this run"}},
		},
		others: map[footprint.Kind]int{footprint.System: 40}, then: accepted,
	},
	{
		by: "tobin", title: "Copperfen", edition: trace.Edition{Store: "larder", Version: "2.3"}, os: "linux", runtime: "native", observer: bySeccomp,
		locations: []draft.Location{
			{At: "install:saves/", Holds: draft.Save, Why: []string{"it keeps progress beside its program"}},
			{At: "install:copperfen.cfg", Holds: draft.Config},
		},
		files: []seen{
			{place: "install:saves/fen-a.dat", kind: footprint.Save, confidence: 0.94, reads: 1, writes: 1, read: 18, written: 238.5, near: "saved", before: 4096, size: 4096, looks: "bytes", reasons: []string{"it was written 1.5 s before the cue saved", "it lies in a folder called saves"}},
			{place: "install:copperfen.cfg", kind: footprint.Config, confidence: 0.96, reads: 1, writes: 1, read: 0.2, written: 316.4, near: "changed-setting", before: 310, size: 312, looks: "text, settings by name", reasons: []string{"its extension .cfg is one for settings"}},
		},
		others: map[footprint.Kind]int{footprint.Asset: 9, footprint.System: 77}, then: accepted,
	},
	{
		by: "tobin", title: "The Quiet Signal", edition: trace.Edition{Store: "quayside", Ref: "610777", Version: "1.4"}, launcher: "quayside", os: "linux", runtime: "native", observer: bySeccomp,
		locations: []draft.Location{{At: "xdg-config:quiet-signal/", Holds: draft.Save}},
		files: []seen{
			{place: "xdg-config:quiet-signal/station.json", kind: footprint.Save, confidence: 0.71, reads: 1, writes: 1, read: 20, written: 239, near: "saved", before: 1100, size: 1180, looks: "text, JSON", reasons: []string{"it was written 1.0 s before the cue saved"}},
			{place: "xdg-config:quiet-signal/audio.ini", kind: footprint.Config, confidence: 0.97, reads: 1, writes: 1, read: 0.3, written: 316, near: "changed-setting", before: 88, size: 88, looks: "text, settings by name", reasons: []string{"its extension .ini is one for settings"}},
		},
		others: map[footprint.Kind]int{footprint.Asset: 22, footprint.System: 310},
		then:   returned, because: "The folder holds audio.ini too, so restoring somebody's progress would overwrite their settings. Name station.json by itself, and audio.ini as config.",
	},
	{
		by: "tobin", title: "The Quiet Signal", edition: trace.Edition{Store: "quayside", Ref: "610777", Version: "1.4"}, launcher: "quayside", os: "linux", runtime: "native", observer: bySeccomp,
		locations: []draft.Location{
			{At: "xdg-config:quiet-signal/station.json", Holds: draft.Save, Why: []string{"it was written 1.0 s before the cue saved", "it was read early, at 20 s"}},
			{At: "xdg-config:quiet-signal/audio.ini", Holds: draft.Config, Why: []string{"it was written 2.0 s before the cue changed-setting"}},
			{At: "xdg-state:quiet-signal/recordings/*.sig", Holds: draft.Capture, Why: []string{"it lies in a folder called recordings"}},
		},
		questions: []string{"what is xdg-data:quiet-signal/index.db? It was written, and nothing says what it is"},
		note:      "As asked: the two files by themselves. The recordings are made with F9.",
		files: []seen{
			{place: "xdg-config:quiet-signal/station.json", kind: footprint.Save, confidence: 0.71, reads: 1, writes: 1, read: 20, written: 239, near: "saved", before: 1100, size: 1180, looks: "text, JSON", reasons: []string{"it was written 1.0 s before the cue saved", "it was read early, at 20 s"}},
			{place: "xdg-config:quiet-signal/audio.ini", kind: footprint.Config, confidence: 0.97, reads: 1, writes: 1, read: 0.3, written: 316, near: "changed-setting", before: 88, size: 88, looks: "text, settings by name", reasons: []string{"it was written 2.0 s before the cue changed-setting", "its extension .ini is one for settings"}},
			{place: "xdg-state:quiet-signal/recordings/0412.sig", kind: footprint.Capture, confidence: 0.81, writes: 1, written: 150, size: 88200, looks: "bytes", reasons: []string{"it lies in a folder called recordings"}},
			{place: "xdg-data:quiet-signal/index.db", kind: footprint.Unknown, confidence: 0.62, reads: 4, writes: 3, read: 1, written: 401, before: 40960, size: 40960, looks: "SQLite database", reasons: []string{"no observation points clearly to one kind"}},
			{place: "xdg-state:quiet-signal/quiet-signal.log", kind: footprint.Log, confidence: 0.98, writes: 1, written: 0.5, before: 2000, size: 18000, looks: "text", reasons: []string{"its name is one for logs", "it stayed open and grew all the time (seen larger 41 times)"}},
		},
		others: map[footprint.Kind]int{footprint.Asset: 22, footprint.System: 310}, then: waiting,
	},
	{
		by: "ysolde", title: "Copperfen", edition: trace.Edition{Store: "larder", Version: "2.3"}, os: "linux", runtime: "native", observer: bySeccomp,
		locations: []draft.Location{{At: "install:saves/", Holds: draft.Save}},
		files: []seen{
			{place: "install:saves/fen-b.dat", kind: footprint.Save, confidence: 0.94, reads: 1, writes: 1, read: 17, written: 239.1, near: "saved", before: 4096, size: 4096, looks: "bytes", reasons: []string{"it was written 0.9 s before the cue saved"}},
			{place: "install:saves/session.log", kind: footprint.Log, confidence: 0.95, writes: 30, written: 410, before: 900, size: 2400, looks: "text", reasons: []string{"its name is one for logs"}},
		},
		others: map[footprint.Kind]int{footprint.Asset: 9, footprint.System: 80}, then: waiting,
	},
	{
		by: "ysolde", title: "Saltglass", edition: trace.Edition{Store: "brasslight", Ref: "SG-02", Version: "1.0.3"}, launcher: "brasslight", os: "linux", runtime: "prefix", observer: bySeccomp,
		locations: []draft.Location{
			{At: "documents:Saltglass/saves/", Holds: draft.Save},
			{At: "documents:Saltglass/options.cfg", Holds: draft.Config},
		},
		files: []seen{
			{place: "documents:Saltglass/saves/voyage.glass", kind: footprint.Save, confidence: 0.97, reads: 1, writes: 2, read: 19, written: 239, near: "saved", before: 71000, size: 71552, looks: "bytes", reasons: []string{"it was written 1.0 s before the cue saved"}},
			{place: "documents:Saltglass/options.cfg", kind: footprint.Config, confidence: 0.97, reads: 1, writes: 1, read: 0.6, written: 316, near: "changed-setting", before: 730, size: 733, looks: "text, settings by name", reasons: []string{"it was written 2.0 s before the cue changed-setting"}},
		},
		others: map[footprint.Kind]int{footprint.Asset: 41, footprint.System: 1804}, then: accepted,
	},
	{
		by: "tobin", title: "Ninefold Orchard", edition: trace.Edition{Store: "larder", Version: "1.1.0"}, os: "linux", runtime: "prefix", observer: bySeccomp,
		locations: []draft.Location{
			{At: "roaming-app-data:Ninefold Orchard/orchards/*.orchard", Holds: draft.Save},
			{At: "local-app-data:Ninefold Orchard/settings.toml", Holds: draft.Config},
		},
		files: []seen{
			{place: "roaming-app-data:Ninefold Orchard/orchards/first.orchard", kind: footprint.Save, confidence: 0.98, reads: 1, writes: 1, read: 20, written: 239.2, near: "saved", before: 15000, size: 15360, looks: "bytes", reasons: []string{"it was written 0.8 s before the cue saved"}},
			{place: "local-app-data:Ninefold Orchard/settings.toml", kind: footprint.Config, confidence: 0.98, reads: 1, writes: 1, read: 0.4, written: 317.1, near: "changed-setting", before: 410, size: 411, looks: "text, settings by name", reasons: []string{"it was written 0.9 s before the cue changed-setting"}},
		},
		others: map[footprint.Kind]int{footprint.Asset: 33, footprint.System: 1650}, then: accepted,
	},
}

var orchard = []draft.Location{
	{At: "xdg-data:ninefold-orchard/orchard{slot}.sav", Holds: draft.Save, Why: []string{"the number in orchard1.sav differs between slots: {slot}"}},
	{At: "xdg-data:ninefold-orchard/almanac.dat", Holds: draft.Save},
	{At: "xdg-config:ninefold-orchard/settings.toml", Holds: draft.Config},
}

var orchardFiles = []seen{
	{place: "xdg-data:ninefold-orchard/orchard1.sav", kind: footprint.Save, confidence: 0.99, reads: 1, writes: 1, read: 20.4, written: 239.4, near: "saved", before: 15000, size: 15360, looks: "bytes", reasons: []string{"it was written 0.6 s before the cue saved", "its extension .sav is one for progress"}},
	{place: "xdg-data:ninefold-orchard/almanac.dat", kind: footprint.Save, confidence: 0.82, reads: 1, writes: 1, read: 2, written: 405.2, before: 640, size: 640, looks: "bytes", reasons: []string{"it was last written 6.8 s before the program ended"}},
	{place: "xdg-config:ninefold-orchard/settings.toml", kind: footprint.Config, confidence: 0.98, reads: 1, writes: 1, read: 0.2, written: 317.2, near: "changed-setting", before: 410, size: 411, looks: "text, settings by name", reasons: []string{"it was written 0.8 s before the cue changed-setting"}},
}
