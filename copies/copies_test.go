package copies

import (
	"bytes"
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/copies/journal"
	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/standing"
	"endroit/locate"
	"endroit/machine"
)

// home is a person's home with a title in it, and what is recorded of that.
type home struct {
	t     *testing.T
	dir   string // with home, copies and state in it
	state string // with the journal, where that is elsewhere
	title manifest.Title
	seen  *Seen
}

const slots, options = "xdg-data:tidewrack/slots/", "xdg-config:tidewrack/options.cfg"

func newHome(t *testing.T, files map[string]string) *home {
	t.Helper()
	h := &home{t: t, dir: t.TempDir()}
	h.title = manifest.Title{ID: "0123456789abcdef", Name: "Tidewrack", Variants: []manifest.Variant{{
		OS: machine.System(), Runtime: "native",
		Locations: []manifest.Location{
			{At: slots, Holds: draft.Save, Standing: standing.Confirmed, Reason: "by two people"},
			{At: options, Holds: draft.Config, Standing: standing.Confirmed, Reason: "by two people"},
		},
	}}}
	require.NoError(t, os.MkdirAll(filepath.Join(h.dir, "state"), 0o755))
	h.seen = OpenSeen(filepath.Join(h.dir, "state", "seen.json"))
	for name, text := range files {
		h.write(name, text)
	}
	return h
}

// old is a time at which nothing is being written any more.
var old = time.Date(2026, 11, 2, 18, 30, 15, 123456789, time.UTC)

func (h *home) path(name string) string { return filepath.Join(h.dir, "home", name) }

func (h *home) write(name, text string) {
	h.t.Helper()
	require.NoError(h.t, os.MkdirAll(filepath.Dir(h.path(name)), 0o755))
	require.NoError(h.t, os.WriteFile(h.path(name), []byte(text), 0o640))
	require.NoError(h.t, os.Chtimes(h.path(name), old, old))
}

func (h *home) files() map[string]string {
	out := map[string]string{}
	top := filepath.Join(h.dir, "home")
	_ = filepath.WalkDir(top, func(path string, e fs.DirEntry, err error) error {
		if err == nil && !e.IsDir() {
			name, _ := filepath.Rel(top, path)
			if to, err := os.Readlink(path); err == nil {
				out[name] = "-> " + to
				return nil
			}
			data, _ := os.ReadFile(path)
			out[name] = string(data)
		}
		return nil
	})
	return out
}

func (h *home) roots() place.Roots {
	require.NoError(h.t, os.MkdirAll(h.path(".local/share"), 0o755))
	require.NoError(h.t, os.MkdirAll(h.path(".config"), 0o755))
	return place.LinuxRoots(map[string]string{"HOME": h.path("")})
}

// side looks at the title as it is now.
func (h *home) side(choice Choice) *Side {
	h.t.Helper()
	here := locate.New(&machine.Survey{}, h.roots())
	h.t.Cleanup(here.Close)
	here.Whole = true
	found, err := here.Title(h.t.Context(), &h.title, locate.Everywhere)
	require.NoError(h.t, err)
	require.Len(h.t, found.Variants, 1)
	return Gather(h.t.Context(), here, found, found.Variants[0], choice)
}

func (h *home) options() TakeOptions {
	return TakeOptions{
		To: filepath.Join(h.dir, "copies"), Form: Folder, By: "test", Machine: "0123456789", Seen: h.seen, Pause: time.Millisecond,
		Again: func(context.Context) (*Side, error) { return h.side(Choice{}), nil },
	}
}

func (h *home) take(change func(o *TakeOptions)) *Taken {
	h.t.Helper()
	o := h.options()
	if change != nil {
		change(&o)
	}
	taken, err := Take(h.t.Context(), h.side(Choice{}), o)
	require.NoError(h.t, err)
	return taken
}

func (h *home) journal() *journal.Journal {
	j := h.journalIn(h.t)
	h.t.Cleanup(j.Close)
	return j
}

func (h *home) journalIn(t *testing.T) *journal.Journal {
	in := h.dir
	if h.state != "" {
		in = h.state
	}
	j, _, err := journal.Open(t.Context(), filepath.Join(in, "state", "operations"))
	require.NoError(t, err)
	return j
}

var about = journal.About{Kind: "putback", Title: "Tidewrack"}

func (h *home) plan(c *Copy, o PutbackOptions) *Prepared {
	h.t.Helper()
	o.Seen = h.seen
	p, err := PlanPutback(h.t.Context(), h.side(Choice{}), c, o)
	require.NoError(h.t, err)
	h.t.Cleanup(p.Close)
	return p
}

