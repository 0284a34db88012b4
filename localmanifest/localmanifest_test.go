package localmanifest

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/gofrs/flock"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	bolt "go.etcd.io/bbolt"
	"pgregory.net/rapid"

	"endroit/core/manifest"
	"endroit/core/record"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/published"
	"endroit/published/publishedtest"
	"endroit/standin/launchers"
)

// keep makes a local manifest of some titles and the stand-in's sheets.
func keep(t *testing.T, folder string, revision int, names ...string) *current {
	t.Helper()
	var titles []manifest.Title
	for _, n := range names {
		titles = append(titles, named(n))
	}
	put(t, folder, revision, titles, twoSheets(t))
	return now(t, folder)
}

func named(name string) manifest.Title {
	return manifest.Title{ID: publishedtest.ID(name), Name: name, Variants: []manifest.Variant{{Store: "quayside", Ref: "ref-" + name, OS: "linux", Runtime: "native", Locations: []manifest.Location{{At: "xdg-data:" + manifest.Plain(name) + "/", Holds: "save", Standing: "observed"}}}}}
}

func twoSheets(t *testing.T) []manifest.Sheet {
	read, err := sheet.Parse(launchers.QuaysideSheet)
	require.NoError(t, err)
	s, err := (*record.Sheet)(nil).Try(read, standing.Evidence{Person: "mira"})
	require.NoError(t, err)
	return []manifest.Sheet{s.Published(time.Now()), {ID: "zz", Sheet: []byte(`{"format": "endroit/sheet/9"}`)}}
}

// now is what counts in a folder.
func now(t *testing.T, folder string) *current {
	t.Helper()
	c, err := readCurrent(folder)
	require.NoError(t, err)
	require.NoError(t, c.load(folder))
	return c
}

func TestLookingUp(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "manifest")
	_, err := Open(t.Context(), folder, nil)
	assert.ErrorIs(t, err, ErrNone)
	keep(t, folder, 1, "Saltglass", "Tidewrack")
	keep(t, folder, 2, "Copperfen", "Saltglass", "Tidewrack")
	assert.ElementsMatch(t, []string{currentFile, filesFolder, lockFile, now(t, folder).ID + ".index", now(t, folder).ID + ".files.json"}, listed(t, folder), "older revisions go")
	assert.Len(t, listed(t, filepath.Join(folder, filesFolder)), 2)

	k, err := Open(t.Context(), folder, func() { assert.Fail(t, "it is indexed already") })
	require.NoError(t, err)
	defer k.Close()
	assert.Equal(t, 2, k.Head.Revision)
	assert.Equal(t, 3, k.Titles)
	found, _, err := k.Find(t.Context(), "  SALTGLASS ")
	require.NoError(t, err)
	require.Len(t, found, 1)
	assert.Equal(t, "Saltglass", found[0].Name)
	found, _, err = k.Find(t.Context(), publishedtest.ID("Tidewrack"))
	require.NoError(t, err)
	assert.Equal(t, "Tidewrack", found[0].Name)
	found, near, err := k.Find(t.Context(), "tidewrak")
	require.NoError(t, err)
	assert.Nil(t, found)
	assert.Equal(t, []string{"Tidewrack"}, near)
	found, near, err = k.Find(t.Context(), "something else")
	require.NoError(t, err)
	assert.Nil(t, found)
	assert.Empty(t, near)
	ids, err := k.OfEdition(t.Context(), "quayside", "ref-Copperfen")
	require.NoError(t, err)
	assert.Equal(t, []string{publishedtest.ID("Copperfen")}, ids)
	ids, err = k.OfEdition(t.Context(), "larder", "ref-Copperfen")
	require.NoError(t, err)
	assert.Empty(t, ids)
	ids, err = k.OfEdition(t.Context(), "", "ref-Copperfen")
	require.NoError(t, err)
	assert.Len(t, ids, 1)
	below, err := k.Below(t.Context(), "xdg-data", []Folder{{Names: []string{"applications", "saltglass", "*", "\xff"}}, {}, {Names: []string{"TIDEWRACK", "Saltglass"}}})
	require.NoError(t, err)
	require.Len(t, below, 3)
	assert.Equal(t, []string{publishedtest.ID("Saltglass")}, below[0])
	assert.Empty(t, below[1])
	assert.ElementsMatch(t, []string{publishedtest.ID("Saltglass"), publishedtest.ID("Tidewrack")}, below[2])
	for at, want := range map[string][]string{"xdg-data:saltglass/*.sav": {"Saltglass"}, "xdg-data:SaltGlass/": {"Saltglass"}, "xdg-data:*/x.sav": nil, "xdg-data:other/x": nil, "install:saves/": nil, "no place": nil} {
		var names []string
		beside, err := k.Beside(t.Context(), at)
		require.NoError(t, err)
		for _, t := range beside {
			names = append(names, t.Name)
		}
		assert.ElementsMatch(t, want, names, at)
	}
	sheets, notes, err := k.Sheets(t.Context())
	require.NoError(t, err)
	require.Len(t, sheets, 1)
	assert.Equal(t, "quayside", sheets[0].ID)
	require.Len(t, notes, 1)
	assert.Contains(t, notes[0], "zz is skipped")
}

