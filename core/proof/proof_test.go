package proof

import (
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

var now = time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)

func locations(n int) (all []Location) {
	for i := range n {
		all = append(all, Location{At: fmt.Sprintf("xdg-data:tarn/%d/", i), Holds: "save", Files: 1})
	}
	return all
}

// game is one that keeps its progress in some locations: in all of needs together, or in any
// of them.
type game struct {
	needs []int
	any   bool
	away  map[int]bool
}

func (g *game) answer() Answer {
	there := 0
	for _, i := range g.needs {
		if !g.away[i] {
			there++
		}
	}
	if there == len(g.needs) || g.any && there > 0 {
		return Progress
	}
	return NewGame
}

func (g *game) sees(n int) (all []Sees) {
	for i := range n {
		if g.away[i] {
			all = append(all, Sees{Location: i, Missing: 1, Created: 1})
		} else {
			all = append(all, Sees{Location: i, Read: 1})
		}
	}
	return all
}

// hands do what a step says.
func (g *game) hands(p *Proof, s Step) Event {
	switch s.Do {
	case Copy:
		return Event{Copy: "0123456789abcdef", Now: now}
	case TakeAway:
		for _, i := range s.Away {
			g.away[i] = true
		}
		return Event{Operation: "20261128-120000-00000000"}
	case Start:
		return Event{Sees: g.sees(len(p.Locations)), Trace: "a"}
	case Ask:
		return Event{Answer: g.answer()}
	case Bring:
		clear(g.away)
	}
	return Event{Now: now}
}

func begun(t require.TestingT, n int) *Proof {
	p, err := New("0123456789abcdef", About{Title: "Tarn", Holds: "save"}, locations(n), now)
	require.NoError(t, err)
	return p
}

// play does all steps, and gives how often the game was started.
func play(t require.TestingT, p *Proof, g *game) (starts int) {
	for p.At != Finish {
		s := p.Next()
		if s.Do == Start {
			starts++
			require.Positive(t, s.Left)
		}
		require.NoError(t, p.Done(s.Do, g.hands(p, s)))
	}
	return starts
}

func results(p *Proof) (all []Result) {
	for _, l := range p.Locations {
		all = append(all, l.Result)
	}
	return all
}

func TestResults(t *testing.T) {
	for name, c := range map[string]struct {
		n, starts int
		needs     []int
		any       bool
		want      []Result
	}{
		"one file":              {1, 2, []int{0}, false, []Result{Needed}},
		"not in it":             {1, 2, nil, false, []Result{NotNeeded}},
		"nothing local at all":  {3, 2, nil, false, []Result{NotNeeded, NotNeeded, NotNeeded}},
		"one of three":          {3, 5, []int{1}, false, []Result{NotNeeded, Needed, NotNeeded}},
		"two, both needed":      {3, 5, []int{0, 2}, false, []Result{NotEnough, NotNeeded, NotEnough}},
		"two, either is enough": {2, 4, []int{0, 1}, true, []Result{NotNeeded, NotNeeded}},
	} {
		p, g := begun(t, c.n), &game{c.needs, c.any, map[int]bool{}}
		assert.Equal(t, c.starts, play(t, p, g), name)
		assert.Equal(t, c.want, results(p), name)
		assert.Empty(t, g.away, name)
		for _, l := range p.Locations {
			assert.NotEmpty(t, l.Why, name)
		}
		if c.any {
			assert.Contains(t, p.Locations[0].Why, "the others are enough without it")
		}
	}
}

