package cli

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"os"
	"os/signal"
	"syscall"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/lmittmann/tint"
	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/client"
	"endroit/core/phrase"
	"endroit/publication"
	"endroit/service"
)

func databaseFlag() cli.Flag {
	return &cli.StringFlag{
		Name:     "database",
		Usage:    "PostgreSQL's `URL`, postgres://…",
		Sources:  cli.EnvVars("ENDROIT_DATABASE"),
		Required: true,
	}
}

func (a *app) serve() *cli.Command {
	return command(&cli.Command{
		Name: "serve", Usage: "run the service: the API, the console and the published manifest",
		Flags: []cli.Flag{
			databaseFlag(),
			keysFlag(),
			&cli.StringFlag{Name: "address", Value: "127.0.0.1:8417", Usage: "the `HOST:PORT` to answer on"},
			&cli.StringFlag{
				Name:  "operations",
				Value: "127.0.0.1:8418",
				Usage: "serve /healthz, /readyz and /metrics on this `HOST:PORT`, which should not be public; none disables it",
			},
			&cli.BoolFlag{Name: "https", Usage: "the service is reached over HTTPS (through a proxy): mark cookies Secure"},
			&cli.StringSliceFlag{Name: "proxy", Usage: "trust X-Forwarded-For from proxies in `CIDR`,..."},
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
			s, err := service.New(ctx, service.Config{
				Database:      c.String("database"),
				Log:           log,
				SecureCookies: c.Bool("https"),
				Proxies:       proxies,
				Version:       Version,
			})
			if err != nil {
				return err
			}
			defer s.Close()
			if published := a.publishing(ctx, c, s, log); published != nil {
				defer func() { <-published }() // what is being published is finished, or taken back
			}
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
	}, program, "serve")
}

// publishing starts to publish, if the keys are there, and says what is missing. The
// channel is closed when it has ended.
func (a *app) publishing(ctx context.Context, c *cli.Command, s *service.Service, log *slog.Logger) chan struct{} {
	folder := c.String("keys")
	if folder == "" {
		log.Warn("nothing will be published", "missing", "--keys FOLDER, which endroit keys make makes")
		return nil
	}
	signer, err := publication.Open(folder)
	if err != nil {
		log.Error("nothing will be published", "missing", err.Error())
		return nil
	}
	log.Info("publishing", "as", signer.Publisher().Name, "fingerprint", signer.Fingerprint())
	if text := signer.Warning(time.Now()); text != "" {
		log.Warn("keys", "warning", text)
	}
	done := make(chan struct{})
	go func() {
		defer close(done)
		s.Publish(ctx, signer)
	}()
	return done
}

// listenOn takes the address that a flag names.
func listenOn(c *cli.Command, flag string) (net.Listener, error) {
	l, err := net.Listen("tcp", c.String(flag))
	if errors.Is(err, syscall.EADDRINUSE) {
		return nil, fail(
			exitFailed, "%s is in use by another program; stop it, or choose another with --%s", c.String(flag),
			flag,
		)
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
		Name: "people", Usage: "manage accounts, on the service's machine",
		Commands: []*cli.Command{
			a.peopleAdd(),
			a.peopleList(),
			a.peopleChange(
				"disable", "keep an account from being used, and sign it out everywhere",
				service.Change{Disabled: new(true)}, "is disabled and signed out everywhere",
			),
			a.peopleChange(
				"enable", "let a disabled account be used again", service.Change{Disabled: new(false)},
				"can be used again",
			),
			a.peopleChange(
				"promote", "let an account decide on others' contributions",
				service.Change{Reviewer: new(true)}, "is a reviewer now",
			),
			a.peopleChange(
				"demote", "stop an account from deciding on contributions",
				service.Change{Reviewer: new(false)}, "is a contributor now",
			),
			a.peopleChange(
				"sign-out", "end all tokens and sessions of an account", service.Change{SignOut: true},
				"is signed out everywhere",
			),
			a.peoplePassword(),
			a.peopleRename(),
			a.peopleForget(),
		},
		Action: func(context.Context, *cli.Command) error {
			return fail(
				exitUsage,
				"use one of: people list, add NAME, disable NAME, enable NAME, promote NAME, demote NAME, password NAME, sign-out NAME, "+
					"rename NAME TO, forget NAME",
			)
		},
	}, program, "people")
}

