//go:build linux

// Command faults kills a service and its PostgreSQL with SIGKILL at random moments, while
// contributions are submitted, accepted and published, with fsync on, and looks after each
// kill whether anything was lost or changed. With -copies it does the same to the commands
// that copy and change a title's files.
//
//	faults -programs bin -kills 300
//	faults -programs bin -copies 1000
package main

import (
	"bytes"
	"context"
	"errors"
	"flag"
	"fmt"
	"maps"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/exec"
	"path/filepath"
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
	"endroit/core/trace"
	"endroit/localpg"
	"endroit/published"
	"endroit/service/wire"
)

func main() {
	programs := flag.String("programs", "bin", "the folder with endroit")
	kills := flag.Int("kills", 300, "how often something is killed")
	copying := flag.Int("copies", 0, "instead, play so many rounds of commands that copy, each of them killed, or with a disk that fails")
	flag.Parse()
	started := time.Now()
	if *copying > 0 {
		seen, err := RunCopies(context.Background(), *programs, *copying)
		for _, k := range slices.Sorted(maps.Keys(seen)) {
			fmt.Printf("  %-20s %d\n", k, seen[k])
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, "faults:", err)
			os.Exit(1)
		}
		fmt.Printf(
			"%d commands killed, or on a disk that fails, in %.0f s: after each, every file had one of its two contents, "+
				"and the next start ended the operation\n", *copying, time.Since(started).Seconds(),
		)
		return
	}
	g, err := Run(context.Background(), *programs, *kills)
	if err != nil {
		fmt.Fprintln(os.Stderr, "faults:", err)
		os.Exit(1)
	}
	fmt.Printf(
		"%d kills (%d of the service, %d of a process of PostgreSQL) in %.0f s: "+
			"%d submissions and %d acceptances were answered, none is lost; "+
			"%d published files were read, none changed; %d revisions, numbered without a gap\n",
		*kills, g.services, g.servers, time.Since(started).Seconds(), len(g.submitted), len(g.accepted), len(g.files), g.revision,
	)
}

const password = "a long enough password"

// ground is the service under fire, and what it has answered.
type ground struct {
	programs, folder, database, address string
	server                              *localpg.Server
	service                             *exec.Cmd
	tokens                              map[string]string
	state                               *published.State

	mu        sync.Mutex
	submitted map[int64]bool
	accepted  map[int64]bool
	next      atomic.Int64

	files             map[string][]byte // published, as they were first read
	revision          int
	services, servers int
}

// Run kills so often, and returns what was seen. The error says what was lost.
func Run(ctx context.Context, programs string, kills int) (*ground, error) {
	folder, err := os.MkdirTemp("", "endroit-faults-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	g := &ground{
		programs: programs, folder: folder, tokens: map[string]string{}, submitted: map[int64]bool{}, accepted: map[int64]bool{},
		files: map[string][]byte{}, state: published.Open(filepath.Join(folder, "trust")),
	}
	if g.server, err = localpg.Start(ctx, localpg.Options{Folder: filepath.Join(folder, "postgres")}); err != nil {
		return nil, err
	}
	defer g.server.Stop()
	if err := g.prepare(ctx); err != nil {
		return nil, err
	}
	defer g.end()
	for kill := range kills {
		if err := g.round(ctx); err != nil {
			return nil, fmt.Errorf("kill %d: %w", kill+1, err)
		}
	}
	return g, nil
}

// end kills the service.
func (g *ground) end() {
	if g.service != nil {
		_ = g.service.Process.Kill()
		_ = g.service.Wait()
		g.service = nil
	}
}

func (g *ground) run(ctx context.Context, in string, args ...string) error {
	c := exec.CommandContext(ctx, filepath.Join(g.programs, "endroit"), args...)
	c.Env = append(os.Environ(), "ENDROIT_DATABASE="+g.database)
	c.Stdin = strings.NewReader(in)
	if out, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("endroit %s: %w: %s", strings.Join(args, " "), err, out)
	}
	return nil
}

