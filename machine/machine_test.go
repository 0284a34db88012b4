package machine

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/place"
)

// own is a folder for a test. It is removed file by file, as Go's own way of
// removing a tree asks what Debian's Wine 8 does not know.
func own(t *testing.T) string {
	t.Helper()
	if runtime.GOOS != "windows" {
		return t.TempDir()
	}
	top, err := os.MkdirTemp("", "own")
	require.NoError(t, err)
	t.Cleanup(func() {
		var all []string
		_ = filepath.WalkDir(top, func(path string, _ fs.DirEntry, err error) error {
			all = append(all, path)
			return err
		})
		for _, path := range slices.Backward(all) {
			assert.NoError(t, os.Remove(path))
		}
	})
	return top
}

func tree(t *testing.T, names ...string) string {
	t.Helper()
	top := own(t)
	for i, n := range names {
		p := filepath.Join(top, n)
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, []byte(n), 0o644))
		when := time.Date(2026, 11, 24, 0, i, 0, 0, time.UTC)
		require.NoError(t, os.Chtimes(p, when, when))
	}
	return top
}

// relative is a path below a folder, with slashes on every system.
func relative(top, path string) string {
	return strings.TrimPrefix(filepath.ToSlash(path), filepath.ToSlash(top)+"/")
}

// link makes symbolic links, or skips the test where none can be made.
func link(t *testing.T, to, at string) {
	t.Helper()
	err := os.Symlink(to, at)
	if _, e := os.Lstat(at); runtime.GOOS == "windows" && (err != nil || e != nil) {
		t.Skip("no links can be made here: ", err) // Debian's Wine 8 says it made one, and makes none
	}
	require.NoError(t, err)
}

func find(t *testing.T, top, at string, known place.Captures) (Found, []string) {
	t.Helper()
	l, err := place.Parse(at)
	require.NoError(t, err)
	f, err := Find(t.Context(), place.Roots{l.Anchor: top}, l, known)
	require.NoError(t, err)
	names := []string{}
	for _, x := range f.Files {
		names = append(names, relative(top, x.Path))
	}
	return f, names
}

func TestFind(t *testing.T) {
	top := tree(t, "tw/slots/slot1.sav", "tw/slots/slot2.sav", "tw/slots/slot2.sav.bak", "tw/a/b/c.dat", "tw/c.dat", "other/slots/slot1.sav")
	for at, want := range map[string][]string{
		"xdg-data:tw/slots/slot{slot}.sav":    {"tw/slots/slot2.sav", "tw/slots/slot1.sav"},
		"xdg-data:tw/**/c.dat":                {"tw/c.dat", "tw/a/b/c.dat"},
		"xdg-data:tw/a/":                      {"tw/a/b/c.dat"},
		"xdg-data:tw/slots":                   {},
		"xdg-data:tw/c.dat/":                  {},
		"saved-games:TW/Slots/SLOT{slot}.sav": {"tw/slots/slot2.sav", "tw/slots/slot1.sav"},
	} {
		_, names := find(t, top, at, nil)
		assert.Equal(t, want, names, at)
	}
	f, _ := find(t, top, "xdg-data:tw/slots/slot{slot}.sav", nil)
	assert.Equal(t, "2", f.Files[0].Captures["slot"])
	assert.Equal(t, "tw/slots", relative(top, f.Folder))
	_, names := find(t, top, "xdg-data:tw/slots/slot{slot}.sav", place.Captures{"slot": "1"})
	assert.Equal(t, []string{"tw/slots/slot1.sav"}, names)
}

func TestMissingFilesAreReported(t *testing.T) {
	top := tree(t, "tw/x")
	f, _ := find(t, top, "xdg-data:tw/slots/*.sav", nil)
	assert.Equal(t, filepath.Join(top, "tw/slots")+" does not exist", f.Missing)
	f, _ = find(t, top, "xdg-data:tw/*.sav", nil)
	assert.Contains(t, f.Missing, "the folder exists, and no file in it matches")
	f, _ = find(t, filepath.Join(top, "nowhere"), "xdg-data:tw/*.sav", nil)
	assert.Contains(t, f.Missing, "does not exist")
	l, _ := place.Parse("install:saves/")
	_, err := Find(t.Context(), place.Roots{}, l, nil)
	assert.ErrorIs(t, err, ErrNoRoot)
}

