package candidate

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/footprint"
	"endroit/core/place"
	"endroit/core/trace"
)

// seen makes a file's record: "save xdg-data:tw/a.sav", or with a confidence
// behind it.
func seen(text string) footprint.File {
	f := footprint.File{Confidence: 0.9, Writes: 1, Reasons: []string{"it was written 0.2 s before the cue saved"}}
	kind, rest, _ := strings.Cut(text, " ")
	f.Kind, f.Place = footprint.Kind(kind), rest
	if at, sure, found := strings.Cut(rest, " @"); found {
		f.Place = at
		_, _ = fmt.Sscan(sure, &f.Confidence)
	}
	f.Path = "/home/mira/" + f.Place
	return f
}

func propose(files ...string) Proposal {
	f := &footprint.Footprint{Edition: &trace.Edition{Store: "quayside", Ref: "418820", Version: "1.2"}, Self: &footprint.Self{User: "mira", Host: "heron", Home: "/home/mira"}}
	for _, t := range files {
		f.Files = append(f.Files, seen(t))
	}
	return Propose(f, nil)
}

func (p Proposal) lines() []string {
	out := []string{}
	for _, l := range p.Locations {
		out = append(out, string(l.Holds)+" "+l.At.String())
	}
	return out
}

func TestPropose(t *testing.T) {
	for _, c := range []struct {
		name        string
		files, want []string
	}{
		{"one file stays exact", []string{"save xdg-data:tw/profile.bin"}, []string{"save xdg-data:tw/profile.bin"}},
		{"slots by their number", []string{"save xdg-data:tw/slots/slot1.sav", "save xdg-data:tw/slots/slot2.sav"}, []string{"save xdg-data:tw/slots/slot{slot}.sav"}},
		{"one slot is enough behind a word for slots", []string{"save xdg-data:tw/save3.dat"}, []string{"save xdg-data:tw/save{slot}.dat"}},
		{"numbers side by side", []string{"save xdg-data:tw/world7.dat", "save xdg-data:tw/world8.dat"}, []string{"save xdg-data:tw/world{slot}.dat"}},
		{"a number in a folder of slots", []string{"save xdg-data:tw/slots/0001/state.bin"}, []string{"save xdg-data:tw/slots/{slot}/state.bin"}},
		{"a number that is part of a name", []string{"save xdg-data:tw2/world3d.dat"}, []string{"save xdg-data:tw2/world3d.dat"}},
		{"the first name below a shared anchor stays", []string{"save xdg-data:save1/a.bin"}, []string{"save xdg-data:save1/a.bin"}},
		{"a key holds those below it", []string{"config registry:HKEY_CURRENT_USER/Software/Fen/", "config registry:HKEY_CURRENT_USER/Software/Fen/Keys/", "save registry:HKEY_CURRENT_USER/Software/Fen/Slot1/", "config registry:HKEY_CURRENT_USER/Software/Fenland/"}, []string{"config registry:HKEY_CURRENT_USER/Software/Fen/", "config registry:HKEY_CURRENT_USER/Software/Fenland/"}},
		{"the names that single a title out in the registry stay", []string{"config registry:HKEY_CURRENT_USER/Software/1234567/"}, []string{"config registry:HKEY_CURRENT_USER/Software/1234567/"}},
		{"a date in the name", []string{"save xdg-data:tw/saves/2026-11-20 18-02-11.sav"}, []string{"save xdg-data:tw/saves/*.sav"}},
		{"a date between letters", []string{"save xdg-data:tw/auto_20261120_180211_b.dat"}, []string{"save xdg-data:tw/auto_*_b.dat"}},
		{"a number that is no date", []string{"save xdg-data:tw/seed-20261399.dat"}, []string{"save xdg-data:tw/seed-20261399.dat"}},
		{"a date would reach another kind", []string{"save xdg-data:tw/2026-11-20.dat", "log xdg-data:tw/2026-11-21.dat"}, []string{"save xdg-data:tw/2026-11-20.dat"}},
		{"a folder for each version", []string{"save xdg-data:tw/v1.2/world.dat", "config xdg-config:tw/1.2/set.ini"}, []string{"save xdg-data:tw/*/world.dat", "config xdg-config:tw/*/set.ini"}},
		{"another version's folder holds something else", []string{"save xdg-data:tw/1.2/world.dat", "log xdg-data:tw/1.1/world.dat"}, []string{"save xdg-data:tw/1.2/world.dat"}},
		{"the version alone below a shared anchor stays", []string{"save xdg-data:1.2/world.dat"}, []string{"save xdg-data:1.2/world.dat"}},
		{"an account's number", []string{"save xdg-data:tw/76561198000000001/profile.bin"}, []string{"save xdg-data:tw/{account}/profile.bin"}},
		{"an account's id", []string{"save xdg-data:tw/0f8fad5b-d9cb-469f-a165-70867728950e/p.bin"}, []string{"save xdg-data:tw/{account}/p.bin"}},
		{"the user's name", []string{"save xdg-data:tw/mira/profile.bin"}, []string{"save xdg-data:tw/{user}/profile.bin"}},
		{"the user's name in another case", []string{"save xdg-data:tw/Mira/profile.bin"}, []string{"save xdg-data:tw/{profile}/profile.bin"}},
		{"the edition's reference", []string{"save xdg-data:tw/418820/profile.bin"}, []string{"save xdg-data:tw/{ref}/profile.bin"}},
		{"pictures are numbered", []string{"capture xdg-data:tw/pictures/day-2-01.png"}, []string{"capture xdg-data:tw/pictures/day-*.png"}},
		{"progress and settings come apart", []string{"config xdg-config:tw/settings.ini", "save xdg-data:tw/save1.dat"}, []string{"save xdg-data:tw/save{slot}.dat", "config xdg-config:tw/settings.ini"}},
		{"beside the program", []string{"save install:saves/save1.dat"}, []string{"save install:saves/save{slot}.dat"}},
		{"many names with one ending", []string{"save xdg-data:tw/oak.orchard", "save xdg-data:tw/elm.orchard", "save xdg-data:tw/ash.orchard"}, []string{"save xdg-data:tw/*.orchard"}},
		{"two are not many", []string{"save xdg-data:tw/oak.orchard", "save xdg-data:tw/elm.orchard"}, []string{"save xdg-data:tw/oak.orchard", "save xdg-data:tw/elm.orchard"}},
		{"a log with the same ending forbids the star", []string{"save xdg-data:tw/oak.dat", "save xdg-data:tw/elm.dat", "save xdg-data:tw/ash.dat", "log xdg-data:tw/trace.dat"},
			[]string{"save xdg-data:tw/oak.dat", "save xdg-data:tw/elm.dat", "save xdg-data:tw/ash.dat"}},
		{"a cache that a slot would reach", []string{"save xdg-data:tw/save1.dat", "cache xdg-data:tw/save99.dat"}, []string{"save xdg-data:tw/save1.dat"}},
		{"settings that a slot would reach", []string{"save xdg-data:tw/file1.dat", "config xdg-data:tw/file2.dat"}, []string{"save xdg-data:tw/file1.dat", "config xdg-data:tw/file2.dat"}},
		{"only what is of interest", []string{"log xdg-data:tw/tw.log", "cache xdg-cache:tw/a", "system xdg-config:pulse/cookie"}, []string{}},
		{"special characters", []string{"save xdg-data:tw/50%25 done.sav"}, []string{"save xdg-data:tw/50%25 done.sav"}},
	} {
		assert.Equal(t, c.want, propose(c.files...).lines(), c.name)
	}
}

