package manifest

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/notes"
	"endroit/core/standing"
)

// Notes that were accepted stay with the location until others are; that they changed is
// told in review.
func TestNotesStayWithALocation(t *testing.T) {
	slot := func(about string) *draft.Draft {
		d := &draft.Draft{Title: "Tidewrack", OS: "linux", Runtime: "native", Locations: []draft.Location{{At: "xdg-data:tidewrack/slot.sav", Holds: draft.Save}}}
		if about != "" {
			d.Locations[0].Notes = &notes.Notes{Format: notes.Format, About: about}
		}
		return d
	}
	var now *Title
	for n, step := range []struct{ about, stays, told string }{{"", "", ""}, {"a slot", "a slot", "a slot"}, {"", "a slot", ""}, {"a slot", "a slot", ""}, {"a slot since 1.2", "a slot since 1.2", "a slot since 1.2"}} {
		next, err := Apply(now, Accepted{Draft: slot(step.about), Evidence: standing.Evidence{Contribution: n + 1, By: "mira", ReviewedBy: "anselm"}})
		require.NoError(t, err)
		told := ""
		for _, c := range Compare(now, next) {
			if c.What == "new-notes" {
				told = c.Notes
			}
		}
		assert.Equal(t, step.told, told, "step %d", n)
		if l := next.Variants[0].Locations[0]; step.stays == "" {
			assert.Nil(t, l.Notes)
		} else {
			assert.Equal(t, step.stays, l.Notes.About, "step %d", n)
		}
		now = &next
	}
}
