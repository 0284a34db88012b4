package proof

import (
	"slices"
	"strings"
	"testing"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/trace"
)

func proven(t testing.TB) *Proof {
	p := begun(t, 2)
	play(t, p, &game{[]int{1}, false, map[int]bool{}})
	require.NoError(t, p.Verify())
	return p
}

// What does not follow from what was done is told, and where.
func TestWhatDoesNotFollow(t *testing.T) {
	for name, c := range map[string]struct {
		change func(*Proof)
		want   string
	}{
		"another result":        {func(p *Proof) { p.Locations[0].Result = Needed }, "locations[0].result"},
		"another reason":        {func(p *Proof) { p.Locations[1].Why = "I say so" }, "locations[1].result"},
		"enough":                {func(p *Proof) { p.Locations[1].Enough = true }, "locations[1].result"},
		"another answer":        {func(p *Proof) { p.Rounds[2].Answer = Progress }, "locations[0].result"},
		"a round less":          {func(p *Proof) { p.Rounds = p.Rounds[:3] }, "after 3 rounds the experiment is not over"},
		"a round more":          {func(p *Proof) { p.Rounds = append(p.Rounds, p.Rounds[3]) }, "is over after 4"},
		"no rounds":             {func(p *Proof) { p.Rounds = nil }, "rounds: there are 0"},
		"another order":         {func(p *Proof) { p.Rounds[1].Away = []int{1} }, "rounds[1].away"},
		"none of the locations": {func(p *Proof) { p.Rounds[0].Away = []int{0, 7} }, "there is no location 7"},
		"read what was away":    {func(p *Proof) { p.Rounds[2].Sees[1].Read = 1 }, "locations[0].result"},
		"no answer":             {func(p *Proof) { p.Rounds[1].Answer = "perhaps" }, "rounds[1]"},
		"not ended":             {func(p *Proof) { p.At = Bring }, "not led to its end"},
		"ended early":           {func(p *Proof) { p.Ended = "enough" }, "not led to its end"},
		"another format":        {func(p *Proof) { p.Format = "endroit/proof/2" }, "this program reads endroit/proof/1"},
		"another aim":           {func(p *Proof) { p.Aim = "burn" }, "aim"},
		"a wide location":       {func(p *Proof) { p.Locations[0].At = "home:**" }, "locations[0].at"},
		"holds":                 {func(p *Proof) { p.Holds = "love" }, "holds"},
		"before it began":       {func(p *Proof) { p.Rounds[1].Began = p.Began.AddDate(0, 0, -1) }, "rounds[1].began"},
		"a hidden character":    {func(p *Proof) { p.Slot = "a\u202eb" }, "a text"},
	} {
		raw, err := json.Marshal(proven(t))
		require.NoError(t, err)
		p := &Proof{}
		require.NoError(t, json.Unmarshal(raw, p))
		c.change(p)
		assert.ErrorContains(t, p.Verify(), c.want, name)
	}
}

// Every experiment that is led to its end follows from its steps.
func TestWhatIsLedFollows(t *testing.T) {
	for _, aim := range append([]Aim{"", Locations, Which, Nothing}, Operations...) {
		p, err := New("0123456789abcdef", About{Aim: aim, Title: "Tarn", Holds: "save"}, locations(5), now)
		require.NoError(t, err)
		g := &game{[]int{1, 3}, false, map[int]bool{}}
		for p.At != Finish {
			s := p.Next()
			e := g.hands(p, s)
			if s.Do == Look {
				e.Became = []Became{{Location: 0, Same: 1}, {Location: 1, Gone: 1}}
			}
			require.NoError(t, p.Done(s.Do, e))
		}
		require.NoError(t, p.Verify(), string(aim))
		assert.NotEmpty(t, p.Statement())
		assert.False(t, p.Absent())
	}
	p, err := New("0123456789abcdef", About{Aim: Nothing, Title: "Tarn", Holds: "save"}, locations(5), now)
	require.NoError(t, err)
	play(t, p, &game{nil, false, map[int]bool{}})
	assert.True(t, p.Absent())
}

func TestSee(t *testing.T) {
	file := func(at string, before, after string, reads int) footprint.File {
		f := footprint.File{Place: at, Before: trace.State{Is: before}, After: trace.State{Is: after}}
		f.Reads = reads
		return f
	}
	f := &footprint.Footprint{Files: []footprint.File{
		file("xdg-data:tarn/0/a", trace.IsFile, trace.IsFile, 2),
		file("xdg-data:tarn/0/b", trace.IsAbsent, trace.IsFile, 0),
		file("xdg-data:tarn/1/d", trace.IsFile, trace.IsFile, 0), // nothing was done with it
		file("xdg-config:tarn/1/e", trace.IsFile, trace.IsFile, 1),
		file("", trace.IsFile, trace.IsFile, 1),
		file("xdg-data:tarn/1/f", trace.IsFile, trace.IsAbsent, 0), // it was renamed, and read by another name
		file("xdg-data:tarn/1/g", trace.IsFile, trace.IsAbsent, 1),
	}, Missed: []string{"xdg-data:tarn/1/c", "xdg-data:other/c", ""}}
	assert.Equal(t, []Sees{{Location: 0, Read: 1, Created: 1}, {Location: 1, Missing: 1, Read: 1, Gone: 1}}, slices.Clone(See(locations(2), f)))
	key := []Location{{At: "registry:HKEY_CURRENT_USER/Software/Fen/Tarn/"}}
	f.Files = append(f.Files, file("registry:HKEY_CURRENT_USER/Software/Fen/Tarn/Slots/", trace.IsAbsent, trace.IsKey, 0))
	assert.Equal(t, []Sees{{Location: 0, Created: 1}}, See(key, f))
}

