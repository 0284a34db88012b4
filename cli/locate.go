package cli

import (
	"bufio"
	"bytes"
	"cmp"
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/core/manifest"
	"endroit/core/notes"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/standing"
	"endroit/localmanifest"
	"endroit/locate"
	"endroit/machine"
	"endroit/parallel"
)

func (a *app) locate() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "locate", Usage: "show where a title's progress and settings are on this machine",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "all", Usage: "everything that is present on this machine"},
			&cli.StringFlag{Name: "install", Usage: "the `FOLDER` that the title is installed in, for what it keeps there"},
			&cli.StringSliceFlag{
				Name:  "prefix",
				Usage: "a compatibility prefix: the `FOLDER` that contains drive_c, for a Windows build; can be repeated",
			},
			&cli.StringFlag{
				Name:  "os",
				Usage: "only variants for this `OS`: linux, windows or macos; also where their files would be",
			},
			sheetsFlag(),
			&cli.BoolFlag{Name: "all-files", Usage: "list every file, however many"},
			&cli.BoolFlag{
				Name:  "check",
				Usage: "check the files by the notes on their structure: which are sound, damaged or something else",
			},
			jsonFlag(),
		},
		Action: a.runLocate,
	}, reuse, "locate")
}

func (a *app) runLocate(ctx context.Context, c *cli.Command) error {
	name := strings.Join(c.Args().Slice(), " ")
	switch {
	case c.Bool("all") && name != "":
		return fail(exitUsage, "give a TITLE or --all, not both")
	case !c.Bool("all") && name == "":
		return fail(exitUsage, "give a TITLE, such as: endroit locate Tidewrack; or --all")
	case c.Bool("all") && c.Bool("check"):
		return fail(exitUsage, "--check reads the files of one TITLE; --all only lists them")
	case c.Bool("all") && (c.String("install") != "" || len(c.StringSlice("prefix")) > 0):
		return fail(
			exitUsage,
			"--all looks at everything; --install and --prefix are for one TITLE. endroit machine add FOLDER registers a folder",
		)
	}
	if system := c.String("os"); system != "" && !slices.Contains([]string{"linux", "windows", "macos"}, system) {
		return fail(exitUsage, "--os %q is not linux, windows or macos", system)
	}
	k, err := a.openManifest(ctx)
	if err != nil {
		return err
	}
	defer k.Close()
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	if c.Bool("all") {
		return a.locateAll(ctx, c, k, roots)
	}
	t, near, err := oneTitle(ctx, k, name)
	if err != nil {
		return err
	}
	if t == nil {
		if len(near) > 0 {
			return fail(exitNotFound, "no title is recorded as %q; did you mean %s?", name, strings.Join(near, ", "))
		}
		return fail(
			exitNotFound,
			"no title is recorded as %q in revision %d; endroit fetch gets a newer revision, endroit trace starts finding out yourself",
			name, k.Head.Revision,
		)
	}
	var prefixes []*machine.Prefix
	for _, folder := range c.StringSlice("prefix") {
		p, err := machine.OpenPrefix(ctx, folder)
		if err != nil {
			return fail(exitUsage, "--prefix %w", err)
		}
		a.tellNotes(p)
		prefixes = append(prefixes, p)
	}
	install := c.String("install")
	if install != "" {
		if install, err = filepath.Abs(install); err != nil {
			return err
		}
	}
	survey, err := a.survey(ctx, c, k, roots)
	if err != nil {
		return err
	}
	here := locate.New(survey, roots)
	defer here.Close()
	here.Only, here.Install, here.OS = prefixes, install, c.String("os")
	found, err := here.Title(ctx, t, locate.Everywhere)
	if err != nil {
		return err
	}
	if c.Bool("check") {
		if err := here.Check(ctx, &found); err != nil {
			return err
		}
	}
	if c.Bool("json") {
		err := a.json(struct {
			Format   string `json:"format"`
			Revision int    `json:"revision"`
			locate.Title
		}{locate.Format, k.Head.Revision, found})
		if err == nil && !found.Sound() {
			return silent(exitInput)
		}
		return err
	}
	a.tellBroken(survey, found)
	a.printLocated(found, c.Bool("all-files"))
	if c.Bool("check") {
		return a.sayChecked(found)
	}
	return nil
}

