package place

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

// On Windows a path lies below a folder however its letters are written; elsewhere not.
func TestPlaceFold(t *testing.T) {
	roots := Roots{Home: "C:/Users/Mira", RoamingAppData: "C:/Users/Mira/AppData/Roaming", Install: "D:/Games/Fen", PrefixDrive: "C:"}
	for path, want := range map[string]string{
		"c:/users/MIRA/appdata/ROAMING/Fen/Slot1.SAV": "roaming-app-data:Fen/Slot1.SAV",
		"C:/Users/Mira/notes.txt":                     "home:notes.txt",
		"d:/games/fen/Pack.dat":                       "install:Pack.dat",
		"C:/ProgramData/x":                            "prefix-drive:ProgramData/x",
		"C:/Users/Mirage/x":                           "prefix-drive:Users/Mirage/x",
	} {
		a, names, ok := roots.PlaceFold(path)
		assert.True(t, ok, path)
		assert.Equal(t, want, Of(a, names, false).String())
	}
	for _, path := range []string{"E:/x", "D:/Games/Fen", "D:/Games/Fen/", "D:/Games/Fenland/x", ""} {
		_, _, ok := roots.PlaceFold(path)
		assert.False(t, ok, path)
	}
	_, _, ok := Roots{Home: "/home/mira"}.Place("/home/MIRA/x")
	assert.False(t, ok)
	a, names, ok := Roots{Home: "/home/mira"}.Place("/home/mira/x/y")
	assert.True(t, ok)
	assert.Equal(t, "home:x/y", Of(a, names, false).String())
}

// A key's location holds the key itself and all below it, and nothing beside it.
func TestKeysMatchThemselves(t *testing.T) {
	l, err := Parse("registry:HKEY_CURRENT_USER/Software/Fen/")
	assert.NoError(t, err)
	for names, want := range map[string]bool{"Software/Fen": true, "software/FEN": true, "Software/Fen/Keys/Deep": true, "Software": false, "Software/Fenland": false, "Software/Reed/Fen": false} {
		_, ok := l.Match(append([]string{"HKEY_CURRENT_USER"}, strings.Split(names, "/")...), nil)
		assert.Equal(t, want, ok, names)
	}
	folder, err := Parse("xdg-data:fen/saves/")
	assert.NoError(t, err)
	_, ok := folder.Match([]string{"fen", "saves"}, nil)
	assert.False(t, ok, "a folder is no file of its own")
}
