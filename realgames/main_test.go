//go:build linux

package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/proof"
)

func TestEveryGameCanBePlayed(t *testing.T) {
	games, err := read(".", nil)
	require.NoError(t, err)
	assert.GreaterOrEqual(t, len(games), 12)
	windows := 0
	for _, g := range games {
		assert.NotEmpty(t, g.Title, g.Name)
		assert.NotEmpty(t, g.Packages, g.Name)
		assert.NotEmpty(t, g.Source, "%s: where does the truth stand?", g.Name)
		for holds := range g.Needs {
			assert.Contains(t, []string{"save", "config", "either"}, holds, g.Name)
		}
		info, err := os.Stat(filepath.Join(g.Name, "drive"))
		if assert.NoError(t, err, g.Name) {
			assert.NotZero(t, info.Mode()&0o111, "%s: its drive is no program", g.Name)
		}
		if g.Window {
			windows++
		}
	}
	assert.GreaterOrEqual(t, windows, 6)
	one, err := read(".", []string{"greed"})
	require.NoError(t, err)
	assert.Len(t, one, 1)
	_, err = read(".", []string{"nothing called so"})
	assert.ErrorContains(t, err, "no game of that name")
}

func TestTheTruthIsReadInAHome(t *testing.T) {
	p := person{player: "Wren", home: t.TempDir()}
	for _, name := range []string{"saves/Wren.sav", "saves/deep/in/a.dat", "other/Oakes.sav"} {
		path := filepath.Join(p.home, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte("x"), 0o600))
	}
	for glob, want := range map[string][]string{
		"saves/$PLAYER.sav": {"saves/Wren.sav"},
		"saves/**":          {"saves/Wren.sav", "saves/deep/in/a.dat"},
		"*/*.sav":           {"other/Oakes.sav", "saves/Wren.sav"},
		"saves":             nil,
		"nothing/*":         nil,
	} {
		found, err := below(p, glob)
		require.NoError(t, err)
		var names []string
		for _, path := range found {
			name, err := filepath.Rel(p.home, path)
			require.NoError(t, err)
			names = append(names, name)
		}
		assert.Equal(t, want, names, glob)
	}
}

func TestCounting(t *testing.T) {
	assert.True(t, tally{}.right(), "a game that keeps nothing, of which nothing was taken")
	all := tally{hit: 3, missed: []string{"a"}}
	all.add(tally{hit: 1, beyond: []string{"b", "c", "d", "e"}})
	assert.False(t, all.right())
	assert.InDelta(t, 0.8, all.recall(), 1e-9)
	assert.InDelta(t, 0.5, all.precision(), 1e-9)
	assert.InDelta(t, 1, tally{}.recall(), 1e-9)
}

// What an experiment found is held against the truth, both ways.
func TestWhatAnExperimentFoundIsJudged(t *testing.T) {
	p := person{home: t.TempDir()}
	for _, name := range []string{"hero.sav", "world.pak"} {
		require.NoError(t, os.WriteFile(filepath.Join(p.home, name), []byte("x"), 0o600))
	}
	g := game{Needs: map[string][]string{"save": {"hero.sav"}}}
	found := []finding{
		{At: "home:hero.sav", Files: []struct{ Path string }{{filepath.Join(p.home, "hero.sav")}}},
		{At: "home:world.pak", Files: []struct{ Path string }{{filepath.Join(p.home, "world.pak")}}},
	}
	for _, c := range []struct {
		at       string
		result   proof.Result
		allAway  proof.Answer
		expected outcome
	}{
		{"home:hero.sav", proof.Needed, proof.NewGame, outcome{right: 1}},
		{"home:hero.sav", proof.NotNeeded, proof.NewGame, outcome{right: 1}}, // beside others that are enough
		{"home:hero.sav", proof.NotNeeded, proof.Progress, outcome{wrong: 1}},
		{"home:world.pak", proof.NotNeeded, proof.Progress, outcome{right: 1}},
		{"home:world.pak", proof.Needed, proof.NewGame, outcome{wrong: 1}},
		{"home:world.pak", proof.NotEnough, proof.NewGame, outcome{wrong: 1}},
		{"home:world.pak", proof.Undecided, proof.Unsure, outcome{unknown: 1}},
	} {
		led := &proof.Proof{Locations: []proof.Location{{At: c.at, Result: c.result}}, Rounds: []proof.Round{{Away: []int{0}, Answer: c.allAway}}}
		o, err := judged(g, p, "progress", led, found)
		require.NoError(t, err)
		assert.Equal(t, c.expected, o, "%s %s", c.at, c.result)
	}
}