func (g *ground) prepare(ctx context.Context) (err error) {
	if g.database, err = g.server.Database(ctx, "endroit"); err != nil {
		return err
	}
	for _, name := range []string{"mira", "tobin", "anselm", "brida"} {
		args := []string{"people", "add", name, "--password-stdin"}
		if name == "anselm" || name == "brida" {
			args = append(args, "--reviewer")
		}
		if err := g.run(ctx, password+"\n", args...); err != nil {
			return err
		}
	}
	if err := g.run(ctx, "a passphrase of some length\n", "keys", "make", "--in", filepath.Join(g.folder, "keys"),
		"--root", filepath.Join(g.folder, "root.key"), "--name", "faults", "--passphrase-stdin"); err != nil {
		return err
	}
	if err := g.start(); err != nil {
		return err
	}
	for _, name := range []string{"mira", "tobin", "anselm", "brida"} {
		c, err := client.New(g.address, "")
		if err != nil {
			return err
		}
		token, err := c.Login(ctx, name, password)
		if err != nil {
			return err
		}
		g.tokens[name] = token.Token
	}
	raw, err := os.ReadFile(filepath.Join(g.folder, "keys", "1.root.json"))
	if err != nil {
		return err
	}
	root, err := published.ParseRoot(raw)
	if err != nil {
		return err
	}
	return g.state.Trust(root)
}

// start starts the service and waits until it answers.
func (g *ground) start() error {
	if g.address == "" {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			return err
		}
		g.address = "http://" + l.Addr().String()
		_ = l.Close()
	}
	log, err := os.OpenFile(filepath.Join(g.folder, "service.log"), os.O_CREATE|os.O_APPEND|os.O_WRONLY, 0o600)
	if err != nil {
		return err
	}
	defer log.Close()
	g.service = exec.Command(
		filepath.Join(g.programs, "endroit"), "serve", "--database", g.database, "--address", strings.TrimPrefix(g.address, "http://"),
		"--operations", "none", "--keys", filepath.Join(g.folder, "keys"),
	)
	g.service.Stdout, g.service.Stderr = log, log
	if err := g.service.Start(); err != nil {
		return err
	}
	return g.answers()
}

func (g *ground) answers() error {
	for range 2000 {
		if a, err := http.Get(g.address + "/api/v1/titles"); err == nil {
			_ = a.Body.Close()
			if a.StatusCode == http.StatusOK {
				return nil
			}
		}
		time.Sleep(10 * time.Millisecond)
	}
	tail, _ := os.ReadFile(filepath.Join(g.folder, "service.log"))
	return fmt.Errorf("the service does not answer again: %s", tail[max(0, len(tail)-1000):])
}

// round works for a moment, kills, and looks.
func (g *ground) round(ctx context.Context) error {
	working, stop := context.WithCancel(ctx)
	var all sync.WaitGroup
	for _, who := range []string{"mira", "tobin"} {
		all.Go(func() { g.submit(working, who) })
	}
	for _, who := range []string{"anselm", "brida"} {
		all.Go(func() { g.accept(working, who) })
	}
	time.Sleep(time.Duration(rand.IntN(700)) * time.Millisecond)
	err := g.kill()
	stop()
	all.Wait()
	if err != nil {
		return err
	}
	// PostgreSQL ends all connections when it has noticed the kill, perhaps only now. What
	// is lost stays lost, however often it is looked at.
	for try := 1; ; try++ {
		if err = g.look(ctx); err == nil || try == lookTries {
			return err
		}
		time.Sleep(500 * time.Millisecond)
	}
}

// lookTries is how often it is looked at what is there after a kill.
const lookTries = 6