func (a *app) peopleAdd() *cli.Command {
	return command(&cli.Command{
		Name:  "add",
		Usage: "make an account",
		Flags: []cli.Flag{
			databaseFlag(),
			&cli.BoolFlag{Name: "reviewer", Usage: "may decide on others' contributions"},
			passwordFlag(),
		},
		Action: a.onPerson(func(ctx context.Context, c *cli.Command, s *service.Service, name string) error {
			password, err := a.password("Password for "+name+": ", c.Bool("password-stdin"))
			if err != nil {
				return err
			}
			if err := s.AddPerson(ctx, name, password, c.Bool("reviewer")); err != nil {
				return fail(exitInput, "%w", err)
			}
			a.say("added %s, a %s", name, role(c.Bool("reviewer")))
			return nil
		}),
	}, "", "people-add")
}

func (a *app) peopleList() *cli.Command {
	return command(&cli.Command{Name: "list", Usage: "list all accounts", Flags: []cli.Flag{databaseFlag(), jsonFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			s, err := service.New(ctx, service.Config{Database: c.String("database")})
			if err != nil {
				return err
			}
			defer s.Close()
			list, err := s.Accounts(ctx)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.json(list)
			}
			t := newTable(a.out, "name", "role", "since", "signed in")
			for _, p := range list {
				in := phrase.Count(p.SignIns, "token or browser", "tokens and browsers")
				if p.Disabled != nil {
					in = "disabled on " + p.Disabled.Local().Format("2 January 2006")
				}
				t.AppendRow(table.Row{p.Name, role(p.Reviewer), p.Created.Local().Format("2 January 2006"), in})
			}
			t.Render()
			return nil
		}}, "", "people-list")
}

func (a *app) peopleChange(name, usage string, change service.Change, done string) *cli.Command {
	return command(&cli.Command{Name: name, Usage: usage, Flags: []cli.Flag{databaseFlag()},
		Action: a.onPerson(func(ctx context.Context, _ *cli.Command, s *service.Service, person string) error {
			if err := s.ChangeAccount(ctx, person, change); err != nil {
				return noAccount(person, err)
			}
			a.say("%s %s", person, done)
			return nil
		})}, "", "people-"+name)
}

func (a *app) peoplePassword() *cli.Command {
	return command(&cli.Command{Name: "password", Usage: "change an account's password, and sign it out everywhere",
		Flags: []cli.Flag{databaseFlag(), passwordFlag()},
		Action: a.onPerson(func(ctx context.Context, c *cli.Command, s *service.Service, name string) error {
			password, err := a.password("New password for "+name+": ", c.Bool("password-stdin"))
			if err != nil {
				return err
			}
			switch err := s.SetPassword(ctx, name, password); {
			case errors.Is(err, service.ErrNoAccount):
				return noAccount(name, err)
			case err != nil:
				return fail(exitInput, "%w", err)
			}
			a.say("%s has a new password, and is signed out everywhere", name)
			return nil
		})}, "", "people-password")
}

func (a *app) peopleRename() *cli.Command {
	return command(&cli.Command{Name: "rename", Usage: "give an account another name; nothing that was published has it",
		Flags: []cli.Flag{databaseFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.Args().Len() != 2 {
				return fail(exitUsage, "people rename needs NAME and the other name")
			}
			s, err := service.New(ctx, service.Config{Database: c.String("database")})
			if err != nil {
				return err
			}
			defer s.Close()
			name, to := c.Args().Get(0), c.Args().Get(1)
			switch err := s.Rename(ctx, name, to); {
			case errors.Is(err, service.ErrNoAccount):
				return noAccount(name, err)
			case err != nil:
				return fail(exitInput, "%w", err)
			}
			a.say("%s is called %s now", name, to)
			return nil
		}}, "", "people-rename")
}

