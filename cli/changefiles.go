package cli

import (
	"cmp"
	"context"
	"endroit/copies"
	"endroit/copies/journal"
	"endroit/core/copyplan"
	"endroit/core/draft"
	"endroit/core/notes"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/registry"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"
)

// toChange is an operation that a person is asked about.
type toChange struct {
	kind, heading, says, intro string
	set, was                   string
	wasCopy                    string // the copy of the set was, once it is taken
	p                          *copies.Prepared
	copy                       *copies.Copy
	warnings                   []copies.Warning
	first                      func(context.Context) error // done before files are changed; may be nil
	do                         func(ctx context.Context, about journal.About, told func(done, of int)) (journal.Operation, error)
}

// ChangedFormat names what commands that change files print with --json.
const ChangedFormat = "endroit/changed/1"

// changed is what was, or would be, changed, as programs read it.
type changed struct {
	Format    string             `json:"format"`
	Kind      string             `json:"kind"`
	Title     string             `json:"title"`
	Variant   string             `json:"variant"`
	Copy      string             `json:"copy,omitempty"`
	Steps     []changedFile      `json:"steps"`
	Same      int                `json:"same"`
	Here      copyplan.Side      `json:"here"`
	There     copyplan.Side      `json:"there"`
	Newer     copyplan.Age       `json:"newer"`
	Warnings  []copies.Warning   `json:"warnings"`
	Refused   []copies.Problem   `json:"refused"`
	Left      []copies.Problem   `json:"left"`
	Done      bool               `json:"done"`
	Operation string             `json:"operation,omitempty"` // what endroit undo takes
	Notes     []string           `json:"notes"`
	Ended     []interruptedShown `json:"ended"` // operations that were interrupted before, and ended now
}

type changedFile struct {
	Do    copyplan.Change `json:"do"`
	Place string          `json:"place"`
	Path  string          `json:"path"`
	// What is there before and after; nothing where there is no file.
	Before copyplan.State `json:"before,omitzero"`
	After  copyplan.State `json:"after,omitzero"`
}

func newChanged(x *toChange) changed {
	p := x.p
	out := changed{
		Format: ChangedFormat, Kind: x.kind, Title: p.Side.Title, Variant: describeVariant(p.Side.Variant), Same: p.Plan.Same, Here: p.Here,
		There: p.There, Newer: p.Age, Steps: []changedFile{}, Notes: []string{}, Ended: []interruptedShown{},
		Warnings: append([]copies.Warning{}, x.warnings...), Refused: append([]copies.Problem{}, p.Refused...),
		Left: append([]copies.Problem{}, p.Left...),
	}
	if x.copy != nil {
		out.Copy = x.copy.Path
	}
	for i, s := range p.Plan.Steps {
		out.Steps = append(out.Steps, changedFile{s.Change(), s.Place, p.Changes[i].Path(), s.Before, s.After})
	}
	return out
}

