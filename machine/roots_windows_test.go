package machine

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/windows/registry"

	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/standin/launchers"
)

func TestRootsAreTheKnownFolders(t *testing.T) {
	r, err := Roots()
	require.NoError(t, err)
	for anchor, variable := range map[place.Anchor]string{place.Home: "USERPROFILE", place.RoamingAppData: "APPDATA", place.LocalAppData: "LOCALAPPDATA", place.ProgramData: "ALLUSERSPROFILE"} {
		assert.True(t, strings.EqualFold(filepath.ToSlash(os.Getenv(variable)), r[anchor]), "%s: %s", anchor, r[anchor])
	}
	for _, anchor := range []place.Anchor{place.Documents, place.SavedGames, place.LocalLowAppData, place.PublicDocuments, place.PrefixDrive} {
		assert.NotEmpty(t, r[anchor], anchor)
	}
}

// Larder's titles are found in the real registry.
func TestTheRealRegistry(t *testing.T) {
	k, _, err := registry.CreateKey(registry.LOCAL_MACHINE, launchers.LarderKey, registry.ALL_ACCESS)
	require.NoError(t, err)
	t.Cleanup(func() { _ = registry.DeleteKey(registry.LOCAL_MACHINE, launchers.LarderKey) })
	folder := own(t)
	for _, v := range launchers.LarderValues {
		if v[0] == "InstallLocation" {
			v[1] = folder
		}
		require.NoError(t, k.SetStringValue(v[0], v[1]))
	}
	require.NoError(t, k.SetDWordValue("EstimatedSize", 12))
	require.NoError(t, k.SetStringsValue("Parts", []string{"one", "two"}))
	require.NoError(t, k.Close())

	tree, err := Disk{}.Key(append([]string{"HKEY_LOCAL_MACHINE"}, strings.Split(launchers.LarderKey, `\`)...))
	require.NoError(t, err)
	values := tree.(map[string]any)["#values"].(map[string]any)
	assert.Equal(t, "one\ntwo", values["Parts"])
	assert.Equal(t, "12", values["EstimatedSize"].(interface{ String() string }).String())
	_, err = Disk{}.Key([]string{"HKEY_CURRENT_USER", "Software", "Nowhere"})
	assert.ErrorIs(t, err, sheet.ErrNotThere)

	s, err := sheet.Parse(launchers.LarderSheet)
	require.NoError(t, err)
	survey, err := Look(t.Context(), []*sheet.Sheet{s}, place.Roots{}, nil, nil)
	require.NoError(t, err)
	orchard := editionNamed(t, survey, "Ninefold Orchard")
	assert.Equal(t, filepath.ToSlash(folder), filepath.ToSlash(orchard.Folder))
	assert.Equal(t, "windows", orchard.System)
	assert.Empty(t, orchard.Missing)
}
