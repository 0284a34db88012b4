package registry

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/hive"
)

const fen = `HKEY_CURRENT_USER\Software\Fen\Tidewrack`

// odd is a tree with values of all kinds, such as only bytes tell apart.
func odd() []hive.Branch {
	return []hive.Branch{
		{Path: "", Values: []hive.Raw{
			{Name: "", Kind: hive.String, Data: []byte{'a', 0, 0, 0}},
			{Name: "Blob", Kind: hive.Binary, Data: []byte{0, 1, 0xff}},
			{Name: "Captain", Kind: hive.String, Data: []byte{'Z', 0, 0xeb, 0, 0, 0}},
			{Name: "Empty", Kind: hive.Binary, Data: []byte{}},
			{Name: "Folder", Kind: hive.Expand, Data: []byte{'%', 0, 0, 0}},
			{Name: "Many", Kind: hive.Multi, Data: []byte{'a', 0, 0, 0, 'b', 0, 0, 0, 0, 0}},
			{Name: "Open", Kind: hive.String, Data: []byte{'a', 0}}, // that nothing ends
			{Name: "Time", Kind: 11, Data: []byte{1, 2, 3, 4, 5, 6, 7, 8}},
			{Name: "Volume", Kind: hive.DWord, Data: []byte{80, 0, 0, 0}},
		}},
		{Path: "Slots", Values: nil},
		{Path: `Slots\3`, Values: []hive.Raw{{Name: "Day", Kind: hive.DWord, Data: []byte{3, 0, 0, 0}}}},
	}
}

func other() []hive.Branch {
	return []hive.Branch{
		{Path: "", Values: []hive.Raw{{Name: "volume", Kind: hive.DWord, Data: []byte{20, 0, 0, 0}}}},
		{Path: "Later", Values: []hive.Raw{{Name: "a", Kind: hive.Binary, Data: []byte{1}}}},
	}
}

// writesAndReads is what holds of every registry.
func writesAndReads(t *testing.T, k Key, odd []hive.Branch) {
	t.Helper()
	is := func(want []hive.Branch) {
		t.Helper()
		got, _, err := Read(t.Context(), k)
		require.NoError(t, err)
		assert.True(t, Same(want, got), "%v", got)
	}
	is(nil)
	require.NoError(t, Write(t.Context(), k, nil), "nothing is removed twice")
	for _, tree := range [][]hive.Branch{odd, odd, other(), odd, nil} {
		require.NoError(t, Write(t.Context(), k, tree))
		is(tree)
	}
}

func prefixOf(t *testing.T, user string) string {
	folder := t.TempDir()
	require.NoError(t, os.MkdirAll(filepath.Join(folder, "drive_c"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "user.reg"), []byte(user), 0o640))
	return folder
}

const emptyHive = "WINE REGISTRY Version 2\n;; All keys relative to REGISTRY\\\\User\\\\S-1-5-21-0-0-0-1000\n\n#arch=win64\n\n" +
	"[Software\\\\Fen\\\\Other] 1795576273\n\"a\"=\"b\"\n"

func TestAPrefixAtRest(t *testing.T) {
	folder := prefixOf(t, emptyHive)
	k := Key{folder, fen}
	writesAndReads(t, k, odd())
	data, err := os.ReadFile(filepath.Join(folder, "user.reg"))
	require.NoError(t, err)
	assert.Equal(t, emptyHive, string(data), "all else has its bytes")
	info, err := os.Stat(filepath.Join(folder, "user.reg"))
	require.NoError(t, err)
	assert.EqualValues(t, 0o640, info.Mode().Perm())
	require.NoError(t, Write(t.Context(), k, odd()))
	_, changed, err := Read(t.Context(), k)
	require.NoError(t, err)
	assert.WithinDuration(t, time.Now(), changed, 10*time.Second)
	entries, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Len(t, entries, 2, "nothing is left beside")

	_, _, err = Read(t.Context(), Key{folder, `HKEY_LOCAL_MACHINE\Software\Fen`})
	assert.ErrorContains(t, err, "the prefix has no system.reg")
	for _, path := range []string{
		"", "HKEY_CURRENT_USER", `HKEY_CURRENT_USER\Software`, `HKEY_USERS\a\b`, `HKEY_CURRENT_USER\Software\`, `HKEY_CURRENT_USER\\Software`,
	} {
		_, _, err = Read(t.Context(), Key{folder, path})
		assert.Error(t, err, path)
		assert.Error(t, Write(t.Context(), Key{folder, path}, nil), path)
	}
}

// A hive that somebody else writes meanwhile is not written over.
func TestAHiveThatChanges(t *testing.T) {
	name := filepath.Join(prefixOf(t, emptyHive), "user.reg")
	err := writeHive(name, `Software\Fen\Tidewrack`, odd(), func() bool {
		require.NoError(t, os.WriteFile(name, []byte(emptyHive+"\"c\"=\"d\"\n"), 0o640))
		return true
	})
	assert.ErrorIs(t, err, errChanged)
	err = writeHive(name, `Software\Fen\Tidewrack`, odd(), func() bool { return false })
	assert.ErrorIs(t, err, errChanged)
	data, err := os.ReadFile(name)
	require.NoError(t, err)
	assert.Equal(t, emptyHive+"\"c\"=\"d\"\n", string(data))
	require.NoError(t, os.WriteFile(name, []byte("regf"), 0o640))
	assert.ErrorIs(t, Write(t.Context(), Key{filepath.Dir(name), fen}, odd()), hive.ErrFormat)
}