// kill kills the service, or a process of PostgreSQL, which then recovers by itself.
func (g *ground) kill() error {
	if rand.IntN(3) > 0 {
		g.services++
		if err := g.service.Process.Kill(); err != nil {
			return err
		}
		_ = g.service.Wait()
		return g.start()
	}
	g.servers++
	text, err := os.ReadFile(filepath.Join(g.server.Folder, "data", "postmaster.pid"))
	if err != nil {
		return err
	}
	postmaster, _, _ := strings.Cut(string(text), "\n")
	children, err := os.ReadFile("/proc/" + postmaster + "/task/" + postmaster + "/children")
	if err != nil {
		return err
	}
	pids := strings.Fields(string(children))
	if len(pids) == 0 {
		return errors.New("PostgreSQL has no processes")
	}
	pid, err := strconv.Atoi(pids[rand.IntN(len(pids))])
	if err != nil {
		return err
	}
	if err := syscall.Kill(pid, syscall.SIGKILL); err != nil && !errors.Is(err, syscall.ESRCH) {
		return err
	}
	return g.answers()
}

// submit submits findings until the context ends. What is not answered counts for nothing.
func (g *ground) submit(ctx context.Context, who string) {
	c, err := client.New(g.address, g.tokens[who])
	if err != nil {
		return
	}
	c.Tries = 1
	for ctx.Err() == nil {
		n := g.next.Add(1)
		raw, err := contribution.Encode(finding(
			fmt.Sprintf("Title %03d of the record", n%200), fmt.Sprintf("xdg-data:title-%03d/slots/*.sav", n%200), n,
		))
		if err != nil {
			return
		}
		sent, err := c.Submit(ctx, fmt.Sprint("key-", n), raw)
		var p *wire.Problem
		switch {
		case err == nil:
			g.mu.Lock()
			g.submitted[sent.Number] = true
			g.mu.Unlock()
		case errors.As(err, &p) && p.Status == http.StatusTooManyRequests:
			g.unlimit(ctx)
		}
	}
}

// finding is one for a title, with a location that has one asterisk, by a machine.
func finding(title, at string, machine int64) *contribution.Finding {
	return &contribution.Finding{
		Head: contribution.Head{Name: contribution.FindingKind, Machine: fmt.Sprintf("%032x", machine)},
		Draft: &draft.Draft{
			Format: draft.Format, Title: title, OS: "linux", Runtime: "native",
			Edition:   &trace.Edition{Store: "quayside", Ref: manifest.Plain(title), Version: "1"},
			Locations: []draft.Location{{At: at, Holds: draft.Save}},
		},
		Footprint: &footprint.Footprint{
			Format: footprint.Format, OS: "linux", Runtime: "native", Observer: "seccomp", Counts: map[footprint.Kind]int{},
			Files: []footprint.File{{
				Place: strings.Replace(at, "*", "1", 1), Kind: footprint.Save, Writes: 1, Confidence: 0.9,
				Before: trace.State{Is: trace.IsFile}, After: trace.State{Is: trace.IsFile},
			}},
		},
	}
}

// unlimit lets people submit without a limit, which is not what is looked at here.
func (g *ground) unlimit(ctx context.Context) {
	db, err := pgx.Connect(ctx, g.database)
	if err != nil {
		return
	}
	defer db.Close(ctx)
	_, _ = db.Exec(ctx, `DELETE FROM limits`)
	time.Sleep(10 * time.Millisecond)
}

// accept accepts what waits until the context ends.
func (g *ground) accept(ctx context.Context, who string) {
	c, err := client.New(g.address, g.tokens[who])
	if err != nil {
		return
	}
	c.Tries = 1
	for ctx.Err() == nil {
		page, err := c.Contributions(ctx, client.Filter{State: "waiting", Limit: 10})
		if err != nil {
			continue
		}
		for _, x := range page.Items {
			if _, err := c.Accept(ctx, x.Number); err == nil {
				g.mu.Lock()
				g.accepted[x.Number] = true
				g.mu.Unlock()
			}
		}
	}
}

