package candidate

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/place"
)

// played is a footprint of a title called Tarn with these files, each "KIND PLACE", and the
// search of a program that holds the texts.
func played(t *testing.T, self footprint.Self, texts string, files ...string) (*footprint.Footprint, *origin.Result) {
	t.Helper()
	f := &footprint.Footprint{Title: "Tarn", Self: &self}
	for _, x := range files {
		f.Files = append(f.Files, seen(x))
	}
	names, expected := Names(f)
	program := origin.InMemory("tarn", origin.Executable, []byte(strings.ReplaceAll("tarn|"+texts, "|", "\x00")+"\x00"))
	found, err := origin.Search(t.Context(), origin.Words(append(names, expected...)), []origin.File{program}, origin.Budget{})
	require.NoError(t, err)
	found.Expect(expected)
	return f, found
}

func TestNamesBecomeWhatTheirSourceSays(t *testing.T) {
	for _, c := range []struct {
		about string
		self  footprint.Self
		texts string
		file  string
		want  string
	}{
		{"typed by the player", footprint.Self{}, "keepers", "save xdg-data:tarn/keepers/ANNA.sav", "xdg-data:tarn/keepers/{profile}.sav"},
		{"with a number in front", footprint.Self{}, "save", "save xdg-data:tarn/save/0ANNA.gz", "xdg-data:tarn/save/{profile}.gz"},
		{"affixes are the program's", footprint.Self{}, "hero_%s_auto.dat", "save xdg-data:tarn/hero_Wren_auto.dat", "xdg-data:tarn/hero_{profile}_auto.dat"},
		{"the program's own", footprint.Self{}, "chronicle.dat", "save xdg-data:tarn/chronicle.dat", "xdg-data:tarn/chronicle.dat"},
		{"a player called like the user", footprint.Self{User: "mira"}, "keepers", "save xdg-data:tarn/keepers/Mira Oakes.sav", "xdg-data:tarn/keepers/{profile}.sav"},
		{"the user's name alone", footprint.Self{User: "mira"}, "progress_%s.dat", "save xdg-data:tarn/progress_mira.dat", "xdg-data:tarn/progress_{user}.dat"},
		{"the user's name, and a word of the program's", footprint.Self{User: "player"}, "player.sav|player", "save xdg-data:tarn/player.sav", "xdg-data:tarn/player.sav"},
		{"a folder called like the user, and by the program", footprint.Self{User: "player"}, "player|world", "save xdg-data:tarn/player/world.sav", "xdg-data:tarn/player/world.sav"},
		{"the user's name in another case", footprint.Self{User: "mira"}, "progress_%s.dat", "save xdg-data:tarn/progress_Mira.dat", "xdg-data:tarn/progress_{profile}.dat"},
		{"the same where case does not count", footprint.Self{User: "mira"}, "progress_%s.dat", "save saved-games:tarn/progress_Mira.dat", "saved-games:tarn/progress_{user}.dat"},
		{"the user's name with a number of nobody's", footprint.Self{User: "mira"}, "%s_%d.dat", "save xdg-data:tarn/mira_318204411.dat", "xdg-data:tarn/{profile}.dat"},
		{"the host's name", footprint.Self{Host: "lantern"}, "settings-%s.ini", "config xdg-config:tarn/settings-lantern.ini", "xdg-config:tarn/settings-{host}.ini"},
		{"a number of the program's", footprint.Self{}, "7300418820114", "save xdg-data:tarn/7300418820114/a.sav", "xdg-data:tarn/7300418820114/a.sav"},
		{"a number of nobody's", footprint.Self{}, "other", "save xdg-data:tarn/9911223344556/a.sav", "xdg-data:tarn/{account}/a.sav"},
		{"said by the person", footprint.Self{Chosen: []string{"player"}}, "player|keepers", "save xdg-data:tarn/keepers/player.sav", "xdg-data:tarn/keepers/{profile}.sav"},
		{"said, and of one letter", footprint.Self{Chosen: []string{"A"}}, "hero_%s.sav", "save xdg-data:tarn/hero_A.sav", "xdg-data:tarn/hero_{profile}.sav"},
		{"one name for two texts", footprint.Self{}, "keepers", "save xdg-data:tarn/Wren/Oakes.sav", "xdg-data:tarn/{profile}/*.sav"},
		{"one name for one text twice", footprint.Self{}, "keepers", "save xdg-data:tarn/Wren/Wren.sav", "xdg-data:tarn/{profile}/{profile}.sav"},
		{"characters of patterns", footprint.Self{}, "keepers", "save xdg-data:tarn/keepers/[x]+(Wren)%2A%7B1%7D.sav", "xdg-data:tarn/keepers/{profile}.sav"},
	} {
		f, found := played(t, c.self, c.texts, c.file)
		p := Propose(f, found)
		require.Len(t, p.Locations, 1, "%s: %v", c.about, p.Questions)
		assert.Equal(t, c.want, p.Locations[0].At.String(), c.about)
		for _, w := range p.Locations[0].Why {
			assert.NotContains(t, w, "ANNA", "reasons are sent")
			assert.NotContains(t, w, "Wren", "reasons are sent")
		}
	}
}