// changeFiles says what an operation will do, asks, does it, and says how to undo it.
func (a *app) changeFiles(ctx context.Context, c *cli.Command, j *openedJournal, x *toChange) error {
	side := x.p.Side
	if p, _, err := unfinishedProof(side.TitleID, side.Title, ""); err != nil || p != nil {
		return cmp.Or(err, fail(
			exitConflict, "an experiment with %s was interrupted, and what it took away is to be brought back first: endroit prove %s --take-back",
			side.Title, quotedTitle(shown(side.Title)),
		))
	}
	out := newChanged(x)
	for _, op := range j.ended {
		out.Ended = append(out.Ended, newInterrupted(op))
	}
	asJSON := c.Bool("json")
	if !asJSON {
		a.printToChange(x)
	}
	if len(x.p.Refused) > 0 {
		if asJSON {
			if err := a.json(out); err != nil {
				return err
			}
			return silent(exitConflict)
		}
		return fail(
			exitConflict, "nothing was done: %s cannot be put here",
			phrase.Count(len(x.p.Refused), "file of the copy", "files of the copy"),
		)
	}
	if len(x.p.Changes) == 0 && x.set == "" && x.do == nil {
		if asJSON {
			return a.json(out)
		}
		a.say("Nothing has to be changed: all files are the same already.")
		return nil
	}
	goes, err := a.makeRoom(j.Journal, x, asJSON)
	if err != nil {
		return err
	}
	if c.Bool("dry-run") {
		if asJSON {
			return a.json(out)
		}
		a.say("Nothing was changed (--dry-run).")
		return nil
	}
	if err := a.agree(c, x); err != nil {
		return err
	}
	if err := a.startedMeanwhile(ctx, x); err != nil {
		return err
	}
	if x.first != nil {
		if err := x.first(ctx); err != nil {
			return err
		}
	}
	about := journal.About{
		Kind: x.kind, Title: x.p.Side.Title, TitleID: x.p.Side.TitleID, Variant: x.p.Side.Variant.Variant, Says: x.says, Set: x.set, Was: x.was,
		WasCopy: x.wasCopy,
		Install: x.p.Side.Variant.Install, Prefix: x.p.Side.Variant.Prefix, Cloud: x.p.Side.Variant.Cloud != nil && *x.p.Side.Variant.Cloud,
	}
	told, end := a.progress("preparing")
	var op journal.Operation
	if x.do != nil {
		op, err = x.do(ctx, about, told)
	} else {
		if err = x.p.MakeTops(ownHome(), side.Variant.Prefix); err == nil {
			op, err = j.Do(ctx, about, x.p.Changes, told)
		}
	}
	end()
	if err != nil {
		return journalError(err)
	}
	for _, g := range goes {
		if err := j.LetGo(g.ID); err != nil {
			return err
		}
	}
	out.Done, out.Operation, out.Notes = true, op.ID, op.Notes
	if asJSON {
		return a.json(out)
	}
	for _, n := range op.Notes {
		a.say("%s", a.missing(shown(n)))
	}
	a.say("Done. To take it back: endroit undo %s", op.ID)
	return nil
}

// startedMeanwhile is an error if the game was started while the person was asked.
func (a *app) startedMeanwhile(ctx context.Context, x *toChange) error {
	if slices.ContainsFunc(x.warnings, func(w copies.Warning) bool { return w.Word == copies.Running }) {
		return nil // which was agreed to
	}
	if now := a.programs(ctx, x.p.Side); len(now) > 0 {
		return fail(exitWarned, "nothing was done: meanwhile %s", now[0])
	}
	return nil
}

// keepAtMost is how many bytes what was replaced may take, until the oldest is let go.
const keepAtMost = 10_000_000_000

// makeRoom says what will be let go so that what is kept for undo stays within its bound.
func (a *app) makeRoom(j *journal.Journal, x *toChange, quiet bool) ([]journal.Operation, error) {
	all, err := j.List()
	if err != nil {
		return nil, err
	}
	goes := journal.Excess(all, x.p.Plan.Sum().Keeps, keepAtMost)
	for _, g := range goes {
		if !quiet {
			a.say(
				"%s",
				a.missing(fmt.Sprintf("can no longer be undone after this, to keep within %s: %s, %s", phrase.Size(keepAtMost), shown(g.Title),
					shown(g.Says))),
			)
		}
	}
	return goes, nil
}

// journalError gives an error of the journal its exit code.
func journalError(err error) error {
	var changed *journal.ChangedError
	var content *journal.ContentError
	switch {
	case errors.Is(err, journal.ErrBusy), errors.As(err, &changed):
		return fail(exitConflict, "%w", err)
	case errors.As(err, &content):
		return fail(exitInput, "%w", err)
	case errors.Is(err, journal.ErrNothing):
		return fail(exitNotFound, "%w", err)
	}
	return err
}

// agree asks for a yes to each kind of warning, and one to all of it.
func (a *app) agree(c *cli.Command, x *toChange) error {
	said := map[copies.Word]bool{}
	for _, w := range c.StringSlice("although") {
		if !slices.Contains(copies.Words, copies.Word(w)) {
			return fail(exitUsage, "--although %q is no warning's word", w)
		}
		said[copies.Word(w)] = true
	}
	var open []copies.Word
	for _, w := range x.warnings {
		if !said[w.Word] && !slices.Contains(open, w.Word) {
			open = append(open, w.Word)
		}
	}
	asks := isTerminal(a.in) && !c.Bool("json")
	if len(open) > 0 && (c.Bool("yes") || !asks) {
		words := make([]string, len(open))
		for i, w := range open {
			words[i] = "--although " + string(w)
		}
		var lines []string
		for _, w := range x.warnings {
			if slices.Contains(open, w.Word) {
				lines = append(lines, "  "+string(w.Word)+": "+w.Text)
			}
		}
		return fail(
			exitWarned, "nothing was done; each of these needs a yes of its own (%s):\n%s", strings.Join(words, " "),
			strings.Join(lines, "\n"),
		)
	}
	for _, word := range open {
		for _, w := range x.warnings {
			if w.Word == word {
				a.tell("%s: %s", word, shown(w.Text))
			}
		}
		if ok, err := a.ask("Go ahead all the same?"); err != nil || !ok {
			return errors.Join(err, nothingDone(err))
		}
	}
	if c.Bool("yes") {
		return nil
	}
	if ok, err := a.ask("Go ahead?"); err != nil || !ok {
		return errors.Join(err, nothingDone(err))
	}
	return nil
}

