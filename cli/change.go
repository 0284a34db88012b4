package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/record"
	"endroit/core/standing"
	"endroit/service/wire"
)

func (a *app) change() *cli.Command {
	because := &cli.StringFlag{Name: "because", Usage: "the `TEXT` that tells a reviewer why", Required: true}
	common := []cli.Flag{
		serviceFlag(), because,
		&cli.BoolFlag{Name: "yes", Usage: "send without asking"},
		&cli.BoolFlag{Name: "print", Usage: "print what would be sent, and send nothing"},
		jsonFlag(),
	}
	type maker func(ctx context.Context, c *cli.Command, t wire.Title) (contribution.Body, error)
	of := func(name, usage string, flags []cli.Flag, args string, n int, make maker) *cli.Command {
		return command(&cli.Command{
			Name: name, Usage: usage, Flags: append(append([]cli.Flag{}, flags...), common...), ShellComplete: completes(a.offerTitles),
			Action: func(ctx context.Context, c *cli.Command) error {
				if c.Args().Len() != n {
					return fail(exitUsage, "%s needs %s; see %s --help", c.FullName(), args, c.FullName())
				}
				cl, err := anonymous(c)
				if err != nil {
					return err
				}
				id, err := titleID(ctx, cl, c.Args().First())
				if err != nil {
					return err
				}
				t, err := cl.Title(ctx, id)
				if err != nil {
					return err
				}
				b, err := make(ctx, c, t)
				if err != nil {
					return err
				}
				return a.sendChange(ctx, c, b)
			},
		}, "", "change-"+name)
	}
	edit := func(c *cli.Command, t wire.Title, e contribution.TitleEdit) (contribution.Body, error) {
		e.Name, e.TitleID, e.Title, e.Because = contribution.TitleKind, t.ID, t.Name, c.String("because")
		return &e, nil
	}
	return command(&cli.Command{
		Name: "change", Usage: "propose a correction of a recorded title or location",
		Commands: []*cli.Command{
			of("rename", "give a title another name",
				[]cli.Flag{&cli.BoolFlag{Name: "keep", Usage: "keep the present one among its other names"}}, "TITLE and NAME", 2,
				func(_ context.Context, c *cli.Command, t wire.Title) (contribution.Body, error) {
					return edit(c, t, contribution.TitleEdit{Rename: &contribution.Rename{Name: c.Args().Get(1), Keep: c.Bool("keep")}})
				}),
			of("name", "add a name to a title",
				[]cli.Flag{&cli.StringFlag{Name: "language", Usage: "the name's `LANGUAGE`, such as de or pt-BR"}}, "TITLE and NAME", 2,
				func(_ context.Context, c *cli.Command, t wire.Title) (contribution.Body, error) {
					return edit(c, t, contribution.TitleEdit{AddName: &contribution.NewName{Name: c.Args().Get(1), Language: c.String("language")}})
				}),
			of("describe", "say what tells a title from others of its name",
				[]cli.Flag{
					&cli.IntFlag{Name: "year", Usage: "the `YEAR` of its first release"},
					&cli.StringFlag{Name: "maker", Usage: "the `NAME` of who made it"},
				}, "one TITLE", 1,
				func(_ context.Context, c *cli.Command, t wire.Title) (contribution.Body, error) {
					return edit(c, t, contribution.TitleEdit{Describe: &contribution.Description{Year: c.Int("year"), Maker: c.String("maker")}})
				}),
			of("merge", "say that a title is the same as another", nil, "TITLE and the TITLE that it is", 2, a.mergeChange),
			of("edition", "give an edition to another title, or split it off as a new one",
				[]cli.Flag{
					&cli.StringFlag{Name: "to", Usage: "the `TITLE` that the edition is of"},
					&cli.StringFlag{Name: "as", Usage: "the `NAME` of the new title"},
					&cli.IntFlag{Name: "year", Usage: "the new title's `YEAR`"},
					&cli.StringFlag{Name: "maker", Usage: "who made the new title: a `NAME`"},
				}, "TITLE, STORE and REFERENCE", 3, a.editionChange),
			of("location", "put another location in place of one, say for which versions it holds, or withdraw it",
				append([]cli.Flag{
					&cli.StringFlag{Name: "to", Usage: "the `LOCATION` that takes its place"},
					&cli.StringFlag{Name: "versions", Usage: "the versions for which it holds: `FROM..TO`, with either end open"},
					&cli.BoolFlag{Name: "withdraw", Usage: "withdraw it"},
					&cli.StringFlag{Name: "trace", Usage: "the `TRACE` of a run that shows it"},
				}, variantFlags()...), "TITLE and LOCATION", 2, a.locationChange),
			of("dispute", "dispute a location by a run that contradicts it",
				append([]cli.Flag{
					&cli.StringFlag{Name: "trace", Usage: "the `TRACE` of the run", Required: true},
				}, variantFlags()...), "TITLE and LOCATION", 2, a.disputeChange),
		},
		Action: func(context.Context, *cli.Command) error {
			return fail(exitUsage, "use one of: change rename, name, describe, merge, edition, location, dispute")
		},
	}, find, "change")
}