// An index that is missing, damaged or of something else is rebuilt; a revision
// that was altered is refused.
func TestDamagedInput(t *testing.T) {
	for name, c := range map[string]struct {
		spoil func(t *testing.T, folder string, c *current)
		fails bool
	}{
		"no index": {func(t *testing.T, f string, c *current) { require.NoError(t, os.Remove(indexFile(f, c))) }, false},
		"an empty index": {func(t *testing.T, f string, c *current) {
			require.NoError(t, os.WriteFile(indexFile(f, c), nil, 0o600))
		}, false},
		"another kind of file": {func(t *testing.T, f string, c *current) {
			require.NoError(t, os.WriteFile(indexFile(f, c), []byte("no index"), 0o600))
		}, false},
		"a cut index": {func(t *testing.T, f string, c *current) {
			info, err := os.Stat(indexFile(f, c))
			require.NoError(t, err)
			require.NoError(t, os.Truncate(indexFile(f, c), info.Size()/2))
		}, false},
		"a cut file": {func(t *testing.T, f string, c *current) {
			require.NoError(t, os.Remove(indexFile(f, c)))
			require.NoError(t, os.Truncate(shardFile(f, c), 10))
		}, true},
		"no file": {func(t *testing.T, f string, c *current) {
			require.NoError(t, os.Remove(indexFile(f, c)))
			require.NoError(t, os.Remove(shardFile(f, c)))
		}, true},
		"no list": {func(t *testing.T, f string, c *current) {
			require.NoError(t, os.Remove(indexFile(f, c)))
			require.NoError(t, os.Remove(c.listFile(f)))
		}, true},
		"another's list": {func(t *testing.T, f string, c *current) {
			require.NoError(t, os.Remove(indexFile(f, c)))
			require.NoError(t, os.WriteFile(c.listFile(f), []byte("{}"), 0o600))
		}, true},
		"another's path": {func(t *testing.T, f string, c *current) {
			require.NoError(t, os.WriteFile(filepath.Join(f, currentFile), []byte(`{"id":"../../../../../x"}`), 0o600))
		}, true},
		"another's index": {func(t *testing.T, f string, c *current) {
			other := filepath.Join(t.TempDir(), "m")
			o := keep(t, other, 7, "Lantern Hollow")
			require.NoError(t, os.Rename(indexFile(other, o), indexFile(f, c)))
		}, false},
	} {
		folder := filepath.Join(t.TempDir(), "manifest")
		d := keep(t, folder, 1, "Tidewrack")
		c.spoil(t, folder, d)
		k, err := Open(t.Context(), folder, nil)
		if c.fails {
			assert.ErrorIs(t, err, ErrDamaged, name)
			continue
		}
		require.NoError(t, err, name)
		found, _, err := k.Find(t.Context(), "tidewrack")
		require.NoError(t, err, name)
		assert.Len(t, found, 1, name)
		require.NoError(t, k.Close())
	}
}

