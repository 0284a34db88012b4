package hive

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
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

// What Compare tells of two readings leads from one to the other, and back.
func TestCompareTellsAll(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		some := func(label string) *Hive {
			var keys []Key
			for _, path := range rapid.SliceOfNDistinct(rapid.SampledFrom([]string{`A`, `a\B`, `A\C`, `D`, `D\e\F`}), 0, 5, fold).Draw(t, label) {
				k := Key{Path: path}
				for _, name := range rapid.SliceOfNDistinct(rapid.SampledFrom([]string{"", "x", "Y", "z"}), 0, 4, fold).Draw(t, label+" names") {
					k.Values = append(k.Values, Value{Name: name, Kind: DWord, Number: uint32(rapid.IntRange(0, 2).Draw(t, "number"))})
				}
				keys = append(keys, k)
			}
			return New("", keys)
		}
		before, after := some("before"), some("after")
		told := map[string]Change{}
		for _, c := range Compare(before, after) {
			told[fold(c.Path)] = c
		}
		for _, path := range []string{`a`, `a\b`, `a\c`, `d`, `d\e\f`} {
			was, is := before.Key(path), after.Key(path)
			c, changed := told[path]
			switch {
			case was == nil && is == nil:
				require.False(t, changed)
			case was == nil || is == nil:
				require.True(t, changed)
				require.Equal(t, was == nil, c.Before == nil)
				require.Equal(t, is == nil, c.After == nil)
			default:
				require.Equal(t, was.Digest() != is.Digest(), changed, path)
				require.Equal(t, changed, len(c.Set)+len(c.Gone) > 0)
			}
		}
		require.Len(t, Compare(after, before), len(told))
	})
}