// variantFlags choose one of several variants that have a location.
func variantFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "os", Usage: "of the variant for this `OS`"},
		&cli.StringFlag{Name: "runtime", Usage: "of the variant with this `RUNTIME`: native or prefix"},
		&cli.StringFlag{Name: "store", Usage: "of the variant of this `STORE`"},
		&cli.StringFlag{Name: "launcher", Usage: "of the variant that this `LAUNCHER` starts"},
	}
}

func (a *app) mergeChange(ctx context.Context, c *cli.Command, t wire.Title) (contribution.Body, error) {
	into, err := a.otherTitle(ctx, c, c.Args().Get(1))
	if err != nil {
		return nil, err
	}
	e := &contribution.TitleEdit{TitleID: t.ID, Title: t.Name, MergeInto: into.ID, IntoName: into.Name, Because: c.String("because")}
	e.Name = contribution.TitleKind
	return e, nil
}

// otherTitle is another title that a text means.
func (a *app) otherTitle(ctx context.Context, c *cli.Command, text string) (wire.Title, error) {
	cl, err := anonymous(c)
	if err != nil {
		return wire.Title{}, err
	}
	id, err := titleID(ctx, cl, text)
	if err != nil {
		return wire.Title{}, err
	}
	return cl.Title(ctx, id)
}

func (a *app) editionChange(ctx context.Context, c *cli.Command, t wire.Title) (contribution.Body, error) {
	move := &contribution.EditionMove{
		Store: c.Args().Get(1), Ref: c.Args().Get(2), Name: c.String("as"), Year: c.Int("year"), Maker: c.String("maker"),
	}
	if (c.String("to") == "") == (move.Name == "") {
		return nil, fail(exitUsage, "either --to TITLE or --as NAME is required")
	}
	if c.String("to") != "" {
		to, err := a.otherTitle(ctx, c, c.String("to"))
		if err != nil {
			return nil, err
		}
		move.To, move.ToName = to.ID, to.Name
	}
	e := &contribution.TitleEdit{TitleID: t.ID, Title: t.Name, Move: move, Because: c.String("because")}
	e.Name = contribution.TitleKind
	return e, nil
}

// recordedPlace is the location of a title that the command line names.
func recordedPlace(c *cli.Command, t wire.Title, fp *footprint.Footprint) (record.Place, error) {
	at := c.Args().Get(1)
	var found []record.Place
	for _, v := range t.Variants {
		if !oneOf(c.String("os"), v.OS) || !oneOf(c.String("runtime"), v.Runtime) || !oneOf(c.String("store"), v.Store) ||
			!oneOf(c.String("launcher"), v.Launcher) || fp != nil && (fp.OS != v.OS || fp.Runtime != v.Runtime) {
			continue
		}
		for _, l := range v.Locations {
			if l.At == at {
				found = append(found, record.Place{
					Variant: record.Combination{Store: v.Store, Ref: v.Ref, Launcher: v.Launcher, OS: v.OS, Runtime: v.Runtime},
					At:      at, Holds: l.Holds,
				})
			}
		}
	}
	switch len(found) {
	case 1:
		return found[0], nil
	case 0:
		return record.Place{}, fail(exitNotFound, "no variant of %s that is meant has the location %s", shown(t.Name), at)
	}
	var lines []string
	for _, p := range found {
		lines = append(lines, fmt.Sprintf("  %s (%s)", p.Variant, word(p.Holds)))
	}
	return record.Place{}, fail(
		exitUsage, "%d variants of %s have that location; choose one with --os, --runtime, --store or --launcher:\n%s",
		len(found), shown(t.Name), strings.Join(lines, "\n"),
	)
}

