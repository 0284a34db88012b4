package copyplan

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/filename"
)

func file(place, digest string) Item {
	return Item{place, State{Kind: Regular, Size: int64(len(digest)), Digest: digest}}
}

func TestMake(t *testing.T) {
	for _, c := range []struct {
		name        string
		here, there []Item
		o           Options
		want        string
	}{
		{"nothing on both sides", nil, nil, Options{}, ""},
		{"all is new", nil, []Item{file("a:x", "1")}, Options{}, "add a:x"},
		{"the same content", []Item{file("a:x", "1")}, []Item{file("a:x", "1")}, Options{}, ""},
		{"another content", []Item{file("a:x", "1")}, []Item{file("a:x", "2")}, Options{}, "replace a:x"},
		{"files from another moment go", []Item{file("a:x", "1"), file("a:y", "1")}, []Item{file("a:x", "1")}, Options{}, "remove a:y"},
		{"unless they are to stay", []Item{file("a:x", "1"), file("a:y", "1")}, []Item{file("a:x", "1")}, Options{Leave: true}, ""},
		{"a content that nobody has read counts as different", []Item{file("a:x", "")}, []Item{file("a:x", "")}, Options{}, "replace a:x"},
		{"the name here stays", []Item{file("a:X", "1")}, []Item{file("a:x", "2")}, Options{Fold: strings.ToLower}, "replace a:X"},
		{"a link in place of a file", []Item{file("a:x", "1"), file("a:y", "1")}, []Item{file("a:y", "1"), {"a:x", State{Kind: Link, Link: "a:y"}}},
			Options{}, "replace a:x"},
		{"a link to a file that is called otherwise here", []Item{file("a:Y", "1"), {"a:x", State{Kind: Link, Link: "a:Y"}}},
			[]Item{file("a:y", "1"), {"a:x", State{Kind: Link, Link: "a:y"}}}, Options{Fold: strings.ToLower}, ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			p, err := Make(c.here, c.there, c.o)
			require.NoError(t, err)
			var words []string
			for _, s := range p.Steps {
				words = append(words, fmt.Sprintf("%s %s", s.Change(), s.Place))
			}
			assert.Equal(t, c.want, strings.Join(words, ", "))
		})
	}
}

func TestSeveralFilesWhereOneCanBe(t *testing.T) {
	fold := Options{Fold: strings.ToLower}
	_, err := Make([]Item{file("a:X", "1"), file("a:x", "2")}, nil, fold)
	var clash *ClashError
	require.ErrorAs(t, err, &clash)
	assert.Equal(t, []string{"a:X", "a:x"}, clash.Places)
	assert.Equal(t, "here", clash.Side)
	_, err = Make(nil, []Item{file("a:X", "1"), file("a:x", "2")}, fold)
	assert.ErrorContains(t, err, "a:X and a:x are several files in the copy")
}

// sides draws two sides that share some of their places.
func sides(t *rapid.T) (here, there []Item) {
	digests := rapid.SampledFrom([]string{"one", "two", "six", "three"})
	for i := range rapid.IntRange(0, 12).Draw(t, "places") {
		place := fmt.Sprintf("home:%d", i)
		for _, side := range []*[]Item{&here, &there} {
			if rapid.Bool().Draw(t, "is there") {
				*side = append(*side, file(place, digests.Draw(t, "digest")))
			}
		}
	}
	return here, there
}

func TestPlansLaws(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		here, there := sides(t)
		leave := rapid.Bool().Draw(t, "leave")
		p, err := Make(here, there, Options{Leave: leave})
		require.NoError(t, err)
		known := map[string]bool{}
		for _, it := range append(append([]Item{}, here...), there...) {
			known[it.Place] = true
		}
		for _, s := range p.Steps {
			assert.True(t, known[s.Place], "a plan touches the places of its sides alone")
			assert.False(t, s.Before.Same(s.After), "a step changes something")
		}
		after, err := p.Apply(here)
		require.NoError(t, err)
		// What there has is here then, and without leave nothing else is.
		again, err := Make(after, there, Options{Leave: leave})
		require.NoError(t, err)
		assert.Empty(t, again.Steps)
		if !leave {
			assert.ElementsMatch(t, there, after)
		}
		// A second time nothing changes, and taken back all is as it was.
		twice, err := p.Apply(after)
		require.NoError(t, err)
		assert.ElementsMatch(t, after, twice)
		back, err := p.Reverse().Apply(after)
		require.NoError(t, err)
		assert.ElementsMatch(t, here, back)
		sum := p.Sum()
		assert.Equal(t, len(p.Steps), sum.Add+sum.Replace+sum.Remove)
	})
}

func TestAPlanIsNotAppliedToWhatChangedMeanwhile(t *testing.T) {
	p, err := Make([]Item{file("a:x", "1")}, []Item{file("a:x", "2")}, Options{})
	require.NoError(t, err)
	_, err = p.Apply([]Item{file("a:x", "3")})
	assert.ErrorContains(t, err, "a:x changed after the plan was made")
}

