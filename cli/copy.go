package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"endroit/copies"
	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/core/draft"
	"endroit/core/notes"
	"endroit/core/phrase"
	"endroit/localmanifest"
	"endroit/locate"
	"endroit/parallel"
	"endroit/registry"
)

func (a *app) copy() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "copy", Usage: "take a safe copy of a title's progress and settings",
		Flags: slices.Concat([]cli.Flag{
			quietFlag(),
			&cli.StringFlag{Name: "to", Usage: "the `FOLDER` of copies, such as one on a stick (otherwise endroit's own)"},
			&cli.StringFlag{Name: "name", Usage: "a `NAME` for the copy"},
			&cli.StringFlag{Name: "as", Value: string(copies.Folder), Usage: "the `FORM` of the copy: folder, zip or tar.zst"},
			&cli.BoolFlag{Name: "all", Usage: "copy every title that is recorded and present on this machine"},
			&cli.BoolFlag{Name: "always", Usage: "also where nothing has changed since the last copy"},
			&cli.BoolFlag{Name: "dry-run", Usage: "only say what would be copied"},
			yesFlag(),
		}, choiceFlags("progress and settings"), whereFlags(), []cli.Flag{jsonFlag()}),
		Action: a.runCopy,
	}, reuse, "copy")
}

func yesFlag() cli.Flag { return &cli.BoolFlag{Name: "yes", Usage: "do not ask"} }

// quietFlag is that of the commands that take a copy.
func quietFlag() cli.Flag {
	return &cli.DurationFlag{
		Name: "quiet", Value: copyplan.UsualQuiet,
		Usage: "how long no file may have changed before it is copied: a game pauses within a save",
	}
}

// copyJob is what is common to all copies of one command.
type copyJob struct {
	to, name string
	form     copies.Form
	choice   copies.Choice
	always   bool
	machine  string
	seen     *copies.Seen
	quiet    time.Duration
	last     *copies.LastRead // of the title that is copied; may be nil
}

func (a *app) copyJob(c *cli.Command) (*copyJob, error) {
	j := &copyJob{
		to: c.String("to"), name: c.String("name"), form: copies.Form(c.String("as")), always: c.Bool("always"), quiet: c.Duration("quiet"),
	}
	if j.form == "" { // of a command that takes folders alone
		j.form = copies.Folder
	}
	if !slices.Contains(copies.Forms, j.form) {
		return nil, fail(exitUsage, "--as %q is not folder, zip or tar.zst", c.String("as"))
	}
	if reason := copyrecord.CheckName(j.name); j.name != "" && reason != "" {
		return nil, fail(exitUsage, "--name %q: %s", j.name, reason)
	}
	var err error
	if j.choice, err = choice(c, draft.Save, draft.Config); err != nil {
		return nil, err
	}
	if j.to, err = copiesFolder(j.to); err != nil {
		return nil, err
	}
	if j.machine, err = pseudonym("copies"); err != nil {
		return nil, err
	}
	j.seen, err = copySeen()
	return j, err
}

// copiesFolder is the folder of copies that a person named, or endroit's own.
func copiesFolder(named string) (string, error) {
	if named != "" {
		abs, err := filepath.Abs(named)
		if err != nil {
			return "", err
		}
		if info, err := os.Stat(abs); err == nil && !info.IsDir() {
			return "", fail(exitUsage, "--to %s is no folder", named)
		}
		// A stick that is not plugged in would be a folder on the wrong disk.
		if _, err := os.Stat(filepath.Dir(abs)); err != nil {
			return "", fail(exitUsage, "--to %s: the folder %s does not exist; is its disk connected?", named, filepath.Dir(abs))
		}
		return abs, nil
	}
	dir, err := dataFolder()
	return filepath.Join(dir, "copies"), err
}

func (j *copyJob) options(a *app, s *subject, side *copies.Side, told func(done, of int)) copies.TakeOptions {
	return copies.TakeOptions{
		To: j.to, Name: j.name, Form: j.form, By: "endroit " + Version, Machine: j.machine, Seen: j.seen, Last: j.last, Told: told,
		Always: j.always || j.name != "" || j.form != copies.Folder, Again: a.again(s, side, j.choice), Quiet: j.quiet,
	}
}

