package origin

import (
	"archive/zip"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// program is an executable with some texts among bytes that are none.
func program(texts ...string) []byte {
	var b bytes.Buffer
	b.WriteString("\x7fELF\x02\x01\x01\x00")
	b.Write(bytes.Repeat([]byte{0x48, 0x89, 0xe5, 0}, 100))
	for _, t := range texts {
		b.WriteString(t + "\x00")
	}
	return b.Bytes()
}

func look(t *testing.T, names, expected []string, files ...File) *Result {
	t.Helper()
	r, err := Search(t.Context(), Words(append(names, expected...)), files, Budget{})
	require.NoError(t, err)
	r.Expect(expected)
	return r
}

func said(parts []Part) string {
	var out []string
	for _, p := range parts {
		out = append(out, p.Text+"="+string(p.From))
	}
	return strings.Join(out, " ")
}

func TestPartsOfANameHaveTheirSource(t *testing.T) {
	exe := InMemory("/opt/tw/tw", Executable, program("tidewrack", "%s/keepers/%s-quick.json", "autosave.sav", "%02dWorld"))
	names := []string{"keepers", "Mira Oakes-quick.json", "autosave.sav", "ANNA.sav", "7World", "savanna", "12345", "ab"}
	r := look(t, names, []string{"tidewrack"}, exe)
	for name, want := range map[string]string{
		"keepers":               "keepers=program",
		"Mira Oakes-quick.json": "Mira=other  =unsure Oakes=other -quick.json=program",
		"autosave.sav":          "autosave.sav=program",
		"ANNA.sav":              "ANNA=other .sav=program",
		"7World":                "7=unsure World=program",
		"savanna":               "savanna=other",
		"12345":                 "12345=unsure",
		"ab":                    "ab=unsure",
	} {
		assert.Equal(t, want, said(r.Name(name)), name)
	}
}

func TestNothingIsSaidOfWhatWasNotLookedFor(t *testing.T) {
	r := look(t, []string{"ANNA"}, []string{"tidewrack"}, InMemory("tw", Executable, program("tidewrack")))
	assert.Equal(t, "ANNA=other", said(r.Name("ANNA")))
	assert.Equal(t, "BERTRAM=unsure", said(r.Name("BERTRAM")))
}

func TestWordsAreFoundInEveryEncodingAndContainer(t *testing.T) {
	var zipped, gzipped bytes.Buffer
	z := zip.NewWriter(&zipped)
	w, err := z.Create("scripts/save.lua")
	require.NoError(t, err)
	_, err = w.Write([]byte(`local path = "lanterns/" .. name`))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	g := gzip.NewWriter(&gzipped)
	_, err = g.Write([]byte("the folder is called driftwood, always"))
	require.NoError(t, err)
	require.NoError(t, g.Close())
	files := []File{
		InMemory("w.exe", Executable, append([]byte("MZ\x00\x00"), inUTF16("\x00Harbours\x00")...)),
		InMemory("pack.pk", Asset, zipped.Bytes()),
		InMemory("text.gz", Asset, gzipped.Bytes()),
	}
	r := look(t, []string{"Harbours", "lanterns", "driftwood", "nowhere"}, nil, files...)
	for word, in := range map[string]string{"harbours": "w.exe", "lanterns": "pack.pk", "driftwood": "text.gz", "save": "pack.pk"} {
		path, ok := r.Found(word)
		if word == "save" {
			assert.False(t, ok, "it was not looked for")
			continue
		}
		assert.True(t, ok, word)
		assert.Equal(t, in, path, word)
	}
	_, ok := r.Found("nowhere")
	assert.False(t, ok)
	assert.Equal(t, 3, r.Files)
}

func TestAWordAcrossTheEdgeOfAChunkIsFound(t *testing.T) {
	for shift := range 12 {
		data := bytes.Repeat([]byte{0}, chunk-6+shift)
		data = append(data, "driftwood\x00"...)
		r := look(t, []string{"driftwood"}, nil, InMemory("big", Asset, data))
		_, ok := r.Found("driftwood")
		assert.True(t, ok, shift)
	}
}

func TestShortWordsDoNotCountByChance(t *testing.T) {
	noise := make([]byte, 8<<20)
	random := rand.New(rand.NewPCG(1, 2))
	for i := range noise {
		noise[i] = byte(random.UintN(200)) // less dense than what is compressed
	}
	r := look(t, []string{"bob", "Ann", "tom", "eve", "max", "sav"}, nil, InMemory("noise", Library, noise))
	assert.Empty(t, r.found, "a word of three letters stands in 8 MB of noise")
	r = look(t, []string{"bob"}, nil, InMemory("text", Library, []byte("saves/bob/1")))
	_, ok := r.Found("bob")
	assert.True(t, ok, "it stands in a text")
}

func TestWithoutAnExpectedNameNothingIsConcluded(t *testing.T) {
	exe := InMemory("tw", Executable, program("something else entirely"))
	r := look(t, []string{"ANNA.sav"}, []string{"tidewrack"}, exe)
	assert.False(t, r.Conclusive())
	assert.Equal(t, "ANNA.sav=unsure", said(r.Name("ANNA.sav")))

	packed := make([]byte, 64<<10)
	random := rand.New(rand.NewPCG(3, 4))
	for i := range packed {
		packed[i] = byte(random.Uint32())
	}
	r = look(t, []string{"ANNA.sav"}, []string{"tidewrack"}, InMemory("tw", Executable, packed), InMemory("notes.txt", Asset, []byte("about tidewrack, the game")))
	assert.False(t, r.Conclusive(), "its executable is packed")
	require.Len(t, r.Unread, 1)
	assert.Contains(t, r.Unread[0].Why, "packed")

	exe = InMemory("tw", Executable, program("tidewrack"))
	r = look(t, []string{"ANNA.sav"}, []string{"tidewrack"}, exe, InMemory("script.luac", Script, packed))
	assert.False(t, r.Conclusive(), "a script of its own is encrypted")
	r = look(t, []string{"ANNA.sav"}, []string{"tidewrack"}, exe, InMemory("music.pack", Asset, packed))
	assert.True(t, r.Conclusive(), "music is")
}

func TestTheSearchIsBounded(t *testing.T) {
	many := make([]string, maxWords+1)
	_, err := Search(t.Context(), many, nil, Budget{})
	assert.ErrorContains(t, err, "words")

	zero := bytes.Repeat([]byte{0}, 1<<20)
	files := []File{InMemory("a", Asset, zero), InMemory("b", Asset, zero), InMemory("c", Asset, zero)}
	r, err := Search(t.Context(), []string{"driftwood"}, files, Budget{Bytes: 1 << 20})
	require.NoError(t, err)
	assert.LessOrEqual(t, r.Bytes, int64(2<<20))
	require.NotEmpty(t, r.Unread)
	assert.Contains(t, r.Unread[0].Why, "used up")

	late, end := context.WithDeadline(t.Context(), time.Unix(1, 0))
	defer end()
	r, err = Search(late, []string{"driftwood"}, files, Budget{})
	require.NoError(t, err)
	assert.Len(t, r.Unread, 3)

	gone := File{Path: "gone", Rank: Executable, Size: 10, Open: func() (Handle, error) { return nil, errors.New("no such file") }}
	r, err = Search(t.Context(), []string{"driftwood"}, []File{gone}, Budget{})
	require.NoError(t, err)
	assert.Equal(t, "it could not be opened: no such file", r.Unread[0].Why)

	var bomb bytes.Buffer
	g := gzip.NewWriter(&bomb)
	for range 64 {
		_, err := g.Write(zero)
		require.NoError(t, err)
	}
	require.NoError(t, g.Close())
	r, err = Search(t.Context(), []string{"driftwood"}, []File{InMemory("bomb.gz", Asset, bomb.Bytes())}, Budget{Bytes: 4 << 20})
	require.NoError(t, err)
	assert.LessOrEqual(t, r.Bytes, int64(5<<20))

	ctx, cancel := context.WithCancel(t.Context())
	cancel()
	_, err = Search(ctx, []string{"driftwood"}, files, Budget{})
	assert.ErrorIs(t, err, context.Canceled)
}

func FuzzNameIsItsParts(f *testing.F) {
	r, err := Search(f.Context(), Words([]string{"slot", "world"}), []File{InMemory("x", Executable, program("slot", "world"))}, Budget{})
	require.NoError(f, err)
	r.Expect([]string{"world"})
	for _, s := range []string{"slot1.sav", "", "a\x00b", "\xff\xfe", "Мир-7", strings.Repeat("aB1.", 40)} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, name string) {
		joined := ""
		for _, p := range r.Name(name) {
			joined += p.Text
		}
		assert.Equal(t, name, joined)
	})
}

