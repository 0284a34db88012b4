package localmanifest

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"testing"
	"testing/iotest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/manifest"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/standin/launchers"
)

// keep makes a local manifest of some titles and the stand-in's sheets.
func keep(t *testing.T, folder string, revision int, names ...string) string {
	t.Helper()
	m := &manifest.Manifest{Head: manifest.Head{Format: manifest.Format, Revision: revision}}
	var titles, sheets [][]byte
	for _, n := range names {
		x := manifest.Title{ID: manifest.ID(n), Name: n, Variants: []manifest.Variant{{Store: "quayside", Ref: "ref-" + n, OS: "linux", Runtime: "native", Locations: []manifest.Location{{At: "xdg-data:" + manifest.ID(n) + "/", Holds: "save", Standing: "observed"}}}}}
		m.Titles = append(m.Titles, x)
		doc, err := manifest.Canonical(x)
		require.NoError(t, err)
		titles = append(titles, doc)
	}
	read, err := sheet.Parse(launchers.QuaysideSheet)
	require.NoError(t, err)
	s, err := manifest.ApplySheet(nil, read, standing.Evidence{By: "mira"})
	require.NoError(t, err)
	m.Sheets = append(m.Sheets, s, manifest.Sheet{ID: "zz", Sheet: []byte(`{"format": "endroit/sheet/9"}`)})
	for _, x := range m.Sheets {
		doc, err := manifest.Canonical(x)
		require.NoError(t, err)
		sheets = append(sheets, doc)
	}
	body, err := manifest.Assemble(m.Head, sheets, titles)
	require.NoError(t, err)
	require.NoError(t, Keep(t.Context(), folder, bytes.NewReader(body), manifest.Digest(body), nil))
	return manifest.Digest(body)
}

