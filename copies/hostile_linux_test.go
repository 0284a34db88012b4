package copies

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/copies/journal"
	"endroit/core/copyrecord"
	"endroit/core/draft"
)

// entry is an entry of an archive, whatever it is.
type entry struct {
	name string
	text string
	kind byte // of tar's; zip has them as modes
	link string
}

// hostileRecord is a record of one file, with what a stranger changed in it.
func hostileRecord(change func(r *copyrecord.Record)) []byte {
	text := "day 12"
	sum := sha256.Sum256([]byte(text))
	r := &copyrecord.Record{
		Format: copyrecord.Format, ID: "0123456789abcdef", Title: "Tidewrack", TitleID: "0123456789abcdef", Taken: old, By: "x", Machine: "x",
		Variant:   copyrecord.Variant{OS: "linux", Runtime: "native"},
		Locations: []copyrecord.Location{{At: slots, Holds: draft.Save, Standing: "confirmed"}},
		Files: []copyrecord.File{{
			Place: "xdg-data:tidewrack/slots/a.sav", Stored: "xdg-data/tidewrack/slots/a.sav", Size: int64(len(text)), Time: old, Mode: 0o644,
			SHA256: hex.EncodeToString(sum[:]),
		}},
	}
	if change != nil {
		change(r)
	}
	data, err := r.Text()
	if err != nil {
		panic(err)
	}
	return data
}

const stored = "xdg-data/tidewrack/slots/a.sav"

func tarOf(entries []entry) []byte {
	var out bytes.Buffer
	z, _ := zstd.NewWriter(&out)
	t := tar.NewWriter(z)
	for _, e := range entries {
		kind := e.kind
		if kind == 0 {
			kind = tar.TypeReg
		}
		h := &tar.Header{Typeflag: kind, Name: e.name, Linkname: e.link, Mode: 0o644, ModTime: old, Format: tar.FormatPAX}
		if kind == tar.TypeReg {
			h.Size = int64(len(e.text))
		}
		if err := t.WriteHeader(h); err != nil {
			panic(err)
		}
		if kind == tar.TypeReg {
			_, _ = t.Write([]byte(e.text))
		}
	}
	_ = t.Close()
	_ = z.Close()
	return out.Bytes()
}

func zipOf(entries []entry) []byte {
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, e := range entries {
		h := &zip.FileHeader{Name: e.name, Method: zip.Deflate, Modified: old}
		switch e.kind {
		case tar.TypeSymlink:
			h.SetMode(fs.ModeSymlink | 0o777)
			e.text = e.link
		case tar.TypeFifo:
			h.SetMode(fs.ModeNamedPipe | 0o644)
		case tar.TypeChar:
			h.SetMode(fs.ModeDevice | fs.ModeCharDevice | 0o644)
		default:
			h.SetMode(0o644)
		}
		w, err := z.CreateHeader(h)
		if err != nil {
			panic(err)
		}
		_, _ = w.Write([]byte(e.text))
	}
	_ = z.Close()
	return out.Bytes()
}

