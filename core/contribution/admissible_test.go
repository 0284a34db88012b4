package contribution

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/trace"
)

// A draft that is proposed can be submitted: what could not be is left out, and asked.
func TestAdmissible(t *testing.T) {
	file := func(at string) footprint.File {
		return footprint.File{Before: trace.State{Is: trace.IsAbsent}, After: trace.State{Is: trace.IsFile, Size: 1}, Place: at, Kind: footprint.Save, Writes: 1, Confidence: 0.9, Findings: []footprint.Finding{{ID: "save-name", Facts: footprint.Facts{Word: "save"}}}}
	}
	fp := &footprint.Footprint{Format: footprint.Format, OS: "linux", Runtime: "native", Title: "Tidewrack",
		Files: []footprint.File{file("xdg-data:tidewrack/a.sav"), file("xdg-data:tidewrack/b.sav")}, Counts: map[footprint.Kind]int{footprint.Save: 2}}
	d := &draft.Draft{Format: draft.Format, Title: "Tidewrack", OS: "linux", Runtime: "native", Locations: []draft.Location{
		{At: "xdg-data:tidewrack/a.sav", Holds: draft.Save},
		{At: "xdg-data:elsewhere/never-seen.sav", Holds: draft.Save},
		{At: "xdg-data:tidewrack/b.sav", Holds: draft.Save},
	}}
	require.NoError(t, Admissible(t.Context(), d, fp))
	require.Len(t, d.Locations, 2, "%v", d.Questions)
	assert.Equal(t, "xdg-data:tidewrack/b.sav", d.Locations[1].At)
	require.Len(t, d.Questions, 1)
	assert.True(t, strings.HasPrefix(d.Questions[0].Ask, "xdg-data:elsewhere/never-seen.sav was left out, since it could not be submitted: "), d.Questions[0])
	body, err := Prepare(d, fp)
	require.NoError(t, err)
	assert.NoError(t, body.Check(t.Context()))
}
