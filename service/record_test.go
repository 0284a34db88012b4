package service_test

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/client"
	"endroit/core/contribution"
	"endroit/core/manifest"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/service"
	"endroit/service/wire"
	"endroit/standin/launchers"
)

// accepted submits a body and accepts it.
func (w *running) accepted(t *testing.T, who string, raw []byte) int64 {
	t.Helper()
	sent, err := w.people[who].Submit(t.Context(), fmt.Sprint(time.Now().UnixNano()), raw)
	require.NoError(t, err)
	_, err = w.people["anselm"].Accept(t.Context(), sent.Number)
	require.NoError(t, err)
	return sent.Number
}

func encode(t *testing.T, b contribution.Body) []byte {
	t.Helper()
	raw, err := contribution.Encode(b)
	require.NoError(t, err)
	return raw
}

func titleEdit(id, title string, e contribution.TitleEdit) *contribution.TitleEdit {
	e.Name, e.TitleID, e.Title, e.Because = contribution.TitleKind, id, title, "as its box says"
	return &e
}

// What is wrong can be put right, and what was stays to be seen.
func TestARecordIsCorrected(t *testing.T) {
	w, ctx := start(t), t.Context()
	first := w.accepted(t, "mira", body(t, "Tidewrak", "xdg-data:tidewrack/slots/", "xdg-data:tidewrack/slots/slot1.sav"))
	id := w.idOf(t, "Tidewrak")
	w.published(t)
	w.accepted(t, "tobin", encode(t, titleEdit(id, "Tidewrak", contribution.TitleEdit{Rename: &contribution.Rename{Name: "Tidewrack"}})))
	assert.Equal(t, id, w.idOf(t, "Tidewrack"))

	t1, err := w.as(t, "").Title(ctx, id)
	require.NoError(t, err)
	v := t1.Variants[0]
	place := record.Place{Variant: record.Combination{Store: v.Store, Ref: v.Ref, Launcher: v.Launcher, OS: v.OS, Runtime: v.Runtime}, At: "xdg-data:tidewrack/slots/", Holds: "save"}
	var elsewhere contribution.Finding
	require.NoError(t, json.Unmarshal(body(t, "Tidewrack", "xdg-config:tidewrack/x", "xdg-config:tidewrack/x.sav"), &elsewhere))
	dispute := &contribution.Dispute{Head: contribution.Head{Name: contribution.DisputeKind}, TitleID: id, Title: "Tidewrack", Location: place, Version: "1.4", Because: "1.4 saves elsewhere", Footprint: elsewhere.Footprint}
	sent, err := w.people["ysolde"].Submit(ctx, "dispute", encode(t, dispute))
	require.NoError(t, err)
	shown, err := w.people["anselm"].Contribution(ctx, sent.Number)
	require.NoError(t, err)
	assert.Equal(t, "dispute", shown.Kind)
	assert.Equal(t, "1.4 saves elsewhere", shown.Reason)
	assert.Contains(t, shown.Statement, "dispute xdg-data:tidewrack/slots/ (progress)")
	require.Len(t, shown.Changes, 1)
	assert.Contains(t, shown.Changes[0].Text, "disputed instead of observed")
	_, err = w.people["anselm"].Accept(ctx, sent.Number)
	require.NoError(t, err)

	// A widening waits while the location is withdrawn: then it cannot be accepted.
	change := contribution.LocationChange{Head: contribution.Head{Name: contribution.LocationKind}, TitleID: id, Title: "Tidewrack", Location: place, Because: "x"}
	wider, gone := change, change
	wider.To, gone.Withdraw = "xdg-data:tidewrack/", true
	waits, err := w.people["mira"].Submit(ctx, "wider", encode(t, &wider))
	require.NoError(t, err)
	w.accepted(t, "tobin", encode(t, &gone))
	shown, err = w.people["anselm"].Contribution(ctx, waits.Number)
	require.NoError(t, err)
	assert.Contains(t, shown.Refused, "is withdrawn")
	_, err = w.people["anselm"].Accept(ctx, waits.Number)
	assert.Equal(t, wire.ProblemConflict, problem(t, err).Type)
	assert.Contains(t, err.Error(), "is withdrawn")
	_, err = w.people["ysolde"].Submit(ctx, "again", encode(t, dispute))
	assert.Contains(t, problem(t, err).Detail, "there is nothing to dispute")

	now := w.published(t)
	l := now.titles[0].Variants[0].Locations[0]
	assert.Equal(t, standing.Withdrawn, l.Standing)
	assert.Equal(t, standing.Counts{Observations: 1, People: 1, Disputes: 1}, l.Counts)

	page, err := w.as(t, "").History(ctx, id, "")
	require.NoError(t, err)
	var did []string
	for _, x := range page.Items {
		did = append(did, x.Kind+" by "+x.By)
		assert.NotEmpty(t, x.Changes, x.Statement)
		require.NotNil(t, x.Revision)
	}
	assert.Equal(t, []string{"location by tobin", "dispute by ysolde", "title by tobin", "finding by mira"}, did)
	assert.Equal(t, first, page.Items[3].Contribution)
	assert.Equal(t, "a new title: Tidewrak", page.Items[3].Changes[0].Text)
	found, err := w.as(t, "").CompareTitle(ctx, id, 1, now.news.Revision)
	require.NoError(t, err)
	assert.Equal(t, wire.Comparison{From: 1, To: 4, Changes: found.Changes}, found)
	assert.Equal(t, manifest.Renamed, found.Changes[0].What)
	status, _, text := w.raw(t, "GET", "/api/v1/titles/"+id+"/comparison?from=2&to=2", "", nil)
	assert.Equal(t, 200, status)
	assert.Contains(t, text, `"changes":[]`)
	for path, want := range map[string]int{"?from=x&to=1": 422, "?from=0&to=0": 422, "?from=0&to=99": 404, "?from=0&to=1&by=day": 422, "?from=-1&to=1": 422} {
		status, _, text := w.raw(t, "GET", "/api/v1/titles/"+id+"/comparison"+path, "", nil)
		assert.Equal(t, want, status, "%s: %s", path, text)
	}

	// Who is forgotten has no name any more, and nothing that was published changes.
	require.NoError(t, w.service.Forget(ctx, "tobin"))
	require.NoError(t, w.service.Rename(ctx, "ysolde", "yseult"))
	page, err = w.as(t, "").History(ctx, id, "")
	require.NoError(t, err)
	assert.Empty(t, page.Items[0].By)
	assert.Equal(t, "yseult", page.Items[1].By)
	_, err = w.as(t, "").Login(ctx, "tobin", password)
	assert.Error(t, err)
	assert.Equal(t, now.news.Revision, w.published(t).news.Revision)
	assert.ErrorIs(t, w.service.Forget(ctx, "tobin"), service.ErrNoAccount)
	assert.ErrorContains(t, w.service.Rename(ctx, "mira", "yseult"), "taken")
	of, err := w.people["anselm"].Contribution(ctx, page.Items[0].Contribution)
	require.NoError(t, err)
	assert.Empty(t, of.By)
	list, err := w.people["anselm"].Contributions(ctx, client.Filter{State: "accepted"})
	require.NoError(t, err)
	for _, x := range list.Items {
		assert.NotContains(t, x.By, "forgotten")
	}
	for _, name := range []string{"forgotten-1", "somebody"} {
		assert.ErrorContains(t, w.service.Rename(ctx, "mira", name), "choose another name")
		assert.ErrorContains(t, w.service.AddPerson(ctx, name, password, false), "choose another name")
	}
}

