package proof

import (
	"fmt"
	"slices"
	"sort"
	"testing"

	"github.com/go-json-experiment/json"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// searched plays a search over n files of which the game needs some, reads some, and of
// which some look likely.
func searched(t require.TestingT, n int, g *game, reads []int, tell func(i int, l *Location)) (p *Proof, starts int) {
	all := locations(n)
	for i := range all {
		tell(i, &all[i])
	}
	p, err := New("0123456789abcdef", About{Aim: Which, Title: "Tarn", Holds: "save"}, all, now)
	require.NoError(t, err)
	most, one := 0, 0
	for p.At != Finish {
		s := p.Next()
		if s.Do == Start {
			starts++
			require.Positive(t, s.Left)
			require.LessOrEqual(t, s.Likely, s.Left)
			if total := starts - 1 + s.Left; starts > 1 {
				require.LessOrEqual(t, total, most, "what was the most stays so")
				most = total
			} else {
				most = total
			}
			if s.Likely > 0 {
				one = starts - 1 + s.Likely
			}
		}
		e := g.hands(p, s)
		if s.Do == Start {
			e.Sees = nil
			for _, i := range reads {
				if !g.away[i] {
					e.Sees = append(e.Sees, Sees{Location: i, Read: 1})
				}
			}
		}
		require.NoError(t, p.Done(s.Do, e))
		raw, err := json.Marshal(p) // what is written down goes on
		require.NoError(t, err)
		p = &Proof{}
		require.NoError(t, json.Unmarshal(raw, p))
	}
	require.Empty(t, g.away)
	if len(g.needs) == 1 && n <= simulated {
		require.Equal(t, starts, one, "what is said of one file comes true")
	}
	return p, starts
}

func TestTheSmallestSetIsFound(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 40).Draw(t, "files")
		needs := rapid.SliceOfNDistinct(rapid.IntRange(0, n-1), 0, min(n, 4), rapid.ID[int]).Draw(t, "needed")
		reads := rapid.SliceOfDistinct(rapid.IntRange(0, n-1), rapid.ID[int]).Draw(t, "read")
		looks := rapid.SliceOfN(rapid.IntRange(0, 3), n, n).Draw(t, "likely")
		groups := rapid.SliceOfN(rapid.SampledFrom([]string{"", "a", "b"}), n, n).Draw(t, "groups")
		p, starts := searched(t, n, &game{needs, false, map[int]bool{}}, reads, func(i int, l *Location) {
			l.Likely, l.Group = looks[i], groups[i]
		})
		set, counted, halving, ok := p.Found()
		require.True(t, ok)
		require.Equal(t, starts, counted)
		sort.Ints(set)
		sort.Ints(needs)
		require.True(t, slices.Equal(needs, set), "%v is not %v", set, needs)
		require.LessOrEqual(t, starts, halving+2)
		for i, l := range p.Locations {
			switch {
			case !slices.Contains(needs, i):
				require.Equal(t, NotNeeded, l.Result)
			case len(needs) == 1:
				require.Equal(t, Needed, l.Result)
			default:
				require.Equal(t, NotEnough, l.Result)
			}
		}
	})
}

// What is seen of the files makes it short.
func TestSeenFilesAreTriedFirst(t *testing.T) {
	for name, c := range map[string]struct {
		n, starts int
		needs     []int
		any       bool
		reads     []int
		group     []int
		want      Result // of the first of needs
		enough    bool
	}{
		"the one that was read":            {40, 3, []int{7}, false, []int{7}, nil, Needed, true},
		"two of one save":                  {40, 6, []int{7, 8}, false, []int{7, 8, 9}, []int{7, 8}, NotEnough, false},
		"one of two that were read":        {40, 5, []int{9}, false, []int{8, 9}, nil, Needed, true},
		"one that it does not read at all": {40, 11, []int{33}, false, []int{2, 3}, nil, Needed, true},
		"either is enough":                 {40, 4, []int{7, 8}, true, []int{7, 8}, nil, NotNeeded, true},
		"none":                             {40, 4, nil, false, []int{7}, nil, "", false},
	} {
		p, starts := searched(t, c.n, &game{c.needs, c.any, map[int]bool{}}, c.reads, func(i int, l *Location) {
			if slices.Contains(c.group, i) {
				l.Group = "save"
			}
		})
		assert.LessOrEqual(t, starts, c.starts, name)
		if c.want == "" {
			assert.Contains(t, p.Locations[7].Why, "it is kept elsewhere", name)
			continue
		}
		assert.Equal(t, c.want, p.Locations[c.needs[0]].Result, name)
		assert.Equal(t, c.enough, p.Locations[c.needs[0]].Enough, name)
	}
}