// An archive from a stranger is used if its entries are those of its record, each once, and
// else is refused: nothing outside is touched, and it is said why.
func TestHostileArchives(t *testing.T) {
	record := string(hostileRecord(nil))
	head := entry{name: copyrecord.FileName, text: record}
	good := entry{name: stored, text: "day 12"}
	for _, c := range []struct {
		name    string
		entries []entry
		want    string
	}{
		{"a climbing name", []entry{head, good, {name: "../../outside", text: "x"}}, "is not named by its record"},
		{"a name that climbs in the middle", []entry{head, good, {name: "xdg-data/../../../outside", text: "x"}}, "is not named by its record"},
		{"an absolute name", []entry{head, good, {name: "/tmp/outside", text: "x"}}, "is not named by its record"},
		{"a drive", []entry{head, good, {name: `C:\outside`, text: "x"}}, "is not named by its record"},
		{"backslashes", []entry{head, good, {name: `..\outside`, text: "x"}}, "is not named by its record"},
		{"a link out, then a file through it", []entry{head, {name: "xdg-data", kind: tar.TypeSymlink, link: "/tmp"}, good}, "not a regular file"},
		{"a link in the file's place", []entry{head, {name: stored, kind: tar.TypeSymlink, link: "/etc/hostname"}}, "not a regular file"},
		{"a pipe", []entry{head, {name: stored, kind: tar.TypeFifo}}, "not a regular file"},
		{"a device", []entry{head, {name: stored, kind: tar.TypeChar}}, "not a regular file"},
		{"the same file twice", []entry{head, good, good}, "stands twice"},
		{"two records", []entry{head, head, good}, "stands twice"},
		{"letters' case", []entry{head, {name: strings.ToUpper(stored), text: "day 12"}}, "is not named by its record"},
		{"a file more", []entry{head, good, {name: "autostart.desktop", text: "x"}}, "is not named by its record"},
		{"a file less", []entry{head}, "it is missing"},
		{"more than the record says", []entry{head, {name: stored, text: "day 12 and more"}}, "more than the 6 bytes"},
		{"less than the record says", []entry{head, {name: stored, text: "day"}}, "it has 3 bytes"},
		{"other content", []entry{head, {name: stored, text: "day 13"}}, "not the one that was copied"},
		{"a bomb", []entry{head, {name: stored, text: strings.Repeat("\x00", 64<<20)}}, "more than the 6 bytes"},
		{"no record", []entry{good}, "no copy.json"},
		{"a record that is none", []entry{{name: copyrecord.FileName, text: "hello"}, good}, "not JSON"},
		{"a record of a later version", []entry{{name: copyrecord.FileName, text: `{"format":"endroit/copy/7"}`}, good}, "newer version"},
		{"a record that claims a key file", []entry{{name: copyrecord.FileName, text: string(hostileRecord(func(r *copyrecord.Record) {
			r.Locations[0].At, r.Files[0].Place = "home:.ssh/id_rsa", "home:.ssh/id_rsa"
		}))}, good}, "locations[0].at"},
		{"a record of a huge file", []entry{{name: copyrecord.FileName, text: string(hostileRecord(func(r *copyrecord.Record) { r.Files[0].Size = 1 << 40 }))}, good}, ""},
		{"nothing", nil, "no copy.json"},
		{"a name with a dot", []entry{head, good, {name: "x/./y", text: "z"}}, "is not named by its record"},
	} {
		for form, pack := range map[Form]func([]entry) []byte{Zip: zipOf, TarZst: tarOf} {
			t.Run(c.name+" in "+string(form), func(t *testing.T) {
				refused(t, "x."+string(form), pack(c.entries), c.want)
			})
		}
	}
	many := []entry{head, good}
	for i := range maxEntries + 10 {
		many = append(many, entry{name: fmt.Sprint(i)})
	}
	z, tz := zipOf([]entry{head, good}), tarOf([]entry{head, good})
	for _, c := range []struct {
		name, file string
		data       []byte
		want       string
	}{
		{"a hard link", "x.tar.zst", tarOf([]entry{head, {name: stored, kind: tar.TypeLink, link: copyrecord.FileName}}), "not a regular file"},
		{"another hard link", "x.tar.zst", tarOf([]entry{head, good, {name: "y", kind: tar.TypeLink, link: "/etc/hostname"}}), "not a regular file"},
		{"the record at the end", "x.tar.zst", tarOf([]entry{good, head}), "not as the first entry"},
		{"very many entries", "x.zip", zipOf(many), ""},
		{"zip cut short", "x.zip", z[:len(z)-10], "no zip archive, or damaged"},
		{"zip without its middle", "x.zip", append(append([]byte{}, z[:60]...), z[120:]...), ""},
		{"tar cut short", "x.tar.zst", tz[:len(tz)-8], "damaged"},
		{"zip with another's name", "x.tar.zst", z, "no tar archive"},
		{"tar with another's name", "x.zip", tz, "no zip archive"},
		{"an empty file", "x.zip", nil, "no zip archive"},
		{"an empty tar", "x.tar.zst", nil, "no copy.json"},
		{"a window of two gigabytes", "x.tar.zst", []byte{0x28, 0xb5, 0x2f, 0xfd, 0x00, 0xa8, 1, 0, 0}, ""},
		{"text", "x.tar.zst", []byte(strings.Repeat("hello ", 1000)), "no tar archive"},
	} {
		t.Run(c.name, func(t *testing.T) { refused(t, c.file, c.data, c.want) })
	}
}

