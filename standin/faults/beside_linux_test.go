package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/client"
	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/localpg"
	"endroit/published"
)

// before is the first commit whose service keeps the record as it is kept now.
const before = "148bbfd"

// earlier builds the program of that commit.
func earlier(t *testing.T) (bin string) {
	t.Helper()
	top, err := exec.Command("git", "rev-parse", "--show-toplevel").Output()
	if err == nil {
		err = exec.Command("git", "cat-file", "-e", before+"^{commit}").Run()
	}
	if err != nil {
		t.Skip("the history is not here: the program of", before, "cannot be built")
	}
	source, bin := t.TempDir(), t.TempDir()
	archive := exec.Command("git", "-C", string(bytes.TrimSpace(top)), "archive", before)
	unpack := exec.Command("tar", "-x", "-C", source)
	unpack.Stdin, err = archive.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, unpack.Start())
	require.NoError(t, archive.Run())
	require.NoError(t, unpack.Wait())
	build := exec.Command("go", "build", "-o", filepath.Join(bin, "endroit"), "./cmd/endroit")
	build.Dir = source
	out, err := build.CombinedOutput()
	require.NoError(t, err, string(out))
	return bin
}

// An upgrade: the service of an earlier version runs, then that of this one beside it on
// the same database, and people use both. Nothing is lost, not even fields that only a
// later version writes, and what the earlier one wrote is found with the later one.
func TestTwoVersionsSideBySide(t *testing.T) {
	ctx := t.Context()
	old := begin(t, earlier(t))
	bin := t.TempDir()
	out, err := exec.Command("go", "build", "-o", filepath.Join(bin, "endroit"), "endroit/cmd/endroit").CombinedOutput()
	require.NoError(t, err, string(out))

	old.accepts(t, "Lantern Hollow", 1)
	now := &ground{
		programs: bin, folder: old.folder, database: old.database, server: old.server, tokens: old.tokens,
		state: old.state, files: map[string][]byte{},
	}
	require.NoError(t, now.start())
	t.Cleanup(now.end)
	assert.Equal(t, []string{"Lantern Hollow"}, now.finds(t, "hollow"), "what was there is found by its second word")

	now.accepts(t, "Saltglass Reach", 2)
	old.accepts(t, "Tidewrack Deep", 3)
	old.accepts(t, "Lantern Hollow", 4)
	assert.Equal(t, []string{"Tidewrack Deep"}, now.finds(t, "tidewrack"))
	require.EventuallyWithT(t, func(t *assert.CollectT) {
		assert.Equal(t, []string{"Tidewrack Deep"}, now.finds(t, "deep"), "this version makes up for what the earlier one does not write")
	}, 20*time.Second, 100*time.Millisecond)
	assert.Contains(t, old.finds(t, ""), "Saltglass Reach")

	// Fields as a later version than both would write them.
	db, err := pgx.Connect(ctx, old.database)
	require.NoError(t, err)
	defer db.Close(ctx)
	for _, column := range []string{"doc", "shown"} {
		_, err = db.Exec(ctx, fmt.Sprintf(`UPDATE titles SET %[1]s = convert_to(replace(replace(convert_from(%[1]s, 'UTF8'),
			'"holds":"save"', '"holds":"save","later":{"a":[1]}'), '"os":"linux"', '"os":"linux","since":7'), 'UTF8')`, column))
		require.NoError(t, err)
	}
	old.accepts(t, "Saltglass Reach", 5)
	now.accepts(t, "Saltglass Reach", 6)
	old.accepts(t, "Tidewrack Deep", 7)
	require.NoError(t, now.settled(ctx, db))
	from, closer, err := published.At(now.address + "/published")
	require.NoError(t, err)
	defer closer.Close()
	news, err := now.state.Refresh(ctx, from)
	require.NoError(t, err, "whichever of the two signs")
	seen := map[string]int{}
	for name := range news.Files {
		shard := published.ShardIn(name)
		if shard == "" {
			continue
		}
		data, err := news.Get(ctx, name)
		require.NoError(t, err)
		s, err := manifest.ReadShard(shard, data)
		require.NoError(t, err)
		for _, x := range s.Titles {
			l := x.Variants[0].Locations[0]
			seen[x.Name] = l.Counts.Observations
			if x.Name != "Lantern Hollow" { // it was not changed since
				assert.JSONEq(t, `{"later":{"a":[1]}}`, string(l.Unknown), x.Name)
				assert.JSONEq(t, `{"since":7}`, string(x.Variants[0].Unknown), x.Name)
			}
		}
	}
	assert.Equal(t, map[string]int{"Lantern Hollow": 2, "Saltglass Reach": 3, "Tidewrack Deep": 2}, seen)

	// A later version can take the database over: both only read from then on.
	_, err = db.Exec(ctx, `UPDATE writing SET lowest = 1000`)
	require.NoError(t, err)
	for _, g := range []*ground{old, now} {
		c, err := client.New(g.address, g.tokens["mira"])
		require.NoError(t, err)
		c.Tries = 1
		raw, err := contribution.Encode(finding("Copperfen", "xdg-data:copperfen/*.sav", 999))
		require.NoError(t, err)
		_, err = c.Submit(ctx, "key-999", raw)
		assert.ErrorContains(t, err, "later version")
		assert.Contains(t, g.finds(t, ""), "Saltglass Reach", "it still answers")
	}
	_, err = db.Exec(ctx, `UPDATE writing SET lowest = 1`)
	require.NoError(t, err)

	// The earlier one does not start again.
	old.end()
	again := exec.CommandContext(ctx, filepath.Join(old.programs, "endroit"), "serve", "--database", old.database,
		"--address", "127.0.0.1:0", "--operations", "none")
	said, err := again.CombinedOutput()
	require.Error(t, err)
	assert.Contains(t, string(said), "run the version of endroit that changed it")
	now.accepts(t, "Tidewrack Deep", 8)
}

