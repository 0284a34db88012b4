package service_test

import (
	"bufio"
	"bytes"
	"context"
	"crypto/rand"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"hash/crc32"
	"io"
	"log/slog"
	"net"
	"net/http"
	"net/http/cookiejar"
	"net/http/httptest"
	"os"
	"path/filepath"
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
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/core/trace"
	"endroit/localpg/pgtest"
	"endroit/publication"
	"endroit/published"
	"endroit/service"
	"endroit/service/store"
	"endroit/service/wire"
	"endroit/standin/launchers"
	"endroit/standin/world"
)

func TestMain(m *testing.M) {
	http.DefaultTransport = openapi
	pgtest.Main(m, func() error {
		if complaints := openapi.Finish(); len(complaints) > 0 {
			return errors.New("the service and its OpenAPI document differ:\n" + strings.Join(complaints, "\n"))
		}
		return nil
	})
}

const password = "a long enough password"

// running is a service with people: mira and tobin contribute, anselm and brida
// review.
type running struct {
	service  *service.Service
	address  string
	database string
	people   map[string]*client.Client
	tokens   map[string]string
	stop     func() error
	log      *bytes.Buffer
}

// start starts a service on a port of its own, with a database of its own.
func start(t *testing.T) *running {
	t.Helper()
	w := &running{database: pgtest.Database(t), people: map[string]*client.Client{}, tokens: map[string]string{}, log: &bytes.Buffer{}}
	w.listen(t, "127.0.0.1:0")
	for _, name := range []string{"mira", "tobin", "ysolde", "anselm", "brida"} {
		require.NoError(t, w.service.AddPerson(t.Context(), name, password, name == "anselm" || name == "brida"))
		token, err := w.as(t, "").Login(t.Context(), name, password)
		require.NoError(t, err)
		w.people[name], w.tokens[name] = w.as(t, token.Token), token.Token
	}
	return w
}

type lockedWriter struct {
	mu sync.Mutex
	to io.Writer
}

func (l *lockedWriter) Write(p []byte) (int, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	return l.to.Write(p)
}

func (w *running) listen(t *testing.T, address string, proxies ...*net.IPNet) {
	t.Helper()
	s, err := service.New(t.Context(), service.Config{Database: w.database, Proxies: proxies, Log: slog.New(slog.NewJSONHandler(&lockedWriter{to: w.log}, nil))})
	require.NoError(t, err)
	l, err := net.Listen("tcp", address)
	require.NoError(t, err)
	ctx, cancel := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- s.Serve(ctx, l) }()
	once := sync.OnceValue(func() error {
		cancel()
		err := <-ended
		s.Close()
		return err
	})
	t.Cleanup(func() { assert.NoError(t, once()) })
	w.service, w.address, w.stop = s, "http://"+l.Addr().String(), once
}

func (w *running) as(t *testing.T, token string) *client.Client {
	t.Helper()
	c, err := client.New(w.address, token)
	require.NoError(t, err)
	c.Pause = 10 * time.Millisecond
	return c
}

// raw makes a call by hand.
func (w *running) raw(t *testing.T, method, path, body string, header map[string]string) (status int, headers http.Header, answer string) {
	t.Helper()
	r, err := http.NewRequest(method, w.address+path, strings.NewReader(body))
	require.NoError(t, err)
	for k, v := range header {
		r.Header.Set(k, v)
	}
	a, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer a.Body.Close()
	text, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	return a.StatusCode, a.Header, string(text)
}

// from is a contribution as it comes from somebody's machine.
func from(machine string, raw []byte) []byte {
	return []byte(strings.Replace(string(raw), `"kind": "finding"`, `"kind": "finding", "machine": "`+strings.Repeat(machine, 32)+`"`, 1))
}

// refOf is the reference that the tests' store has for a title: of "Tidewrack" 418820.
func refOf(title string) string {
	if strings.EqualFold(title, "Tidewrack") {
		return "418820"
	}
	return fmt.Sprint(700_000 + crc32.ChecksumIEEE([]byte(title))%100_000)
}

// body is a contribution for a title with one save location.
func body(t *testing.T, title, at, file string) []byte {
	t.Helper()
	b := &contribution.Finding{
		Head: contribution.Head{Name: contribution.FindingKind},
		Draft: &draft.Draft{Format: draft.Format, Title: title, Edition: &trace.Edition{Store: "quayside", Ref: refOf(title), Version: "1.2"}, Launcher: "quayside", OS: "linux", Runtime: "native",
			Locations: []draft.Location{{At: at, Holds: draft.Save, Why: []string{"it was written near the cue saved"}}}},
		Footprint: &footprint.Footprint{Format: footprint.Format, OS: "linux", Runtime: "native", Observer: "seccomp user notification", Programs: []string{"tidewrack"}, Cues: []trace.Cue{{At: 3, Word: "saved"}}, Gaps: []trace.Gap{}, Counts: map[footprint.Kind]int{footprint.Save: 1},
			Files: []footprint.File{{Place: file, Kind: footprint.Save, Confidence: 0.9, Findings: []footprint.Finding{{ID: "save-name", Facts: footprint.Facts{Word: "save"}}}, Writes: 1, Before: trace.State{Is: trace.IsAbsent}, After: trace.State{Is: trace.IsFile, Size: 9, Time: time.Date(2026, 11, 24, 1, 2, 3, 0, time.UTC)}}}},
	}
	raw, err := contribution.Encode(b)
	require.NoError(t, err)
	return raw
}

func tidewrack(t *testing.T) []byte {
	return body(t, "Tidewrack", "xdg-data:tidewrack/slots/slot{slot}.sav", "xdg-data:tidewrack/slots/slot1.sav")
}

// problem returns what the service said was wrong.
func problem(t *testing.T, err error) *wire.Problem {
	t.Helper()
	var p *wire.Problem
	require.ErrorAs(t, err, &p)
	return p
}

func TestTraceToManifest(t *testing.T) {
	w, ctx := start(t), t.Context()
	sent, err := w.people["mira"].Submit(ctx, "key-1", tidewrack(t))
	require.NoError(t, err)
	assert.False(t, sent.Again)

	queue, err := w.people["anselm"].Contributions(ctx, client.Filter{State: "waiting"})
	require.NoError(t, err)
	require.Len(t, queue.Items, 1)
	assert.Equal(t, "Tidewrack", queue.Items[0].Title)
	assert.Equal(t, "mira", queue.Items[0].By)

	shown, err := w.people["anselm"].Contribution(ctx, sent.Number)
	require.NoError(t, err)
	assert.True(t, shown.MayDecide)
	assert.Equal(t, manifest.NewTitle, shown.Changes[0].What)
	assert.Equal(t, []int{0}, shown.Coverage[0].Files)
	assert.Equal(t, "~/.local/share/tidewrack/slots/slot{slot}.sav", shown.Locations[0].Usual)
	assert.Equal(t, "record 1 location of Tidewrack", shown.Statement)

	assert.Empty(t, w.published(t).titles)
	_, err = w.people["anselm"].Accept(ctx, sent.Number)
	require.NoError(t, err)
	now := w.published(t)
	assert.Equal(t, 2, now.news.Revision)
	require.Len(t, now.titles, 1)
	assert.Empty(t, manifest.CheckID(now.titles[0].ID), "its id is opaque")
	l := now.titles[0].Variants[0].Locations[0]
	assert.Equal(t, "xdg-data:tidewrack/slots/slot{slot}.sav", l.At)
	assert.Equal(t, standing.Counts{Observations: 1, People: 1}, l.Counts)
	assert.Equal(t, []string{"1.2"}, now.titles[0].Editions[0].Versions)
	for path, data := range now.tree {
		for _, private := range []string{"mira", "anselm"} {
			assert.NotContains(t, string(data), private, path)
		}
	}
	shown, err = w.people["mira"].Contribution(ctx, sent.Number)
	require.NoError(t, err)
	require.NotNil(t, shown.Revision)
	assert.Equal(t, 2, *shown.Revision)
	assert.Equal(t, manifest.NewTitle, shown.Changes[0].What, "what it changed can still be seen")

	assert.Equal(t, 2, w.published(t).news.Revision, "without a change there is no revision")
	status, header, _ := w.raw(t, "GET", "/published/metadata/1.targets.json", "", nil)
	assert.Equal(t, 200, status, "an old revision is still there")
	assert.Contains(t, header.Get("Cache-Control"), "immutable")
	tag := header.Get("ETag")
	status, _, _ = w.raw(t, "GET", "/published/metadata/1.targets.json", "", map[string]string{"If-None-Match": tag})
	assert.Equal(t, 304, status)

	found, err := w.as(t, "").Titles(ctx, "tidew", "")
	require.NoError(t, err)
	require.Len(t, found.Items, 1)
	title, err := w.as(t, "").Title(ctx, found.Items[0].ID)
	require.NoError(t, err)
	shownAt := title.Variants[0].Locations[0]
	assert.Contains(t, shownAt.Reason, "nobody else has confirmed it yet")
	assert.Equal(t, "mira", shownAt.Evidence[0].By)
	assert.Equal(t, "anselm", shownAt.Evidence[0].ReviewedBy)

	// A second person saw it too: once on the same machine, then on another one.
	for i, c := range []struct {
		who, machine string
		want         standing.Standing
	}{{"mira", "a", standing.Observed}, {"tobin", "a", standing.Observed}, {"tobin", "b", standing.Confirmed}} {
		again, err := w.people[c.who].Submit(ctx, fmt.Sprint("again-", i), from(c.machine, tidewrack(t)))
		require.NoError(t, err)
		_, err = w.people["anselm"].Accept(ctx, again.Number)
		require.NoError(t, err)
		assert.Equal(t, c.want, w.published(t).titles[0].Variants[0].Locations[0].Standing, "%+v", c)
	}

	status, _, revisions := w.raw(t, "GET", "/api/v1/revisions?limit=2", "", nil)
	assert.Equal(t, 200, status)
	var page wire.Page[wire.RevisionShown]
	require.NoError(t, json.Unmarshal([]byte(revisions), &page))
	require.Len(t, page.Items, 2)
	assert.Equal(t, []wire.RevisionChanged{{TitleID: title.ID, Name: "Tidewrack"}}, page.Items[0].Changes)
	assert.Equal(t, "accepted", page.Items[0].Because)
	status, _, rest := w.raw(t, "GET", "/api/v1/revisions?cursor="+page.Next, "", nil)
	assert.Equal(t, 200, status)
	assert.Contains(t, rest, `"because":"begun"`)
	var one wire.RevisionShown
	status, _, text := w.raw(t, "GET", "/api/v1/revisions/2", "", nil)
	assert.Equal(t, 200, status)
	require.NoError(t, json.Unmarshal([]byte(text), &one))
	assert.Equal(t, 1, one.Titles)
}

