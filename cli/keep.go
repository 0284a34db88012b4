package cli

import (
	"context"
	"errors"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/urfave/cli/v3"

	"endroit/copies"
	"endroit/copies/journal"
	"endroit/copies/keeping"
	"endroit/core/copyplan"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/safefile"
	"endroit/tracefiles"
)

// usualKept is how many copies keep leaves at most, if the person says nothing.
const usualKept = 20

func (a *app) keep() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "keep", Usage: "take a copy after each save while the game runs",
		Flags: slices.Concat([]cli.Flag{
			&cli.StringFlag{Name: "to", Usage: "the `FOLDER` of copies (otherwise endroit's own)"},
			&cli.DurationFlag{Name: "every", Usage: "take one so often, such as `10m`, where anything changed"},
			&cli.BoolFlag{Name: "after-save", Usage: "take one after each save has settled (if --every is not given)"},
			&cli.IntFlag{Name: "at-most", Usage: "leave so many copies at most (20 if neither this nor --for is given)"},
			&cli.IntFlag{Name: "for", Usage: "leave the copies of so many `DAYS`"},
			&cli.DurationFlag{
				Name:  "quiet",
				Usage: "how long no file may change before a save counts as over (otherwise from the draft's runs, or 1s)",
			},
		}, choiceFlags("progress and settings"), whereFlags(), []cli.Flag{jsonFlag()}),
		Action: a.runKeep,
	}, reuse, "keep")
}

// keeper is one run of keep.
type keeper struct {
	a      *app
	c      *cli.Command
	s      *subject
	side   *copies.Side
	job    *copyJob
	rule   copyplan.Rule
	taken  []copied
	gone   int
	left   int
	quiet  time.Duration
	parted string // the other machine's copy that was told of
}

func (a *app) runKeep(ctx context.Context, c *cli.Command) error {
	name := strings.Join(c.Args().Slice(), " ")
	if name == "" {
		return fail(exitUsage, "give a TITLE or a DRAFT, such as: endroit keep Tidewrack")
	}
	if c.Bool("after-save") && c.Duration("every") > 0 {
		return fail(exitUsage, "--every and --after-save are two ways; give one")
	}
	if c.Int("at-most") < 0 || c.Int("for") < 0 || c.Duration("every") < 0 || c.Duration("quiet") < 0 {
		return fail(exitUsage, "--at-most, --for, --every and --quiet are not negative")
	}
	k := &keeper{a: a, c: c, rule: copyplan.Rule{AtMost: c.Int("at-most"), For: time.Duration(c.Int("for")) * 24 * time.Hour}}
	if k.rule == (copyplan.Rule{}) {
		k.rule.AtMost = usualKept
	}
	var err error
	if k.job, err = a.copyJob(c); err != nil {
		return err
	}
	if k.s, err = a.subject(ctx, c, name); err != nil {
		return err
	}
	defer k.s.close()
	if k.side, err = k.s.one(ctx, c.String("variant"), k.job.choice); err != nil {
		return err
	}
	places := k.side.Places(k.job.choice)
	if len(places) == 0 {
		return fail(exitNotFound, "no location of %s can be watched on this machine", k.s.title.Name)
	}
	quiet, why := a.quietTime(c, name)
	k.quiet = quiet
	if !c.Bool("json") {
		a.say("%s", a.heading("Keep "+shown(k.s.title.Name)))
		a.printWhere(k.side.Variant)
		for _, p := range places {
			a.say("  watches %s", a.path(pasted(p)))
		}
		a.say("  a save is over when nothing has changed for %s (%s)", phrase.Duration(quiet), why)
		a.say("  to %s; %s", pasted(k.job.to), k.rule)
		a.say("  Ctrl-C ends it, and so does the end of the game")
	}
	ctx, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
	defer stop()
	err = (&keeping.Keeper{
		Folders: places, Quiet: quiet, Every: c.Duration("every"), Take: k.take,
		Runs: func(ctx context.Context) bool { return len(a.programs(ctx, k.side)) > 0 },
	}).Run(ctx)
	if err != nil {
		return err
	}
	return k.sum()
}

// quietTime is how long files have to be quiet before a save is over, and how that is known.
func (a *app) quietTime(c *cli.Command, name string) (time.Duration, string) {
	if q := c.Duration("quiet"); q > 0 {
		return q, "as you said"
	}
	if looksLikeDraft(name) {
		if q, known := quietByRuns(name); known {
			return q, "longer than any pause within a save of the draft's run"
		}
	}
	return copyplan.UsualQuiet, "no run tells more; --quiet changes it"
}

