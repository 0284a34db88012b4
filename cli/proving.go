package cli

import (
	"context"
	"errors"
	"fmt"
	"maps"
	"net/url"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"

	"endroit/copies"
	"endroit/copies/journal"
	"endroit/core/phrase"
	"endroit/core/proof"
	"endroit/locate"
	"endroit/running"
	"endroit/safefile"
)

// lead does step after step until it is over. Each is written down when it is done. What was
// away when the person interrupts it is brought back.
func (x *proving) lead(ctx context.Context) error {
	if err := x.save(); err != nil {
		return x.stopped(err)
	}
	for x.p.At != proof.Finish {
		step := x.p.Next()
		if ctx.Err() != nil && x.p.Ended == "" {
			x.a.tell("endroit: interrupted: everything is brought back")
			x.p.GiveUp("it was interrupted")
			ctx = context.WithoutCancel(ctx)
			continue
		}
		x.same = false
		event, err := x.do(ctx, step)
		if err != nil && ctx.Err() != nil {
			continue
		}
		if err != nil {
			return errors.Join(x.stopped(err), x.save())
		}
		event.Now = time.Now()
		if err := x.p.Done(step.Do, event); err != nil {
			return x.stopped(err)
		}
		if err := x.save(); err != nil {
			return x.stopped(err)
		}
	}
	return x.end(ctx)
}

// stopped says of an error where the experiment stands, and how it goes on.
func (x *proving) stopped(err error) error {
	return fmt.Errorf("%w\nthe experiment is at %q: endroit prove again goes on, and --take-back brings everything back", err, x.p.At)
}

func (x *proving) do(ctx context.Context, step proof.Step) (e proof.Event, err error) {
	if step.Do == proof.Finish {
		return e, nil
	}
	switch step.Do { // these do not need to know the files as they are now, or look by themselves
	case proof.Look:
		e.Became, err = x.look(ctx)
		return e, err
	case proof.Watch:
		e.Returned, err = x.watch(ctx, step.Away)
		return e, err
	case proof.Ask:
		e.Answer, err = x.answer(ctx)
		if slices.Contains(proof.Answers, e.Answer) {
			x.tell("  answer: %s", x.p.Words(e.Answer))
		}
		return e, err
	}
	if step.Do == proof.Bring {
		if err := x.returnAside(ctx); err != nil {
			return e, err
		}
	}
	side, err := x.recent(ctx, step.Do)
	if err != nil {
		return e, err
	}
	switch step.Do {
	case proof.ReadList:
		return x.readList(side)
	case proof.Check:
		return e, x.closed(ctx, side)
	case proof.Copy:
		taken, err := x.take(ctx, side)
		if err != nil {
			return e, err
		}
		e.Copy = taken.Record.ID
		if x.p.Aim.Hazard() {
			x.p.Paths = map[string]string{}
			for _, f := range side.Files {
				x.p.Paths[f.Place] = url.PathEscape(f.File.Path)
			}
			x.p.Beside = x.beside(side)
		}
	case proof.TakeAway:
		e.Operation, err = x.takeAway(ctx, side, step.Away)
	case proof.Start:
		if err := x.closed(ctx, side); err != nil {
			return e, err
		}
		if away := x.p.Rounds[len(x.p.Rounds)-1].Away; x.resumed && len(away) > 0 {
			if _, err := x.takeAway(ctx, side, away); err != nil {
				return e, err
			}
			x.writers.Close()
		}
		x.resumed = false
		if n := len(x.p.Rounds); x.p.Aim == proof.Which {
			likely := ""
			if step.Likely > 0 && step.Likely < step.Left {
				likely = fmt.Sprintf(" of %d if one file carries the progress, and", n+step.Likely-1)
			}
			x.tell("Start %d%s of %d at most", n, likely, n+step.Left-1)
		} else {
			x.tell("Start %d of %d at most", n, n+step.Left-1)
		}
		return x.start(ctx, side)
	case proof.Operate:
		x.tell("%s", shown(x.operationTold(step.Direction)))
		x.now = nil // it is no more as it was seen
		err = x.operate(ctx, side, step.Direction)
	case proof.Bring:
		err = x.bring(ctx, side)
	}
	return e, err
}

func (x *proving) tell(format string, args ...any) {
	if !x.c.Bool("json") {
		x.a.say(format, args...)
	}
}

// recent is how the variant was seen last, where a step needs no more than that: taking a copy,
// right after the check, notices itself what changes, and a start, and what brings everything
// back first, need to know where the game is and not its files.
func (x *proving) recent(ctx context.Context, do proof.Do) (*copies.Side, error) {
	if x.now != nil && (do == proof.Copy || do == proof.Start && !x.resumed || do == proof.Bring) {
		return x.now, nil
	}
	return x.side(ctx)
}

