package candidate

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/content"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/trace"
)

// written is a run that wrote files: kind and place.
func written(files ...string) *footprint.Footprint {
	f := &footprint.Footprint{Title: "Tarn", OS: "linux", Runtime: "native", Counts: map[footprint.Kind]int{}, Self: &footprint.Self{User: "mira"}}
	for i, text := range files {
		x := seen(text)
		x.Path, x.After = "/home/mira/"+x.Place, trace.State{Is: trace.IsFile, Size: int64(100 + i)}
		f.Files = append(f.Files, x)
		f.Counts[x.Kind]++
	}
	return f
}

func find(t *testing.T, list []draft.Question, topic string) *draft.Question {
	t.Helper()
	for i := range list {
		if list[i].Topic == topic {
			return &list[i]
		}
	}
	t.Fatalf("nothing is asked about %s: %v", topic, list)
	return nil
}

// An answer changes what depends on it, and leaves what somebody edited.
func TestAnAnswerChangesTheDraft(t *testing.T) {
	f := written("save xdg-data:tarn/tarn.sav", "unknown xdg-data:tarn/index.db")
	d, _, _ := Draft(f, nil)
	q := find(t, d.Questions, draft.TopicKind)
	assert.Equal(t, []string{"xdg-data:tarn/index.db"}, q.Of)
	d.Locations[0].At = "xdg-data:tarn/*.sav" // the person knows better

	q.Answer = "settings"
	added, removed := Answer(d, f, nil)
	assert.Equal(t, []string{"config xdg-data:tarn/index.db"}, added)
	assert.Empty(t, removed)
	require.Len(t, d.Locations, 2)
	assert.Equal(t, "xdg-data:tarn/*.sav", d.Locations[0].At, "what was edited stays")
	assert.Equal(t, "settings", find(t, d.Questions, draft.TopicKind).Answer, "the answer stays")
	require.NoError(t, d.Check())
	again, gone := Answer(d, f, nil)
	assert.Empty(t, append(again, gone...), "the second time there is nothing to do")
	assert.Equal(t, footprint.Config, Told(f, d.Questions).Files[1].Kind)
	assert.Equal(t, footprint.Unknown, f.Files[1].Kind, "the run's own footprint is unchanged")

	find(t, d.Questions, draft.TopicKind).Answer = draft.None
	added, removed = Answer(d, f, nil)
	assert.Empty(t, added)
	assert.Equal(t, []string{"config xdg-data:tarn/index.db"}, removed)
}

func TestACopyIsNoPlaceOfItsOwn(t *testing.T) {
	f := written("save xdg-data:tarn/tarn.sav", "save xdg-data:clerk/upload/tarn.sav")
	for i := range f.Files {
		f.Files[i].After.Digest, f.Files[i].FirstWrite = "aa", trace.Event{At: 1}.At*10+f.Files[i].FirstWrite
	}
	f.Files[1].FirstWrite += 100
	d, _, _ := Draft(f, nil)
	require.Len(t, d.Locations, 2)
	q := find(t, d.Questions, draft.TopicCopy)
	assert.Equal(t, []string{"xdg-data:clerk/upload/tarn.sav", "xdg-data:tarn/tarn.sav"}, q.Of)
	q.Answer = "yes"
	_, removed := Answer(d, f, nil)
	assert.Equal(t, []string{"save xdg-data:clerk/upload/tarn.sav"}, removed)
}

func TestWhomSettingsBelongTo(t *testing.T) {
	f := written("config xdg-config:tarn/graphics.cfg", "config xdg-config:tarn/keys.cfg")
	d, _, _ := Draft(f, nil)
	q := find(t, d.Questions, draft.TopicBelongs)
	assert.Equal(t, []string{"xdg-config:tarn/graphics.cfg"}, q.Of, "keys go with the person")
	q.Answer = draft.Machine
	Answer(d, f, nil)
	for _, l := range d.Locations {
		want := ""
		if l.At == "xdg-config:tarn/graphics.cfg" {
			want = draft.Machine
		}
		assert.Equal(t, want, l.Belongs, l.At)
	}
	f = written("config xdg-config:tarn/graphics-heron.cfg")
	f.Self.Host = "heron"
	assert.Equal(t, draft.Machine, Propose(f, nil).Locations[0].Belongs, "its name is the machine's")
}

