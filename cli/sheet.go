package cli

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"os"
	"os/user"
	"path/filepath"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/contribution"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/machine"
)

func (a *app) sheet() *cli.Command {
	return command(&cli.Command{
		Name: "sheet", Usage: "check a launcher's sheet, and contribute it",
		Commands: []*cli.Command{
			command(&cli.Command{Name: "check", Usage: "check a sheet: its errors, what it finds, and why something is not found",
				Flags:  []cli.Flag{&cli.StringFlag{Name: "against", Usage: "the home or prefix `FOLDER` to look in"}, jsonFlag()},
				Action: a.sheetCheck}, "", "sheet-check"),
			command(&cli.Command{
				Name:  "submit",
				Usage: "submit a sheet, after showing what is sent",
				Flags: []cli.Flag{
					serviceFlag(),
					&cli.StringFlag{Name: "note", Usage: "a `TEXT` for the reviewer"},
					&cli.BoolFlag{Name: "yes", Usage: "send without asking"},
					&cli.BoolFlag{Name: "print", Usage: "print what would be sent, and send nothing"},
					jsonFlag(),
				},
				Action: a.sheetSubmit,
			}, "", "sheet-submit"),
		},
		Action: func(context.Context, *cli.Command) error {
			return fail(exitUsage, "use sheet check FILE or sheet submit FILE")
		},
	}, find, "sheet")
}

func (a *app) sheetCheck(ctx context.Context, c *cli.Command) error {
	name, err := oneArg(c, "one FILE")
	if err != nil {
		return err
	}
	s, err := readSheet(name)
	if err != nil {
		return err
	}
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	var survey *machine.Survey
	var inside *machine.Prefix
	switch folder := c.String("against"); {
	case folder != "":
		if inside, err = machine.OpenPrefix(ctx, folder); err == nil {
			survey, err = machine.Look(ctx, []*sheet.Sheet{s}, place.Roots{}, []machine.Named{{Folder: inside.Folder}}, nil)
			break
		}
		if folder, err = filepath.Abs(folder); err != nil {
			return err
		}
		roots = place.LinuxRoots(map[string]string{"HOME": folder})
		survey, err = machine.Look(ctx, []*sheet.Sheet{s}, roots, nil, nil)
	default:
		var named []machine.Named
		if named, err = readNamed(); err != nil {
			return err
		}
		survey, err = machine.Look(ctx, []*sheet.Sheet{s}, roots, named, nil)
	}
	if err != nil {
		return err
	}
	survey.Found = ofSheet(s, survey.Found)
	if c.Bool("json") {
		return a.json(map[string]any{"sheet": s.ID, "launchers": survey.Found, "notes": survey.Notes})
	}
	a.say("%s: a valid sheet of %s", name, shown(s.Name))
	a.checkTogether(ctx, s)
	if len(survey.Found) == 0 {
		a.explainEmpty(s, roots, inside)
	}
	for _, f := range survey.Found {
		a.say("")
		a.printLauncher(f, survey)
		if f.Launcher == s.ID {
			a.explainMissing(f, s.Systems[f.System])
		}
	}
	return nil
}

// ofSheet keeps what a sheet itself found: of the folders that were added those
// in which it knows a title.
func ofSheet(s *sheet.Sheet, found []sheet.Found) (own []sheet.Found) {
	for _, f := range found {
		if f.Launcher == "" {
			f.Notes = []sheet.Note{}
			for i := range f.Libraries {
				f.Libraries[i].Editions = slices.DeleteFunc(
					f.Libraries[i].Editions,
					func(e sheet.Edition) bool { return e.Store != s.StoreID() },
				)
			}
			if !slices.ContainsFunc(f.Libraries, func(l sheet.Library) bool { return len(l.Editions) > 0 }) {
				continue
			}
		}
		own = append(own, f)
	}
	return own
}

// checkTogether says what keeps the sheet from standing beside the others.
func (a *app) checkTogether(ctx context.Context, s *sheet.Sheet) {
	k, err := a.openManifest(ctx)
	if err != nil {
		return // without a manifest there are no others
	}
	defer k.Close()
	others, _, err := k.Sheets(ctx)
	if err != nil {
		return
	}
	for _, clash := range sheet.Clashes(s, others) {
		a.say("it cannot be accepted: %s", shown(clash.Error()))
	}
	unknown := map[string]bool{}
	for _, y := range s.Systems {
		for _, h := range y.Starts {
			if !slices.ContainsFunc(others, func(o *sheet.Sheet) bool { return o.ID == h.Launcher }) {
				unknown[h.Launcher] = true
			}
		}
	}
	for _, id := range slices.Sorted(maps.Keys(unknown)) {
		a.say("it hands over to %s, for which the manifest has no sheet", id)
	}
}

