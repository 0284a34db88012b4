package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/machine"
)

// sheetFolder is where a person's own sheets lie, beside the local manifest.
func sheetFolder() (string, error) {
	manifests, err := manifestFolder()
	return filepath.Join(filepath.Dir(manifests), "sheets"), err
}

func readSheet(name string) (*sheet.Sheet, error) {
	data, err := os.ReadFile(name)
	if err != nil {
		return nil, fail(exitNotFound, "%w", err)
	}
	s, err := sheet.Parse(data)
	if err != nil {
		return nil, fail(exitInput, "%s: %w", name, err)
	}
	return s, nil
}

func (a *app) machine() *cli.Command {
	return command(&cli.Command{
		Name: "machine", Usage: "show what is on this machine: launchers, libraries, installed editions, prefixes, accounts",
		UsageText:   "endroit machine [--sheets FOLDER] [--json]",
		Description: "A sheet describes a launcher's layout on disk. Those that are used lie in one\nfolder, as FILE.yaml; what cannot be read is said, and the rest still shows.",
		Flags: []cli.Flag{
			sheetsFlag(),
			jsonFlag(),
		},
		Action: a.runMachine,
	}, reuse, "endroit machine --sheets ./sheets")
}

func (a *app) runMachine(_ context.Context, c *cli.Command) error {
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	sheets, folder, err := a.sheets(c)
	if err != nil {
		return err
	}
	if len(sheets) == 0 {
		return fail(exitNotFound, "no sheet lies in %s; a sheet (FILE.yaml) describes a launcher, see docs/sheets.md", folder)
	}
	found := launchers(sheets, roots)
	if c.Bool("json") {
		return a.json(map[string]any{"launchers": found})
	}
	if len(found) == 0 {
		var names []string
		for _, s := range sheets {
			names = append(names, s.Name)
		}
		a.say("no launcher was found; sheets were read for %s", strings.Join(names, ", "))
		return nil
	}
	for i, f := range found {
		if i > 0 {
			a.say("")
		}
		a.printLauncher(f)
	}
	return nil
}

// sheets reads all sheets of the folder in question. One that does not hold is
// said and passed over.
func (a *app) sheets(c *cli.Command) (all []*sheet.Sheet, folder string, err error) {
	if folder = c.String("sheets"); folder == "" {
		if folder, err = sheetFolder(); err != nil {
			return nil, "", err
		}
	}
	files, _ := filepath.Glob(filepath.Join(folder, "*.yaml"))
	for _, f := range files {
		s, err := readSheet(f)
		if err != nil {
			a.tell("endroit: %s", shown(err.Error()))
			continue
		}
		all = append(all, s)
	}
	return all, folder, nil
}

// launchers is what the sheets find here.
func launchers(sheets []*sheet.Sheet, roots place.Roots) []sheet.Found {
	found := []sheet.Found{}
	for _, s := range sheets {
		found = append(found, s.Read(osName(), machine.Disk{Roots: roots})...)
	}
	return found
}

func sheetsFlag() cli.Flag {
	return &cli.StringFlag{Name: "sheets", Usage: "the `FOLDER` with the launchers' sheets (otherwise sheets/ beside the local manifest)"}
}

func (a *app) printLauncher(f sheet.Found) {
	a.say("%s in %s", shown(f.Name), pasted(f.Home))
	if f.Cloud != nil {
		a.say("  cloud copies: %s", map[bool]string{true: "on", false: "off"}[*f.Cloud])
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
		}
		a.say("  %s", shown(text))
	}
	for _, l := range f.Libraries {
		a.say("  library %s", pasted(l.Folder))
		if l.Missing != "" {
			a.say("    missing: %s", shown(l.Missing))
		}
		for _, e := range l.Editions {
			a.say("    %s  %s", shown(e.Name), shown(strings.TrimSpace(fmt.Sprintf("%s %s version %s", e.Store, e.Ref, orUnknown(e.Version)))))
			if e.Missing != "" {
				a.say("      missing: %s (%s)", pasted(e.Folder), shown(e.Missing))
			} else {
				a.say("      %s", pasted(e.Folder))
			}
			if e.Prefix != "" {
				a.say("      prefix %s", pasted(e.Prefix))
			}
		}
	}
	for _, n := range f.Notes {
		a.say("  odd: %s: %s", shown(n.Where), shown(n.What))
	}
}

func orUnknown(version string) string {
	if version == "" {
		return "unknown"
	}
	return version
}

func (a *app) sheet() *cli.Command {
	return command(&cli.Command{
		Name: "sheet", Usage: "check a launcher's sheet",
		Commands: []*cli.Command{
			command(&cli.Command{Name: "check", Usage: "say what is wrong with a sheet, and what it finds",
				UsageText:   "endroit sheet check FILE [--against FOLDER] [--json]",
				Description: "--against looks in another home than yours, such as a copy of a launcher's tree\nmade for trying.",
				Flags:       []cli.Flag{&cli.StringFlag{Name: "against", Usage: "the home `FOLDER` to look in"}, jsonFlag()},
				Action:      a.sheetCheck}, "", "endroit sheet check quayside.yaml --against ./a-home"),
		},
		Action: func(context.Context, *cli.Command) error { return fail(exitUsage, "sheet wants: check FILE") },
	}, find, "endroit sheet check quayside.yaml")
}

func (a *app) sheetCheck(_ context.Context, c *cli.Command) error {
	name, err := oneArg(c, "one FILE")
	if err != nil {
		return err
	}
	s, err := readSheet(name)
	if err != nil {
		return err
	}
	roots, err := machine.Roots()
	if folder := c.String("against"); folder != "" {
		if folder, err = filepath.Abs(folder); err == nil {
			roots = place.LinuxRoots(map[string]string{"HOME": folder})
		}
	}
	if err != nil {
		return err
	}
	found := launchers([]*sheet.Sheet{s}, roots)
	if c.Bool("json") {
		return a.json(map[string]any{"sheet": s.ID, "launchers": found})
	}
	a.say("%s: a sound sheet of %s", name, shown(s.Name))
	y, described := s.Systems[osName()]
	switch {
	case !described:
		a.say("it does not describe %s", osName())
	case len(found) == 0:
		a.say("the launcher is in none of its places:")
		for _, h := range y.Home {
			l, err := place.Parse(h)
			top := roots[l.Anchor]
			if err == nil && top != "" {
				a.say("  %s is not there", pasted(filepath.Join(append([]string{top}, l.Names()...)...)))
			} else {
				a.say("  %s has no place on this system", h)
			}
		}
	}
	for _, f := range found {
		a.say("")
		a.printLauncher(f)
		empty := !slices.ContainsFunc(f.Libraries, func(l sheet.Library) bool { return len(l.Editions) > 0 })
		if y.Titles != nil && empty {
			a.say("  no title: no file below a library fits %s, or %s gives nothing", y.Titles.Files, y.Titles.Each)
		}
		if y.Accounts != nil && len(f.Accounts) == 0 {
			a.say("  no account: no folder fits %s", y.Accounts.Folder)
		}
	}
	return nil
}