// Right below a shared anchor there is nothing of the title's: a name that the player chose
// cannot be told from other files.
func TestANameRightBelowAnAnchor(t *testing.T) {
	f, found := played(t, footprint.Self{}, ".tarnrc", "save home:wrensave", "config home:.tarnrc")
	p := Propose(f, found)
	assert.Equal(t, []string{"home:.tarnrc"}, at(p))
	require.Len(t, p.Questions, 1)
	assert.Contains(t, p.Questions[0].Ask, "its whole name was chosen by the player")

	f, found = played(t, footprint.Self{}, "tarn-%s.sav", "save home:tarn-Wren.sav")
	assert.Equal(t, []string{"home:tarn-{profile}.sav"}, at(Propose(f, found)), "what the program brings of it tells it")
}

func TestWhatLiesInAPlayersFolderIsOneThing(t *testing.T) {
	world := []string{"save xdg-data:tarn/worlds/Anna/level.dat", "save xdg-data:tarn/worlds/Anna/players.dat", "save xdg-data:tarn/worlds/Anna/map.reg"}
	f, found := played(t, footprint.Self{}, "worlds|level.dat|players.dat|map.reg", world...)
	assert.Equal(t, []string{"xdg-data:tarn/worlds/{profile}/"}, at(Propose(f, found)))

	f, found = played(t, footprint.Self{}, "worlds|level.dat|players.dat", world[:2]...)
	assert.Equal(t, []string{"xdg-data:tarn/worlds/{profile}/level.dat", "xdg-data:tarn/worlds/{profile}/players.dat"}, at(Propose(f, found)), "two patterns say what they hold")

	f, found = played(t, footprint.Self{}, "worlds|level.dat|players.dat|map.reg|shots|cache", append(world, "cache xdg-data:tarn/worlds/Anna/cache/a.bin", "cache xdg-data:tarn/worlds/Anna/cache/b.bin")...)
	assert.NotContains(t, at(Propose(f, found)), "xdg-data:tarn/worlds/{profile}/", "too much of it is of no interest")
}

func asks(p Proposal) (list []string) {
	for _, q := range p.Questions {
		list = append(list, q.Ask)
	}
	return list
}

func at(p Proposal) (list []string) {
	for _, l := range p.Locations {
		list = append(list, l.At.String())
	}
	return list
}

func TestUndecidedNamesAreAsked(t *testing.T) {
	f, found := played(t, footprint.Self{}, "hero_%s.sav", "save xdg-data:tarn/Al.dat", "save xdg-data:tarn/hero_Wren.bin")
	p := Propose(f, found)
	assert.Equal(t, []string{"Al"}, p.Undecided(found))
	sources := p.Sources(found)
	require.Len(t, sources, 2)
	for _, s := range sources {
		if s.Name == "hero_Wren.bin" {
			assert.Equal(t, "hero_{profile}.bin", s.Became)
			assert.Equal(t, origin.Part{Text: "Wren", From: origin.Other}, s.Parts[1])
		}
	}
	assert.Nil(t, p.Undecided(nil))
	assert.Nil(t, p.Sources(nil))
}