// quietByRuns looks into the traces of a draft for the pauses within a save.
func quietByRuns(name string) (time.Duration, bool) {
	data, err := safefile.Read(name, draft.MaxBytes)
	if err != nil {
		return 0, false
	}
	d, err := draft.Parse(data)
	if err != nil || d.Trace == nil || d.Trace.File == "" {
		return 0, false
	}
	file := d.Trace.File
	if !filepath.IsAbs(file) {
		file = filepath.Join(filepath.Dir(name), file)
	}
	fp, _, err := tracefiles.Read(file, footprint.Filter{})
	if err != nil {
		return 0, false
	}
	var writes []copyplan.Stretch
	for _, f := range fp.Files {
		if f.Kind != footprint.Save || f.Lane == nil {
			continue
		}
		for _, w := range f.Lane.Writes {
			writes = append(writes, copyplan.Stretch{From: time.Duration(w[0]), To: time.Duration(w[1])})
		}
	}
	var saved []time.Duration
	for _, cue := range fp.Cues {
		if cue.Word == "saved" {
			saved = append(saved, cue.At)
		}
	}
	return copyplan.Quiet(writes, saved)
}

// take takes one copy, thins the older ones, and looks for a conflict.
func (k *keeper) take(ctx context.Context) (busy bool, err error) {
	j, err := k.a.openJournal(ctx, k.c)
	if errors.Is(err, journal.ErrBusy) {
		return true, nil // another command changes the files just now
	}
	if err != nil {
		return false, err
	}
	defer j.Close()
	side, err := k.a.again(k.s, k.side, k.job.choice)(ctx)
	if err != nil {
		return false, err
	}
	if len(side.Files) == 0 {
		return false, nil
	}
	o := k.job.options(k.a, k.s, side, nil)
	o.Kept, o.Name, o.Always, o.Quiet = true, "", false, k.quiet
	taken, err := copies.Take(ctx, side, o)
	var restless *copies.RestlessError
	switch {
	case errors.As(err, &restless):
		return true, nil
	case errors.Is(err, copies.ErrEmpty):
		return false, nil
	case err != nil:
		return false, err
	}
	if err := rememberFolder(k.job.to); err != nil {
		return false, err
	}
	if !taken.Same {
		k.taken = append(k.taken, newCopied(side, taken))
		if !k.c.Bool("json") {
			k.a.say(
				"%s  %s, %s written", time.Now().Format("15:04:05"),
				phrase.Count(len(taken.Copy.Record.Files), "file", "files"), phrase.Size(taken.Written),
			)
		}
	}
	gone, left, err := copies.Thin(ctx, side, k.job.to, k.job.machine, k.rule, time.Now())
	k.gone, k.left = k.gone+len(gone), left
	if err != nil {
		return false, err
	}
	return false, k.a.sayConflict(ctx, side, k.job, &k.parted, k.c.Bool("json"))
}

// sayConflict tells, once, that another machine has put a copy into the same folder that is
// not what this one went on from.
func (a *app) sayConflict(ctx context.Context, side *copies.Side, job *copyJob, told *string, quiet bool) error {
	conflict, err := copies.FindConflict(ctx, side, job.to, job.machine, job.seen)
	if err != nil || conflict == nil || *told == conflict.There.Record.ID {
		return err
	}
	*told = conflict.There.Record.ID
	if quiet {
		return nil
	}
	there := conflict.There.Record
	here := copyplan.Of(side.Items())
	a.say(
		"%s",
		a.missing("Both sides were changed since they were last the same ("+stamp(conflict.Base.Record.Taken)+
			"). Neither is taken for the newer one:"),
	)
	a.say("  here           %s", sideLine(here.Files, here.Bytes, stamp(here.Newest)))
	a.say("  other machine  %s", sideLine(len(there.Files), there.Bytes(), stamp(there.Newest())))
	for i, d := range conflict.Both {
		if i == stepsShown {
			a.say("    and %d more that both changed", len(conflict.Both)-i)
			break
		}
		a.say("    %s  here %s; there %s", shown(d.Place), orGone(stateLine(d.Here)), orGone(stateLine(d.There)))
	}
	a.say("  %d changed here alone, %d there alone", len(conflict.OnlyHere), len(conflict.OnlyThere))
	a.say("  to take the other machine's: endroit putback %s; yours is kept either way", there.ID[:shortID])
	return nil
}

func orGone(text string) string {
	if text == "" {
		return "gone"
	}
	return text
}

// KeptFormat names what keep --json prints.
const KeptFormat = "endroit/kept/1"

// sum says at the end what there is.
func (k *keeper) sum() error {
	if k.c.Bool("json") {
		return k.a.json(struct {
			Format  string   `json:"format"`
			Title   string   `json:"title"`
			To      string   `json:"to"`
			Rule    string   `json:"rule"`
			Copies  []copied `json:"copies"`
			Removed int      `json:"removed"`
			Left    int      `json:"left"`
		}{KeptFormat, k.s.title.Name, k.job.to, k.rule.String(), append([]copied{}, k.taken...), k.gone, k.left})
	}
	text := phrase.Count(len(k.taken), "copy was", "copies were") + " taken"
	if k.gone > 0 {
		text += ", " + phrase.Count(k.gone, "older one", "older ones") + " removed by the rule"
	}
	k.a.say(
		"%s; %s of this title there now. endroit copies %s lists them", text,
		phrase.Count(k.left, "kept copy is", "kept copies are"), quotedTitle(shown(k.s.title.Name)),
	)
	return nil
}
