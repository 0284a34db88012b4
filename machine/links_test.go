package machine

import (
	"os"
	"path/filepath"
	"runtime"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestLinksLeadWhereTheSystemSays(t *testing.T) {
	if runtime.GOOS == "windows" {
		t.Skip("a person needs a right of its own there to make links")
	}
	top := tree(t, "a/b/file", "a/c/other", "file")
	for from, to := range map[string]string{
		"to-a": "a", "a/up": "..", "a/b/to-c": "../c", "round": "round", "one": "two", "two": "one", "nowhere": "not/there", "absolute": filepath.Join(top, "a", "b"), "to-file": "a/b/file", "through": "to-a/b/to-c",
	} {
		require.NoError(t, os.Symlink(to, filepath.Join(top, from)))
	}
	l := &links{}
	for range 2 { // what is remembered is the same
		for _, p := range []string{"a", "a/b/file", "to-a", "to-a/b/file", "a/up/a/c/other", "a/b/to-c/other", "round", "one", "one/x", "nowhere", "nowhere/x", "absolute/to-c", "to-file", "to-file/x", "file/x", "through/other", "missing", "missing/x", "a/../file", "a//b", "to-a/../file", ""} {
			path := top + "/" + p
			want, wrong := filepath.EvalSymlinks(path)
			got, err := l.follow(path)
			assert.Equal(t, wrong == nil, err == nil, "%s: %v, %v", p, wrong, err)
			assert.Equal(t, want, got, p)
			info, wrong := os.Stat(path)
			is, err := l.folder(path)
			assert.Equal(t, wrong == nil, err == nil, "%s: %v, %v", p, wrong, err)
			assert.Equal(t, wrong == nil && info.IsDir(), is, p)
		}
	}
	resolved, err := l.follow("/")
	require.NoError(t, err)
	assert.Equal(t, "/", resolved)
}

// What a folder holds is asked for once; a folder that is not there stays so.
func TestListingsRemember(t *testing.T) {
	top := tree(t, "a/one", "a/two")
	names := func(l *listings, folder string) (names []string) {
		entries, _ := l.list(filepath.Join(top, folder))
		for _, e := range entries {
			names = append(names, e.name)
		}
		return names
	}
	l := &listings{}
	assert.ElementsMatch(t, []string{"one", "two"}, names(l, "a"))
	assert.Empty(t, names(l, "b"))
	require.NoError(t, os.WriteFile(filepath.Join(top, "a", "three"), nil, 0o644))
	require.NoError(t, os.Mkdir(filepath.Join(top, "b"), 0o755))
	assert.Len(t, names(l, "a"), 2)
	assert.Len(t, names(nil, "a"), 3)
	_, err := l.list(filepath.Join(top, "b"))
	assert.ErrorIs(t, err, os.ErrNotExist)

	// What a folder lacks is not there, nor what would be in it; other cases are looked at.
	l = &listings{}
	assert.ElementsMatch(t, []string{"a", "b"}, names(l, ""))
	assert.Len(t, names(l, "a"), 3)
	absent := []string{"missing", "missing/deeper/still", "b/c"}
	if System() == "linux" {
		absent = append(absent, "A")
	}
	for _, folder := range absent {
		_, err := l.list(filepath.Join(top, folder))
		assert.ErrorIs(t, err, os.ErrNotExist, folder)
	}
	assert.Empty(t, names(l, "b"))
}
