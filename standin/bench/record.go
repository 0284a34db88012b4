//go:build linux

package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/client"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/core/trace"
	"endroit/localpg"
	"endroit/published/publishedtest"
	"endroit/service/store"
)

// recordSizes are how many titles the record has, with ten contributions each.
var recordSizes = []int{1_000, 10_000, 100_000}

// What the figures of the record should stay below.
const (
	acceptP50, acceptP99 = 20 * time.Millisecond, 100 * time.Millisecond
	publishLimit         = 2 * time.Second
	firstBytes           = 15_000_000
	firstTime            = 10 * time.Second
	firstMemory          = 200
	laterBytes           = 300_000
	laterTime            = 300 * time.Millisecond
	nothingTime          = 50 * time.Millisecond
	serviceMemory        = 300
	searchP50, searchP99 = 10 * time.Millisecond, 50 * time.Millisecond
	searchRatio          = 1.5
	pageP99              = 30 * time.Millisecond
	contributionBytes    = 8192
)

// reviewers decide at once in the measurement of acceptances.
const (
	reviewers   = 8
	acceptances = 400
	// searchRounds is how often searching and pgbench take turns, and callsOfOne how often
	// both ask for one text then.
	searchRounds = 20
	callsOfOne   = 200
	password     = "a long enough password"
)

// records measures the record with all its sizes.
func records(programs string) error {
	for _, n := range recordSizes {
		if err := recordOf(programs, n); err != nil {
			return fmt.Errorf("the record with %d titles: %w", n, err)
		}
	}
	return nil
}

// ground is a database, two services on it, and what was loaded.
type ground struct {
	programs, folder string
	server           *localpg.Server
	database         string
	db               *pgx.Conn
	services         []*exec.Cmd
	addresses        []string
	tokens           []string
	waiting          []int64
	titles           int
}

func recordOf(programs string, titles int) error {
	ctx := context.Background()
	folder, err := os.MkdirTemp("", "endroit-record-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	g := &ground{programs: programs, folder: folder, titles: titles}
	defer g.end()
	fmt.Printf("\nThe record with %d titles and %d contributions, two services, fsync on:\n", titles, 10*titles)
	if err := g.begin(ctx); err != nil {
		return err
	}
	for _, measure := range []func(context.Context) error{g.accepting, g.publishing, g.fetching, g.searching, g.reading, g.sizes} {
		if err := measure(ctx); err != nil {
			return err
		}
	}
	return nil
}

func (g *ground) end() {
	for _, s := range g.services {
		_ = s.Process.Signal(syscall.SIGTERM)
		_ = s.Wait()
	}
	if g.db != nil {
		_ = g.db.Close(context.Background())
	}
	if g.server != nil {
		_ = g.server.Stop()
	}
}

// run runs a command of the program.
func (g *ground) run(ctx context.Context, in string, args ...string) error {
	c := exec.CommandContext(ctx, filepath.Join(g.programs, "endroit"), args...)
	c.Env = append(os.Environ(), "ENDROIT_DATABASE="+g.database)
	c.Stdin = strings.NewReader(in)
	if out, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("endroit %s: %w: %s", strings.Join(args, " "), err, out)
	}
	return nil
}

