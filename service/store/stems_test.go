package store

import (
	"encoding/json"
	"fmt"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/localpg/pgtest"
)

func TestMain(m *testing.M) { pgtest.Main(m, nil) }

// Of thousands of titles those are found whose places a draft could reach into, by
// whatever anchor they are named.
func TestTitlesNearADraft(t *testing.T) {
	ctx, database := t.Context(), pgtest.Database(t)
	s, err := Open(ctx, database)
	require.NoError(t, err)
	put := func(name string, at ...string) {
		x := manifest.Title{ID: manifest.ID(name), Name: name, Variants: []manifest.Variant{{OS: "linux", Runtime: "native"}}}
		for _, a := range at {
			x.Variants[0].Locations = append(x.Variants[0].Locations, manifest.Location{At: a, Holds: draft.Save})
		}
		doc, err := json.Marshal(x)
		require.NoError(t, err)
		// As a program of an earlier version leaves it.
		_, err = s.Pool.Exec(ctx, `INSERT INTO titles (id, name, folded, revision, doc) VALUES ($1, $2, $2, 1, $3)
			ON CONFLICT (id) DO UPDATE SET doc = excluded.doc, revision = titles.revision + 1`, x.ID, name, doc)
		require.NoError(t, err)
	}
	const others = 2*stemsAtOnce + 100
	for i := range others {
		put(fmt.Sprintf("other %04d", i), fmt.Sprintf("xdg-data:other-%04d/", i), fmt.Sprintf("saved-games:Other %04d/*.sav", i), "install:saves/")
	}
	put("Tidewrack", "xdg-data:tidewrack/slots/slot{slot}.sav", "roaming-app-data:Tidewrack/{account}/profile.bin", "install:saves/")
	put("Saltglass", "home:.local/share/saltglass/", "registry:HKEY_CURRENT_USER/Software/Saltglass/")
	put("Copperfen", "prefix-drive:users/{user}/AppData/Roaming/Copperfen/", "documents:My Games/Copperfen/")
	near := func(title string, at ...string) (ids []string) {
		d := &draft.Draft{Title: title}
		for _, a := range at {
			d.Locations = append(d.Locations, draft.Location{At: a, Holds: draft.Save})
		}
		found, err := s.TitlesNear(ctx, d)
		require.NoError(t, err)
		for _, x := range found {
			ids = append(ids, x.ID)
		}
		return ids
	}
	assert.Len(t, near("Nobody's"), others+3, "those whose stems are not written could be any")

	s.Close()
	if s, err = Open(ctx, database); !assert.NoError(t, err) {
		return
	}
	defer func() { s.Close() }()
	for _, c := range []struct {
		at   []string
		want []string
	}{
		{[]string{"xdg-data:tidewrack/"}, []string{"tidewrack"}},
		{[]string{"home:.local/share/tide*/slots/x"}, []string{"tidewrack"}},
		{[]string{"xdg-data:SaltGlass/a", "documents:My Games/copperfen/x"}, []string{"copperfen", "saltglass"}},
		{[]string{"roaming-app-data:copperfen/a/b"}, []string{"copperfen"}},
		{[]string{"registry:HKEY_CURRENT_USER/Software/Saltglass/Deep/"}, []string{"saltglass"}},
		{[]string{"install:saves/", "no place", "xdg-data:*/"}, nil},
		{[]string{"saved-games:Other 0007/a.sav"}, []string{"other-0007"}},
	} {
		assert.Equal(t, c.want, near("Nobody's", c.at...), "%v", c.at)
	}
	assert.Equal(t, []string{"saltglass"}, near("saltglass"), "a draft's own title")
	assert.Len(t, near("x", "xdg-data:oth*/x"), others)

	// A title that such a program changes is held against everything again, until the
	// next start.
	put("Tidewrack", "xdg-data:tides/")
	assert.Equal(t, []string{"tidewrack"}, near("x", "xdg-data:saltmarsh/"))
	_, err = s.Pool.Exec(ctx, `UPDATE stems_made SET version = version + 1`)
	require.NoError(t, err)
	s.Close()
	s, err = Open(ctx, database)
	require.NoError(t, err)
	assert.Empty(t, near("x", "xdg-data:saltmarsh/"))
	assert.Equal(t, []string{"tidewrack"}, near("x", "xdg-data:tides/a"))
	assert.Empty(t, near("x", "xdg-data:tidewrack/slots/a"), "its former place is free")
	rows, err := s.Pool.Query(ctx, `SELECT version FROM stems_made`)
	require.NoError(t, err)
	made, err := pgx.CollectRows(rows, pgx.RowTo[int])
	require.NoError(t, err)
	assert.Equal(t, []int{place.StemsVersion}, made)
}
