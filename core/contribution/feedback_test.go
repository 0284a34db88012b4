package contribution

import (
	"context"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
)

func TestUnsavedDraftIsTried(t *testing.T) {
	fp := &footprint.Footprint{Files: []footprint.File{
		{Place: "xdg-data:tidewrack/slots/slot1.sav", Kind: footprint.Save, Writes: 1},
		{Place: "xdg-data:tidewrack/slots/slot2.sav", Kind: footprint.Save, Reads: 1},
		{Place: "xdg-data:tidewrack/run.log", Kind: footprint.Log, Writes: 9},
		{Place: "xdg-config:tidewrack/settings.ini", Kind: footprint.Config, Writes: 1},
		{Path: "/etc/hosts", Kind: footprint.System, Reads: 1},
	}}
	ninefold := manifest.Title{ID: "ninefold-orchard", Name: "Ninefold Orchard", Variants: []manifest.Variant{{OS: "linux", Runtime: "native", Locations: []manifest.Location{{At: "xdg-data:ninefold/trees.sav", Holds: "save"}}}}}
	try := func(locations ...draft.Location) Feedback {
		d := &draft.Draft{Title: "Tidewrack", OS: "linux", Runtime: "native", Locations: locations}
		got, err := Try(t.Context(), d, fp, "tidewrack", []manifest.Title{ninefold, {ID: "tidewrack", Name: "Tidewrack", Variants: ninefold.Variants}})
		require.NoError(t, err)
		require.Len(t, got.Locations, len(locations))
		return got
	}
	got := try(draft.Location{At: "xdg-data:tidewrack/slots/slot{slot}.sav", Holds: "save"})
	assert.Equal(t, []int{0, 1}, got.Locations[0].Files)
	assert.Empty(t, got.Locations[0].Stray)
	assert.Empty(t, got.Locations[0].Notes)
	assert.Equal(t, []int{3}, got.Left, "the settings are covered by nothing")
	assert.Empty(t, got.Error)

	got = try(draft.Location{At: "xdg-data:tidewrack/", Holds: "save"}, draft.Location{At: "xdg-data:tidewrack/slots/slot1.sav", Holds: "save"}, draft.Location{At: "xdg-config:tidewrack/settings.ini", Holds: "treasure"})
	assert.Equal(t, []int{2}, got.Locations[0].Stray, "the log lies in it too")
	assert.Equal(t, []string{"xdg-data:tidewrack/slots/slot1.sav"}, got.Locations[0].Twice)
	assert.Contains(t, got.Locations[2].Error, "save, config, capture")
	assert.Equal(t, []int{3}, got.Left)

	// Widened until it reaches another title's: refused, or said whose they are.
	got = try(draft.Location{At: "xdg-data:*/trees.sav", Holds: "save"}, draft.Location{At: "xdg-data:ninefold/*.sav", Holds: "save"}, draft.Location{At: "xdg-data:", Holds: "save"}, draft.Location{At: "here", Holds: "save"})
	assert.True(t, got.Locations[0].Error != "" || len(got.Locations[0].Others) == 1, "%+v", got.Locations[0])
	require.Len(t, got.Locations[1].Others, 1, "its own title is no other")
	assert.Equal(t, "Ninefold Orchard", got.Locations[1].Others[0].TitleName)
	assert.Contains(t, got.Locations[1].Notes[0], "no observed file lies in")
	assert.NotEmpty(t, got.Locations[2].Error)
	assert.NotEmpty(t, got.Locations[3].Error)

	got = try()
	assert.Contains(t, got.Error, "locations: it is empty; a draft proposes at least one location")
	assert.Equal(t, []int{0, 1, 3}, got.Left)
}

// Whoever hangs up is not worked for any longer.
func TestTrialEndsWithItsContext(t *testing.T) {
	d, f := sound()
	other := manifest.Title{ID: "other", Name: "Other", Variants: []manifest.Variant{{Locations: []manifest.Location{{At: "xdg-data:other/a"}}}}}
	ended, cancel := context.WithCancel(t.Context())
	cancel()
	_, err := Try(ended, d, f, "", []manifest.Title{other})
	assert.ErrorIs(t, err, context.Canceled)
	_, err = Try(ended, d, f, "", nil)
	assert.ErrorIs(t, err, context.Canceled, "files are as many")
	assert.ErrorIs(t, prepared(t).Check(ended), context.Canceled)
}