func TestADatabaseAndItsJournalsAreOneUnit(t *testing.T) {
	f, found := played(t, footprint.Self{}, "saves|world.db", "save xdg-data:tarn/saves/world.db", "unknown xdg-data:tarn/saves/world.db-wal", "save xdg-data:tarn/saves/world.db-shm", "unknown xdg-data:tarn/other-wal")
	p := Propose(f, found)
	require.Equal(t, []string{"xdg-data:tarn/saves/world.db*"}, at(p))
	for _, name := range []string{"world.db", "world.db-wal", "world.db-journal"} {
		_, ok := p.Locations[0].At.Match([]string{"tarn", "saves", name}, nil)
		assert.True(t, ok, name)
	}
	_, ok := p.Locations[0].At.Match([]string{"tarn", "saves", "world2.db"}, nil)
	assert.False(t, ok)
	assert.Len(t, p.Questions, 1, "a journal of no database is a file like others")
}

// Runs under different names, side by side, show what the players named, without a search.
func TestNamesThatDifferFromRunToRun(t *testing.T) {
	merged := func(runs ...[]string) *footprint.Footprint {
		var list []*footprint.Footprint
		for i, files := range runs {
			f := &footprint.Footprint{Title: "Tarn", OS: "linux", Runtime: "native", Self: &footprint.Self{User: []string{"mira", "tobin"}[i]}}
			for _, x := range files {
				f.Files = append(f.Files, seen(x))
			}
			list = append(list, f)
		}
		f, err := footprint.Merge(list)
		require.NoError(t, err)
		for i := range f.Files { // as they were judged
			f.Files[i].Kind, f.Files[i].Confidence = footprint.Save, 0.9
		}
		return f
	}
	for _, c := range []struct {
		about    string
		one, two []string
		want     []string
	}{
		{"files", []string{"save xdg-data:tarn/saves/ANNA.sav", "save xdg-data:tarn/saves/auto.sav"}, []string{"save xdg-data:tarn/saves/BERT.sav", "save xdg-data:tarn/saves/auto.sav"},
			[]string{"xdg-data:tarn/saves/{profile}.sav"}},
		{"folders", []string{"save xdg-data:tarn/keepers/Anna/a.dat"}, []string{"save xdg-data:tarn/keepers/Bert/a.dat"},
			[]string{"xdg-data:tarn/keepers/{profile}/a.dat"}},
		{"folders of other things", []string{"save xdg-data:tarn/worlds/a.dat"}, []string{"save xdg-data:tarn/heroes/b.dat"},
			[]string{"xdg-data:tarn/worlds/a.dat", "xdg-data:tarn/heroes/b.dat"}},
		{"slots", []string{"save xdg-data:tarn/slot1.sav"}, []string{"save xdg-data:tarn/slot2.sav"}, []string{"xdg-data:tarn/slot{slot}.sav"}},
		{"one run alone has more", []string{"save xdg-data:tarn/a.sav"}, []string{"save xdg-data:tarn/a.sav", "save xdg-data:tarn/b.sav"}, []string{"xdg-data:tarn/a.sav", "xdg-data:tarn/b.sav"}},
		{"other formats", []string{"save xdg-data:tarn/world.dat"}, []string{"save xdg-data:tarn/heroes.sav"}, []string{"xdg-data:tarn/heroes.sav", "xdg-data:tarn/world.dat"}},
	} {
		assert.ElementsMatch(t, c.want, at(Propose(merged(c.one, c.two), nil)), c.about)
	}
	alone, _ := played(t, footprint.Self{}, "x", "save xdg-data:tarn/saves/ANNA.sav")
	assert.Equal(t, []string{"xdg-data:tarn/saves/ANNA.sav"}, at(Propose(alone, nil)), "one run shows nothing of the kind")
}

