package notes

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSoundDamagedAndForeignFiles(t *testing.T) {
	n, err := Parse([]byte("format: endroit/notes/1\nabout: a slot of mira's\nheader: '\"TIDE\"'\nfields:\n  - {name: day, type: u32, says: mira's day}\nchecksum: {algorithm: CRC-32/ISO-HDLC, at: -4, stored: little-endian}\n"))
	require.NoError(t, err)
	sound := []byte("TIDE\x09\x00\x00\x00\x36\xc2\x0f\x1c")
	damaged := append([]byte{}, sound...)
	damaged[5] ^= 1

	// Also where the notes came as JSON, as a manifest has them.
	var sent Notes
	raw, err := json.Marshal(n)
	require.NoError(t, err)
	require.NoError(t, json.Unmarshal(raw, &sent))
	assert.True(t, n.Same(&sent))
	for name, n := range map[string]*Notes{"parsed": n, "sent": &sent} {
		assert.Equal(t, Verdict{Sound, "header and checksum match"}, n.Judge(sound), name)
		assert.Equal(t, Damaged, n.Judge(damaged).Word, name)
		assert.Equal(t, Damaged, n.Judge(sound[:6]).Word, "cut off")
		assert.Equal(t, Foreign, n.Judge([]byte("a picture, or what else")).Word, name)
		assert.Equal(t, Foreign, n.Judge(nil).Word, name)
	}
	bare := &Notes{Format: Format, Fields: []Field{{Name: "day", Type: "u32"}}}
	require.NoError(t, bare.Check())
	assert.Equal(t, Unsure, bare.Judge(sound).Word)
	assert.Equal(t, Damaged, bare.Judge([]byte("xx")).Word)

	assert.Equal(t, `a slot of mira's; begins with "TIDE"; fields day; CRC-32/ISO-HDLC at -4`, n.Summary())
	hidden := n.With(func(s string) string { return strings.ReplaceAll(s, "mira", "{user}") })
	assert.Equal(t, "a slot of {user}'s", hidden.About)
	assert.Equal(t, "{user}'s day", hidden.Fields[0].Says)
	assert.Equal(t, "mira's day", n.Fields[0].Says, "the first ones stay as they are")
	assert.False(t, n.Same(hidden))
	assert.False(t, n.Same(nil))
	assert.True(t, (*Notes)(nil).Same(nil))

	bad := &Notes{Format: Format, About: "bell\a"}
	assert.ErrorContains(t, bad.Check(), "about")
	bad = &Notes{Format: Format, Fields: []Field{{Name: "a", Type: "u8", Is: []string{strings.Repeat("x", 501)}}}}
	assert.ErrorContains(t, bad.Check(), "fields[0].is[0]")
}