// side looks at the variant as it is now, with all that it keeps: what the game changes
// beside what is proven is brought back too.
func (x *proving) side(ctx context.Context) (side *copies.Side, err error) {
	defer func() { x.now = side }()
	found, err := x.s.here.Title(ctx, x.s.title, nil)
	if err != nil {
		return nil, err
	}
	var like []locate.Variant
	for _, v := range found.Variants {
		if describeVariant(v) == x.p.Variant {
			return x.unchanged(x.s.gather(ctx, found, v, copies.Choice{}))
		}
		if x.p.Aim.Hazard() && combination(v) == x.p.Combination && !slices.Contains(x.p.Beside, describeVariant(v)) {
			like = append(like, v)
		}
	}
	switch {
	case len(like) == 1: // it was moved, or made again
		return x.s.gather(ctx, found, like[0], copies.Choice{}), nil
	case len(like) > 1:
		return nil, fail(
			exitConflict, "%s is no longer on this machine, and there are %d others in its place:\n%s\nremove all but one, or --take-back ends it",
			x.p.Variant, len(like), x.s.listed(),
		)
	}
	then := ""
	if x.p.Copy != "" {
		then = ": install it again, so that its files can be brought back (endroit copies has them)"
	}
	return nil, fail(exitNotFound, "%s is no longer on this machine%s", x.p.Variant, then)
}

// beside are the other copies of the edition that are on this machine.
func (x *proving) beside(side *copies.Side) (others []string) {
	for _, v := range x.s.found.Variants {
		if text := describeVariant(v); combination(v) == x.p.Combination && text != describeVariant(side.Variant) {
			others = append(others, text)
		}
	}
	return others
}

// unchanged is an error where the copy of the game was updated meanwhile: its starts would
// not be comparable.
func (x *proving) unchanged(side *copies.Side) (*copies.Side, error) {
	if now := side.Variant.Version; now != "" && x.p.Version != "" && now != x.p.Version && x.p.Ended == "" && !x.p.Aim.Hazard() {
		return nil, fail(
			exitConflict, "the game was updated from version %s to %s since the experiment began; --take-back ends it", x.p.Version, now,
		)
	}
	return side, nil
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
		x.now = nil
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
	o := copies.TakeOptions{Name: "before proving", Own: true}
	err := x.a.copyFirst(x.c, x.s, side, o, copies.Choice{}, func(c *copies.Copy) { taken = c })(ctx)
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
	names := x.names(away)
	x.tell("Taken away: %s", shown(names))
	if err := x.openSeen(); err != nil {
		return "", err
	}
	x.carried = x.seen.Carry(&only)
	x.writers.Close()
	x.writers = running.Watch(ctx, foldersOf(plan.Changes)) // some bring a file back at once
	op, err := x.j.Do(ctx, x.about(tookAway+names+" for an experiment"), plan.Changes, nil)
	if err != nil {
		return "", journalError(err)
	}
	return op.ID, nil
}

// foldersOf are the folders in which changes are made.
func foldersOf(changes []journal.Change) []string {
	all := map[string]bool{}
	for _, c := range changes {
		if c.Key.Path == "" {
			all[filepath.Dir(c.Path())] = true
		}
	}
	return slices.Sorted(maps.Keys(all))
}

// names are locations by their numbers, few of them.
func (x *proving) names(away []int) string {
	var names []string
	for i, n := range away {
		if i == 3 && len(away) > 4 {
			names = append(names, fmt.Sprintf("and %d more", len(away)-i))
			break
		}
		names = append(names, x.p.Locations[n].At)
	}
	return strings.Join(names, ", ")
}

// isAway reports whether a file is of a location that is away, and of the slot that is meant.
func (x *proving) isAway(side *copies.Side, f copies.SideFile, away []int) bool {
	at := side.Variant.Locations[f.Location].At
	if x.p.Aim == proof.Which {
		at = f.Place
	}
	return slices.ContainsFunc(away, func(i int) bool { return x.p.Locations[i].At == at }) &&
		(x.p.Slot == "" || f.File.Captures["slot"] == x.p.Slot)
}

// watch waits whether something brings files back while the game is closed, and looks what
// does.
func (x *proving) watch(ctx context.Context, away []int) (back []proof.Returned, err error) {
	defer x.writers.Close()
	select {
	case <-ctx.Done():
		return nil, ctx.Err()
	case <-time.After(x.c.Duration("settle")):
	}
	side, err := x.side(ctx)
	if err != nil {
		return nil, err
	}
	only := *side
	only.Files = slices.DeleteFunc(slices.Clone(side.Files), func(f copies.SideFile) bool { return !x.isAway(side, f, away) })
	for _, c := range copies.PlanClear(&only, false).Changes { // other accounts' files never were away
		program, _ := x.writers.By(c.Path())
		back = append(back, proof.Returned{Path: strings.ToValidUTF8(c.Path(), "\uFFFD"), By: program.Name})
	}
	if len(back) > 0 {
		says := phrase.Count(len(back), "file was", "files were") + " brought back" + proof.Bringers(back)
		x.tell("%s", x.a.missing(shown(says+" while the game was closed: "+back[0].Path)))
	}
	return back, nil
}

