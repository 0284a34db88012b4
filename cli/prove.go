package cli

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	"github.com/urfave/cli/v3"

	"endroit/copies"
	"endroit/copies/journal"
	"endroit/core/draft"
	"endroit/core/phrase"
	"endroit/core/proof"
	"endroit/safefile"
)

func (a *app) prove() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "prove", Usage: "show by an experiment that progress lives in the locations",
		ArgsUsage: "TITLE|DRAFT [options] [--] COMMAND…",
		Flags: slices.Concat([]cli.Flag{
			&cli.StringSliceFlag{
				Name:  "answer",
				Usage: "what state the game is in at each start, in order: `STATE` is new, progress, failed or unsure; can be repeated",
			},
			&cli.StringFlag{Name: "ask", Usage: "run this `COMMAND` after each start: it prints what state the game was in"},
			&cli.DurationFlag{Name: "settle", Value: 3 * time.Second, Usage: "how long to watch whether something brings files back"},
			&cli.BoolFlag{Name: "take-back", Usage: "bring everything back of an experiment that was interrupted, and end it"},
			quietFlag(),
		}, changeFlags(), choiceFlags("progress"), whereFlags(), []cli.Flag{jsonFlag()}),
		Action: a.runProve,
	}, reuse, "prove")
}

// proving is an experiment that is led.
type proving struct {
	a       *app
	c       *cli.Command
	j       *openedJournal
	s       *subject
	what    copies.Choice
	variant string // as described
	p       *proof.Proof
	file    string
	game    []string
	made    []string // operations
}

func (a *app) runProve(ctx context.Context, c *cli.Command) (err error) {
	args := c.Args().Slice()
	if len(args) == 0 {
		return fail(exitUsage, "give a TITLE or a DRAFT, and the game's command, such as: endroit prove tidewrack.draft.yaml -- ./tidewrack")
	}
	j, s, what, err := a.begin(ctx, c, args[0])
	if err != nil {
		return err
	}
	defer j.Close()
	defer s.close()
	side, err := s.one(ctx, c.String("variant"), what)
	if err != nil {
		return err
	}
	x := &proving{a: a, c: c, j: j, s: s, what: what, variant: describeVariant(side.Variant), game: args[1:]}
	if x.p, x.file, err = unfinishedProof(s.title.ID, s.title.Name, x.variant); err != nil {
		return err
	}
	switch {
	case x.p == nil && c.Bool("take-back"):
		return fail(exitNotFound, "no experiment with %s was interrupted", s.title.Name)
	case c.Bool("take-back"):
		x.p.GiveUp("it was taken back")
	case len(x.game) == 0:
		return fail(exitUsage, "name the command that starts the game, after --")
	case x.p != nil && x.p.By != "endroit "+Version:
		return fail(exitConflict, "an experiment was begun by another version of Endroit (%s); --take-back ends it", x.p.By)
	case x.p != nil:
		a.tell("endroit: goes on with the experiment that was begun on %s; --take-back would end it", stamp(x.p.Began))
	default:
		if err := x.begin(side); err != nil || c.Bool("dry-run") {
			return err
		}
	}
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := x.lead(ctx); err != nil {
		return err
	}
	return x.report()
}