func TestLinksThatLeadOutAreNotFollowed(t *testing.T) {
	outside := tree(t, "secret.sav")
	top := tree(t, "tw/in.sav")
	link(t, outside, filepath.Join(top, "tw/out"))
	link(t, filepath.Join(outside, "secret.sav"), filepath.Join(top, "tw/out.sav"))
	link(t, ".", filepath.Join(top, "tw/loop"))
	link(t, "in.sav", filepath.Join(top, "tw/inner.sav"))
	f, names := find(t, top, "xdg-data:tw/*.sav", nil)
	assert.ElementsMatch(t, []string{"tw/in.sav", "tw/inner.sav"}, names)
	assert.Empty(t, f.Missing)
	assert.Contains(t, said(f), "out.sav was left out: it leads out of the folder")
	f, names = find(t, top, "xdg-data:tw/", nil)
	assert.ElementsMatch(t, []string{"tw/in.sav", "tw/inner.sav"}, names)
	for _, says := range []string{"out was left out: it leads out", "out.sav was left out: it leads out", "loop was left out: it is a link to a folder"} {
		assert.Contains(t, said(f), says)
	}
	_, names = find(t, top, "xdg-data:tw/out/secret.sav", nil)
	assert.Empty(t, names)
	_, names = find(t, top, "xdg-data:tw/**/in.sav", nil)
	assert.Equal(t, []string{"tw/in.sav"}, names)
}

func TestAWideLocationIsRefusedWhenUsed(t *testing.T) {
	wide, err := place.ParseAny("home:*")
	require.NoError(t, err)
	_, err = Find(t.Context(), place.Roots{place.Home: own(t)}, wide, nil)
	var e *place.WideError
	assert.ErrorAs(t, err, &e)
}

// What a location finds is what it matches: the walk and Match agree.
func TestFindAgreesWithMatch(t *testing.T) {
	names := []string{"a", "ab", "b.sav", "a1.sav", "a2.sav"}
	rapid.Check(t, func(rt *rapid.T) {
		top := own(t)
		files := map[string]bool{}
		for i := range rapid.IntRange(1, 8).Draw(rt, "files") {
			parts := rapid.SliceOfN(rapid.SampledFrom(names), 1, 3).Draw(rt, fmt.Sprint("file", i))
			p := filepath.Join(append([]string{top, "tide"}, parts...)...)
			if os.MkdirAll(filepath.Dir(p), 0o755) == nil && os.WriteFile(p, nil, 0o644) == nil {
				files[relative(top, p)] = true
			}
		}
		text := "xdg-data:tide/" + strings.Join(rapid.SliceOfN(rapid.SampledFrom([]string{"*", "a*", "**", "a{slot}.sav", "ab", "?b", "b.sav"}), 1, 3).Draw(rt, "pattern"), "/") + rapid.SampledFrom([]string{"", "/"}).Draw(rt, "folder")
		l, err := place.Parse(text)
		if err != nil {
			return
		}
		f, err := Find(t.Context(), place.Roots{place.XDGData: top}, l, nil)
		require.NoError(rt, err)
		got := map[string]bool{}
		for _, x := range f.Files {
			got[relative(top, x.Path)] = true
		}
		for file := range files {
			_, match := l.Match(strings.Split(file, "/"), nil)
			require.Equal(rt, match, got[file], "%s on %s", text, file)
		}
	})
}

// said is all that a search says of what it did not find, or left out.
func said(f Found) string {
	text := f.Missing
	for _, s := range f.Skipped {
		text += "\n" + s.Path + " was left out: " + s.Why
	}
	return text
}