func (g *ground) begin(ctx context.Context) (err error) {
	if g.server, err = localpg.Start(ctx, localpg.Options{Folder: filepath.Join(g.folder, "postgres")}); err != nil {
		return err
	}
	if g.database, err = g.server.Database(ctx, "endroit"); err != nil {
		return err
	}
	people := []string{"mira"}
	for i := range reviewers {
		people = append(people, fmt.Sprintf("reviewer-%d", i))
	}
	for i, name := range people {
		args := []string{"people", "add", name, "--password-stdin"}
		if i > 0 {
			args = append(args, "--reviewer")
		}
		if err := g.run(ctx, password+"\n", args...); err != nil {
			return err
		}
	}
	if g.db, err = pgx.Connect(ctx, g.database); err != nil {
		return err
	}
	start := time.Now()
	if err := g.load(ctx); err != nil {
		return err
	}
	if err := g.run(ctx, "a passphrase of some length\n", "keys", "make", "--in", filepath.Join(g.folder, "keys"),
		"--root", filepath.Join(g.folder, "root.key"), "--name", "bench", "--passphrase-stdin"); err != nil {
		return err
	}
	loaded := time.Since(start)
	start = time.Now()
	if err := g.run(ctx, "", "publish", "--to", filepath.Join(g.folder, "tree"), "--keys", filepath.Join(g.folder, "keys")); err != nil {
		return err
	}
	fmt.Printf("  loaded in %.1f s, published for the first time, and written to a folder, in %.1f s\n",
		loaded.Seconds(), time.Since(start).Seconds())
	for range 2 {
		if err := g.serve(ctx); err != nil {
			return err
		}
	}
	for i := range reviewers {
		c, err := client.New(g.addresses[0], "")
		if err != nil {
			return err
		}
		token, err := c.Login(ctx, people[i+1], password)
		if err != nil {
			return err
		}
		g.tokens = append(g.tokens, token.Token)
	}
	return nil
}

// serve starts one more service.
func (g *ground) serve(ctx context.Context) error {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	at := l.Addr().String()
	_ = l.Close()
	c := exec.CommandContext(ctx, filepath.Join(g.programs, "endroit"), "serve", "--database", g.database,
		"--address", at, "--operations", "none", "--keys", filepath.Join(g.folder, "keys"))
	if err := c.Start(); err != nil {
		return err
	}
	g.services = append(g.services, c)
	g.addresses = append(g.addresses, "http://"+at)
	for range 1000 {
		if a, err := http.Get("http://" + at + "/api/v1/session"); err == nil {
			_ = a.Body.Close()
			return nil
		}
		time.Sleep(10 * time.Millisecond)
	}
	return fmt.Errorf("the service at %s does not answer", at)
}

// bodyOf is a finding for a title with a footprint of thirty files.
func bodyOf(n int) *contribution.Finding {
	d := draftOf(n)
	f := &footprint.Footprint{
		Format: footprint.Format, Title: d.Title, OS: "linux", Runtime: "native", Observer: "seccomp user notification",
		Programs: []string{"game"}, Counts: map[footprint.Kind]int{footprint.Save: 28, footprint.Config: 1, footprint.Asset: 4000},
		Cues: []trace.Cue{{At: 1e9, Word: "loaded"}, {At: 9e9, Word: "saved"}}, Length: 60e9, Events: 61_234,
	}
	plain := manifest.Plain(d.Title)
	for i := range 30 {
		at, kind := fmt.Sprintf("xdg-data:%s/slots/slot%d.sav", plain, i), footprint.Save
		switch i {
		case 28:
			at = "xdg-data:" + plain + "/profile.bin"
		case 29:
			at, kind = "xdg-config:"+plain+"/settings.ini", footprint.Config
		}
		f.Files = append(f.Files, footprint.File{
			Place: at, Kind: kind, Confidence: 0.93, Reads: 3 + i, Writes: 2 + i%5, Near: []string{"saved"}, Programs: []string{"game"},
			Findings: []footprint.Finding{{ID: "save-name", Facts: footprint.Facts{Word: "slot"}}},
			Before:   trace.State{Is: trace.IsFile, Size: int64(5000 + 37*i)},
			After:    trace.State{Is: trace.IsFile, Size: int64(5100 + 41*i)},
			Lane: &footprint.Lane{
				Reads:  []footprint.Stroke{{1e9 + int64(i)*1e7, 2e9, 3}},
				Writes: []footprint.Stroke{{9e9 + int64(i)*1e7, 10e9, 2}},
			},
		})
	}
	return &contribution.Finding{
		Head:  contribution.Head{Name: contribution.FindingKind, Machine: strings.Repeat("ab", 16)},
		Draft: d, Footprint: f,
	}
}