// tree is what is published.
type tree struct {
	news   *published.News
	titles []manifest.Title
	sheets []manifest.Sheet
	tree   map[string][]byte
}

// signer signs for all tests.
var signer = sync.OnceValue(func() *publication.Signer {
	folder, err := os.MkdirTemp("", "endroit-keys-")
	if err != nil {
		panic(err)
	}
	defer os.RemoveAll(folder)
	key, err := publication.NewKey()
	if err == nil {
		err = publication.Make(filepath.Join(folder, "keys"), publication.Plan{Name: "The tests", Root: []*publication.Key{key}, Threshold: 1}, time.Now())
	}
	if err != nil {
		panic(err)
	}
	s, err := publication.Open(filepath.Join(folder, "keys"))
	if err != nil {
		panic(err)
	}
	return s
})

// published publishes what was accepted and reads it as a client does.
func (w *running) published(t *testing.T) tree {
	t.Helper()
	require.NoError(t, w.service.PublishOnce(t.Context(), signer()))
	from, closer, err := published.At(w.address + "/published")
	require.NoError(t, err)
	defer closer.Close()
	state := published.Open(t.TempDir())
	root, err := published.FirstRoot(t.Context(), from)
	require.NoError(t, err)
	require.NoError(t, state.Trust(root))
	out := tree{tree: map[string][]byte{}}
	out.news, err = state.Refresh(t.Context(), from)
	require.NoError(t, err)
	for name := range out.news.Files {
		data, err := out.news.Get(t.Context(), name)
		require.NoError(t, err)
		if shard := published.ShardIn(name); shard != "" {
			s, err := manifest.ReadShard(shard, data)
			require.NoError(t, err)
			out.titles = append(out.titles, s.Titles...)
			data, err = manifest.Expand(data, manifest.MaxShard)
			require.NoError(t, err)
		} else {
			out.sheets, err = manifest.ReadSheets(data)
			require.NoError(t, err)
		}
		out.tree[name] = data
	}
	slices.SortFunc(out.titles, func(a, b manifest.Title) int { return strings.Compare(a.Name, b.Name) })
	return out
}

// idOf is the id of the title of a name.
func (w *running) idOf(t *testing.T, name string) string {
	t.Helper()
	page, err := w.as(t, "").Titles(t.Context(), name, "")
	require.NoError(t, err)
	require.NotEmpty(t, page.Items, name)
	return page.Items[0].ID
}

func TestReturningGivesAReason(t *testing.T) {
	w, ctx := start(t), t.Context()
	sent, err := w.people["mira"].Submit(ctx, "k", tidewrack(t))
	require.NoError(t, err)
	for _, because := range []string{"", "  \n ", strings.Repeat("x", 2001), "bell\a"} {
		_, err = w.people["anselm"].Return(ctx, sent.Number, because)
		assert.Equal(t, "because", problem(t, err).Field, "%.10q", because)
	}
	_, err = w.people["anselm"].Return(ctx, sent.Number, "It also matches\nthe tutorial's slot0.sav.")
	require.NoError(t, err)
	shown, err := w.people["mira"].Contribution(ctx, sent.Number)
	require.NoError(t, err)
	assert.Equal(t, "returned", shown.State)
	assert.Contains(t, shown.Because, "tutorial")
	assert.Len(t, shown.Locations, 1, "what was returned can still be looked at")
	_, err = w.people["brida"].Accept(ctx, sent.Number)
	assert.Equal(t, wire.ProblemDecided, problem(t, err).Type)
	assert.Contains(t, err.Error(), "returned by anselm")
}

func TestAuthorisation(t *testing.T) {
	w, ctx := start(t), t.Context()
	mine, err := w.people["mira"].Submit(ctx, "k", tidewrack(t))
	require.NoError(t, err)
	reviewers, err := w.people["anselm"].Submit(ctx, "k", body(t, "Saltglass", "xdg-data:saltglass/*.sav", "xdg-data:saltglass/a.sav"))
	require.NoError(t, err)

	_, err = w.people["anselm"].Accept(ctx, reviewers.Number)
	assert.Equal(t, wire.ProblemOwn, problem(t, err).Type)
	assert.Equal(t, 403, problem(t, err).Status)
	_, err = w.people["anselm"].Return(ctx, reviewers.Number, "mine")
	assert.Equal(t, wire.ProblemOwn, problem(t, err).Type)
	_, err = w.people["tobin"].Accept(ctx, mine.Number)
	assert.Equal(t, wire.ProblemRole, problem(t, err).Type)

	_, err = w.people["tobin"].Contribution(ctx, mine.Number)
	assert.Equal(t, 404, problem(t, err).Status, "not even that it exists")
	list, err := w.people["tobin"].Contributions(ctx, client.Filter{})
	require.NoError(t, err)
	assert.Empty(t, list.Items)
	list, err = w.people["anselm"].Contributions(ctx, client.Filter{Mine: true})
	require.NoError(t, err)
	assert.Len(t, list.Items, 1)
	shown, err := w.people["anselm"].Contribution(ctx, reviewers.Number)
	require.NoError(t, err)
	assert.False(t, shown.MayDecide)
	assert.Contains(t, shown.CannotDecide, "your own")

	for name, token := range map[string]string{"nobody": "", "a wrong token": "endroit_wrong", "no token at all": "x"} {
		_, err := w.as(t, token).Contributions(ctx, client.Filter{})
		assert.Equal(t, 401, problem(t, err).Status, name)
		assert.Equal(t, wire.ProblemSignIn, problem(t, err).Type, name)
	}
	status, header, _ := w.raw(t, "GET", "/api/v1/contributions", "", map[string]string{"Authorization": "Basic bWlyYTp4"})
	assert.Equal(t, 401, status)
	assert.Contains(t, header.Get("WWW-Authenticate"), "Bearer")
}

func (w *running) sql(t *testing.T, text string) error {
	t.Helper()
	conn, err := pgx.Connect(t.Context(), w.database)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	_, err = conn.Exec(t.Context(), text)
	return err
}

func TestTokensEnd(t *testing.T) {
	w, ctx := start(t), t.Context()
	who, err := w.people["mira"].WhoAmI(ctx)
	require.NoError(t, err)
	assert.Equal(t, "mira", who.Person.Name)
	require.NoError(t, w.people["mira"].Logout(ctx))
	_, err = w.people["mira"].Contributions(ctx, client.Filter{})
	assert.Equal(t, wire.ProblemSignIn, problem(t, err).Type)

	require.NoError(t, w.sql(t, `UPDATE tokens SET expires = now() - interval '1 second'`))
	_, err = w.people["tobin"].Contributions(ctx, client.Filter{})
	assert.Equal(t, wire.ProblemExpired, problem(t, err).Type)
	assert.Contains(t, err.Error(), "endroit login")
}

func TestSecretsAreStoredAsDigestsOnly(t *testing.T) {
	w := start(t)
	token, err := w.as(t, "").Login(t.Context(), "mira", password)
	require.NoError(t, err)
	conn, err := pgx.Connect(t.Context(), w.database)
	require.NoError(t, err)
	defer conn.Close(t.Context())
	for _, table := range []string{"people", "tokens", "sessions"} {
		rows, err := conn.Query(t.Context(), "SELECT t::text FROM "+table+" t")
		require.NoError(t, err)
		lines, err := pgx.CollectRows(rows, pgx.RowTo[string])
		require.NoError(t, err)
		for _, l := range lines {
			assert.NotContains(t, l, token.Token)
			assert.NotContains(t, l, password)
			if table == "people" {
				assert.Contains(t, l, "$argon2id$v=19$m=19456,t=2,p=1$")
			}
		}
	}
}

