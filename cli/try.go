package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/draft"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/machine"
	"endroit/safefile"
	"endroit/trial"
)

func (a *app) try() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerDrafts),
		Name:          "try", Usage: "try a draft's or a title's locations on this home or another",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "home", Usage: "the `FOLDER` that is the home to look in, instead of yours"},
			&cli.StringFlag{Name: "install", Usage: "the `FOLDER` that the title is installed in, for what it keeps there"},
			&cli.StringFlag{Name: "prefix", Usage: "a compatibility prefix: the `FOLDER` that contains drive_c, for a Windows build"},
			jsonFlag(),
		},
		Action: a.runTry,
	}, judge, "try")
}

func (a *app) runTry(ctx context.Context, c *cli.Command) error {
	name := strings.Join(c.Args().Slice(), " ")
	if name == "" {
		return fail(exitUsage, "give a DRAFT or a TITLE, such as: endroit try tidewrack.draft.yaml")
	}
	where, err := tryWhere(ctx, c)
	if err != nil {
		return err
	}
	title, list, err := a.toTry(ctx, name, where.Prefix != nil)
	if err != nil {
		return err
	}
	finder := machine.NewFinder()
	defer finder.Close()
	t, err := trial.Run(ctx, finder, where, title, list)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(t)
	}
	a.printTrial(t)
	if !trialFinds(t) {
		return fail(exitNotFound, "no location finds a file there")
	}
	return nil
}

// tryWhere is the home that the flags name.
func tryWhere(ctx context.Context, c *cli.Command) (w trial.Where, err error) {
	if w.Roots, err = machine.Roots(); err != nil {
		return w, err
	}
	if home := c.String("home"); home != "" {
		if home, err = filepath.Abs(home); err != nil {
			return w, err
		}
		if info, err := os.Stat(home); err != nil || !info.IsDir() {
			return w, fail(exitUsage, "--home %s is not a folder", home)
		}
		w.Roots = place.LinuxRoots(map[string]string{"HOME": home})
	}
	if install := c.String("install"); install != "" {
		if install, err = filepath.Abs(install); err != nil {
			return w, err
		}
		w.Roots[place.Install] = install
	}
	if folder := c.String("prefix"); folder != "" {
		if w.Prefix, err = machine.OpenPrefix(ctx, folder); err != nil {
			return w, fail(exitUsage, "--prefix %w", err)
		}
		if install := w.Roots[place.Install]; install != "" {
			w.Prefix.Roots[place.Install] = install
		}
	}
	return w, nil
}

// toTry reads the draft of this name, or else finds the recorded title.
func (a *app) toTry(ctx context.Context, name string, inPrefix bool) (title string, list []trial.Location, err error) {
	if info, err := os.Stat(name); err == nil && info.Mode().IsRegular() {
		data, err := safefile.Read(name, draft.MaxBytes)
		if err != nil {
			return "", nil, fail(unread(err), "%w", err)
		}
		d, err := draft.Parse(data)
		if err != nil {
			return "", nil, fail(exitInput, "%s: %w", name, err)
		}
		if d.Runtime == "prefix" && !inPrefix {
			return "", nil, fail(exitUsage, "%s is for a Windows build in a prefix; name one with --prefix FOLDER", name)
		}
		return d.Title, trial.OfDraft(d), nil
	}
	if strings.ContainsRune(name, filepath.Separator) || filepath.Ext(name) == ".yaml" { // it is no title
		if _, err := os.Stat(name); errors.Is(err, fs.ErrNotExist) {
			return "", nil, fail(exitNotFound, "there is no file %s; endroit propose makes a draft", name)
		} else if err != nil {
			return "", nil, fail(exitNotFound, "%w", err)
		}
		return "", nil, fail(exitInput, "%s is no file with a draft", name)
	}
	k, err := a.openManifest(ctx)
	if err != nil {
		return "", nil, err
	}
	defer k.Close()
	t, near, err := oneTitle(ctx, k, name)
	switch {
	case err != nil:
		return "", nil, err
	case t == nil && len(near) > 0:
		return "", nil, fail(exitNotFound, "there is no file %s, and no title is recorded so; did you mean %s?", name, strings.Join(near, ", "))
	case t == nil:
		return "", nil, fail(exitNotFound, "there is no file %s, and no title is recorded so in revision %d", name, k.Head.Revision)
	}
	system, runtime := machine.System(), "native"
	if inPrefix {
		system, runtime = "windows", "prefix"
	}
	list = trial.OfTitle(t, system, runtime)
	if len(list) == 0 {
		return "", nil, fail(exitNotFound, "%s is recorded, but not for %s, %s (--prefix FOLDER tries a Windows build)", t.Name, system, runtime)
	}
	return t.Name, list, nil
}

func trialFinds(t *trial.Trial) bool {
	for _, o := range t.Locations {
		if len(o.Files) > 0 {
			return true
		}
	}
	return false
}

// foreignShown and besideShown are how many files are printed.
const (
	foreignShown = 5
	besideShown  = 8
)

func (a *app) printTrial(t *trial.Trial) {
	a.say("%s", a.heading(shown(t.Title)))
	for _, o := range t.Locations {
		a.say("  %s  %s", a.kind(phrase.Pad(word(o.Holds), 8)), a.path(shown(o.At)))
		switch {
		case o.Error != "":
			a.say("            %s", a.missing("could not be tried: "+shown(o.Error)))
		case len(o.Files) == 0:
			a.say("            %s", a.missing("finds nothing: "+shown(o.Missing)))
			for _, s := range o.Skipped[:min(len(o.Skipped), foreignShown)] {
				a.say("            %s", a.missing(fmt.Sprintf("skipped: %s (%s)", pasted(s.Path), shown(s.Why))))
			}
		default:
			what := phrase.Count(len(o.Files), "file", "files") + " in "
			if o.Files[0].Path == o.Folder {
				what = ""
			}
			a.say("            finds %s%s, last changed %s", what, pasted(o.Folder),
				o.Files[0].Time.Local().Format("2006-01-02 15:04:05"))
		}
		for i, f := range o.Foreign {
			if i == foreignShown {
				a.say("            and %d more that look foreign (--json lists them)", len(o.Foreign)-i)
				break
			}
			a.say("            %s", a.missing("looks foreign: "+pasted(f.Path)+": "+shown(f.Why)))
		}
	}
	if n := len(t.Beside) + t.BesideMore; n > 0 {
		a.say("\n%s", a.heading("In the title's folders, and covered by none: "+phrase.Count(n, "file", "files")))
		for i, b := range t.Beside {
			if i == besideShown {
				a.say("  and %d more (--json lists them)", n-i)
				break
			}
			a.say("  %8s  %s", phrase.Size(b.Size), pasted(b.Path))
		}
	}
}