func TestLookingUp(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "manifest")
	_, err := Open(t.Context(), folder, nil)
	assert.ErrorIs(t, err, ErrNone)
	keep(t, folder, 1, "Saltglass", "Tidewrack")
	d := keep(t, folder, 2, "Copperfen", "Saltglass", "Tidewrack")
	files, err := os.ReadDir(folder)
	require.NoError(t, err)
	assert.Len(t, files, 3, "older revisions go")

	k, err := Open(t.Context(), folder, func() { assert.Fail(t, "it is indexed already") })
	require.NoError(t, err)
	defer k.Close()
	assert.Equal(t, 2, k.Head.Revision)
	assert.Equal(t, d, k.Digest)
	assert.Equal(t, 3, k.Titles)
	found, _, err := k.Find(t.Context(), "  SALTGLASS ")
	require.NoError(t, err)
	assert.Equal(t, "Saltglass", found.Name)
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
	assert.Equal(t, []string{"copperfen"}, ids)
	ids, err = k.OfEdition(t.Context(), "larder", "ref-Copperfen")
	require.NoError(t, err)
	assert.Empty(t, ids)
	ids, err = k.OfEdition(t.Context(), "", "ref-Copperfen")
	require.NoError(t, err)
	assert.Len(t, ids, 1)
	below, err := k.Below(t.Context(), "xdg-data", []Folder{{Names: []string{"applications", "saltglass", "*", "\xff"}}, {}, {Names: []string{"TIDEWRACK", "Saltglass"}}})
	require.NoError(t, err)
	require.Len(t, below, 3)
	assert.Equal(t, []string{"saltglass"}, below[0])
	assert.Empty(t, below[1])
	assert.ElementsMatch(t, []string{"saltglass", "tidewrack"}, below[2])
	for at, want := range map[string][]string{"xdg-data:saltglass/*.sav": {"saltglass"}, "xdg-data:SaltGlass/": {"saltglass"}, "xdg-data:*/x.sav": nil, "xdg-data:other/x": nil, "install:saves/": nil, "no place": nil} {
		var names []string
		beside, err := k.Beside(t.Context(), at)
		require.NoError(t, err)
		for _, t := range beside {
			names = append(names, t.ID)
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
		spoil func(t *testing.T, folder, digest string)
		fails bool
	}{
		"no index":       {func(t *testing.T, f, d string) { require.NoError(t, os.Remove(indexFile(f, d))) }, false},
		"an empty index": {func(t *testing.T, f, d string) { require.NoError(t, os.WriteFile(indexFile(f, d), nil, 0o600)) }, false},
		"another kind of file": {func(t *testing.T, f, d string) {
			require.NoError(t, os.WriteFile(indexFile(f, d), []byte("no index"), 0o600))
		}, false},
		"a cut index": {func(t *testing.T, f, d string) {
			info, err := os.Stat(indexFile(f, d))
			require.NoError(t, err)
			require.NoError(t, os.Truncate(indexFile(f, d), info.Size()/2))
		}, false},
		"a touched revision": {func(t *testing.T, f, d string) {
			data, err := os.ReadFile(filepath.Join(f, d+".json"))
			require.NoError(t, err)
			require.NoError(t, os.Remove(filepath.Join(f, d+".json")))
			require.NoError(t, os.WriteFile(filepath.Join(f, d+".json"), data, 0o600))
		}, false},
		"a cut revision": {func(t *testing.T, f, d string) { require.NoError(t, os.Truncate(filepath.Join(f, d+".json"), 100)) }, true},
		"no revision":    {func(t *testing.T, f, d string) { require.NoError(t, os.Remove(filepath.Join(f, d+".json"))) }, true},
		"no digest": {func(t *testing.T, f, d string) {
			require.NoError(t, os.WriteFile(filepath.Join(f, currentFile), []byte("../x"), 0o600))
		}, true},
		"another's index": {func(t *testing.T, f, d string) {
			other := filepath.Join(t.TempDir(), "m")
			o := keep(t, other, 7, "Lantern Hollow")
			require.NoError(t, os.Rename(indexFile(other, o), indexFile(f, d)))
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
		assert.NotNil(t, found, name)
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
		for _, id := range []string{"title-00000", "title-00500", "title-01000", "title-01999"} {
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
	if _, err = k.Title(t.Context(), "title-00500"); err != nil { // the last damage was not met before
		require.NoError(t, k.Close())
		k, err = Open(t.Context(), folder, nil)
		require.NoError(t, err)
		defer k.Close()
	}
	got, err := k.Title(t.Context(), "title-00500")
	require.NoError(t, err)
	assert.Equal(t, "title-00500", got.ID)
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

// What comes counts once it is whole, is what was announced, and is wanted; until then
// what is there is unchanged.
func TestIgnoredEvents(t *testing.T) {
	folder := t.TempDir()
	d := keep(t, folder, 1, "Tidewrack")
	good := []byte(`{"format":"endroit/manifest/1","revision":2,"titles":[]}`)
	mine := errors.New("not wanted")
	for name, c := range map[string]struct {
		body   io.Reader
		digest string
		accept func(manifest.Head) error
		want   error
	}{
		"another digest": {bytes.NewReader(good), d, nil, ErrDigest},
		"no manifest":    {strings.NewReader("hello"), manifest.Digest([]byte("hello")), nil, manifest.ErrFormat},
		"not wanted":     {bytes.NewReader(good), manifest.Digest(good), func(h manifest.Head) error { assert.Equal(t, 2, h.Revision); return mine }, mine},
		"broken off":     {io.MultiReader(bytes.NewReader(good), iotest.ErrReader(mine)), manifest.Digest(good), nil, mine},
	} {
		assert.ErrorIs(t, Keep(t.Context(), folder, c.body, c.digest, c.accept), c.want, name)
		sound, err := Sound(t.Context(), folder)
		require.NoError(t, err, name)
		assert.Equal(t, d, sound, name)
		files, err := os.ReadDir(folder)
		require.NoError(t, err)
		assert.Len(t, files, 3, "%s: nothing else is left", name)
	}
}

// Whatever a revision is made of, an entry of it is held at a time.
func TestContentsOfARevision(t *testing.T) {
	const n = 9 << 20
	titles := func(variants string) []byte {
		b := bytes.NewBufferString(`{"format":"endroit/manifest/1","revision":1,"titles":[`)
		for i := 0; b.Len() < n; i++ {
			if i > 0 {
				b.WriteByte(',')
			}
			fmt.Fprintf(b, `{"id":"t%08d","name":"t","variants":[%s]}`, i, variants)
		}
		b.WriteString("]}")
		return b.Bytes()
	}
	for name, body := range map[string][]byte{
		"a title of empty variants": []byte(`{"format":"endroit/manifest/1","titles":[{"id":"a","name":"a","variants":[{}` + strings.Repeat(",{}", n/3) + "]}]}"),
		"titles of empty variants":  titles("{}" + strings.Repeat(",{}", 10_000)),
		"many titles":               titles(`{"store":"quayside","ref":"7","locations":[]}`),
	} {
		folder := t.TempDir()
		stop, most := make(chan struct{}), make(chan uint64)
		go func() { // what is in use, now and then
			var top uint64
			for {
				var m runtime.MemStats
				runtime.ReadMemStats(&m)
				top = max(top, m.HeapAlloc)
				select {
				case <-stop:
					most <- top
					return
				case <-time.After(5 * time.Millisecond):
				}
			}
		}()
		err := Keep(t.Context(), folder, bytes.NewReader(body), manifest.Digest(body), nil)
		close(stop)
		if name == "a title of empty variants" {
			assert.ErrorContains(t, err, "an entry is larger than 8388608 bytes", name)
		} else {
			assert.NoError(t, err, name)
		}
		assert.Less(t, <-most, uint64(400<<20), name)
	}
}
