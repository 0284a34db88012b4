package copies

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/copyplan"
	"endroit/core/draft"
	"endroit/core/hive"
	"endroit/core/manifest"
	"endroit/core/standing"
	"endroit/locate"
	"endroit/machine"
	"endroit/registry"
)

const settingsKey = `HKEY_CURRENT_USER\Software\Fen\Tidewrack`

// withKey is a home with two prefixes, and a title for Windows that keeps its settings in the
// registry.
func withKey(t *testing.T) (h *home, side func(prefix string) *Side) {
	h = newHome(t, nil)
	held := func(at, holds string) manifest.Location {
		return manifest.Location{At: at, Holds: holds, Standing: standing.Confirmed, Reason: "by two people"}
	}
	h.title.Variants = []manifest.Variant{{Store: "larder", OS: "windows", Runtime: "native", Locations: []manifest.Location{
		held("roaming-app-data:Tidewrack/", draft.Save), held("registry:HKEY_CURRENT_USER/Software/Fen/Tidewrack/", draft.Config),
	}}}
	for _, name := range []string{"first", "second"} {
		folder := filepath.Join(h.dir, name)
		require.NoError(t, os.MkdirAll(filepath.Join(folder, "drive_c", "users", "player", "AppData", "Roaming", "Tidewrack"), 0o755))
		require.NoError(t, os.WriteFile(filepath.Join(folder, "user.reg"), []byte("WINE REGISTRY Version 2\n\n[Software\\\\Fen] 1\n"), 0o600))
	}
	h.save("first", "day 12")
	require.NoError(t, registry.Write(t.Context(), h.key("first"), volume(80)))
	return h, func(prefix string) *Side {
		here := locate.New(&machine.Survey{}, h.roots())
		t.Cleanup(here.Close)
		here.Whole = true
		p, err := machine.OpenPrefixOf(t.Context(), filepath.Join(h.dir, prefix), "player")
		require.NoError(t, err)
		here.Only = append(here.Only, p)
		found, err := here.Title(t.Context(), &h.title, locate.Everywhere)
		require.NoError(t, err)
		require.Len(t, found.Variants, 1)
		return Gather(t.Context(), here, found, found.Variants[0], Choice{})
	}
}

func (h *home) key(prefix string) registry.Key {
	return registry.Key{Prefix: filepath.Join(h.dir, prefix), Path: settingsKey}
}

func (h *home) save(prefix, text string) {
	path := filepath.Join(h.dir, prefix, "drive_c", "users", "player", "AppData", "Roaming", "Tidewrack", "a.sav")
	require.NoError(h.t, os.WriteFile(path, []byte(text), 0o600))
}

func volume(n byte) []hive.Branch {
	return []hive.Branch{{Values: []hive.Raw{{Name: "Volume", Kind: hive.DWord, Data: []byte{n, 0, 0, 0}}}}}
}

// volumeIn is what the key of a prefix has; 0 if it is not there.
func (h *home) volumeIn(prefix string) byte {
	tree, _, err := registry.Read(h.t.Context(), h.key(prefix))
	require.NoError(h.t, err)
	if len(tree) == 0 {
		return 0
	}
	return tree[0].Values[0].Data[0]
}

