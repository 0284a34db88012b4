package place

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestStems(t *testing.T) {
	for text, want := range map[string][]string{
		"xdg-data:tidewrack/slots/*.sav":            {"prefix-drive:USERS/*/.LOCAL/SHARE/TIDEWRACK/SLOTS/"},
		"home:.local/share/tidewrack/":              {"prefix-drive:USERS/*/.LOCAL/SHARE/TIDEWRACK/"},
		"saved-games:Lantern Hollow/slot{slot}.sav": {"prefix-drive:USERS/*/SAVED%20GAMES/LANTERN%20HOLLOW/SLOT"},
		"prefix-drive:users/{user}/Documents/Tide/": {"prefix-drive:USERS/*/DOCUMENTS/TIDE/"},
		"prefix-drive:Games/Tide/":                  {"prefix-drive:GAMES/TIDE/"},
		"home:.tide*-scores":                        {"prefix-drive:USERS/*/.TIDE"},
		"var-games:tide.scores":                     {"var-games:TIDE.SCORES/"},
		"registry:HKEY_CURRENT_USER/Software/Tide/": {"registry:HKEY_CURRENT_USER/SOFTWARE/TIDE/"},
		"xdg-data:t%FFé%25/x":                       {"prefix-drive:USERS/*/.LOCAL/SHARE/T%FF%C3%89%25/X/"},
	} {
		l, err := Parse(text)
		require.NoError(t, err, text)
		assert.Equal(t, want, l.Stems(), text)
	}
	long := Of(XDGData, []string{strings.Repeat("é", 400)}, true)
	assert.Len(t, long.Stems()[0], maxStem)
}

// Locations that overlap have stems of which one begins the other.
func TestStemsOfWhatOverlaps(t *testing.T) {
	names := []string{"users", "USERS", "u*", "mira", "Public", "{user}", "*", "**", "Documents", ".local", "share", "tidewrack", "Tidewrack", "TIDEWRACK", "tide*", "tide?rack", "slot{slot}", "s", "S", "ſ", "K", "\u212a", "é", "É", "AppData", "Roaming", "Local", "My Games"}
	met := 0
	rapid.Check(t, func(rt *rapid.T) {
		draw := func(name string) Location {
			d := rapid.SampledFrom(Definitions).Draw(rt, name+" anchor")
			l, err := parse(string(d.Anchor) + ":" + strings.Join(rapid.SliceOfN(rapid.SampledFrom(names), 1, 5).Draw(rt, name), "/") + rapid.SampledFrom([]string{"", "/"}).Draw(rt, name+" folder"))
			if err != nil {
				rt.Skip(err)
			}
			return l
		}
		a, b := draw("a"), draw("b")
		if rapid.Bool().Draw(rt, "near") { // else few meet
			names := rapid.SliceOfN(rapid.SampledFrom(names[:12]), 0, 3).Draw(rt, "way")
			for _, n := range names {
				a.Pattern.Segments = append(a.Pattern.Segments, LiteralSegment(n))
				b.Pattern.Segments = append(b.Pattern.Segments, LiteralSegment(strings.ToUpper(n)))
			}
			b.Anchor = a.Anchor
			b.Pattern.Segments = append(append([]Segment{}, a.Pattern.Segments[:len(a.Pattern.Segments)/2]...), b.Pattern.Segments[len(b.Pattern.Segments)/2:]...)
		}
		if !Overlap(a, b) {
			return
		}
		met++
		related := false
		for _, x := range a.Stems() {
			for _, y := range b.Stems() {
				related = related || strings.HasPrefix(x, y) || strings.HasPrefix(y, x)
			}
		}
		assert.True(rt, related, "%s and %s: %v, %v", a, b, a.Stems(), b.Stems())
	})
	assert.NotZero(t, met)
}