func TestASearchThatEndsEarlySaysWhatItKnows(t *testing.T) {
	all := locations(16)
	p, err := New("0123456789abcdef", About{Aim: Which, Title: "Tarn", Holds: "save"}, all, now)
	require.NoError(t, err)
	g := &game{[]int{1, 2}, false, map[int]bool{}}
	for p.At != Finish {
		s := p.Next()
		if s.Do == Start && len(p.Rounds) == 4 {
			p.GiveUp("enough for today")
			continue
		}
		require.NoError(t, p.Done(s.Do, g.hands(p, s)))
	}
	require.Empty(t, g.away)
	undecided := 0
	for _, l := range p.Locations {
		if l.Result == Undecided {
			undecided++
			assert.Contains(t, l.Why, "enough for today")
		} else {
			assert.Equal(t, NotNeeded, l.Result)
		}
	}
	assert.Less(t, undecided, 16)
	assert.Equal(t, Undecided, p.Locations[1].Result)
	_, _, _, ok := p.Found()
	assert.False(t, ok)
}

func TestOperations(t *testing.T) {
	for name, c := range map[string]struct {
		aim    Aim
		rounds [][]Became
		want   []Result
		why    string
	}{
		"removed":                    {"prefix-removal", [][]Became{{{0, 0, 0, 2}, {1, 3, 0, 0}}}, []Result{Destroyed, Survived}, "2 files of 2 files gone"},
		"changed":                    {"repair", [][]Became{{{0, 1, 1, 0}, {1, 1, 0, 0}}}, []Result{Destroyed, Survived}, "1 file changed"},
		"one direction destroys":     {"move", [][]Became{{{0, 2, 0, 0}, {1, 1, 0, 0}}, {{0, 0, 0, 2}, {1, 1, 0, 0}}}, []Result{Destroyed, Survived}, "(back)"},
		"the other does":             {"move", [][]Became{{{0, 0, 0, 2}, {1, 1, 0, 0}}, {{0, 2, 0, 0}, {1, 1, 0, 0}}}, []Result{Destroyed, Survived}, "(there)"},
		"the cloud keeps one":        {"cloud", [][]Became{{{0, 2, 0, 0}, {1, 0, 0, 3}}}, []Result{Kept, NotKept}, "all of 2 files came back"},
		"the cloud keeps some files": {"cloud", [][]Became{{{0, 1, 0, 1}, {1, 3, 0, 0}}}, []Result{NotKept, Kept}, "1 file of 2 files came back"},
	} {
		p, err := New("0123456789abcdef", About{Aim: c.aim, Title: "Tarn", Holds: "save"}, locations(2), now)
		require.NoError(t, err)
		g, done, told := &game{nil, false, map[int]bool{}}, 0, []string{}
		for p.At != Finish {
			s := p.Next()
			require.NotEqual(t, Start, s.Do, name)
			e := g.hands(p, s)
			switch s.Do {
			case Operate:
				told = append(told, s.Direction)
				require.Equal(t, len(c.rounds)-done, s.Left, name)
			case Look:
				e.Became = c.rounds[done]
				done++
			}
			require.NoError(t, p.Done(s.Do, e))
		}
		assert.Equal(t, c.want, results(p), name)
		assert.Contains(t, p.Locations[0].Why, c.why, name)
		assert.Empty(t, g.away, name)
		if c.aim == "move" {
			assert.Equal(t, []string{There, Back}, told, name)
		}
	}
}

func TestNothingIsKept(t *testing.T) {
	for _, c := range []struct {
		needs []int
		want  Result
	}{{nil, NotNeeded}, {[]int{1}, Undecided}} {
		p, err := New("0123456789abcdef", About{Aim: Nothing, Title: "Tarn", Holds: "save"}, locations(3), now)
		require.NoError(t, err)
		assert.Equal(t, 2, play(t, p, &game{c.needs, false, map[int]bool{}}))
		assert.Equal(t, c.want, p.Locations[0].Result, fmt.Sprint(c.needs))
	}
}