func TestRegistryKeysAreCopied(t *testing.T) {
	h, side := withKey(t)
	o := h.options()
	o.Again = func(context.Context) (*Side, error) { return side("first"), nil }
	taken, err := Take(t.Context(), side("first"), o)
	require.NoError(t, err)
	c := taken.Copy
	require.Len(t, c.Record.Files, 2)
	key := c.Record.Files[0]
	assert.Equal(t, "registry/HKEY_CURRENT_USER/Software/Fen/Tidewrack.reg", key.Stored)
	assert.Equal(t, 1, key.Values)
	assert.Empty(t, c.Record.LeftOut)
	problems, err := c.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, problems)
	again, err := Take(t.Context(), side("first"), o)
	require.NoError(t, err)
	assert.True(t, again.Same)

	for _, form := range []Form{Zip, TarZst} {
		o.Form, o.Always = form, true
		packed, err := Take(t.Context(), side("first"), o)
		require.NoError(t, err)
		opened, err := Open(t.Context(), packed.Copy.Path)
		require.NoError(t, err)
		problems, err := opened.Check(t.Context(), nil)
		require.NoError(t, err)
		assert.Empty(t, problems)
	}

	// Changed, put back, undone, cleared, undone.
	require.NoError(t, registry.Write(t.Context(), h.key("first"), volume(20)))
	p, err := PlanPutback(t.Context(), side("first"), c, PutbackOptions{Seen: h.seen})
	require.NoError(t, err)
	defer p.Close()
	require.Len(t, p.Plan.Steps, 1)
	assert.Equal(t, copyplan.Replace, p.Plan.Steps[0].Change())
	h.do(p)
	assert.EqualValues(t, 80, h.volumeIn("first"))
	cleared := PlanClear(side("first"), false)
	require.Len(t, cleared.Changes, 2)
	h.do(cleared)
	assert.EqualValues(t, 0, h.volumeIn("first"))
	assert.Empty(t, side("first").Files)
	p, err = PlanPutback(t.Context(), side("first"), c, PutbackOptions{Seen: h.seen})
	require.NoError(t, err)
	defer p.Close()
	h.do(p)
	assert.EqualValues(t, 80, h.volumeIn("first"))

	// To another prefix.
	there := side("second")
	carried, err := Carry(&h.title, c, there, CarryOptions{})
	require.NoError(t, err)
	assert.False(t, carried.Unshown)
	assert.Empty(t, carried.Left)
	p, err = PlanPutback(t.Context(), there, &Copy{carried.Record, c.Path, c.Form}, PutbackOptions{Seen: h.seen})
	require.NoError(t, err)
	defer p.Close()
	h.do(p)
	assert.EqualValues(t, 80, h.volumeIn("second"))
	made, err := WriteCarried(t.Context(), c, carried, filepath.Join(h.dir, "carried"), nil)
	require.NoError(t, err)
	problems, err = made.Check(t.Context(), nil)
	require.NoError(t, err)
	assert.Empty(t, problems)
}

// A key that changes while it is copied is read again, and a copy with another key in the
// text, or another content, changes nothing.
func TestRegistryKeysAreNotBelieved(t *testing.T) {
	h, side := withKey(t)
	o, looks := h.options(), 0
	o.Again = func(context.Context) (*Side, error) {
		if looks++; looks == 1 {
			require.NoError(t, registry.Write(t.Context(), h.key("first"), volume(50)))
		}
		return side("first"), nil
	}
	taken, err := Take(t.Context(), side("first"), o)
	require.NoError(t, err)
	assert.Equal(t, 2, taken.Tries)
	stored := filepath.Join(taken.Copy.Path, filepath.FromSlash(taken.Copy.Record.Files[0].Stored))
	text, err := os.ReadFile(stored)
	require.NoError(t, err)
	assert.Contains(t, string(text), "3\x002\x00", "0x32")
	require.NoError(t, registry.Write(t.Context(), h.key("first"), volume(20)))
	plan := func() []Problem {
		p, err := PlanPutback(t.Context(), side("first"), taken.Copy, PutbackOptions{Seen: h.seen})
		require.NoError(t, err)
		defer p.Close()
		return p.Refused
	}
	assert.Empty(t, plan())
	other := append([]byte{}, text...)
	other[len(other)-20] = '9'
	require.NoError(t, os.WriteFile(stored, other, 0o600))
	refused := plan()
	require.Len(t, refused, 1)
	assert.Contains(t, refused[0].What, "not the one that was copied")
	state := keyState(other, old)
	taken.Copy.Record.Files[0].SHA256, taken.Copy.Record.Files[0].Size = state.Digest, state.Size
	elsewhere := []byte(string(text[:2]) + "W\x00")
	state = keyState(elsewhere, old)
	require.NoError(t, os.WriteFile(stored, elsewhere, 0o600))
	taken.Copy.Record.Files[0].SHA256, taken.Copy.Record.Files[0].Size = state.Digest, state.Size
	refused = plan()
	require.Len(t, refused, 1)
	assert.Contains(t, refused[0].What, "does not begin with")
}