func TestTheSameSubmissionIsStoredOnce(t *testing.T) {
	w, ctx := start(t), t.Context()
	numbers := make([]int64, 8)
	var all sync.WaitGroup
	for i := range numbers {
		all.Go(func() {
			sent, err := w.people["mira"].Submit(ctx, "one-key", tidewrack(t))
			assert.NoError(t, err)
			numbers[i] = sent.Number
		})
	}
	all.Wait()
	for _, n := range numbers {
		assert.Equal(t, numbers[0], n)
	}
	again, err := w.people["mira"].Submit(ctx, "one-key", tidewrack(t))
	require.NoError(t, err)
	assert.True(t, again.Again)
	_, err = w.people["mira"].Submit(ctx, "one-key", body(t, "Saltglass", "xdg-data:saltglass/a.sav", "xdg-data:saltglass/a.sav"))
	assert.Equal(t, wire.ProblemKeyReused, problem(t, err).Type)
}

func TestTwoReviewersAtOnce(t *testing.T) {
	w, ctx := start(t), t.Context()
	sent, err := w.people["mira"].Submit(ctx, "k", tidewrack(t))
	require.NoError(t, err)
	var accepted, late int
	var mu sync.Mutex
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() {
			_, err := w.people[[]string{"anselm", "brida"}[i%2]].Accept(ctx, sent.Number)
			mu.Lock()
			defer mu.Unlock()
			if err == nil {
				accepted++
			} else if problem(t, err).Type == wire.ProblemDecided {
				late++
			}
		})
	}
	all.Wait()
	assert.Equal(t, 1, accepted)
	assert.Equal(t, 7, late)
}

// Whatever is accepted at the same time, by whichever process, all of it is published, and
// revisions are numbered without a gap.
func TestRevisionsHaveNoGaps(t *testing.T) {
	w, ctx := start(t), t.Context()
	second, err := service.New(ctx, service.Config{Database: w.database})
	require.NoError(t, err)
	defer second.Close()
	publishing, stop := context.WithCancel(ctx)
	var publishers sync.WaitGroup
	for _, s := range []*service.Service{w.service, second} {
		publishers.Go(func() { s.Publish(publishing, signer()) })
	}
	const n = 10
	var numbers []int64
	for i := range n {
		name := fmt.Sprintf("Orchard %c", 'A'+i)
		sent, err := w.people["mira"].Submit(ctx, name, body(t, name, fmt.Sprintf("xdg-data:orchard-%c/*.sav", 'a'+i), fmt.Sprintf("xdg-data:orchard-%c/1.sav", 'a'+i)))
		require.NoError(t, err)
		numbers = append(numbers, sent.Number)
	}
	var all sync.WaitGroup
	for i, number := range numbers {
		all.Go(func() {
			_, err := w.people[[]string{"anselm", "brida"}[i%2]].Accept(ctx, number)
			assert.NoError(t, err)
		})
	}
	all.Wait()
	assert.Eventually(t, func() bool {
		for _, number := range numbers {
			if x, err := w.people["mira"].Contribution(ctx, number); err != nil || x.Revision == nil {
				return false
			}
		}
		return true
	}, 10*time.Second, 20*time.Millisecond, "a process publishes by itself")
	stop()
	publishers.Wait()
	now := w.published(t)
	assert.Len(t, now.titles, n)
	_, _, text := w.raw(t, "GET", "/api/v1/revisions?limit=200", "", nil)
	var page wire.Page[wire.RevisionShown]
	require.NoError(t, json.Unmarshal([]byte(text), &page))
	assert.Len(t, page.Items, now.news.Revision)
	for i, r := range page.Items {
		assert.Equal(t, now.news.Revision-i, r.Number)
	}
	assert.NotContains(t, w.log.String(), `"level":"ERROR"`)
}

func TestWhatIsPublishedCannotChange(t *testing.T) {
	w, ctx := start(t), t.Context()
	sent, err := w.people["mira"].Submit(ctx, "k", tidewrack(t))
	require.NoError(t, err)
	_, err = w.people["anselm"].Accept(ctx, sent.Number)
	require.NoError(t, err)
	w.published(t)
	for _, text := range []string{`UPDATE revisions SET digest = 'x'`, `DELETE FROM revisions`, `UPDATE title_versions SET doc = 'x'`, `DELETE FROM title_versions`, `UPDATE bodies SET body = 'x'`, `UPDATE published_files SET data = 'x'`} {
		assert.ErrorContains(t, w.sql(t, text), "never changes", text)
	}
	assert.Error(t, w.sql(t, `UPDATE contributions SET decided_by = person_id`), "the database too refuses a decision on one's own contribution")
}

func TestNoTitleIsAcceptedIntoAnothersPlaces(t *testing.T) {
	w, ctx := start(t), t.Context()
	first, err := w.people["mira"].Submit(ctx, "1", tidewrack(t))
	require.NoError(t, err)
	// Both are submitted before either is accepted.
	second, err := w.people["tobin"].Submit(ctx, "2", body(t, "Saltglass", "xdg-data:tidewrack/slots/", "xdg-data:tidewrack/slots/slot1.sav"))
	require.NoError(t, err)
	_, err = w.people["anselm"].Accept(ctx, first.Number)
	require.NoError(t, err)
	shown, err := w.people["anselm"].Contribution(ctx, second.Number)
	require.NoError(t, err)
	require.Len(t, shown.Conflicts, 1)
	_, err = w.people["anselm"].Accept(ctx, second.Number)
	p := problem(t, err)
	assert.Equal(t, wire.ProblemConflict, p.Type)
	require.Len(t, p.Conflicts, 1)
	assert.Equal(t, "Tidewrack", p.Conflicts[0].TitleName)
	_, err = w.people["tobin"].Submit(ctx, "3", body(t, "Saltglass", "xdg-data:tide*/slots/a.sav", "xdg-data:tidewrack/slots/a.sav"))
	require.NoError(t, err, "it cannot match slot{slot}.sav")
	_, err = w.people["tobin"].Submit(ctx, "4", body(t, "Saltglass", "xdg-data:tide*/slots/*.sav", "xdg-data:tidewrack/slots/a.sav"))
	assert.Equal(t, wire.ProblemConflict, problem(t, err).Type)
}

// sheetBody is a contribution of a stand-in's sheet, with something replaced.
func sheetBody(t *testing.T, text []byte, replaced ...string) []byte {
	t.Helper()
	s, err := sheet.Parse([]byte(strings.NewReplacer(replaced...).Replace(string(text))))
	require.NoError(t, err)
	raw, err := contribution.Encode(&contribution.Sheet{Head: contribution.Head{Name: contribution.SheetKind}, Sheet: s, Found: &contribution.Findings{OS: "linux", Installations: 1, Titles: 2}, Note: "as it is here"})
	require.NoError(t, err)
	return raw
}

