// Package localpg runs a PostgreSQL server of its own on loopback, for the demo
// and the tests: from Debian's packages, in a given folder, as root through an
// ordinary account or directly as an ordinary user.
//
//	server, err := localpg.Start(ctx, localpg.Options{Folder: ".run/postgres"})
//	defer server.Stop()
package localpg

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"hash/fnv"
	"net"
	"net/url"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/jackc/pgx/v5"

	"endroit/childproc"
)

// ErrNotInstalled says that the machine has no PostgreSQL server.
var ErrNotInstalled = errors.New(
	"PostgreSQL's server is not installed; as root: apt-get install postgresql (make demo and make test do that)",
)

// Options say where and how to run it.
type Options struct {
	Folder string // made if it is not there; its data stays
	// Fast gives up safety against crashes, for tests.
	Fast bool
}

// Server is a running server.
type Server struct {
	URL    string // of the database postgres, as its owner
	Folder string // where the data really lies
	stop   func() error
}

const owner = "endroit"

// Start makes the data folder if needed and starts a server on a free port. The
// server ends with this process, however that ends.
func Start(ctx context.Context, o Options) (*Server, error) {
	bin, err := programs()
	if err != nil {
		return nil, err
	}
	folder, as, err := prepareFolder(o.Folder)
	if err != nil {
		return nil, fmt.Errorf("start PostgreSQL: %w", err)
	}
	s := &Server{Folder: folder}
	data, secret := filepath.Join(folder, "data"), filepath.Join(folder, "password")
	if _, err := os.Stat(filepath.Join(data, "PG_VERSION")); err != nil {
		if err := initialise(ctx, bin, folder, as); err != nil {
			return nil, err
		}
	}
	password, err := os.ReadFile(secret)
	if err != nil {
		return nil, fmt.Errorf("start PostgreSQL: %w; remove %s to start over", err, folder)
	}
	port, err := freePort()
	if err != nil {
		return nil, err
	}
	args := []string{
		"-D",
		data,
		"-p",
		strconv.Itoa(port),
		"-c", "listen_addresses=127.0.0.1", "-c", "unix_socket_directories=", "-c", "logging_collector=off",
	}
	if o.Fast {
		args = append(args, "-c", "fsync=off", "-c", "synchronous_commit=off", "-c", "full_page_writes=off")
	}
	log, err := os.Create(filepath.Join(folder, "log"))
	if err != nil {
		return nil, err
	}
	defer log.Close()
	c := exec.Command(filepath.Join(bin, "postgres"), args...)
	c.Dir, c.Stdout, c.Stderr = "/", log, log
	runAs(c, as)
	ended, err := childproc.Start(c, syscall.SIGINT)
	if err != nil {
		return nil, fmt.Errorf("start PostgreSQL: %w", err)
	}
	s.stop = func() error {
		_ = c.Process.Signal(syscall.SIGINT) // fast shutdown
		select {
		case <-ended:
			return nil
		case <-time.After(20 * time.Second):
			return c.Process.Kill()
		}
	}
	s.URL = (&url.URL{
		Scheme: "postgres", User: url.UserPassword(owner, strings.TrimSpace(string(password))),
		Host: "127.0.0.1:" + strconv.Itoa(port), Path: "/postgres", RawQuery: "sslmode=disable",
	}).String()
	if err := s.await(ctx, ended); err != nil {
		_ = s.stop()
		tail, _ := os.ReadFile(filepath.Join(folder, "log"))
		return nil, fmt.Errorf("start PostgreSQL: %w\n%s", err, lastLines(string(tail), 5))
	}
	return s, nil
}

// Stop ends the server and waits for it.
func (s *Server) Stop() error { return s.stop() }

// Database makes an empty database, removing one of that name first, and returns
// its URL.
func (s *Server) Database(ctx context.Context, name string) (string, error) {
	conn, err := pgx.Connect(ctx, s.URL)
	if err != nil {
		return "", err
	}
	defer conn.Close(ctx)
	id := pgx.Identifier{name}.Sanitize()
	for _, sql := range []string{"DROP DATABASE IF EXISTS " + id + " WITH (FORCE)", "CREATE DATABASE " + id} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			return "", fmt.Errorf("make database %s: %w", name, err)
		}
	}
	u, err := url.Parse(s.URL)
	if err != nil {
		return "", err
	}
	u.Path = "/" + name
	return u.String(), nil
}