// Merged ids lead on for ever, on every way.
func TestMergedTitlesLeadOn(t *testing.T) {
	w, ctx := start(t), t.Context()
	w.accepted(t, "mira", tidewrack(t))
	w.accepted(t, "mira", body(t, "Tide Wrack", "xdg-data:tide-wrack/a", "xdg-data:tide-wrack/a"))
	into, from := w.idOf(t, "Tidewrack"), w.idOf(t, "Tide Wrack")
	there := encode(t, titleEdit(from, "Tide Wrack", contribution.TitleEdit{MergeInto: into}))
	back := encode(t, titleEdit(into, "Tidewrack", contribution.TitleEdit{MergeInto: from}))
	one, err := w.people["tobin"].Submit(ctx, "there", there)
	require.NoError(t, err)
	two, err := w.people["tobin"].Submit(ctx, "back", back)
	require.NoError(t, err)
	// Both at once: one of them is accepted, the other would lead in a circle.
	var all sync.WaitGroup
	errs := make([]error, 2)
	for i, n := range []int64{one.Number, two.Number} {
		all.Go(func() { _, errs[i] = w.people[[]string{"anselm", "brida"}[i]].Accept(ctx, n) })
	}
	all.Wait()
	if errs[0] != nil {
		into, from, errs[0], errs[1] = from, into, errs[1], errs[0]
	}
	require.NoError(t, errs[0])
	assert.Equal(t, wire.ProblemConflict, problem(t, errs[1]).Type)

	shown, err := w.as(t, "").Title(ctx, from)
	require.NoError(t, err)
	assert.Equal(t, into, shown.ID)
	assert.Len(t, shown.Variants, 2)
	found, err := w.as(t, "").Titles(ctx, "tide", "")
	require.NoError(t, err)
	require.Len(t, found.Items, 1, "it is found once, by either name")
	now := w.published(t)
	assert.Equal(t, 1, now.news.Titles)
	require.Len(t, now.titles, 2)
	for _, x := range now.titles {
		if x.ID == from {
			assert.Equal(t, into, x.MergedInto)
		}
	}
	// A draft for the merged title's edition goes to what it became.
	w.accepted(t, "ysolde", body(t, "Tide Wrack", "xdg-data:tide-wrack/b", "xdg-data:tide-wrack/b"))
	assert.Len(t, w.published(t).titles, 2)
}