// What does not fit decides nothing.
func TestWhatDoesNotFit(t *testing.T) {
	for name, c := range map[string]struct {
		change func(p *Proof, do Do, e *Event)
		says   string
	}{
		"files come back before the start": {func(p *Proof, do Do, e *Event) {
			if do == Watch && len(p.Rounds) == 1 {
				e.Returned = []Returned{{Path: "/a.sav", By: "quayside"}}
			}
		}, "1 file was brought back"},
		"another game was started": {func(p *Proof, do Do, e *Event) {
			if do == Start {
				e.Sees = []Sees{{Location: 0}}
			}
		}, "used none of them"},
		"files that were away are read, and it is new": {func(p *Proof, do Do, e *Event) {
			if do == Start && len(p.Rounds) == 1 {
				e.Sees = []Sees{{Location: 0, Read: 2}}
			}
		}, "2 files of what was taken away"},
		"the progress does not come back": {func(p *Proof, do Do, e *Event) {
			if do == Ask {
				e.Answer = NewGame
			}
		}, "did not show the progress"},
		"the game does not start": {func(p *Proof, do Do, e *Event) {
			if do == Start && len(p.Rounds) == 1 {
				e.Answer = Failed
			}
		}, "gave no answer: failed"},
		"nobody knows": {func(p *Proof, do Do, e *Event) {
			if do == Ask && len(p.Rounds) == 1 {
				e.Answer = Unsure
			}
		}, "gave no answer: unsure"},
	} {
		p, g := begun(t, 1), &game{[]int{0}, false, map[int]bool{}}
		for p.At != Finish {
			s := p.Next()
			e := g.hands(p, s)
			c.change(p, s.Do, &e)
			require.NoError(t, p.Done(s.Do, e), name)
		}
		assert.Equal(t, []Result{Undecided}, results(p), name)
		assert.Contains(t, p.Locations[0].Why, c.says, name)
		assert.Empty(t, g.away, name)
	}
}

// Of a location that a game does not use where it is in place, its answers show nothing: neither
// that it is needed, nor that it is not.
func TestALocationThatIsNotUsed(t *testing.T) {
	for name, c := range map[string]struct {
		needs []int
		want  []Result
	}{
		"it seems to be needed":     {[]int{1, 2}, []Result{NotNeeded, Needed, Undecided}},
		"it seems not to be needed": {[]int{1}, []Result{NotNeeded, Needed, Undecided}},
		"none is needed":            {nil, []Result{NotNeeded, NotNeeded, Undecided}},
	} {
		p, g := begun(t, 3), &game{c.needs, false, map[int]bool{}}
		for p.At != Finish {
			s := p.Next()
			e := g.hands(p, s)
			if i := slices.IndexFunc(e.Sees, func(s Sees) bool { return s.Location == 2 }); i >= 0 {
				e.Sees[i].Read = 0
			}
			require.NoError(t, p.Done(s.Do, e))
		}
		assert.Equal(t, c.want, results(p), name)
		assert.Contains(t, p.Locations[2].Why, "no start used any of its files where it was in place", name)
		require.NoError(t, p.Verify(), name)
	}
}

// Progress of several kinds, each in a location of its own: each is needed for its part.
func TestPartOfTheProgress(t *testing.T) {
	lead := func(n int, answer func(away []int) Answer) *Proof {
		p, g := begun(t, n), &game{nil, false, map[int]bool{}}
		for p.At != Finish {
			s := p.Next()
			e := g.hands(p, s)
			if s.Do == Ask {
				e.Answer = answer(p.round().Away)
			}
			require.NoError(t, p.Done(s.Do, e))
		}
		require.NoError(t, p.Verify())
		return p
	}
	p := lead(3, func(away []int) Answer {
		return map[int]Answer{0: Progress, 1: Part, 3: NewGame}[len(away)]
	})
	assert.Equal(t, []Result{Needed, Needed, Needed}, results(p))
	assert.Equal(t, "with only this location away, part of the progress was missing", p.Locations[2].Why)

	// One that is for itself, beside two of which either is enough.
	p = lead(3, func(away []int) Answer {
		switch {
		case len(away) == 0 || len(away) == 1 && away[0] != 0:
			return Progress
		case len(away) == 1:
			return Part
		}
		return NewGame
	})
	assert.Equal(t, []Result{Needed, NotNeeded, NotNeeded}, results(p))
	assert.NotContains(t, p.Locations[1].Why, "the others are enough without it")

	// Part of it is elsewhere.
	p = lead(2, func(away []int) Answer {
		if len(away) == 0 {
			return Progress
		}
		return Part
	})
	assert.Equal(t, []Result{Undecided, Undecided}, results(p))
	assert.Contains(t, p.Locations[0].Why, "kept elsewhere")
	assert.Len(t, p.Rounds, 2)
	p = lead(1, func(away []int) Answer { return []Answer{Part, NewGame}[len(away)] })
	assert.Contains(t, p.Locations[0].Why, "did not show the progress: nothing is shown")
}