// What is read in the registry passes no file of its own: that nothing was read says nothing
// there, and of files it says that the game was another, or did not get so far.
func TestKeysAreNotSeenToBeRead(t *testing.T) {
	for at, want := range map[string]Result{
		"registry:HKEY_CURRENT_USER/Software/Fen/Tarn/": Needed,
		"xdg-data:tarn/": Undecided,
	} {
		p, err := New("0123456789abcdef", About{Title: "Tarn", Holds: "save"}, []Location{{At: at, Holds: "save", Files: 1}}, now)
		require.NoError(t, err)
		for p.At != Finish {
			e := Event{Copy: "c", Now: now}
			switch {
			case p.At == Start:
				e.Trace, e.Sees = strings.Repeat("a", 64), []Sees{{Location: 0}}
			case p.At == Ask && len(p.Rounds[len(p.Rounds)-1].Away) > 0:
				e.Answer = NewGame
			case p.At == Ask:
				e.Answer = Progress
			}
			require.NoError(t, p.Done(p.At, e))
		}
		assert.Equal(t, want, p.Locations[0].Result, at)
		assert.Equal(t, want == Needed, strings.Contains(p.Saw(p.Rounds[0].Sees[0]), "is not seen"))
		require.NoError(t, p.Verify())
	}
}

// listed is what a launcher's own files say of two locations.
func listed(t testing.TB, lists []string, files ...int) *Proof {
	p, err := New("0123456789abcdef", About{Aim: "cloud", ByList: true, Title: "Tidewrack", Holds: draft.Save, By: "test"}, []Location{
		{At: "xdg-data:tidewrack/slots/", Holds: draft.Save, Files: 3}, {At: "xdg-config:tidewrack/options.ini", Holds: draft.Config, Files: 1},
	}, now)
	require.NoError(t, err)
	step := p.Next()
	assert.Equal(t, ReadList, step.Do)
	assert.Zero(t, step.Left, "nothing is started")
	e := Event{Lists: lists, Now: now}
	for i, n := range files {
		e.Listed = append(e.Listed, Listing{i, n})
	}
	require.NoError(t, p.Done(ReadList, e))
	assert.Equal(t, Finish, p.At)
	return p
}

func TestWhatALauncherLists(t *testing.T) {
	p := listed(t, []string{"xdg-data:tidewrack/"}, 3, 0)
	require.NoError(t, p.Verify())
	assert.Equal(t, Kept, p.Locations[0].Result)
	assert.Equal(t, NotKept, p.Locations[1].Result)
	assert.Equal(t, "the launcher lists others for its cloud, and not it", p.Locations[1].Why)
	assert.Equal(t, "for its cloud they list: xdg-data:tidewrack/", p.Steps(p.Rounds[0])[1])
	assert.Equal(t, "3 of 3 files listed", p.Listing(p.Rounds[0].Listed[0]))
	p = listed(t, []string{"xdg-data:tidewrack/slots/first.sav"}, 1, 0)
	require.NoError(t, p.Verify())
	assert.Equal(t, "the launcher lists 1 of 3 files for its cloud, and not the others", p.Locations[0].Why)

	_, err := New("0123456789abcdef", About{Aim: Locations, ByList: true}, p.Locations, now)
	assert.ErrorContains(t, err, "cloud keeps alone")
	for name, c := range map[string]struct {
		p    *Proof
		want string
	}{
		"a location in what is listed, in part": {listed(t, []string{"xdg-data:tidewrack/"}, 2, 0), "listed[0].files: 2 of 3"},
		"one that is nowhere in it":             {listed(t, []string{"xdg-data:tidewrack/"}, 3, 1), "listed[1].files: 1 of 1"},
		"more than there are":                   {listed(t, []string{"xdg-data:tidewrack/"}, 4, 0), "listed[0].files: 4 of 3"},
		"no list":                               {listed(t, nil, 0, 0), "lists: there are 0"},
		"a location left out":                   {listed(t, []string{"xdg-data:tidewrack/"}, 3), "listed: there are 1, and 2 locations"},
		"no place":                              {listed(t, []string{"/home/mira/x"}, 0, 0), "lists[0]"},
	} {
		assert.ErrorContains(t, c.p.Verify(), c.want, name)
	}
	for name, change := range map[string]func(*Proof){
		"a start":          func(p *Proof) { p.Rounds[0].Answer = Progress },
		"something away":   func(p *Proof) { p.Rounds[0].Away = []int{0} },
		"a second reading": func(p *Proof) { p.Rounds = append(p.Rounds, p.Rounds[0]) },
		"a better result":  func(p *Proof) { p.Locations[1].Result = Kept },
		"an experiment":    func(p *Proof) { p.ByList = false },
	} {
		p := listed(t, []string{"xdg-data:tidewrack/"}, 3, 0)
		change(p)
		assert.Error(t, p.Verify(), name)
	}
}