// Two games can have one name; what joins which is told, and asked where it is not known.
func TestTwoTitlesOfOneName(t *testing.T) {
	w, ctx := start(t), t.Context()
	w.accepted(t, "mira", tidewrack(t))
	raw := strings.Replace(string(body(t, "Tidewrack", "xdg-data:other/a", "xdg-data:other/a")), `"418820"`, `"99"`, 1)
	w.accepted(t, "tobin", []byte(strings.Replace(raw, `"title": "Tidewrack"`, `"title": "Tidewrack", "title_id": "new"`, 1)))
	page, err := w.as(t, "").Titles(ctx, "Tidewrack", "")
	require.NoError(t, err)
	assert.Len(t, page.Items, 2)
	_, err = w.people["ysolde"].Submit(ctx, "k", []byte(strings.Replace(raw, `"99"`, `"100"`, 1)))
	p := problem(t, err)
	assert.Equal(t, "draft.title_id", p.Field)
	assert.Contains(t, p.Detail, page.Items[0].ID)
}

// A program that knows less than the database demands reads, and does not write.
func TestAnOutdatedProgramOnlyReads(t *testing.T) {
	w, ctx := start(t), t.Context()
	sent, err := w.people["mira"].Submit(ctx, "k", tidewrack(t))
	require.NoError(t, err)
	require.NoError(t, w.sql(t, `UPDATE writing SET lowest = 99`))
	_, err = w.people["mira"].Submit(ctx, "k2", tidewrack(t))
	assert.Equal(t, wire.ProblemOutdated, problem(t, err).Type)
	assert.Equal(t, http.StatusServiceUnavailable, problem(t, err).Status)
	_, err = w.people["anselm"].Accept(ctx, sent.Number)
	assert.Equal(t, wire.ProblemOutdated, problem(t, err).Type)
	assert.ErrorContains(t, w.service.PublishOnce(ctx, signer()), "a later version of endroit has taken the database over")
	_, err = w.people["anselm"].Contribution(ctx, sent.Number)
	assert.NoError(t, err)
}

