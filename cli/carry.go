package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/copies"
	"endroit/core/phrase"
	"endroit/locate"
)

func (a *app) carry() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "carry", Usage: "bring a title's progress to another edition, system, prefix or account",
		Flags: slices.Concat([]cli.Flag{
			quietFlag(),
			&cli.StringFlag{Name: "from", Required: true, Usage: "a COPY, or the variant on this machine whose description contains this `TEXT`"},
			&cli.StringFlag{Name: "to", Required: true, Usage: "the variant on this machine whose description contains this `TEXT`"},
			&cli.StringFlag{Name: "from-account", Usage: "the `ACCOUNT` whose files are meant, where there are several"},
			&cli.StringFlag{Name: "account", Usage: "the `ACCOUNT` that they are for (otherwise the one in use there)"},
			&cli.StringSliceFlag{Name: "in", Usage: "also look for the copy in this `FOLDER` of copies"},
			&cli.BoolFlag{Name: "leave", Usage: "leave files there that are not carried; otherwise they are taken away"},
		}, changeFlags(), choiceFlags("progress"), whereFlags()[1:], []cli.Flag{jsonFlag()}),
		Action: a.runCarry,
	}, reuse, "carry")
}

func (a *app) runCarry(ctx context.Context, c *cli.Command) error {
	name := strings.Join(c.Args().Slice(), " ")
	if name == "" {
		return fail(exitUsage, "give a TITLE, such as: endroit carry Saltglass --from native --to prefix")
	}
	j, s, what, err := a.begin(ctx, c, name)
	if err != nil {
		return err
	}
	defer j.Close()
	defer s.close()
	to, err := s.described(ctx, "--to", c.String("to"), what)
	if err != nil {
		return err
	}
	from, done, err := a.carriedFrom(ctx, c, s, to.Variant, what)
	if err != nil {
		return err
	}
	defer done()
	carried, err := copies.Carry(s.title, from, to, copies.CarryOptions{
		Choice: what, FromAccount: c.String("from-account"), Account: c.String("account"),
	})
	if err != nil {
		return fail(exitConflict, "%w", err)
	}
	if !c.Bool("json") {
		a.printRoutes(carried)
	}
	if len(carried.Record.Files) == 0 {
		return fail(exitConflict, "nothing was done: no file has a place in that variant")
	}
	if carried.Unshown {
		return a.carryOnACopy(ctx, c, from, carried)
	}
	seen, err := copySeen()
	if err != nil {
		return err
	}
	p, err := copies.PlanPutback(ctx, to, &copies.Copy{Record: carried.Record, Path: from.Path, Form: from.Form}, copies.PutbackOptions{
		Leave: c.Bool("leave"), Seen: seen,
	})
	if err != nil {
		return err
	}
	defer p.Close()
	p.Left = append(p.Left, carried.Left...)
	return a.changeFiles(ctx, c, j, &toChange{
		kind: "carry", says: "carried from " + variantOf(from) + " to " + copyOf(to.Variant),
		heading: "Carry " + s.title.Name, p: p, copy: from, warnings: append(p.Warnings, a.surroundings(ctx, to)...),
	})
}

// described is the one variant on this machine that a text describes. It need not have files
// yet.
func (s *subject) described(ctx context.Context, option, text string, what copies.Choice) (*copies.Side, error) {
	var fits []locate.Variant
	for _, v := range s.found.Variants {
		if strings.Contains(strings.ToLower(describeVariant(v)), strings.ToLower(text)) {
			fits = append(fits, v)
		}
	}
	if len(fits) != 1 {
		word := "no variant of %s on this machine is described so"
		if len(fits) > 1 {
			word = fmt.Sprintf("%d variants of %%s on this machine are described so", len(fits))
		}
		return nil, fail(exitNotFound, "%s %q: "+word+"; there are:\n%s", option, text, s.title.Name, s.listed())
	}
	return s.gather(ctx, s.found, fits[0], what), nil
}

// carriedFrom is the copy that is carried: one that was named, or one that is taken now of
// another variant on this machine.
func (a *app) carriedFrom(
	ctx context.Context, c *cli.Command, s *subject, to locate.Variant, what copies.Choice,
) (*copies.Copy, func(), error) {
	text := c.String("from")
	fits := 0
	for _, v := range s.found.Variants {
		if strings.Contains(strings.ToLower(describeVariant(v)), strings.ToLower(text)) {
			fits++
		}
	}
	if fits == 0 {
		found, err := a.findCopy(ctx, text, c.StringSlice("in"))
		if err != nil {
			return nil, nil, fail(
				exitNotFound, "--from %q is neither a variant on this machine nor a copy: %w\nvariants:\n%s", text, err, s.listed(),
			)
		}
		return unpacked(ctx, found)
	}
	side, err := s.described(ctx, "--from", text, what)
	if err != nil {
		return nil, nil, err
	}
	if describeVariant(side.Variant) == describeVariant(to) {
		return nil, nil, fail(exitUsage, "--from and --to are the same variant")
	}
	if len(side.Files) == 0 {
		return nil, nil, fail(exitNotFound, "there are no files of %s", describeVariant(side.Variant))
	}
	folder, err := copiesFolder("")
	if err != nil {
		return nil, nil, err
	}
	taken, err := a.take(ctx, s, side, what, copies.TakeOptions{To: folder, Name: "before carrying", Quiet: c.Duration("quiet")})
	if err != nil {
		return nil, nil, err
	}
	return taken.Copy, func() {}, nil
}

func (a *app) printRoutes(carried *copies.Carried) {
	a.say("%s", a.heading("What is recorded of both variants"))
	for _, r := range carried.Routes {
		if r.To == "" {
			a.say("  %s  %s", shown(r.From), a.missing("is left: "+shown(r.Why)))
			continue
		}
		a.say("  %s  to  %s  (%s)", shown(r.From), shown(r.To), phrase.Count(r.Files, "file", "files"))
		why := "shown: " + r.Why
		if !r.Shown {
			why = a.missing("not shown to be the same: " + shown(r.Why))
		}
		a.say("    %s", why)
	}
}

// carryOnACopy refuses to carry what nobody has shown to be the same, or, if the person says
// so, makes a copy of it and changes nothing else.
func (a *app) carryOnACopy(ctx context.Context, c *cli.Command, from *copies.Copy, carried *copies.Carried) error {
	if !slices.Contains(c.StringSlice("although"), string(copies.Unshown)) {
		return fail(
			exitWarned, "nothing was done: nobody has shown that the files are the same in both variants. "+
				"--although %s makes a copy of them as that variant would have them, and changes nothing else",
			copies.Unshown,
		)
	}
	if c.Bool("dry-run") {
		a.say("Nothing was changed (--dry-run).")
		return nil
	}
	folder, err := copiesFolder("")
	if err != nil {
		return err
	}
	told, end := a.progress("copying")
	made, err := copies.WriteCarried(ctx, from, carried, folder, told)
	end()
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(copiedList{CopiedFormat, []copied{{
			ID: made.Record.ID, Title: made.Record.Title, Variant: variantOf(made), Where: variantOf(made), Path: made.Path,
			Files: len(made.Record.Files), Bytes: made.Record.Bytes(), Written: made.Record.Bytes(),
		}}})
	}
	a.say("Made a copy as that variant would have it: %s", a.path(pasted(made.Path)))
	a.say("Nothing else was changed. To try it: endroit putback %s", made.Record.ID[:shortID])
	return nil
}