func TestSheetsAreReviewedLikeLocations(t *testing.T) {
	w := start(t)
	mira, tobin, anselm := w.people["mira"], w.people["tobin"], w.people["anselm"]
	send := func(as *client.Client, raw []byte) int64 {
		sent, err := as.Submit(t.Context(), fmt.Sprint(len(raw), time.Now().UnixNano()), raw)
		require.NoError(t, err)
		return sent.Number
	}
	accept := func(number int64) {
		_, err := anselm.Accept(t.Context(), number)
		require.NoError(t, err)
	}
	first := send(mira, sheetBody(t, launchers.QuaysideSheet))
	shown, err := anselm.Contribution(t.Context(), first)
	require.NoError(t, err)
	assert.Equal(t, "sheet", shown.Kind)
	assert.Equal(t, "Quayside", shown.Title)
	assert.True(t, shown.Sheet.New)
	assert.Equal(t, "as it is here", shown.Sheet.Note)
	assert.Equal(t, 2, shown.Sheet.Found.Titles)
	assert.Contains(t, shown.Sheet.Text, "each: $.libraries.*")
	accept(first)
	accept(send(mira, sheetBody(t, launchers.BrasslightSheet)))
	accept(send(tobin, sheetBody(t, launchers.QuaysideSheet)))

	list, err := w.as(t, "").Launchers(t.Context(), "")
	require.NoError(t, err)
	require.Len(t, list.Items, 2)
	brasslight, quayside := list.Items[0], list.Items[1]
	assert.Equal(t, []string{"quayside"}, brasslight.Starts)
	assert.Equal(t, "observed", string(brasslight.Standing))
	assert.Equal(t, "seen by 2 people on 1 machine, in installed launchers; nobody else has confirmed it yet, on another machine", quayside.Reason)
	assert.Equal(t, "~/.local/share/quayside/", quayside.Usual)
	one, err := w.as(t, "").Launcher(t.Context(), "quayside")
	require.NoError(t, err)
	assert.Equal(t, []string{"brasslight"}, one.StartedBy)
	assert.Len(t, one.Evidence, 2)
	_, err = sheet.Parse([]byte(one.Text))
	assert.NoError(t, err)
	_, err = w.as(t, "").Launcher(t.Context(), "larder")
	assert.Equal(t, wire.ProblemNotFound, problem(t, err).Type)

	// A change loses the evidence for what was.
	changed := send(mira, sheetBody(t, launchers.QuaysideSheet, "user: player", "user: somebody"))
	shown, err = anselm.Contribution(t.Context(), changed)
	require.NoError(t, err)
	assert.Equal(t, []sheet.Difference{{Field: "systems.linux.prefixes.user", Before: "player", After: "somebody"}}, shown.Sheet.Differences)
	accept(changed)
	one, err = mira.Launcher(t.Context(), "quayside")
	require.NoError(t, err)
	assert.Len(t, one.Evidence, 1)

	// The manifest carries them.
	now := w.published(t)
	require.Len(t, now.sheets, 2)
	read, err := now.sheets[1].Read()
	require.NoError(t, err)
	assert.Equal(t, "somebody", read.Systems["linux"].Prefixes.User)
	_, _, revisions := w.raw(t, "GET", "/api/v1/revisions", "", nil)
	assert.Contains(t, revisions, `"sheet_id":"brasslight"`)
	assert.Error(t, w.sql(t, "UPDATE sheet_versions SET doc = 'x'"))

	// What cannot stand beside them is refused, at submitting and at accepting.
	circle := sheetBody(t, launchers.QuaysideSheet, "    cloud:", "    starts: [{launcher: brasslight, files: a.json, as: json, ref: $.r}]\n    cloud:")
	_, err = mira.Submit(t.Context(), "circle", circle)
	p := problem(t, err)
	assert.Equal(t, wire.ProblemClash, p.Type)
	assert.Equal(t, "sheet.systems.linux.starts", p.Field)
	one1 := send(mira, sheetBody(t, launchers.LarderSheet, "id: larder", "id: pantry", "name: Larder", "name: Pantry\naddresses: ['larder.example/x/{ref}']"))
	two1 := send(tobin, sheetBody(t, launchers.LarderSheet, "name: Larder", "name: Larder\naddresses: ['larder.example/{ref}']"))
	accept(two1)
	shown, err = anselm.Contribution(t.Context(), one1)
	require.NoError(t, err)
	require.Len(t, shown.Sheet.Clashes, 1)
	_, err = anselm.Accept(t.Context(), one1)
	assert.Equal(t, wire.ProblemClash, problem(t, err).Type)
	waiting, err := anselm.Contributions(t.Context(), client.Filter{State: "waiting"})
	require.NoError(t, err)
	assert.Len(t, waiting.Items, 1)
}

func TestATitleOfALauncher(t *testing.T) {
	w := start(t)
	_, err := world.Load(t.Context(), w.address, []world.Person{{Name: "mira", Password: password}, {Name: "tobin", Password: password}, {Name: "ysolde", Password: password}, {Name: "anselm", Password: password}})
	require.NoError(t, err)
	_, _, text := w.raw(t, "GET", "/api/v1/titles/"+w.idOf(t, "Lantern Hollow"), "", nil)
	var title wire.Title
	require.NoError(t, json.Unmarshal([]byte(text), &title))
	forms := map[string]string{}
	for _, l := range title.Variants[0].Locations {
		if strings.HasPrefix(l.At, "saved-games:") {
			for _, f := range l.Forms {
				forms[f.For] = f.Text
			}
		}
	}
	assert.Equal(t, map[string]string{
		"Windows' file manager": `%USERPROFILE%\Saved Games\Lantern Hollow`, "programs in the prefix": `C:\users\player\Saved Games\Lantern Hollow`,
		"a shell, if it lies in Quayside's own library": `"${XDG_DATA_HOME:-$HOME/.local/share}"/quayside/prefixes/505310/drive_c/users/player/'Saved Games'/'Lantern Hollow'`,
	}, forms)

	// A search knows the stores' references and the addresses of their pages.
	for text, because := range map[string]string{
		"505310": "505310 is its reference at Quayside",
		"https://quayside.example/title/505310?from=mail": "the address is its page at Quayside",
		"lantren hollw": "its name is similar", "lantern hollow": "",
	} {
		page, err := w.as(t, "").Titles(t.Context(), text, "")
		require.NoError(t, err, text)
		require.Len(t, page.Items, 1, text)
		assert.Equal(t, "Lantern Hollow", page.Items[0].Name, text)
		assert.Equal(t, because, page.Items[0].Because, text)
	}
	for _, none := range []string{"https://brasslight.example/play/505310", "https://quayside.example/title/", "50531"} {
		page, err := w.as(t, "").Titles(t.Context(), none, "")
		require.NoError(t, err, none)
		assert.Empty(t, page.Items, none)
	}
}

// What was checked is what is shown, stored and published, under the name that it gets.
func TestOneValueFromSubmissionToRevision(t *testing.T) {
	w, ctx := start(t), t.Context()
	text := strings.Replace(string(tidewrack(t)), `"word": "save"`, `"word": "of a name with \\u0000 and \"x-quotes\""`, 1)
	text = strings.Replace(text, `"draft": {`, `"x-mine": {"title": "Saltglass"}, "draft": {"x-title": "Saltglass", `, 1)
	first, err := w.people["mira"].Submit(ctx, "first", []byte(text))
	require.NoError(t, err)
	shown, err := w.people["anselm"].Contribution(ctx, first.Number)
	require.NoError(t, err)
	assert.Contains(t, string(shown.Footprint), `\\u0000 and \"x-quotes\"`)
	assert.NotContains(t, string(shown.Draft)+string(shown.Footprint), "Saltglass", "what was not read is not kept")
	_, err = w.people["anselm"].Accept(ctx, first.Number)
	require.NoError(t, err)

	other := strings.Replace(string(tidewrack(t)), `"title": "Tidewrack"`, `"title": "TIDEWRACK"`, 1)
	second, err := w.people["tobin"].Submit(ctx, "second", []byte(other))
	require.NoError(t, err)
	shown, err = w.people["anselm"].Contribution(ctx, second.Number)
	require.NoError(t, err)
	assert.Equal(t, "Tidewrack", shown.Title, "the name that would be published")
	assert.Equal(t, "Tidewrack", shown.Title)
	_, err = w.people["anselm"].Accept(ctx, second.Number)
	require.NoError(t, err)
	list, err := w.people["anselm"].Contributions(ctx, client.Filter{State: "accepted"})
	require.NoError(t, err)
	for _, x := range list.Items {
		assert.Equal(t, "Tidewrack", x.Title)
	}
	now := w.published(t)
	require.Len(t, now.titles, 1)
	assert.Equal(t, "Tidewrack", now.titles[0].Name)
}

// Whose answer was lost asks again, and learns that it is stored, whatever has come since.
func TestARetryIsNotCheckedAgain(t *testing.T) {
	w, ctx := start(t), t.Context()
	mine := body(t, "Tidewrack", "xdg-data:tidewrack/slots/slot{slot}.sav", "xdg-data:tidewrack/slots/slot1.sav")
	sent, err := w.people["mira"].Submit(ctx, "lost", mine)
	require.NoError(t, err)
	theirs, err := w.people["tobin"].Submit(ctx, "k", body(t, "Saltglass", "xdg-data:tidewrack/slots/slot{slot}.sav", "xdg-data:tidewrack/slots/slot1.sav"))
	require.NoError(t, err)
	_, err = w.people["anselm"].Accept(ctx, theirs.Number)
	require.NoError(t, err)
	_, err = w.people["mira"].Submit(ctx, "another", mine)
	assert.Equal(t, wire.ProblemConflict, problem(t, err).Type)
	again, err := w.people["mira"].Submit(ctx, "lost", mine)
	require.NoError(t, err)
	assert.Equal(t, wire.Submitted{Number: sent.Number, Again: true}, again)
	_, err = w.people["mira"].Submit(ctx, "lost", []byte("no JSON"))
	assert.Equal(t, wire.ProblemKeyReused, problem(t, err).Type)
}

// A failure is not kept for a year in place of what it stands for.
func TestFailureIsNotCached(t *testing.T) {
	w := start(t)
	db, err := pgx.Connect(t.Context(), w.database)
	require.NoError(t, err)
	defer db.Close(context.WithoutCancel(t.Context()))
	w.published(t)
	_, err = db.Exec(t.Context(), `ALTER TABLE published_files RENAME TO gone`)
	require.NoError(t, err)
	for path, want := range map[string]int{"/published/metadata/1.root.json": 500, "/published/metadata/1.snapshot.json": 500} {
		status, header, _ := w.raw(t, "GET", path, "", nil)
		assert.Equal(t, want, status)
		assert.Empty(t, header.Get("ETag"), path)
		assert.NotContains(t, header.Get("Cache-Control"), "immutable", path)
	}
}