func draftOf(n int) *draft.Draft {
	d := &draft.Draft{
		Format: draft.Format, Title: titleName(n),
		Edition:  &trace.Edition{Store: "quayside", Ref: fmt.Sprint(1_000_000 + n), Version: "1.2"},
		Launcher: "quayside", OS: "linux", Runtime: "native", Locations: locations(n, false),
	}
	return d
}

// load writes the record as acceptances leave it: each title with ten contributions, of
// which the first is its evidence. Only the first has its body there: the others' would
// be ten times the disk, and nothing here reads them.
func (g *ground) load(ctx context.Context) error {
	at := time.Now().UTC().Truncate(time.Second)
	if _, err := g.db.Exec(ctx, `UPDATE counters SET last = $1`, 10*g.titles); err != nil {
		return err
	}
	if err := g.run(ctx, "", "people", "list"); err != nil { // which makes the tables' parts
		return err
	}
	var mira, anselm int64
	var opaque string
	for name, id := range map[string]*int64{"mira": &mira, "reviewer-0": &anselm} {
		if err := g.db.QueryRow(ctx, `SELECT id, opaque FROM people WHERE name = $1`, name).Scan(id, &opaque); err != nil {
			return err
		}
	}
	var contributions, bodies, titles, names, words, editions, stems, versions [][]any
	flush := func() error {
		for _, t := range []struct {
			table   string
			columns []string
			rows    *[][]any
		}{
			{"contributions", []string{
				"id", "person_id", "idempotency_key", "body_digest", "kind", "title", "title_id",
				"store", "ref", "system", "statement", "state", "decided_by", "decided",
			}, &contributions},
			{"bodies", []string{"contribution_id", "body"}, &bodies},
			{"titles", []string{
				"id", "name", "folded", "version", "doc", "shown", "shown_until", "stems_version", "listed", "found_version",
			}, &titles},
			{"title_names", []string{"title_id", "folded", "plain"}, &names},
			{"title_words", []string{"title_id", "rest", "folded"}, &words},
			{"editions", []string{"store", "ref", "title_id"}, &editions},
			{"title_stems", []string{"stem", "title_id"}, &stems},
			{"title_versions", []string{"title_id", "version", "contribution_id", "accepted", "doc"}, &versions},
		} {
			if _, err := g.db.CopyFrom(ctx, pgx.Identifier{t.table}, t.columns, pgx.CopyFromRows(*t.rows)); err != nil {
				return fmt.Errorf("load %s: %w", t.table, err)
			}
			*t.rows = nil
		}
		return nil
	}
	for n := range g.titles {
		d := draftOf(n)
		id := publishedtest.ID(d.Title)
		first := int64(10*n + 1)
		known, err := (&record.Title{ID: id, Name: d.Title, Variants: []record.Variant{}}).Observe(d, standing.Evidence{
			Contribution: first, Person: opaque, Reviewer: opaque, Machine: strings.Repeat("ab", 16),
			Accepted: at, Observer: "seccomp user notification",
		})
		if err != nil {
			return err
		}
		doc, err := known.Encode()
		if err != nil {
			return err
		}
		p, until := known.Published(at)
		shown, err := manifest.Canonical(p)
		if err != nil {
			return err
		}
		short, err := store.List(&p)
		if err != nil {
			return err
		}
		for i := range int64(10) {
			key := fmt.Sprint("k", first+i)
			digest := sha256.Sum256([]byte(key))
			contributions = append(contributions, []any{
				first + i, mira, key, digest[:], "finding", d.Title, id,
				"quayside", d.Edition.Ref, "linux", "record 3 locations of " + d.Title, "accepted", anselm, at,
			})
		}
		raw, err := contribution.Encode(bodyOf(n))
		if err != nil {
			return err
		}
		bodies = append(bodies, []any{first, manifest.Compress(raw)})
		titles = append(titles, []any{id, d.Title, manifest.Fold(d.Title), 1, doc, shown, until, place.StemsVersion, short, 1})
		names = append(names, []any{id, manifest.Fold(d.Title), manifest.Plain(d.Title)})
		for _, r := range []string{"up title ", "title ", ""} {
			words = append(words, []any{id, r + fmt.Sprintf("%06d", n), manifest.Fold(d.Title)})
		}
		editions = append(editions, []any{"quayside", d.Edition.Ref, id})
		seen := map[string]bool{}
		for _, l := range d.Locations {
			at, err := l.Place()
			if err != nil {
				return err
			}
			for _, s := range at.Stems() {
				if !seen[s] {
					seen[s] = true
					stems = append(stems, []any{s, id})
				}
			}
		}
		versions = append(versions, []any{id, 1, first, at, manifest.Compress(doc)})
		if len(titles) == 2000 {
			if err := flush(); err != nil {
				return err
			}
		}
	}
	// What waits: findings for titles all over the record, half of them for new ones.
	last := int64(10*g.titles + 1)
	for i := range acceptances + 40 {
		n := i * (g.titles / (acceptances + 40))
		if i%2 == 1 {
			n = g.titles + i
		}
		b := bodyOf(n)
		b.Machine = fmt.Sprintf("%032x", i)
		raw, err := contribution.Encode(b)
		if err != nil {
			return err
		}
		number := last + int64(i)
		g.waiting = append(g.waiting, number)
		digest := sha256.Sum256(raw)
		contributions = append(contributions, []any{
			number, mira, fmt.Sprint("k", number), digest[:], "finding", b.Draft.Title, "",
			"quayside", b.Draft.Edition.Ref, "linux", "record 3 locations of " + b.Draft.Title, "waiting", nil, nil,
		})
		bodies = append(bodies, []any{number, manifest.Compress(raw)})
	}
	if err := flush(); err != nil {
		return err
	}
	for _, sql := range []string{`UPDATE counters SET last = (SELECT max(id) FROM contributions)`, `VACUUM ANALYZE`, `CHECKPOINT`} {
		if _, err := g.db.Exec(ctx, sql); err != nil {
			return err
		}
	}
	return nil
}