func (h *home) do(p *Prepared) journal.Operation {
	h.t.Helper()
	require.Empty(h.t, p.Refused)
	j := h.journal()
	defer j.Close()
	op, err := j.Do(h.t.Context(), about, p.Changes, nil)
	require.NoError(h.t, err)
	return op
}

func (h *home) undo() {
	h.t.Helper()
	j := h.journal()
	defer j.Close()
	op, err := j.Undoable("")
	require.NoError(h.t, err)
	changes, _, err := j.PlanUndo(op, true)
	require.NoError(h.t, err)
	_, err = j.Undo(h.t.Context(), op, changes, journal.About{Kind: "undo", Title: "Tidewrack"}, nil)
	require.NoError(h.t, err)
}

const inSlots, inOptions = ".local/share/tidewrack/slots/", ".config/tidewrack/options.cfg"

func played() map[string]string {
	return map[string]string{
		inSlots + "a.sav": "day 12", inSlots + "b.sav": "day 40", inSlots + "deep/c.sav": "day 3", inOptions: "volume=80",
		".local/share/copperfen/x.sav": "another title's",
	}
}

func TestACopyReadsWithoutThisProgram(t *testing.T) {
	h := newHome(t, played())
	taken := h.take(func(o *TakeOptions) { o.Name = "before the gate" })
	assert.Equal(t, 1, taken.Tries)
	folder := taken.Copy.Path
	assert.True(t, strings.HasPrefix(folder, filepath.Join(h.dir, "copies", "Tidewrack")+string(filepath.Separator)))
	assert.True(t, strings.HasSuffix(folder, " before the gate"))
	for name, text := range map[string]string{
		"xdg-data/tidewrack/slots/a.sav": "day 12", "xdg-data/tidewrack/slots/deep/c.sav": "day 3", "xdg-config/tidewrack/options.cfg": "volume=80",
	} {
		got, err := os.ReadFile(filepath.Join(folder, name))
		require.NoError(t, err)
		assert.Equal(t, text, string(got))
		info, err := os.Stat(filepath.Join(folder, name))
		require.NoError(t, err)
		assert.True(t, info.ModTime().Equal(old))
	}
	c, err := Open(t.Context(), folder)
	require.NoError(t, err)
	assert.Equal(t, taken.Copy.Record, c.Record)
	require.Len(t, c.Record.Files, 4)
	assert.Equal(t, options, c.Record.Locations[c.Record.Files[0].Location].At)
	assert.Equal(t, copyrecord.Mode(0o640), c.Record.Files[0].Mode)
	problems, err := c.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, problems)
	all, notes := List(t.Context(), []string{filepath.Join(h.dir, "copies")})
	assert.Empty(t, notes)
	require.Len(t, all, 1)
}

// What was just taken is read again by the digest that takes less time, where it has one.
func TestACopyThatWasTakenIsReadAgain(t *testing.T) {
	h := newHome(t, played())
	taken := h.take(nil)
	c := taken.Copy
	problems, err := taken.Check(t.Context())
	require.NoError(t, err)
	assert.Empty(t, problems)
	for _, has := range []bool{true, false} {
		for i, f := range c.Record.Files {
			if !has {
				c.Record.Files[i].BLAKE3 = ""
			}
			if strings.HasSuffix(f.Stored, "a.sav") {
				require.NoError(t, os.WriteFile(filepath.Join(c.Path, f.Stored), bytes.Repeat([]byte("x"), int(f.Size)), 0o600))
			}
		}
		problems, err = taken.Check(t.Context())
		require.NoError(t, err)
		assert.Equal(t, []Problem{{"xdg-data:tidewrack/slots/a.sav", "its content is not the one that was copied"}}, problems)
	}
}