func TestAmbiguousColumnsNeedAMapping(t *testing.T) {
	unsure := propose("save xdg-data:tw/a.bin @0.4")
	assert.Empty(t, unsure.Locations)
	require.Len(t, unsure.Questions, 1)
	assert.Contains(t, unsure.Questions[0].Ask, "is xdg-data:tw/a.bin a progress file?")

	unknown := propose("unknown xdg-data:tw/index.db")
	require.Len(t, unknown.Questions, 1)
	assert.Contains(t, unknown.Questions[0].Ask, "what is xdg-data:tw/index.db?")

	refused := seen("unknown var-games:tw.scores")
	refused.Writes, refused.Unused = 0, 2
	asked := Propose(&footprint.Footprint{Files: []footprint.File{refused}}, nil).Questions
	require.Len(t, asked, 1)
	assert.Contains(t, asked[0].Ask, "was opened for writing, and nothing was written; does the game need a permission that it lacked in this run?")

	nowhere := Propose(&footprint.Footprint{Files: []footprint.File{{Path: "/srv/tw/a.sav", Kind: footprint.Save, Confidence: 0.9, Reasons: []string{"its name"}}}}, nil)
	require.Len(t, nowhere.Questions, 1)
	assert.Contains(t, nowhere.Questions[0].Ask, "below no anchor")
	assert.NotContains(t, nowhere.Questions[0].Ask, "/srv", "the path may be private")

	secret := propose("save home:.ssh/save1.dat")
	assert.Empty(t, secret.Locations)
	require.Len(t, secret.Questions, 1)
	assert.Contains(t, secret.Questions[0].Ask, "guarded")
}

