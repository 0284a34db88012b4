package cli

import (
	"bufio"
	"context"
	"errors"
	"net"
	"os"
	"os/exec"
	"os/signal"
	"runtime"
	"strings"
	"syscall"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/core/draft"
	"endroit/localmanifest"
	"endroit/workbench"
)

func (a *app) workbench() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerTraces),
		Name:          "workbench",
		Usage:         "look at a trace in the browser: what its files are, when they were used, what is in them, and the draft",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "draft", Usage: "the `DRAFT` to read and save (otherwise named after the trace)"},
			&cli.StringFlag{Name: "title", Usage: "the game's `NAME`, if the trace has none"},
			&cli.StringFlag{
				Name:  "address",
				Value: "127.0.0.1:0",
				Usage: "the `HOST:PORT` to answer on, on loopback; port 0 takes a free one",
			},
			&cli.BoolFlag{Name: "no-browser", Usage: "print the address, and open no browser"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			names := c.Args().Slice()
			if len(names) == 0 || len(names) > draft.MaxTraces+1 {
				return fail(exitUsage, "1 to %d traces are required; see endroit workbench --help", draft.MaxTraces+1)
			}
			return a.runWorkbench(ctx, c, names)
		},
	}, find, "workbench")
}

func (a *app) runWorkbench(ctx context.Context, c *cli.Command, names []string) error {
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
	defer stop()
	config := workbench.Config{Traces: names, Draft: c.String("draft"), Title: c.String("title"), By: ownName()}
	if config.Draft == "" {
		config.Draft = besides(names[0], ".trace", ".draft.yaml")
	}
	switch k, err := a.openManifest(ctx); {
	case err == nil:
		defer k.Close()
		config.Manifest = k
	case errors.Is(err, localmanifest.ErrNone):
		a.tell("endroit: there is no local manifest (endroit fetch), so files of other titles are not recognised")
	default:
		a.tell("endroit: the local manifest could not be read: %v", err)
	}
	b, err := workbench.Open(config)
	if err != nil {
		return err
	}
	l, err := net.Listen("tcp", c.String("address"))
	if errors.Is(err, syscall.EADDRINUSE) {
		return fail(
			exitFailed, "%s is in use by another program; choose another with --address, or leave it out",
			c.String("address"),
		)
	}
	if err != nil {
		return fail(exitUsage, "--address %s: %w", c.String("address"), err)
	}
	defer l.Close()
	if !l.Addr().(*net.TCPAddr).IP.IsLoopback() {
		return fail(
			exitUsage,
			"--address %s is not on loopback; the workbench shows this machine's files, and others could reach it",
			c.String("address"),
		)
	}
	address := b.Address(l)
	again := ""
	if term.IsTerminal(int(a.in.Fd())) {
		again = " Enter prints another."
		go func() {
			for lines := bufio.NewScanner(a.in); lines.Scan(); {
				a.say("  %s", b.Address(l))
			}
		}()
	}
	a.say(
		"The workbench of %s:\n  %s\nThe address works once, in one browser on this machine.%s Ctrl-C ends it.",
		shown(strings.Join(names, ", ")), address, again,
	)
	if !c.Bool("no-browser") {
		openBrowser(b.Address(l)) // one of its own: it can be seen in the list of processes
	}
	return b.Serve(ctx, l)
}

// openBrowser opens an address where there is a desktop to open it on. If it cannot, the
// address was printed.
func openBrowser(address string) {
	var c *exec.Cmd
	switch runtime.GOOS {
	case "windows":
		c = exec.Command("rundll32", "url.dll,FileProtocolHandler", address)
	case "darwin":
		c = exec.Command("open", address)
	default:
		if os.Getenv("DISPLAY") == "" && os.Getenv("WAYLAND_DISPLAY") == "" {
			return
		}
		c = exec.Command("xdg-open", address)
	}
	if c.Start() == nil {
		go func() { _ = c.Wait() }()
	}
}