func TestBodiesThatAreRefused(t *testing.T) {
	w := start(t)
	token, err := w.as(t, "").Login(t.Context(), "mira", password)
	require.NoError(t, err)
	good := map[string]string{"Authorization": "Bearer " + token.Token, "Content-Type": "application/json", "Idempotency-Key": "k"}
	without := func(name string) map[string]string {
		out := map[string]string{}
		for k, v := range good {
			if k != name {
				out[k] = v
			}
		}
		return out
	}
	sound := string(tidewrack(t))
	ofSheet := string(sheetBody(t, launchers.QuaysideSheet))
	for name, c := range map[string]struct {
		header map[string]string
		body   string
		status int
		field  string
		says   string
	}{
		"no JSON":             {good, "hello", 400, "", "invalid JSON after byte"},
		"cut":                 {good, sound[:len(sound)/2], 400, "footprint", "invalid JSON after byte"},
		"empty":               {good, "{}", 422, "kind", "is not a kind of contribution"},
		"another kind":        {good, `{"kind":"rumour"}`, 422, "kind", "the kinds are dispute, finding, location, proof, sheet, title"},
		"only its kind":       {good, `{"kind":"finding"}`, 422, "draft", "a draft and a footprint"},
		"no key":              {without("Idempotency-Key"), sound, 422, "Idempotency-Key", "missing"},
		"no content type":     {without("Content-Type"), sound, 415, "", "application/json"},
		"NUL":                 {good, strings.Replace(sound, `"word": "save"`, `"word": "its\u0000name"`, 1), 422, "footprint.files[0].findings[0].word", "NUL"},
		"a whole home":        {good, strings.Replace(sound, "xdg-data:tidewrack/slots/slot{slot}.sav", "home:*", 1), 422, "draft.locations[0].at", "reaches too far"},
		"out of its anchor":   {good, strings.Replace(sound, "xdg-data:tidewrack/slots/slot{slot}.sav", "xdg-data:tidewrack/../../x", 1), 422, "draft.locations[0].at", "is not allowed in a path"},
		"an absolute path":    {good, strings.Replace(sound, "xdg-data:tidewrack/slots/slot{slot}.sav", "/etc/passwd", 1), 422, "draft.locations[0].at", "no colon"},
		"over the limit":      {good, strings.Repeat(" ", contribution.MaxBytes) + sound, 413, "", "too large"},
		"a sheet and a draft": {good, strings.Replace(ofSheet, `"sheet": {`, `"draft": {}, "sheet": {`, 1), 422, "draft", "unknown key"},
		"no findings":         {good, strings.Replace(ofSheet, `"found"`, `"x-lost"`, 1), 422, "found", "what it found"},
		"nothing found":       {good, strings.NewReplacer(`"installations": 1`, `"installations": 0`, `"titles": 2`, `"titles": 0`).Replace(ofSheet), 422, "found.installations", "needs evidence"},
		"a bad number":        {good, strings.Replace(ofSheet, `"titles": 2`, `"titles": -2`, 1), 422, "found", "out of range"},
		"a bad query":         {good, strings.Replace(ofSheet, "$.libraries.*", "libraries", 1), 422, "sheet.systems.linux.libraries.each", "not a JSONPath"},
		"a sheet that climbs": {good, strings.Replace(ofSheet, "settings/libraries.qk", "../../etc/passwd", 1), 422, "sheet.systems.linux.libraries.files", "is not allowed in a path"},
		"a note with escapes": {good, strings.Replace(ofSheet, "as it is here", `as \u001b[2Jit`, 1), 422, "note", "it contains an invisible or unprintable character"},
		"two titles":          {good, strings.Replace(sound, `"title"`, `"Title": "Saltglass", "title"`, 1), 422, "draft.Title", "unknown key; keys are case-sensitive, and your own must begin with x-"},
		"a title twice":       {good, strings.Replace(sound, `"title"`, `"title": "Saltglass", "title"`, 1), 400, "draft.title", "duplicate key"},
		"two drafts":          {good, strings.Replace(sound, `"draft"`, `"Draft": {}, "draft"`, 1), 422, "Draft", "unknown key; keys are case-sensitive, and your own must begin with x-"},
		"half a character":    {good, strings.Replace(sound, `"word": "save"`, `"word": "its\ud800name"`, 1), 400, "footprint.files[0].findings[0].word", "invalid JSON after byte"},
		"an endless number":   {good, strings.Replace(sound, `"footprint": {`, `"footprint": {"x-n": 1, "events": 1e131071, `, 1), 422, "footprint.events", "out of range"},
		"letters that mix":    {good, strings.Replace(sound, `"title": "Tidewrack"`, `"title": "Tidewr\u0430ck"`, 1), 422, "draft.title", "Latin and Cyrillic"},
		"a direction mark":    {good, strings.Replace(sound, `"title": "Tidewrack"`, `"title": "\u202eTidewrack"`, 1), 422, "draft.title", "it contains an invisible or unprintable character"},
		"a direction in why":  {good, strings.Replace(sound, `near the cue`, `near\u2067 the cue`, 1), 422, "draft.locations[0]", "it contains an invisible or unprintable character"},
		"a state of its own":  {good, strings.Replace(sound, `"is": "file"`, `"is": "safe"`, 1), 422, "footprint.files[0]", "is not a file type, or its size is negative"},
		"a count below zero":  {good, strings.Replace(sound, `"save": 1`, `"save": -1`, 1), 422, "footprint.counts", "is not a kind of file, or its number is negative"},
		"a kind of its own":   {good, strings.Replace(sound, `"save": 1`, `"trusted": 1`, 1), 422, "footprint.counts", "is not a kind of file, or its number is negative"},
		"a guarded place":     {good, strings.Replace(sound, "xdg-data:tidewrack/slots/slot{slot}.sav", "xdg-config:google-chrome/x", 1), 422, "draft.locations[0].at", "browsers"},
		"another system":      {good, strings.Replace(sound, `"os": "linux"`, `"os": "windows"`, 1), 422, "draft.os", ": it is not evidence for the other"},
		"another runtime":     {good, strings.Replace(sound, `"runtime": "native"`, `"runtime": "prefix"`, 1), 422, "draft.os", ": it is not evidence for the other"},
		"deeper than is sane": {good, strings.Repeat("[", 100_000), 400, "", "it is nested more than"},
	} {
		status, header, text := w.raw(t, "POST", "/api/v1/contributions", c.body, c.header)
		assert.Equal(t, c.status, status, "%s: %s", name, text)
		assert.Contains(t, header.Get("Content-Type"), "application/problem+json", name)
		var p wire.Problem
		require.NoError(t, json.Unmarshal([]byte(text), &p), name)
		assert.Equal(t, c.field, p.Field, name)
		assert.Contains(t, p.Detail, c.says, name)
		assert.NotEmpty(t, p.RequestID, name)
	}
	list, err := w.people["mira"].Contributions(t.Context(), client.Filter{})
	require.NoError(t, err)
	assert.Empty(t, list.Items, "nothing of it was stored")
}

func TestUnmappedAddresses(t *testing.T) {
	w := start(t)
	for _, path := range []string{"/api/v1/nothing", "/api/v1/titles/nothing", "/api/v1/revisions/99", "/api/v1/revisions/x", "/api/v1/revisions/-1", "/published/metadata/timestamp.json", "/published/../x", "/published/", "/api/nothing.js", "/favicon.ico"} {
		status, header, text := w.raw(t, "GET", path, "", nil)
		assert.Equal(t, 404, status, path)
		assert.Contains(t, header.Get("Content-Type"), "problem+json", "%s: %s", path, text)
	}
	status, _, _ := w.raw(t, "POST", "/api/v1/titles", "", nil)
	assert.Equal(t, 405, status)
	for path, field := range map[string]string{"/api/v1/titles?limit=0": "limit", "/api/v1/titles?limit=x": "limit", "/api/v1/titles?cursor=!!": "cursor", "/api/v1/titles?q=" + strings.Repeat("x", 201): "q"} {
		status, _, text := w.raw(t, "GET", path, "", nil)
		assert.Equal(t, 422, status, path)
		assert.Contains(t, text, `"field":"`+field+`"`, path)
	}
	_, err := w.people["anselm"].Contribution(t.Context(), 999)
	assert.Equal(t, 404, problem(t, err).Status)
	_, err = w.people["anselm"].Contributions(t.Context(), client.Filter{State: "lost"})
	assert.Equal(t, "state", problem(t, err).Field)
}

func TestListsPage(t *testing.T) {
	w, ctx := start(t), t.Context()
	for i := range 7 {
		name := fmt.Sprintf("Orchard %d", i)
		sent, err := w.people["mira"].Submit(ctx, name, body(t, name, fmt.Sprintf("xdg-data:orchard-no%d/*.sav", i), fmt.Sprintf("xdg-data:orchard-no%d/1.sav", i)))
		require.NoError(t, err)
		if i < 5 {
			_, err = w.people["anselm"].Accept(ctx, sent.Number)
			require.NoError(t, err)
		}
	}
	for state, want := range map[string][]string{"accepted": {"Orchard 4", "Orchard 3", "Orchard 2", "Orchard 1", "Orchard 0"}, "waiting": {"Orchard 5", "Orchard 6"}} {
		got := []string{}
		f := client.Filter{State: state, Limit: 2}
		for {
			page, err := w.people["anselm"].Contributions(ctx, f)
			require.NoError(t, err)
			require.LessOrEqual(t, len(page.Items), 2)
			for _, x := range page.Items {
				got = append(got, x.Title)
			}
			if f.Cursor = page.Next; f.Cursor == "" {
				break
			}
		}
		assert.Equal(t, want, got, state)
	}
	found, err := w.as(t, "").Titles(ctx, "", "")
	require.NoError(t, err)
	assert.Len(t, found.Items, 5)
	_, _, text := w.raw(t, "GET", "/api/v1/titles?limit=3", "", nil)
	var page wire.Page[wire.TitleFound]
	require.NoError(t, json.Unmarshal([]byte(text), &page))
	next, err := w.as(t, "").Titles(ctx, "", page.Next)
	require.NoError(t, err)
	assert.Equal(t, "Orchard 3", next.Items[0].Name)
}