// What is damaged in the middle of an index shows when it is read. It is reported, and
// the index is made again the next time.
func TestAnIndexThatIsDamagedInside(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "manifest")
	var names []string
	for i := range 2_000 {
		names = append(names, fmt.Sprintf("Title %05d", i))
	}
	d := keep(t, folder, 1, names...)
	whole, err := os.ReadFile(indexFile(folder, d))
	require.NoError(t, err)
	damaged := 0
	for from := 4 * os.Getpagesize(); from < len(whole); from += 8 * os.Getpagesize() {
		spoilt := slices.Clone(whole)
		for i := from; i < min(len(spoilt), from+8*os.Getpagesize()); i++ {
			spoilt[i] = 0xff
		}
		require.NoError(t, os.WriteFile(indexFile(folder, d), spoilt, 0o600))
		k, err := Open(t.Context(), folder, nil)
		require.NoError(t, err)
		for _, id := range []string{publishedtest.ID("Title 00000"), publishedtest.ID("Title 00500"), publishedtest.ID("Title 01000"), publishedtest.ID("Title 01999")} {
			got, err := k.Title(t.Context(), id)
			if err == nil && got != nil {
				assert.Equal(t, id, got.ID, "nothing else is given for it")
				continue
			}
			damaged++
			if errors.Is(err, errIndex) {
				_, err = os.Stat(indexFile(folder, d))
				assert.ErrorIs(t, err, os.ErrNotExist)
				break
			}
		}
		require.NoError(t, k.Close())
	}
	assert.NotZero(t, damaged)
	k, err := Open(t.Context(), folder, nil)
	require.NoError(t, err)
	defer k.Close()
	if _, err = k.Title(t.Context(), publishedtest.ID("Title 00500")); err != nil { // the last damage was not met before
		require.NoError(t, k.Close())
		k, err = Open(t.Context(), folder, nil)
		require.NoError(t, err)
		defer k.Close()
	}
	got, err := k.Title(t.Context(), publishedtest.ID("Title 00500"))
	require.NoError(t, err)
	assert.Equal(t, publishedtest.ID("Title 00500"), got.ID)
}

// Parts of a key come back, and those that begin alike stand together.
func TestKeys(t *testing.T) {
	part := rapid.StringOf(rapid.SampledFrom([]rune{0, 1, 2, 'a', 'é', '/'}))
	rapid.Check(t, func(t *rapid.T) {
		parts := rapid.SliceOfN(part, 1, 4).Draw(t, "parts")
		others := rapid.SliceOfN(part, 1, 4).Draw(t, "others")
		assert.Equal(t, parts, splitKey(key(parts...)))
		begins := len(others) <= len(parts) && slices.Equal(others, parts[:min(len(parts), len(others))])
		assert.Equal(t, begins, bytes.HasPrefix(key(parts...), key(others...)))
	})
}

// What comes counts once it is whole and is what it should be; until then what is there is
// unchanged, and what came before an interruption is not moved again.
func TestInterruptedFetches(t *testing.T) {
	folder := t.TempDir()
	before := keep(t, folder, 1, "Tidewrack")
	var titles []manifest.Title
	for i := range 1000 {
		titles = append(titles, named(fmt.Sprintf("Title %05d", i)))
	}
	news, err := publishedtest.News(2, titles, nil)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(t.Context())
	moved := 0
	_, err = Fetch(ctx, folder, news, Options{Told: func(done, of int) {
		if moved = done; done == 4 {
			cancel()
		}
	}})
	assert.ErrorIs(t, err, context.Canceled)
	assert.Equal(t, before.ID, now(t, folder).ID)
	assert.GreaterOrEqual(t, moved, 4)
	done, err := Fetch(t.Context(), folder, news, Options{})
	require.NoError(t, err)
	assert.True(t, done.Changed)
	assert.LessOrEqual(t, done.Files, len(news.Files)-moved)
	done, err = Fetch(t.Context(), folder, news, Options{})
	require.NoError(t, err)
	assert.Equal(t, Fetched{}, done, "nothing new")

	lock := flock.New(filepath.Join(folder, lockFile))
	require.NoError(t, lock.Lock())
	_, err = Fetch(t.Context(), folder, news, Options{})
	assert.ErrorIs(t, err, ErrBusy)
	require.NoError(t, lock.Unlock())

	_, shard, err := manifest.WriteShard("0", nil)
	require.NoError(t, err)
	bad := published.Local(published.Head{Revision: 3}, map[string][]byte{published.ShardName(manifest.AllTitles): shard})
	_, err = Fetch(t.Context(), folder, bad, Options{})
	assert.ErrorIs(t, err, manifest.ErrFormat, "signed, and yet another shard")
	assert.Equal(t, 2, now(t, folder).Head.Revision)
}

