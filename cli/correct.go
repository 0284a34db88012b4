package cli

import (
	"cmp"
	"context"
	"errors"
	"os/user"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"endroit/core/footprint"
	"endroit/tracefiles"
)

func (a *app) correct() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerTraces),
		Name:          "correct", Usage: "correct the kind of a file of a trace",
		Flags: []cli.Flag{&cli.StringFlag{Name: "because", Usage: "why, for the reviewer: `TEXT`"}, jsonFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			args := c.Args().Slice()
			switch len(args) {
			case 1:
				return a.listCorrections(c, args[0])
			case 3:
				return a.runCorrect(c, args[0], args[1], args[2])
			}
			return fail(exitUsage, "it takes a TRACE, a FILE and a KIND, or a TRACE alone; see endroit correct --help")
		},
	}, find, "correct")
}

func (a *app) runCorrect(c *cli.Command, name, file, kind string) error {
	kinds, err := parseKinds([]string{kind})
	if err != nil {
		return err
	}
	said := footprint.Correction{
		File:    file,
		Kind:    kinds[0],
		By:      ownName(),
		Because: strings.TrimSpace(c.String("because")),
		Made:    time.Now().UTC().Truncate(time.Second),
	}
	err = tracefiles.Correct(name, said)
	if errors.Is(err, footprint.ErrNoSuchFile) {
		if full, e := filepath.Abs(file); e == nil {
			said.File = full
			err = tracefiles.Correct(name, said)
		}
	}
	if errors.Is(err, footprint.ErrNoSuchFile) {
		return fail(
			exitNotFound,
			"no file of %s is %s; endroit footprint %s --name TEXT finds files by a part of their path", name,
			file, name,
		)
	}
	if err != nil {
		return err
	}
	return a.listCorrections(c, name)
}

func (a *app) listCorrections(c *cli.Command, name string) error {
	fp, _, err := readTrace(name)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(map[string]any{"corrections": append([]footprint.Correction{}, fp.Corrections...)})
	}
	if len(fp.Corrections) == 0 {
		a.say("%s has no corrections", name)
		return nil
	}
	for _, x := range fp.Corrections {
		a.say("%s", shown(x.File))
		a.say(
			"  %s, not %s, according to %s%s", x.Kind.Word(), x.Was.Word(),
			shown(cmp.Or(x.By, "the contributor")), shown(correctionReason(x)),
		)
	}
	return nil
}

func correctionReason(c footprint.Correction) string {
	if c.Because == "" {
		return ""
	}
	return ": " + c.Because
}

// ownName is what this person is called on this machine.
func ownName() string {
	me, err := user.Current()
	if err != nil {
		return "you"
	}
	return me.Username[strings.LastIndexByte(me.Username, '\\')+1:] // Windows puts the machine's name before it
}