// skippedShown is how much of what was left out of a location is printed.
const skippedShown = 5

// sayChecked sums up what the notes say of the files. That one is damaged, or of
// something else, is the exit code too.
func (a *app) sayChecked(t locate.Title) error {
	words := map[string]int{}
	without := 0
	for _, v := range t.Variants {
		for _, l := range v.Locations {
			if l.Notes == nil {
				without += len(l.Files)
			}
			for _, c := range l.Checks {
				words[c.Word]++
			}
		}
	}
	var parts []string
	for _, w := range []string{notes.Sound, notes.Damaged, notes.Foreign, notes.Unsure} {
		if words[w] > 0 {
			parts = append(parts, fmt.Sprintf("%d %s", words[w], w))
		}
	}
	if without > 0 {
		parts = append(parts, fmt.Sprintf("%s without notes", phrase.Count(without, "file", "files")))
	}
	if len(parts) == 0 {
		parts = append(parts, "no files to check")
	}
	a.say("\n%s", strings.Join(parts, ", "))
	if !t.Sound() {
		return silent(exitInput)
	}
	return nil
}

// tellBroken reports what is wrong with the prefixes of a title.
func (a *app) tellBroken(survey *machine.Survey, found locate.Title) {
	for _, v := range found.Variants {
		for _, p := range survey.Prefixes {
			if p.Folder == v.Prefix && p.Prefix != nil {
				a.tellNotes(p.Prefix)
			}
		}
	}
}

// tellNotes says what was odd about a prefix.
func (a *app) tellNotes(p *machine.Prefix) {
	for _, n := range p.Notes {
		a.tell("endroit: %s: %s", shown(p.Folder), shown(n))
	}
}

// oneTitle is the title that a text means: an id, or a name that one title has. It is nil
// where none has it; near are names that come close then.
func oneTitle(ctx context.Context, k *localmanifest.Manifest, name string) (t *manifest.Title, near []string, err error) {
	found, near, err := k.Find(ctx, name)
	if err != nil || len(found) == 0 {
		return nil, near, err
	}
	if len(found) > 1 {
		var lines []string
		for _, t := range found {
			lines = append(lines, "  "+t.ID+"  "+shown(t.Distinct()))
		}
		return nil, nil, fail(
			exitUsage, "%d titles are called %q; name one by its id:\n%s", len(found), name, strings.Join(lines, "\n"),
		)
	}
	return found[0], nil, nil
}

// openManifest opens the local manifest.
func (a *app) openManifest(ctx context.Context) (*localmanifest.Manifest, error) {
	folder, err := manifestFolder()
	if err != nil {
		return nil, err
	}
	return localmanifest.Open(ctx, folder, func() {
		if a.onTerminal() {
			a.tell("endroit: indexing the local manifest, once")
		}
	})
}

func (a *app) onTerminal() bool {
	f, ok := a.err.(*os.File)
	return ok && term.IsTerminal(int(f.Fd()))
}