func TestEveryGeneralPartSaysWhy(t *testing.T) {
	p := propose("save xdg-data:tw/76561198000000001/slot1.sav")
	require.Len(t, p.Locations, 1)
	why := strings.Join(p.Locations[0].Why, "\n")
	assert.Contains(t, why, "a name looks like an account number: {account}")
	assert.Contains(t, why, "differs between slots")
	assert.Contains(t, why, "only one slot was observed; play with a second one to confirm it")
	assert.Contains(t, why, "before the cue saved", "and what the file itself says")
}

// A proposal covers every file that it was made from and no other.
func TestAProposalCoversItsFilesAndNoOthers(t *testing.T) {
	folders := []string{"tw", "tw/slots", "tw/12345678", "tw/mira"}
	names := []string{"save1.dat", "save2.dat", "slot10.sav", "world.dat", "world2.dat", "a.dat", "b.dat", "c.dat", "game.log", "7.bin", "8.bin"}
	kinds := []string{"save", "save", "config", "log", "cache", "unknown", "capture"}
	rapid.Check(t, func(rt *rapid.T) {
		used := map[string]bool{}
		var files []string
		for i := range rapid.IntRange(1, 9).Draw(rt, "n") {
			at := "xdg-data:" + rapid.SampledFrom(folders).Draw(rt, fmt.Sprint("folder", i)) + "/" + rapid.SampledFrom(names).Draw(rt, fmt.Sprint("name", i))
			if !used[at] {
				used[at] = true
				files = append(files, rapid.SampledFrom(kinds).Draw(rt, fmt.Sprint("kind", i))+" "+at)
			}
		}
		p := propose(files...)
		for _, text := range files {
			f := seen(text)
			exact, err := place.Parse(f.Place)
			require.NoError(rt, err)
			covered := false
			for _, l := range p.Locations {
				if _, ok := l.At.Match(exact.Names(), nil); ok {
					covered = true
					require.Equal(rt, f.Kind, l.Holds, "%s is covered by %s", text, l.At)
				}
			}
			require.Equal(rt, f.Kind.OfInterest(), covered, "%s by %v", text, p.lines())
		}
		for _, l := range p.Locations {
			require.NoError(rt, l.At.Narrow())
		}
	})
}

