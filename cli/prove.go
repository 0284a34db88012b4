package cli

import (
	"context"
	"crypto/rand"
	"encoding/hex"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/urfave/cli/v3"

	"endroit/copies"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/proof"
	"endroit/core/record"
	"endroit/locate"
	"endroit/running"
)

func (a *app) prove() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "prove", Usage: "show by an experiment that progress lives in the locations",
		ArgsUsage: "TITLE|DRAFT|TRACE [options] [--] COMMAND…",
		Flags: slices.Concat([]cli.Flag{
			&cli.BoolFlag{Name: "which", Usage: "find the smallest set of files that carries the progress, in few starts"},
			&cli.BoolFlag{
				Name:  "nothing",
				Usage: "show that nothing is kept on this machine: all that the game wrote in a DRAFT's runs, or a TRACE, is away",
			},
			&cli.StringFlag{
				Name:  "hazard",
				Usage: "try what an `OPERATION` does to the locations: prefix-removal, move, uninstall, repair or cloud",
			},
			&cli.BoolFlag{Name: "listed", Usage: "with --hazard cloud: record what the launcher's own files list, and change nothing"},
			&cli.StringSliceFlag{
				Name: "by", Usage: "run this `COMMAND` for the operation, instead of asking you to do it; can be repeated, for each direction",
			},
			&cli.StringSliceFlag{
				Name:  "answer",
				Usage: "what state the game is in at each start, in order: `STATE` is new, progress, part, failed or unsure; can be repeated",
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
	a    *app
	c    *cli.Command
	j    *openedJournal
	s    *subject
	what copies.Choice
	aim  proof.Aim
	p    *proof.Proof
	file string
	game []string
	// resumed says that it goes on after an interruption: perhaps of a start, which has left
	// something in the places of what is away.
	resumed bool
	// seen is what is known of files that were read, carried of those that are away.
	seen    *copies.Seen
	carried copies.KnownAway
	// now is the variant as it was seen last; nil if it has to be looked at.
	now *copies.Side
	// writers notes who writes in the folders from which files were taken away last.
	writers *running.Watcher
	// copied is the copy, once it was read; same says that the last step found all files to be
	// those of it.
	copied *copies.Copy
	same   bool
}

// aimOf is what the flags ask for.
func aimOf(c *cli.Command) (proof.Aim, error) {
	aim, n := proof.Locations, 0
	if c.Bool("which") {
		aim, n = proof.Which, n+1
	}
	if c.Bool("nothing") {
		aim, n = proof.Nothing, n+1
	}
	if op := c.String("hazard"); op != "" {
		aim, n = proof.Aim(op), n+1
		if !slices.Contains(proof.Operations, aim) {
			return aim, fail(exitUsage, "--hazard %q is not prefix-removal, move, uninstall, repair or cloud", op)
		}
	}
	if n > 1 {
		return aim, fail(exitUsage, "give one of --which, --nothing and --hazard")
	}
	if len(c.StringSlice("by")) > 0 && !aim.Hazard() {
		return aim, fail(exitUsage, "--by is for --hazard: it does the operation")
	}
	for _, said := range c.StringSlice("answer") {
		if !slices.Contains(proof.Answers, proof.Answer(said)) {
			return aim, fail(exitUsage, "--answer %q is not new, progress, part, failed or unsure", said)
		}
	}
	if c.Bool("listed") && aim != "cloud" {
		return aim, fail(exitUsage, "--listed is for --hazard cloud: what the launcher's own files list for it")
	}
	return aim, nil
}

func (a *app) runProve(ctx context.Context, c *cli.Command) (err error) {
	args := c.Args().Slice()
	if len(args) == 0 {
		return fail(exitUsage, "give a TITLE or a DRAFT, and the game's command, such as: endroit prove tidewrack.draft.yaml -- ./tidewrack")
	}
	x := &proving{a: a, c: c, game: args[1:]}
	if x.aim, err = aimOf(c); err != nil {
		return err
	}
	if x.j, x.s, x.what, err = a.beginProof(ctx, c, args[0], x.aim); err != nil {
		return err
	}
	defer x.j.Close()
	defer func() { x.s.close(); x.writers.Close() }()
	if x.p, x.file, err = unfinishedProof(x.s.title.ID, x.s.title.Name, ""); err != nil {
		return err
	}
	if err := x.returnAside(ctx); err != nil {
		return err
	}
	took := c.Bool("take-back")
	switch {
	case x.p == nil && took:
		return fail(exitNotFound, "no experiment with %s was interrupted", x.s.title.Name)
	case x.p == nil && len(x.game) == 0 && !x.aim.Hazard():
		return fail(exitUsage, "name the command that starts the game, after --")
	case x.p == nil:
		side, err := x.s.one(ctx, c.String("variant"), x.what)
		if err != nil {
			return err
		}
		if err := x.begin(ctx, side); err != nil || c.Bool("dry-run") {
			return err
		}
	case took:
		x.p.GiveUp("it was taken back")
	default:
		if err := x.goesOn(); err != nil {
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

// goesOn checks whether an experiment that was interrupted can go on as it was begun.
func (x *proving) goesOn() error {
	machine, err := pseudonym("copies")
	if err != nil {
		return err
	}
	p := x.p
	aim := p.Aim
	if aim == "" {
		aim = proof.Locations
	}
	begun := "an experiment with " + p.Title + " was begun on " + stamp(p.Began)
	switch {
	case p.By != "endroit "+Version:
		return fail(exitConflict, "%s by another version of Endroit (%s); --take-back ends it", begun, p.By)
	case p.Machine != machine:
		return fail(exitConflict, "%s on another machine; --take-back ends it here", begun)
	case aim != x.aim || p.ByList != x.c.Bool("listed"):
		return fail(exitConflict, "%s with another aim (%s); go on with that, or --take-back ends it", begun, aim)
	case x.c.String("variant") != "" && !strings.Contains(strings.ToLower(p.Variant), strings.ToLower(x.c.String("variant"))):
		return fail(exitConflict, "%s with another variant (%s); go on with that, or --take-back ends it", begun, p.Variant)
	case len(x.game) == 0 && !aim.Hazard():
		return fail(exitUsage, "name the command that starts the game, after --")
	}
	x.resumed = true
	x.a.tell("endroit: goes on with the experiment that was begun on %s; --take-back would end it", stamp(p.Began))
	return nil
}

// begin says what will be done, and asks.
func (x *proving) begin(ctx context.Context, side *copies.Side) error {
	a, c := x.a, x.c
	locations, empty, err := x.tried(ctx, side)
	if err != nil {
		return err
	}
	plan := copies.PlanClear(side, false)
	stay(locations, side, plan)
	if len(locations) == 0 {
		says := append([]string{"no location of " + x.s.title.Name + " finds anything here: start the game, save, and prove then"}, empty...)
		return fail(exitNotFound, "%s", strings.Join(says, "\n"))
	}
	if len(locations) > proof.MaxLocations {
		return fail(exitConflict, "%d files are too many; narrow the draft's locations, or choose with --holds and --slot", len(locations))
	}
	if err := x.possible(side); err != nil {
		return err
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
	v := side.Variant
	version := v.Version
	if version == "" {
		version = x.s.version
	}
	x.p, err = proof.New(hex.EncodeToString(id), proof.About{
		Aim: x.aim, ByList: c.Bool("listed"), Title: x.s.title.Name, TitleID: x.s.title.ID, Variant: describeVariant(v),
		Version: version, Holds: holds, Slot: x.what.Slot,
		Combination: combination(v), By: "endroit " + Version, Machine: machine, Before: x.s.runs,
	}, locations, time.Now())
	if err != nil {
		return fail(exitNotFound, "%w", err)
	}
	warnings := plan.Warnings
	if x.p.ByList {
		return x.beginList(side, locations, empty)
	}
	for _, w := range a.surroundings(ctx, side) {
		if x.aim != "cloud" || w.Word != copies.Cloud { // that has to be on
			warnings = append(warnings, w)
		}
	}
	if v.Cloud == nil && x.aim != "cloud" && (v.StartedBy != "" || v.Store != "" || v.Launcher != "") {
		warnings = append(warnings, copies.Warning{Word: copies.Cloud, Text: "whether " + launcherOf(v) +
			" keeps cloud copies is not known: what it brings back would spoil the experiment. Switch it off for this title first"})
	}
	if !c.Bool("json") {
		x.announce(side, plan, locations, empty, warnings)
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

// combination names the recorded variant.
func combination(v locate.Variant) record.Combination {
	return record.Combination{Store: v.Store, Ref: v.Reference, Launcher: v.Launcher, OS: v.System, Runtime: v.Runtime}
}

// filesListed is how many candidates of a search are listed.
const filesListed = 8

// announce says what will be done.
func (x *proving) announce(
	side *copies.Side, plan *copies.Prepared, locations []proof.Location, empty []string, warnings []copies.Warning,
) {
	a := x.a
	a.say("%s", a.heading("Prove "+shown(x.s.title.Name)))
	a.printWhere(side.Variant)
	for i, l := range locations {
		if i == filesListed && x.aim == proof.Which {
			a.say("  and %d more", len(locations)-i)
			break
		}
		a.say("  %s  %s  (%s)", a.kind(phrase.Pad(word(l.Holds), 8)), shown(l.At), proof.Amount(l.At, l.Files))
	}
	for _, at := range empty {
		a.say("  %s", a.quiet("left out, since it finds nothing here: "+shown(at)))
	}
	if n := len(plan.Left); n > 0 {
		a.say("  %s", a.quiet(phrase.Count(n, "file", "files")+" of accounts that are not in use stay"))
	}
	step := x.p.Next()
	switch {
	case x.aim.Hazard():
		a.say("  %s", x.operationSays())
		a.say("  The files of these locations are copied first, and brought back afterwards.")
		if len(x.c.StringSlice("by")) > 0 || x.aim != "prefix-removal" && x.aim != "cloud" {
			a.say("  What else it changes or removes is not brought back.")
		}
	case x.aim == proof.Which:
		if step.Likely < step.Left {
			a.say("  They are copied, taken away in parts and brought back. The game is started %s", startedTimes(step.Likely))
			a.say("  if one file carries the progress, %s at most; Ctrl-C ends it with what is known by then.", startedTimes(step.Left))
		} else {
			a.say("  They are copied, taken away and brought back; the game is started %s at most.", startedTimes(step.Left))
			a.say("  Ctrl-C ends it with what is known by then.")
		}
	default:
		a.say("  They are copied, taken away and brought back; the game is started %s at most.", startedTimes(step.Left))
	}
	if !x.aim.Hazard() {
		a.say("  At each start, look whether it shows %s, and end it. Do not save.", x.p.Either())
	}
	for _, w := range warnings {
		a.say("  %s", a.missing(string(w.Word)+": "+shown(w.Text)))
	}
}

func startedTimes(n int) string {
	if n == 1 {
		return "once"
	}
	return fmt.Sprintf("%d times", n)
}

// tried are the locations that an experiment is about, and those that find nothing. In a
// search each file is one.
func (x *proving) tried(ctx context.Context, side *copies.Side) (out []proof.Location, empty []string, err error) {
	if x.aim == proof.Which {
		if err := x.openSeen(); err != nil {
			return nil, nil, err
		}
		out, err = candidates(ctx, side, x.seen)
		return out, nil, err
	}
	for i, l := range side.Variant.Locations {
		one := proof.Location{At: l.At, Holds: l.Holds}
		for _, f := range side.Files {
			if f.Location == i {
				one.Files++
			}
		}
		switch {
		case one.Files > 0:
			out = append(out, one)
		case l.Usable && l.Error == "" && x.what.Includes(l.Holds):
			at := l.At
			if len(l.Skipped) > 0 {
				at += fmt.Sprintf(" (skipped: %s, %s)", l.Skipped[0].Path, l.Skipped[0].Why)
			}
			empty = append(empty, at)
		}
	}
	return out, empty, nil
}

// stay counts the files of each location that a plan of taking away leaves.
func stay(locations []proof.Location, side *copies.Side, plan *copies.Prepared) {
	left := map[string]bool{}
	for _, l := range plan.Left {
		left[l.Place] = true
	}
	for _, f := range side.Files {
		for i := range locations {
			if left[f.File.Path] && locations[i].At == side.Variant.Locations[f.Location].At {
				locations[i].Stays++
			}
		}
	}
}

// oneSave is how far apart in time files that belong to one save were written.
const oneSave = 2 * time.Second

// comparedFor is up to which size, in bytes, files are compared with others of their size.
const comparedFor = 64 << 20

// candidates are the files among which is searched. Those that were written together, the
// latest first, are the likelier; a file with the content of another belongs to its save, be it
// older: one of the two is a copy of the other.
func candidates(ctx context.Context, side *copies.Side, seen *copies.Seen) (out []proof.Location, err error) {
	files := slices.Clone(side.Files)
	slices.SortStableFunc(files, func(a, b copies.SideFile) int { return b.State.Time.Compare(a.State.Time) })
	content, err := alike(ctx, side, seen)
	if err != nil {
		return nil, err
	}
	likely := len(files)
	var last time.Time
	first := map[string]int{} // how likely the latest of one content is
	for i, f := range files {
		if at := f.State.Time; i == 0 || last.Sub(at) > oneSave {
			likely--
		}
		last = f.State.Time
		l := side.Variant.Locations[f.Location]
		x := proof.Location{At: f.Place, Holds: l.Holds, Files: 1, Likely: likely}
		if digest := content[f.Place]; digest != "" {
			if _, had := first[digest]; !had {
				first[digest] = likely
			}
			x.Likely = first[digest]
		}
		x.Group = fmt.Sprint(x.Likely)
		if l.Holds == draft.Save {
			x.Likely += len(files)
		}
		out = append(out, x)
	}
	slices.SortStableFunc(out, func(a, b proof.Location) int { return strings.Compare(a.At, b.At) })
	return out, nil
}

// alike are the digests of files that have the size of others, by place.
func alike(ctx context.Context, side *copies.Side, seen *copies.Seen) (map[string]string, error) {
	of := map[int64]int{}
	if len(side.Files) > proof.MaxLocations {
		return nil, nil // there will be no search
	}
	for _, f := range side.Files {
		of[f.Size]++
	}
	only := *side
	only.Files = slices.DeleteFunc(slices.Clone(side.Files), func(f copies.SideFile) bool {
		return of[f.Size] < 2 || f.Size == 0 || f.Size > comparedFor
	})
	if err := only.Digests(ctx, seen); err != nil {
		return nil, err
	}
	out := map[string]string{}
	for _, f := range only.Files {
		out[f.Place] = f.Digest
	}
	return out, nil
}

// beginProof begins as begin does. For an absence the subject's locations are what the game
// wrote in the runs of a draft.
func (a *app) beginProof(ctx context.Context, c *cli.Command, name string, aim proof.Aim) (*openedJournal, *subject, copies.Choice, error) {
	if aim != proof.Nothing {
		return a.begin(ctx, c, name)
	}
	what := copies.Choice{Slot: c.String("slot")}
	d, fp, runs, err := readRuns(name)
	if err != nil {
		return nil, nil, what, err
	}
	d.Locations = contribution.WrittenIn(fp)
	if len(d.Locations) == 0 {
		return nil, nil, what, fail(exitNotFound, "the runs of %s wrote nothing that stayed: save, and trace again", name)
	}
	j, err := a.openJournal(ctx, c)
	if err != nil {
		return nil, nil, what, err
	}
	s, err := a.ofDraft(ctx, c, d)
	if err != nil {
		j.Close()
		return nil, nil, what, err
	}
	s.runs = runs
	return j, s, what, nil
}

// readRuns reads a draft with its runs, or a trace alone, by which it is known what the game
// writes.
func readRuns(name string) (*draft.Draft, *footprint.Footprint, []proof.Run, error) {
	if looksLikeDraft(name) && filepath.Ext(name) != ".trace" {
		d, fp, err := readDraft(name)
		if err != nil {
			return nil, nil, nil, err
		}
		runs, err := runsOf(name, d)
		return d, fp, runs, err
	}
	if filepath.Ext(name) != ".trace" {
		return nil, nil, nil, fail(exitUsage, "--nothing takes a DRAFT or a TRACE, which says what the game writes; endroit trace records one")
	}
	fp, digest, err := readTrace(name)
	if err != nil {
		return nil, nil, nil, err
	}
	if fp.Title == "" {
		return nil, nil, nil, fail(exitInput, "%s does not say which title it is of (endroit trace --title)", name)
	}
	file, err := filepath.Abs(name)
	d := &draft.Draft{Format: draft.Format, Title: fp.Title, Edition: fp.Edition, Launcher: fp.Launcher, OS: fp.OS, Runtime: fp.Runtime}
	return d, fp, []proof.Run{{File: file, SHA256: digest}}, err
}

// report says what was shown.
func (x *proving) report() error {
	decided := x.p.Absent()
	for _, l := range x.p.Locations {
		decided = decided || l.Result != proof.Undecided
	}
	if x.c.Bool("json") {
		if err := x.a.json(x.p); err != nil {
			return err
		}
	} else {
		x.sayResults()
		if x.p.ByList {
			x.a.say("Nothing was changed.")
		} else if x.aim.Hazard() {
			x.a.say("All files are what they were before. The copy of them stays: endroit copies %s", quotedTitle(shown(x.p.Title)))
		} else {
			x.a.say("All files are as they were before. The copy of them stays: endroit copies %s", quotedTitle(shown(x.p.Title)))
		}
		if decided && x.p.Ended == "" && x.p.Aim != proof.Which {
			x.a.say("Share it: endroit submit %s (it is shown before it is sent)", x.p.ID)
		}
	}
	if !decided {
		return silent(exitConflict)
	}
	return nil
}

func (x *proving) sayResults() {
	a, p := x.a, x.p
	a.say("")
	if p.Absent() {
		a.say("%s", a.heading("nothing is kept on this machine"))
		a.say("  with all that the game had written away, it showed the progress")
		return
	}
	width := 0
	for _, l := range p.Locations {
		width = max(width, len(l.Result))
	}
	without := 0
	for _, l := range p.Locations {
		if p.Aim == proof.Which && l.Result == proof.NotNeeded && !l.Enough && len(p.Locations) > filesListed {
			without++
			continue
		}
		a.say("%s  %s", a.heading(phrase.Pad(string(l.Result), width)), shown(l.At))
		a.say("  %s", shown(l.Why))
	}
	if without > 0 {
		a.say("%s  %s", a.heading(phrase.Pad(string(proof.NotNeeded), width)), phrase.Count(without, "other file", "other files"))
	}
	if set, starts, halving, ok := p.Found(); ok {
		what := phrase.Count(len(set), "file", "files") + fmt.Sprintf(" of %d", len(p.Locations))
		if slices.ContainsFunc(p.Locations, proof.Location.IsKey) {
			what = fmt.Sprintf("%d of %d files and keys", len(set), len(p.Locations))
		}
		a.say("%s, found in %s of the game; halving alone would have taken %d", what, phrase.Count(starts, "start", "starts"), halving)
	}
}
