package world

import (
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"time"

	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/proof"
	"endroit/core/record"
	"endroit/core/trace"
)

var (
	copperfenOnLinux  = record.Combination{Store: "larder", OS: "linux", Runtime: "native"}
	saltglassInPrefix = record.Combination{Store: "brasslight", Ref: "SG-02", Launcher: "brasslight", OS: "linux", Runtime: "prefix"}
	tidewrackOnWin    = record.Combination{Store: "quayside", Ref: "418820", Launcher: "quayside", OS: "windows", Runtime: "native"}
)

// experiment is one that was led, with a made-up game.
type experiment struct {
	by, title, version string
	variant            record.Combination
	aim                proof.Aim
	locations          []proof.Location
	files              [][]string // of each location, their places
	needed             []int      // the locations that carry the progress
	became             []proof.Became
	then, note         string
}

// experiments come last, and are contributions like the corrections.
var experiments = []experiment{
	{
		by: "tobin", title: "Copperfen", version: "2.3", variant: copperfenOnLinux, then: accepted,
		locations: []proof.Location{{At: "install:saves/", Holds: draft.Save, Files: 1}},
		files:     [][]string{{"install:saves/fen-a.dat"}}, needed: []int{0},
	},
	{
		by: "tobin", title: "Copperfen", version: "2.3", variant: copperfenOnLinux, aim: "uninstall", then: accepted,
		locations: []proof.Location{
			{At: "install:saves/", Holds: draft.Save, Files: 1}, {At: "install:copperfen.cfg", Holds: draft.Config, Files: 1},
		},
		became: []proof.Became{{Location: 0, Gone: 1}, {Location: 1, Changed: 1}},
	},
	{
		by: "ysolde", title: "Lantern Hollow", version: "3.0.4", variant: lanternInPrefix, aim: "prefix-removal", then: accepted,
		locations: []proof.Location{{At: "saved-games:Lantern Hollow/{account}/", Holds: draft.Save, Files: 4}},
		became:    []proof.Became{{Location: 0, Gone: 4}},
	},
	{
		by: "mira", title: "Tidewrack", version: "1.2", variant: tidewrackOnWin, aim: "cloud", then: accepted,
		locations: []proof.Location{
			{At: "roaming-app-data:Tidewrack/{account}/profile.bin", Holds: draft.Save, Files: 1},
			{At: "roaming-app-data:Tidewrack/{account}/slots/slot{slot}.sav", Holds: draft.Save, Files: 3},
			{At: "local-app-data:Tidewrack/settings.ini", Holds: draft.Config, Files: 1},
		},
		became: []proof.Became{{Location: 0, Same: 1}, {Location: 1, Same: 3}, {Location: 2, Gone: 1}},
	},
	{
		by: "ysolde", title: "Saltglass", version: "1.0.3", variant: saltglassInPrefix, then: waiting,
		locations: []proof.Location{
			{At: "documents:Saltglass/saves/", Holds: draft.Save, Files: 2}, {At: "documents:Saltglass/options.cfg", Holds: draft.Config, Files: 1},
		},
		files: [][]string{
			{"documents:Saltglass/saves/voyage.glass", "documents:Saltglass/saves/chart.glass"}, {"documents:Saltglass/options.cfg"},
		},
		needed: []int{0}, note: "the first start showed the harbour of the opening; I did not sail on",
	},
}

// body leads the experiment, with what its game would have done.
func (x experiment) body(titleID string) (contribution.Body, error) {
	began := runStarted.Add(2 * time.Hour)
	p, err := proof.New("", proof.About{
		Aim: x.aim, Title: x.title, TitleID: titleID, Combination: x.variant, Version: x.version, Holds: draft.Save, By: "endroit",
	}, x.locations, began)
	if err != nil {
		return nil, err
	}
	var runs []*footprint.Footprint
	away := map[int]bool{}
	for p.At != proof.Finish {
		step := p.Next()
		began = began.Add(time.Minute)
		e := proof.Event{Copy: "of all", Now: began}
		switch step.Do {
		case proof.TakeAway:
			for _, i := range step.Away {
				away[i] = true
			}
		case proof.Look:
			e.Became = x.became
		case proof.Start:
			f := x.start(away, began)
			sum := sha256.Sum256(fmt.Append(nil, x.title, len(runs)))
			runs = append(runs, f)
			e.Trace, e.Sees = hex.EncodeToString(sum[:]), proof.See(p.Locations, f)
		case proof.Ask:
			e.Answer = proof.Progress
			for _, i := range x.needed {
				if away[i] {
					e.Answer = proof.NewGame
				}
			}
		case proof.Bring:
			clear(away)
		}
		if err := p.Done(step.Do, e); err != nil {
			return nil, err
		}
	}
	b, err := contribution.PrepareProof(p, runs, nil, x.note, nil)
	if err != nil {
		return nil, err
	}
	contribution.Sign(b, machineOf(x.by))
	return b, nil
}

// start is the footprint of one start: what is there is read, and what is not is looked for
// in vain, and settings are created again.
func (x experiment) start(away map[int]bool, at time.Time) *footprint.Footprint {
	f := finding{
		title: x.title, edition: trace.Edition{Store: x.variant.Store, Ref: x.variant.Ref, Version: x.version}, launcher: x.variant.Launcher,
		os: x.variant.OS, runtime: x.variant.Runtime, observer: bySeccomp,
	}
	for i, places := range x.files {
		for _, at := range places {
			s := seen{place: at, kind: footprint.Save, confidence: 0.9, reads: 1, read: 3, before: 4096, size: 4096, looks: "bytes"}
			switch {
			case away[i] && x.locations[i].Holds == draft.Save:
				continue
			case away[i]:
				s = seen{place: at, kind: footprint.Config, confidence: 0.9, writes: 1, written: 2, size: 310, looks: "text, settings by name"}
			case x.locations[i].Holds == draft.Config:
				s.kind, s.before, s.size = footprint.Config, 310, 310
			}
			f.files = append(f.files, s)
		}
	}
	fp := f.footprint()
	fp.Started, fp.Length = at, 40*time.Second
	fp.Cues = []trace.Cue{}
	for i, places := range x.files {
		if away[i] {
			fp.Missed = append(fp.Missed, places...)
		}
	}
	return fp
}