func TestASecondCopyTakesWhatChanged(t *testing.T) {
	h := newHome(t, played())
	h.take(nil)
	h.settle()
	first := h.take(func(o *TakeOptions) { o.Always = true })
	assert.False(t, first.Same)
	same := h.take(nil)
	assert.True(t, same.Same)
	assert.Equal(t, first.Copy.Path, same.Copy.Path)

	h.write(inSlots+"a.sav", "day 13")
	second := h.take(nil)
	assert.False(t, second.Same)
	assert.Equal(t, 3, second.Unchanged)
	assert.Equal(t, int64(6), second.Written)
	one, err := os.Stat(filepath.Join(first.Copy.Path, "xdg-data/tidewrack/slots/b.sav"))
	require.NoError(t, err)
	two, err := os.Stat(filepath.Join(second.Copy.Path, "xdg-data/tidewrack/slots/b.sav"))
	require.NoError(t, err)
	assert.True(t, os.SameFile(one, two), "an unchanged file takes no space")
	for _, c := range []*Copy{first.Copy, second.Copy} {
		problems, err := c.Check(t.Context(), nil)
		require.NoError(t, err)
		assert.Empty(t, problems)
	}
	// A change that keeps the size and the time is noticed by what no program can set.
	h.settle()
	h.take(func(o *TakeOptions) { o.Always = true })
	h.write(inSlots+"a.sav", "day 14")
	third := h.take(nil)
	assert.False(t, third.Same)
	got, err := os.ReadFile(filepath.Join(third.Copy.Path, "xdg-data/tidewrack/slots/a.sav"))
	require.NoError(t, err)
	assert.Equal(t, "day 14", string(got))
	// A copy whose files are gone is not what has the same content.
	require.NoError(t, os.Remove(filepath.Join(third.Copy.Path, "xdg-data/tidewrack/slots/a.sav")))
	assert.False(t, h.take(nil).Same)
}

// settle makes what was written so far old to the reader's clock.
func (h *home) settle() {
	h.seen = OpenSeen(filepath.Join(h.t.TempDir(), "none"))
	h.seen.now = func() time.Time { return time.Now().Add(time.Hour) }
}

func TestPutback(t *testing.T) {
	h := newHome(t, played())
	taken := h.take(nil)
	before := h.files()
	h.write(inSlots+"a.sav", "day 99")
	h.write(inSlots+"new.sav", "made later")
	require.NoError(t, os.RemoveAll(h.path(inSlots+"deep")))
	changed := h.files()

	p := h.plan(taken.Copy, PutbackOptions{})
	assert.Equal(t, copyplan.Sum{Add: 1, Replace: 1, Remove: 1, Writes: 11, Keeps: 16}, p.Plan.Sum())
	assert.Equal(t, 2, p.Plan.Same)
	h.do(p)
	assert.Equal(t, before, h.files())
	info, err := os.Stat(h.path(inSlots + "a.sav"))
	require.NoError(t, err)
	assert.True(t, info.ModTime().Equal(old))
	assert.Equal(t, fs.FileMode(0o640), info.Mode().Perm())
	assert.Empty(t, h.plan(taken.Copy, PutbackOptions{}).Plan.Steps, "a second time nothing changes")
	h.undo()
	assert.Equal(t, changed, h.files())

	// What only this machine has can stay, and what was not chosen does.
	h.write(inOptions, "volume=10")
	p = h.plan(taken.Copy, PutbackOptions{Leave: true, Choice: Choice{Holds: []string{draft.Save}}})
	h.do(p)
	assert.Equal(t, "made later", h.files()[inSlots+"new.sav"])
	assert.Equal(t, "volume=10", h.files()[inOptions])
	assert.Equal(t, "day 12", h.files()[inSlots+"a.sav"])
}

// A copy of one slot says nothing of the others, and one that found a location empty brings
// that back too.
func TestWhatACopySaysNothingOf(t *testing.T) {
	h := newHome(t, nil)
	h.title.Variants[0].Locations[0].At = "xdg-data:tidewrack/slots/{slot}.sav"
	h.write(inSlots+"a.sav", "day 1")
	h.write(inSlots+"b.sav", "day 2")
	o := h.options()
	only := Choice{Slot: "a"}
	o.Again = func(context.Context) (*Side, error) { return h.side(only), nil }
	taken, err := Take(t.Context(), h.side(only), o)
	require.NoError(t, err)
	require.Len(t, taken.Copy.Record.Files, 1)
	whole := h.take(func(o *TakeOptions) { o.Always = true }).Copy
	h.write(inSlots+"a.sav", "day 9")
	h.write(inOptions, "made later")
	h.do(h.plan(taken.Copy, PutbackOptions{}))
	assert.Equal(t, map[string]string{inSlots + "a.sav": "day 1", inSlots + "b.sav": "day 2", inOptions: "made later"}, h.files())
	h.do(h.plan(whole, PutbackOptions{}))
	assert.Equal(t, map[string]string{inSlots + "a.sav": "day 1", inSlots + "b.sav": "day 2"}, h.files())
}