// However a manifest came to be what it is, its index is the same as one of all at once.
func TestAnIndexThatChanges(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		folder, err := os.MkdirTemp("", "endroit-index-")
		require.NoError(rt, err)
		defer os.RemoveAll(folder)
		titles := map[string]manifest.Title{}
		for revision := range rapid.IntRange(1, 4).Draw(rt, "revisions") {
			for range rapid.IntRange(0, 200).Draw(rt, "changes") {
				x := named(fmt.Sprintf("Title %03d", rapid.IntRange(0, 400).Draw(rt, "title")))
				switch rapid.IntRange(0, 3).Draw(rt, "what") {
				case 0:
					x.Names = []manifest.Name{{Name: "Other " + x.Name}}
				case 1:
					x.Variants[0].Locations[0].At += "slots/"
					x.Variants[0].Ref = "other"
				case 2:
					x.MergedInto, x.Variants = publishedtest.ID("Title 000"), []manifest.Variant{}
				}
				titles[x.ID] = x
			}
			var all []manifest.Title
			for _, x := range titles {
				all = append(all, x)
			}
			put(rt, folder, revision+1, all, nil)
		}
		c, err := readCurrent(folder)
		require.NoError(rt, err)
		changed := dump(rt, folder, c)
		require.NoError(rt, os.Remove(indexFile(folder, c)))
		k, err := Open(context.Background(), folder, nil)
		require.NoError(rt, err)
		require.NoError(rt, k.Close())
		require.Equal(rt, dump(rt, folder, c), changed)
	})
}

// dump lists all that an index holds.
func dump(t require.TestingT, folder string, c *current) (all []string) {
	k, err := open(context.Background(), folder, c)
	require.NoError(t, err)
	defer k.Close()
	require.NoError(t, k.db.View(func(tx *bolt.Tx) error {
		return tx.ForEach(func(name []byte, b *bolt.Bucket) error {
			return b.ForEach(func(k, v []byte) error {
				all = append(all, fmt.Sprintf("%s %q %q", name, k, v))
				return nil
			})
		})
	}))
	return all
}

// Merged ids lead on, and names that titles share give all of them.
func TestTitlesThatShareAName(t *testing.T) {
	folder := t.TempDir()
	a, b, gone := named("Tidewrack"), named("Tidewrack II"), named("Tide Wrack")
	b.Name = "TIDEWRACK"
	gone.MergedInto, gone.Variants = a.ID, []manifest.Variant{}
	c := named("C++ Tale")
	put(t, folder, 1, []manifest.Title{a, b, gone, c}, nil)
	k, err := Open(t.Context(), folder, nil)
	require.NoError(t, err)
	defer k.Close()
	found, _, err := k.Find(t.Context(), "tidewrack")
	require.NoError(t, err)
	assert.Len(t, found, 2)
	to, err := k.Title(t.Context(), gone.ID)
	require.NoError(t, err)
	assert.Equal(t, a.ID, to.ID)
	found, _, err = k.Find(t.Context(), "c tale")
	require.NoError(t, err)
	require.Len(t, found, 1, "punctuation may be left out")
	assert.Equal(t, "C++ Tale", found[0].Name)
	found, _, err = k.Find(t.Context(), "Tide Wrack")
	require.NoError(t, err)
	assert.Empty(t, found, "a merged title has no name of its own")
	names, err := k.Names(t.Context(), 10)
	require.NoError(t, err)
	assert.Equal(t, []string{"C++ Tale", "Tidewrack", "TIDEWRACK"}, sorted(names))
}

func sorted(names []string) []string {
	slices.SortStableFunc(names, func(a, b string) int { return strings.Compare(strings.ToLower(a), strings.ToLower(b)) })
	return names
}

func listed(t *testing.T, folder string) (names []string) {
	all, err := os.ReadDir(folder)
	require.NoError(t, err)
	for _, f := range all {
		names = append(names, f.Name())
	}
	return names
}

func shardFile(folder string, c *current) string {
	return filepath.Join(folder, filesFolder, c.Files[c.shards()[0]].Digest())
}

// put makes titles and sheets the local manifest in a folder.
func put(t require.TestingT, folder string, revision int, titles []manifest.Title, sheets []manifest.Sheet) {
	news, err := publishedtest.News(revision, titles, sheets)
	require.NoError(t, err)
	_, err = Fetch(context.Background(), folder, news, Options{})
	require.NoError(t, err)
}