// explainEmpty says why a sheet finds nothing.
func (a *app) explainEmpty(s *sheet.Sheet, roots place.Roots, inside *machine.Prefix) {
	system := machine.System()
	if inside != nil {
		system, roots = "windows", inside.Roots
	}
	y, described := s.Systems[system]
	switch {
	case !described:
		a.say("it does not describe %s", system)
		return
	case len(y.Home) == 0 && y.Titles != nil:
		a.say("no entry was found in the registry's keys %s that %s chooses", strings.Join(y.Titles.Keys, ", "), y.Titles.Each)
		return
	case len(y.Home) == 0:
		a.say("titles are recognised by a file in their folder (%s); add one with endroit machine add FOLDER", y.Inside.Files)
		return
	}
	a.say("the launcher is in none of these folders:")
	for _, h := range y.Home {
		l, err := place.Parse(h)
		if top := roots[l.Anchor]; err == nil && top != "" {
			a.say("  %s does not exist", pasted(filepath.Join(append([]string{top}, l.Names()...)...)))
		} else {
			a.say("  %s does not exist on this system", h)
		}
	}
}

// explainMissing says what an installed launcher's sheet does not find, and where it
// looked.
func (a *app) explainMissing(f sheet.Found, y sheet.System) {
	empty := !slices.ContainsFunc(f.Libraries, func(l sheet.Library) bool { return len(l.Editions) > 0 })
	if y.Titles != nil && empty && y.Titles.Files != "" {
		a.say(
			"  no title: no file in a library matches %s, or %s finds nothing", y.Titles.Files,
			cmp.Or(y.Titles.Each, wholeFile),
		)
	}
	if y.Libraries != nil && len(f.Libraries) == 1 {
		a.say(
			"  no further library: no file matches %s, or %s finds nothing", y.Libraries.Files,
			cmp.Or(y.Libraries.Each, wholeFile),
		)
	}
	if y.Prefixes != nil && !slices.ContainsFunc(f.Libraries, func(l sheet.Library) bool {
		return slices.ContainsFunc(l.Editions, func(e sheet.Edition) bool { return e.Prefix != "" })
	}) {
		a.say("  no prefix: no folder in a library matches %s with the reference of a title", y.Prefixes.Folder)
	}
	if y.Accounts != nil {
		switch {
		case len(f.Accounts) == 0:
			a.say("  no account: no folder matches %s", y.Accounts.Folder)
		case y.Accounts.Known != nil && !slices.ContainsFunc(f.Accounts, func(x sheet.Account) bool { return x.InUse }):
			a.say("  no account in use: %s matches none", cmp.Or(y.Accounts.Known.InUse, wholeFile))
		}
	}
	if y.Cloud != nil && f.Cloud == nil {
		a.say("  the cloud copies setting was not found: no file matches %s", y.Cloud.Files)
	}
	if len(y.Starts) > 0 && len(f.Starts) == 0 {
		a.say(
			"  it starts no titles of other launchers: %s finds nothing in %s",
			cmp.Or(y.Starts[0].Each, wholeFile), y.Starts[0].Files,
		)
	}
}

// wholeFile is what a query that is left out gives.
const wholeFile = "the whole file"

func (a *app) sheetSubmit(ctx context.Context, c *cli.Command) error {
	name, err := oneArg(c, "one FILE")
	if err != nil {
		return err
	}
	s, err := readSheet(name)
	if err != nil {
		return err
	}
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	named, err := readNamed()
	if err != nil {
		return err
	}
	survey, err := machine.Look(ctx, []*sheet.Sheet{s}, roots, named, nil)
	if err != nil {
		return err
	}
	body := contribution.PrepareSheet(
		s, contribution.FindingsOf(machine.System(), ofSheet(s, survey.Found)), c.String("note"), oneself(roots),
	)
	if err := body.Check(ctx); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	raw, printed, err := a.asSent(c, body)
	if err != nil || printed {
		return err
	}
	text, err := s.Text()
	if err != nil {
		return err
	}
	to := a.preliminary(c)
	to.say("This will be sent (%s; --print shows it exactly):\n\nthe sheet\n%s\n\nwhat it found here, in numbers\n  %s",
		phrase.Size(int64(len(raw))), indent("  ", phrase.VisibleLines(text)), body.Found)
	if body.Note != "" {
		to.say("\nthe note\n%s", indent("  ", phrase.VisibleLines(body.Note)))
	}
	return a.send(ctx, c, raw, "sheet", name)
}

// oneself is what tells of the person and the machine, and is hidden in what is sent.
func oneself(roots place.Roots) *footprint.Self {
	self := &footprint.Self{Home: roots[place.Home], User: filepath.Base(roots[place.Home])}
	if me, err := user.Current(); err == nil {
		self.User = me.Username[strings.LastIndexByte(me.Username, '\\')+1:] // Windows puts the machine's name before it
	}
	self.Host, _ = os.Hostname()
	return self
}