func (a *app) peopleForget() *cli.Command {
	return command(&cli.Command{
		Name: "forget", Usage: "remove an account's name, password and sign-ins; what it contributed stays, of somebody",
		Flags: []cli.Flag{databaseFlag(), &cli.BoolFlag{Name: "yes", Usage: "do not ask"}},
		Action: a.onPerson(func(ctx context.Context, c *cli.Command, s *service.Service, name string) error {
			if !c.Bool("yes") {
				ok, err := a.ask("Forget " + name + "? This cannot be undone.")
				if err != nil {
					return err
				}
				if !ok {
					return fail(exitFailed, "nothing was done")
				}
			}
			if err := s.Forget(ctx, name); err != nil {
				return noAccount(name, err)
			}
			a.say("%s is forgotten", name)
			return nil
		})}, "", "people-forget")
}

func passwordFlag() cli.Flag {
	return &cli.BoolFlag{Name: "password-stdin", Usage: "read the password from standard input"}
}

func role(reviewer bool) string {
	if reviewer {
		return "reviewer"
	}
	return "contributor"
}

func noAccount(name string, err error) error {
	if errors.Is(err, service.ErrNoAccount) {
		return fail(exitNotFound, "there is no account %q; endroit people list shows all", name)
	}
	return err
}

// onPerson does something with one account of a service's database.
func (a *app) onPerson(do func(ctx context.Context, c *cli.Command, s *service.Service, name string) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		name, err := oneArg(c, "one NAME")
		if err != nil {
			return err
		}
		s, err := service.New(ctx, service.Config{Database: c.String("database")})
		if err != nil {
			return err
		}
		defer s.Close()
		return do(ctx, c, s, name)
	}
}

// account is one's own account at the service.
func (a *app) account() *cli.Command {
	own := func(do func(ctx context.Context, c *cli.Command, cl *client.Client) error) cli.ActionFunc {
		return func(ctx context.Context, c *cli.Command) error {
			cl, err := reviewClient(c)
			if err != nil {
				return err
			}
			return do(ctx, c, cl)
		}
	}
	return command(&cli.Command{
		Name: "account", Usage: "show your account and its sign-ins; change the password",
		Flags: []cli.Flag{serviceFlag(), jsonFlag()},
		Commands: []*cli.Command{
			command(&cli.Command{Name: "sign-out", Usage: "end one of your tokens or browsers", Flags: []cli.Flag{serviceFlag()},
				Action: own(func(ctx context.Context, c *cli.Command, cl *client.Client) error {
					id, err := oneArg(c, "one ID, as endroit account shows it")
					if err != nil {
						return err
					}
					if err := cl.EndSignIn(ctx, id); err != nil {
						return fmt.Errorf("sign out %s: %w", id, err)
					}
					a.say("%s is signed out", id)
					return nil
				})}, "", "account-sign-out"),
			command(&cli.Command{
				Name:  "password",
				Usage: "change your password; all other sign-ins end",
				Flags: []cli.Flag{
					serviceFlag(),
					&cli.BoolFlag{
						Name:  "password-stdin",
						Usage: "read the current and the new password from standard input, one per line",
					},
				},
				Action: own(func(ctx context.Context, c *cli.Command, cl *client.Client) error {
					present, err := a.password("Current password: ", c.Bool("password-stdin"))
					if err != nil {
						return err
					}
					next, err := a.password("New password: ", c.Bool("password-stdin"))
					if err != nil {
						return err
					}
					if err := cl.ChangePassword(ctx, present, next); err != nil {
						return fmt.Errorf("change the password: %w", err)
					}
					a.say("the password was changed, and all other sign-ins ended")
					return nil
				}),
			}, "", "account-password"),
		},
		Action: own(func(ctx context.Context, c *cli.Command, cl *client.Client) error {
			me, err := cl.Account(ctx)
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.json(me)
			}
			a.say("%s, a %s; sign-ins:", me.Name, role(me.Reviewer))
			t := newTable(a.out, "id", "kind", "since", "until", "")
			for _, x := range me.SignIns {
				this := ""
				if x.Current {
					this = "this one"
				}
				t.AppendRow(table.Row{
					shown(x.ID),
					shown(x.Kind),
					x.Created.Local().Format("2006-01-02 15:04"),
					x.Expires.Local().Format("2006-01-02"),
					this,
				})
			}
			t.Render()
			a.say("\nendroit account sign-out ID ends one; endroit account password ends all but this one")
			return nil
		}),
	}, program, "account")
}