func (a *app) runCopy(ctx context.Context, c *cli.Command) error {
	name := strings.Join(c.Args().Slice(), " ")
	if c.Bool("all") == (name != "") {
		return fail(exitUsage, "give a TITLE or a DRAFT, such as: endroit copy Tidewrack; or --all")
	}
	job, err := a.copyJob(c)
	if err != nil {
		return err
	}
	j, err := a.openJournal(ctx, c)
	if err != nil {
		return err
	}
	defer j.Close()
	if c.Bool("all") {
		return a.copyAll(ctx, c, job)
	}
	s, err := a.readSubject(ctx, c, name)
	if err != nil {
		return err
	}
	job.last = copies.ReadLast(ctx, job.to, s.title.Name)
	if err := s.find(ctx); err != nil {
		return err
	}
	defer s.close()
	sides := s.sides(ctx, c.String("variant"), job.choice)
	if c.String("variant") != "" && len(sides) == 0 {
		_, err := s.one(ctx, c.String("variant"), job.choice)
		return err
	}
	sides = slices.DeleteFunc(sides, func(side *copies.Side) bool { return len(side.Files) == 0 })
	if len(sides) == 0 {
		return fail(
			exitNotFound, "no files of %s were found on this machine; endroit locate %s shows where they would be",
			s.title.Name, quotedTitle(s.title.Name),
		)
	}
	if !c.Bool("json") {
		a.say("%s", a.heading("Copy "+shown(s.title.Name)))
		for _, side := range sides {
			a.printCopySide(ctx, side)
		}
		a.say("  to %s", a.path(pasted(job.to)))
	}
	if c.Bool("dry-run") {
		if c.Bool("json") {
			return a.json(plannedCopies(job, sides))
		}
		a.say("Nothing was copied (--dry-run).")
		return nil
	}
	if !c.Bool("yes") && !c.Bool("json") && a.onTerminal() && isTerminal(a.in) {
		if ok, err := a.ask("Copy?"); err != nil || !ok {
			return errors.Join(err, nothingDone(err))
		}
	}
	var all []copied
	for _, side := range sides {
		told, end := a.progress("copying")
		taken, err := copies.Take(ctx, side, job.options(a, s, side, told))
		end()
		if err != nil {
			return copyError(err)
		}
		all = append(all, newCopied(side, taken))
		if !c.Bool("json") {
			a.printTaken(taken)
		}
		said := ""
		if err := a.sayConflict(ctx, side, job, &said, c.Bool("json")); err != nil {
			return err
		}
	}
	if err := rememberFolder(job.to); err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(copiedList{CopiedFormat, all})
	}
	a.say("Put it back with endroit putback %s", all[0].ID[:shortID])
	return nil
}

// shortID is how many digits of a copy's id are shown.
const shortID = 8

func nothingDone(err error) error {
	if err != nil {
		return nil
	}
	return fail(exitFailed, "nothing was done")
}

