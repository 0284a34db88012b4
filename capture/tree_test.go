package capture

import (
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

func TestTrees(t *testing.T) {
	folder, err := filepath.EvalSymlinks(temporary(t))
	require.NoError(t, err)
	name := func(n string) string { return slashed(filepath.Join(folder, filepath.FromSlash(n))) }
	for _, n := range []string{"a", "b", "sub/c", "sub/deep/d", "sub/deep/deeper/e"} {
		write(t, filepath.Join(folder, filepath.FromSlash(n)), n)
	}
	before := lookAt([]string{folder, filepath.Join(folder, "sub"), filepath.Join(folder, "nowhere")}, 0, treeLimit)
	assert.Len(t, before.entries, 8, "a folder within another is looked at once")
	assert.False(t, before.cut)
	assert.Empty(t, before.since(before))

	shallow := lookAt([]string{folder}, 2, treeLimit)
	assert.NotNil(t, shallow.entries[name("sub/deep")])
	assert.Nil(t, shallow.entries[name("sub/deep/d")])

	few := lookAt([]string{folder}, 0, 3)
	assert.True(t, few.cut)
	assert.Len(t, few.entries, 3)
	assert.Empty(t, few.since(before), "what was cut off is not taken for removed")

	write(t, filepath.Join(folder, "a"), "longer than it was")
	later := time.Now().Add(time.Hour)
	require.NoError(t, os.Chtimes(filepath.Join(folder, "b"), later, later))
	require.NoError(t, os.Remove(filepath.Join(folder, "sub", "c")))
	write(t, filepath.Join(folder, "new", "f"), "x")
	var changed []string
	for _, d := range lookAt([]string{folder}, 0, treeLimit).since(before) {
		kind := "changed "
		switch {
		case d.before == nil:
			kind = "made "
		case d.after == nil:
			kind = "gone "
		}
		changed = append(changed, kind+d.path)
	}
	assert.Equal(t, []string{"changed " + name("a"), "changed " + name("b"), "made " + name("new"), "made " + name("new/f"), "gone " + name("sub/c")}, changed, "a folder is not changed by what is in it")
}

func TestWhenADifferenceHappened(t *testing.T) {
	folder := temporary(t)
	file := filepath.Join(folder, "a")
	write(t, file, "x")
	start := time.Now().Add(-time.Minute)
	at := func(when time.Time) time.Duration {
		require.NoError(t, os.Chtimes(file, when, when))
		info, err := os.Stat(file)
		require.NoError(t, err)
		return difference{"a", nil, info}.happenedAt(start, time.Minute)
	}
	assert.InDelta(t, 30, at(start.Add(30*time.Second)).Seconds(), 2)
	assert.Zero(t, at(start.Add(-time.Hour)), "a time from before the run, as of an unpacked file")
	assert.Equal(t, time.Minute, at(start.Add(time.Hour)), "a time that is still to come")
	assert.Equal(t, time.Minute, difference{path: "a"}.happenedAt(start, time.Minute), "when it went is not known")
	assert.Equal(t, trace.IsAbsent, stateOfInfo(nil).Is)
	info, err := os.Stat(folder)
	require.NoError(t, err)
	assert.Equal(t, trace.IsFolder, stateOfInfo(info).Is)
}
