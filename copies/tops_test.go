package copies

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/copies/journal"
	"endroit/core/copyplan"
)

func TestMissingAnchorsAreMade(t *testing.T) {
	home, disk := t.TempDir(), filepath.Join(t.TempDir(), "unplugged")
	outside := t.TempDir()
	require.NoError(t, os.Symlink(outside, filepath.Join(home, "link")))
	file := copyplan.State{Kind: copyplan.Regular}
	top := func(names ...string) string { return filepath.Join(append([]string{home}, names...)...) }
	p := &Prepared{Changes: []journal.Change{
		{Top: top(".local", "share"), After: file},
		{Top: top("drive_c", "users", "player", "Documents"), After: file},
		{Top: top("gone"), After: copyplan.State{}},
		{Top: filepath.Join(disk, "saves"), After: file},
	}}
	require.NoError(t, p.MakeTops("", home, disk))
	assert.DirExists(t, top(".local", "share"))
	assert.DirExists(t, top("drive_c", "users", "player", "Documents"))
	assert.NoDirExists(t, top("gone"), "nothing is put there")
	assert.NoDirExists(t, disk, "its disk is missing")
	p.Changes = []journal.Change{{Top: top("link", "share"), After: file}}
	assert.Error(t, p.MakeTops(home), "a link leads out")
	assert.NoDirExists(t, filepath.Join(outside, "share"))
}