// figure is one figure with its aim.
func figure(what string, got, limit any, ok bool) {
	mark := ""
	if !ok {
		mark = "  OVER"
	}
	fmt.Printf("  %-62s %12v  (%v)%s\n", what, got, limit, mark)
}

func took(what string, got, limit time.Duration) {
	figure(what, got.Round(100*time.Microsecond), limit, got <= limit)
}

// at gives the value at a part of sorted ones.
func quantile(all []time.Duration, part float64) time.Duration {
	slices.Sort(all)
	return all[min(len(all)-1, int(part*float64(len(all))))]
}

func (g *ground) accepting(ctx context.Context) error {
	work := make(chan int64, acceptances)
	for _, n := range g.waiting[:acceptances] {
		work <- n
	}
	close(work)
	g.waiting = g.waiting[acceptances:]
	var mu sync.Mutex
	var all []time.Duration
	var failed error
	var group sync.WaitGroup
	start := time.Now()
	for i := range reviewers {
		group.Go(func() {
			c, err := client.New(g.addresses[i%2], g.tokens[i])
			for n := range work {
				if err != nil {
					break
				}
				began := time.Now()
				_, err = c.Accept(ctx, n)
				mu.Lock()
				all = append(all, time.Since(began))
				mu.Unlock()
			}
			if err != nil {
				mu.Lock()
				failed = err
				mu.Unlock()
			}
		})
	}
	group.Wait()
	if failed != nil {
		return failed
	}
	took("acceptance, p50", quantile(all, 0.5), acceptP50)
	took("acceptance, p99", quantile(all, 0.99), acceptP99)
	fmt.Printf("  %-62s %12.0f\n", "acceptances in a second", float64(len(all))/time.Since(start).Seconds())
	return nil
}

