// Command demo shows the whole way on one machine: it starts PostgreSQL and the
// service, loads the demo's data, walks through the job on the stand-in game, and
// keeps serving until Ctrl-C. It starts afresh each time.
//
//	demo -programs bin -folder .run -address 127.0.0.1:8417
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"net"
	"net/http"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"endroit/childproc"
	"endroit/localpg"
	"endroit/standin/wine"
	"endroit/standin/world"
)

func main() {
	d := demo{}
	flag.StringVar(&d.programs, "programs", "bin", "the folder with endroit and the stand-in games")
	flag.StringVar(&d.folder, "folder", ".run", "the folder for all that the demo keeps")
	flag.StringVar(&d.address, "address", "127.0.0.1:8417", "where the service answers")
	flag.BoolVar(&d.once, "once", false, "end after the walk instead of serving on")
	flag.BoolVar(&d.quick, "no-walk", false, "load the data and serve, without the walk")
	flag.Parse()
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := d.run(ctx); err != nil && !errors.Is(ctx.Err(), context.Canceled) {
		fmt.Fprintln(os.Stderr, "demo:", err)
		os.Exit(1)
	}
}

// made is a prefix, once it is there.
type made struct {
	prefix wine.Prefix
	err    error
}

type demo struct {
	programs, folder, address string
	once, quick               bool
	database                  string
}

func (d *demo) run(ctx context.Context) (err error) {
	for _, p := range []*string{&d.programs, &d.folder} {
		if *p, err = filepath.Abs(*p); err != nil {
			return err
		}
	}
	if err := os.MkdirAll(d.folder, 0o755); err != nil {
		return err
	}
	l, err := net.Listen("tcp", d.address)
	if err != nil {
		return fmt.Errorf(
			"%s cannot be used (%v). End the program that uses it (perhaps another demo), or choose another: "+
				"make demo ADDRESS=127.0.0.1:8418",
			d.address,
			err,
		)
	}
	_ = l.Close()

	var prefix chan made
	if !d.quick {
		prefix = make(chan made, 1)
		go func() {
			p, err := d.prefix(ctx)
			prefix <- made{p, err}
		}()
	}
	say("PostgreSQL starts, in a folder of the demo's own")
	server, err := localpg.Start(ctx, localpg.Options{Folder: filepath.Join(d.folder, "postgres"), Fast: true})
	if err != nil {
		return err
	}
	defer func() {
		if e := server.Stop(); err == nil {
			err = e
		}
	}()
	if d.database, err = server.Database(ctx, "endroit"); err != nil {
		return err
	}
	if err := d.makeKeys(); err != nil {
		return err
	}
	service, ended, err := d.serve(ctx)
	if err != nil {
		return err
	}
	defer func() {
		_ = service.Process.Signal(syscall.SIGTERM)
		<-ended
	}()
	if err := d.ready(ctx, ended); err != nil {
		return err
	}
	for _, p := range world.People {
		if err := d.addPerson(ctx, p); err != nil {
			return err
		}
	}
	waiting, err := world.Load(ctx, "http://"+d.address, world.People)
	if err != nil {
		return err
	}
	if err := world.Published(ctx, "http://"+d.address, world.People); err != nil {
		return err
	}
	say("The service answers, with the demo's titles; %d contributions wait for a review", waiting)
	if !d.quick {
		w := walk{demo: d, ctx: ctx, prefix: prefix}
		if err := w.all(); err != nil {
			return fmt.Errorf("the walk: %w", err)
		}
	}
	d.accounts()
	if d.once {
		return nil
	}
	fmt.Println("Ctrl-C stops the service and PostgreSQL.")
	select {
	case <-ctx.Done():
		say("Stopping what the demo started")
		return nil
	case err := <-ended:
		ended <- err
		return fmt.Errorf("the service ended (%v); its log is %s", err, d.log())
	}
}

func say(format string, args ...any) { fmt.Printf("== "+format+"\n", args...) }

// lastLine is the last that the service's log says.
func (d *demo) lastLine() string {
	text, err := os.ReadFile(d.log())
	if err != nil {
		return err.Error()
	}
	lines := strings.Split(strings.TrimSpace(string(text)), "\n")
	return lines[len(lines)-1]
}

