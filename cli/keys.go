package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"endroit/core/phrase"
	"endroit/publication"
	"endroit/service"
)

func (a *app) keys() *cli.Command {
	passphrase := &cli.BoolFlag{Name: "passphrase-stdin", Usage: "read the passphrases of the root keys from standard input, one per line"}
	roots := &cli.StringSliceFlag{Name: "root", Usage: "the `FILE` of a root key; can be repeated", Required: true}
	change := func(name, usage string, flags []cli.Flag, of func(c *cli.Command) (publication.Change, error)) *cli.Command {
		return command(&cli.Command{
			Name: name, Usage: usage, Flags: append([]cli.Flag{inFlag(), roots, passphrase}, flags...),
			Action: func(_ context.Context, c *cli.Command) error {
				ch, err := of(c)
				if err != nil {
					return err
				}
				return a.changeKeys(c, ch)
			},
		}, "", "keys-"+name)
	}
	return command(&cli.Command{
		Name: "keys", Usage: "make and change the keys that sign a publication",
		Commands: []*cli.Command{
			command(&cli.Command{
				Name: "make", Usage: "make root keys, online keys and the first root of a new publication",
				Flags: []cli.Flag{
					inFlag(),
					&cli.StringSliceFlag{
						Name: "root", Required: true,
						Usage: "the `FILE` to write a root key to, away from the service's machine; can be repeated",
					},
					&cli.IntFlag{Name: "threshold", Value: 1, Usage: "how many root keys have to sign a change of keys: `N`"},
					&cli.StringFlag{Name: "name", Usage: "whose publication it is: a `NAME` that people are shown", Required: true},
					&cli.StringFlag{Name: "home", Usage: "an `ADDRESS` where they say so"},
					passphrase,
				},
				Action: a.makeKeys,
			}, "", "keys-make"),
			command(&cli.Command{
				Name: "list", Usage: "list the keys and what they may sign", Flags: []cli.Flag{inFlag(), jsonFlag()}, Action: a.listKeys,
			}, "", "keys-list"),
			change("rotate", "put a new online key in place of the one of a role", nil, func(c *cli.Command) (publication.Change, error) {
				role, err := oneArg(c, "one ROLE: targets, snapshot or timestamp")
				return publication.Change{Rotate: role}, err
			}),
			change("revoke", "make a key count no longer; an online one is replaced", nil, func(c *cli.Command) (publication.Change, error) {
				id, err := oneArg(c, "the ID of one key, as endroit keys list shows it")
				return publication.Change{Revoke: id}, err
			}),
			change("add-root", "add a root key",
				[]cli.Flag{&cli.IntFlag{Name: "threshold", Usage: "how many root keys have to sign from now on: `N`"}},
				func(c *cli.Command) (publication.Change, error) {
					file, err := oneArg(c, "the FILE to write the key to")
					if err != nil {
						return publication.Change{}, err
					}
					k, err := a.newRootKey(c, file)
					return publication.Change{AddRoot: []*publication.Key{k}, Threshold: c.Int("threshold")}, err
				}),
			change("renew", "sign the root again, before it expires", nil, func(*cli.Command) (publication.Change, error) {
				return publication.Change{}, nil
			}),
		},
		Action: func(context.Context, *cli.Command) error {
			return fail(exitUsage, "use one of: keys make, list, rotate ROLE, revoke ID, add-root FILE, renew")
		},
	}, program, "keys")
}

func inFlag() cli.Flag {
	return &cli.StringFlag{
		Name: "in", Usage: "the `FOLDER` of the online keys and the roots", Required: true, Sources: cli.EnvVars("ENDROIT_KEYS"),
	}
}

// minPassphrase is how long the passphrase of a root key has to be, in characters.
const minPassphrase = 12

// newRootKey makes a root key and writes it, encrypted.
func (a *app) newRootKey(c *cli.Command, file string) (*publication.Key, error) {
	word, err := a.password("Passphrase for "+file+": ", c.Bool("passphrase-stdin"))
	if err != nil {
		return nil, err
	}
	if len([]rune(word)) < minPassphrase {
		return nil, fail(exitInput, "a passphrase has at least %d characters", minPassphrase)
	}
	if !c.Bool("passphrase-stdin") {
		again, err := a.password("Again: ", false)
		if err != nil {
			return nil, err
		}
		if again != word {
			return nil, fail(exitInput, "both passphrases differ; nothing was written")
		}
	}
	k, err := publication.NewKey()
	if err == nil {
		err = k.Save(file, []byte(word))
	}
	if err != nil {
		return nil, fail(exitInput, "%w", err)
	}
	return k, nil
}

