package store

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"testing"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/standing"
	"endroit/localpg/pgtest"
	"endroit/published/publishedtest"
)

func TestMain(m *testing.M) { pgtest.Main(m, nil) }

// Of thousands of titles those are found whose places a draft could reach into, by
// whatever anchor they are named.
func TestTitlesNearADraft(t *testing.T) {
	ctx, database := t.Context(), pgtest.Database(t)
	s, err := Open(ctx, database)
	require.NoError(t, err)
	ids := map[string]string{} // names, by id
	put := func(name string, at ...string) {
		x := manifest.Title{ID: publishedtest.ID(name), Name: name, Variants: []manifest.Variant{{OS: "linux", Runtime: "native", Locations: []manifest.Location{}}}}
		for _, a := range at {
			x.Variants[0].Locations = append(x.Variants[0].Locations, manifest.Location{At: a, Holds: draft.Save, Standing: standing.Observed})
		}
		ids[x.ID] = name
		doc, err := manifest.Canonical(x)
		require.NoError(t, err)
		// As a program leaves it whose stems are of another version.
		_, err = s.Pool.Exec(ctx, `INSERT INTO titles (id, name, folded, version, doc, shown, listed, found_version, stems_version) VALUES ($1, $2, $2, 1, '', $3, '{}', 1, 0)
			ON CONFLICT (id) DO UPDATE SET shown = excluded.shown, stems_version = 0`, x.ID, name, doc)
		require.NoError(t, err)
	}
	const others = 2*stemsAtOnce + 100
	for i := range others {
		put(fmt.Sprintf("other %04d", i), fmt.Sprintf("xdg-data:other-%04d/", i), fmt.Sprintf("saved-games:Other %04d/*.sav", i), "install:saves/")
	}
	put("Tidewrack", "xdg-data:tidewrack/slots/slot{slot}.sav", "roaming-app-data:Tidewrack/{account}/profile.bin", "install:saves/")
	put("Saltglass", "home:.local/share/saltglass/", "registry:HKEY_CURRENT_USER/Software/Saltglass/")
	put("Copperfen", "prefix-drive:users/{user}/AppData/Roaming/Copperfen/", "documents:My Games/Copperfen/")
	near := func(at ...string) (names []string) {
		found, err := s.World().Near(ctx, at)
		require.NoError(t, err)
		for _, x := range found {
			names = append(names, ids[x.ID])
		}
		slices.Sort(names)
		return names
	}
	require.NoError(t, s.stemAll(ctx))
	for _, c := range []struct {
		at   []string
		want []string
	}{
		{[]string{"xdg-data:tidewrack/"}, []string{"Tidewrack"}},
		{[]string{"home:.local/share/tide*/slots/x"}, []string{"Tidewrack"}},
		{[]string{"xdg-data:SaltGlass/a", "documents:My Games/copperfen/x"}, []string{"Copperfen", "Saltglass"}},
		{[]string{"roaming-app-data:copperfen/a/b"}, []string{"Copperfen"}},
		{[]string{"registry:HKEY_CURRENT_USER/Software/Saltglass/Deep/"}, []string{"Saltglass"}},
		{[]string{"install:saves/", "no place", "xdg-data:*/"}, nil},
		{[]string{"saved-games:Other 0007/a.sav"}, []string{"other 0007"}},
	} {
		assert.Equal(t, c.want, near(c.at...), "%v", c.at)
	}
	assert.Len(t, near("xdg-data:oth*/x"), others)

	put("Tidewrack", "xdg-data:tides/")
	s.Close()
	s, err = Open(ctx, database)
	require.NoError(t, err)
	defer s.Close()
	assert.Equal(t, []string{"Tidewrack"}, near("xdg-data:tides/a"), "a start writes the stems that are of another version")
	assert.Empty(t, near("xdg-data:tidewrack/slots/a"), "its former place is free")
}

// Two acceptances wait for each other exactly where a stem of one begins one of the other.
func TestPlacesThatMeetAreOccupiedOneAfterTheOther(t *testing.T) {
	meet := func(a, b []string) bool {
		foldersA, aloneA := occupied(a)
		foldersB, aloneB := occupied(b)
		for i, f := range foldersA {
			if j, found := slices.BinarySearch(foldersB, f); found && (aloneA[i] || aloneB[j]) {
				return true
			}
		}
		return false
	}
	many := []string{"home:.config/zither/"}
	for i := range maxOccupied {
		many = append(many, fmt.Sprintf("home:.local/share/tidewrack/%d/", i))
	}
	for _, c := range []struct {
		a, b []string
		want bool
	}{
		{[]string{"home:.local/share/tidewrack/slots/"}, []string{"home:.local/share/tidewrack/slots/"}, true},
		{[]string{"home:.local/share/tidewrack/slots/"}, []string{"home:.local/share/tidewrack/"}, true},
		{[]string{"home:.local/share/tidewrack/"}, []string{"home:.local/share/tide"}, true}, // tide*
		{[]string{"home:"}, []string{"home:.local/share/tide"}, true},
		{[]string{"home:.local/share/tidewrack/"}, []string{"home:.local/share/saltglass/"}, false},
		{[]string{"home:.local/share/tidewrack/"}, []string{"home:.local/share/tidewrack-2/"}, false},
		{[]string{"home:.local/share/tidewrack/"}, []string{"system-drive:.local/share/tidewrack/"}, false},
		{many, []string{"home:.local/share/tidewrack/5/slot"}, true},
		{many, []string{"home:.config/zither/"}, true},
		{many, []string{"system-drive:games/"}, false},
	} {
		assert.Equal(t, c.want, meet(c.a, c.b), "%v and %v", c.a, c.b)
		assert.Equal(t, c.want, meet(c.b, c.a), "%v and %v", c.b, c.a)
	}

	// In the database: one waits, the other does not.
	ctx := t.Context()
	s, err := Open(ctx, pgtest.Database(t))
	require.NoError(t, err)
	defer s.Close()
	first, err := s.Pool.Begin(ctx)
	require.NoError(t, err)
	defer func() { _ = first.Rollback(context.Background()) }()
	require.NoError(t, (&world{db: first, accepting: true}).ask(ctx, lockFolders, foldersOf([]string{"home:.local/share/tidewrack/"}), func(*pgx.Batch) {}))
	for stem, waits := range map[string]bool{"home:.local/share/saltglass/": false, "home:.local/share/tidewrack/slots/": true, "home:.local/share/t": true} {
		err := pgx.BeginFunc(ctx, s.Pool, func(tx pgx.Tx) error {
			if _, err := tx.Exec(ctx, `SET LOCAL lock_timeout = '200ms'`); err != nil {
				return err
			}
			return (&world{db: tx, accepting: true}).ask(ctx, lockFolders, foldersOf([]string{stem}), func(*pgx.Batch) {})
		})
		var p *pgconn.PgError
		assert.Equal(t, waits, errors.As(err, &p) && p.Code == "55P03", "%s: %v", stem, err)
	}
}