func TestClear(t *testing.T) {
	h := newHome(t, played())
	before := h.files()
	p := PlanClear(h.side(Choice{Holds: []string{draft.Save}}), false)
	assert.Equal(t, 3, p.Plan.Sum().Remove)
	h.do(p)
	assert.Equal(t, map[string]string{inOptions: "volume=80", ".local/share/copperfen/x.sav": "another title's"}, h.files())
	h.undo()
	assert.Equal(t, before, h.files())
}

func words(p *Prepared) (out []string) {
	for _, w := range p.Warnings {
		out = append(out, string(w.Word))
	}
	return out
}

func TestWarnings(t *testing.T) {
	h := newHome(t, played())
	taken := h.take(nil)
	assert.Empty(t, h.plan(taken.Copy, PutbackOptions{}).Warnings)
	h.write(inSlots+"a.sav", "day 99")
	later := old.Add(time.Hour)
	require.NoError(t, os.Chtimes(h.path(inSlots+"a.sav"), later, later))
	assert.Equal(t, []string{"newer"}, words(h.plan(taken.Copy, PutbackOptions{})))
	h.title.Variants[0].Locations[0].Standing = standing.Observed
	assert.Equal(t, []string{"observed", "newer"}, words(h.plan(taken.Copy, PutbackOptions{})))
	h.title.Variants[0].Locations[0].Standing = standing.Stale
	assert.Contains(t, words(h.plan(taken.Copy, PutbackOptions{})), "observed")
	assert.Equal(t, []string{"observed"}, words(PlanClear(h.side(Choice{}), false)))

	// A location that is disputed is not used: neither for copying nor for putting back.
	h.title.Variants[0].Locations[0].Standing = standing.Disputed
	side := h.side(Choice{})
	assert.Len(t, side.Files, 1)
	assert.Contains(t, side.LeftOut[0].Why, "disputed")
	p := h.plan(taken.Copy, PutbackOptions{})
	assert.Len(t, p.Refused, 3)
}

func TestFarMoreThanTheEvidence(t *testing.T) {
	files := map[string]string{}
	for i := range 300 {
		files[fmt.Sprintf("%sregion-%d.dat", inSlots, i)] = "day 1"
	}
	h := newHome(t, files)
	taken := h.take(nil)
	words := func(side *Side) (all []Word) {
		for _, w := range PlanClear(side, false).Warnings {
			all = append(all, w.Word)
		}
		return all
	}
	side := h.side(Choice{})
	assert.Empty(t, words(side), "nothing is known of how many there are to be")
	side.Evidence = map[string]int{slots: 30}
	assert.Empty(t, words(side), "there are as many as a world has")
	side.Evidence = map[string]int{slots: 2}
	assert.Equal(t, []Word{Wide}, words(side))
	p, err := PlanPutback(t.Context(), side, taken.Copy, PutbackOptions{Seen: h.seen})
	require.NoError(t, err)
	defer p.Close()
	assert.Empty(t, p.Warnings, "nothing is replaced or removed")
}

func TestVersions(t *testing.T) {
	h := newHome(t, played())
	c := h.take(nil).Copy
	h.write(inSlots+"a.sav", "day 99")
	for _, x := range []struct{ copy, here, want string }{
		{"1.2", "1.10", "it may not load older files"}, {"1.10", "1.9", "the older version 1.9 is installed"}, {"1.2", "1.2", ""}, {"", "1.2", ""},
	} {
		c.Record.Variant.Version = x.copy
		side := h.side(Choice{})
		side.Variant.Version = x.here
		p, err := PlanPutback(t.Context(), side, c, PutbackOptions{Seen: h.seen})
		require.NoError(t, err)
		p.Close()
		text := ""
		for _, w := range p.Warnings {
			text += w.Text
		}
		assert.Contains(t, text, x.want)
		if x.want == "" {
			assert.Empty(t, text)
		}
	}
}

func TestWhatIsNotRecordedHereIsNotPutBack(t *testing.T) {
	h := newHome(t, played())
	c := h.take(nil).Copy
	h.title.Variants[0].Locations[0].At = "xdg-data:tidewrack/slots/*.sav" // narrower now
	p := h.plan(c, PutbackOptions{})
	require.Len(t, p.Refused, 1)
	assert.Equal(t, "xdg-data:tidewrack/slots/deep/c.sav", p.Refused[0].Place)
	assert.Contains(t, p.Refused[0].What, "no location that is recorded for this variant")
}