// published waits until a contribution is.
func (g *ground) published(ctx context.Context, number int64) error {
	for range 3000 {
		var done bool
		if err := g.db.QueryRow(ctx, `SELECT NOT EXISTS (SELECT 1 FROM titles WHERE published <> version)
			AND EXISTS (SELECT 1 FROM contributions WHERE id = $1 AND state = 'accepted')`, number).Scan(&done); err != nil {
			return err
		}
		if done {
			return nil
		}
		time.Sleep(5 * time.Millisecond)
	}
	return fmt.Errorf("contribution %d is not published", number)
}

func (g *ground) publishing(ctx context.Context) error {
	c, err := client.New(g.addresses[0], g.tokens[0])
	if err != nil {
		return err
	}
	if err := g.published(ctx, g.waiting[0]-1); err != nil {
		return err
	}
	var all []time.Duration
	for _, n := range g.waiting[:5] {
		began := time.Now()
		if _, err := c.Accept(ctx, n); err != nil {
			return err
		}
		if err := g.published(ctx, n); err != nil {
			return err
		}
		all = append(all, time.Since(began))
	}
	g.waiting = g.waiting[5:]
	took("accepted to published, the longest of 5", quantile(all, 1), publishLimit)
	return nil
}

// counting is a way to a service that counts what is moved.
type counting struct {
	server          *httptest.Server
	requests, bytes atomic.Int64
}

func (c *counting) ModifyResponse(a *http.Response) error {
	c.requests.Add(1)
	a.Body = &countedBody{a.Body, &c.bytes}
	return nil
}

type countedBody struct {
	io.ReadCloser
	n *atomic.Int64
}

func (b *countedBody) Read(p []byte) (int, error) {
	n, err := b.ReadCloser.Read(p)
	b.n.Add(int64(n))
	return n, err
}

func (g *ground) fetching(ctx context.Context) error {
	to, err := url.Parse(g.addresses[0])
	if err != nil {
		return err
	}
	way := &counting{}
	proxy := httputil.NewSingleHostReverseProxy(to)
	proxy.ModifyResponse = way.ModifyResponse
	way.server = httptest.NewServer(proxy)
	defer way.server.Close()
	home := filepath.Join(g.folder, "home")
	fetch := func() (time.Duration, int64, int64, int64, error) {
		way.requests.Store(0)
		way.bytes.Store(0)
		c := exec.CommandContext(ctx, filepath.Join(g.programs, "endroit"), "fetch",
			"--service", way.server.URL, "--root", filepath.Join(g.folder, "keys", "1.root.json"), "--json")
		c.Env = []string{"HOME=" + home, "PATH=" + os.Getenv("PATH")}
		began := time.Now()
		out, err := c.CombinedOutput()
		if err != nil {
			return 0, 0, 0, 0, fmt.Errorf("fetch: %w: %s", err, out)
		}
		memory := c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss / 1024
		return time.Since(began), way.bytes.Load(), way.requests.Load(), memory, nil
	}
	if err := os.MkdirAll(home, 0o755); err != nil {
		return err
	}
	if err := g.published(ctx, g.waiting[0]-1); err != nil {
		return err
	}
	t, moved, _, memory, err := fetch()
	if err != nil {
		return err
	}
	figure("first fetch: bytes", moved, firstBytes, moved <= firstBytes)
	took("first fetch: time", t, firstTime)
	figure("first fetch: memory of the client, MB", memory, firstMemory, memory <= firstMemory)
	var times []time.Duration
	var most int64
	for range 3 {
		c, err := client.New(g.addresses[1], g.tokens[1])
		if err != nil {
			return err
		}
		for _, n := range g.waiting[:10] {
			if _, err := c.Accept(ctx, n); err != nil {
				return err
			}
		}
		if err := g.published(ctx, g.waiting[9]); err != nil {
			return err
		}
		g.waiting = g.waiting[10:]
		t, moved, _, _, err := fetch()
		if err != nil {
			return err
		}
		times, most = append(times, t), max(most, moved)
	}
	figure("fetch after 10 acceptances: bytes, the most of 3", most, laterBytes, most <= laterBytes)
	took("fetch after 10 acceptances: time, median of 3", quantile(times, 0.5), laterTime)
	times = nil
	var requests int64
	for range 5 {
		t, _, n, _, err := fetch()
		if err != nil {
			return err
		}
		times, requests = append(times, t), n
	}
	took("fetch with nothing new: time, median of 5", quantile(times, 0.5), nothingTime)
	figure("fetch with nothing new: requests", requests, 2, requests <= 2)
	for i, s := range g.services {
		m, err := residentMB(s.Process.Pid)
		if err != nil {
			return err
		}
		figure(fmt.Sprintf("memory of service %d so far, the most, MB", i+1), m, serviceMemory, m <= serviceMemory)
	}
	return nil
}