func TestNamesThatAreKeptAlthoughNoProgramHoldsThem(t *testing.T) {
	f, _ := played(t, footprint.Self{}, "", "save xdg-data:tarn/keepers/ANNA.sav")
	var locations []place.Location
	for _, text := range []string{"xdg-data:tarn/keepers/ANNA.sav", "xdg-data:tarn/keepers/{profile}.sav", "xdg-data:tarn/slot{slot}-Wren/"} {
		l, err := place.Parse(text)
		require.NoError(t, err)
		locations = append(locations, l)
	}
	names, expected := Names(f)
	words := origin.Words(append(append(names, expected...), Literals(locations)...))
	found, err := origin.Search(t.Context(), words, []origin.File{origin.InMemory("tarn", origin.Executable, []byte("tarn\x00keepers\x00slot%d\x00"))}, origin.Budget{})
	require.NoError(t, err)
	assert.Empty(t, KeptNames(locations, found), "the search is not conclusive yet")
	found.Expect(expected)
	assert.Equal(t, []Kept{{"xdg-data:tarn/keepers/ANNA.sav", "ANNA"}, {"xdg-data:tarn/slot{slot}-Wren/", "Wren"}}, KeptNames(locations, found))
	assert.Empty(t, KeptNames(locations, nil))
}

// A folder in which a program lies that came with the game is not the player's, though no
// text of the program holds its name.
func TestTheFolderOfAProgramStays(t *testing.T) {
	f, found := played(t, footprint.Self{}, "nothing", "save home:dos/reef/DIVE.SAV", "config home:dos/reef/deep/KEYS.CFG")
	program := seen("unknown home:dos/reef/START.BAT")
	program.Writes, program.Reads = 0, 3
	f.Files = append(f.Files, program)
	assert.Equal(t, []string{"config home:dos/reef/{profile}/*.CFG", "save home:dos/reef/{profile}.SAV"}, sorted(Propose(f, found)))
	f.Files[len(f.Files)-1].Writes = 1 // the player's own
	assert.Equal(t, []string{"config home:dos/{profile}/*/*.CFG", "save home:dos/{profile}/*.SAV"}, sorted(Propose(f, found)))
}

func sorted(p Proposal) []string { return slices.Sorted(slices.Values(p.lines())) }

func TestOneQuestionForAFolderOfLikeFiles(t *testing.T) {
	p := propose("unknown xdg-data:tw/odd/a", "unknown xdg-data:tw/odd/b", "unknown xdg-data:tw/odd/c", "unknown xdg-data:tw/odd/in/d", "capture xdg-data:tw/p/1.png @0.3", "capture xdg-data:tw/p/2.png @0.3", "capture xdg-data:tw/p/3.png @0.3")
	assert.Equal(t, []string{
		"what are the 3 files in xdg-data:tw/odd/, such as a? They were written, and nothing indicates what they are",
		"what is xdg-data:tw/odd/in/d? It was written, and nothing indicates what it is",
		"are the 3 files in xdg-data:tw/p/, such as 1.png, pictures? it was written 0.2 s before the cue saved",
	}, asks(p))
}

// The files of a store are one unit, though some look like logs and locks.
func TestAStoreIsOneUnit(t *testing.T) {
	files := []string{
		"unknown xdg-data:tarn/world/CURRENT", "unknown xdg-data:tarn/world/MANIFEST-000004", "log xdg-data:tarn/world/000003.log",
		"save xdg-data:tarn/world/000005.ldb", "log xdg-data:tarn/world/LOG", "lock xdg-data:tarn/world/LOCK",
	}
	f, found := played(t, footprint.Self{}, "world|level", append(files, "config xdg-data:tarn/tarn.ini")...)
	p := Propose(f, found)
	assert.Equal(t, []string{"save xdg-data:tarn/world/", "config xdg-data:tarn/tarn.ini"}, p.lines())
	assert.Len(t, p.Locations[0].Files, len(files))
	assert.Empty(t, p.Questions)

	f, found = played(t, footprint.Self{}, "world|level", files[:3]...)
	p = Propose(f, found)
	assert.Empty(t, p.Locations)
	assert.Equal(t, []string{"what is the database in xdg-data:tarn/world/? Its 3 files belong together; it was written, and nothing indicates what it holds"}, asks(p))

	f, found = played(t, footprint.Self{}, "world|level", files[2:]...)
	assert.Equal(t, []string{"save xdg-data:tarn/world/{slot}.ldb"}, Propose(f, found).lines(), "without what says which files count it is none")
}