// oneOf reports whether a value is the wanted one; any is if none is wanted.
func oneOf(wanted, value string) bool { return wanted == "" || wanted == value }

// runOf reads the trace that a change is shown by; nil where none is named.
func runOf(c *cli.Command) (*footprint.Footprint, error) {
	if c.String("trace") == "" {
		return nil, nil
	}
	fp, _, err := readTrace(c.String("trace"))
	return fp, err
}

func (a *app) locationChange(_ context.Context, c *cli.Command, t wire.Title) (contribution.Body, error) {
	fp, err := runOf(c)
	if err != nil {
		return nil, err
	}
	b := &contribution.LocationChange{
		TitleID: t.ID, Title: t.Name, To: c.String("to"), Withdraw: c.Bool("withdraw"), Because: c.String("because"),
	}
	b.Name = contribution.LocationKind
	if b.Location, err = recordedPlace(c, t, fp); err != nil {
		return nil, err
	}
	if text := c.String("versions"); text != "" {
		from, to, ok := strings.Cut(text, "..")
		if !ok {
			from, to = text, text
		}
		b.Versions = &standing.Range{From: from, To: to}
	}
	if fp != nil {
		if b.Footprint, err = leaving(fp, b.Location.At, b.To); err != nil {
			return nil, err
		}
	}
	return b, nil
}

// leaving is a footprint as it may leave, for a contribution about these locations.
func leaving(fp *footprint.Footprint, ats ...string) (*footprint.Footprint, error) {
	var locations []place.Location
	for _, at := range ats {
		if at == "" {
			continue
		}
		l, err := place.Parse(at)
		if err != nil {
			return nil, fail(exitInput, "%s: %w", at, err)
		}
		locations = append(locations, l)
	}
	return fp.Share(fp.Anonymizer(locations...)), nil
}

func (a *app) disputeChange(_ context.Context, c *cli.Command, t wire.Title) (contribution.Body, error) {
	fp, err := runOf(c)
	if err != nil {
		return nil, err
	}
	p, err := recordedPlace(c, t, fp)
	if err != nil {
		return nil, err
	}
	d := &draft.Draft{
		Title: t.Name, TitleID: t.ID, Launcher: p.Variant.Launcher, OS: p.Variant.OS, Runtime: p.Variant.Runtime,
		Disputes: []draft.Dispute{{At: p.At, Holds: p.Holds, Because: c.String("because")}},
	}
	bodies, err := contribution.PrepareDisputes(d, fp)
	if err != nil {
		return nil, err
	}
	b := bodies[0]
	b.Location = p
	if fp.Edition != nil {
		b.Version = fp.Edition.Version
	}
	return b, nil
}

// sendChange checks a correction, shows it, and sends it.
func (a *app) sendChange(ctx context.Context, c *cli.Command, b contribution.Body) error {
	if err := b.Check(ctx); err != nil {
		return fail(exitInput, "%w", err)
	}
	l, err := savedLogin(c)
	if err != nil {
		return err
	}
	machine, err := pseudonym(l.Service)
	if err != nil {
		return err
	}
	contribution.Sign(b, machine)
	raw, err := contribution.Encode(b)
	if err != nil {
		return err
	}
	if c.Bool("print") {
		_, err := a.out.Write(append(raw, '\n'))
		return err
	}
	to := a.preliminary(c)
	to.say("This will be sent (%s; --print shows it exactly):", phrase.Size(int64(len(raw))))
	to.say("  asks to %s", shown(b.Statement()))
	to.say("  because: %s", phrase.VisibleLines(b.Reason()))
	if f := b.Evidence(); f != nil {
		to.say("  with a footprint of %s", phrase.Count(len(f.Files), "file", "files"))
	}
	return a.send(ctx, c, raw, "record", b.About().Title)
}