// bring makes all files those of the copy again.
func (x *proving) bring(ctx context.Context, side *copies.Side) error {
	if err := x.closed(ctx, side); err != nil {
		return err
	}
	moved, err := x.moveBack(ctx)
	if err != nil {
		return err
	}
	if moved > 0 {
		x.tell("Brought back: %s", phrase.Count(moved, "file", "files"))
	}
	if side, err = x.side(ctx); err != nil {
		return err
	}
	if x.copied == nil {
		if x.copied, err = x.a.findCopy(ctx, x.p.Copy, nil); err != nil {
			return err
		}
	}
	c := x.copied
	if err := x.openSeen(); err != nil {
		return err
	}
	if moved > 0 {
		x.seen.Back(x.carried)
	}
	plan, err := copies.PlanPutback(ctx, side, c, copies.PutbackOptions{Seen: x.seen})
	if err != nil {
		return err
	}
	defer plan.Close()
	if len(plan.Refused) > 0 {
		return fail(exitConflict, "%s cannot be brought back: %s", plan.Refused[0].Place, plan.Refused[0].What)
	}
	if _, err := plan.RestoreAttributes(c); err != nil {
		return err
	}
	if x.same = len(plan.Changes) == 0; x.same {
		return nil
	}
	if err := plan.MakeTops(ownHome(), side.Variant.Prefix); err != nil {
		return err
	}
	_, err = x.j.Do(ctx, x.about("brought everything back after a start of an experiment"), plan.Changes, nil)
	if err != nil {
		return journalError(err)
	}
	if moved == 0 {
		x.tell("Brought back: %s", phrase.Count(len(plan.Changes), "file", "files"))
	}
	return nil
}

// openSeen opens what is remembered of files that were read.
func (x *proving) openSeen() (err error) {
	if x.seen == nil {
		x.seen, err = copySeen()
	}
	return err
}

// tookAway begins what an operation that takes files away says of itself.
const tookAway = "took away "

// ownOperations are the operations of experiments with this title that can be undone, the
// newest first: also one that was finished after a crash, before anybody wrote down that it
// had been begun.
func (x *proving) ownOperations() (own []journal.Operation, err error) {
	all, err := x.j.List()
	if err != nil {
		return nil, journalError(err)
	}
	for _, op := range all {
		if op.Kind == "prove" && op.Title == x.p.Title && op.TitleID == x.p.TitleID && op.State == journal.Done {
			own = append(own, op)
		}
	}
	slices.SortFunc(own, func(a, b journal.Operation) int { return b.Number - a.Number })
	return own, nil
}

// moveBack undoes the operation that took files away, which moves them and copies nothing.
// What the game put in their places is kept meanwhile.
func (x *proving) moveBack(ctx context.Context) (files int, err error) {
	own, err := x.ownOperations()
	if err != nil || len(own) == 0 || !strings.HasPrefix(own[0].Says, tookAway) {
		return 0, err
	}
	changes, _, err := x.j.PlanUndo(own[0], false)
	if err != nil || len(changes) == 0 {
		return 0, err
	}
	if _, err := x.j.Undo(ctx, own[0], changes, x.about("brought back what was taken away for an experiment"), nil); err != nil {
		return 0, journalError(err)
	}
	return len(changes), nil
}

// end looks that the files are as they were, and gives up what the operations kept: the copy
// has it.
func (x *proving) end(ctx context.Context) error {
	if x.p.Copy != "" && !x.same {
		side, err := x.recent(ctx, proof.Bring)
		if err != nil {
			return err
		}
		if err := x.bring(ctx, side); err != nil {
			return err
		}
	}
	own, err := x.ownOperations()
	if err != nil {
		return err
	}
	for _, op := range own {
		if err := x.j.LetGo(op.ID); err != nil && !errors.Is(err, journal.ErrNothing) {
			return journalError(err)
		}
	}
	return x.save()
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
	err = safefile.Write(x.file, append(data, '\n'))
	if errors.Is(err, syscall.ENOSPC) {
		return fail(exitFailed, "%s cannot be written, the disk is full: make room there first", x.file)
	}
	return err
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
		err = json.Unmarshal(data, p)
		if p.At == proof.Finish || p.TitleID != titleID || p.Title != title || variant != "" && p.Variant != variant {
			continue // or damaged: what it kept is in its copy
		}
		if p.Format != proof.Format {
			return nil, "", fail(
				exitConflict, "an experiment with %s was begun by a later version of Endroit (%s): end it with that version, "+
					"or remove that file and put back its copy (endroit copies)", title, name,
			)
		}
		if err == nil {
			return p, name, nil
		}
	}
	return nil, "", nil
}
