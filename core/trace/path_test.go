package trace

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestPathsOfEverySystem(t *testing.T) {
	for _, c := range []struct {
		name, os string
		want     bool
	}{
		{"/home/mira/a.sav", "linux", true},
		{"/Users/mira/a.sav", "macos", true},
		{"home/mira", "linux", false},
		{"", "linux", false},
		{"/a\x00b", "linux", false},
		{"C:/Users/mira/a.sav", "windows", true},
		{"c:/", "windows", true},
		{"C:/Users", "linux", false},
		{"C:Users", "windows", false},
		{`C:\Users`, "windows", false},
		{`C:/Users\mira`, "windows", false},
		{"1:/x", "windows", false},
		{"//server/share/a.sav", "windows", true},
		{"/home/mira", "windows", false},
		{"registry:HKEY_CURRENT_USER/Software/Fen/", "windows", true},
		{"registry:HKEY_CURRENT_USER/Software/Fen/", "linux", true},
		{"registry:HKEY_CURRENT_USER/Software/Fen", "linux", false},
		{"registry:HKEY_CURRENT_USER//Fen/", "linux", false},
		{"registry:Software/Fen/", "linux", false},
		{"registry:", "windows", false},
	} {
		assert.Equal(t, c.want, IsPath(c.name, c.os), "%q on %s", c.name, c.os)
	}
	assert.True(t, File{Path: "registry:HKEY_CURRENT_USER/Software/Fen/"}.IsKey())
	assert.False(t, File{Path: "/registry:x"}.IsKey())
}

// Every operation is listed once, and what it writes or names twice is consistent.
func TestOperations(t *testing.T) {
	seen := map[Op]bool{}
	for _, op := range Ops() {
		assert.False(t, seen[op], op)
		seen[op] = true
		assert.False(t, op.Writes() && op.Two(), "%s: an operation with two names opens nothing", op)
	}
	assert.Len(t, seen, len(ops))
	assert.True(t, Changed.Writes())
	assert.False(t, Position.Writes(), "a position tells of an opening that was told already")
	assert.False(t, Op("hum").Writes())
}
