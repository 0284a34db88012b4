package copies

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/notes"
	"endroit/core/standing"
	"endroit/locate"
	"endroit/machine"
)

// between is a home with a title for Linux, and for Windows in two prefixes whose users are
// called otherwise.
func between(t *testing.T) (h *home, sides func() (native, first, second *Side)) {
	h = newHome(t, nil)
	held := func(at string) manifest.Location {
		return manifest.Location{At: at, Holds: draft.Save, Standing: standing.Confirmed, Reason: "by two people"}
	}
	h.title.Variants = []manifest.Variant{
		{Store: "larder", OS: "linux", Runtime: "native", Locations: []manifest.Location{held("xdg-data:tidewrack/slots/slot{slot}.sav")}},
		{Store: "larder", OS: "windows", Runtime: "native", Locations: []manifest.Location{held("roaming-app-data:Tidewrack/{user}/slot{slot}.sav")}},
	}
	sides = func() (native, first, second *Side) {
		here := locate.New(&machine.Survey{}, h.roots())
		t.Cleanup(here.Close)
		here.Whole = true
		for _, name := range []string{"first", "second"} {
			folder := filepath.Join(h.dir, name)
			user := map[string]string{"first": "player", "second": "steward"}[name]
			require.NoError(t, os.MkdirAll(filepath.Join(folder, "drive_c", "users", user, "AppData", "Roaming"), 0o755))
			p, err := machine.OpenPrefixOf(t.Context(), folder, user)
			require.NoError(t, err)
			here.Only = append(here.Only, p)
		}
		found, err := here.Title(t.Context(), &h.title, locate.Everywhere)
		require.NoError(t, err)
		for _, v := range found.Variants {
			side := Gather(t.Context(), here, found, v, Choice{})
			switch filepath.Base(v.Prefix) {
			case "first":
				first = side
			case "second":
				second = side
			default:
				native = side
			}
		}
		require.NotNil(t, native)
		require.NotNil(t, first)
		require.NotNil(t, second)
		return native, first, second
	}
	return h, sides
}

func (h *home) takeOf(side *Side) *Copy {
	o := h.options()
	o.Again = nil
	taken, err := Take(h.t.Context(), side, o)
	require.NoError(h.t, err)
	return taken.Copy
}

func TestCarryFromOnePrefixToAnother(t *testing.T) {
	h, sides := between(t)
	was := filepath.Join(h.dir, "first", "drive_c", "users", "player", "AppData", "Roaming", "Tidewrack", "player")
	require.NoError(t, os.MkdirAll(was, 0o755))
	require.NoError(t, os.WriteFile(filepath.Join(was, "slot3.sav"), []byte("day 12"), 0o644))
	_, first, second := sides()
	require.Len(t, first.Files, 1)
	c := h.takeOf(first)
	carried, err := Carry(&h.title, c, second, CarryOptions{})
	require.NoError(t, err)
	assert.False(t, carried.Unshown)
	require.Len(t, carried.Record.Files, 1)
	assert.Equal(t, "roaming-app-data:Tidewrack/steward/slot3.sav", carried.Record.Files[0].Place)
	p, err := PlanPutback(t.Context(), second, &Copy{carried.Record, c.Path, c.Form}, PutbackOptions{Seen: h.seen})
	require.NoError(t, err)
	defer p.Close()
	h.do(p)
	data, err := os.ReadFile(filepath.Join(h.dir, "second", "drive_c", "users", "steward", "AppData", "Roaming", "Tidewrack", "steward", "slot3.sav"))
	require.NoError(t, err)
	assert.Equal(t, "day 12", string(data))

	// Without being carried, it is another user's.
	_, _, second = sides()
	p2, err := PlanPutback(t.Context(), second, c, PutbackOptions{Seen: h.seen})
	require.NoError(t, err)
	require.Len(t, p2.Refused, 1)
	assert.Contains(t, p2.Refused[0].What, "it is of the user player, and here the user is steward")
}

func TestCarryBetweenSystems(t *testing.T) {
	h, sides := between(t)
	h.write(".local/share/tidewrack/slots/slot3.sav", "day 12")
	native, first, _ := sides()
	c := h.takeOf(native)
	carried, err := Carry(&h.title, c, first, CarryOptions{})
	require.NoError(t, err)
	assert.True(t, carried.Unshown, "nobody has shown that the files are the same")
	require.Len(t, carried.Routes, 1)
	assert.Contains(t, carried.Routes[0].Why, "notes on the structure")

	// A copy of its own, as the other variant would have it.
	made, err := WriteCarried(t.Context(), c, carried, filepath.Join(h.dir, "carried"), nil)
	require.NoError(t, err)
	problems, err := made.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, problems)
	assert.FileExists(t, filepath.Join(made.Path, "roaming-app-data", "Tidewrack", "player", "slot3.sav"))
	assert.Equal(t, "windows", made.Record.Variant.OS)

	// The same notes on both show it.
	n := &notes.Notes{Format: notes.Format}
	h.title.Variants[0].Locations[0].Notes, h.title.Variants[1].Locations[0].Notes = n, n
	_, first, _ = sides()
	carried, err = Carry(&h.title, c, first, CarryOptions{})
	require.NoError(t, err)
	assert.False(t, carried.Unshown)
}

func TestCarryOfOneAccount(t *testing.T) {
	h, sides := between(t)
	at := "xdg-data:tidewrack/{account}/slot{slot}.sav"
	h.title.Variants[0].Locations[0].At = at
	h.write(".local/share/tidewrack/9021/slot1.sav", "mine")
	h.write(".local/share/tidewrack/9044/slot1.sav", "a guest's")
	native, _, _ := sides()
	c := h.takeOf(native)
	_, err := Carry(&h.title, c, native, CarryOptions{})
	assert.ErrorContains(t, err, "several accounts ([9021 9044])")
	_, err = Carry(&h.title, c, native, CarryOptions{FromAccount: "7"})
	assert.ErrorContains(t, err, "no files of the account 7")
	carried, err := Carry(&h.title, c, native, CarryOptions{FromAccount: "9044", Account: "9021"})
	require.NoError(t, err)
	assert.False(t, carried.Unshown)
	require.Len(t, carried.Left, 1)
	p, err := PlanPutback(t.Context(), native, &Copy{carried.Record, c.Path, c.Form}, PutbackOptions{Seen: h.seen})
	require.NoError(t, err)
	defer p.Close()
	require.Len(t, p.Left, 1, "the other account's files are left alone")
	h.do(p)
	assert.Equal(t, "a guest's", h.files()[".local/share/tidewrack/9021/slot1.sav"])
	assert.Equal(t, "a guest's", h.files()[".local/share/tidewrack/9044/slot1.sav"])
}
