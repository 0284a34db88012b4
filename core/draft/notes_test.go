package draft

import (
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/notes"
)

const withComments = `# mine
format: endroit/draft/1
title: Tidewrack # the name on the box
os: linux
runtime: native
locations:
  # the slots
  - at: xdg-data:tidewrack/slots/slot{slot}.sav
    holds: save
    why:
      - seen
  - at: "xdg-config:tidewrack/settings.ini"
    holds: config
  - {at: "xdg-config:tidewrack/keys.ini", holds: config}
`

func TestNotesArePutToALocation(t *testing.T) {
	n, err := notes.Parse([]byte("format: endroit/notes/1\nabout: a slot\nheader: '\"TIDE\"'\nfields:\n  - {name: day, type: u32, is: [1, 2]}\nchecksum: {algorithm: CRC-32/ISO-HDLC, at: -4, stored: little-endian}\n"))
	require.NoError(t, err)
	for location := range 2 {
		text, err := WithNotes([]byte(withComments), location, n)
		require.NoError(t, err)
		d, err := Parse(text)
		require.NoError(t, err)
		assert.True(t, n.Same(d.Locations[location].Notes), string(text))
		assert.Nil(t, d.Locations[1-location].Notes)
		for _, comment := range []string{"# mine", "# the name on the box", "# the slots"} {
			assert.Contains(t, string(text), comment)
		}
		lines := strings.Split(string(text), "\n")
		kept := slices.DeleteFunc(slices.Clone(lines), func(l string) bool { return !slices.Contains(strings.Split(withComments, "\n"), l) })
		assert.Equal(t, withComments, strings.Join(kept, "\n"), "all else is unchanged")
		other := *n
		other.About = "another"
		text, err = WithNotes(text, location, &other)
		require.NoError(t, err)
		d, err = Parse(text)
		require.NoError(t, err)
		assert.Equal(t, "another", d.Locations[location].Notes.About, "in place of those that it had")
	}
	_, err = WithNotes([]byte(withComments), 2, n)
	assert.ErrorContains(t, err, "is not a block mapping, so notes cannot be added to it")
	_, err = WithNotes([]byte(withComments), 3, n)
	assert.Error(t, err)
	_, err = WithNotes([]byte("{"), 0, n)
	assert.Error(t, err)
}

func TestNotesInADraftAreChecked(t *testing.T) {
	text := withComments + "note: x\n"
	bad := []byte(text[:len(text)-len("note: x\n")] + "  - at: xdg-data:tidewrack/x.sav\n    holds: save\n    notes:\n      format: endroit/notes/1\n      fields:\n        - {name: a, type: u128}\n")
	_, err := Parse(bad)
	require.Error(t, err)
	assert.Contains(t, err.Error(), "locations[3].notes.fields[0].type")
	assert.Contains(t, err.Error(), "line 20")
}
