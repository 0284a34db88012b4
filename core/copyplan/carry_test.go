package copyplan

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/place"
)

func kept(at, holds, notes string) Kept {
	l, err := place.Parse(at)
	if err != nil {
		panic(err)
	}
	return Kept{l, holds, notes}
}

func TestRoutes(t *testing.T) {
	windows := Build{"quayside", "418820", "windows", "native"}
	prefix := Build{"quayside", "418820", "linux", "prefix"}
	other := Build{"brasslight", "TW-1", "windows", "native"}
	native := Build{"quayside", "418820", "linux", "native"}
	slots := kept("roaming-app-data:Tidewrack/slot{slot}.sav", "save", "")
	noted := kept("roaming-app-data:Tidewrack/slot{slot}.sav", "save", "n1")
	linux := kept("xdg-data:tidewrack/slot{slot}.sav", "save", "")
	linuxNoted := kept("xdg-data:tidewrack/slot{slot}.sav", "save", "n1")
	config := kept("xdg-config:tidewrack/options.cfg", "config", "")
	for _, c := range []struct {
		name     string
		from, to Build
		a, b     []Kept
		want     string // shown and not shown
	}{
		{"Windows and a prefix", windows, prefix, []Kept{slots}, []Kept{slots}, "shown"},
		{"one store's edition and another's", windows, other, []Kept{slots}, []Kept{slots}, "unshown"},
		{"with the same notes", windows, other, []Kept{noted}, []Kept{noted}, "shown"},
		{"with other notes", windows, other, []Kept{noted}, []Kept{slots}, "unshown"},
		{"native and Windows", native, windows, []Kept{linux}, []Kept{slots}, "unshown"},
		{"native and Windows, with the same notes", native, windows, []Kept{config, linuxNoted}, []Kept{noted}, "alone shown"},
		{"several that hold progress", native, windows, []Kept{linux, kept("xdg-data:tidewrack/profile.bin", "save", "")}, []Kept{slots}, "alone alone"},
		{"nothing of the kind", native, windows, []Kept{config}, []Kept{slots}, "alone"},
	} {
		t.Run(c.name, func(t *testing.T) {
			routes, alone := Routes(c.from, c.to, c.a, c.b)
			got := make([]string, len(c.a))
			for _, r := range routes {
				got[r.From] = map[bool]string{true: "shown", false: "unshown"}[r.Shown]
				assert.NotEmpty(t, r.Why)
			}
			for _, i := range alone {
				got[i] = "alone"
			}
			assert.Equal(t, c.want, strings.Join(got, " "))
		})
	}
}

func TestTranslate(t *testing.T) {
	from := kept("documents:Tidewrack/{user}/{account}/slot{slot}.sav", "save", "").At
	to := kept("roaming-app-data:Tidewrack/{account}/{user}-{slot}.dat", "save", "").At
	names := []string{"Tidewrack", "mira", "9021", "slot3.sav"}
	got, err := Translate(from, to, names, place.Captures{"user": "player"})
	require.NoError(t, err)
	assert.Equal(t, []string{"Tidewrack", "9021", "player-3.dat"}, got)
	got, err = Translate(from, to, names, place.Captures{"user": "player", "account": "7"})
	require.NoError(t, err)
	assert.Equal(t, []string{"Tidewrack", "7", "player-3.dat"}, got)
	_, err = Translate(from, to, []string{"Copperfen", "x"}, nil)
	assert.ErrorContains(t, err, "does not cover it")
}
