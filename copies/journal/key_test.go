package journal

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/hive"
	"endroit/registry"
)

// Keys are changed with the files, and taken back with them.
func TestRegistryKeys(t *testing.T) {
	g := newGround(t, map[string]string{"a.sav": "day 1"})
	g.withKeys()
	require.NoError(t, registry.Write(t.Context(), g.key("First"), valueOf("20")))
	before := g.files()
	j, _ := g.open()
	op, err := j.Do(t.Context(), about, []Change{g.change("a.sav", "day 2"), g.change("key:First", ""), g.change("key:Second", "80")}, nil)
	require.NoError(t, err)
	assert.Empty(t, op.Notes)
	after := map[string]string{"a.sav": "day 2", "key:Second": "80"}
	assert.Equal(t, after, g.files())
	all, err := j.Changes(op)
	require.NoError(t, err)
	assert.Equal(t, g.key("First").String(), all[1].Path)

	changes, later, err := j.PlanUndo(op, true)
	require.NoError(t, err)
	assert.Empty(t, later)
	back, err := j.Undo(t.Context(), op, changes, about, nil)
	require.NoError(t, err)
	assert.Equal(t, before, g.files())

	// The undo is undone, but for what was changed since, which is told.
	require.NoError(t, registry.Write(t.Context(), g.key("First"), valueOf("99")))
	changes, later, err = j.PlanUndo(back, true)
	require.NoError(t, err)
	require.Len(t, later, 1)
	assert.Equal(t, g.key("First").String(), later[0].Path)
	again, err := j.Undo(t.Context(), back, changes, about, nil)
	require.NoError(t, err)
	assert.Equal(t, after, g.files())
	changes, _, err = j.PlanUndo(again, true)
	require.NoError(t, err)
	_, err = j.Undo(t.Context(), again, changes, about, nil)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"a.sav": "day 1", "key:First": "99"}, g.files())
}

// A key that is not what the person was asked about is left, and so are the files.
func TestAKeyThatChanged(t *testing.T) {
	g := newGround(t, map[string]string{"a.sav": "day 1"})
	g.withKeys()
	changes := []Change{g.change("a.sav", "day 2"), g.change("key:First", "80")}
	require.NoError(t, registry.Write(t.Context(), g.key("First"), valueOf("99")))
	j, _ := g.open()
	_, err := j.Do(t.Context(), about, changes, nil)
	var changed *ChangedError
	require.ErrorAs(t, err, &changed)
	assert.Equal(t, map[string]string{"a.sav": "day 1", "key:First": "99"}, g.files())
	c := g.change("key:First", "80")
	c.Text = append(c.Text, 0, 0)
	_, err = j.Do(t.Context(), about, []Change{c}, nil)
	var content *ContentError
	assert.ErrorAs(t, err, &content)
}

// A key that cannot be written takes the files back too.
func TestAKeyThatCannotBeWritten(t *testing.T) {
	g := newGround(t, map[string]string{"a.sav": "day 1"})
	g.withKeys()
	changes := []Change{g.change("a.sav", "day 2"), g.change("key:First", "80"), g.change("key:Second", "80")}
	j, _ := g.open()
	_, err := j.Do(t.Context(), about, changes, func(done, of int) {
		if done < of {
			return
		}
		texts, err := filepath.Glob(filepath.Join(g.journal, "*", newText+"2"+textEnding))
		require.NoError(t, err)
		require.Len(t, texts, 1)
		require.NoError(t, os.WriteFile(texts[0], []byte("damaged"), 0o600))
	})
	assert.ErrorContains(t, err, "not a text of the registry editor")
	assert.Equal(t, map[string]string{"a.sav": "day 1"}, g.files())
	all, err := j.List()
	require.NoError(t, err)
	assert.Empty(t, all, "nothing is left of it")

	// A link to a key elsewhere is not followed.
	data, err := os.ReadFile(filepath.Join(g.key("").Prefix, "user.reg"))
	require.NoError(t, err)
	data = append(data, "[Software\\\\Tidewrack\\\\First] 1\n#link\n"...)
	require.NoError(t, os.WriteFile(filepath.Join(g.key("").Prefix, "user.reg"), data, 0o600))
	_, err = j.Do(t.Context(), about, changes, nil)
	assert.ErrorIs(t, err, hive.ErrLink)
	assert.Equal(t, map[string]string{"a.sav": "day 1"}, g.files())
}
