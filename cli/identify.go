package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/phrase"
	"endroit/identify"
	"endroit/machine"
)

func (a *app) identify() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "identify", Usage: "find which title and edition something belongs to",
		Flags:  []cli.Flag{sheetsFlag(), jsonFlag()},
		Action: a.runIdentify,
	}, reuse, "identify")
}

func (a *app) runIdentify(ctx context.Context, c *cli.Command) error {
	what := strings.TrimSpace(strings.Join(c.Args().Slice(), " "))
	if what == "" {
		return fail(exitUsage, "WHAT is missing: a name, a number, an address, a path or a process id")
	}
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	k, err := a.openManifest(ctx)
	if err != nil {
		a.tell("endroit: %s", shown(err.Error()))
		k = nil
	} else {
		defer k.Close()
	}
	sheets, err := a.sheets(ctx, c, k)
	if err != nil {
		return err
	}
	survey, err := a.survey(ctx, c, k, roots)
	if err != nil {
		return err
	}
	found, err := identify.Identifier{Survey: survey, Manifest: k, Sheets: sheets}.All(ctx, what)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(map[string]any{"what": what, "found": found})
	}
	if len(found) == 0 {
		return fail(
			exitNotFound,
			"nothing on this machine or in the manifest matches %q; endroit machine shows what is installed",
			what,
		)
	}
	if len(found) > 1 {
		a.say("%s match", phrase.Count(len(found), "title or edition", "titles or editions"))
	}
	for n, f := range found {
		if n > 0 || len(found) > 1 {
			a.say("")
		}
		a.printIdentified(f)
	}
	return nil
}

func (a *app) printIdentified(f identify.Title) {
	a.say("%s: %s", a.heading(shown(f.Title)), shown(f.Because))
	if e := f.Edition; e != nil {
		by := "installed without a launcher"
		if e.Launcher != "" {
			by = "installed by " + e.LauncherName
		}
		if len(e.StartedBy) > 0 {
			by += ", started by " + strings.Join(e.StartedBy, ", ") + " too"
		}
		if e.Missing == "" {
			a.say("  installed here: %s, %s", shown(e.Edition.Label()), shown(by))
		} else {
			a.say("  not here: %s, %s; %s", shown(e.Edition.Label()), shown(by), shown(e.Missing))
		}
		a.say("    %s", a.path(pasted(e.Folder)))
		if e.Prefix != "" {
			a.say("    prefix %s", pasted(e.Prefix))
		}
	}
	if f.Location != "" {
		a.say("  in %s", shown(f.Location))
	}
	for _, v := range f.Recorded {
		a.say("  recorded: %s", shown(v))
	}
	if len(f.Recorded) == 0 {
		a.say("  no locations are recorded for it yet")
	}
}
