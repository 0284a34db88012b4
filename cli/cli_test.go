package cli_test

import (
	"bytes"
	"context"
	"errors"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/rogpeppe/go-internal/testscript"
	"github.com/santhosh-tekuri/jsonschema/v6"

	"endroit/cli"
	"endroit/localpg/pgtest"
	"endroit/publication"
	"endroit/schemas"
	"endroit/service"
	"endroit/standin/launchers"
	"endroit/standin/world"
)

// games is the folder with the stand-in game, built once.
var games string

func TestMain(m *testing.M) {
	testscript.Main(prepared{m}, map[string]func(){"endroit": func() { os.Exit(cli.Main(context.Background(), os.Args)) }})
}

// prepared runs the tests with a database and a game.
type prepared struct{ m *testing.M }

func (p prepared) Run() int {
	var err error
	if games, err = os.MkdirTemp("", "endroit-games-"); err != nil {
		panic(err)
	}
	defer os.RemoveAll(games)
	if out, err := exec.Command("go", "build", "-o", games+"/", "endroit/standin/tidewrack", "endroit/standin/quayside").CombinedOutput(); err != nil {
		panic(string(out))
	}
	return pgtest.Run(p.m, nil)
}

const password = "a long enough password"

// served is a running service that a script can stop and start again.
type served struct {
	database, address string
	keys              string // the folder
	stop              func() error
}

func (s *served) start() error {
	app, err := service.New(context.Background(), service.Config{Database: s.database})
	if err != nil {
		return err
	}
	if s.address == "" {
		s.address = "127.0.0.1:0"
		for _, name := range []string{"mira", "tobin", "ysolde", "anselm"} {
			if err := app.AddPerson(context.Background(), name, password, name == "anselm"); err != nil {
				return err
			}
		}
	}
	l, err := net.Listen("tcp", s.address)
	if err != nil {
		return err
	}
	s.address = l.Addr().String()
	signer, err := publication.Open(s.keys)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithCancel(context.Background())
	ended, published := make(chan error, 1), make(chan struct{})
	go func() { ended <- app.Serve(ctx, l) }()
	go func() { app.Publish(ctx, signer); close(published) }()
	s.stop = func() error {
		cancel()
		err := <-ended
		<-published
		app.Close()
		s.stop = func() error { return nil }
		return err
	}
	return nil
}

// TestSessions plays the sessions of testdata: what a person types, what comes
// back, and which exit code.
func TestSessions(t *testing.T) {
	testscript.Run(t, testscript.Params{
		Dir:                 "testdata",
		RequireExplicitExec: true,
		Setup: func(env *testscript.Env) error {
			s := &served{database: pgtest.Database(env.T().(testing.TB)), keys: filepath.Join(env.WorkDir, "keys")}
			root, err := publication.NewKey()
			if err != nil {
				return err
			}
			plan := publication.Plan{Name: "The tests", Root: []*publication.Key{root}, Threshold: 1}
			if err := publication.Make(s.keys, plan, time.Now()); err != nil {
				return err
			}
			env.Setenv("ENDROIT_ROOT", filepath.Join(s.keys, "1.root.json"))
			if err := s.start(); err != nil {
				return err
			}
			env.Defer(func() { _ = s.stop() })
			env.Values["service"] = s
			home := filepath.Join(env.WorkDir, "mira")
			if err := os.MkdirAll(filepath.Join(home, "game", "data"), 0o755); err != nil {
				return err
			}
			// A link: a program that is written while another test starts a process is busy then.
			if err := os.Link(filepath.Join(games, "tidewrack"), filepath.Join(home, "game", "tidewrack")); err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(home, "game", "data", "world.pak"), make([]byte, 2<<20), 0o644); err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(env.WorkDir, "password"), []byte(password+"\n"), 0o600); err != nil {
				return err
			}
			env.Cd = home
			env.Setenv("HOME", home)
			env.Setenv("GAME", filepath.Join(home, "game", "tidewrack"))
			env.Setenv("QUAYSIDE", filepath.Join(games, "quayside"))
			env.Setenv("QUAYSIDE_SERVER", filepath.Join(env.WorkDir, "server"))
			env.Setenv("ENDROIT_SERVICE", "http://"+s.address)
			env.Setenv("ENDROIT_DATABASE", s.database)
			env.Setenv("XDG_RUNTIME_DIR", filepath.Join(games, filepath.Base(env.WorkDir))) // short: sockets have short paths
			return os.MkdirAll(env.Getenv("XDG_RUNTIME_DIR"), 0o700)
		},
		Condition: func(name string) (bool, error) { return name == "root" && os.Geteuid() == 0, nil },
		Cmds:      map[string]func(*testscript.TestScript, bool, []string){"exits": exits, "until": until, "service": serviceCommand, "world": worldCommand, "launchers": launchersCommand, "cut": cut, "replace": replace, "conforms": conforms},
	})
}

