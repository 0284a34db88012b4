package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/client"
	"endroit/safefile"
)

// DefaultService is where a service started by endroit serve answers.
const DefaultService = "http://127.0.0.1:8417"

// login is what endroit login keeps in the person's configuration folder.
type login struct {
	Service string    `json:"service"`
	Name    string    `json:"name,omitempty"`
	Token   string    `json:"token,omitempty"`
	Expires time.Time `json:"expires,omitzero"`
}

func serviceFlag() cli.Flag {
	return &cli.StringFlag{
		Name:    "service",
		Usage:   "the service's `ADDRESS` (otherwise the one signed in to)",
		Sources: cli.EnvVars("ENDROIT_SERVICE"),
	}
}

func configFile() (string, error) {
	dir, err := os.UserConfigDir()
	if err != nil {
		return "", err
	}
	return filepath.Join(dir, "endroit", "login.json"), nil
}

// savedLogin reads what endroit login kept, with the service that the command
// line names.
func savedLogin(c *cli.Command) (login, error) {
	l := login{Service: DefaultService}
	file, err := configFile()
	if err != nil {
		return l, err
	}
	data, err := safefile.Read(file, ownFile)
	if err == nil {
		if err := json.Unmarshal(data, &l); err != nil {
			return l, fail(exitInput, "%s is invalid (%v); sign in again with endroit login", file, err)
		}
	} else if !errors.Is(err, os.ErrNotExist) {
		return l, err
	}
	if s := c.String("service"); s != "" && s != l.Service {
		l = login{Service: s} // a token is never sent to another service
	}
	if t := os.Getenv("ENDROIT_TOKEN"); t != "" {
		l.Token = t
		if l.Name == "" {
			l.Name = "the owner of ENDROIT_TOKEN"
		}
	}
	return l, nil
}

// readLogin is savedLogin for commands that need an account.
func readLogin(c *cli.Command) (login, error) {
	l, err := savedLogin(c)
	if err == nil && l.Token == "" {
		err = fail(exitRefused, "not signed in to %s; sign in with endroit login NAME", l.Service)
	}
	if err == nil && !l.Expires.IsZero() && time.Now().After(l.Expires) {
		err = fail(exitRefused, "the sign-in to %s has expired; sign in again with endroit login %s", l.Service, l.Name)
	}
	return l, err
}

func (l login) client() (*client.Client, error) {
	c, err := client.New(l.Service, l.Token)
	if err != nil {
		return nil, fail(exitUsage, "%w", err)
	}
	return c, nil
}

func (a *app) login() *cli.Command {
	return command(&cli.Command{
		Name:  "login",
		Usage: "sign in to a service and keep a token",
		Flags: []cli.Flag{
			serviceFlag(),
			&cli.BoolFlag{Name: "password-stdin", Usage: "read the password from standard input"},
			jsonFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			name, err := oneArg(c, "one NAME")
			if err != nil {
				return err
			}
			saved, err := savedLogin(c)
			if err != nil {
				return err
			}
			l := login{Service: saved.Service}
			cl, err := l.client()
			if err != nil {
				return err
			}
			password, err := a.password("Password: ", c.Bool("password-stdin"))
			if err != nil {
				return err
			}
			t, err := cl.Login(ctx, name, password)
			if err != nil {
				return fmt.Errorf("sign in: %w", err)
			}
			l.Name, l.Token, l.Expires = t.Person.Name, t.Token, t.Expires
			file, err := configFile()
			if err != nil {
				return err
			}
			data, err := json.MarshalIndent(l, "", "  ")
			if err != nil {
				return err
			}
			if err := writeOwn(file, data); err != nil {
				return err
			}
			if c.Bool("json") {
				return a.json(
					map[string]any{"service": l.Service, "name": l.Name, "reviewer": t.Person.Reviewer, "expires": l.Expires},
				)
			}
			role := "contributor"
			if t.Person.Reviewer {
				role = "reviewer"
			}
			a.say("signed in to %s as %s, a %s, until %s", l.Service, l.Name, role, l.Expires.Local().Format("2 January 2006"))
			return nil
		},
	}, program, "login")
}

func (a *app) logout() *cli.Command {
	return command(&cli.Command{
		Name: "logout", Usage: "sign out and make the token invalid", Flags: []cli.Flag{serviceFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			l, err := readLogin(c)
			if err != nil {
				return err
			}
			cl, err := l.client()
			if err != nil {
				return err
			}
			said := cl.Logout(ctx)
			file, err := configFile()
			if err != nil {
				return err
			}
			if err := os.Remove(file); err != nil && !errors.Is(err, os.ErrNotExist) {
				return err
			}
			if said != nil {
				return fmt.Errorf("the token was removed here, but the service could not be told: %w", said)
			}
			a.say("signed out of %s", l.Service)
			return nil
		},
	}, program, "logout")
}

// password asks without echo, or reads the first line of standard input.
func (a *app) password(prompt string, fromInput bool) (string, error) {
	if fromInput {
		line, err := a.readLine()
		if err != nil && line == "" {
			return "", fail(exitUsage, "no password was read from standard input")
		}
		return strings.TrimRight(line, "\r\n"), nil
	}
	if !term.IsTerminal(int(a.in.Fd())) {
		return "", fail(exitUsage, "standard input is not a terminal; pass the password with --password-stdin")
	}
	fmt.Fprint(a.err, prompt)
	raw, err := term.ReadPassword(int(a.in.Fd()))
	fmt.Fprintln(a.err)
	return string(raw), err
}

// writeOwn writes a file that the program keeps for itself, and makes its folder.
func writeOwn(file string, data []byte) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	return safefile.Write(file, data)
}