// refused writes an archive beside a home, tries to use it in every way, and looks that
// nothing changed but a folder of this program's own.
func refused(t *testing.T, name string, data []byte, want string) {
	t.Helper()
	h := newHome(t, played())
	path := filepath.Join(h.dir, name)
	require.NoError(t, os.WriteFile(path, data, 0o600))
	into := filepath.Join(h.dir, "state", "own")
	require.NoError(t, os.Mkdir(into, 0o700))
	before := h.files()
	outside := namesIn(t, h.dir)
	began := time.Now()
	err := func() error {
		c, err := Open(t.Context(), path)
		if err != nil {
			return err
		}
		problems, err := c.Check(t.Context(), nil)
		require.NoError(t, err)
		require.NotEmpty(t, problems, "a check finds it")
		_, err = c.Unpack(t.Context(), into)
		return err
	}()
	require.Error(t, err)
	assert.ErrorContains(t, err, want)
	assert.Less(t, time.Since(began), 20*time.Second)
	assert.Equal(t, before, h.files())
	require.NoError(t, os.RemoveAll(into))
	require.NoError(t, os.Mkdir(into, 0o700))
	assert.Equal(t, outside, namesIn(t, h.dir), "nothing outside was touched")
	assert.NoFileExists(t, "/tmp/outside")
}

func namesIn(t *testing.T, top string) (names []string) {
	require.NoError(t, filepath.WalkDir(top, func(path string, e fs.DirEntry, err error) error {
		names = append(names, path)
		return err
	}))
	return names
}