// A slot that this run did not save to keeps no location from being general; a file of
// another kind does.
func TestSlotsThatWereOnlyRead(t *testing.T) {
	file := func(kind footprint.Kind, at string, writes int) footprint.File {
		return footprint.File{Kind: kind, Place: at, Path: "/x/" + at, Confidence: 0.9, Writes: writes, Reads: 1, Reasons: []string{"it was read"}}
	}
	of := func(files ...footprint.File) []string {
		return Propose(&footprint.Footprint{Self: &footprint.Self{}, Files: files}, nil).lines()
	}
	saved := []footprint.File{file(footprint.Save, "xdg-data:tw/file1.rpgsave", 1), file(footprint.Save, "xdg-data:tw/file2.rpgsave", 1)}
	assert.Equal(t, []string{"save xdg-data:tw/file{slot}.rpgsave"}, of(append(saved, file(footprint.Unknown, "xdg-data:tw/file3.rpgsave", 0))...))
	apart := []string{"save xdg-data:tw/file1.rpgsave", "save xdg-data:tw/file2.rpgsave"}
	assert.Equal(t, apart, of(append(saved, file(footprint.Log, "xdg-data:tw/file3.rpgsave", 1))...))
	assert.Equal(t, apart, of(append(saved, file(footprint.Asset, "xdg-data:tw/file3.rpgsave", 0))...))
	assert.Equal(t, apart, of(append(saved, file(footprint.Unknown, "xdg-data:tw/file3.rpgsave", 1))...), "it was written, and nobody knows what it is")
}

// A second place of the same progress is named as such.
func TestASecondPlaceIsNamed(t *testing.T) {
	file := func(at, digest string, size int64) footprint.File {
		return footprint.File{Kind: footprint.Save, Place: at, Path: "/x", Confidence: 0.9, Writes: 1, Reasons: []string{"it was written"}, After: trace.State{Is: trace.IsFile, Size: size, Digest: digest}}
	}
	why := func(files ...footprint.File) map[string]string {
		out := map[string]string{}
		for _, l := range Propose(&footprint.Footprint{Self: &footprint.Self{}, Files: files}, nil).Locations {
			out[l.At.String()] = strings.Join(l.Why, "; ")
		}
		return out
	}
	got := why(file("xdg-data:tw/main.sav", "aa", 300), file("account-data:cloud/main.sav", "aa", 300), file("xdg-data:tw/other.sav", "bb", 300))
	assert.Contains(t, got["xdg-data:tw/main.sav"], "it has the same content as account-data:cloud/main.sav afterwards: one of them is the launcher's copy")
	assert.Contains(t, got["account-data:cloud/main.sav"], "it has the same content as xdg-data:tw/main.sav afterwards")
	assert.NotContains(t, got["xdg-data:tw/other.sav"], "held the same")
	got = why(file("xdg-data:tw/main.sav", "aa", 300), file("xdg-state:tw/main.bak", "aa", 300))
	assert.Contains(t, got["xdg-state:tw/main.bak"], "a copy kept in two places")
	got = why(file("xdg-data:tw/a.sav", "cc", 2), file("xdg-state:tw/b.sav", "cc", 2))
	assert.NotContains(t, got["xdg-data:tw/a.sav"], "held the same", "two bytes are alike by chance")
}

// What a location leaves in its folder is listed by kind; what other programs have beside a
// title is not counted.
func TestFilesOutsideALocation(t *testing.T) {
	fp := &footprint.Footprint{Self: &footprint.Self{}}
	for _, text := range []string{"save xdg-data:tw/slots/slot1.sav", "save xdg-data:tw/slots/slot2.sav", "temp xdg-data:tw/slots/slot1.tmp", "log xdg-data:tw/tw.log", "system xdg-data:other/x", "save home:.twscores", "unknown home:.bash_history"} {
		fp.Files = append(fp.Files, seen(text))
	}
	left := map[string]map[footprint.Kind]int{}
	p := Propose(fp, nil)
	for _, l := range p.Locations {
		left[l.At.String()] = p.Left(l, fp)
	}
	assert.Equal(t, map[footprint.Kind]int{footprint.Temp: 1}, left["xdg-data:tw/slots/slot{slot}.sav"])
	assert.Empty(t, left["home:.twscores"])
	whole, err := place.Parse("xdg-data:tw/*.sav")
	require.NoError(t, err)
	assert.Equal(t, map[footprint.Kind]int{footprint.Temp: 1, footprint.Log: 1}, p.Left(Location{At: whole}, fp), "without what others of the proposal match")
}