func (d *demo) log() string { return filepath.Join(d.folder, "service.log") }

// serve starts the service. It ends with the demo, however that ends.
func (d *demo) serve(ctx context.Context) (*exec.Cmd, chan error, error) {
	log, err := os.Create(d.log())
	if err != nil {
		return nil, nil, err
	}
	defer log.Close()
	c := exec.Command(filepath.Join(d.programs, "endroit"), "serve", "--address", d.address, "--operations", d.operations(),
		"--keys", d.keys())
	c.Env = append(os.Environ(), "ENDROIT_DATABASE="+d.database)
	c.Stdout, c.Stderr = log, log
	ended, err := childproc.Start(c, syscall.SIGTERM)
	if err != nil {
		return nil, nil, fmt.Errorf("start the service: %w; make build makes it", err)
	}
	return c, ended, nil
}

// keys is the folder of the demo's online keys.
func (d *demo) keys() string { return filepath.Join(d.folder, "keys") }

// root is the file of the demo's first root, which everybody in it trusts.
func (d *demo) root() string { return filepath.Join(d.keys(), "1.root.json") }

// makeKeys makes keys of the demo's own, as somebody who publishes does.
func (d *demo) makeKeys() error {
	key := filepath.Join(d.folder, "root.key")
	for _, old := range []string{d.keys(), key} {
		if err := os.RemoveAll(old); err != nil {
			return err
		}
	}
	c := exec.Command(
		filepath.Join(d.programs, "endroit"), "keys", "make", "--in", d.keys(), "--root", key,
		"--name", "the demo on this machine", "--passphrase-stdin",
	)
	c.Stdin = strings.NewReader("a passphrase for the demo\n")
	if out, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("make the keys: %s", out)
	}
	return nil
}

// operations is where the service answers those who run it: at the next port.
func (d *demo) operations() string {
	host, port, _ := net.SplitHostPort(d.address)
	n, _ := strconv.Atoi(port)
	return net.JoinHostPort(host, strconv.Itoa(n+1))
}

func (d *demo) ready(ctx context.Context, ended chan error) error {
	for deadline := time.Now().Add(30 * time.Second); time.Now().Before(deadline); {
		request, err := http.NewRequestWithContext(ctx, http.MethodGet, "http://"+d.operations()+"/readyz", nil)
		if err != nil {
			return err
		}
		if answer, err := http.DefaultClient.Do(request); err == nil {
			_ = answer.Body.Close()
			if answer.StatusCode == http.StatusOK {
				return nil
			}
		}
		select {
		case err := <-ended:
			ended <- err
			return fmt.Errorf("the service ended at once (%v); its log is %s: %s", err, d.log(), d.lastLine())
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(20 * time.Millisecond):
		}
	}
	return fmt.Errorf("the service did not get ready in 30 seconds; its log is %s", d.log())
}

func (d *demo) addPerson(ctx context.Context, p world.Person) error {
	args := []string{"people", "add", p.Name, "--password-stdin"}
	if p.Reviewer {
		args = append(args, "--reviewer")
	}
	c := exec.CommandContext(ctx, filepath.Join(d.programs, "endroit"), args...)
	c.Env = append(os.Environ(), "ENDROIT_DATABASE="+d.database)
	c.Stdin = strings.NewReader(p.Password + "\n")
	if out, err := c.CombinedOutput(); err != nil {
		return fmt.Errorf("add %s: %s", p.Name, out)
	}
	return nil
}

func (d *demo) accounts() {
	fmt.Printf("\nThe console: http://%s\n\n", d.address)
	for _, p := range world.People {
		role := "contributor"
		if p.Reviewer {
			role = "reviewer"
		}
		fmt.Printf("  %-8s %-12s password %s\n", p.Name, role, p.Password)
	}
	if !d.quick {
		home := filepath.Join(d.folder, "homes", "mira")
		fmt.Printf(
			"\nThe workbench of the run above, in another terminal:\n  cd %s && HOME=$PWD %s workbench tidewrack.trace\n",
			home, filepath.Join(d.programs, "endroit"),
		)
	}
	fmt.Println("\nThe demo starts afresh each time: what you do in it is gone with the next one.")
}
