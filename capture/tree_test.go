package capture

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
	"endroit/standin/winetest"
)

func TestTrees(t *testing.T) {
	folder, err := filepath.EvalSymlinks(winetest.Temporary(t))
	require.NoError(t, err)
	name := func(n string) string { return TracePath(filepath.Join(folder, filepath.FromSlash(n))) }
	for _, n := range []string{"a", "b", "sub/c", "sub/deep/d", "sub/deep/deeper/e"} {
		winetest.Write(t, filepath.Join(folder, filepath.FromSlash(n)), n)
	}
	before := ScanFolders([]string{folder, filepath.Join(folder, "sub"), filepath.Join(folder, "nowhere")}, 0, TreeLimit)
	assert.Len(t, before.Entries, 8, "a folder within another is looked at once")
	assert.False(t, before.Cut)
	assert.Empty(t, before.DiffSince(before))

	shallow := ScanFolders([]string{folder}, 2, TreeLimit)
	assert.NotNil(t, shallow.Entries[name("sub/deep")])
	assert.Nil(t, shallow.Entries[name("sub/deep/d")])

	few := ScanFolders([]string{folder}, 0, 3)
	assert.True(t, few.Cut)
	assert.Len(t, few.Entries, 3)
	assert.Empty(t, few.DiffSince(before), "what was cut off is not taken for removed")

	winetest.Write(t, filepath.Join(folder, "a"), "longer than it was")
	later := time.Now().Add(time.Hour)
	require.NoError(t, os.Chtimes(filepath.Join(folder, "b"), later, later))
	require.NoError(t, os.Remove(filepath.Join(folder, "sub", "c")))
	winetest.Write(t, filepath.Join(folder, "new", "f"), "x")
	var changed []string
	for _, d := range ScanFolders([]string{folder}, 0, TreeLimit).DiffSince(before) {
		kind := "changed "
		switch {
		case d.Before == nil:
			kind = "made "
		case d.After == nil:
			kind = "gone "
		}
		changed = append(changed, kind+d.Path)
	}
	assert.Equal(t, []string{"changed " + name("a"), "changed " + name("b"), "made " + name("new"), "made " + name("new/f"), "gone " + name("sub/c")}, changed, "a folder is not changed by what is in it")
}

func TestTimeOfADifference(t *testing.T) {
	folder := winetest.Temporary(t)
	file := filepath.Join(folder, "a")
	winetest.Write(t, file, "x")
	start := time.Now().Add(-time.Minute)
	at := func(when time.Time) time.Duration {
		require.NoError(t, os.Chtimes(file, when, when))
		info, err := os.Stat(file)
		require.NoError(t, err)
		return Difference{"a", nil, info}.HappenedAt(start, time.Minute)
	}
	assert.InDelta(t, 30, at(start.Add(30*time.Second)).Seconds(), 2)
	assert.Zero(t, at(start.Add(-time.Hour)), "a time from before the run, as of an unpacked file")
	assert.Equal(t, time.Minute, at(start.Add(time.Hour)), "a time that is still to come")
	assert.Equal(t, time.Minute, Difference{Path: "a"}.HappenedAt(start, time.Minute), "when it went is not known")
	assert.Equal(t, trace.IsAbsent, StateOfInfo(nil).Is)
	info, err := os.Stat(folder)
	require.NoError(t, err)
	assert.Equal(t, trace.IsFolder, StateOfInfo(info).Is)
}
