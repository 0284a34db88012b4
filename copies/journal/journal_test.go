package journal

import (
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/core/hive"
	"endroit/core/regtext"
	"endroit/registry"
	"endroit/standin/winetest"
)

// ground is a folder with a title's files, one with their new contents, and a journal.
type ground struct {
	t             *testing.T
	top, contents string
	journal       string
}

func newGround(t *testing.T, files map[string]string) *ground {
	t.Helper()
	in := winetest.Temporary(t)
	g := &ground{t, filepath.Join(in, "game"), filepath.Join(in, "contents"), filepath.Join(in, "journal")}
	for _, folder := range []string{g.top, g.contents} {
		require.NoError(t, os.MkdirAll(folder, 0o755))
	}
	for name, text := range files {
		g.write(name, text)
	}
	return g
}

func (g *ground) write(name, text string) {
	path := filepath.Join(g.top, name)
	require.NoError(g.t, os.MkdirAll(filepath.Dir(path), 0o755))
	require.NoError(g.t, os.WriteFile(path, []byte(text), 0o640))
}

// change is what makes a file become a text; an empty one removes it, and one that begins
// with "link " makes a link.
func (g *ground) change(name, text string) Change {
	if key, ok := strings.CutPrefix(name, "key:"); ok {
		return g.changeKey(key, text)
	}
	names := strings.Split(name, "/")
	l := looker{}
	defer l.close()
	is, err := l.look(g.top, names)
	require.NoError(g.t, err)
	c := Change{Place: "home:" + name, Top: g.top, Names: names, Before: is}
	if text == "" {
		return c
	}
	if to, ok := strings.CutPrefix(text, "link "); ok {
		c.After, c.LinkText = copyplan.State{Kind: copyplan.Link, Link: to}, to
		return c
	}
	sum := sha256.Sum256([]byte(text))
	at := time.Date(2026, 3, 4, 5, 6, 7, 800, time.UTC)
	c.After = copyplan.State{Kind: copyplan.Regular, Size: int64(len(text)), Digest: hex.EncodeToString(sum[:]), Time: at, Mode: 0o600}
	c.Attributes = disk.Attributes{Time: at, Mode: 0o600}
	source := filepath.Join(g.contents, strings.ReplaceAll(name, "/", "-"))
	require.NoError(g.t, os.WriteFile(source, []byte(text), 0o600))
	c.Open = func() (*os.File, error) { return os.Open(source) }
	return c
}

// files are what is in the game's folder, by name; of a link where it leads, of a registry
// key the text of its value.
func (g *ground) files() map[string]string {
	out := filesIn(g.t, g.top)
	for _, name := range []string{"First", "Second"} {
		tree, _, err := registry.Read(g.t.Context(), g.key(name))
		if err == nil && len(tree) > 0 {
			out["key:"+name] = string(tree[0].Values[0].Data)
		}
	}
	return out
}