func TestADamagedCopyChangesNothing(t *testing.T) {
	for name, spoil := range map[string]func(path string) error{
		"other content of one size": func(p string) error { return os.WriteFile(p, []byte("day 13"), 0o600) },
		"shorter":                   func(p string) error { return os.Truncate(p, 2) },
		"missing":                   os.Remove,
		"a link out": func(p string) error {
			_ = os.Remove(p)
			return os.Symlink("/etc/hostname", p)
		},
		"a folder": func(p string) error {
			_ = os.Remove(p)
			return os.Mkdir(p, 0o755)
		},
	} {
		t.Run(name, func(t *testing.T) {
			h := newHome(t, played())
			c := h.take(nil).Copy
			h.write(inSlots+"a.sav", "day 99 and more")
			before := h.files()
			path := filepath.Join(c.Path, "xdg-data/tidewrack/slots/a.sav")
			require.NoError(t, os.Chmod(path, 0o644))
			require.NoError(t, spoil(path))
			problems, err := c.Check(t.Context(), nil)
			require.NoError(t, err)
			require.Len(t, problems, 1)
			assert.Equal(t, "xdg-data:tidewrack/slots/a.sav", problems[0].Place)
			p := h.plan(c, PutbackOptions{})
			j := h.journal()
			_, err = j.Do(t.Context(), about, p.Changes, nil)
			assert.Error(t, err)
			assert.Equal(t, before, h.files())
		})
	}
}

func TestLinksStayLinks(t *testing.T) {
	h := newHome(t, played())
	require.NoError(t, os.Symlink("a.sav", h.path(inSlots+"last.sav")))
	require.NoError(t, os.Symlink("../../copperfen/x.sav", h.path(inSlots+"out.sav")))
	require.NoError(t, os.Symlink("/etc/hostname", h.path(inSlots+"far.sav")))
	before := h.files()
	c := h.take(nil).Copy
	var link copyrecord.File
	for _, f := range c.Record.Files {
		if f.Link != "" {
			link = f
		}
	}
	assert.Equal(t, "xdg-data:tidewrack/slots/last.sav", link.Place)
	assert.Equal(t, "xdg-data:tidewrack/slots/a.sav", link.Link)
	var left []string
	for _, l := range c.Record.LeftOut {
		left = append(left, filepath.Base(l.What))
	}
	assert.ElementsMatch(t, []string{"out.sav", "far.sav"}, left, "what leads elsewhere is told")
	require.NoError(t, os.Remove(h.path(inSlots+"last.sav")))
	h.do(h.plan(c, PutbackOptions{}))
	assert.Equal(t, before, h.files())
	// A file in a link's place becomes a link again, and the other way.
	require.NoError(t, os.Remove(h.path(inSlots+"last.sav")))
	h.write(inSlots+"last.sav", "a file now")
	h.do(h.plan(c, PutbackOptions{}))
	assert.Equal(t, before, h.files())
	h.undo()
	assert.Equal(t, "a file now", h.files()[inSlots+"last.sav"])
	assert.Equal(t, "day 12", h.files()[inSlots+"a.sav"], "nothing was written through the link")
}

func TestArchives(t *testing.T) {
	for _, form := range []Form{Zip, TarZst} {
		h := newHome(t, played())
		before := h.files()
		taken := h.take(func(o *TakeOptions) { o.Form = form })
		assert.True(t, strings.HasSuffix(taken.Copy.Path, string(form)))
		c, err := Open(t.Context(), taken.Copy.Path)
		require.NoError(t, err)
		problems, err := c.Check(t.Context(), nil)
		require.NoError(t, err)
		assert.Empty(t, problems)
		h.write(inSlots+"a.sav", "day 99")
		unpacked, err := c.Unpack(t.Context(), t.TempDir())
		require.NoError(t, err)
		h.do(h.plan(unpacked, PutbackOptions{}))
		assert.Equal(t, before, h.files())
		entries, err := os.ReadDir(filepath.Dir(taken.Copy.Path))
		require.NoError(t, err)
		assert.Len(t, entries, 1, "nothing else is left")
	}
}

