package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/localmanifest"
	"endroit/machine"
	"endroit/safefile"
)

func (a *app) machine() *cli.Command {
	return command(&cli.Command{
		Name: "machine", Usage: "show what is on this machine: launchers, libraries, installed editions, prefixes, accounts",
		Flags: []cli.Flag{sheetsFlag(), jsonFlag()},
		Commands: []*cli.Command{
			command(&cli.Command{
				Name:  "add",
				Usage: "register a prefix, or a folder with an installed title",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "title", Usage: "the `NAME` of what is installed there, if no sheet recognises it"},
					&cli.StringFlag{Name: "store", Usage: "the `ID` of the store that sold it"},
					sheetsFlag(),
				},
				Action: a.machineAdd,
			}, "", "machine-add"),
			command(
				&cli.Command{
					Name:   "forget",
					Usage:  "remove a folder from the list; its files are not changed",
					Action: a.machineForget,
				},
				"",
				"machine-forget",
			),
		},
		Action: a.runMachine,
	}, reuse, "machine")
}

func (a *app) runMachine(ctx context.Context, c *cli.Command) error {
	if c.Args().Present() {
		return fail(exitUsage, "unknown argument %q; use machine, machine add FOLDER or machine forget FOLDER", c.Args().First())
	}
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	k, err := a.openManifest(ctx)
	switch {
	case errors.Is(err, localmanifest.ErrNone):
	case err != nil:
		a.tell("endroit: %s", shown(err.Error()))
	default:
		defer k.Close()
	}
	survey, err := a.survey(ctx, c, k, roots)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(survey)
	}
	a.printSurvey(survey)
	return nil
}

func (a *app) printSurvey(s *machine.Survey) {
	if len(s.Found) == 0 {
		a.say("no launchers and no titles installed without one were found; endroit machine add FOLDER registers a folder")
	}
	for i, f := range s.Found {
		if i > 0 {
			a.say("")
		}
		a.printLauncher(f, s)
	}
	if len(s.Prefixes) > 0 {
		a.say("\n%s", a.heading("Prefixes"))
	}
	for _, p := range s.Prefixes {
		of := "no known title"
		if len(p.Of) > 0 {
			of = strings.Join(p.Of, ", ")
		}
		a.say("  %s", a.path(quoted(p.Folder)))
		user := ""
		if p.User != "" {
			user = "; the user inside is " + p.User
		}
		a.say("    of %s; %s%s", shown(of), shown(p.Why), shown(user))
		for _, n := range p.Notes {
			a.say("    problem: %s", shown(n))
		}
	}
	for _, n := range s.Notes {
		a.say("\nproblem: %s: %s", shown(n.Where), shown(n.What))
	}
}

// sheetFolder is where a person's own sheets lie, beside the local manifest.
func sheetFolder() (string, error) {
	dir, err := dataFolder()
	return filepath.Join(dir, "sheets"), err
}

func readSheet(name string) (*sheet.Sheet, error) {
	s, err := localmanifest.ReadSheet(name)
	switch {
	case errors.As(err, new(*sheet.Error)):
		return nil, fail(exitInput, "%w", err)
	case err != nil:
		return nil, fail(unread(err), "%w", err)
	}
	return s, nil
}

// sheets gathers the manifest's sheets and the person's own; with --sheets only those of
// that folder. What is wrong with one is reported. m may be nil.
func (a *app) sheets(ctx context.Context, c *cli.Command, m *localmanifest.Manifest) ([]*sheet.Sheet, error) {
	folder, only := c.String("sheets"), c.String("sheets") != ""
	if !only {
		var err error
		if folder, err = sheetFolder(); err != nil {
			return nil, err
		}
	} else if _, err := os.Stat(folder); err != nil {
		return nil, fail(exitNotFound, "--sheets: %w", err)
	}
	own, notes := localmanifest.ReadSheets(folder)
	all := own
	if !only && m != nil {
		published, more, err := m.Sheets(ctx)
		if err != nil {
			return nil, err
		}
		var clashes []string
		all, clashes = localmanifest.MergeSheets(own, published)
		notes = slices.Concat(notes, more, clashes)
	}
	for _, n := range notes {
		a.tell("endroit: %s", shown(n))
	}
	return all, nil
}

// survey looks at this machine by all sheets, and the folders that were added. k
// may be nil.
func (a *app) survey(ctx context.Context, c *cli.Command, k *localmanifest.Manifest, roots place.Roots) (*machine.Survey, error) {
	sheets, err := a.sheets(ctx, c, k)
	if err != nil {
		return nil, err
	}
	named, err := readNamed()
	if err != nil {
		return nil, err
	}
	told, end := a.progress("looking at prefixes")
	defer end()
	return machine.Look(ctx, sheets, roots, named, told)
}

func sheetsFlag() cli.Flag {
	return &cli.StringFlag{
		Name:  "sheets",
		Local: true,
		Usage: "use only the sheets in this `FOLDER` (otherwise the manifest's, and your own in sheets/ beside it)",
	}
}

// heading names an installation of a launcher.
func heading(f sheet.Found) string {
	text := shown(f.Name)
	switch {
	case f.Launcher == "":
		text = "Folders that you added"
	case f.Home == "":
		text += ", plain installers without a launcher"
	default:
		text += " in " + pasted(f.Home)
	}
	if f.Prefix != "" {
		text += ", in the prefix " + pasted(f.Prefix)
	}
	if f.Sandbox != "" {
		text += ", the sandboxed application " + shown(f.Sandbox)
	}
	return text
}

