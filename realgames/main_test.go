//go:build linux

package main

import (
	"image"
	"image/color"
	"image/png"
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
	for _, name := range []string{"hero.sav", "spare.sav", "world.pak"} {
		require.NoError(t, os.WriteFile(filepath.Join(p.home, name), []byte("x"), 0o600))
	}
	g := game{Needs: map[string][]string{"save": {"hero.sav", "spare.sav"}}, Spare: []string{"spare.sav"}}
	found := []finding{
		{At: "home:hero.sav", Files: []struct{ Path string }{{filepath.Join(p.home, "hero.sav")}}},
		{At: "home:spare.sav", Files: []struct{ Path string }{{filepath.Join(p.home, "spare.sav")}}},
		{At: "home:world.pak", Files: []struct{ Path string }{{filepath.Join(p.home, "world.pak")}}},
	}
	for _, c := range []struct {
		at       string
		result   proof.Result
		allAway  proof.Answer
		expected outcome
	}{
		{"home:hero.sav", proof.Needed, proof.NewGame, outcome{right: 1}},
		{"home:hero.sav", proof.NotNeeded, proof.NewGame, outcome{wrong: 1}},
		{"home:spare.sav", proof.NotNeeded, proof.NewGame, outcome{right: 1}}, // beside others that are enough
		{"home:spare.sav", proof.NotNeeded, proof.Progress, outcome{wrong: 1}},
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

// What a game showed is told by what tells two screens of each kind apart.
func TestTheStateIsTold(t *testing.T) {
	dir := t.TempDir()
	text := func(name, text string) string {
		name = filepath.Join(dir, name+".txt")
		require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
		return name
	}
	played := text("p1", "LIST Mira 12 Balin 99 12:01") + "," + text("p2", "LIST Mira 12 Balin 99 12:02")
	not := text("n1", "LIST nobody Balin 99 12:03") + "," + text("n2", "LIST nobody Balin 99 12:04")
	for is, want := range map[string]proof.Answer{
		"LIST Mira 12 Balin 99 13:00":  proof.Progress,
		"LIST nobody Balin 99 14:00":   proof.NewGame,
		"LIST Mira 0 nobody Balin 99":  proof.Part,
		"LIST Mira 12 nobody Balin 99": proof.Part,
		"Mira 12":                      proof.Progress,
	} {
		assert.Equal(t, string(want), state(played, not, text("is", is)), is)
	}
	assert.Equal(t, "unsure", state(played, text("p3", "LIST Mira 12 Balin 99")+","+text("p4", "LIST Mira 12 Balin 99"), text("is", "LIST Mira")), "they are the same")

	// A picture of two parts, and a corner that is drawn by lot.
	shot := func(name string, left, right uint8) string {
		img := image.NewGray(image.Rect(0, 0, 40, 40))
		for y := range 40 {
			for x := range 40 {
				c := left
				if x >= 20 {
					c = right
				}
				if x < 5 && y < 5 {
					c = uint8(len(name)*40 + int(name[1]))
				}
				img.SetGray(x, y, color.Gray{c})
			}
		}
		name = filepath.Join(dir, name+".png")
		f, err := os.Create(name)
		require.NoError(t, err)
		require.NoError(t, png.Encode(f, img))
		require.NoError(t, f.Close())
		return name
	}
	played, not = shot("pa", 200, 200)+","+shot("pb1", 200, 200), shot("na", 20, 20)+","+shot("nb1", 20, 20)
	for _, c := range []struct {
		left, right uint8
		want        proof.Answer
	}{{200, 200, proof.Progress}, {20, 20, proof.NewGame}, {200, 20, proof.Part}, {100, 100, proof.Unsure}, {200, 100, proof.Part}, {20, 100, proof.Unsure}} {
		assert.Equal(t, string(c.want), state(played, not, shot("is", c.left, c.right)), "%v", c)
	}
	assert.Equal(t, "failed", state(played, not, dir), "its start left no picture")
	home := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(home, "look.refused"), nil, 0o600))
	assert.Equal(t, "failed", state(played, not, home))
}