func TestSearchFindsSimilarNames(t *testing.T) {
	w, ctx := start(t), t.Context()
	for _, name := range []string{"Lantern Hollow", "The Quiet Signal", "Tidewrack"} {
		first := strings.ToLower(strings.ReplaceAll(name, " ", "-"))
		sent, err := w.people["mira"].Submit(ctx, name, body(t, name, "xdg-data:"+first+"/a.sav", "xdg-data:"+first+"/a.sav"))
		require.NoError(t, err)
		_, err = w.people["anselm"].Accept(ctx, sent.Number)
		require.NoError(t, err)
	}
	for text, want := range map[string][]string{"hol": {"Lantern Hollow"}, "QUIET": {"The Quiet Signal"}, "tidewrak": {"Tidewrack"}, "lantrn": {"Lantern Hollow"}, "zzz": {}, "Lanttrn Holow": {"Lantern Hollow"}, "tidewarck": {"Tidewrack"}, "418820": {"Tidewrack"}, "41882": {}, "%": {}, "'; DROP TABLE titles; --": {}, "": {"Lantern Hollow", "The Quiet Signal", "Tidewrack"}} {
		page, err := w.as(t, "").Titles(ctx, text, "")
		require.NoError(t, err, text)
		got := []string{}
		for _, x := range page.Items {
			got = append(got, x.Name)
		}
		assert.Equal(t, want, got, text)
	}
}

func TestSessionsOfTheConsole(t *testing.T) {
	w := start(t)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	browser := &http.Client{Jar: jar}
	call := func(method, path, body string, header map[string]string) (int, http.Header, string) {
		r, err := http.NewRequest(method, w.address+"/api/v1"+path, strings.NewReader(body))
		require.NoError(t, err)
		r.Header.Set("Content-Type", "application/json")
		for k, v := range header {
			r.Header.Set(k, v)
		}
		a, err := browser.Do(r)
		require.NoError(t, err)
		defer a.Body.Close()
		text, _ := io.ReadAll(a.Body)
		return a.StatusCode, a.Header, string(text)
	}
	status, _, text := call("GET", "/session", "", nil)
	assert.Equal(t, 200, status)
	assert.JSONEq(t, `{"person":null,"local":false}`, text)
	for _, wrong := range []string{`{"name":"mira","password":"wrong"}`, `{"name":"nobody","password":"wrong"}`} {
		status, _, text = call("POST", "/session", wrong, nil)
		assert.Equal(t, 401, status)
		assert.Contains(t, text, "the name or the password is wrong", "it does not tell which")
	}
	status, header, _ := call("POST", "/session", `{"name":"anselm","password":"`+password+`"}`, nil)
	assert.Equal(t, 200, status)
	cookie := header.Get("Set-Cookie")
	for _, part := range []string{"endroit_session=", "HttpOnly", "SameSite=Strict"} {
		assert.Contains(t, cookie, part)
	}
	status, _, text = call("GET", "/session", "", nil)
	assert.Equal(t, 200, status)
	assert.Contains(t, text, `"reviewer":true`)
	status, _, _ = call("GET", "/contributions", "", nil)
	assert.Equal(t, 200, status)
	status, _, text = call("POST", "/contributions/1/accept", "", map[string]string{"Sec-Fetch-Site": "cross-site"})
	assert.Equal(t, 403, status, "a page elsewhere cannot act with the session")
	assert.Contains(t, text, "another site")
	status, _, _ = call("DELETE", "/session", "", nil)
	assert.Equal(t, 204, status)
	status, _, _ = call("GET", "/contributions", "", nil)
	assert.Equal(t, 401, status)
}

func TestGuessingPasswordsIsSlow(t *testing.T) {
	w := start(t)
	last, header := 0, http.Header{}
	for range 12 {
		last, header, _ = w.raw(t, "POST", "/api/v1/tokens", `{"name":"mira","password":"guess"}`, map[string]string{"Content-Type": "application/json"})
	}
	assert.Equal(t, 429, last)
	assert.NotEmpty(t, header.Get("Retry-After"))
	// Nobody gets new tries by saying that they come from elsewhere…
	guess := func(on *running, from string) int {
		status, _, _ := on.raw(t, "POST", "/api/v1/tokens", `{"name":"mira","password":"guess"}`, map[string]string{"Content-Type": "application/json", "X-Forwarded-For": from})
		return status
	}
	assert.Equal(t, 429, guess(w, "192.0.2.1"))
	// …unless a proxy that is known says so.
	_, loopback, err := net.ParseCIDR("127.0.0.0/8")
	require.NoError(t, err)
	behind := &running{database: w.database, log: &bytes.Buffer{}}
	behind.listen(t, "127.0.0.1:0", loopback)
	for range 12 {
		last = guess(behind, "192.0.2.1")
	}
	assert.Equal(t, 429, last)
	assert.Equal(t, 401, guess(behind, "192.0.2.2"))
}

func TestAccountsAreChecked(t *testing.T) {
	w := start(t)
	for name, pass := range map[string]string{"Mira": password, "m": password, "a b": password, "x'y": password, "brief": "short", "mira": password} {
		assert.Error(t, w.service.AddPerson(t.Context(), name, pass, false), name)
	}
}

// asked is what those who run the service are answered.
func (w *running) asked(path string) *httptest.ResponseRecorder {
	r := httptest.NewRecorder()
	w.service.Operations().ServeHTTP(r, httptest.NewRequest("GET", path, nil))
	return r
}

func TestMetricsAndLogs(t *testing.T) {
	w := start(t)
	for path, want := range map[string]string{"/healthz": "ok\n", "/readyz": "ready\n"} {
		r := w.asked(path)
		assert.Equal(t, 200, r.Code)
		assert.Equal(t, want, r.Body.String())
	}
	for _, path := range []string{"/healthz", "/readyz", "/metrics"} {
		_, header, text := w.raw(t, "GET", path, "", map[string]string{"X-Request-Id": strings.Repeat("x", 10_000)})
		assert.NotContains(t, text, "endroit_requests_total", "strangers do not see it")
		assert.Equal(t, "nosniff", header.Get("X-Content-Type-Options"))
		assert.Len(t, header.Get("X-Request-Id"), 26, "it is the service's own")
		assert.Contains(t, header.Get("Content-Security-Policy"), "frame-ancestors 'none'")
	}
	w.raw(t, "GET", "/api/v1/titles", "", nil)
	w.raw(t, "GET", "/api/v1/contributions", "", map[string]string{"Authorization": "Bearer " + w.tokens["mira"]})
	text := w.asked("/metrics").Body.String()
	assert.Contains(t, text, `endroit_requests_total{method="GET",route="/api/v1/titles",status="200"} 1`)
	assert.Contains(t, text, `endroit_request_seconds_bucket{route="/api/v1/titles",le="+Inf"} 1`)
	for _, of := range []string{"go_goroutines ", "process_resident_memory_bytes ", "process_open_fds "} {
		assert.Contains(t, text, "\n"+of)
	}
	for range 3 { // what a caller invents does not add lines
		w.raw(t, rand.Text(), "/api/v1/"+rand.Text(), "", nil)
	}
	assert.Contains(t, w.asked("/metrics").Body.String(), `endroit_requests_total{method="other",route="/*",status="405"} 3`)
	require.NoError(t, w.stop())
	log := w.log.String()
	assert.Regexp(t, `"path":"/api/v1/contributions","status":200,"took_ms":[0-9.]+,"person":"mira","network":"127.0.0.1","request_id":"[A-Z2-7]{26}"`, log)
	assert.NotContains(t, log, password)
}

