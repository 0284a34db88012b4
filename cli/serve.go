package cli

import (
	"context"
	"errors"

	"log/slog"
	"net"
	"os"
	"os/signal"
	"syscall"
	"time"

	"github.com/lmittmann/tint"
	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/service"
)

func databaseFlag() cli.Flag {
	return &cli.StringFlag{Name: "database", Usage: "PostgreSQL's `URL`, postgres://…", Sources: cli.EnvVars("ENDROIT_DATABASE"), Required: true}
}

func (a *app) serve() *cli.Command {
	return command(&cli.Command{
		Name: "serve", Usage: "run the service: the API, the console and the published manifest",
		Description: "Brings the database's schema up to date first. Ends on Ctrl-C or SIGTERM after\nfinishing what is under way. Several may run on one database.",
		Flags: []cli.Flag{
			databaseFlag(),
			&cli.StringFlag{Name: "address", Value: "127.0.0.1:8417", Usage: "the `HOST:PORT` to answer on"},
			&cli.StringFlag{Name: "operations", Value: "127.0.0.1:8418", Usage: "answer /healthz, /readyz and /metrics on this `HOST:PORT`, which strangers should not reach; none turns that off"},
			&cli.BoolFlag{Name: "https", Usage: "people reach it over HTTPS (through a proxy): cookies are marked for that"},
			&cli.StringSliceFlag{Name: "proxy", Usage: "a load balancer in front has addresses in `CIDR`,...: its X-Forwarded-For is believed"},
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			ctx, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
			defer stop()
			var proxies []*net.IPNet
			for _, text := range c.StringSlice("proxy") {
				_, p, err := net.ParseCIDR(text)
				if err != nil {
					return fail(exitUsage, "--proxy %s is not like 10.0.0.0/24", text)
				}
				proxies = append(proxies, p)
			}
			l, err := listenOn(c, "address")
			if err != nil {
				return err
			}
			defer l.Close()
			var operations net.Listener
			if c.String("operations") != "none" {
				if operations, err = listenOn(c, "operations"); err != nil {
					return err
				}
				defer operations.Close()
			}
			log := newLog(c)
			s, err := service.New(ctx, service.Config{Database: c.String("database"), Log: log, SecureCookies: c.Bool("https"), Proxies: proxies, Version: Version})
			if err != nil {
				return err
			}
			defer s.Close()
			log.Info("serving", "address", "http://"+l.Addr().String(), "version", Version)
			if operations != nil {
				log.Info("operations", "address", "http://"+operations.Addr().String())
				go func() {
					if err := s.ServeOperations(ctx, operations); err != nil {
						log.Error("operations", "error", err)
					}
				}()
			}
			if err := s.Serve(ctx, l); err != nil {
				log.Error("ended", "error", err)
				return err
			}
			log.Info("ended")
			return nil
		},
	}, program, "endroit serve --database postgres://endroit@127.0.0.1:5432/endroit")
}

// listenOn takes the address that a flag names.
func listenOn(c *cli.Command, flag string) (net.Listener, error) {
	l, err := net.Listen("tcp", c.String(flag))
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, fail(exitFailed, "%s is in use by another program; end that one, or choose another with --%s", c.String(flag), flag)
	}
	if err != nil {
		return nil, fail(exitFailed, "listen: %w", err)
	}
	return l, nil
}

// newLog writes for people on a terminal and JSON lines otherwise.
func newLog(*cli.Command) *slog.Logger {
	if term.IsTerminal(int(os.Stderr.Fd())) {
		return slog.New(tint.NewTextHandler(os.Stderr, &tint.Options{TimeFormat: time.TimeOnly}))
	}
	return slog.New(slog.NewJSONHandler(os.Stderr, nil))
}

func (a *app) people() *cli.Command {
	return command(&cli.Command{
		Name: "people", Usage: "make accounts, on the machine of the service",
		Commands: []*cli.Command{
			command(&cli.Command{Name: "add", Usage: "make an account", UsageText: "endroit people add NAME [--reviewer]",
				Flags: []cli.Flag{databaseFlag(), &cli.BoolFlag{Name: "reviewer", Usage: "may decide on others' contributions"}, &cli.BoolFlag{Name: "password-stdin", Usage: "read the password from standard input"}},
				Action: func(ctx context.Context, c *cli.Command) error {
					name, err := oneArg(c, "one NAME")
					if err != nil {
						return err
					}
					password, err := a.password("Password for "+name+": ", c.Bool("password-stdin"))
					if err != nil {
						return err
					}
					s, err := service.New(ctx, service.Config{Database: c.String("database")})
					if err != nil {
						return err
					}
					defer s.Close()
					if err := s.AddPerson(ctx, name, password, c.Bool("reviewer")); err != nil {
						return fail(exitInput, "%w", err)
					}
					role := "contributor"
					if c.Bool("reviewer") {
						role = "reviewer"
					}
					a.say("added %s, a %s", name, role)
					return nil
				}}, "", "endroit people add anselm --reviewer"),
		},
		Action: func(context.Context, *cli.Command) error {
			return fail(exitUsage, "people wants: add NAME")
		},
	}, program, "endroit people add anselm --reviewer")
}
