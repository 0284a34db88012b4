package hive

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func reading(t *testing.T, text string) *Hive {
	t.Helper()
	h, err := Parse([]byte("WINE REGISTRY Version 2\n;; All keys relative to \\\\User\\\\S-1-5-21-0-0-0-1000\n\n" + text))
	require.NoError(t, err)
	return h
}

func TestCompare(t *testing.T) {
	before := reading(t, `[Software\\Fen] 1700000000
"Wind"=dword:00000003
"Name"="reed"
@="x"

[Software\\Left] 1700000000
"Same"=hex:01,02

[Software\\Gone\\Deep] 1700000000
"a"="b"
`)
	after := reading(t, `[software\\fen] 1700000099
"wind"=dword:00000004
"Tide"="high"
@="x"

[Software\\Left] 1700000500
"Same"=hex:01,02

[Software\\Empty] 1700000000
`)
	changes := Compare(before, after)
	require.Len(t, changes, 3)
	assert.Equal(t, `Software\Empty`, changes[0].Path)
	assert.Nil(t, changes[0].Before)
	assert.Equal(t, `software\fen`, changes[1].Path, "a key is one, however it is written")
	assert.Equal(t, []string{"wind", "Tide"}, changes[1].Set)
	assert.Equal(t, []string{"Name"}, changes[1].Gone)
	assert.NotNil(t, changes[1].Before)
	assert.Equal(t, `Software\Gone\Deep`, changes[2].Path)
	assert.Nil(t, changes[2].After)
	assert.Equal(t, []string{"a"}, changes[2].Gone)
	assert.Empty(t, Compare(before, before))
	assert.Len(t, Compare(nil, before), 3)
	assert.Len(t, Compare(before, nil), 3)
}

func TestDigestOfAKey(t *testing.T) {
	digest := func(text string) string { return reading(t, "[K] 1\n"+text).Key("K").Digest() }
	assert.Equal(t, digest("\"A\"=\"x\"\n\"B\"=dword:00000001\n"), digest("\"b\"=dword:00000001\n\"a\"=\"x\"\n"))
	seen := map[string]string{}
	for _, text := range []string{"", "\"A\"=\"x\"\n", "\"A\"=\"y\"\n", "\"Ax\"=\"\"\n", "\"A\"=dword:00000001\n", "\"A\"=hex:78\n", "\"A\"=str(2):\"x\"\n"} {
		d := digest(text)
		assert.Empty(t, seen[d], text)
		seen[d] = text
	}
}
