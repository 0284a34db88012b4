package machine

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/place"
)

func tree(t *testing.T, names ...string) string {
	t.Helper()
	top := t.TempDir()
	for i, n := range names {
		p := filepath.Join(top, n)
		require.NoError(t, os.MkdirAll(filepath.Dir(p), 0o755))
		require.NoError(t, os.WriteFile(p, []byte(n), 0o644))
		when := time.Date(2026, 11, 24, 0, i, 0, 0, time.UTC)
		require.NoError(t, os.Chtimes(p, when, when))
	}
	return top
}

func find(t *testing.T, top, at string, known place.Captures) (Found, []string) {
	t.Helper()
	l, err := place.Parse(at)
	require.NoError(t, err)
	f, err := Find(place.Roots{l.Anchor: top}, l, known)
	require.NoError(t, err)
	names := []string{}
	for _, x := range f.Files {
		names = append(names, strings.TrimPrefix(x.Path, top+"/"))
	}
	return f, names
}

func TestFind(t *testing.T) {
	top := tree(t, "tw/slots/slot1.sav", "tw/slots/slot2.sav", "tw/slots/slot2.sav.bak", "tw/a/b/c.dat", "tw/c.dat", "TW/slots/Slot9.SAV", "other/slots/slot1.sav")
	for at, want := range map[string][]string{
		"xdg-data:tw/slots/slot{slot}.sav": {"tw/slots/slot2.sav", "tw/slots/slot1.sav"},
		"xdg-data:tw/**/c.dat":             {"tw/c.dat", "tw/a/b/c.dat"},
		"xdg-data:tw/a/":                   {"tw/a/b/c.dat"},
		"xdg-data:tw/slots":                {},
		"xdg-data:tw/c.dat/":               {},
		"saved-games:tw/slots/slot{slot}.sav": {
			"TW/slots/Slot9.SAV", "tw/slots/slot2.sav", "tw/slots/slot1.sav"},
	} {
		_, names := find(t, top, at, nil)
		assert.Equal(t, want, names, at)
	}
	f, _ := find(t, top, "xdg-data:tw/slots/slot{slot}.sav", nil)
	assert.Equal(t, "2", f.Files[0].Captures["slot"])
	assert.Equal(t, filepath.Join(top, "tw/slots"), f.Folder)
	_, names := find(t, top, "xdg-data:tw/slots/slot{slot}.sav", place.Captures{"slot": "1"})
	assert.Equal(t, []string{"tw/slots/slot1.sav"}, names)
}

func TestWhatIsMissingIsSaid(t *testing.T) {
	top := tree(t, "tw/x")
	f, _ := find(t, top, "xdg-data:tw/slots/*.sav", nil)
	assert.Equal(t, filepath.Join(top, "tw/slots")+" is not there", f.Missing)
	f, _ = find(t, top, "xdg-data:tw/*.sav", nil)
	assert.Contains(t, f.Missing, "no file in it fits")
	f, _ = find(t, filepath.Join(top, "nowhere"), "xdg-data:tw/*.sav", nil)
	assert.Contains(t, f.Missing, "nowhere is not there")
	l, _ := place.Parse("install:saves/")
	_, err := Find(place.Roots{}, l, nil)
	assert.ErrorIs(t, err, ErrNoRoot)
}

func TestLinksThatLeadOutAreNotFollowed(t *testing.T) {
	outside := tree(t, "secret.sav")
	top := tree(t, "tw/in.sav")
	require.NoError(t, os.Symlink(outside, filepath.Join(top, "tw/out")))
	require.NoError(t, os.Symlink(filepath.Join(outside, "secret.sav"), filepath.Join(top, "tw/out.sav")))
	require.NoError(t, os.Symlink(".", filepath.Join(top, "tw/loop")))
	require.NoError(t, os.Symlink("in.sav", filepath.Join(top, "tw/inner.sav")))
	f, names := find(t, top, "xdg-data:tw/*.sav", nil)
	assert.ElementsMatch(t, []string{"tw/in.sav", "tw/inner.sav"}, names)
	assert.Contains(t, f.Missing, "out.sav was left out")
	_, names = find(t, top, "xdg-data:tw/out/secret.sav", nil)
	assert.Empty(t, names)
	_, names = find(t, top, "xdg-data:tw/**/in.sav", nil)
	assert.Equal(t, []string{"tw/in.sav"}, names)
}