// begin says what will be done, and asks.
func (x *proving) begin(side *copies.Side) error {
	a, c := x.a, x.c
	var locations []proof.Location
	for i, l := range side.Variant.Locations {
		n := 0
		for _, f := range side.Files {
			if f.Location == i {
				n++
			}
		}
		if n > 0 {
			locations = append(locations, proof.Location{At: l.At, Holds: l.Holds, Files: n})
		}
	}
	if len(locations) == 0 {
		return fail(exitNotFound, "no location of %s finds anything here: start the game, save, and prove then", x.s.title.Name)
	}
	id := make([]byte, 8)
	_, _ = rand.Read(id) // never fails (crypto/rand)
	machine, err := pseudonym("copies")
	if err != nil {
		return err
	}
	holds := draft.Save
	if len(x.what.Holds) > 0 && !slices.Contains(x.what.Holds, draft.Save) {
		holds = x.what.Holds[0]
	}
	x.p, err = proof.New(hex.EncodeToString(id), proof.About{
		Title: x.s.title.Name, TitleID: x.s.title.ID, Variant: x.variant, Version: side.Variant.Version, Holds: holds, Slot: x.what.Slot,
		By: "endroit " + Version, Machine: machine,
	}, locations, time.Now())
	if err != nil {
		return fail(exitNotFound, "%w", err)
	}
	warnings := append(copies.PlanClear(side, false).Warnings, a.surroundings(context.Background(), side)...)
	if v := side.Variant; v.Cloud == nil && (v.StartedBy != "" || v.Store != "" || v.Launcher != "") {
		warnings = append(warnings, copies.Warning{Word: copies.Cloud, Text: "whether " + launcherOf(v) +
			" keeps cloud copies is not known: what it brings back would spoil the experiment. Switch it off for this title first"})
	}
	if !c.Bool("json") {
		a.say("%s", a.heading("Prove "+shown(x.s.title.Name)))
		a.printWhere(side.Variant)
		for _, l := range locations {
			a.say("  %s  %s  (%s)", a.kind(phrase.Pad(word(l.Holds), 8)), shown(l.At), phrase.Count(l.Files, "file", "files"))
		}
		a.say("  They are copied, taken away and brought back; the game is started %d times at most.", x.p.Next().Left)
		a.say("  At each start, look whether it shows a new game or your progress, and end it. Do not save.")
		for _, w := range warnings {
			a.say("  %s", a.missing(string(w.Word)+": "+shown(w.Text)))
		}
	}
	if c.Bool("dry-run") {
		if c.Bool("json") {
			return a.json(x.p)
		}
		a.say("Nothing was done (--dry-run).")
		return nil
	}
	return a.agree(c, &toChange{warnings: warnings})
}

// lead does step after step until it is over. Each is written down when it is done. What was
// away when the person interrupts it is brought back.
func (x *proving) lead(ctx context.Context) error {
	if err := x.save(); err != nil {
		return err
	}
	for x.p.At != proof.Finish {
		step := x.p.Next()
		if ctx.Err() != nil && x.p.Ended == "" {
			x.a.tell("endroit: interrupted: everything is brought back")
			x.p.GiveUp("it was interrupted")
			ctx = context.WithoutCancel(ctx)
			continue
		}
		event, err := x.do(ctx, step)
		if err != nil && ctx.Err() != nil {
			continue
		}
		if err != nil {
			return errors.Join(fmt.Errorf("%w\nthe experiment is at %q: endroit prove again goes on, and --take-back brings everything back",
				err, step.Do), x.save())
		}
		event.Now = time.Now()
		if err := x.p.Done(step.Do, event); err != nil {
			return err
		}
		if err := x.save(); err != nil {
			return err
		}
	}
	return x.end(ctx)
}

func (x *proving) do(ctx context.Context, step proof.Step) (e proof.Event, err error) {
	if step.Do == proof.Finish {
		return e, nil
	}
	side, err := x.side(ctx)
	if err != nil {
		return e, err
	}
	switch step.Do {
	case proof.Check:
		return e, x.closed(ctx, side)
	case proof.Copy:
		taken, err := x.take(ctx, side)
		if err != nil {
			return e, err
		}
		e.Copy = taken.Record.ID
	case proof.TakeAway:
		e.Operation, err = x.takeAway(ctx, side, step.Away)
	case proof.Watch:
		e.Returned, err = x.watch(ctx, step.Away)
	case proof.Start:
		x.tell("Start %d of %d at most", len(x.p.Rounds), len(x.p.Rounds)+step.Left-1)
		return x.start(ctx, side)
	case proof.Ask:
		e.Answer, err = x.answer(ctx)
		if slices.Contains(proof.Answers, e.Answer) {
			x.tell("  answer: %s", answerWords[e.Answer])
		}
	case proof.Bring:
		err = x.bring(ctx, side)
	}
	return e, err
}

