package draft

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What a person wrote around the values stays: comments, order, keys of their own.
func TestRewriteKeepsWhatAPersonWrote(t *testing.T) {
	const text = `# my notes on this game
format: endroit/draft/1
x-mine:
  checked: twice
os: linux
runtime: native
title: Tidewrack # as on the box
locations:
  # the second one first
  - at: xdg-config:tidewrack/settings.ini
    holds: config
    x-asked: mira
  - holds: save # all slots
    at: xdg-data:tidewrack/slots/slot{slot}.sav
    seen:
      - one
  - at: xdg-data:tidewrack/old.dat
    holds: save
`
	d, err := Parse([]byte(text))
	require.NoError(t, err)
	d.Title = "Tidewrack II"
	d.Locations[0].Holds = Capture
	d.Locations = append(d.Locations[:2:2], Location{At: "xdg-data:tidewrack/new.dat", Holds: Save})
	d.Note = "hello"
	out, err := Rewrite([]byte(text), d)
	require.NoError(t, err)
	assert.Equal(t, `# my notes on this game
format: endroit/draft/1
x-mine:
  checked: twice
os: linux
runtime: native
title: Tidewrack II # as on the box
locations:
  # the second one first
  - at: xdg-config:tidewrack/settings.ini
    holds: capture
    x-asked: mira
  - holds: save # all slots
    at: xdg-data:tidewrack/slots/slot{slot}.sav
    seen:
      - one
  - at: xdg-data:tidewrack/new.dat
    holds: save
note: hello
`, string(out))
	again, err := Parse(out)
	require.NoError(t, err)
	assert.Equal(t, d.Locations, again.Locations)
	same, err := Rewrite(out, again)
	require.NoError(t, err)
	assert.Equal(t, string(out), string(same), "nothing changes where nothing changed")
}