// A game that starts without all of its files, and with all of them, and refuses some without
// the others, needs these. One that does not start at all says nothing.
func TestAGameThatRefusesItsFiles(t *testing.T) {
	for name, c := range map[string]struct {
		sees []Sees
		at   Do
		want Result
		says string
	}{
		"it reads the others":      {[]Sees{{Location: 0, Read: 1}, {Location: 1, Missing: 1}}, Ask, Needed, "read others and refused them"},
		"it moves the others away": {[]Sees{{Location: 0, Gone: 1}, {Location: 1}}, Ask, Needed, "read others and refused them"},
		"it reads none":            {[]Sees{{Location: 0, Missing: 1}, {Location: 1}}, Ask, Undecided, "used none of the others"},
		"it cannot be started":     {nil, Start, Undecided, "used none of the others"},
	} {
		p, g := begun(t, 2), &game{[]int{1}, false, map[int]bool{}}
		for p.At != Finish {
			s := p.Next()
			e := g.hands(p, s)
			if r := p.round(); r != nil && slices.Equal(r.Away, []int{1}) {
				if s.Do == Start {
					e.Sees = c.sees
				}
				if s.Do == c.at {
					e.Answer = Failed
				}
			}
			require.NoError(t, p.Done(s.Do, e), name)
		}
		assert.Equal(t, []Result{NotNeeded, c.want}, results(p), name)
		assert.Contains(t, p.Locations[1].Why, c.says, name)
		require.NoError(t, p.Verify(), name)
	}
}

func TestWrongSteps(t *testing.T) {
	_, err := New("a", About{}, nil, now)
	assert.ErrorContains(t, err, "no location")
	p := begun(t, 1)
	var step *StepError
	assert.ErrorAs(t, p.Done(Ask, Event{Answer: NewGame}), &step)
	require.NoError(t, p.Done(Check, Event{}))
	assert.ErrorContains(t, p.Done(Copy, Event{}), "no copy")
	assert.Equal(t, Copy, p.At, "it is still to be done")
	p.At = Ask
	p.Rounds = []Round{{Away: []int{0}}}
	assert.ErrorContains(t, p.Done(Ask, Event{Answer: "perhaps"}), "no answer")
	assert.Equal(t, Ask, p.At)
	p.GiveUp("somebody had to leave")
	assert.Equal(t, Finish, p.At, "nothing was taken away yet")
}

// Crashes before and after each step, people who give up, and wrong answers: the files end
// as they began, and the number of starts is bounded.
func TestTheFilesEndAsTheyBegan(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 5).Draw(t, "locations")
		p := begun(t, n)
		needs := rapid.SliceOfNDistinct(rapid.IntRange(0, n-1), 0, n, func(i int) int { return i }).Draw(t, "needs")
		g := &game{needs, rapid.Bool().Draw(t, "any"), map[int]bool{}}
		starts := 0
		for steps := 0; p.At != Finish; steps++ {
			require.Less(t, steps, 200)
			s := p.Next()
			e := g.hands(p, s)
			switch rapid.IntRange(0, 12).Draw(t, "what happens") {
			case 0: // a crash after it was done, before it was written down
				continue
			case 1: // a crash after that
			case 2:
				p.GiveUp("gave up")
				continue
			case 3:
				e.Answer = rapid.SampledFrom(Answers).Draw(t, "answer")
			case 4:
				e.Returned = []Returned{{Path: "/x"}}
			}
			if s.Do == Start {
				starts++
			}
			require.NoError(t, p.Done(s.Do, e))
			data, err := json.Marshal(p)
			require.NoError(t, err)
			again := &Proof{}
			require.NoError(t, json.Unmarshal(data, again))
			require.Equal(t, p.At, again.At)
			p = again
		}
		assert.Empty(t, g.away)
		assert.LessOrEqual(t, starts, n+2)
		assert.NotContains(t, results(p), Result(""))
		assert.False(t, slices.Contains(results(p), Needed) && p.Ended != "", "what was ended early shows nothing")
	})
}