// What the program holds of a name says what it fills in.
func TestFormatsTellWhatIsFilledIn(t *testing.T) {
	for _, c := range []struct{ about, program, file, want string }{
		{"a letter behind a format", "autosave_%c.osr", "autosave_a.osr", "autosave_*.osr"},
		{"words of the program's in a format", "Chapter%02d_%s.aqs|Tunnels", "Chapter03_Tunnels.aqs", "Chapter{profile}.aqs"},
		{"a template", "{name}.vch|Corin", "Corin.vch", "{profile}.vch"},
		{"a literal that ends in a dash", "profile_|state", "profile_a8f3.bin", "profile_*.bin"},
		{"a number behind an extension", "states|.state%d", "ANNA.state3", "{profile}.state{slot}"},
		{"a literal that is whole", "auto_a.osr|autosave_%c.osr", "auto_a.osr", "auto_a.osr"},
		{"words with spaces, typed", "new|world|level.dat", "New World.dat", "{profile}.dat"},
		{"words with spaces, the program's", "Quick Save.dat", "Quick Save.dat", "Quick Save.dat"},
		{"words within a sentence", "create a new world|level.dat", "New World.dat", "{profile}.dat"},
		{"the title, however it is written", "tarn-game", "tarn.sav", "tarn.sav"},
	} {
		f, found := played(t, footprint.Self{}, "saves|"+c.program, "save xdg-data:tarn/saves/"+c.file)
		p := Propose(f, found)
		require.Len(t, p.Locations, 1, "%s: %v", c.about, asks(p))
		assert.Equal(t, "xdg-data:tarn/saves/"+c.want, p.Locations[0].At.String(), c.about)
	}
}

// What is said of a name leaves slots and accounts to their rules, and an answer takes back
// what others, or none, had brought.
func TestANameThatTheGameMakesCanHoldASlot(t *testing.T) {
	f := written("unknown xdg-data:tarn/slot1.bin")
	d, _, _ := Draft(f, nil)
	find(t, d.Questions, draft.TopicKind).Answer = "progress"
	added, _ := Answer(d, f, nil)
	assert.Equal(t, []string{"save xdg-data:tarn/slot{slot}.bin"}, added)
	d.Questions = append(d.Questions, draft.Question{Ask: "which?", Topic: draft.TopicNames, Of: []string{"slot1", "tarn"}, Answer: draft.None})
	added, removed := Answer(d, f, nil)
	assert.Empty(t, append(added, removed...))
	d.Questions[len(d.Questions)-1].Answer = "slot1"
	added, removed = Answer(d, f, nil)
	assert.Equal(t, []string{"save xdg-data:tarn/{profile}.bin"}, added)
	assert.Equal(t, []string{"save xdg-data:tarn/slot{slot}.bin"}, removed)
	require.Len(t, d.Locations, 1)
}

// What is kept, and open is as what, is proposed as the likelier, and asked.
func TestWhatIsKeptIsProposedAndAsked(t *testing.T) {
	f := written("unknown xdg-data:tarn/tarn")
	x := &f.Files[0]
	x.Findings = []footprint.Finding{{ID: "settings-inside"}, {ID: "data-folder"}}
	x.Kind, x.Confidence, x.Reasons = footprint.Decide(x.Findings)
	d, _, _ := Draft(f, nil)
	require.Len(t, d.Locations, 1)
	assert.Equal(t, draft.Config, d.Locations[0].Holds)
	q := find(t, d.Questions, draft.TopicKind)
	assert.Equal(t, "is xdg-data:tarn/tarn progress or settings? The game keeps it, and it is proposed as settings", q.Ask)
	q.Answer = "progress"
	added, removed := Answer(d, f, nil)
	assert.Equal(t, []string{"save xdg-data:tarn/tarn"}, added)
	assert.Equal(t, []string{"config xdg-data:tarn/tarn"}, removed)

	unsure := written("save xdg-data:tarn/history")
	unsure.Files[0].Confidence, unsure.Files[0].Reasons = 0.4, []string{"its name"}
	d, _, _ = Draft(unsure, nil)
	assert.Empty(t, d.Locations)
	find(t, d.Questions, draft.TopicKind).Answer = "progress"
	added, _ = Answer(d, unsure, nil)
	assert.Equal(t, []string{"save xdg-data:tarn/history"}, added, "it is what it was taken for")

	several := written("config xdg-data:tarn/crews/a.crew", "config xdg-data:tarn/crews/b.crew", "config xdg-data:tarn/crews/c.crew")
	for i := range several.Files {
		several.Files[i].Confidence, several.Files[i].Findings = x.Confidence, x.Findings
	}
	d, _, _ = Draft(several, nil)
	assert.Equal(t,
		"are the 3 files in xdg-data:tarn/crews/, such as a.crew, progress or settings? The game keeps them, and they are proposed as settings",
		find(t, d.Questions, draft.TopicKind).Ask)
}