func TestNewer(t *testing.T) {
	now := time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)
	at := func(ago time.Duration) Side { return Side{Files: 1, Newest: now.Add(-ago)} }
	for _, c := range []struct {
		name        string
		here, there Side
		want        Age
	}{
		{"nothing", Side{}, Side{}, Equal},
		{"only there", Side{}, at(0), There},
		{"only here", at(0), Side{}, Here},
		{"newer here", at(time.Minute), at(time.Hour), Here},
		{"newer there", at(time.Hour), at(time.Minute), There},
		{"within what a file system rounds", at(time.Hour), at(time.Hour + 2*time.Second), Unknown},
		{"just beyond it", at(time.Hour), at(time.Hour + 2*time.Second + 1), Here},
		{"a clock was wrong", at(-time.Hour), at(time.Hour), Unknown},
	} {
		assert.Equal(t, c.want, Newer(c.here, c.there, now), c.name)
	}
}

func TestDivided(t *testing.T) {
	base := []Item{file("a:1", "x"), file("a:2", "x"), file("a:3", "x"), file("a:4", "x"), file("a:6", "x")}
	here := []Item{file("a:1", "h"), file("a:2", "x"), file("a:3", "h"), file("a:4", "same"), file("a:5", "h")}
	there := []Item{file("a:1", "x"), file("a:2", "t"), file("a:3", "t"), file("a:4", "same"), file("a:5", "t"), file("a:6", "t")}
	onlyHere, onlyThere, both := Divided(base, here, there)
	assert.Equal(t, []string{"a:1"}, onlyHere)
	assert.Equal(t, []string{"a:2"}, onlyThere)
	require.Len(t, both, 3)
	assert.Equal(t, "a:3", both[0].Place)
	assert.Equal(t, "a:5", both[1].Place, "made on both sides")
	assert.Equal(t, "a:6", both[2].Place, "removed here, changed there")
}

func TestThin(t *testing.T) {
	now := time.Date(2026, 11, 28, 12, 0, 0, 0, time.UTC)
	day := 24 * time.Hour
	all := []Aged{{"a", now.Add(-9 * day)}, {"b", now.Add(-2 * day)}, {"c", now.Add(-day)}, {"d", now.Add(-time.Hour)}}
	for _, c := range []struct {
		rule Rule
		want string
		says string
	}{
		{Rule{}, "", "keeps all copies"},
		{Rule{AtMost: 2}, "a b", "keeps the newest 2, and always the last one"},
		{Rule{For: 3 * day}, "a", "keeps those of the last 3 days, and always the last one"},
		{Rule{AtMost: 1, For: 3 * day}, "a b c", "keeps the newest 1, of those of the last 3 days, and always the last one"},
		{Rule{For: time.Minute}, "a b c", "keeps those of the last 1m0s, and always the last one"},
	} {
		var goes []string
		for _, x := range Thin(all, c.rule, now) {
			goes = append(goes, x.ID)
		}
		assert.Equal(t, c.want, strings.Join(goes, " "), c.rule)
		assert.Equal(t, c.says, c.rule.String())
	}
	// With the clock set back, copies lie in the future and none of them goes by its age.
	assert.Empty(t, Thin(all, Rule{For: time.Hour}, now.Add(-30*day)))
}

func TestCheckNames(t *testing.T) {
	target := func(names ...string) Target {
		return Target{strings.Join(names, "/"), "/home/mira/" + strings.Join(names, "/"), names}
	}
	for _, c := range []struct {
		name    string
		rules   filename.Rules
		targets []Target
		want    string // in the reasons
	}{
		{"plain", filename.Windows, []Target{target("a", "b"), target("a", "c")}, ""},
		{"case alone", filename.Windows, []Target{target("a", "b"), target("a", "B")}, "the same file as a/b"},
		{"case on Linux", filename.Linux, []Target{target("a", "b"), target("a", "B")}, ""},
		{"folders' case", filename.Mac, []Target{target("a", "b"), target("A", "c")}, "its folder is the same as"},
		{"a file and a folder", filename.Linux, []Target{target("a"), target("a", "b")}, "its folder is a file"},
		{"a folder and a file", filename.Linux, []Target{target("a", "b"), target("a")}, "it is a folder too"},
		{"a device", filename.Windows, []Target{target("aux.sav")}, "keeps the name for a device"},
		{"a colon", filename.Windows, []Target{target("12:30.sav")}, `no names with ':'`},
		{"bytes", filename.Mac, []Target{target("\xff")}, "not UTF-8"},
		{"a long path", filename.Windows, []Target{target(strings.Repeat("x", 200), strings.Repeat("y", 100))}, "paths of up to 259"},
		{"composed otherwise", filename.Mac, []Target{target("\u00e9"), target("e\u0301")}, "the same file"},
	} {
		t.Run(c.name, func(t *testing.T) {
			found := CheckNames(c.targets, c.rules)
			if c.want == "" {
				assert.Empty(t, found)
				return
			}
			require.Len(t, found, 1)
			assert.Contains(t, found[0].Why, c.want)
		})
	}
}
