package copyrecord

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/place"
)

// sound is a record with nothing wrong; change changes it.
func sound(change func(r *Record)) *Record {
	at := time.Date(2026, 11, 28, 9, 30, 0, 5, time.UTC)
	r := &Record{
		Format: Format, ID: "0123456789abcdef", Title: "Tidewrack", Name: "before the gate", Taken: at, By: "1", Machine: "m",
		Variant:   Variant{OS: "linux", Runtime: "native", Version: "1.2"},
		Locations: []Location{{At: "xdg-data:tidewrack/slots/*.sav", Holds: "save", Standing: "confirmed"}},
		Files: []File{
			{Place: "xdg-data:tidewrack/slots/a.sav", Stored: "xdg-data/tidewrack/slots/a.sav", Size: 10, Time: at, Mode: 0o644,
				SHA256: strings.Repeat("a", 64), Holes: [][2]int64{{2, 3}, {5, 5}}},
			{Place: "xdg-data:tidewrack/slots/b.sav", Time: at, Link: "xdg-data:tidewrack/slots/a.sav"},
		},
	}
	if change != nil {
		change(r)
	}
	return r
}

func TestARecordComesBack(t *testing.T) {
	text, err := sound(nil).Text()
	require.NoError(t, err)
	r, err := Parse(text)
	require.NoError(t, err)
	assert.Equal(t, sound(nil), r)
	assert.Equal(t, int64(10), r.Bytes())
	// A later version may say more.
	_, err = Parse([]byte(strings.Replace(string(text), `"by":`, `"later": {"a": 1}, "by":`, 1)))
	assert.NoError(t, err)
}