// Fields of a later version survive what this one does to a record.
func TestFieldsOfALaterVersionSurvive(t *testing.T) {
	w, ctx := start(t), t.Context()
	w.accepted(t, "mira", tidewrack(t))
	db, err := pgx.Connect(ctx, w.database)
	require.NoError(t, err)
	defer db.Close(context.WithoutCancel(ctx))
	_, err = db.Exec(ctx, `UPDATE titles SET doc = convert_to(replace(convert_from(doc, 'UTF8'), '{"at":', '{"warnings":["x"],"at":'), 'UTF8')`)
	require.NoError(t, err)
	w.accepted(t, "tobin", from("b", tidewrack(t)))
	for name, data := range w.published(t).tree {
		if strings.HasPrefix(name, "titles/") {
			assert.Contains(t, string(data), `"warnings":["x"]`)
		}
	}
}

// A title and a launcher's sheet can have one id: they are never taken for each other.
func TestASheetAndATitleOfOneID(t *testing.T) {
	w, ctx := start(t), t.Context()
	name, id := "", ""
	for i := 0; id < "a"; i++ { // a sheet's begins with a letter
		name = fmt.Sprintf("Tidewrack %d", i)
		w.accepted(t, "mira", body(t, name, fmt.Sprintf("xdg-data:tidewrack-%d/", i), fmt.Sprintf("xdg-data:tidewrack-%d/a", i)))
		id = w.idOf(t, name)
	}
	w.accepted(t, "tobin", sheetBody(t, launchers.LarderSheet, "id: larder", "id: '"+id+"'"))
	now := w.published(t)
	require.Len(t, now.sheets, 1)
	assert.Equal(t, id, now.sheets[0].ID)
	assert.True(t, slices.ContainsFunc(now.titles, func(x manifest.Title) bool { return x.ID == id && x.Name == name }))
	title, err := w.as(t, "").Title(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, name, title.Name)
	launcher, err := w.as(t, "").Launcher(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, "Larder", launcher.Name)
	history, err := w.as(t, "").History(ctx, id, "")
	require.NoError(t, err)
	require.Len(t, history.Items, 1)
	assert.Equal(t, "finding", history.Items[0].Kind)
	var page wire.Page[wire.ContributionListed]
	status, text := w.call(t, "anselm", "GET", "/api/v1/contributions?title="+id, "", &page)
	require.Equal(t, 200, status, text)
	assert.Len(t, page.Items, 1)
}

// Of two contributions that rename a title at once one is accepted; the other says what the
// name is by now.
func TestTwoRenamesAtOnce(t *testing.T) {
	w, ctx := start(t), t.Context()
	w.accepted(t, "mira", tidewrack(t))
	id := w.idOf(t, "Tidewrack")
	var numbers []int64
	for i, name := range []string{"TideWrack", "Tide-Wrack"} {
		sent, err := w.people["tobin"].Submit(ctx, fmt.Sprint("rename", i), encode(t, titleEdit(id, "Tidewrack", contribution.TitleEdit{Rename: &contribution.Rename{Name: name}})))
		require.NoError(t, err)
		numbers = append(numbers, sent.Number)
	}
	var all sync.WaitGroup
	errs := make([]error, 2)
	for i, n := range numbers {
		all.Go(func() { _, errs[i] = w.people[[]string{"anselm", "brida"}[i]].Accept(ctx, n) })
	}
	all.Wait()
	won := 0
	if errs[0] != nil {
		won = 1
	}
	require.NoError(t, errs[won])
	p := problem(t, errs[1-won])
	assert.Contains(t, p.Detail, "by now")
	title, err := w.as(t, "").Title(ctx, id)
	require.NoError(t, err)
	assert.Equal(t, []string{"TideWrack", "Tide-Wrack"}[won], title.Name)
	assert.Equal(t, 2, title.Changes)
}

