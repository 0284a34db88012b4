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
	"endroit/core/trace"
)

func TestEachEditionAndEachAccountIsLookedUp(t *testing.T) {
	top := t.TempDir()
	for _, f := range []string{"one/saves/a.dat", "two/saves/b.dat", "accounts/11/418820/p.bin", "accounts/22/418820/p.bin"} {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(top, f)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(top, f), nil, 0o644))
	}
	editionIn := func(folder string) sheet.Edition {
		return sheet.Edition{Store: "quayside", Ref: "418820", Name: "Tidewrack", Folder: filepath.Join(top, folder)}
	}
	gone := editionIn("three")
	gone.Missing = "its folder is not there"
	launchers := []sheet.Found{{
		Libraries: []sheet.Library{{Editions: []sheet.Edition{editionIn("one"), {Store: "quayside", Ref: "7", Folder: top}}}, {Editions: []sheet.Edition{editionIn("two"), gone}}},
		Accounts:  []sheet.Account{{ID: "22", Name: "mira", InUse: true, Folder: filepath.Join(top, "accounts/22")}, {ID: "11", Folder: filepath.Join(top, "accounts/11")}, {ID: "33"}},
	}}
	v := manifest.Variant{Store: "quayside", Ref: "418820", OS: "linux", Runtime: "native", Locations: []manifest.Location{{At: "install:saves/", Holds: "save"}, {At: "account-data:{ref}/p.bin", Holds: "save"}}}
	editions := ofVariant(installedEditions(launchers), v)
	require.Len(t, editions, 2)

	found := editions[1].locate(v, place.Roots{}, nil)
	require.Len(t, found, 2, "an account that has no folder yet is passed over")
	assert.Equal(t, filepath.Join(top, "two"), found[0].Install)
	assert.Equal(t, "22 (mira)", found[0].Account, "the account in use comes first")
	require.Len(t, found[0].Locations, 2)
	assert.Equal(t, filepath.Join(top, "two/saves/b.dat"), found[0].Locations[0].Files[0].Path)
	assert.Equal(t, filepath.Join(top, "accounts/22/418820/p.bin"), found[0].Locations[1].Files[0].Path)
	require.Len(t, found[1].Locations, 1, "the others add only what lies in their folder")
	assert.Equal(t, filepath.Join(top, "accounts/11/418820/p.bin"), found[1].Locations[0].Files[0].Path)

	v.Locations = v.Locations[:1]
	assert.Len(t, editions[0].locate(v, place.Roots{}, nil), 1)
	assert.Empty(t, ofVariant(installedEditions(launchers), manifest.Variant{Store: "larder"}))
}

func TestWhichEditionARunIsOf(t *testing.T) {
	sep := string(filepath.Separator)
	found := []sheet.Found{{Launcher: "quayside", Libraries: []sheet.Library{{Editions: []sheet.Edition{
		{Store: "quayside", Ref: "1", Name: "Tidewrack", Folder: sep + "a"}, {Store: "quayside", Ref: "2", Name: "Saltglass", Folder: sep + "b"}, {Store: "quayside", Ref: "3", Name: "Copperfen", Folder: sep + "c", Missing: "gone"}}}}}}
	for name, c := range map[string]struct {
		header  trace.Header
		program string
		want    string
	}{
		"where the program lies":     {trace.Header{}, sep + "a" + sep + "game", "1"},
		"by the title":               {trace.Header{Title: "SALTGLASS"}, "/bin/sh", "2"},
		"by the reference":           {trace.Header{Edition: &trace.Edition{Store: "quayside", Ref: "2"}}, "/bin/sh", "2"},
		"nothing was named":          {trace.Header{}, "/bin/sh", ""},
		"another title lies there":   {trace.Header{Title: "Lantern Hollow"}, sep + "a" + sep + "game", ""},
		"another store was named":    {trace.Header{Edition: &trace.Edition{Store: "larder"}}, sep + "a" + sep + "game", ""},
		"its folder is not there":    {trace.Header{Title: "Copperfen"}, "/bin/sh", ""},
		"the store alone is no name": {trace.Header{Edition: &trace.Edition{Store: "quayside"}}, "/bin/sh", ""},
		"beside the folder":          {trace.Header{}, sep + "ab" + sep + "game", ""},
	} {
		list, _ := editionsMeant(found, c.header, c.program)
		refs := ""
		for _, e := range list {
			refs += e.Ref
		}
		assert.Equal(t, c.want, refs, name)
	}
}