// residentMB is the most memory that a process has had.
func residentMB(pid int) (int, error) {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/status", pid))
	if err != nil {
		return 0, err
	}
	var kb int
	for line := range strings.Lines(string(text)) {
		if rest, ok := strings.CutPrefix(line, "VmHWM:"); ok {
			_, err = fmt.Sscan(rest, &kb)
		}
	}
	return kb / 1024, err
}

// caller keeps its connections, as a browser does.
var caller = &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 32}}

// calls makes a call often, so many at once, and gives the times of all.
func (g *ground) calls(atOnce, times int, token string, path func(i int) string) ([]time.Duration, error) {
	var next atomic.Int64
	var mu sync.Mutex
	var all []time.Duration
	var failed error
	var group sync.WaitGroup
	for range atOnce {
		group.Go(func() {
			for {
				i := int(next.Add(1)) - 1
				if i >= times {
					return
				}
				r, err := http.NewRequest(http.MethodGet, g.addresses[i%2]+path(i), nil)
				if err != nil {
					return
				}
				if token != "" {
					r.Header.Set("Authorization", "Bearer "+token)
				}
				began := time.Now()
				a, err := caller.Do(r)
				if err == nil {
					_, err = io.Copy(io.Discard, a.Body)
					_ = a.Body.Close()
					if a.StatusCode != http.StatusOK {
						err = fmt.Errorf("%s answered %s", r.URL, a.Status)
					}
				}
				mu.Lock()
				all = append(all, time.Since(began))
				if err != nil {
					failed = err
				}
				mu.Unlock()
			}
		})
	}
	group.Wait()
	return all, failed
}

// typed are texts as people type them: beginnings of names that are there.
func (g *ground) typed(i int) string {
	name := strings.ToLower(titleName((i * 7919) % g.titles))
	return name[:4+i%(len(name)-4)]
}

func (g *ground) searching(ctx context.Context) error {
	// In turn, so that both are measured on the same machine, whatever it does beside.
	var all, same, alone, planned []time.Duration
	ask := func(times int, text func(i int) string) ([]time.Duration, error) {
		return g.calls(20, times, "", func(i int) string { return "/api/v1/titles?limit=20&q=" + url.QueryEscape(text(i)) })
	}
	for round := range searchRounds {
		some, err := ask(100, func(i int) string { return g.typed(i*searchRounds + round) })
		if err != nil {
			return err
		}
		all = append(all, some...)
		// Parameters of pgbench are those of a whole run: the same text is asked for as often.
		text := g.typed(round)
		if some, err = ask(callsOfOne, func(int) string { return text }); err != nil {
			return err
		}
		same = append(same, some...)
		if some, err = g.pgbench(fmt.Sprint("plain", round), text, ""); err != nil {
			return err
		}
		alone = append(alone, some...)
		// As the service asks: without planning it each time.
		if some, err = g.pgbench(fmt.Sprint("planned", round), text, "-c plan_cache_mode=force_generic_plan"); err != nil {
			return err
		}
		planned = append(planned, some...)
	}
	p50 := quantile(all, 0.5)
	took("search as one types, 20 at once, p50", p50, searchP50)
	took("search as one types, 20 at once, p99", quantile(all, 0.99), searchP99)
	if alone == nil {
		fmt.Println("  pgbench is not installed: not compared")
		return nil
	}
	limit := quantile(alone, 0.5)
	fmt.Printf("  %-62s %12s\n", "the same query from pgbench, 20 at once, p50", limit.Round(100*time.Microsecond))
	fmt.Printf(
		"  %-62s %12s\n", "the same, planned once as in the service, p50", quantile(planned, 0.5).Round(100*time.Microsecond),
	)
	took("searching for the same texts, 20 at once, p50", quantile(same, 0.5), searchP50)
	ratio := float64(quantile(same, 0.5)) / float64(limit)
	verdict := ""
	if ratio > searchRatio {
		verdict = "  OVER"
	}
	fmt.Printf("  %-62s %12.2f  (%v)%s\n", "search to pgbench, p50 to p50", ratio, searchRatio, verdict)
	return nil
}