// look waits until all is published, reads it as a client does, and compares it with what
// was answered and with what was published before.
func (g *ground) look(ctx context.Context) error {
	db, err := pgx.Connect(ctx, g.database)
	for range 500 {
		if err == nil {
			break
		}
		time.Sleep(20 * time.Millisecond)
		db, err = pgx.Connect(ctx, g.database)
	}
	if err != nil {
		return err
	}
	defer db.Close(ctx)
	if err := g.settled(ctx, db); err != nil {
		return err
	}
	states := map[int64]string{}
	rows, err := db.Query(ctx, `SELECT id, state FROM contributions`)
	if err != nil {
		return err
	}
	var id int64
	var state string
	if _, err := pgx.ForEachRow(rows, []any{&id, &state}, func() error { states[id] = state; return nil }); err != nil {
		return err
	}
	for n := range g.submitted {
		if states[n] == "" {
			return fmt.Errorf("submission %d was answered and is lost", n)
		}
	}
	for n := range g.accepted {
		if states[n] != "accepted" {
			return fmt.Errorf("acceptance of %d was answered and is lost", n)
		}
	}
	for n := int64(1); n <= int64(len(states)); n++ {
		if states[n] == "" {
			return fmt.Errorf("contribution %d is missing from the numbers", n)
		}
	}
	return g.readTree(ctx, db, states)
}

// settled waits until the next start, or the process that stayed, has published all.
func (g *ground) settled(ctx context.Context, db *pgx.Conn) error {
	for range 1000 {
		var done bool
		err := db.QueryRow(ctx, `SELECT EXISTS (SELECT 1 FROM publication)
			AND NOT EXISTS (SELECT 1 FROM titles WHERE published <> version)`).Scan(&done)
		if err != nil {
			return err
		}
		if done {
			return nil
		}
		time.Sleep(20 * time.Millisecond)
	}
	tail, _ := os.ReadFile(filepath.Join(g.folder, "service.log"))
	return fmt.Errorf("what was accepted is not published within 20 s: %s", tail[max(0, len(tail)-2000):])
}

func (g *ground) readTree(ctx context.Context, db *pgx.Conn, states map[int64]string) error {
	from, closer, err := published.At(g.address + "/published")
	if err != nil {
		return err
	}
	defer closer.Close()
	news, err := g.state.Refresh(ctx, from)
	if err != nil {
		return err
	}
	observations := 0
	for name := range news.Files {
		data, err := news.Get(ctx, name)
		if err != nil {
			return err
		}
		if shard := published.ShardIn(name); shard != "" {
			s, err := manifest.ReadShard(shard, data)
			if err != nil {
				return err
			}
			for _, t := range s.Titles {
				for _, v := range t.Variants {
					observations += v.Locations[0].Counts.Observations
				}
			}
		}
	}
	accepted := 0
	for _, s := range states {
		if s == "accepted" {
			accepted++
		}
	}
	if observations != accepted {
		return fmt.Errorf("%d contributions are accepted, and %d are in what is published", accepted, observations)
	}
	g.revision = news.Revision
	var first, last, n int
	if err := db.QueryRow(ctx, `SELECT min(number), max(number), count(*) FROM revisions`).Scan(&first, &last, &n); err != nil {
		return err
	}
	if first != 1 || last != n || last != news.Revision {
		return fmt.Errorf("revisions are numbered %d to %d, and there are %d; the newest that is signed is %d", first, last, n, news.Revision)
	}
	return g.compareFiles(ctx, from, news)
}

// compareFiles reads again what was published before: nothing of it changes.
func (g *ground) compareFiles(ctx context.Context, from published.Source, news *published.News) error {
	paths := []string{published.RootPath(1), published.TargetsPath(news.Revision), published.SnapshotPath(news.Revision)}
	for name, f := range news.Files {
		paths = append(paths, published.FilePath(name, f))
	}
	again := 0
	for path := range g.files { // some of those before: all would be too many each time
		if again++; again > 30 {
			break
		}
		paths = append(paths, path)
	}
	for _, path := range paths {
		data, err := from.Get(ctx, path, 16<<20)
		if err != nil {
			return fmt.Errorf("%s: %w", path, err)
		}
		if old, ok := g.files[path]; ok && !bytes.Equal(old, data) {
			return fmt.Errorf("%s was published and has changed", path)
		}
		g.files[path] = data
	}
	return nil
}