func (a *app) locateAll(ctx context.Context, c *cli.Command, k *localmanifest.Manifest, roots place.Roots) error {
	// One short run that needs some tens of megabytes: collecting garbage would take
	// a fifth of its time.
	debug.SetGCPercent(-1)
	debug.SetMemoryLimit(200 << 20)
	ahead := locate.StartAhead(ctx, k, roots)
	defer ahead.Wait()
	survey, err := a.survey(ctx, c, k, roots)
	if err != nil {
		return err
	}
	told, end := a.progress("looking at titles")
	here := locate.New(survey, roots)
	defer here.Close()
	if !c.Bool("json") {
		here.SummaryOnly()
	}
	all, err := here.All(ctx, k, ahead, told)
	end()
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return jsonList(a, struct {
			Format   string `json:"format"`
			Revision int    `json:"revision"`
		}{locate.Format, k.Head.Revision}, "titles", all)
	}
	if len(all) == 0 {
		a.say("no title of revision %d is on this machine", k.Head.Revision)
		return nil
	}
	// A line for each location: put together several at a time, and written at once.
	parts := make([]part, len(all))
	_ = parallel.Each(context.Background(), len(all), func(_ context.Context, i int) error {
		parts[i] = a.presentPart(all[i])
		return nil
	})
	text := bufio.NewWriterSize(a.out, 64<<10)
	files, variants := 0, 0
	for i, p := range parts {
		_, _ = p.text.WriteTo(text)
		files += p.files
		variants += len(all[i].Variants)
	}
	fmt.Fprintf(
		text, "\n%s in %s, %s; endroit locate TITLE shows each\n", phrase.Count(len(all), "title", "titles"),
		phrase.Count(variants, "variant", "variants"), phrase.Count(files, "file", "files"),
	)
	return text.Flush()
}

// part is what is printed of a title, with how many files it tells of.
type part struct {
	text  bytes.Buffer
	files int
}

func (a *app) presentPart(t locate.Title) (p part) {
	to := *a
	to.out = &p.text
	for _, v := range t.Variants {
		p.files += to.printPresent(t, v)
	}
	return p
}

// copyOf writes a variant with the version of the copy that is here.
func copyOf(v locate.Variant) string {
	if v.Version == "" {
		return v.Variant
	}
	return v.Variant + ", version " + v.Version
}

// printPresent sums a variant up, a line for each location, and returns how many
// files it has.
func (a *app) printPresent(t locate.Title, v locate.Variant) (files int) {
	a.say("%s  (%s)", a.heading(shown(t.Title)), shown(copyOf(v)))
	if !v.HasFiles() && v.Shared > 0 {
		a.say("  %s", a.quiet("its files are those above"))
	} else if !v.HasFiles() {
		a.say("  %s  installed in %s; none of the recorded files exist", a.missing("no files"), pasted(v.Install))
	}
	for _, l := range v.Locations {
		switch {
		case l.Values != nil:
			a.say("  %s  %s  (%s)", a.kind(phrase.Pad(word(l.Holds), 8)), shown(l.At), phrase.Count(*l.Values, "value", "values"))
		case len(l.Files) > 0:
			size, newest := int64(0), time.Time{}
			for _, f := range l.Files {
				size += f.Size
				if f.Time.After(newest) {
					newest = f.Time
				}
			}
			a.say(
				"  %s  %s  (%s, %s, %s)", a.kind(phrase.Pad(word(l.Holds), 8)), a.path(pasted(l.Folder)),
				phrase.Count(len(l.Files), "file", "files"), phrase.Size(size),
				newest.Local().Format("2006-01-02 15:04"),
			)
		}
		files += len(l.Files)
	}
	return files
}

// filesShown is how many files of a location are listed without --all-files.
const filesShown = 8

func (a *app) printLocated(t locate.Title, all bool) {
	a.say("%s", a.heading(shown(t.Title)))
	for i, v := range t.Variants {
		if i > 0 {
			a.say("")
		}
		a.printVariant(v, t.Newest, all)
	}
	if len(t.Variants) == 0 {
		a.say("  %s", a.missing("nothing of it was found here"))
	}
	a.printUsual(t)
	for _, e := range t.Gone {
		a.say("\n  %s is not here: %s (%s)", shown(e.Edition.Label()), pasted(e.Folder), shown(e.Missing))
	}
	if len(t.Elsewhere) > 0 && len(t.Usual) == 0 {
		a.say("\n  also recorded, not present here: %s", shown(strings.Join(t.Elsewhere, "; ")))
	}
	if t.CouldBeInPrefix {
		a.say("  a Windows build's files in a compatibility prefix: endroit locate %s --prefix FOLDER", place.ShellQuote(t.Title))
	}
}