// begin starts PostgreSQL and a service.
func begin(t *testing.T, bin string) *ground {
	t.Helper()
	folder := t.TempDir()
	g := &ground{
		programs: bin, folder: folder, tokens: map[string]string{}, state: published.Open(filepath.Join(folder, "trust")),
		files: map[string][]byte{},
	}
	var err error
	g.server, err = localpg.Start(t.Context(), localpg.Options{Folder: filepath.Join(folder, "postgres"), Fast: true})
	require.NoError(t, err)
	t.Cleanup(func() { _ = g.server.Stop() })
	t.Cleanup(func() {
		g.end()
		if log, err := os.ReadFile(filepath.Join(g.folder, "service.log")); err == nil && t.Failed() {
			t.Logf("the services said:\n%s", log)
		}
	})
	require.NoError(t, g.prepare(t.Context()))
	return g
}

// accepts submits a finding to a service and accepts it there.
func (g *ground) accepts(t *testing.T, title string, n int) {
	t.Helper()
	mira, err := client.New(g.address, g.tokens["mira"])
	require.NoError(t, err)
	raw, err := contribution.Encode(finding(title, "xdg-data:"+manifest.Plain(title)+"/slots/*.sav", int64(n)))
	require.NoError(t, err)
	sent, err := mira.Submit(t.Context(), fmt.Sprint("key-", n), raw)
	require.NoError(t, err)
	anselm, err := client.New(g.address, g.tokens["anselm"])
	require.NoError(t, err)
	_, err = anselm.Accept(t.Context(), sent.Number)
	require.NoError(t, err)
}

// finds searches in a service.
func (g *ground) finds(t require.TestingT, text string) (names []string) {
	c, err := client.New(g.address, "")
	require.NoError(t, err)
	page, err := c.Titles(context.Background(), text, "")
	require.NoError(t, err)
	for _, x := range page.Items {
		names = append(names, x.Name)
	}
	return names
}
