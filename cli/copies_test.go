package cli

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/sheet"
)

func TestEachCopyAndEachAccountIsLookedUp(t *testing.T) {
	top := t.TempDir()
	for _, f := range []string{"one/saves/a.dat", "two/saves/b.dat", "accounts/11/418820/p.bin", "accounts/22/418820/p.bin"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(top, f)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(top, f), nil, 0o644))
	}
	copyIn := func(folder string) sheet.Edition {
		return sheet.Edition{Store: "quayside", Ref: "418820", Name: "Tidewrack", Folder: filepath.Join(top, folder)}
	}
	gone := copyIn("three")
	gone.Missing = "its folder is not there"
	launchers := []sheet.Found{{
		Libraries: []sheet.Library{{Editions: []sheet.Edition{copyIn("one"), {Store: "quayside", Ref: "7", Folder: top}}}, {Editions: []sheet.Edition{copyIn("two"), gone}}},
		Accounts:  []sheet.Account{{ID: "22", Name: "mira", InUse: true, Folder: filepath.Join(top, "accounts/22")}, {ID: "11", Folder: filepath.Join(top, "accounts/11")}, {ID: "33"}},
	}}
	v := manifest.Variant{Store: "quayside", Ref: "418820", OS: "linux", Runtime: "native", Locations: []manifest.Location{{At: "install:saves/", Holds: "save"}, {At: "account-data:{ref}/p.bin", Holds: "save"}}}
	copies := installedCopies(launchers, v)
	require.Len(t, copies, 2)

	found := copies[1].locate(v, place.Roots{}, nil)
	require.Len(t, found, 2, "an account that has no folder yet is passed over")
	assert.Equal(t, filepath.Join(top, "two"), found[0].Install)
	assert.Equal(t, "22 (mira)", found[0].Account, "the account in use comes first")
	require.Len(t, found[0].Locations, 2)
	assert.Equal(t, filepath.Join(top, "two/saves/b.dat"), found[0].Locations[0].Files[0].Path)
	assert.Equal(t, filepath.Join(top, "accounts/22/418820/p.bin"), found[0].Locations[1].Files[0].Path)
	require.Len(t, found[1].Locations, 1, "the others add only what lies in their folder")
	assert.Equal(t, filepath.Join(top, "accounts/11/418820/p.bin"), found[1].Locations[0].Files[0].Path)

	v.Locations = v.Locations[:1]
	assert.Len(t, copies[0].locate(v, place.Roots{}, nil), 1)
	assert.Empty(t, installedCopies(launchers, manifest.Variant{Store: "larder"}))
}
