package journal

import (
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/standin/stick"
)

// Two files that would become one are found before either is touched, whatever was planned.
func TestNamesThatAreOne(t *testing.T) {
	s := stick.Mount(t)
	g := newGround(t, nil)
	g.top = filepath.Join(s.Folder, "game")
	g.write("other.sav", "theirs")
	for _, names := range [][2]string{{"a.sav", "A.sav"}, {"slots/a.sav", "Slots/a.sav"}} {
		j, _ := g.open()
		_, err := j.Do(t.Context(), about, []Change{g.change(names[0], "one"), g.change(names[1], "two")}, nil)
		j.Close()
		var clash *ClashError
		require.ErrorAs(t, err, &clash)
		assert.Equal(t, map[string]string{"other.sav": "theirs"}, g.files())
	}
	// Elsewhere they are two.
	g = newGround(t, nil)
	j, _ := g.open()
	_, err := j.Do(t.Context(), about, []Change{g.change("a.sav", "one"), g.change("A.sav", "two")}, nil)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"a.sav": "one", "A.sav": "two"}, g.files())
	j.Close()

	// What cannot be called so there is taken back.
	g.top = filepath.Join(s.Folder, "game")
	j, _ = g.open()
	_, err = j.Do(t.Context(), about, []Change{g.change("b.sav", "one"), g.change("c:d.sav", "two")}, nil)
	assert.ErrorContains(t, err, "cannot have this name")
	assert.Equal(t, map[string]string{"other.sav": "theirs"}, g.files())
}