// answerWords are the answers, for people.
var answerWords = map[proof.Answer]string{
	proof.NewGame: "a new game", proof.Progress: "the old progress", proof.Failed: "it did not start", proof.Unsure: "not sure",
}

func (x *proving) tell(format string, args ...any) {
	if !x.c.Bool("json") {
		x.a.say(format, args...)
	}
}

// side looks at the variant as it is now, with all that it keeps: what the game changes
// beside what is proven is brought back too.
func (x *proving) side(ctx context.Context) (*copies.Side, error) {
	found, err := x.s.here.Title(ctx, x.s.title, nil)
	if err != nil {
		return nil, err
	}
	for _, v := range found.Variants {
		if describeVariant(v) == x.p.Variant {
			return x.s.gather(ctx, found, v, copies.Choice{}), nil
		}
	}
	return nil, fail(exitNotFound, "%s is no longer on this machine", x.p.Variant)
}

// closed is an error while the game runs.
func (x *proving) closed(ctx context.Context, side *copies.Side) error {
	if slices.Contains(x.c.StringSlice("although"), string(copies.Running)) {
		return nil
	}
	for range 20 {
		if len(x.a.programs(ctx, side)) == 0 {
			return nil
		}
		select { // it may be just about to end
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(250 * time.Millisecond):
		}
	}
	return fail(exitConflict, "close it first: %s", x.a.programs(ctx, side)[0])
}

func (x *proving) take(ctx context.Context, side *copies.Side) (*copies.Copy, error) {
	var taken *copies.Copy
	err := x.a.copyFirst(x.c, x.s, side, copies.Choice{}, "before proving", false, "", func(c *copies.Copy) { taken = c })(ctx)
	return taken, err
}

func (x *proving) about(says string) journal.About {
	return journal.About{Kind: "prove", Title: x.p.Title, TitleID: x.p.TitleID, Variant: x.p.Variant, Says: says}
}

// takeAway takes the files of some locations away.
func (x *proving) takeAway(ctx context.Context, side *copies.Side, away []int) (operation string, err error) {
	only := *side
	only.Files = nil
	for _, f := range side.Files {
		if x.isAway(side, f, away) {
			only.Files = append(only.Files, f)
		}
	}
	plan := copies.PlanClear(&only, false)
	if len(plan.Changes) == 0 {
		return "", nil // it was done before an interruption
	}
	names := make([]string, len(away))
	for i, n := range away {
		names[i] = x.p.Locations[n].At
	}
	x.tell("Taken away: %s", shown(strings.Join(names, ", ")))
	op, err := x.j.Do(ctx, x.about("took away "+strings.Join(names, ", ")+" for an experiment"), plan.Changes, nil)
	if err != nil {
		return "", journalError(err)
	}
	x.made = append(x.made, op.ID)
	return op.ID, nil
}

// isAway reports whether a file is of a location that is away, and of the slot that is meant.
func (x *proving) isAway(side *copies.Side, f copies.SideFile, away []int) bool {
	at := side.Variant.Locations[f.Location].At
	return slices.ContainsFunc(away, func(i int) bool { return x.p.Locations[i].At == at }) &&
		(x.p.Slot == "" || f.File.Captures["slot"] == x.p.Slot)
}

// watch waits whether something brings files back while the game is closed.
func (x *proving) watch(ctx context.Context, away []int) (back []proof.Returned, err error) {
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-time.After(x.c.Duration("settle")):
	}
	side, err := x.side(ctx)
	if err != nil {
		return nil, err
	}
	for _, f := range side.Files {
		if x.isAway(side, f, away) {
			r := proof.Returned{Path: f.File.Path}
			if programs := x.a.programs(ctx, side); len(programs) > 0 {
				r.By = programs[0].Name
			}
			back = append(back, r)
		}
	}
	if len(back) > 0 {
		what := phrase.Count(len(back), "file was", "files were")
		x.tell("%s", x.a.missing(what+" brought back while the game was closed: "+shown(back[0].Path)))
	}
	return back, nil
}

