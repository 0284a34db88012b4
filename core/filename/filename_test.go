package filename

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestRefuses(t *testing.T) {
	for _, c := range []struct {
		rules Rules
		name  string
		want  string // in the reason; empty for none
	}{
		{Linux, "a:b", ""},
		{Linux, "\xff", ""},
		{Linux, "..", "no name of a file"},
		{Linux, "a/b", "a slash"},
		{Linux, strings.Repeat("x", 256), "up to 255"},
		{Windows, "a.", "drops"},
		{Windows, "a ", "drops"},
		{Windows, "a\tb", "control characters"},
		{Windows, "a|b", "no names with '|'"},
		{Windows, "com1", "device"},
		{Windows, "COM¹.txt", "device"},
		{Windows, "com10", ""},
		{Windows, "console", ""},
		{Windows, "nul .txt", "device"},
		{Windows, strings.Repeat("\U0001F30A", 128), "up to 255"},
		{Mac, "a:b", "no names with ':'"},
	} {
		got := c.rules.Refuses(c.name)
		if c.want == "" {
			assert.Empty(t, got, c.name)
		} else {
			assert.Contains(t, got, c.want, c.name)
		}
	}
}

func TestPortable(t *testing.T) {
	for name, want := range map[string]string{
		"slot1.sav": "slot1.sav", "12:30": "12%3A30", "100%": "100%25", "aux.sav": "%61ux.sav", "..": ".%2E", "end.": "end%2E",
		"\xff": "%FF", "Café": "Café", " a": "%20a", "\u202etxt": "%E2%80%AEtxt",
	} {
		assert.Equal(t, want, Portable(name))
	}
	rapid.Check(t, func(t *rapid.T) {
		name := string(rapid.SliceOfN(rapid.Byte(), 1, 300).Draw(t, "name"))
		out := Portable(name)
		assert.True(t, IsPortable(out), "%q", out)
		for _, rules := range []Rules{Linux, Mac, Windows} {
			assert.Empty(t, rules.Refuses(out))
		}
		if !strings.Contains(name, "%") && IsPortable(name) {
			assert.Equal(t, name, out)
		}
	})
}

func TestFold(t *testing.T) {
	assert.Equal(t, Fold("SAVE"), Fold("save"))
	assert.Equal(t, Fold("STRASSE"), Fold("straße"))
	assert.Equal(t, Fold("É"), Fold("e\u0301"))
	assert.Equal(t, "A", Linux.Key("A"))
}