// pgbench runs the search's query from 20 connections of PostgreSQL's own measuring
// program, and gives the times of all, or nil if it is not installed.
func (g *ground) pgbench(run, text, options string) (all []time.Duration, err error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/pgbench")
	if len(found) == 0 {
		return nil, nil
	}
	folder := filepath.Join(g.folder, "pgbench", run)
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return nil, err
	}
	query := strings.ReplaceAll(store.SearchWords(21), "$1", ":typed")
	script := filepath.Join(folder, "search.sql")
	if err := os.WriteFile(script, []byte(strings.Join(strings.Fields(query), " ")+";\n"), 0o644); err != nil {
		return nil, err
	}
	// Parameters are prepared like those of the service.
	c := exec.Command(found[len(found)-1], "-n", "-M", "prepared", "-c", "20", "-j", "2", "-t", strconv.Itoa(callsOfOne/20), "-l",
		"-D", "typed="+manifest.Fold(text), "-f", script, g.database)
	c.Dir = folder
	c.Env = append(os.Environ(), "PGOPTIONS="+options)
	if out, err := c.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("pgbench: %w: %s", err, out)
	}
	logs, err := filepath.Glob(filepath.Join(folder, "pgbench_log.*"))
	if err != nil {
		return nil, err
	}
	for _, file := range logs {
		text, err := os.ReadFile(file)
		if err != nil {
			return nil, err
		}
		for line := range strings.Lines(string(text)) {
			var client, number, micros int64
			if _, err := fmt.Sscan(line, &client, &number, &micros); err != nil {
				return nil, fmt.Errorf("pgbench's log: %w", err)
			}
			all = append(all, time.Duration(micros)*time.Microsecond)
		}
	}
	return all, nil
}

func (g *ground) reading(context.Context) error {
	all, err := g.calls(1, 200, g.tokens[0], func(i int) string { return "/api/v1/contributions?state=accepted&limit=50" })
	if err != nil {
		return err
	}
	took("a page of the queue, p99", quantile(all, 0.99), pageP99)
	all, err = g.calls(1, 400, "", func(i int) string { return "/api/v1/titles/" + publishedtest.ID(titleName((i*7919)%g.titles)) })
	if err != nil {
		return err
	}
	took("a title's page, p99", quantile(all, 0.99), pageP99)
	return nil
}

func (g *ground) sizes(ctx context.Context) error {
	var n int
	if err := g.db.QueryRow(ctx, `SELECT (pg_column_size(c.*) + octet_length(b.body))::int
		FROM contributions c JOIN bodies b ON b.contribution_id = c.id WHERE c.id = 1`).Scan(&n); err != nil {
		return err
	}
	figure("a contribution of 30 files in the database, bytes", n, contributionBytes, n <= contributionBytes)
	raw, err := contribution.Encode(bodyOf(0))
	if err != nil {
		return err
	}
	var compact bytes.Buffer
	if err := json.Compact(&compact, raw); err != nil {
		return err
	}
	fmt.Printf("  as it is sent it has %d bytes; processors: %d\n", len(raw), runtime.NumCPU())
	return nil
}