// A client's mistake is not the service's.
func TestClientDisconnectIsNotAServerError(t *testing.T) {
	w := start(t)
	as := func(name string) map[string]string {
		return map[string]string{"Authorization": "Bearer " + w.tokens[name], "Content-Type": "application/json", "Idempotency-Key": "k"}
	}
	cursor := func(n string) string { return base64.RawURLEncoding.EncodeToString([]byte(n)) }
	for _, c := range []struct {
		method, path, body string
		status             int
	}{
		{"GET", "/api/v1/titles?q=%00", "", 400}, {"GET", "/api/v1/titles?q=%ff", "", 400}, {"GET", "/api/v1/titles?%ff=1", "", 400}, {"GET", "/api/v1/titles?q=%zz", "", 400},
		{"GET", "/api/v1/titles/%00", "", 400}, {"GET", "/api/v1/titles/%ff", "", 400}, {"GET", "/api/v1/titles/a%C3%28", "", 400}, {"GET", "/%00", "", 400},
		{"GET", "/api/v1/launchers/%ff", "", 400},
		{"GET", "/api/v1/titles?cursor=" + cursor("99999999999999999999"), "", 422}, {"GET", "/api/v1/titles?cursor=" + cursor("9223372036854775807"), "", 422},
		{"GET", "/api/v1/revisions?cursor=" + cursor("9999999999"), "", 422},
		{"GET", "/api/v1/revisions/2147483648", "", 404}, {"GET", "/api/v1/revisions/9223372036854775808", "", 404},
		{"GET", "/api/v1/contributions/9223372036854775807", "", 404}, {"GET", "/api/v1/contributions/9223372036854775808", "", 404},
		{"GET", "/api/v1/contributions/1e400000", "", 404}, {"GET", "/api/v1/contributions?state=%00", "", 400},
		{"POST", "/api/v1/tokens", `{"name":"mi\u0000ra","password":"x"}`, 422}, {"POST", "/api/v1/tokens", "{\"name\":\"\xff\",\"password\":\"x\"}", 400},
		{"POST", "/api/v1/tokens", `{"name":"mira","Name":"tobin","password":"x"}`, 422}, {"POST", "/api/v1/tokens", `{"name":1e400000,"password":"x"}`, 422},
		{"POST", "/api/v1/contributions/1/return", `{"because":"` + strings.Repeat("a", 3000) + `"}`, 422},
		{"HEAD", "/api/v1/titles", "", 200}, {"HEAD", "/api/v1/revisions", "", 200}, {"HEAD", "/api/v1/nothing", "", 404},
	} {
		status, header, text := w.raw(t, c.method, c.path, c.body, as("anselm"))
		assert.Equal(t, c.status, status, "%s %s: %s", c.method, c.path, text)
		if c.method == "HEAD" {
			assert.Empty(t, text)
			assert.NotEmpty(t, header.Get("Content-Type"))
		}
	}
	key := as("mira")
	key["Idempotency-Key"] = "k\xff"
	status, _, _ := w.raw(t, "POST", "/api/v1/contributions", string(tidewrack(t)), key)
	assert.Equal(t, 422, status)
	require.NoError(t, w.stop())
	assert.NotContains(t, w.log.String(), "request failed")
}

// What is somebody's own stays out of caches.
func TestVersionsThatMayBeKept(t *testing.T) {
	w := start(t)
	w.published(t)
	for path, want := range map[string]string{"/api/v1/titles": "public, no-cache", "/api/v1/revisions": "public, no-cache", "/published/metadata/timestamp.json": "public, no-cache", "/published/metadata/1.root.json": "public, max-age=31536000, immutable", "/published/metadata/2.root.json": "no-store",
		"/api/v1/contributions": "no-store", "/api/v1/session": "no-store", "/api/v1/titles/nothing": "no-store"} {
		_, header, _ := w.raw(t, "GET", path, "", map[string]string{"Authorization": "Bearer " + w.tokens["mira"]})
		assert.Equal(t, want, header.Get("Cache-Control"), path)
	}
}

// All processes on a database share one count, and all of a network's addresses do.
func TestLimitsAreShared(t *testing.T) {
	w, ctx := start(t), t.Context()
	second, err := service.New(ctx, service.Config{Database: w.database, Proxies: []*net.IPNet{{IP: net.IPv4zero, Mask: net.CIDRMask(0, 32)}}})
	require.NoError(t, err)
	defer second.Close()
	try := func(address string) *httptest.ResponseRecorder {
		r := httptest.NewRequest("POST", "/api/v1/tokens", strings.NewReader(`{"name":"mira","password":"wrong password"}`))
		r.Header.Set("Content-Type", "application/json")
		r.Header.Set("X-Forwarded-For", address)
		out := httptest.NewRecorder()
		second.ServeHTTP(out, r)
		return out
	}
	for i := range 10 {
		r := try(fmt.Sprintf("2001:db8:1:2::%d", i))
		assert.Equal(t, 401, r.Code, r.Body)
		assert.Equal(t, `"sign-in-name";q=50;w=500`, r.Header().Get("RateLimit-Policy"))
	}
	r := try("2001:db8:1:2:ffff::1")
	assert.Equal(t, 429, r.Code, "it is the same network")
	assert.Regexp(t, `^[12]$`, r.Header().Get("Retry-After"))
	assert.Regexp(t, `^"sign-in";r=0;t=[12]$`, r.Header().Get("RateLimit"))
	assert.Equal(t, 401, try("2001:db8:1:3::1").Code, "another one is not held up")
	third, err := service.New(ctx, service.Config{Database: w.database, Proxies: []*net.IPNet{{IP: net.IPv4zero, Mask: net.CIDRMask(0, 32)}}})
	require.NoError(t, err)
	defer third.Close()
	second = third
	assert.Equal(t, 429, try("2001:db8:1:2::77").Code, "another process knows it")
}

// A program does not run on a schema that it does not know.
func TestAnOlderProgramDoesNotServe(t *testing.T) {
	w := start(t)
	require.NoError(t, w.stop())
	db, err := pgx.Connect(t.Context(), w.database)
	require.NoError(t, err)
	defer db.Close(context.WithoutCancel(t.Context()))
	_, err = db.Exec(t.Context(), `INSERT INTO goose_db_version (version_id, is_applied) VALUES (999, true)`)
	require.NoError(t, err)
	_, err = service.New(t.Context(), service.Config{Database: w.database})
	require.ErrorContains(t, err, "its schema has version 999 and this program knows ")
}

func TestWithoutItsDatabaseItIsNotReady(t *testing.T) {
	w := start(t)
	w.service.Close()
	status := w.asked("/readyz").Code
	assert.Equal(t, 503, status)
	status = w.asked("/healthz").Code
	assert.Equal(t, 200, status)
	status, _, text := w.raw(t, "GET", "/api/v1/titles", "", nil)
	assert.Equal(t, 500, status)
	assert.NotContains(t, text, "pool", "what went wrong inside is for the log")
	_, err := service.New(t.Context(), service.Config{Database: "postgres://nobody@127.0.0.1:1/none?connect_timeout=1"})
	assert.ErrorContains(t, err, "is PostgreSQL running")
}

func TestRequestsInProgressAreFinished(t *testing.T) {
	w := start(t)
	token, err := w.as(t, "").Login(t.Context(), "mira", password)
	require.NoError(t, err)
	address := strings.TrimPrefix(w.address, "http://")
	conn, err := net.Dial("tcp", address)
	require.NoError(t, err)
	defer conn.Close()
	text := tidewrack(t)
	_, err = fmt.Fprintf(conn, "POST /api/v1/contributions HTTP/1.1\r\nHost: %s\r\nContent-Type: application/json\r\nIdempotency-Key: k\r\nAuthorization: Bearer %s\r\nContent-Length: %d\r\nExpect: 100-continue\r\nConnection: close\r\n\r\n", address, token.Token, len(text))
	require.NoError(t, err)
	answers := bufio.NewReader(conn)
	line, err := answers.ReadString('\n') // comes once the handler reads the body
	require.NoError(t, err)
	require.Contains(t, line, "100 Continue")
	_, err = conn.Write(text[:len(text)/2])
	require.NoError(t, err)

	stopped := make(chan error, 1)
	go func() { stopped <- w.stop() }()
	require.Eventually(t, func() bool {
		c, err := net.Dial("tcp", address)
		if err == nil {
			_ = c.Close()
		}
		return err != nil
	}, time.Minute, 5*time.Millisecond, "nothing new is taken")
	_, err = conn.Write(text[len(text)/2:])
	require.NoError(t, err)
	rest, err := io.ReadAll(answers)
	require.NoError(t, err)
	assert.Contains(t, string(rest), "201 Created")
	assert.NoError(t, <-stopped)
}

// Several processes on one database: what one accepts the other serves.
func TestTwoServicesOnOneDatabase(t *testing.T) {
	w, ctx := start(t), t.Context()
	other := &running{database: w.database, log: &bytes.Buffer{}}
	other.listen(t, "127.0.0.1:0")
	sent, err := w.people["mira"].Submit(ctx, "k", tidewrack(t))
	require.NoError(t, err)
	other.published(t)
	_, err = w.people["anselm"].Accept(ctx, sent.Number)
	require.NoError(t, err)
	w.published(t)
	now := other.published(t)
	assert.Equal(t, 2, now.news.Revision)
	assert.Len(t, now.titles, 1)
}

func TestARestartInTheMiddleLosesNothing(t *testing.T) {
	w, ctx := start(t), t.Context()
	address := strings.TrimPrefix(w.address, "http://")
	c := w.people["mira"]
	c.Tries = 8
	require.NoError(t, w.stop())
	done := make(chan error, 1)
	go func() {
		_, err := c.Submit(ctx, "k", tidewrack(t))
		done <- err
	}()
	w.listen(t, address)
	require.NoError(t, <-done)
	list, err := c.Contributions(ctx, client.Filter{})
	require.NoError(t, err)
	assert.Len(t, list.Items, 1)
}