// A file that is written while it is copied is copied again; one that never rests makes no
// copy.
func TestOneMoment(t *testing.T) {
	h := newHome(t, played())
	o := h.options()
	looks := 0
	o.Again = func(context.Context) (*Side, error) {
		if looks++; looks == 1 {
			h.write(inSlots+"b.sav", "day 41, written meanwhile")
		}
		return h.side(Choice{}), nil
	}
	taken, err := Take(t.Context(), h.side(Choice{}), o)
	require.NoError(t, err)
	assert.Equal(t, 2, taken.Tries)
	got, err := os.ReadFile(filepath.Join(taken.Copy.Path, "xdg-data/tidewrack/slots/b.sav"))
	require.NoError(t, err)
	assert.Equal(t, "day 41, written meanwhile", string(got))

	// A file that changes before it is read through is tried again under the same name, and
	// what was tried does not stay.
	side := h.side(Choice{})
	h.write(inSlots+"b.sav", "day 42, before it was read")
	o.Always = true
	taken, err = Take(t.Context(), side, o)
	require.NoError(t, err)
	assert.Equal(t, 2, taken.Tries)
	stored := []string{copyrecord.FileName}
	for _, f := range taken.Copy.Record.Files {
		stored = append(stored, f.Stored)
		assert.False(t, strings.HasPrefix(f.Stored, "other/"), f.Stored)
	}
	assert.ElementsMatch(t, stored, filesIn(t, taken.Copy.Path))

	// Files come and go too.
	looks = 0
	o.Always = true
	o.Again = func(context.Context) (*Side, error) {
		if looks++; looks == 1 {
			require.NoError(t, os.Rename(h.path(inSlots+"b.sav"), h.path(inSlots+"c.sav")))
		}
		return h.side(Choice{}), nil
	}
	taken, err = Take(t.Context(), h.side(Choice{}), o)
	require.NoError(t, err)
	assert.NoFileExists(t, filepath.Join(taken.Copy.Path, "xdg-data/tidewrack/slots/b.sav"))
	assert.FileExists(t, filepath.Join(taken.Copy.Path, "xdg-data/tidewrack/slots/c.sav"))
	problems, err := taken.Copy.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, problems)

	o.Again = func(context.Context) (*Side, error) {
		looks++
		h.write(inSlots+"c.sav", strings.Repeat("x", looks))
		return h.side(Choice{}), nil
	}
	_, err = Take(t.Context(), h.side(Choice{}), o)
	var restless *RestlessError
	require.ErrorAs(t, err, &restless)
	assert.ErrorContains(t, err, "c.sav")
	entries, err := os.ReadDir(filepath.Dir(taken.Copy.Path))
	require.NoError(t, err)
	assert.Len(t, entries, 3, "nothing of it is left")
}

// A game that saves several files pauses between them; nothing that was copied has changed
// meanwhile, and yet it would be half of one save and half of another.
func TestOneMomentIsNotAPauseWithinASave(t *testing.T) {
	h := newHome(t, map[string]string{inSlots + "a.sav": "day 1", inSlots + "b.sav": "day 1"})
	require.NoError(t, os.WriteFile(h.path(inSlots+"a.sav"), []byte("day 2"), 0o600))
	saved := time.AfterFunc(150*time.Millisecond, func() {
		_ = os.WriteFile(h.path(inSlots+"b.sav"), []byte("day 2"), 0o600)
	})
	defer saved.Stop()
	taken := h.take(func(o *TakeOptions) { o.Quiet = time.Second })
	for _, name := range []string{"a.sav", "b.sav"} {
		got, err := os.ReadFile(filepath.Join(taken.Copy.Path, "xdg-data/tidewrack/slots", name))
		require.NoError(t, err)
		assert.Equal(t, "day 2", string(got), name)
	}
}

func TestTargetsThatCannotBe(t *testing.T) {
	h := newHome(t, played())
	o := h.options()
	o.To = h.path(inSlots + "backup")
	_, err := Take(t.Context(), h.side(Choice{}), o)
	assert.ErrorContains(t, err, "which is copied; name a folder elsewhere")
	o.To = filepath.Join(h.dir, "a-file")
	require.NoError(t, os.WriteFile(o.To, nil, 0o600))
	_, err = Take(t.Context(), h.side(Choice{}), o)
	assert.ErrorContains(t, err, "not a directory")
	require.NoError(t, os.RemoveAll(h.path(".local/share/tidewrack")))
	require.NoError(t, os.RemoveAll(h.path(".config/tidewrack")))
	_, err = Take(t.Context(), h.side(Choice{}), h.options())
	assert.ErrorIs(t, err, ErrEmpty)
}

// filesIn lists what a folder has, by paths below it.
func filesIn(t *testing.T, folder string) (names []string) {
	require.NoError(t, filepath.WalkDir(folder, func(path string, e fs.DirEntry, err error) error {
		if err == nil && !e.IsDir() {
			name, _ := filepath.Rel(folder, path)
			names = append(names, filepath.ToSlash(name))
		}
		return err
	}))
	return names
}