// stepsShown is how many files are listed of each kind of change.
const stepsShown = 8

func (a *app) printToChange(x *toChange) {
	p := x.p
	a.say("%s", a.heading(shown(x.heading)))
	a.printWhere(p.Side.Variant)
	if x.intro != "" {
		a.say("  %s", shown(x.intro))
	}
	if x.copy != nil {
		r := x.copy.Record
		text := "copy of " + r.Taken.Local().Format("2006-01-02 15:04:05")
		if r.Name != "" {
			text += " (" + r.Name + ")"
		}
		newer := map[copyplan.Age]string{copyplan.Here: "here", copyplan.There: "copy"}[p.Age]
		mark := func(side string) string {
			if side == newer {
				return "  newer"
			}
			return ""
		}
		a.say("  here  %s%s", sideLine(p.Here.Files, p.Here.Bytes, stamp(p.Here.Newest)), mark("here"))
		a.say("  copy  %s%s", sideLine(p.There.Files, p.There.Bytes, stamp(p.There.Newest)), mark("copy"))
		if p.Age == copyplan.Unknown && len(p.Plan.Steps) > 0 {
			a.say("        by their times, neither is clearly the newer one")
		}
		a.say("        %s; %s", shown(text), shown(variantOf(x.copy)))
		a.say("        %s", a.quiet(pasted(x.copy.Path)))
	}
	a.say("")
	a.printSteps(p)
	a.say("")
	for _, f := range p.Refused {
		a.say("  %s", a.missing("cannot be put here: "+shown(f.Place)+" ("+shown(f.What)+")"))
	}
	for _, l := range p.Left {
		a.say("  left alone: %s (%s)", pasted(l.Place), shown(l.What))
	}
	for _, l := range p.Side.LeftOut {
		a.say("  left alone: %s (%s)", shown(l.What), shown(l.Why))
	}
	for _, w := range []string{notes.Sound, notes.Damaged, notes.Foreign, notes.Unsure} {
		if n := p.Verdicts[w]; n > 0 {
			a.say("  %d %s by the notes on their structure", n, w)
		}
	}
	for _, w := range x.warnings {
		a.say("  %s", a.missing(string(w.Word)+": "+shown(w.Text)))
	}
	if !slices.ContainsFunc(x.warnings, func(w copies.Warning) bool { return w.Word == copies.Running }) {
		a.say("  no running program was found that uses these files")
	}
	switch line := cloudLine(p.Side.Variant); {
	case line == "":
	case p.Side.Variant.Cloud == nil:
		a.say("  %s; if it does, switch that off first", line)
	case !*p.Side.Variant.Cloud: // else there is a warning
		a.say("  %s", line)
	}
	if keeps := p.Plan.Sum().Keeps; keeps > 0 {
		a.say("  what is replaced or taken away is kept for endroit undo (%s)", phrase.Size(keeps))
	}
}