// A folder from a stranger.
func TestHostileFolders(t *testing.T) {
	for _, c := range []struct {
		name  string
		spoil func(t *testing.T, folder string)
		want  string
	}{
		{"the record is a link", func(t *testing.T, folder string) {
			require.NoError(t, os.Rename(filepath.Join(folder, "copy.json"), filepath.Join(folder, "other.json")))
			require.NoError(t, os.Symlink("other.json", filepath.Join(folder, "copy.json")))
		}, "not a regular file"},
		{"the record is a pipe", func(t *testing.T, folder string) {
			require.NoError(t, os.Remove(filepath.Join(folder, "copy.json")))
			require.NoError(t, syscall.Mkfifo(filepath.Join(folder, "copy.json"), 0o600))
		}, "not a regular file"},
		{"the record is a folder", func(t *testing.T, folder string) {
			require.NoError(t, os.Remove(filepath.Join(folder, "copy.json")))
			require.NoError(t, os.Mkdir(filepath.Join(folder, "copy.json"), 0o700))
		}, "not a regular file"},
		{"the record is huge", func(t *testing.T, folder string) {
			require.NoError(t, os.Truncate(filepath.Join(folder, "copy.json"), copyrecord.MaxBytes+5))
		}, "larger than"},
		{"a file is a link out", func(t *testing.T, folder string) {
			require.NoError(t, os.Remove(filepath.Join(folder, stored)))
			require.NoError(t, os.Symlink("/etc/hostname", filepath.Join(folder, stored)))
		}, "not a regular file"},
		{"a file is a pipe", func(t *testing.T, folder string) {
			require.NoError(t, os.Remove(filepath.Join(folder, stored)))
			require.NoError(t, syscall.Mkfifo(filepath.Join(folder, stored), 0o600))
		}, "not a regular file"},
		{"a folder is a link out", func(t *testing.T, folder string) {
			away := t.TempDir()
			require.NoError(t, os.WriteFile(filepath.Join(away, "a.sav"), []byte("day 12"), 0o600))
			require.NoError(t, os.RemoveAll(filepath.Join(folder, "xdg-data/tidewrack/slots")))
			require.NoError(t, os.Symlink(away, filepath.Join(folder, "xdg-data/tidewrack/slots")))
		}, "path escapes"},
		{"a file is another's, by a hard link", func(t *testing.T, folder string) {
			secret := filepath.Join(filepath.Dir(folder), "secret")
			require.NoError(t, os.WriteFile(secret, []byte("hidden"), 0o600))
			require.NoError(t, os.Remove(filepath.Join(folder, stored)))
			require.NoError(t, os.Link(secret, filepath.Join(folder, stored)))
		}, "not the one that was copied"},
		{"a file has no end", func(t *testing.T, folder string) {
			require.NoError(t, os.Truncate(filepath.Join(folder, stored), 1<<40))
		}, "bytes, and the record says 6"},
		{"the record of another title", func(t *testing.T, folder string) {
			require.NoError(t, os.WriteFile(filepath.Join(folder, "copy.json"), hostileRecord(func(r *copyrecord.Record) {
				r.Locations[0].At, r.Files[0].Place = "xdg-data:copperfen/", "xdg-data:copperfen/x.sav"
			}), 0o600))
		}, "no location that is recorded"},
		{"a place that runs by itself", func(t *testing.T, folder string) {
			require.NoError(t, os.WriteFile(filepath.Join(folder, "copy.json"), hostileRecord(func(r *copyrecord.Record) {
				r.Locations[0].At, r.Files[0].Place = "xdg-config:autostart/x.desktop", "xdg-config:autostart/x.desktop"
			}), 0o600))
		}, "locations[0].at"},
	} {
		t.Run(c.name, func(t *testing.T) {
			h := newHome(t, played())
			folder := filepath.Join(h.dir, "gift")
			require.NoError(t, os.MkdirAll(filepath.Dir(filepath.Join(folder, stored)), 0o755))
			require.NoError(t, os.WriteFile(filepath.Join(folder, stored), []byte("day 12"), 0o600))
			require.NoError(t, os.WriteFile(filepath.Join(folder, "copy.json"), hostileRecord(nil), 0o600))
			c.spoil(t, folder)
			h.write(inSlots+"a.sav", "day 99 and more")
			before := h.files()
			err := func() error {
				c, err := Open(t.Context(), folder)
				if err != nil {
					return err
				}
				problems, err := c.Check(t.Context(), nil)
				require.NoError(t, err)
				p := h.plan(c, PutbackOptions{})
				if len(p.Refused) > 0 {
					return fmt.Errorf("%s", p.Refused[0].What)
				}
				require.NotEmpty(t, problems)
				_, err = h.journal().Do(t.Context(), journal.About{Kind: "putback", Title: "Tidewrack"}, p.Changes, nil)
				require.Error(t, err)
				return fmt.Errorf("%s", problems[0].What)
			}()
			assert.ErrorContains(t, err, c.want)
			assert.Equal(t, before, h.files())
		})
	}
}

// Where the game's own folder leads elsewhere, nothing is written there.
func TestTheWayLeadsOut(t *testing.T) {
	h := newHome(t, played())
	c := h.take(nil).Copy
	away := t.TempDir()
	require.NoError(t, os.RemoveAll(h.path(inSlots)))
	require.NoError(t, os.Symlink(away, h.path(strings.TrimSuffix(inSlots, "/"))))
	p := h.plan(c, PutbackOptions{})
	require.Len(t, p.Refused, 3)
	assert.Contains(t, p.Refused[0].What, "leads out")
	entries, err := os.ReadDir(away)
	require.NoError(t, err)
	assert.Empty(t, entries)
}