// BenchmarkSearch looks for the words of sixty names in 64 MB that hold none of them.
func BenchmarkSearch(b *testing.B) {
	data := make([]byte, 64<<20)
	random := rand.New(rand.NewPCG(5, 6))
	for i := range data {
		data[i] = byte(random.UintN(200))
	}
	var names []string
	for i := range 60 {
		names = append(names, strings.Repeat(string(rune('a'+i%26)), 4)+"-harbour"+string(rune('a'+i/26))+".sav")
	}
	words := Words(names)
	b.SetBytes(int64(len(data)))
	for b.Loop() {
		_, err := Search(b.Context(), words, []File{InMemory("x", Library, data)}, Budget{})
		require.NoError(b, err)
	}
}

// Of the files that hold a word the likeliest and smallest is named, whichever worker is faster.
func TestTheFirstFileThatHoldsAWordIsNamed(t *testing.T) {
	var files []File
	for i := range 40 {
		text := bytes.Repeat([]byte("\x00sand and water"), 2000*(i%7)+1)
		files = append(files, InMemory(fmt.Sprintf("part%02d", i), Asset, append(text, "\x00keepers\x00lantern"...)))
	}
	files = append(files, InMemory("code", Script, []byte("open('lantern')")))
	for range 30 {
		found, err := Search(t.Context(), Words([]string{"keepers", "lantern", "nowhere"}), files, Budget{})
		require.NoError(t, err)
		path, ok := found.Found("keepers")
		assert.True(t, ok)
		assert.Equal(t, "part00", path)
		path, _ = found.Found("lantern")
		assert.Equal(t, "code", path)
		_, ok = found.Found("nowhere")
		assert.False(t, ok)
		assert.Equal(t, len(files), found.Files, "a word that is nowhere is looked for in all")
	}
}