func (a *app) makeKeys(_ context.Context, c *cli.Command) error {
	files := c.StringSlice("root")
	plan := publication.Plan{Name: c.String("name"), Home: c.String("home"), Threshold: c.Int("threshold")}
	if plan.Threshold < 1 || plan.Threshold > len(files) {
		return fail(exitUsage, "--threshold must be from 1 to the number of root keys (%d)", len(files))
	}
	for _, f := range files {
		k, err := a.newRootKey(c, f)
		if err != nil {
			return err
		}
		plan.Root = append(plan.Root, k)
	}
	if err := publication.Make(c.String("in"), plan, time.Now()); err != nil {
		return fail(exitInput, "%w", err)
	}
	list, err := publication.List(c.String("in"))
	if err != nil {
		return err
	}
	a.say(
		"made the keys of %s; the fingerprint of its root, which you publish where people trust you:\n  %s", list.Name,
		grouped(list.Fingerprint),
	)
	a.say("\nNext:")
	a.say("  keep %s and the passphrases away from the service's machine; without them no key can be changed", strings.Join(files, ", "))
	a.say("  copy %s to the service's machine, and start it with --keys", c.String("in"))
	a.say("  sign the root again before %s: endroit keys renew", list.Expires.Local().Format("2 January 2006"))
	return nil
}

func (a *app) changeKeys(c *cli.Command, ch publication.Change) error {
	var keys []*publication.Key
	for _, f := range c.StringSlice("root") {
		k, err := publication.LoadKey(f, func() ([]byte, error) {
			word, err := a.password("Passphrase for "+f+": ", c.Bool("passphrase-stdin"))
			return []byte(word), err
		})
		if err != nil {
			return fail(exitInput, "%w", err)
		}
		keys = append(keys, k)
	}
	if err := publication.Renew(c.String("in"), ch, keys, time.Now()); err != nil {
		return fail(exitInput, "%w", err)
	}
	list, err := publication.List(c.String("in"))
	if err != nil {
		return err
	}
	a.say("signed root %d of %s; it can be used until %s", list.Version, list.Name, list.Expires.Local().Format("2 January 2006"))
	a.say("Next: copy %s to the service's machine and restart it; clients follow by themselves", c.String("in"))
	return nil
}

func (a *app) listKeys(_ context.Context, c *cli.Command) error {
	list, err := publication.List(c.String("in"))
	if err != nil {
		return fail(exitInput, "%w", err)
	}
	if c.Bool("json") {
		return a.json(list)
	}
	a.say("%s, root %d until %s, changed by %s", publisher(list.Publisher), list.Version,
		list.Expires.Local().Format("2 January 2006"), fmt.Sprintf("%d of its root keys", list.Threshold))
	a.say("fingerprint %s\n", grouped(list.Fingerprint))
	t := newTable(a.out, "key", "signs", "private part")
	for _, k := range list.Keys {
		where := "in this folder"
		switch {
		case k.Here:
		case slices.Contains(k.Roles, "root"):
			where = "kept elsewhere, as it should be"
		default:
			where = "missing here"
		}
		t.AppendRow(table.Row{k.ID[:16], strings.Join(k.Roles, ", "), where})
	}
	t.Render()
	for _, role := range list.Missing {
		a.say("\nno key for %s is here: copy it here, or make another with endroit keys rotate %s", role, role)
	}
	return nil
}

func keysFlag() cli.Flag {
	return &cli.StringFlag{
		Name: "keys", Usage: "the `FOLDER` of the online keys, which sign what is published", Sources: cli.EnvVars("ENDROIT_KEYS"),
	}
}

func (a *app) publish() *cli.Command {
	return command(&cli.Command{
		Name: "publish", Usage: "write the published files to a folder, for a web server, a mirror or a stick",
		Flags: []cli.Flag{
			databaseFlag(), keysFlag(),
			&cli.StringFlag{Name: "to", Usage: "the `FOLDER` to write to", Required: true},
			jsonFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			s, err := service.New(ctx, service.Config{Database: c.String("database")})
			if err != nil {
				return err
			}
			defer s.Close()
			if folder := c.String("keys"); folder != "" {
				signer, err := publication.Open(folder)
				if err != nil {
					return fail(exitInput, "%w", err)
				}
				if err := s.PublishOnce(ctx, signer); err != nil {
					return err
				}
			}
			written, all, err := s.WriteTree(ctx, c.String("to"))
			if err != nil {
				return fail(exitFailed, "%w", err)
			}
			if c.Bool("json") {
				return a.json(map[string]any{"written": written, "files": all})
			}
			a.say("wrote %s of %d to %s; only metadata/timestamp.json is ever replaced", phrase.Count(written, "file", "files"), all, c.String("to"))
			return nil
		},
	}, program, "publish")
}