// printUsual shows where the files of variants that are not here would be.
func (a *app) printUsual(t locate.Title) {
	for _, u := range t.Usual {
		a.say("\n  %s, not on this machine; its files would be", shown(u.Variant))
		for _, l := range u.Locations {
			path := shown(l.Path)
			if path == "" {
				path = shown(l.At)
			}
			a.say("    %s  %s", a.kind(phrase.Pad(word(l.Holds), 8)), a.path(path))
		}
	}
}

func (a *app) printVariant(v locate.Variant, newest string, all bool) {
	a.printWhere(v)
	if v.Shared > 0 {
		a.say("  %s", a.quiet(phrase.Count(v.Shared, "location is", "locations are")+" the same as above"))
	}
	shared := v.Standing()
	if shared != "" {
		a.say("  %s", shown(shared))
	}
	if x := v.Absence; x != nil {
		a.say("  %s", shown(fmt.Sprintf("none of its progress is kept on this machine: %s: %s", x.Standing, x.Reason)))
	}
	if text := cloudKeeps(v); text != "" {
		a.say("  %s", shown(text))
	}
	listed := cloudLists(v)
	if listed != "" {
		a.say("  %s", shown(listed))
	}
	for _, l := range v.Locations {
		a.say("")
		a.printPath(l)
		if shared == "" {
			a.say("%s", a.quiet(fmt.Sprintf("             %s: %s", l.Standing, shown(l.Reason))))
		}
		for _, h := range l.Hazards {
			if h.Destroyed > 0 {
				a.say("             %s", a.missing(shown(h.String())))
			}
		}
		if listed == "" {
			a.printCloudListed(v, l)
		}
		a.printLocatedFiles(v, l, newest, all)
	}
}

// cloudKeeps says what of a variant the launcher's cloud was seen to keep; empty if nothing
// is known of it.
func cloudKeeps(v locate.Variant) string {
	var kept, not []string
	for _, l := range v.Locations {
		switch l.CloudKeeps {
		case standing.Kept:
			kept = append(kept, l.At)
		case standing.NotKept:
			not = append(not, l.At)
		}
	}
	cloud := launcherOf(v) + "'s cloud"
	switch v.CloudKeeps {
	case "all":
		return cloud + " keeps all of it"
	case "none":
		return cloud + " keeps nothing of it"
	case "part":
		text := cloud
		if len(kept) > 0 {
			text += " keeps " + strings.Join(kept, ", ")
		}
		if len(not) > 0 {
			if len(kept) > 0 {
				text += ", and"
			}
			text += " does not keep " + strings.Join(not, ", ")
		}
		return text
	}
	return ""
}

// cloudLists says what of a variant the launcher's cloud keeps by the launcher's own files,
// where that is all or nothing; else each location says it.
func cloudLists(v locate.Variant) string {
	says := map[string]string{standing.Kept: "keeps all of it", standing.NotKept: "keeps nothing of it"}
	for _, l := range v.Locations {
		if l.CloudLists != v.Locations[0].CloudLists || l.CloudKeeps == l.CloudLists { // or it was seen, and is said already
			return ""
		}
	}
	if len(v.Locations) == 0 || says[v.Locations[0].CloudLists] == "" {
		return ""
	}
	return "by " + launcherOf(v) + "'s own files, its cloud " + says[v.Locations[0].CloudLists]
}

// printCloudListed says whether the launcher's cloud keeps a location, by the launcher's own
// files.
func (a *app) printCloudListed(v locate.Variant, l locate.Location) {
	says := map[string]string{
		standing.Kept: "keeps this", standing.NotKept: "does not keep this", "part": "keeps some files of this",
	}[l.CloudLists]
	if says != "" && l.CloudLists != l.CloudKeeps {
		a.say("             %s", a.quiet(shown("by "+launcherOf(v)+"'s own files, its cloud "+says)))
	}
}

