package place

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTextsComeBack(t *testing.T) {
	for _, c := range []struct{ at, file, texts, below string }{
		{"xdg-data:tidewrack/slots/slot{slot}.sav", "tidewrack/slots/slot3.sav", "slot=3", ""},
		{"xdg-data:tidewrack/slots/", "tidewrack/slots/a/b.sav", "", "a/b.sav"},
		{"xdg-data:tidewrack/{account}/*-?.sav", "tidewrack/9021/day-4.sav", "account=9021 day 4", ""},
		{"xdg-data:tidewrack/**/*.sav", "tidewrack/a/b/c.sav", "a/b c", ""},
		{"xdg-data:tidewrack/**/*.sav", "tidewrack/c.sav", " c", ""},
		{"roaming-app-data:Tidewrack/{profile}.bin", "TIDEWRACK/Mira.BIN", "profile=Mira", ""},
	} {
		l, err := Parse(c.at)
		require.NoError(t, err)
		names := strings.Split(c.file, "/")
		texts, below, ok := l.Texts(names)
		require.True(t, ok, c.at)
		var said []string
		for _, x := range texts {
			if x.Name != "" {
				said = append(said, x.Name+"="+x.Value)
			} else {
				said = append(said, x.Value)
			}
		}
		assert.Equal(t, c.texts, strings.Join(said, " "), c.at)
		assert.Equal(t, c.below, strings.Join(below, "/"))
		made, err := l.Make(texts, below)
		require.NoError(t, err, c.at)
		if l.Anchor == XDGData {
			assert.Equal(t, names, made)
		}
		again, _, ok := l.Texts(made)
		assert.True(t, ok)
		assert.Equal(t, texts, again)
	}
}

func TestMakeInAnotherLocation(t *testing.T) {
	from, err := Parse("xdg-data:tidewrack/slots/slot{slot}.sav")
	require.NoError(t, err)
	texts, below, ok := from.Texts([]string{"tidewrack", "slots", "slot3.sav"})
	require.True(t, ok)
	for _, c := range []struct{ at, account, want, err string }{
		{"roaming-app-data:Tidewrack/{account}/slots/slot{slot}.sav", "9021", "Tidewrack/9021/slots/slot3.sav", ""},
		{"roaming-app-data:Tidewrack/{account}/slots/slot{slot}.sav", "", "", "{account}"},
		{"roaming-app-data:Tidewrack/slots/*.sav", "", "", "not those of the other"},
		{"roaming-app-data:Tidewrack/slots/", "", "", "not those of the other"},
		{"roaming-app-data:Tidewrack/{slot}.sav", "", "Tidewrack/3.sav", ""},
	} {
		to, err := Parse(c.at)
		require.NoError(t, err)
		all := texts
		if c.account != "" {
			all = append(all, Text{Kind: Named, Name: "account", Value: c.account})
		}
		names, err := to.Make(all, below)
		if c.err != "" {
			assert.ErrorContains(t, err, c.err)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, c.want, strings.Join(names, "/"))
	}
	_, _, ok = from.Texts([]string{"tidewrack", "other"})
	assert.False(t, ok)
}