func quotedTitle(name string) string {
	if strings.ContainsAny(name, ` '"$\`) {
		return "'" + strings.ReplaceAll(name, "'", `'\''`) + "'"
	}
	return name
}

// copyError gives an error of copying its exit code.
func copyError(err error) error {
	var restless *copies.RestlessError
	switch {
	case errors.As(err, &restless):
		return fail(exitConflict, "%w", err)
	case errors.Is(err, copies.ErrEmpty):
		return fail(exitNotFound, "%w", err)
	}
	return err
}

// printCopySide says what of a variant is copied, and what is not.
func (a *app) printCopySide(ctx context.Context, side *copies.Side) {
	sum := copyplan.Of(side.Items())
	a.printWhere(side.Variant)
	for i, l := range side.Variant.Locations {
		n, bytes := 0, int64(0)
		var newest time.Time
		at, values := pasted(l.Folder), -1
		for _, f := range side.Files {
			if f.Location == i {
				n++
				bytes += f.Size
				if f.Time.After(newest) {
					newest = f.Time
				}
				if f.Key.Path != "" {
					at, values = keyText(f.Key), f.Values
				}
			}
		}
		if n == 0 {
			continue
		}
		line := sideLine(n, bytes, stamp(newest))
		if values >= 0 {
			line = keyLine(values, newest)
		}
		a.say("    %s  %s", a.kind(phrase.Pad(word(l.Holds), 8)), a.path(at))
		a.say("              %s  %s", line, a.quiet(string(l.Standing)))
	}
	for _, l := range side.LeftOut {
		a.say("    %s", a.missing("left out: "+shown(l.What)+" ("+shown(l.Why)+")"))
	}
	if n, locations := side.NotCovered(); n > 0 {
		a.say("    %s", a.quiet(fmt.Sprintf(
			"not confirmed by a second person: %s (%s)", phrase.Count(n, "file", "files"), shown(strings.Join(locations, "; ")),
		)))
	}
	for _, p := range a.programs(ctx, side) {
		a.say("    %s", a.missing(shown(p.String())+": what it saves meanwhile is copied again"))
	}
	if line := cloudLine(side.Variant); line != "" {
		a.say("    %s", a.quiet(line))
	}
	if sum.Files == 0 {
		a.say("    %s", a.missing("no files"))
	}
}

// keyText says where a registry key is.
func keyText(k registry.Key) string {
	if k.Prefix == "" {
		return shown(k.Path)
	}
	return shown(k.Path) + " in the " + registryOf(k)
}

// keyLine says what a registry key has.
func keyLine(values int, changed time.Time) string {
	line := "registry key with " + phrase.Count(values, "value", "values")
	if !changed.IsZero() {
		line += ", changed " + stamp(changed)
	}
	return line
}

// printTaken says what was taken.
func (a *app) printTaken(t *copies.Taken) {
	r := t.Copy.Record
	if t.Same {
		a.say("Nothing changed since the last copy: %s", a.path(pasted(t.Copy.Path)))
		return
	}
	text := fmt.Sprintf("Copied %s, %s", phrase.Count(len(r.Files), "file", "files"), phrase.Size(r.Bytes()))
	if t.Unchanged > 0 {
		text += fmt.Sprintf(" (%s unchanged since the last copy, %s written)", phrase.Count(t.Unchanged, "is", "are"), phrase.Size(t.Written))
	}
	a.say("%s: %s", text, a.path(pasted(t.Copy.Path)))
	if t.Tries > 1 {
		a.say("  files changed while they were copied; all are of one moment after %s", phrase.Count(t.Tries, "try", "tries"))
	}
	counts := map[string]int{}
	for _, f := range r.Files {
		counts[f.Note]++
		if f.Note == notes.Damaged || f.Note == notes.Foreign {
			a.say("  %s", a.missing(shown(f.Place)+" is "+f.Note+" by the notes on its structure"))
		}
	}
	if counts[notes.Sound] > 0 {
		a.say("  %s sound by the notes on their structure", phrase.Count(counts[notes.Sound], "is", "are"))
	}
}

// copyAll copies every title that is present. What has not changed since its last copy
// costs only a look, so a run that was interrupted goes on where it was.
func (a *app) copyAll(ctx context.Context, c *cli.Command, job *copyJob) error {
	if c.String("variant") != "" || c.String("slot") != "" || c.String("install") != "" || len(c.StringSlice("prefix")) > 0 {
		return fail(exitUsage, "--all copies everything; --variant, --slot, --install and --prefix are for one TITLE")
	}
	fewCollections()
	k, err := a.openManifest(ctx)
	if err != nil {
		return err
	}
	defer k.Close()
	here, err := a.machineHere(ctx, c, k)
	if err != nil {
		return err
	}
	defer here.Close()
	told, end := a.progress("looking at titles")
	found, err := here.All(ctx, k, nil, told)
	end()
	if err != nil {
		return err
	}
	told, end = a.progress("copying titles")
	defer end()
	results := make([]copiedTitle, len(found))
	err = parallel.EachTold(ctx, len(found), told, func(ctx context.Context, i int) error {
		var err error
		results[i], err = a.copyTitle(ctx, k, here, found[i], job, c.Bool("dry-run"))
		return err
	})
	if err != nil {
		return err
	}
	all := []copied{}
	var failed []string
	new, same := 0, 0
	for _, r := range results {
		all, failed = append(all, r.copies...), append(failed, r.failed...)
		new, same = new+r.new, same+r.same
	}
	end()
	if !c.Bool("dry-run") && len(all) > 0 {
		if err := rememberFolder(job.to); err != nil {
			return err
		}
	}
	if c.Bool("json") {
		if err := a.json(copiedList{CopiedFormat, all}); err != nil {
			return err
		}
	} else {
		a.printCopiedAll(all, job.to, c.Bool("dry-run"), new, same)
	}
	for _, f := range failed {
		a.tell("endroit: not copied: %s", shown(f))
	}
	if len(failed) > 0 {
		return fail(exitFailed, "%s not copied", phrase.Count(len(failed), "variant was", "variants were"))
	}
	return nil
}

// copiedTitle is what came of copying one of all titles.
type copiedTitle struct {
	copies    []copied
	failed    []string
	new, same int
}

// copyTitle copies all variants of a title that are present. What fails is told at the end,
// and does not keep others from being copied.
func (a *app) copyTitle(
	ctx context.Context, k *localmanifest.Manifest, here *locate.Resolver, t locate.Title, job *copyJob, dry bool,
) (out copiedTitle, err error) {
	recorded, err := k.Title(ctx, t.ID)
	if err != nil {
		return out, err
	}
	s := &subject{title: recorded, source: copyrecord.Source{Revision: k.Head.Revision}, here: here, found: t}
	for _, side := range s.sides(ctx, "", job.choice) {
		if len(side.Files) == 0 {
			continue
		}
		if dry {
			out.copies = append(out.copies, newCopied(side, nil))
			continue
		}
		taken, err := copies.Take(ctx, side, job.options(a, s, side, nil))
		switch {
		case ctx.Err() != nil:
			return out, ctx.Err()
		case err != nil:
			out.failed = append(out.failed, t.Title+": "+err.Error())
			continue
		case taken.Same:
			out.same++
		default:
			out.new++
		}
		out.copies = append(out.copies, newCopied(side, taken))
	}
	return out, nil
}

func (a *app) printCopiedAll(all []copied, to string, dry bool, new, same int) {
	for _, x := range all {
		says := "copied"
		switch {
		case dry:
			says = "would copy"
		case x.Same:
			says = "unchanged"
		}
		a.say("%s  %s  (%s, %s)", phrase.Pad(says, 10), a.heading(shown(x.Title)), shown(x.Variant), sideLine(x.Files, x.Bytes, ""))
	}
	if len(all) == 0 {
		a.say("no title of the manifest has files on this machine")
		return
	}
	if !dry {
		a.say("\n%d copied, %d unchanged; they are in %s", new, same, a.path(pasted(to)))
	}
}

// CopiedFormat names what copy --json prints.
const CopiedFormat = "endroit/copied/1"

type copiedList struct {
	Format string   `json:"format"`
	Copies []copied `json:"copies"`
}

// copied is a copy, as programs read it.
type copied struct {
	ID        string               `json:"id,omitempty"`
	Title     string               `json:"title"`
	Variant   string               `json:"variant"`
	Where     string               `json:"where"` // the variant with its prefix, installation and account
	Path      string               `json:"path,omitempty"`
	Files     int                  `json:"files"`
	Bytes     int64                `json:"bytes"`
	Written   int64                `json:"written"`
	Unchanged int                  `json:"unchanged"`
	Same      bool                 `json:"same"` // nothing was written: the last copy has the same content
	LeftOut   []copyrecord.LeftOut `json:"left_out"`
}

func newCopied(side *copies.Side, t *copies.Taken) copied {
	sum := copyplan.Of(side.Items())
	out := copied{
		Title: side.Title, Variant: copyOf(side.Variant), Where: describeVariant(side.Variant), Files: sum.Files, Bytes: sum.Bytes,
		LeftOut: side.LeftOut,
	}
	if out.LeftOut == nil {
		out.LeftOut = []copyrecord.LeftOut{}
	}
	if t != nil {
		r := t.Copy.Record
		out.ID, out.Path, out.Files, out.Bytes = r.ID, t.Copy.Path, len(r.Files), r.Bytes()
		out.Written, out.Unchanged, out.Same = t.Written, t.Unchanged, t.Same
	}
	return out
}

func plannedCopies(_ *copyJob, sides []*copies.Side) copiedList {
	out := copiedList{CopiedFormat, []copied{}}
	for _, side := range sides {
		out.Copies = append(out.Copies, newCopied(side, nil))
	}
	return out
}