// printPath shows where a location lies, in the forms that can be pasted: for this
// system's own shell first.
func (a *app) printPath(l locate.Location) {
	if l.Folder == "" {
		a.say("    %s  %s", a.kind(phrase.Pad(word(l.Holds), 8)), shown(l.At))
		return
	}
	a.say("    %s  %s", a.kind(phrase.Pad(word(l.Holds), 8)), a.path(pasted(l.Folder)))
	lines := [][2]string{}
	for _, f := range l.Forms {
		if shown(f.Text) != pasted(l.Folder) {
			lines = append(lines, [2]string{f.For, shown(f.Text)})
		}
	}
	lines = append(lines, [2]string{"recorded as", shown(l.At)})
	width := 0
	for _, x := range lines {
		width = max(width, phrase.Width(x[0]))
	}
	for _, x := range lines {
		a.say("             %s  %s", phrase.Pad(x[0], width), x[1])
	}
}

func quoted(path string) string {
	if path == "" {
		return ""
	}
	return pasted(path)
}

func (a *app) printLocatedFiles(v locate.Variant, l locate.Location, newest string, all bool) {
	if l.Error != "" {
		a.say("%s", a.missing("             not found: "+shown(l.Error)))
	}
	if l.Values != nil {
		a.say("             the key is there, with %s", phrase.Count(*l.Values, "value", "values"))
	}
	width := 0
	for i, f := range l.Files {
		if i < filesShown || all {
			width = max(width, phrase.Width(shown(relative(l.Folder, f.Path))))
		}
	}
	for i, f := range l.Files {
		if i == filesShown && !all {
			a.say("             and %d more (--all-files)", len(l.Files)-filesShown)
			break
		}
		mark := ""
		if f.Path == newest {
			mark = "  newest"
		}
		a.say(
			"             %s  %8s  %s%s%s", phrase.Pad(shown(relative(l.Folder, f.Path)), width),
			phrase.Size(f.Size), f.Time.Local().Format("2006-01-02 15:04:05"), mark,
			shown(accountNames(v, f)+verdictOf(l, f)),
		)
	}
	for i, s := range l.Skipped {
		if i == skippedShown {
			a.say("             skipped: and %d more (--json lists them)", len(l.Skipped)-i+l.More)
			break
		}
		a.say("%s", a.missing(fmt.Sprintf("             skipped: %s (%s)", pasted(s.Path), shown(s.Why))))
	}
	if l.Missing != "" {
		a.say("%s", a.missing("             missing: "+shown(l.Missing)))
	}
}

// verdictOf is what the notes say of a file, if they were asked.
func verdictOf(l locate.Location, f machine.File) string {
	v, ok := l.Checks[f.Path]
	switch {
	case !ok:
		return ""
	case v.Word == notes.Sound:
		return "  sound"
	}
	return "  " + v.Word + ": " + v.Why
}

// accountNames names the launcher's account that a file belongs to, if it has one.
func accountNames(v locate.Variant, f machine.File) string {
	for _, acc := range v.Accounts {
		if id := f.Captures["account"]; id != "" && id == acc.ID {
			text := "  account " + cmp.Or(acc.Name, acc.ID)
			if acc.InUse {
				text += ", in use"
			}
			return text
		}
	}
	return ""
}

func relative(folder, path string) string {
	if path == folder {
		return filepath.Base(path)
	}
	return strings.TrimPrefix(path, folder+string(filepath.Separator))
}

// pasted writes a path as it is pasted here: into Windows' file manager as it
// is, elsewhere into a shell.
func pasted(path string) string {
	if runtime.GOOS == "windows" {
		return shown(filepath.FromSlash(path))
	}
	return place.ShellQuote(path)
}
