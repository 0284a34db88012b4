package hive

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

const games = `WINE REGISTRY Version 2
;; All keys relative to REGISTRY\\User\\S-1-5-21-0-0-0-1000

#arch=win64

[Software\\Fen\\Tidewrack] 1795576273
#time=1dd7c8aa082033a
"Captain"="Sedge"
"Odd"=hex(1):41,00
"Recent"=str(7):"one\0two\0"

[Software\\Fen\\Tidewrack\\Slots] 1795576280
"Last"=dword:0000000c
"Lone"="\xd83dx"

[Software\\Fen\\Tidewrack 2] 1795576273
"Captain"="other"

[Software\\Fen\\\x30b2\x30fc\x30e0] 1795576273
"a"="b"
`

const tidewrack = `Software\Fen\tidewrack`

func TestReadTree(t *testing.T) {
	tree, newest, found, err := ReadTree([]byte(games), tidewrack)
	require.NoError(t, err)
	assert.True(t, found)
	assert.Equal(t, time.Unix(1795576280, 0).UTC(), newest)
	assert.Equal(t, []Branch{
		{"", []Raw{
			{"Captain", String, []byte("S\x00e\x00d\x00g\x00e\x00\x00\x00")},
			{"Odd", String, []byte("A\x00")}, // a text that nothing ends
			{"Recent", Multi, []byte("o\x00n\x00e\x00\x00\x00t\x00w\x00o\x00\x00\x00\x00\x00")},
		}},
		{"Slots", []Raw{{"Last", DWord, []byte{12, 0, 0, 0}}, {"Lone", String, []byte{0x3d, 0xd8, 'x', 0, 0, 0}}}},
	}, tree)
	tree, _, found, err = ReadTree([]byte(games), `Software\Fen\ゲーム`)
	require.NoError(t, err)
	assert.True(t, found)
	assert.Len(t, tree, 1)
	_, _, found, err = ReadTree([]byte(games), `Software\Fen\Tide`)
	require.NoError(t, err)
	assert.False(t, found)
}

func TestReplaceTree(t *testing.T) {
	now := time.Unix(1795577777, 0)
	tree, _, _, err := ReadTree([]byte(games), tidewrack)
	require.NoError(t, err)
	gone, err := ReplaceTree([]byte(games), tidewrack, nil, now)
	require.NoError(t, err)
	_, _, found, err := ReadTree(gone, tidewrack)
	require.NoError(t, err)
	assert.False(t, found)
	from, to := strings.Index(games, `[Software\\Fen\\Tidewrack]`), strings.Index(games, `[Software\\Fen\\Tidewrack 2]`)
	kept := games[:from] + games[to:]
	assert.Equal(t, kept, string(gone), "all else has its bytes")
	back, err := ReplaceTree(gone, tidewrack, tree, now)
	require.NoError(t, err)
	again, newest, _, err := ReadTree(back, tidewrack)
	require.NoError(t, err)
	assert.Equal(t, tree, again)
	assert.Equal(t, now.UTC(), newest)

	// The last key of another is not taken along with it.
	one := firstLine + "\n\n[Software\\\\Fen\\\\Tidewrack] 1\n\"a\"=\"b\"\n"
	gone, err = ReplaceTree([]byte(one), tidewrack, nil, now)
	require.NoError(t, err)
	h, err := Parse(gone)
	require.NoError(t, err)
	require.Len(t, h.Keys, 1)
	assert.Equal(t, `Software\Fen`, h.Keys[0].Path)

	link := firstLine + "\n[Software\\\\Fen\\\\Tidewrack] 1\n#link\n"
	_, err = ReplaceTree([]byte(link), tidewrack, nil, now)
	assert.ErrorIs(t, err, ErrLink)
	_, err = ReplaceTree([]byte("regf"), tidewrack, nil, now)
	assert.ErrorIs(t, err, ErrFormat)
	_, err = ReplaceTree([]byte(games), "", nil, now)
	assert.Error(t, err)
}

// Any tree that is written is read again as it was, byte for byte.
func TestTreesRoundTrip(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.StringMatching(`[a-z0-9 "=\[\]é😀]{1,6}`)
		value := rapid.Custom(func(t *rapid.T) Raw {
			return Raw{
				rapid.StringMatching(`[a-z0-9 "=\\\[\]é😀\n\t]{0,6}`).Draw(t, "name"), Kind(rapid.IntRange(0, 11).Draw(t, "kind")),
				append([]byte{}, rapid.SliceOfN(rapid.Byte(), 0, 8).Draw(t, "data")...),
			}
		})
		tree := []Branch{{Path: "", Values: rapid.SliceOfN(value, 0, 4).Draw(t, "values")}}
		tree = append(tree, Branch{name.Draw(t, "key"), rapid.SliceOfN(value, 1, 4).Draw(t, "values")})
		data, err := ReplaceTree([]byte(games), tidewrack, tree, time.Unix(1795577777, 0))
		require.NoError(t, err)
		got, _, found, err := ReadTree(data, tidewrack)
		require.NoError(t, err)
		require.True(t, found)
		require.Len(t, got, 2)
		for i := range tree {
			assert.Equal(t, tree[i].Path, got[i].Path)
			require.Len(t, got[i].Values, len(tree[i].Values))
			for n, v := range tree[i].Values {
				assert.Equal(t, v, got[i].Values[n])
			}
		}
	})
}
