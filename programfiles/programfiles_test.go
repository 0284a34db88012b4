package programfiles

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/footprint"
	"endroit/core/origin"
)

// installed is a footprint of a title whose installation has these files.
func installed(t *testing.T, files map[string]string) *footprint.Footprint {
	t.Helper()
	folder := t.TempDir()
	for name, text := range files {
		path := filepath.Join(folder, name)
		require.NoError(t, os.MkdirAll(filepath.Dir(path), 0o755))
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
	}
	return &footprint.Footprint{
		Title: "Tarn", Self: &footprint.Self{},
		Code: &footprint.Code{Executables: []string{filepath.Join(folder, "tarn")}, Install: folder},
		Files: []footprint.File{
			{Path: "/home/mira/.local/share/tarn/keepers/ANNA.sav", Place: "xdg-data:tarn/keepers/ANNA.sav", Kind: footprint.Save, Confidence: 0.9, Writes: 1},
			{Path: filepath.Join(folder, "save/last.txt"), Place: "install:save/last.txt", Kind: footprint.Save, Confidence: 0.9, Writes: 1},
		},
	}
}

func TestTheFilesOfAProgram(t *testing.T) {
	fp := installed(t, map[string]string{"tarn": "x", "main.lua": "x", "libtarn.so.2": "x", "data/pack.dat": "x", "save/last.txt": "ANNA played"})
	ranks := map[string]origin.Rank{}
	for _, f := range List(t.Context(), fp) {
		rel, err := filepath.Rel(fp.Code.Install, f.Path)
		require.NoError(t, err)
		ranks[filepath.ToSlash(rel)] = f.Rank
	}
	assert.Equal(t, map[string]origin.Rank{"tarn": origin.Executable, "main.lua": origin.Script, "libtarn.so.2": origin.Library, "data/pack.dat": origin.Asset}, ranks,
		"what the run wrote holds the player's names")
	assert.Nil(t, List(t.Context(), &footprint.Footprint{}))
}

func TestTheSearchOfAProgram(t *testing.T) {
	fp := installed(t, map[string]string{"tarn": "tarn\x00", "main.lua": "open('keepers/' .. name)", "save/last.txt": "ANNA played"})
	found, err := Search(t.Context(), fp, time.Minute, "harbour")
	require.NoError(t, err)
	assert.True(t, found.Conclusive())
	assert.True(t, found.Brings("keepers"))
	assert.False(t, found.Brings("anna"), "it stands in what the run wrote alone")
	assert.Equal(t, origin.Other, found.Name("harbour")[0].From, "it was looked for too")

	// So could a program that was changed since; one that was changed before is what ran.
	fp.Started, fp.Length = time.Now().Add(time.Hour), time.Minute
	found, err = Search(t.Context(), fp, time.Minute)
	require.NoError(t, err)
	assert.True(t, found.Conclusive())
	fp.Runs = []footprint.Run{{Started: time.Now().Add(-2 * time.Hour), Length: time.Minute}, {Started: time.Now().Add(-time.Hour), Length: time.Minute}}
	found, err = Search(t.Context(), fp, time.Minute)
	require.NoError(t, err)
	assert.False(t, found.Conclusive())
	require.NotEmpty(t, found.Unread)
	assert.Contains(t, found.Unread[0].Why, "changed after the run")
	fp.Runs, fp.Started = nil, time.Time{}

	// A program that is gone since, or that cannot be read, could have held any name.
	require.NoError(t, os.Remove(fp.Code.Executables[0]))
	found, err = Search(t.Context(), fp, time.Minute)
	require.NoError(t, err)
	assert.False(t, found.Conclusive())
	require.Len(t, found.Unread, 1)
	assert.Contains(t, found.Unread[0].Why, "could not be opened")

	none, err := Search(t.Context(), &footprint.Footprint{Self: &footprint.Self{}}, time.Minute)
	require.NoError(t, err)
	assert.Nil(t, none)
}
