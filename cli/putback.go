package cli

import (
	"context"
	"fmt"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/copies"
	"endroit/copies/disk"
	"endroit/core/phrase"
)

// changeFlags are those of every command that changes a title's files.
func changeFlags() []cli.Flag {
	words := make([]string, len(copies.Words))
	for i, w := range copies.Words {
		words[i] = string(w)
	}
	return []cli.Flag{
		&cli.BoolFlag{Name: "dry-run", Usage: "only say what would be done"},
		yesFlag(),
		&cli.StringSliceFlag{
			Name:  "although",
			Usage: "go ahead although there is a warning: `WORD` is the warning's (" + strings.Join(words, ", ") + "); can be repeated",
		},
	}
}

func (a *app) putback() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerCopies),
		Name:          "putback", Usage: "put a copy back: the title's files become those of the copy",
		Flags: slices.Concat([]cli.Flag{
			&cli.StringSliceFlag{Name: "in", Usage: "also look for the copy in this `FOLDER` of copies"},
			&cli.StringFlag{Name: "draft", Usage: "use the locations of this `DRAFT` instead of the manifest's"},
			&cli.BoolFlag{
				Name:  "leave",
				Usage: "leave files that the copy does not have; otherwise they are taken away, so that all are of one moment",
			},
		}, changeFlags(), choiceFlags("what the copy has"), whereFlags(), []cli.Flag{jsonFlag()}),
		Action: a.runPutback,
	}, reuse, "putback")
}

func (a *app) offerCopies(ctx context.Context, _ *cli.Command) (out []string) {
	folders, err := copyFolders(nil)
	if err != nil {
		return nil
	}
	all, _ := copies.List(ctx, folders)
	for _, c := range all {
		out = append(out, c.Record.ID[:shortID])
	}
	return out
}

func (a *app) runPutback(ctx context.Context, c *cli.Command) error {
	text, err := oneArg(c, "one COPY: its folder or archive, its id, or its name")
	if err != nil {
		return err
	}
	what, err := choice(c)
	if err != nil {
		return err
	}
	j, err := a.openJournal(ctx, c)
	if err != nil {
		return err
	}
	defer j.Close()
	found, err := a.findCopy(ctx, text, c.StringSlice("in"))
	if err != nil {
		return err
	}
	s, side, err := a.sideOf(ctx, c, found, what)
	if err != nil {
		return err
	}
	defer s.close()
	from, done, err := unpacked(ctx, found)
	if err != nil {
		return err
	}
	defer done()
	seen, err := copySeen()
	if err != nil {
		return err
	}
	p, err := copies.PlanPutback(ctx, side, from, copies.PutbackOptions{Choice: what, Leave: c.Bool("leave"), Seen: seen})
	if err != nil {
		return err
	}
	defer p.Close()
	says := fmt.Sprintf("put back the copy of %s", found.Record.Taken.Local().Format("2006-01-02 15:04:05"))
	if found.Record.Name != "" {
		says += fmt.Sprintf(" (%s)", found.Record.Name)
	}
	return a.changeFiles(ctx, c, j, &toChange{
		kind: "putback", says: says, heading: "Put back " + s.title.Name, p: p, copy: found,
		warnings: append(p.Warnings, a.surroundings(ctx, side)...),
	})
}

// sideOf finds what a copy is put back to: the same variant of the title on this machine.
func (a *app) sideOf(ctx context.Context, c *cli.Command, found *copies.Copy, what copies.Choice) (*subject, *copies.Side, error) {
	r := found.Record
	name := c.String("draft")
	if name == "" {
		if name = r.TitleID; name == "" {
			return nil, nil, fail(
				exitUsage, "the copy was taken by a draft, before %s was recorded; name the draft with --draft DRAFT.yaml", r.Title,
			)
		}
	} else if !looksLikeDraft(name) {
		return nil, nil, fail(exitNotFound, "there is no file %s", name)
	}
	s, err := a.subject(ctx, c, name)
	if err != nil {
		return nil, nil, err
	}
	var same []*copies.Side
	for _, v := range s.found.Variants {
		w := r.Variant
		if v.Store != w.Store || v.Reference != w.Reference || v.System != w.OS || v.Runtime != w.Runtime || v.Launcher != w.Launcher {
			continue
		}
		if w.Account != "" && v.Account != "" && accountID(v.Account) != accountID(w.Account) {
			continue
		}
		if wanted := c.String("variant"); wanted != "" && !strings.Contains(strings.ToLower(describeVariant(v)), strings.ToLower(wanted)) {
			continue
		}
		same = append(same, s.gather(ctx, s.found, v, what))
	}
	switch {
	case len(same) == 1:
		return s, same[0], nil
	case len(same) == 0:
		s.close()
		return nil, nil, fail(
			exitNotFound, "the copy is of %s (%s), which is not on this machine. endroit carry brings it to another variant; there are:\n%s",
			r.Title, variantOf(found), s.listed(),
		)
	}
	s.close()
	var lines []string
	for _, x := range same {
		lines = append(lines, "  "+describeVariant(x.Variant))
	}
	return nil, nil, fail(
		exitUsage, "that variant is on this machine %d times; name the one that you mean with --variant TEXT:\n%s", len(same),
		strings.Join(lines, "\n"),
	)
}