func TestHostileRecords(t *testing.T) {
	first := func(change func(f *File)) func(r *Record) { return func(r *Record) { change(&r.Files[0]) } }
	for _, c := range []struct {
		name   string
		change func(r *Record)
		want   string
	}{
		{"climbing", first(func(f *File) { f.Stored = "xdg-data/../../x" }), "is not a path"},
		{"absolute", first(func(f *File) { f.Stored = "/etc/passwd" }), "is not a path"},
		{"a drive", first(func(f *File) { f.Stored = "C:/x" }), "is not a path"},
		{"backslashes", first(func(f *File) { f.Stored = `a\..\b` }), "is not a path"},
		{"a device", first(func(f *File) { f.Stored = "nul" }), "is not a path"},
		{"an empty name", first(func(f *File) { f.Stored = "a//b" }), "is not a path"},
		{"the record itself", first(func(f *File) { f.Stored = "COPY.json" }), "another file's too"},
		{"very long", first(func(f *File) { f.Stored = strings.Repeat("abcdefgh/", 100) + "x" }), "longer than"},
		{"no content", first(func(f *File) { f.SHA256 = "" }), "sha256"},
		{"a spoilt second digest", first(func(f *File) { f.SHA256, f.BLAKE3 = "", "abc" }), "blake3"},
		{"uppercase digest", first(func(f *File) { f.SHA256 = strings.Repeat("A", 64) }), "sha256"},
		{"another title's file", first(func(f *File) { f.Place = "xdg-data:copperfen/a.sav" }), "does not cover it"},
		{"another anchor", first(func(f *File) { f.Place = "xdg-config:tidewrack/slots/a.sav" }), "does not cover it"},
		{"a pattern", first(func(f *File) { f.Place = "xdg-data:tidewrack/slots/*.sav" }), "not one exact place"},
		{"a folder", first(func(f *File) { f.Place = "xdg-data:tidewrack/slots/a.sav/" }), "a folder"},
		{"climbing place", first(func(f *File) { f.Place = "xdg-data:tidewrack/../x" }), "place"},
		{"no place", first(func(f *File) { f.Place = "" }), "place"},
		{"negative size", first(func(f *File) { f.Size = -1 }), "size"},
		{"huge size", first(func(f *File) { f.Size = MaxSize + 1 }), "size"},
		{"set-user-id", first(func(f *File) { f.Mode = 0o4755 }), "permission bits"},
		{"no location", first(func(f *File) { f.Location = 1 }), "no such location"},
		{"negative location", first(func(f *File) { f.Location = -1 }), "no such location"},
		{"year", first(func(f *File) { f.Time = time.Date(1200, 1, 1, 0, 0, 0, 0, time.UTC) }), "year"},
		{"holes beyond the end", first(func(f *File) { f.Holes = [][2]int64{{8, 5}} }), "within the file"},
		{"holes that overlap", first(func(f *File) { f.Holes = [][2]int64{{1, 5}, {2, 1}} }), "within the file"},
		{"holes that overflow", first(func(f *File) { f.Holes = [][2]int64{{1, 1<<63 - 1}} }), "within the file"},
		{"a security attribute", first(func(f *File) { f.Xattrs = map[string][]byte{"security.capability": {1}} }), "user's namespace"},
		{"large attributes", first(func(f *File) { f.Xattrs = map[string][]byte{"user.x": make([]byte, maxXattr)} }), "too large"},
		{"a link out", func(r *Record) { r.Files[1].Link = "home:.ssh/id" }, "leads to no file"},
		{"a link to a link", func(r *Record) { r.Files[1].Link = r.Files[1].Place }, "leads to no file"},
		{"a link with content", func(r *Record) { r.Files[1].SHA256 = r.Files[0].SHA256 }, "has no content"},
		{"twice", func(r *Record) { r.Files[1] = r.Files[0] }, "the same as that of files[0]"},
		{"one stored file for two", func(r *Record) {
			r.Files[1] = r.Files[0]
			r.Files[1].Place = "xdg-data:tidewrack/slots/c.sav"
			r.Files[1].Stored = strings.ToUpper(r.Files[0].Stored)
		}, "another file's too"},
		{"below a file", func(r *Record) {
			r.Files[1] = r.Files[0]
			r.Files[1].Place = "xdg-data:tidewrack/slots/c.sav"
			r.Files[1].Stored = r.Files[0].Stored + "/x"
		}, "below a file"},
		{"a wide location", func(r *Record) { r.Locations[0].At = "home:**" }, "locations[0].at"},
		{"credentials", func(r *Record) { r.Locations[0].At = "home:.ssh/" }, "locations[0].at"},
		{"what runs by itself", func(r *Record) { r.Locations[0].At = "xdg-config:autostart/" }, "locations[0].at"},
		{"holds what there is not", func(r *Record) { r.Locations[0].Holds = "log" }, "holds"},
		{"an id that climbs", func(r *Record) { r.ID = "../../../../../x" }, "id"},
		{"a name that climbs", func(r *Record) { r.Name = "../x" }, "slash"},
		{"a name of dots", func(r *Record) { r.Name = ".." }, "empty"},
		{"a title with escapes", func(r *Record) { r.Title = "a\x1b[2J" }, "title"},
		{"no title", func(r *Record) { r.Title = "" }, "title"},
		{"a key that is no registry's", func(r *Record) {
			r.Files[0].Place = "registry:HKEY_CURRENT_USER/Software/Fen/"
		}, "does not cover it"},
		{"a key that is another's", func(r *Record) {
			r.Locations[0].At, r.Files[0].Place = "registry:HKEY_CURRENT_USER/Software/Fen/", "registry:HKEY_CURRENT_USER/Software/Fen/Other/"
		}, "does not cover it"},
		{"a key with a mode", func(r *Record) {
			r.Locations[0].At, r.Files[0].Place = "registry:HKEY_CURRENT_USER/Software/Fen/", "registry:HKEY_CURRENT_USER/Software/Fen/"
			r.Files[0].Mode = 0o644
		}, "a registry key has no mode"},
		{"a key without its end", func(r *Record) { r.Files[0].Place = "registry:HKEY_CURRENT_USER/Software/Fen" }, "a registry key without a slash"},
		{"a set without a name", func(r *Record) { r.Set, r.Name = true, "" }, "needs a name"},
		{"never taken", func(r *Record) { r.Taken = time.Time{} }, "taken"},
	} {
		t.Run(c.name, func(t *testing.T) {
			text, err := sound(c.change).Text()
			require.NoError(t, err)
			_, err = Parse(text)
			var bad *Error
			require.ErrorAs(t, err, &bad)
			assert.ErrorContains(t, err, c.want)
		})
	}
	text, _ := sound(nil).Text()
	for _, c := range []struct{ name, text, want string }{
		{"nothing", "", "not JSON"},
		{"a list", "[]", "does not fit"},
		{"another format", `{"format":"zip"}`, "is not endroit/copy/1"},
		{"cut short", string(text[:len(text)/2]), "not JSON"},
		{"a key twice", strings.Replace(string(text), `"title":`, `"title": "Saltglass", "title":`, 1), "not JSON"},
		{"bytes that are no text", strings.Replace(string(text), "Tidewrack", "Tide\xffwrack", 1), "not JSON"},
		{"deep", `{"format":"endroit/copy/1","x":` + strings.Repeat("[", 100_000) + strings.Repeat("]", 100_000) + "}", "not JSON"},
	} {
		_, err := Parse([]byte(c.text))
		assert.ErrorContains(t, err, c.want, c.name)
	}
	_, err := Parse([]byte(`{"format":"endroit/copy/2"}`))
	assert.ErrorIs(t, err, ErrNewer)
}