// A file like those that were saved, which was only read, is another of them.
func TestWhatIsLikeTheSavedMayBeReached(t *testing.T) {
	f := written("save xdg-data:tarn/crews/Mira.crew", "unknown xdg-data:tarn/crews/Old Hands.crew")
	f.Self.Chosen = []string{"Mira"}
	f.Files[1].Writes = 0
	at := func() string { return Propose(f, nil).Locations[0].At.String() }
	assert.Equal(t, "xdg-data:tarn/crews/{profile}.crew", at())
	f.Files[1].Place = "xdg-data:tarn/crews/Old Hands.dat"
	f.Files[0].Place = "xdg-data:tarn/crews/Mira.dat"
	assert.Equal(t, "xdg-data:tarn/crews/Mira.dat", at(), "one of many programs' endings says nothing")
}

// What holds a token and progress is progress that is told to hold a token; what is called as
// credentials are is asked.
func TestProgressWithAToken(t *testing.T) {
	f := written("save xdg-data:tarn/account.json", "unknown xdg-data:tarn/login.dat")
	f.Files[0].After.Looks = content.Looks([]byte(`{"session_token": "abc", "level": 3}`))
	f.Files[1].Findings = []footprint.Finding{{ID: "credential-name", Facts: footprint.Facts{Word: "login"}}}
	d, _, _ := Draft(f, nil)
	require.Len(t, d.Locations, 1)
	assert.Equal(t, TokenToo, d.Locations[0].Why[0])
	q := find(t, d.Questions, draft.TopicKind)
	assert.Equal(t, "does xdg-data:tarn/login.dat hold progress or settings too? By its name it holds login, which nobody else should get", q.Ask)
	q.Answer = "progress"
	added, _ := Answer(d, f, nil)
	assert.Equal(t, []string{"save xdg-data:tarn/login.dat"}, added)
	assert.Equal(t, TokenToo, d.Locations[1].Why[0])
}

// What cues say in words was typed becomes general, and is never sent.
func TestNamesThatCuesTell(t *testing.T) {
	made := func(texts, file string, said ...string) string {
		f, found := played(t, footprint.Self{}, texts, file)
		for _, w := range said {
			f.Cues = append(f.Cues, trace.Cue{Word: w})
		}
		d, p, _ := Draft(f, found)
		require.Len(t, p.Locations, 1)
		if len(said) > 0 && strings.Contains(d.Locations[0].At, "{profile}") {
			require.NotNil(t, d.Names)
			assert.NotEmpty(t, d.Names.Chosen, "submitting has to know it")
		}
		return d.Locations[0].At
	}
	const world = "save xdg-data:tarn/worlds/player.dat"
	assert.Equal(t, "xdg-data:tarn/worlds/player.dat", made("worlds|player.dat", world, "saved"))
	assert.Equal(t, "xdg-data:tarn/worlds/{profile}.dat", made("worlds|player.dat", world, "saved", "chose player"))
	assert.Equal(t, "xdg-data:tarn/worlds/player.dat", made("worlds|player.dat", world, "made a new player"), "the program has that word")
	const hero = "save xdg-data:tarn/hero_Wren.dat"
	assert.Equal(t, "xdg-data:tarn/hero_{profile}.dat", made("hero_%s.dat", hero, "called her Wren, and saved"))
	assert.Equal(t, []string{"Wren Oakes"}, chosenInCues(&footprint.Footprint{Cues: []trace.Cue{{Word: "Chose Wren Oakes "}, {Word: "chose Wren Oakes"}, {Word: "chose"}}}, nil))
	assert.Empty(t, chosenInCues(&footprint.Footprint{Cues: []trace.Cue{{Word: "called her Wren"}}}, nil), "nothing was searched")
}