// accountID is an account without its name: "90210017 (gullwatch), in use".
func accountID(text string) string {
	id, _, _ := strings.Cut(text, " (")
	id, _, _ = strings.Cut(id, ",")
	return id
}

// unpacked gives a copy as a folder; done removes what was unpacked for it.
func unpacked(ctx context.Context, found *copies.Copy) (c *copies.Copy, done func(), err error) {
	if found.Form == copies.Folder {
		return found, func() {}, nil
	}
	dir, err := dataFolder()
	if err != nil {
		return nil, nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, nil, err
	}
	into, err := os.MkdirTemp(dir, "unpacked-")
	if err != nil {
		return nil, nil, err
	}
	done = func() { _ = disk.RemoveAll(into) }
	if c, err = found.Unpack(ctx, into); err != nil {
		done()
		return nil, nil, fail(exitInput, "%w", err)
	}
	return c, done, nil
}

func (a *app) clear() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "clear", Usage: "take a title's progress away, to a copy, so that it starts afresh",
		Flags: slices.Concat([]cli.Flag{
			quietFlag(),
			&cli.StringFlag{Name: "to", Usage: "the `FOLDER` of copies that they are moved to (otherwise endroit's own)"},
			&cli.BoolFlag{Name: "all-accounts", Usage: "of every account; otherwise only of the one in use, where accounts are told apart"},
		}, changeFlags(), choiceFlags("progress"), whereFlags(), []cli.Flag{jsonFlag()}),
		Action: a.runClear,
	}, reuse, "clear")
}

func (a *app) runClear(ctx context.Context, c *cli.Command) error {
	name := strings.Join(c.Args().Slice(), " ")
	if name == "" {
		return fail(exitUsage, "give a TITLE or a DRAFT, such as: endroit clear Tidewrack")
	}
	j, s, what, err := a.begin(ctx, c, name)
	if err != nil {
		return err
	}
	defer j.Close()
	defer s.close()
	side, err := s.one(ctx, c.String("variant"), what)
	if err != nil {
		return err
	}
	p := copies.PlanClear(side, c.Bool("all-accounts"))
	if len(p.Changes) == 0 {
		return fail(exitNotFound, "there is nothing of %s to take away", s.title.Name)
	}
	return a.changeFiles(ctx, c, j, &toChange{
		kind: "clear", says: "cleared " + phrase.Count(len(p.Changes), "file", "files"), heading: "Clear " + s.title.Name, p: p,
		warnings: append(p.Warnings, a.surroundings(ctx, side)...),
		intro:    "They are copied first, and the copy can be put back at any time.",
		first:    a.copyFirst(c, s, side, copies.TakeOptions{Name: "before clearing", To: c.String("to")}, what, func(*copies.Copy) {}),
	})
}

// copyFirst takes a copy before files are changed, says where it is, and hands it to took.
func (a *app) copyFirst(
	c *cli.Command, s *subject, side *copies.Side, o copies.TakeOptions, what copies.Choice, took func(*copies.Copy),
) func(context.Context) error {
	return func(ctx context.Context) (err error) {
		if o.To, err = copiesFolder(o.To); err != nil {
			return err
		}
		o.Quiet = c.Duration("quiet")
		taken, err := a.take(ctx, s, side, what, o)
		if err != nil {
			return err
		}
		problems, err := taken.Check(ctx)
		if err != nil {
			return err
		}
		if len(problems) > 0 {
			return fail(exitFailed, "nothing was done: the copy that was to be kept is damaged: %s: %s", problems[0].Place, problems[0].What)
		}
		if !c.Bool("json") {
			a.printTaken(taken)
		}
		took(taken.Copy)
		return nil
	}
}

// take takes a copy of a side to a folder, also where nothing has changed.
func (a *app) take(
	ctx context.Context, s *subject, side *copies.Side, what copies.Choice, wanted copies.TakeOptions,
) (*copies.Taken, error) {
	job := &copyJob{to: wanted.To, name: wanted.Name, form: copies.Folder, choice: what, always: true, quiet: wanted.Quiet}
	var err error
	if job.machine, err = pseudonym("copies"); err != nil {
		return nil, err
	}
	if job.seen, err = copySeen(); err != nil {
		return nil, err
	}
	told, end := a.progress("copying")
	o := job.options(a, s, side, told)
	o.Set, o.Own = wanted.Set, wanted.Own
	taken, err := copies.Take(ctx, side, o)
	end()
	if err != nil {
		return nil, copyError(err)
	}
	return taken, rememberFolder(wanted.To)
}