func (a *app) printLauncher(f sheet.Found, s *machine.Survey) {
	a.say("%s", a.heading(heading(f)))
	if f.Cloud != nil {
		cloud := "off"
		if *f.Cloud {
			cloud = "on"
		}
		a.say("  cloud copies: %s", cloud)
	}
	for _, acc := range f.Accounts {
		text := "account " + acc.ID
		if acc.Name != "" {
			text += " (" + acc.Name + ")"
		}
		if acc.InUse {
			text += ", in use"
		}
		if acc.Folder != "" {
			text += ": " + pasted(acc.Folder)
		} else {
			text += ": no folder yet"
		}
		a.say("  %s", shown(text))
	}
	for _, l := range f.Libraries {
		margin := "  "
		if l.Folder != "" {
			a.say("  library %s", pasted(l.Folder))
			margin = "    "
		}
		if l.Missing != "" {
			a.say("    missing: %s", shown(l.Missing))
		}
		for _, e := range l.Editions {
			a.printEdition(margin, e, s)
		}
	}
	for _, x := range f.Starts {
		a.say("  starts %s of %s too", shown(named(x, s)), shown(x.Launcher))
	}
	for _, n := range f.Notes {
		a.say("  problem: %s: %s", shown(n.Where), shown(n.What))
	}
}

// named is what a launcher starts of another's, by name if it is installed.
func named(x sheet.Started, s *machine.Survey) string {
	for _, i := range s.Installed {
		if i.Ref == x.Ref && (i.Launcher == x.Launcher || i.Store == x.Launcher) {
			return i.Name + " (" + x.Ref + ")"
		}
	}
	return x.Ref
}

func (a *app) printEdition(margin string, e sheet.Edition, s *machine.Survey) {
	a.say("%s%s  %s", margin, a.heading(shown(e.Name)), shown(e.Label()))
	if e.Missing != "" {
		a.say("%s  %s: %s (%s)", margin, a.missing("missing"), pasted(e.Folder), shown(e.Missing))
	} else {
		a.say("%s  %s", margin, a.path(pasted(e.Folder)))
	}
	if e.Prefix != "" {
		a.say("%s  prefix %s", margin, pasted(e.Prefix))
	}
	for _, i := range s.Installed {
		if i.Folder == e.Folder && i.Ref == e.Ref && len(i.StartedBy) > 0 {
			a.say("%s  started by %s too", margin, shown(strings.Join(i.StartedBy, ", ")))
			break
		}
	}
}

// edition names store, reference and version.
// namedFile keeps the folders that were added.
func namedFile() (string, error) {
	dir, err := dataFolder()
	return filepath.Join(dir, "folders.json"), err
}

func readNamed() ([]machine.Named, error) {
	file, err := namedFile()
	if err != nil {
		return nil, err
	}
	data, err := safefile.Read(file, ownFile)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	var list []machine.Named
	if err == nil {
		err = json.Unmarshal(data, &list)
	}
	if err != nil {
		return nil, fail(exitInput, "%s, where added folders are kept: %w; fix or remove it", file, err)
	}
	return list, nil
}

func writeNamed(list []machine.Named) error {
	file, err := namedFile()
	if err != nil {
		return err
	}
	data, err := json.MarshalIndent(list, "", "  ")
	if err != nil {
		return err
	}
	return writeOwn(file, append(data, '\n'))
}

func (a *app) machineAdd(ctx context.Context, c *cli.Command) error {
	folder, err := oneArg(c, "one FOLDER")
	if err != nil {
		return err
	}
	if folder, err = filepath.Abs(folder); err != nil {
		return err
	}
	if info, err := os.Stat(folder); err != nil || !info.IsDir() {
		return fail(exitNotFound, "%s does not exist or is not a folder", folder)
	}
	list, err := readNamed()
	if err != nil {
		return err
	}
	n := machine.Named{Folder: folder, Title: c.String("title"), Store: c.String("store")}
	what := "a prefix"
	if info, err := os.Stat(filepath.Join(folder, "drive_c")); err != nil || !info.IsDir() {
		if what, err = a.describeInstalled(ctx, c, n); err != nil {
			return err
		}
	}
	list = append(slices.DeleteFunc(list, func(o machine.Named) bool { return o.Folder == folder }), n)
	if err := writeNamed(list); err != nil {
		return err
	}
	a.say("added: %s, %s", pasted(folder), shown(what))
	return nil
}

// describeInstalled says in words what is installed in a folder.
func (a *app) describeInstalled(ctx context.Context, c *cli.Command, n machine.Named) (string, error) {
	k, err := a.openManifest(ctx)
	if err == nil {
		defer k.Close()
	} else {
		k = nil
	}
	sheets, err := a.sheets(ctx, c, k)
	if err != nil {
		return "", err
	}
	e, notes := machine.InstalledIn(sheets, n.Folder)
	for _, x := range notes {
		a.tell("endroit: %s: %s", shown(x.Where), shown(x.What))
	}
	switch {
	case e != nil:
		return fmt.Sprintf("%s, %s", e.Name, e.Label()), nil
	case n.Title != "":
		return n.Title + ", as you named it", nil
	}
	return "", fail(
		exitUsage,
		"no sheet recognises what is installed in %s, and it is not a prefix; give --title NAME, and --store ID if you know it",
		n.Folder,
	)
}

func (a *app) machineForget(ctx context.Context, c *cli.Command) error {
	folder, err := oneArg(c, "one FOLDER")
	if err != nil {
		return err
	}
	if folder, err = filepath.Abs(folder); err != nil {
		return err
	}
	list, err := readNamed()
	if err != nil {
		return err
	}
	left := slices.DeleteFunc(slices.Clone(list), func(o machine.Named) bool { return o.Folder == folder })
	if len(left) == len(list) {
		return fail(exitNotFound, "%s was not added; endroit machine shows what was", folder)
	}
	if err := writeNamed(left); err != nil {
		return err
	}
	a.say("removed from the list: %s; its files were not changed", pasted(folder))
	return nil
}
