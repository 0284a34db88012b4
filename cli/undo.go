package cli

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/urfave/cli/v3"

	"endroit/copies"
	"endroit/copies/journal"
	"endroit/core/copyplan"
	"endroit/core/phrase"
	"endroit/locate"
	"endroit/machine"
)

func (a *app) undo() *cli.Command {
	return command(&cli.Command{
		Name: "undo", Usage: "take back what putback, clear, switch or carry did",
		Flags: slices.Concat([]cli.Flag{
			&cli.BoolFlag{Name: "list", Usage: "list what was done, and what can be taken back"},
			&cli.StringFlag{Name: "let-go", Usage: "give up what the operation `ID` replaced, or all: it cannot be taken back then"},
		}, changeFlags(), []cli.Flag{jsonFlag()}),
		Action: a.runUndo,
	}, reuse, "undo")
}

func (a *app) runUndo(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() > 1 {
		return fail(exitUsage, "give one operation's ID, or none for the last; see endroit undo --help")
	}
	id := c.Args().First()
	j, err := a.openJournal(ctx, c)
	if err != nil {
		return err
	}
	defer j.Close()
	switch {
	case c.Bool("list"):
		return a.listOperations(c, j)
	case c.String("let-go") != "":
		return a.letGo(c, j.Journal)
	}
	op, err := j.Undoable(id)
	if err != nil {
		return journalError(err)
	}
	changes, later, err := j.PlanUndo(op, c.Bool("json"))
	if err != nil {
		return err
	}
	x := &toChange{
		kind: "undo", heading: "Undo " + op.Title + ": " + op.Says, says: "took back: " + op.Says, p: undoPrepared(op, changes),
		set: op.Was, was: op.Set,
	}
	for _, l := range later {
		x.warnings = append(x.warnings, copies.Warning{Word: copies.Changed, Text: l.Path + " was changed since; what it has now is kept too"})
	}
	x.warnings = append(x.warnings, a.surroundings(ctx, x.p.Side)...)
	x.do = func(ctx context.Context, about journal.About, told func(done, of int)) (journal.Operation, error) {
		return j.Undo(ctx, op, changes, about, told)
	}
	return a.changeFiles(ctx, c, j, x)
}

// undoPrepared shows an undo as any other change.
func undoPrepared(op journal.Operation, changes []journal.Change) *copies.Prepared {
	p := &copies.Prepared{
		Side: &copies.Side{Title: op.Title, TitleID: op.TitleID, Variant: locate.Variant{
			Variant: op.Variant, Install: op.Install, Prefix: op.Prefix, Cloud: &op.Cloud,
		}},
		Changes:  changes,
		Verdicts: map[string]int{},
	}
	var here, there []copyplan.Item
	for _, ch := range changes {
		p.Plan.Steps = append(p.Plan.Steps, copyplan.Step{Place: ch.Place, Before: ch.Before, After: ch.After})
		here = append(here, copyplan.Item{Place: ch.Place, State: ch.Before})
		there = append(there, copyplan.Item{Place: ch.Place, State: ch.After})
	}
	for _, folder := range commonFolders(changes) {
		p.Side.Variant.Locations = append(p.Side.Variant.Locations, locate.Location{Found: machine.Found{Folder: folder}})
	}
	p.Here, p.There = copyplan.Of(here), copyplan.Of(there)
	return p
}

// sayEnded tells of operations that were interrupted, and have been ended.
func (a *app) sayEnded(ended []journal.Operation) {
	for _, op := range ended {
		says := map[journal.State]string{
			journal.Done:      "was finished now: every file is as it was to be",
			journal.TakenBack: "was taken back: every file is as it was before",
			journal.Waiting:   "cannot be ended yet",
		}[op.State]
		a.say(
			"%s",
			a.missing(fmt.Sprintf("An operation was interrupted, and %s: %s, %s (%s)", says, shown(op.Title), shown(op.Says), stamp(op.Began))),
		)
		for _, n := range op.Notes {
			a.say("  %s", a.missing(shown(n)))
		}
	}
}

type interruptedShown struct {
	Operation string        `json:"operation"`
	Title     string        `json:"title"`
	Says      string        `json:"says"`
	State     journal.State `json:"state"`
	Notes     []string      `json:"notes"`
}

func newInterrupted(op journal.Operation) interruptedShown {
	return interruptedShown{op.ID, op.Title, op.Says, op.State, append([]string{}, op.Notes...)}
}

// OperationsFormat names what undo --list --json prints.
const OperationsFormat = "endroit/operations/1"

func (a *app) listOperations(c *cli.Command, j *openedJournal) error {
	all, err := j.List()
	if err != nil {
		return err
	}
	if c.Bool("json") {
		type shownOperation struct {
			journal.Operation
			Changes []journal.Changed `json:"changes"`
		}
		list := []shownOperation{}
		for _, op := range all {
			changes, err := j.Changes(op)
			if err != nil { // it waits; the others are listed all the same
				op.Notes, changes = append(op.Notes, err.Error()), []journal.Changed{}
			}
			list = append(list, shownOperation{op, changes})
		}
		interrupted := []interruptedShown{}
		for _, op := range j.ended {
			interrupted = append(interrupted, newInterrupted(op))
		}
		return a.json(struct {
			Format     string             `json:"format"`
			Operations []shownOperation   `json:"operations"`
			Kept       int64              `json:"kept"`
			AtMost     int64              `json:"at_most"`
			Ended      []interruptedShown `json:"ended"`
		}{OperationsFormat, list, journal.Kept(all), keepAtMost, interrupted})
	}
	if len(all) == 0 {
		a.say("Nothing was changed yet by putback, clear, switch or carry.")
		return nil
	}
	for _, op := range all {
		state := string(op.State)
		if op.State == journal.Done {
			state = "can be undone, keeps " + phrase.Size(op.Kept)
		}
		a.say("%s  %s: %s", op.ID, a.heading(shown(op.Title)), shown(op.Says))
		a.say("  %s, %s; %s", stamp(op.Began), phrase.Count(op.Files, "file", "files"), state)
		for _, n := range op.Notes {
			a.say("  %s", a.missing(shown(n)))
		}
	}
	a.say(
		"\n%s of at most %s are kept; then the oldest is let go, which is said before", phrase.Size(journal.Kept(all)),
		phrase.Size(keepAtMost),
	)
	return nil
}

func (a *app) letGo(c *cli.Command, j *journal.Journal) error {
	ids := []string{c.String("let-go")}
	if ids[0] == "all" {
		all, err := j.List()
		if err != nil {
			return err
		}
		ids = nil
		for _, op := range all {
			if op.State == journal.Done {
				ids = append(ids, op.ID)
			}
		}
	}
	if !c.Bool("yes") {
		ok, err := a.ask(
			fmt.Sprintf("Give up what %s replaced? It cannot be taken back then.", phrase.Count(len(ids), "operation", "operations")),
		)
		if err != nil || !ok {
			return errors.Join(err, nothingDone(err))
		}
	}
	for _, id := range ids {
		if err := j.LetGo(id); err != nil {
			return journalError(err)
		}
	}
	a.say("Let go: %s", phrase.Count(len(ids), "operation", "operations"))
	return nil
}