func FuzzParse(f *testing.F) {
	text, _ := sound(nil).Text()
	f.Add(text)
	f.Fuzz(func(t *testing.T, text []byte) {
		r, err := Parse(text)
		if err != nil {
			return
		}
		again, err := r.Text()
		require.NoError(t, err)
		_, err = Parse(again)
		require.NoError(t, err)
	})
}

// Whatever files are called, their paths in a copy are ones that Check lets pass, and each
// is one file's.
func TestNamesInACopy(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var names Names
		stored := storedNames{map[string]bool{}, map[string]bool{}, map[string]bool{}}
		segment := rapid.OneOf(
			rapid.SampledFrom([]string{"a", "A", "aux", "b.", "é", "e\u0301", "12:30", "\xff", "other", "1", strings.Repeat("long", 40)}),
			rapid.StringN(1, 20, 60),
		)
		for range rapid.IntRange(1, 12).Draw(t, "files") {
			path := names.Next(place.XDGData, rapid.SliceOfN(segment, 1, 4).Draw(t, "names"))
			assert.NoError(t, stored.add(path))
		}
	})
	var names Names
	assert.Equal(t, "home/a b/c.sav", names.Next(place.Home, []string{"a b", "c.sav"}))
	assert.Equal(t, "other/1/C.SAV", names.Next(place.Home, []string{"A B", "C.SAV"}), "differs in case alone")
}

// The head is read without what follows it, in any order.
func TestReadHead(t *testing.T) {
	r := sound(func(r *Record) { r.Set, r.Name, r.Machine = true, "guests", "0123456789" })
	text, err := r.Text()
	require.NoError(t, err)
	want := Head{r.TitleID, r.Title, r.Machine, true}
	h, err := ReadHead(bytes.NewReader(text))
	require.NoError(t, err)
	assert.Equal(t, want, h)
	cut := bytes.Index(text, []byte(`"locations"`))
	h, err = ReadHead(bytes.NewReader(text[:cut+20]))
	require.NoError(t, err, "what follows is not read")
	assert.Equal(t, want, h)
	h, err = ReadHead(strings.NewReader(`{"locations": [], "files": [{}], "machine": "a", "title": "b"}`))
	require.NoError(t, err)
	assert.Equal(t, Head{Title: "b", Machine: "a"}, h)
	for _, bad := range []string{"", "[]", "{", `{"title": 3}`, `{"title": "a"`} {
		_, err = ReadHead(strings.NewReader(bad))
		assert.Error(t, err, bad)
	}
}