// A person sees what is signed in, and ends it; operators can do so for anybody.
func TestAccounts(t *testing.T) {
	w, ctx := start(t), t.Context()
	mira := w.people["mira"]
	me, err := mira.Account(ctx)
	require.NoError(t, err)
	require.Len(t, me.SignIns, 1)
	assert.True(t, me.SignIns[0].Current)
	second, err := w.as(t, "").Login(ctx, "mira", password)
	require.NoError(t, err)
	other := w.as(t, second.Token)
	jar, err := cookiejar.New(nil)
	require.NoError(t, err)
	browser := &http.Client{Jar: jar}
	signIn := func() int {
		a, err := browser.Post(w.address+"/api/v1/session", "application/json", strings.NewReader(`{"name":"mira","password":"`+password+`"}`))
		require.NoError(t, err)
		_ = a.Body.Close()
		return a.StatusCode
	}
	signedIn := func() bool {
		a, err := browser.Get(w.address + "/api/v1/account")
		require.NoError(t, err)
		_ = a.Body.Close()
		return a.StatusCode == 200
	}
	assert.Equal(t, 200, signIn())
	assert.True(t, signedIn())
	me, err = mira.Account(ctx)
	require.NoError(t, err)
	require.Len(t, me.SignIns, 3)
	assert.Equal(t, "browser", me.SignIns[0].Kind)

	require.NoError(t, mira.EndSignIn(ctx, me.SignIns[0].ID))
	assert.False(t, signedIn(), "the browser was signed out by the token")
	for _, bad := range []string{me.SignIns[0].ID, "t", "x1", "t999999", "b-1", "t1e9"} {
		assert.Equal(t, wire.ProblemNotFound, problem(t, mira.EndSignIn(ctx, bad)).Type, bad)
	}
	theirs, err := w.people["tobin"].Account(ctx)
	require.NoError(t, err)
	assert.Equal(t, wire.ProblemNotFound, problem(t, mira.EndSignIn(ctx, theirs.SignIns[0].ID)).Type, "nobody ends another's")

	assert.Equal(t, 403, problem(t, mira.ChangePassword(ctx, "not the present one", "another good password")).Status)
	assert.Equal(t, "new", problem(t, mira.ChangePassword(ctx, password, "short")).Field)
	assert.Equal(t, 200, signIn())
	require.NoError(t, mira.ChangePassword(ctx, password, "another good password"))
	assert.False(t, signedIn(), "another password ends other sign-ins")
	_, err = other.Account(ctx)
	assert.Equal(t, wire.ProblemSignIn, problem(t, err).Type)
	_, err = mira.Account(ctx)
	require.NoError(t, err, "but for the one that changed it")
	assert.Equal(t, 401, signIn())

	db, err := pgx.Connect(ctx, w.database)
	require.NoError(t, err)
	defer db.Close(context.WithoutCancel(ctx))
	_, err = db.Exec(ctx, `DELETE FROM limits`) // ten sign-ins at once are enough
	require.NoError(t, err)

	yes, no := true, false
	require.NoError(t, w.service.ChangeAccount(ctx, "mira", service.Change{Disabled: &yes}))
	_, err = mira.Account(ctx)
	assert.Equal(t, wire.ProblemSignIn, problem(t, err).Type)
	_, err = w.as(t, "").Login(ctx, "mira", "another good password")
	assert.ErrorContains(t, err, "disabled")
	require.NoError(t, w.service.ChangeAccount(ctx, "mira", service.Change{Disabled: &no}))
	_, err = w.as(t, "").Login(ctx, "mira", "another good password")
	require.NoError(t, err)
	require.NoError(t, w.service.ChangeAccount(ctx, "anselm", service.Change{Reviewer: &no}))
	sent, err := w.people["tobin"].Submit(ctx, "k", tidewrack(t))
	require.NoError(t, err)
	_, err = w.people["anselm"].Accept(ctx, sent.Number)
	assert.Equal(t, wire.ProblemRole, problem(t, err).Type, "demoted, at once")
	require.NoError(t, w.service.SetPassword(ctx, "tobin", "a third good password"))
	_, err = w.people["tobin"].Account(ctx)
	assert.Equal(t, wire.ProblemSignIn, problem(t, err).Type)
	assert.ErrorIs(t, w.service.ChangeAccount(ctx, "nobody", service.Change{SignOut: true}), service.ErrNoAccount)
	list, err := w.service.Accounts(ctx)
	require.NoError(t, err)
	assert.Len(t, list, 5)
}

// A launcher's own home, once its sheet is in the manifest, is no place for a title.
func TestALocationInALaunchersHome(t *testing.T) {
	w := start(t)
	early, err := w.people["tobin"].Submit(t.Context(), "before", body(t, "Saltglass", "xdg-data:quayside/settings/a.sav", "xdg-data:quayside/settings/a.sav"))
	require.NoError(t, err, "nobody has said yet that a launcher lives there")
	sent, err := w.people["mira"].Submit(t.Context(), "sheet", sheetBody(t, launchers.QuaysideSheet))
	require.NoError(t, err)
	_, err = w.people["anselm"].Accept(t.Context(), sent.Number)
	require.NoError(t, err)
	_, err = w.people["tobin"].Submit(t.Context(), "after", body(t, "Tidewrack", "xdg-data:quayside/settings/b.sav", "xdg-data:quayside/settings/b.sav"))
	p := problem(t, err)
	assert.Equal(t, wire.ProblemInvalid, p.Type)
	assert.Equal(t, "draft.locations[0].at", p.Field)
	assert.Contains(t, p.Detail, "which belongs to Quayside itself")
	_, err = w.people["anselm"].Accept(t.Context(), early.Number)
	assert.Contains(t, problem(t, err).Detail, "which belongs to Quayside itself", "what was sent before is held to it when it is decided")
	_, err = w.people["tobin"].Submit(t.Context(), "title", body(t, "Tidewrack", "xdg-data:quayside/installed/tw/b.sav", "xdg-data:quayside/installed/tw/b.sav"))
	assert.NoError(t, err)
}

// Expired tokens and unused limits are deleted.
func TestExpiredSessionsAreDeleted(t *testing.T) {
	w := start(t)
	require.NoError(t, w.sql(t, `INSERT INTO sessions (token, data, expiry) VALUES ('old', '', now() - interval '1 second'), ('new', '', now() + interval '1 hour')`))
	second, err := service.New(t.Context(), service.Config{Database: w.database})
	require.NoError(t, err)
	defer second.Close()
	db, err := pgx.Connect(t.Context(), w.database)
	require.NoError(t, err)
	defer db.Close(context.WithoutCancel(t.Context()))
	var left []string
	assert.Eventually(t, func() bool {
		left = nil
		rows, err := db.Query(t.Context(), `SELECT token FROM sessions WHERE token IN ('old', 'new')`)
		if err != nil {
			return false
		}
		left, err = pgx.CollectRows(rows, pgx.RowTo[string])
		return err == nil && len(left) == 1
	}, 10*time.Second, 20*time.Millisecond)
	assert.Equal(t, []string{"new"}, left)
}

// Nobody fills the list of what waits.
func TestLimitOfWaitingContributions(t *testing.T) {
	w := start(t)
	sent, err := w.people["tobin"].Submit(t.Context(), "first", body(t, "Saltglass", "xdg-data:saltglass/a.sav", "xdg-data:saltglass/a.sav"))
	require.NoError(t, err)
	require.NoError(t, w.sql(t, fmt.Sprintf(`INSERT INTO contributions (id, person_id, idempotency_key, body_digest, kind, title, statement) SELECT 1000 + n, person_id, 'k' || n, body_digest, kind, title, statement FROM contributions, generate_series(2, %d) n`, store.MaxWaiting)))
	_, err = w.people["tobin"].Submit(t.Context(), "more", body(t, "Saltglass", "xdg-data:saltglass/b.sav", "xdg-data:saltglass/b.sav"))
	p := problem(t, err)
	assert.Equal(t, wire.ProblemTooMany, p.Type)
	assert.Contains(t, p.Detail, "100 of your contributions are waiting; a reviewer has to decide on some first")
	again, err := w.people["tobin"].Submit(t.Context(), "first", body(t, "Saltglass", "xdg-data:saltglass/a.sav", "xdg-data:saltglass/a.sav"))
	require.NoError(t, err)
	assert.Equal(t, sent.Number, again.Number, "what was sent before is answered")
	_, err = w.people["mira"].Submit(t.Context(), "other", body(t, "Tidewrack", "xdg-data:tidewrack/b.sav", "xdg-data:tidewrack/b.sav"))
	require.NoError(t, err, "another person's is another matter")
	_, err = w.people["anselm"].Return(t.Context(), sent.Number, "not so")
	require.NoError(t, err)
	_, err = w.people["tobin"].Submit(t.Context(), "more", body(t, "Saltglass", "xdg-data:saltglass/b.sav", "xdg-data:saltglass/b.sav"))
	require.NoError(t, err)
}

func TestUnreachableDatabaseIsReportedInOneLine(t *testing.T) {
	_, err := service.New(t.Context(), service.Config{Database: "postgres://nobody@127.0.0.1:1/none"})
	require.Error(t, err)
	assert.NotContains(t, err.Error(), "\n")
	assert.Contains(t, err.Error(), "open database none as nobody: 127.0.0.1:1")
	assert.Contains(t, err.Error(), "is PostgreSQL running")
}