// silent is a file on a file system that answers nobody.
type silent struct{ until <-chan struct{} }

func (s silent) ReadAt([]byte, int64) (int, error) { <-s.until; return 0, errors.New("too late") }
func (silent) Close() error                        { return nil }

func TestAFileSystemThatAnswersNobodyIsNotWaitedFor(t *testing.T) {
	end := make(chan struct{})
	defer close(end)
	files := []File{
		{"hangs", Library, 100, func() (Handle, error) { return silent{end}, nil }},
		{"opens never", Asset, 100, func() (Handle, error) { <-end; return nil, errors.New("too late") }},
		InMemory("answers", Executable, []byte("\x00keepers\x00")),
	}
	ctx, done := context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer done()
	start := time.Now()
	words := Words([]string{"keepers", "lantern"})
	found, err := Search(ctx, words, files, Budget{})
	require.NoError(t, err)
	assert.Less(t, time.Since(start), 10*time.Second)
	path, ok := found.Found("keepers")
	assert.True(t, ok)
	assert.Equal(t, "answers", path)
	assert.Equal(t, 1, found.Files)
	assert.Equal(t, []Unread{{"hangs", errSilent.Error()}, {"opens never", errSilent.Error()}}, found.Unread)
	assert.False(t, found.Conclusive(), "code was not searched")

	// What nobody came to is told too.
	ctx, done = context.WithTimeout(t.Context(), 100*time.Millisecond)
	defer done()
	found, err = Search(ctx, words, append(files, InMemory("last", Asset, bytes.Repeat([]byte("x"), 900))), Budget{Workers: 1})
	require.NoError(t, err)
	assert.Equal(t, []Unread{{"hangs", errSilent.Error()}, {"opens never", errTime.Error()}, {"last", errTime.Error()}}, found.Unread)
}