// key is a key of the ground's prefix.
func (g *ground) key(name string) registry.Key {
	return registry.Key{Prefix: filepath.Join(filepath.Dir(g.top), "prefix"), Path: `HKEY_CURRENT_USER\Software\Tidewrack\` + name}
}

// withKeys makes the ground's prefix.
func (g *ground) withKeys() {
	folder := g.key("").Prefix
	require.NoError(g.t, os.MkdirAll(filepath.Join(folder, "drive_c"), 0o755))
	require.NoError(g.t, os.WriteFile(filepath.Join(folder, "user.reg"), []byte("WINE REGISTRY Version 2\n\n[Software\\\\Other] 1\n"), 0o600))
}

func valueOf(text string) []hive.Branch {
	if text == "" {
		return nil
	}
	return []hive.Branch{{Values: []hive.Raw{{Name: "Volume", Kind: hive.Binary, Data: []byte(text)}}}}
}

func (g *ground) changeKey(name, text string) Change {
	c := Change{Place: "registry:" + name, Key: g.key(name)}
	var err error
	_, c.Before, err = readKey(g.t.Context(), c.Key)
	require.NoError(g.t, err)
	if text != "" {
		c.Text, err = regtext.Text(c.Key.Path, valueOf(text))
		require.NoError(g.t, err)
	}
	c.After = stateOf(c.Text, time.Time{})
	return c
}

func filesIn(t *testing.T, top string) map[string]string {
	out := map[string]string{}
	require.NoError(t, filepath.WalkDir(top, func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		name, _ := filepath.Rel(top, path)
		name = filepath.ToSlash(name)
		if e.Type()&os.ModeSymlink != 0 {
			to, err := os.Readlink(path)
			out[name] = "link " + to
			return err
		}
		data, err := os.ReadFile(path)
		out[name] = string(data)
		return err
	}))
	return out
}

func (g *ground) open() (*Journal, []Operation) {
	g.t.Helper()
	j, ended, err := Open(g.t.Context(), g.journal)
	require.NoError(g.t, err)
	g.t.Cleanup(j.Close)
	return j, ended
}

var about = About{Kind: "putback", Title: "Tidewrack", Says: "put a copy back"}

func TestDoAndUndo(t *testing.T) {
	before := map[string]string{"slots/a.sav": "old a", "slots/b.sav": "old b", "stay.cfg": "stays"}
	g := newGround(t, before)
	j, ended := g.open()
	assert.Empty(t, ended)
	changes := []Change{
		g.change("slots/a.sav", "new a"), g.change("slots/b.sav", ""), g.change("deep/er/c.sav", "new c"),
	}
	after := map[string]string{"slots/a.sav": "new a", "deep/er/c.sav": "new c", "stay.cfg": "stays"}
	if runtime.GOOS != "windows" {
		changes = append(changes, g.change("slots/l.sav", "link a.sav"))
		after["slots/l.sav"] = "link a.sav"
	}
	told := 0
	op, err := j.Do(t.Context(), about, changes, func(int, int) { told++ })
	require.NoError(t, err)
	assert.Equal(t, len(changes), told)
	assert.Equal(t, Done, op.State)
	assert.Empty(t, op.Notes)
	assert.Equal(t, after, g.files())
	assert.Equal(t, int64(10), op.Kept)
	info, err := os.Stat(filepath.Join(g.top, "slots/a.sav"))
	require.NoError(t, err)
	assert.True(t, info.ModTime().Equal(changes[0].Attributes.Time))
	if runtime.GOOS != "windows" {
		assert.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	}

	// Taken back, also after a restart; the folders that it made go, and the file that had a
	// mode and a time has them again.
	j.Close()
	j, ended = g.open()
	assert.Empty(t, ended)
	last, err := j.Undoable("")
	require.NoError(t, err)
	assert.Equal(t, op.ID, last.ID)
	back, later, err := j.PlanUndo(last, true)
	require.NoError(t, err)
	assert.Empty(t, later)
	undo, err := j.Undo(t.Context(), last, back, About{Kind: "undo", Title: "Tidewrack"}, nil)
	require.NoError(t, err)
	assert.Equal(t, before, g.files())
	assert.NoDirExists(t, filepath.Join(g.top, "deep"))
	if runtime.GOOS != "windows" {
		info, err = os.Stat(filepath.Join(g.top, "slots/a.sav"))
		require.NoError(t, err)
		assert.Equal(t, os.FileMode(0o640), info.Mode().Perm())
	}
	all, err := j.List()
	require.NoError(t, err)
	require.Len(t, all, 2)
	assert.Equal(t, Undone, all[1].State)
	_, err = j.Undoable("")
	assert.ErrorIs(t, err, ErrNothing, "an undo is not what undo takes back by itself")
	_, err = j.Undoable(op.ID)
	assert.ErrorContains(t, err, "was undone already")

	// The undo is an operation too.
	back, _, err = j.PlanUndo(undo, true)
	require.NoError(t, err)
	redo, err := j.Undo(t.Context(), undo, back, About{Kind: "undo", Title: "Tidewrack"}, nil)
	require.NoError(t, err)
	assert.Equal(t, after, g.files())
	last, err = j.Undoable("")
	require.NoError(t, err)
	assert.Equal(t, redo.ID, last.ID)

	// What is let go cannot be undone.
	require.NoError(t, j.LetGo(redo.ID))
	_, err = j.Undoable(redo.ID)
	assert.ErrorContains(t, err, "was let go")
	all, err = j.List()
	require.NoError(t, err)
	assert.Zero(t, Kept(all))
	assert.Error(t, j.LetGo("no-such"))
}

func TestWhatChangedSinceIsTold(t *testing.T) {
	g := newGround(t, map[string]string{"a": "old"})
	j, _ := g.open()
	op, err := j.Do(t.Context(), about, []Change{g.change("a", "new")}, nil)
	require.NoError(t, err)
	g.write("a", "played on")
	back, later, err := j.PlanUndo(op, true)
	require.NoError(t, err)
	require.Len(t, later, 1)
	assert.Equal(t, "home:a", later[0].Place)
	// It is kept too when the operation is undone all the same.
	undo, err := j.Undo(t.Context(), op, back, About{Kind: "undo"}, nil)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"a": "old"}, g.files())
	back, _, err = j.PlanUndo(undo, true)
	require.NoError(t, err)
	_, err = j.Undo(t.Context(), undo, back, About{Kind: "undo"}, nil)
	require.NoError(t, err)
	assert.Equal(t, map[string]string{"a": "played on"}, g.files())
}

func TestNothingIsDone(t *testing.T) {
	before := map[string]string{"a": "old a", "b": "old b", "f": "a file"}
	for _, c := range []struct {
		name   string
		change func(g *ground) []Change
		want   string
	}{
		{"it changed after it was looked at", func(g *ground) []Change {
			c := g.change("b", "new")
			c.Before.Size = 3
			return []Change{g.change("a", "new"), c}
		}, "changed after it was looked at"},
		{"it appeared after it was looked at", func(g *ground) []Change {
			c := g.change("b", "new")
			c.Before = copyplan.State{}
			return []Change{g.change("a", ""), c}
		}, "changed after it was looked at"},
		{"it is gone", func(g *ground) []Change {
			c := g.change("c", "")
			c.Before = g.change("a", "").Before
			return []Change{g.change("a", "new"), c}
		}, "changed after it was looked at"},
		{"the new content is damaged", func(g *ground) []Change {
			c := g.change("b", "new")
			c.After.Digest = strings.Repeat("0", 64)
			return []Change{g.change("x/y", "new"), c}
		}, "does not have the content"},
		{"the new content is gone", func(g *ground) []Change {
			c := g.change("b", "new")
			c.Open = func() (*os.File, error) { return nil, os.ErrNotExist }
			return []Change{g.change("a", "new"), c}
		}, "not exist"},
		{"a folder of a file is a file", func(g *ground) []Change {
			c := g.change("x/y", "new")
			c.Names = []string{"f", "y"}
			return []Change{g.change("a", "new"), c}
		}, "is no folder"},
		{"the anchor's folder is missing", func(g *ground) []Change {
			c := g.change("x", "new")
			c.Top = filepath.Join(g.top, "unplugged")
			return []Change{g.change("a", "new"), c}
		}, "unplugged"},
		{"a name that climbs", func(g *ground) []Change {
			c := g.change("x", "new")
			c.Names = []string{"..", "x"}
			return []Change{g.change("a", "new"), c}
		}, ""},
		{"too large for the disk", func(g *ground) []Change {
			c := g.change("x", "new")
			c.After.Size = 1 << 60
			return []Change{g.change("a", "new"), c}
		}, "bytes free"},
	} {
		t.Run(c.name, func(t *testing.T) {
			g := newGround(t, before)
			j, _ := g.open()
			_, err := j.Do(t.Context(), about, c.change(g), nil)
			require.Error(t, err)
			assert.ErrorContains(t, err, c.want)
			assert.Equal(t, before, g.files())
			assert.NoDirExists(t, filepath.Join(g.top, "x"), "folders that it made go too")
			all, err := j.List()
			require.NoError(t, err)
			assert.Empty(t, all)
		})
	}
}

func TestOnlyOneAtATime(t *testing.T) {
	g := newGround(t, nil)
	g.open()
	_, _, err := Open(t.Context(), g.journal)
	assert.ErrorIs(t, err, ErrBusy)
}

// An operation that fails after some files were changed changes them back; and if the game
// wrote one of them meanwhile, what it wrote is kept.
func TestAFailureInTheMiddle(t *testing.T) {
	for _, copied := range []bool{false, true} {
		g := newGround(t, map[string]string{"a": "old a", "b": "old b", "d": "old d", "e": "old e"})
		j, _ := g.open()
		changes := []Change{
			g.change("a", "new a"), g.change("b", ""), g.change("c", "new c"), g.change("d", "new d"), g.change("e", "new e"),
		}
		d, folder := prepared(t, j, changes, copied)
		// A folder is in the place of the last.
		require.NoError(t, os.Remove(filepath.Join(g.top, "e")))
		require.NoError(t, os.Mkdir(filepath.Join(g.top, "e"), 0o755))
		err := j.finish(folder, d)
		require.ErrorContains(t, err, "a folder is in its place")
		g.write("d", "played on")
		require.NoError(t, os.Remove(filepath.Join(g.top, "e")))
		g.write("e", "old e")
		require.NoError(t, rollBack(folder, d))
		assert.Equal(t, map[string]string{"a": "old a", "b": "old b", "d": "old d", "e": "old e"}, g.files(), "copied: %v", copied)
		kept := filesIn(t, filepath.Join(folder, keptFolder))
		assert.Equal(t, "played on", kept["3"+later])
	}
}

// prepared prepares an operation, and does not finish it.
func prepared(t *testing.T, j *Journal, changes []Change, copied bool) (*document, string) {
	t.Helper()
	d := &document{head: head{Format, newID(time.Now()), 1, time.Now(), about, len(changes)}, Folders: []folderMade{}}
	folder := filepath.Join(j.folder, d.ID)
	require.NoError(t, os.MkdirAll(filepath.Join(folder, keptFolder), 0o700))
	s := stage{folder: folder, d: d, changes: changes}
	require.NoError(t, s.plan())
	for i := range d.Steps {
		d.Steps[i].Copied = copied && d.Steps[i].Before.Kind != copyplan.Nothing
	}
	require.NoError(t, writeJSON(filepath.Join(folder, headFile), d.head))
	require.NoError(t, writeJSON(filepath.Join(folder, documentFile), d))
	require.NoError(t, s.prepare(t.Context(), nil))
	require.NoError(t, s.unchanged(t.Context()))
	require.NoError(t, writeJSON(filepath.Join(folder, stagedMark), marks{}))
	s.close()
	return d, folder
}

// An operation that was interrupted after all was prepared is finished at the next start,
// whatever became of the files meanwhile, and nothing is lost.
func TestFinishedAtTheNextStart(t *testing.T) {
	for _, copied := range []bool{false, true} {
		g := newGround(t, map[string]string{"a": "old a", "b": "old b", "c": "old c"})
		j, _ := g.open()
		d, folder := prepared(t, j, []Change{g.change("a", "new a"), g.change("b", ""), g.change("c", "new c")}, copied)
		j.Close()
		g.write("c", "played on")
		j, ended := g.open()
		require.Len(t, ended, 1)
		assert.Equal(t, Done, ended[0].State)
		assert.Equal(t, map[string]string{"a": "new a", "c": "new c"}, g.files())
		assert.Contains(t, strings.Join(ended[0].Notes, " "), "changed before this could be finished")
		var kept []string
		for _, text := range filesIn(t, filepath.Join(folder, keptFolder)) {
			kept = append(kept, text)
		}
		assert.Subset(t, kept, []string{"old a", "old b", "played on"}, "copied: %v", copied)
		// The next start has nothing to end.
		j.Close()
		_, ended = g.open()
		assert.Empty(t, ended)
		assert.NotEmpty(t, d.ID)
	}
}

func TestTheDiskIsNotThereAtTheNextStart(t *testing.T) {
	g := newGround(t, map[string]string{"a": "old a", "b": "old b"})
	j, _ := g.open()
	_, folder := prepared(t, j, []Change{g.change("a", "new a"), g.change("b", "")}, false)
	j.Close()
	require.NoError(t, os.Rename(g.top, g.top+"-away"))
	j, ended := g.open()
	require.Len(t, ended, 1)
	assert.Equal(t, Waiting, ended[0].State)
	var waits *WaitingError
	_, err := j.Do(t.Context(), about, nil, nil)
	require.ErrorAs(t, err, &waits)
	assert.ErrorContains(t, err, "cannot be ended yet: put a copy back")
	j.Close()
	require.NoError(t, os.Rename(g.top+"-away", g.top))
	j, ended = g.open()
	require.Len(t, ended, 1)
	assert.Equal(t, Done, ended[0].State)
	assert.Equal(t, map[string]string{"a": "new a"}, g.files())
	assert.FileExists(t, filepath.Join(folder, doneMark))
	// One that waits for what never comes back is given up.
	_, folder = prepared(t, j, []Change{g.change("a", "newer")}, false)
	require.NoError(t, j.LetGo(filepath.Base(folder)))
	j.Close()
	j, ended = g.open()
	assert.Empty(t, ended)
	op, err := j.Undoable(filepath.Base(folder))
	require.NoError(t, err, "what it replaced is still there")
	assert.Contains(t, op.Notes[0], "given up before it was finished")
}

// Where an undo cannot be ended, what it was to bring back is still kept, and it can be
// undone later.
func TestAnUndoThatFailsLosesNothing(t *testing.T) {
	g := newGround(t, map[string]string{"a": "old a", "b": "old b"})
	j, _ := g.open()
	op, err := j.Do(t.Context(), about, []Change{g.change("a", "new a"), g.change("b", "")}, nil)
	require.NoError(t, err)
	after := g.files()
	undo := func(told func(int, int)) error {
		back, _, err := j.PlanUndo(op, false)
		require.NoError(t, err)
		_, err = j.Undo(t.Context(), op, back, About{Kind: "undo"}, told)
		return err
	}
	require.Error(t, undo(func(int, int) {
		entries, err := os.ReadDir(g.journal)
		require.NoError(t, err)
		for _, e := range entries { // its mark cannot be written: a folder is in its place
			if e.IsDir() && e.Name() != op.ID {
				require.NoError(t, os.MkdirAll(filepath.Join(g.journal, e.Name(), doneMark, "x"), 0o755))
			}
		}
	}))
	assert.Equal(t, after, g.files())
	require.NoError(t, undo(nil))
	assert.Equal(t, map[string]string{"a": "old a", "b": "old b"}, g.files())
}

func TestSetsAndBounds(t *testing.T) {
	g := newGround(t, map[string]string{"a": "old"})
	j, _ := g.open()
	sw := func(was, set, text string) Operation {
		a := About{Kind: "switch", Title: "Tidewrack", Variant: "v", Was: was, Set: set}
		op, err := j.Do(t.Context(), a, []Change{g.change("a", text)}, nil)
		require.NoError(t, err)
		return op
	}
	first := sw("main", "guests", "12345")
	second := sw("guests", "main", "1")
	all, err := j.List()
	require.NoError(t, err)
	assert.Equal(t, "main", Set(all, "", "Tidewrack", "v", ""))
	assert.Equal(t, "", Set(all, "", "Tidewrack", "another", ""))
	assert.Equal(t, "", Set(all, "", "Tidewrack", "v", "/a/prefix"), "another prefix has its own")
	back, _, err := j.PlanUndo(second, true)
	require.NoError(t, err)
	_, err = j.Undo(t.Context(), second, back, About{Kind: "undo", Title: "Tidewrack", Variant: "v", Was: "main", Set: "guests"}, nil)
	require.NoError(t, err)
	all, err = j.List()
	require.NoError(t, err)
	assert.Equal(t, "guests", Set(all, "", "Tidewrack", "v", ""))
	assert.Equal(t, int64(4), Kept(all), "old, and what the undo replaced")
	assert.Empty(t, Excess(all, 6, 10))
	goes := Excess(all, 7, 10)
	require.Len(t, goes, 1)
	assert.Equal(t, first.ID, goes[0].ID)
}

func TestAJournalOfAnotherVersion(t *testing.T) {
	g := newGround(t, nil)
	folder := filepath.Join(g.journal, "20990101-000000-00000000")
	require.NoError(t, os.MkdirAll(folder, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(folder, documentFile), []byte(`{"format":"endroit/operation/9"}`), 0o600))
	_, _, err := Open(t.Context(), g.journal)
	assert.ErrorContains(t, err, "another version of Endroit")
	var waits *WaitingError
	assert.False(t, errors.As(err, &waits))
}

// An operation whose document is damaged waits, and keeps nobody from other titles.
func TestADamagedOperation(t *testing.T) {
	g := newGround(t, map[string]string{"a.sav": "day 1"})
	folder := filepath.Join(g.journal, "20260101-000000-00000000")
	require.NoError(t, os.MkdirAll(filepath.Join(folder, keptFolder), 0o755))
	h := head{Format: Format, ID: filepath.Base(folder), Number: 1, About: About{Kind: "putback", Title: "Saltglass"}}
	require.NoError(t, writeJSON(filepath.Join(folder, headFile), h))
	require.NoError(t, os.WriteFile(filepath.Join(folder, documentFile), []byte(`{"format":`), 0o600))
	j, ended := g.open()
	require.Len(t, ended, 1)
	assert.Equal(t, Waiting, ended[0].State)
	assert.Contains(t, ended[0].Notes[0], "is damaged")
	_, err := j.Do(t.Context(), About{Kind: "clear", Title: "Saltglass"}, nil, nil)
	var waits *WaitingError
	assert.ErrorAs(t, err, &waits)
	_, err = j.Do(t.Context(), about, []Change{g.change("a.sav", "day 2")}, nil)
	require.NoError(t, err)
	require.NoError(t, j.LetGo(ended[0].ID))
	_, err = j.Do(t.Context(), About{Kind: "clear", Title: "Saltglass"}, nil, nil)
	assert.NoError(t, err, "it was given up")
}

// A crash while the folder of an operation that was taken back is removed leaves nothing of
// it: neither is it finished, nor does it keep the journal from being opened.
func TestACrashWhileAnOperationIsDiscarded(t *testing.T) {
	files := map[string]string{"a.sav": "day 1", "b.sav": "day 2"}
	g := newGround(t, files)
	j, _ := g.open()
	var folder string
	_, err := j.Do(t.Context(), about, []Change{g.change("a.sav", ""), g.change("b.sav", "day 9")}, func(done, of int) {
		if done < of {
			return
		}
		all, err := filepath.Glob(filepath.Join(g.journal, "*", documentFile))
		require.NoError(t, err)
		require.Len(t, all, 1)
		folder = filepath.Dir(all[0])
		g.write("a.sav", "day 1, played on") // so that it is taken back
	})
	require.Error(t, err)
	assert.NoDirExists(t, folder)
	j.Close()
	// As far as a crash may have come: the document is gone first, the marks are not.
	require.NoError(t, os.MkdirAll(filepath.Join(folder, keptFolder), 0o700))
	for _, name := range []string{headFile, stagedMark, backMark} {
		require.NoError(t, os.WriteFile(filepath.Join(folder, name), []byte("{}"), 0o600))
	}
	before := g.files()
	j, ended := g.open()
	assert.Empty(t, ended)
	assert.NoDirExists(t, folder)
	assert.Equal(t, before, g.files())
	j.Close()

	// And a document whose head is missing, as an earlier version could leave it.
	d := document{head: head{Format: Format, ID: filepath.Base(folder), Number: 1, About: about}, Folders: []folderMade{}}
	require.NoError(t, os.MkdirAll(filepath.Join(folder, keptFolder), 0o700))
	require.NoError(t, writeJSON(filepath.Join(folder, documentFile), d))
	j, ended = g.open()
	require.Len(t, ended, 1)
	assert.Equal(t, TakenBack, ended[0].State)
	assert.NoDirExists(t, folder)
	j.Close()
}