// printSteps lists what changes: the folder that all of an anchor's files are in, and a line
// for each file.
func (a *app) printSteps(p *copies.Prepared) {
	type row struct{ do, name, states string }
	groups, order := map[string][]row{}, []string{}
	folders := commonFolders(p.Changes)
	counts, width := map[copyplan.Change]int{}, 0
	for i, s := range p.Plan.Steps {
		do := s.Change()
		if counts[do]++; counts[do] > stepsShown {
			continue
		}
		folder, name := folders[p.Changes[i].Top], ""
		if key := p.Changes[i].Key; key.Path != "" {
			folder, name = registryOf(key), key.Path
		} else {
			name = relative(folder, p.Changes[i].Path())
		}
		if _, had := groups[folder]; !had {
			order = append(order, folder)
		}
		states := stateLine(s.Before)
		switch after := stateLine(s.After); {
		case after != "" && states != "":
			states += "  by  " + after
		case after != "":
			states = after
		}
		r := row{string(do), shown(name), states}
		width = max(width, phrase.Width(r.name))
		groups[folder] = append(groups[folder], r)
	}
	for _, folder := range order {
		heading := pasted(folder)
		if strings.HasPrefix(folder, "registry") {
			heading = folder // which is no path
		}
		a.say("  %s", a.path(heading))
		for _, r := range groups[folder] {
			a.say("    %s %s  %s", phrase.Pad(r.do, 7), phrase.Pad(r.name, width), r.states)
		}
	}
	for _, do := range []copyplan.Change{copyplan.Add, copyplan.Replace, copyplan.Remove} {
		if more := counts[do] - stepsShown; more > 0 {
			a.say("    %s %d more (--json lists them)", phrase.Pad(string(do), 7), more)
		}
	}
	if p.Plan.Same > 0 {
		a.say("  %s the same already", phrase.Count(p.Plan.Same, "file is", "files are"))
	}
}

// commonFolders are, for each folder that changes keep to, the one below it that all of them
// lie in.
func commonFolders(changes []journal.Change) map[string]string {
	out := map[string]string{}
	for _, c := range changes {
		if c.Key.Path != "" {
			continue
		}
		folder := filepath.Dir(c.Path())
		had, ok := out[c.Top]
		if !ok {
			out[c.Top] = folder
			continue
		}
		for had != folder && !strings.HasPrefix(folder, had+string(filepath.Separator)) && len(had) > len(c.Top) {
			had = filepath.Dir(had)
		}
		out[c.Top] = had
	}
	return out
}

// registryOf says in which registry a key is.
func registryOf(k registry.Key) string {
	if k.Prefix == "" {
		return "registry"
	}
	return "registry of " + pasted(k.Prefix)
}

func stateLine(s copyplan.State) string {
	switch s.Kind {
	case copyplan.Key:
		line := phrase.Size(s.Size) + " as text"
		if !s.Time.IsZero() {
			line += " of " + stamp(s.Time)
		}
		return line
	case copyplan.Regular:
		return phrase.Size(s.Size) + " of " + stamp(s.Time)
	case copyplan.Link:
		return "a link to " + shown(linkName(s.Link))
	}
	return ""
}

func linkName(at string) string {
	l, err := place.ParseAny(at)
	if err != nil {
		return at
	}
	names := l.Names()
	return names[len(names)-1]
}

func stamp(t time.Time) string {
	if t.IsZero() {
		return ""
	}
	return t.Local().Format("2006-01-02 15:04:05")
}

func localTime(text string) string {
	t, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return ""
	}
	return stamp(t)
}

// begin is how the commands that change a title's progress begin: by what is meant, with the
// journal open, and with the title. The caller closes both.
func (a *app) begin(ctx context.Context, c *cli.Command, name string) (*openedJournal, *subject, copies.Choice, error) {
	what, err := choice(c, draft.Save)
	if err != nil {
		return nil, nil, what, err
	}
	j, err := a.openJournal(ctx, c)
	if err != nil {
		return nil, nil, what, err
	}
	s, err := a.subject(ctx, c, name)
	if err != nil {
		j.Close()
		return nil, nil, what, err
	}
	return j, s, what, nil
}

// openedJournal is the journal of operations, open for one command, with those that had been
// interrupted and were ended when it was opened.
type openedJournal struct {
	*journal.Journal
	ended []journal.Operation
}

// openJournal opens the journal before anything is looked at: what was interrupted is ended
// first, and nobody else changes files meanwhile.
func (a *app) openJournal(ctx context.Context, c *cli.Command) (*openedJournal, error) {
	folder, err := operationsFolder()
	if err != nil {
		return nil, err
	}
	j, ended, err := journal.Open(ctx, folder)
	if err != nil {
		return nil, journalError(err)
	}
	if !c.Bool("json") {
		a.sayEnded(ended)
	}
	return &openedJournal{j, ended}, nil
}

// operationsFolder is where operations on files are kept.
func operationsFolder() (string, error) {
	dir, err := dataFolder()
	return filepath.Join(dir, "operations"), err
}

// ownHome is the person's home; empty if it is not known.
func ownHome() string {
	home, err := os.UserHomeDir()
	if err != nil {
		return ""
	}
	return home
}