// What was accepted is published soon after it is told, and if that was lost, with the
// process that should have told, it is published all the same.
func TestALostNoticeIsMadeUpFor(t *testing.T) {
	w := start(t)
	ctx, cancel := context.WithCancel(t.Context())
	var publisher sync.WaitGroup
	publisher.Go(func() { w.service.Publish(ctx, signer()) })
	defer publisher.Wait()
	defer cancel()
	unpublished := func() (n int) {
		db, err := pgx.Connect(t.Context(), w.database)
		require.NoError(t, err)
		defer db.Close(t.Context())
		require.NoError(t, db.QueryRow(t.Context(), `SELECT count(*) FROM titles WHERE published <> version`).Scan(&n))
		return n
	}
	w.accepted(t, "mira", tidewrack(t))
	require.Eventually(t, func() bool { return unpublished() == 0 }, time.Minute, 50*time.Millisecond)
	require.NoError(t, w.sql(t, `UPDATE titles SET published = 0`), "as after an acceptance that nobody was told of")
	require.Equal(t, 1, unpublished())
	assert.Eventually(t, func() bool { return unpublished() == 0 }, time.Minute, 50*time.Millisecond)
}

// Lists are narrowed by the columns beside a contribution.
func TestContributionsAreFiltered(t *testing.T) {
	w, ctx := start(t), t.Context()
	w.accepted(t, "mira", tidewrack(t))
	id := w.idOf(t, "Tidewrack")
	w.accepted(t, "tobin", encode(t, titleEdit(id, "Tidewrack", contribution.TitleEdit{Describe: &contribution.Description{Year: 2019}})))
	for query, want := range map[string]int{"": 2, "?kind=title": 1, "?kind=dispute": 0, "?system=linux": 1, "?system=macos": 0, "?title=" + id: 2, "?title=0123456789abcdef": 0, "?state=waiting": 0} {
		var page wire.Page[wire.ContributionListed]
		status, text := w.call(t, "anselm", "GET", "/api/v1/contributions"+query, "", &page)
		require.Equal(t, 200, status, text)
		assert.Len(t, page.Items, want, query)
	}
	for query, field := range map[string]string{"?kind=x": "kind", "?system=beos": "system"} {
		var p wire.Problem
		status, _ := w.call(t, "anselm", "GET", "/api/v1/contributions"+query, "", &p)
		assert.Equal(t, 422, status)
		assert.Equal(t, field, p.Field)
	}
	mine, err := w.people["mira"].Contributions(ctx, client.Filter{})
	require.NoError(t, err)
	assert.Len(t, mine.Items, 1)
}

// The tree in a folder is what the service serves, and is written once.
func TestTheTreeIsWritten(t *testing.T) {
	w, ctx := start(t), t.Context()
	folder := t.TempDir()
	_, _, err := w.service.WriteTree(ctx, folder)
	assert.ErrorIs(t, err, service.ErrNothingPublished)
	w.accepted(t, "mira", tidewrack(t))
	w.published(t)
	written, all, err := w.service.WriteTree(ctx, folder)
	require.NoError(t, err)
	assert.Equal(t, all, written)
	written, _, err = w.service.WriteTree(ctx, folder)
	require.NoError(t, err)
	assert.Zero(t, written)
	w.accepted(t, "tobin", tidewrack(t))
	w.published(t)
	written, _, err = w.service.WriteTree(ctx, folder)
	require.NoError(t, err)
	assert.Equal(t, 4, written, "a shard, two lists and the timestamp")
}