func TestAWideLocationIsRefusedWhenUsed(t *testing.T) {
	wide, err := place.ParseAny("home:*")
	require.NoError(t, err)
	_, err = Find(place.Roots{place.Home: t.TempDir()}, wide, nil)
	var e *place.WideError
	assert.ErrorAs(t, err, &e)
}

func TestUserDirs(t *testing.T) {
	assert.Equal(t, "/home/mira/Papers", userDirs("# a comment\nXDG_DOCUMENTS_DIR=\"$HOME/Papers\"\n", "/home/mira"))
	assert.Equal(t, "/data/docs", userDirs("XDG_DOCUMENTS_DIR=\"/data/docs\"", "/home/mira"))
	assert.Empty(t, userDirs("XDG_MUSIC_DIR=\"/x\"", "/home/mira"))
}

func TestRootsFollowTheEnvironment(t *testing.T) {
	home := t.TempDir()
	t.Setenv("HOME", home)
	t.Setenv("XDG_DATA_HOME", "/data/mira")
	for _, v := range []string{"XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME", "XDG_DOCUMENTS_DIR"} {
		t.Setenv(v, "")
	}
	require.NoError(t, os.MkdirAll(filepath.Join(home, ".config"), 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(home, ".config/user-dirs.dirs"), []byte(`XDG_DOCUMENTS_DIR="$HOME/Papers"`), 0o644))
	r, err := Roots()
	require.NoError(t, err)
	assert.Equal(t, "/data/mira", r[place.XDGData])
	assert.Equal(t, home+"/Papers", r[place.Documents])
	assert.Equal(t, home+"/.config", r[place.XDGConfig])
}

func TestSandboxesHaveFoldersOfTheirOwn(t *testing.T) {
	assert.Empty(t, Sandboxes(t.TempDir()))
	home := tree(t, ".var/app/example.Tidewrack/data/tidewrack/slots/slot1.sav", ".var/app/example.Tidewrack/.local/state/tidewrack/x", ".var/app/a-file", ".local/share/tidewrack/slots/slot1.sav")
	all := Sandboxes(home)
	require.Len(t, all, 1)
	assert.Equal(t, "example.Tidewrack", all[0].ID)
	l, err := place.Parse("xdg-data:tidewrack/slots/slot{slot}.sav")
	require.NoError(t, err)
	f, err := Find(all[0].Roots, l, nil)
	require.NoError(t, err)
	require.Len(t, f.Files, 1)
	assert.Equal(t, filepath.Join(home, ".var/app/example.Tidewrack/data/tidewrack/slots/slot1.sav"), f.Files[0].Path)
	_, err = Find(all[0].Roots, place.Of(place.Home, []string{".tidewrack"}, false), nil)
	assert.ErrorIs(t, err, ErrNoRoot, "the home is not the sandbox's")
}

// What a location finds is what it matches: the walk and Match agree.
func TestFindAgreesWithMatch(t *testing.T) {
	names := []string{"a", "ab", "b.sav", "a1.sav", "a2.sav"}
	rapid.Check(t, func(rt *rapid.T) {
		top := t.TempDir()
		files := map[string]bool{}
		for i := range rapid.IntRange(1, 8).Draw(rt, "files") {
			parts := rapid.SliceOfN(rapid.SampledFrom(names), 1, 3).Draw(rt, fmt.Sprint("file", i))
			p := filepath.Join(append([]string{top, "tide"}, parts...)...)
			if os.MkdirAll(filepath.Dir(p), 0o755) == nil && os.WriteFile(p, nil, 0o644) == nil {
				files[strings.TrimPrefix(p, top+"/")] = true
			}
		}
		text := "xdg-data:tide/" + strings.Join(rapid.SliceOfN(rapid.SampledFrom([]string{"*", "a*", "**", "a{slot}.sav", "ab", "?b", "b.sav"}), 1, 3).Draw(rt, "pattern"), "/") + rapid.SampledFrom([]string{"", "/"}).Draw(rt, "folder")
		l, err := place.Parse(text)
		if err != nil {
			return
		}
		f, err := Find(place.Roots{place.XDGData: top}, l, nil)
		require.NoError(rt, err)
		got := map[string]bool{}
		for _, x := range f.Files {
			got[strings.TrimPrefix(x.Path, top+"/")] = true
		}
		for file := range files {
			_, match := l.Match(strings.Split(file, "/"), nil)
			require.Equal(rt, match, got[file], "%s on %s", text, file)
		}
	})
}
