package copies

import (
	"context"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/standin/stick"
)

// On a stick without links, permissions and case, with times in steps of two seconds, copies
// are kept, and put back from there.
func TestCopiesOnAnOldStick(t *testing.T) {
	s := stick.Mount(t)
	h := newHome(t, played())
	to := func(o *TakeOptions) { o.To = filepath.Join(s.Folder, "copies") }
	before := h.files()
	taken := h.take(to)
	again := h.take(to)
	assert.True(t, again.Same, "an unchanged one is known")
	h.write(inSlots+"a.sav", "day 13")
	second := h.take(to)
	assert.False(t, second.Same)
	for _, c := range []*Copy{taken.Copy, second.Copy} {
		problems, err := c.Check(t.Context(), nil)
		require.NoError(t, err)
		assert.Empty(t, problems)
	}
	p := h.plan(taken.Copy, PutbackOptions{})
	defer p.Close()
	h.do(p)
	assert.Equal(t, before, h.files())
	info, err := os.Stat(h.path(inSlots + "a.sav"))
	require.NoError(t, err)
	assert.True(t, info.ModTime().Equal(old), "as exact as the record has it: %v", info.ModTime())
	h.undo()
	assert.Equal(t, "day 13", h.files()[inSlots+"a.sav"])

	s.ReadOnly.Store(true)
	h.write(inSlots+"a.sav", "day 14")
	o := h.options()
	to(&o)
	_, err = Take(t.Context(), h.side(Choice{}), o)
	assert.ErrorContains(t, err, "read-only")
	problems, err := second.Copy.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, problems)
	s.TakeOut()
	_, err = Take(t.Context(), h.side(Choice{}), o)
	assert.NoError(t, err, "the folder without the stick is another: the person is asked to name one that exists")
}

// A game on such a stick: its files are changed there, with or without Endroit's own folder
// on it too.
func TestAGameOnAnOldStick(t *testing.T) {
	for _, all := range []bool{false, true} {
		s := stick.Mount(t)
		h := newHome(t, nil)
		elsewhere := h.dir
		h.dir = filepath.Join(s.Folder, "all")
		require.NoError(t, os.MkdirAll(filepath.Join(h.dir, "state"), 0o755))
		state := h.dir
		if !all {
			state = elsewhere
		}
		h.state = state
		for name, text := range played() {
			h.write(name, text)
		}
		before := h.files()
		taken := h.take(func(o *TakeOptions) { o.To = filepath.Join(state, "copies") })
		assert.True(t, h.take(func(o *TakeOptions) { o.To = filepath.Join(state, "copies") }).Same)
		// Two changes within the two seconds that its times tell apart, of one size.
		require.NoError(t, os.WriteFile(h.path(inSlots+"a.sav"), []byte("day 76"), 0o644))
		h.take(func(o *TakeOptions) { o.To = filepath.Join(state, "copies") })
		require.NoError(t, os.WriteFile(h.path(inSlots+"a.sav"), []byte("day 77"), 0o644))
		later := h.take(func(o *TakeOptions) { o.To = filepath.Join(state, "copies") })
		assert.False(t, later.Same)
		p := h.plan(taken.Copy, PutbackOptions{})
		h.do(p)
		p.Close()
		assert.Equal(t, before, h.files())
		h.undo()
		assert.Equal(t, "day 77", h.files()[inSlots+"a.sav"])
		h.do(PlanClear(h.side(Choice{}), false))
		assert.Equal(t, map[string]string{".local/share/copperfen/x.sav": "another title's"}, h.files())
		p = h.plan(taken.Copy, PutbackOptions{})
		h.do(p)
		p.Close()
		assert.Equal(t, before, h.files())

		s.ReadOnly.Store(true)
		clear := PlanClear(h.side(Choice{}), false)
		j := h.journalIn(t)
		_, err := j.Do(t.Context(), about, clear.Changes, nil)
		j.Close()
		assert.Error(t, err)
		s.ReadOnly.Store(false)
		j = h.journalIn(t)
		j.Close()
		assert.Equal(t, before, h.files(), "nothing was lost: %v", err)
	}
}

// Files whose names differ in letters' case alone, or have characters that a stick cannot
// have, are told of before anything is touched.
func TestNamesThatAStickCannotHave(t *testing.T) {
	for name, files := range map[string]map[string]string{
		"case":       {inSlots + "A.sav": "one", inSlots + "a.sav": "two"},
		"characters": {inSlots + "a:b.sav": "one"},
	} {
		h := newHome(t, files)
		taken := h.take(nil)
		s := stick.Mount(t)
		there := newHome(t, nil)
		there.dir, there.state = filepath.Join(s.Folder, "all"), there.dir
		there.write(inSlots+"other.sav", "theirs")
		before := there.files()
		p, err := PlanPutback(t.Context(), there.side(Choice{}), taken.Copy, PutbackOptions{Seen: there.seen})
		if err == nil && len(p.Refused) == 0 {
			j := there.journalIn(t)
			_, err = j.Do(t.Context(), about, p.Changes, nil)
			j.Close()
			p.Close()
		}
		t.Log(name, err)
		assert.True(t, err != nil || len(p.Refused) > 0, name)
		assert.Equal(t, before, there.files(), "%s: %v", name, err)
	}
}

// A change in the same tick of the clock leaves size and times as they are: what was changed
// just before it was read is read a second time.
func TestAChangeThatNoTimeTells(t *testing.T) {
	s := stick.Mount(t)
	h := newHome(t, nil)
	h.dir, h.state = filepath.Join(s.Folder, "all"), h.dir
	h.write(inSlots+"a.sav", "day 0")
	save := func(text string) {
		require.NoError(t, os.WriteFile(h.path(inSlots+"a.sav"), []byte(text), 0o644))
	}
	even := time.Now().Truncate(2 * time.Second).Add(2 * time.Second)
	time.Sleep(time.Until(even) + 50*time.Millisecond)
	save("day 1")
	o, looks := h.options(), 0
	o.To = filepath.Join(h.state, "copies")
	o.Again = func(context.Context) (*Side, error) {
		if looks++; looks == 1 {
			save("day 2")
		}
		return h.side(Choice{}), nil
	}
	taken, err := Take(t.Context(), h.side(Choice{}), o)
	require.NoError(t, err)
	got, err := os.ReadFile(filepath.Join(taken.Copy.Path, "xdg-data/tidewrack/slots/a.sav"))
	require.NoError(t, err)
	assert.Equal(t, "day 2", string(got))
}