func (s *Server) await(ctx context.Context, ended chan error) error {
	deadline := time.Now().Add(30 * time.Second)
	for {
		conn, err := pgx.Connect(ctx, s.URL)
		if err == nil {
			return conn.Close(ctx)
		}
		select {
		case e := <-ended:
			ended <- e
			return fmt.Errorf("it ended at once: %v", e)
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(30 * time.Millisecond):
		}
		if time.Now().After(deadline) {
			return fmt.Errorf("it did not answer: %w", err)
		}
	}
}

// programs finds the folder of the newest server that is installed.
func programs() (string, error) {
	found, _ := filepath.Glob("/usr/lib/postgresql/*/bin/postgres")
	sort.Slice(found, func(i, j int) bool { return major(found[i]) > major(found[j]) })
	if len(found) > 0 {
		return filepath.Dir(found[0]), nil
	}
	if p, err := exec.LookPath("postgres"); err == nil {
		if resolved, err := filepath.EvalSymlinks(p); err == nil {
			return filepath.Dir(resolved), nil
		}
	}
	return "", ErrNotInstalled
}

func major(path string) int {
	n, _ := strconv.Atoi(strings.Split(path, "/")[4])
	return n
}

// account is whom a program runs as; nil is who runs this one.
type account struct{ uid, gid int }

// prepareFolder makes the folder and finds whom the server has to run as: it
// refuses to be root.
func prepareFolder(folder string) (string, *account, error) {
	folder, err := filepath.Abs(folder)
	if err != nil {
		return "", nil, err
	}
	if os.Getuid() != 0 {
		return folder, nil, os.MkdirAll(folder, 0o700)
	}
	var entry *user.User
	for _, name := range []string{"postgres", "nobody"} {
		if entry, err = user.Lookup(name); err == nil {
			break
		}
	}
	if err != nil {
		return "", nil, errors.New("there is no unprivileged account (postgres or nobody) to run the server")
	}
	uid, _ := strconv.Atoi(entry.Uid)
	gid, _ := strconv.Atoi(entry.Gid)
	if !reachable(filepath.Dir(folder)) {
		// Below a folder that is root's alone, such as /root.
		h := fnv.New64a()
		_, _ = h.Write([]byte(folder))
		folder = fmt.Sprintf("/var/tmp/endroit-postgres-%x", h.Sum64())
		if info, err := os.Lstat(folder); err == nil && (!info.IsDir() || !belongsTo(info, uid)) {
			return "", nil, fmt.Errorf("%s belongs to another user; remove it", folder)
		}
	}
	if err := os.MkdirAll(folder, 0o755); err != nil {
		return "", nil, err
	}
	return folder, &account{uid, gid}, os.Chown(folder, uid, gid)
}

func reachable(dir string) bool {
	for {
		if info, err := os.Stat(dir); err == nil && info.Mode()&0o001 == 0 {
			return false
		}
		if dir == "/" {
			return true
		}
		dir = filepath.Dir(dir)
	}
}

func initialise(ctx context.Context, bin, folder string, as *account) error {
	raw := make([]byte, 16)
	_, _ = rand.Read(raw)
	secret := filepath.Join(folder, "password")
	if err := os.WriteFile(secret, []byte(hex.EncodeToString(raw)+"\n"), 0o600); err != nil {
		return err
	}
	if as != nil {
		if err := os.Chown(secret, as.uid, as.gid); err != nil {
			return err
		}
	}
	data := filepath.Join(folder, "data")
	if err := os.RemoveAll(data); err != nil { // left by an attempt that was interrupted
		return err
	}
	c := exec.CommandContext(
		ctx, filepath.Join(bin, "initdb"), "-D", data, "-U", owner, "--auth=scram-sha-256", "--pwfile="+secret,
		"-E", "UTF8", "--locale=C.UTF-8", "--no-sync",
	)
	c.Dir = "/"
	runAs(c, as)
	if out, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("make PostgreSQL's data folder %s: %w\n%s", data, err, lastLines(string(out), 5))
	}
	return nil
}

func freePort() (int, error) {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return 0, err
	}
	defer l.Close()
	return l.Addr().(*net.TCPAddr).Port, nil
}

func lastLines(text string, n int) string {
	lines := strings.Split(strings.TrimSpace(text), "\n")
	return strings.Join(lines[max(0, len(lines)-n):], "\n")
}