// exits CODE COMMAND… runs a command that has to end with that exit code.
func exits(ts *testscript.TestScript, neg bool, args []string) {
	want, err := strconv.Atoi(args[0])
	ts.Check(err)
	got := 0
	if err := ts.Exec(args[1], args[2:]...); err != nil {
		var exit *exec.ExitError
		if !errors.As(err, &exit) {
			ts.Fatalf("%v", err)
		}
		got = exit.ExitCode()
	}
	if got != want {
		ts.Fatalf("exit code %d, not %d", got, want)
	}
}

// until COMMAND… repeats a command until it succeeds.
func until(ts *testscript.TestScript, neg bool, args []string) {
	for deadline := time.Now().Add(time.Minute); time.Now().Before(deadline); time.Sleep(10 * time.Millisecond) {
		if ts.Exec(args[0], args[1:]...) == nil {
			return
		}
	}
	ts.Fatalf("it did not succeed in time")
}

// service stop | start
func serviceCommand(ts *testscript.TestScript, neg bool, args []string) {
	s := ts.Value("service").(*served)
	if args[0] == "stop" {
		ts.Check(s.stop())
		return
	}
	ts.Check(s.start())
}

// world loads the demo's titles.
func worldCommand(ts *testscript.TestScript, neg bool, args []string) {
	people := slices.Clone(world.People)
	for i := range people {
		people[i].Password = password
	}
	address := "http://" + ts.Value("service").(*served).address
	_, err := world.Load(context.Background(), address, people)
	ts.Check(err)
	ts.Check(world.Published(context.Background(), address, people))
}

// launchers HOME DISK makes the stand-in launchers there, and their sheets in
// $WORK/sheets.
func launchersCommand(ts *testscript.TestScript, neg bool, args []string) {
	ts.Check(launchers.All(args[0], args[1]))
	sheets := filepath.Join(ts.Getenv("WORK"), "sheets")
	ts.Check(os.MkdirAll(sheets, 0o755))
	for _, s := range launchers.Sheets {
		ts.Check(os.WriteFile(filepath.Join(sheets, s.File), s.Text, 0o644))
	}
}

// conforms FORMAT FILE holds a document (stdout is one) to the format's JSON Schema;
// ! conforms wants it refused.
func conforms(ts *testscript.TestScript, neg bool, args []string) {
	text, err := schemas.Files.ReadFile(args[0] + ".schema.json")
	ts.Check(err)
	doc, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
	ts.Check(err)
	compiler := jsonschema.NewCompiler()
	compiler.AssertFormat()
	ts.Check(compiler.AddResource(args[0], doc))
	schema, err := compiler.Compile(args[0])
	ts.Check(err)
	printed, err := jsonschema.UnmarshalJSON(strings.NewReader(ts.ReadFile(args[1])))
	ts.Check(err)
	if err := schema.Validate(printed); (err != nil) != neg {
		ts.Fatalf("%s and %s: %v", args[1], args[0], err)
	}
}

// cut FILE BYTES keeps the first bytes of a file; a negative number, all but the
// last.
func cut(ts *testscript.TestScript, neg bool, args []string) {
	n, err := strconv.Atoi(args[1])
	ts.Check(err)
	data := []byte(ts.ReadFile(args[0]))
	if n < 0 {
		n += len(data)
	}
	ts.Check(os.WriteFile(ts.MkAbs(args[0]), data[:n], 0o600))
}

// replace FILE OLD NEW changes a text in a file.
func replace(ts *testscript.TestScript, neg bool, args []string) {
	before := ts.ReadFile(args[0])
	after := strings.Replace(before, args[1], args[2], 1)
	if after == before {
		ts.Fatalf("%s does not contain %q", args[0], args[1])
	}
	ts.Check(os.WriteFile(ts.MkAbs(args[0]), []byte(after), 0o600))
}
