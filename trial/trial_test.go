package trial

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/machine"
)

func files(t *testing.T, names ...string) (home string) {
	t.Helper()
	home = t.TempDir()
	for _, n := range names {
		require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(home, n)), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(home, n), []byte("day 3\n"), 0o600))
	}
	return home
}

func try(t *testing.T, home string, list ...Location) *Trial {
	t.Helper()
	f := machine.NewFinder()
	defer f.Close()
	got, err := Run(t.Context(), f, Where{Roots: place.LinuxRoots(map[string]string{"HOME": home})}, "Tarn", list)
	require.NoError(t, err)
	return got
}

func at(t *testing.T, text string, seen ...string) Location {
	t.Helper()
	l, err := place.Parse(text)
	require.NoError(t, err)
	return Location{At: l, Holds: draft.Save, Seen: seen}
}

func TestWhatLocationsComeTo(t *testing.T) {
	home := files(t, ".local/share/tarn/saves/a.sav", ".local/share/tarn/saves/b.bak", ".local/share/tarn/tarn.log", ".local/share/other/c.sav")
	got := try(t, home, at(t, "xdg-data:tarn/saves/*", "xdg-data:tarn/saves/x.sav"), at(t, "xdg-data:tarn/none.sav"))
	require.Len(t, got.Locations, 2)
	assert.Len(t, got.Locations[0].Files, 2)
	require.Len(t, got.Locations[0].Foreign, 1)
	assert.Contains(t, got.Locations[0].Foreign[0].Path, "b.bak")
	assert.Empty(t, got.Locations[1].Files)
	assert.NotEmpty(t, got.Locations[1].Missing)
	require.Len(t, got.Beside, 1, "another title's files are not beside")
	assert.Equal(t, filepath.Join(home, ".local/share/tarn/tarn.log"), got.Beside[0].Path)
}

// A whole folder holds files of many kinds: none is foreign by its extension, and none lies
// beside it.
func TestAFolderHoldsAllThatIsInIt(t *testing.T) {
	home := files(t, ".local/share/tarn/worlds/Anna/level.dat", ".local/share/tarn/worlds/Anna/map/r.-1.reg")
	got := try(t, home, at(t, "xdg-data:tarn/worlds/{profile}/", "xdg-data:tarn/worlds/Wren/level.dat"))
	assert.Len(t, got.Locations[0].Files, 2)
	assert.Empty(t, got.Locations[0].Foreign)
	assert.Empty(t, got.Beside)
	assert.Equal(t, "Anna", got.Locations[0].Files[0].Captures["profile"])
}

func TestManyFilesBesideAreCounted(t *testing.T) {
	var names []string
	for i := range maxBeside + 3 {
		names = append(names, filepath.Join(".local/share/tarn/cache", string(rune('a'+i%26))+string(rune('a'+i/26))))
	}
	got := try(t, files(t, names...), at(t, "xdg-data:tarn/a.sav"))
	assert.Len(t, got.Beside, maxBeside)
	assert.Equal(t, 3, got.BesideMore)

	f := machine.NewFinder()
	defer f.Close()
	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := Run(ctx, f, Where{Roots: place.Roots{}}, "Tarn", []Location{at(t, "xdg-data:tarn/a.sav")})
	assert.ErrorIs(t, err, context.Canceled)
}

func TestLocationsOfDraftsAndTitles(t *testing.T) {
	d := &draft.Draft{Locations: []draft.Location{{At: "xdg-data:tarn/a (b).sav", Holds: draft.Save, Seen: []string{"xdg-data:tarn/a (b).sav (new, 9 B)", "and 3 more"}}}}
	list := OfDraft(d)
	require.Len(t, list, 1)
	assert.Equal(t, []string{"xdg-data:tarn/a (b).sav"}, list[0].Seen)

	title := &manifest.Title{Variants: []manifest.Variant{
		{OS: "linux", Runtime: "native", Locations: []manifest.Location{{At: "xdg-data:tarn/a.sav", Holds: "save"}}},
		{OS: "linux", Runtime: "native", Store: "quayside", Locations: []manifest.Location{{At: "xdg-data:tarn/a.sav", Holds: "save"}, {At: "xdg-data:tarn/b.sav", Holds: "save"}}},
		{OS: "windows", Runtime: "prefix", Locations: []manifest.Location{{At: "documents:Tarn/a.sav", Holds: "save"}}},
	}}
	assert.Len(t, OfTitle(title, "linux", "native"), 2)
	assert.Len(t, OfTitle(title, "windows", "prefix"), 1)
	assert.Empty(t, OfTitle(title, "macos", "native"))
}