// bring makes all files those of the copy again.
func (x *proving) bring(ctx context.Context, side *copies.Side) error {
	if err := x.closed(ctx, side); err != nil {
		return err
	}
	c, err := x.a.findCopy(ctx, x.p.Copy, nil)
	if err != nil {
		return err
	}
	seen, err := copySeen()
	if err != nil {
		return err
	}
	plan, err := copies.PlanPutback(ctx, side, c, copies.PutbackOptions{Seen: seen})
	if err != nil {
		return err
	}
	defer plan.Close()
	if len(plan.Refused) > 0 {
		return fail(exitConflict, "%s cannot be brought back: %s", plan.Refused[0].Place, plan.Refused[0].What)
	}
	if len(plan.Changes) == 0 {
		return nil
	}
	op, err := x.j.Do(ctx, x.about("brought everything back after a start of an experiment"), plan.Changes, nil)
	if err != nil {
		return journalError(err)
	}
	x.made = append(x.made, op.ID)
	x.tell("Brought back: %s", phrase.Count(len(plan.Changes), "file", "files"))
	return nil
}

// end looks that the files are as they were, and gives up what the operations kept: the copy
// has it.
func (x *proving) end(ctx context.Context) error {
	if x.p.Copy != "" {
		side, err := x.side(ctx)
		if err != nil {
			return err
		}
		if err := x.bring(ctx, side); err != nil {
			return err
		}
	}
	for _, r := range x.p.Rounds { // also of the time before an interruption
		if r.Operation != "" && !slices.Contains(x.made, r.Operation) {
			x.made = append(x.made, r.Operation)
		}
	}
	for _, id := range x.made {
		if err := x.j.LetGo(id); err != nil && !errors.Is(err, journal.ErrNothing) {
			return journalError(err)
		}
	}
	return x.save()
}

// report says what was shown.
func (x *proving) report() error {
	decided := false
	for _, l := range x.p.Locations {
		decided = decided || l.Result != proof.Undecided
	}
	if x.c.Bool("json") {
		if err := x.a.json(x.p); err != nil {
			return err
		}
	} else {
		x.a.say("")
		for _, l := range x.p.Locations {
			x.a.say("%s  %s", x.a.heading(phrase.Pad(string(l.Result), len(proof.NotEnough))), shown(l.At))
			x.a.say("  %s", shown(l.Why))
		}
		x.a.say("All files are as they were before. The copy of them stays: endroit copies %s", quotedTitle(shown(x.p.Title)))
	}
	if !decided {
		return silent(exitConflict)
	}
	return nil
}

func (x *proving) save() error {
	if x.file == "" {
		folder, err := proofsFolder()
		if err != nil {
			return err
		}
		if err := os.MkdirAll(folder, 0o700); err != nil {
			return err
		}
		x.file = filepath.Join(folder, x.p.ID+".json")
	}
	data, err := json.Marshal(x.p, jsontext.WithIndent("  "), json.Deterministic(true))
	if err != nil {
		return err
	}
	return safefile.Write(x.file, append(data, '\n'))
}

func proofsFolder() (string, error) {
	dir, err := dataFolder()
	return filepath.Join(dir, "proofs"), err
}

// maxProof bounds the document of an experiment, in bytes.
const maxProof = 16 << 20

// unfinishedProof finds the experiment with a title's variant that was interrupted; nil if
// there is none. Without a variant any of the title's is meant.
func unfinishedProof(titleID, title, variant string) (*proof.Proof, string, error) {
	folder, err := proofsFolder()
	if err != nil {
		return nil, "", err
	}
	names, err := filepath.Glob(filepath.Join(folder, "*.json"))
	if err != nil {
		return nil, "", err
	}
	for _, name := range names {
		data, err := safefile.Read(name, maxProof)
		if err != nil {
			return nil, "", err
		}
		p := &proof.Proof{}
		if err := json.Unmarshal(data, p); err != nil || p.Format != proof.Format {
			continue // of a later version, or damaged: what it kept is in its copy
		}
		if p.At != proof.Finish && p.TitleID == titleID && p.Title == title && (variant == "" || p.Variant == variant) {
			return p, name, nil
		}
	}
	return nil, "", nil
}
