package cli

import (
	"cmp"
	"context"
	"errors"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/candidate"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/trace"
)

func (a *app) compare() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerTraces),
		Name:          "compare", Usage: "compare several runs of one title",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "reasons", Usage: "print all reasons, not only the weightiest"},
			jsonFlag(),
		},
		Action: func(_ context.Context, c *cli.Command) error {
			names := c.Args().Slice()
			if len(names) < 2 {
				return fail(exitUsage, "name at least two traces: endroit compare TRACE TRACE...")
			}
			return a.runCompare(c, names)
		},
	}, find, "compare")
}

func (a *app) runCompare(c *cli.Command, names []string) error {
	var runs []*footprint.Footprint
	for _, name := range names {
		fp, _, err := readTrace(name)
		if err != nil {
			return err
		}
		if fp.Cut != "" {
			a.tell("endroit: %s is cut short: %s", name, fp.Cut)
		}
		runs = append(runs, fp)
	}
	found, err := candidate.Compare(runs)
	if errors.Is(err, candidate.ErrOtherTitle) {
		return fail(exitInput, "%w: they cannot be compared", err)
	}
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(found)
	}
	for i, fp := range runs {
		text := describe(fp)
		var cues []string
		for _, cue := range fp.Cues {
			cues = append(cues, shown(cue.Word))
		}
		if len(cues) > 0 {
			text += "; " + strings.Join(cues, ", ")
		}
		a.say("run %d  %s: %s", i+1, names[i], text)
	}
	for _, list := range []struct {
		title string
		of    []candidate.Joint
	}{
		{"The same place under different names", found.Named},
		{"Written in every run", found.All},
		{"Written only in some runs", found.Some},
		{"Progress, settings or pictures that were never written", found.Never},
	} {
		if len(list.of) > 0 {
			a.say("\n%s", a.heading(list.title))
		}
		for _, j := range list.of {
			a.sayJoint(j, c.Bool("reasons"))
		}
	}
	var rest []string
	for _, k := range footprint.Kinds {
		if n := found.Others[k]; n > 0 {
			rest = append(rest, k.Files(n))
		}
	}
	if len(rest) > 0 {
		a.say("\nother files: %s", strings.Join(rest, ", "))
	}
	a.say("\nNext: endroit propose %s", strings.Join(names, " "))
	return nil
}

func (a *app) sayJoint(j candidate.Joint, all bool) {
	a.say("  %s %s  (confidence %.2f)", a.kind(phrase.Pad(j.Kind.Word(), 8)), a.path(shown(j.At)), j.Confidence)
	for i, s := range j.Seen {
		if len(s.Files) == 0 {
			a.say("      run %d  not touched", i+1)
		}
		for _, x := range s.Files {
			name := ""
			if at := cmp.Or(x.Place, x.Path); at != j.At {
				name = shown(at) + ": "
			}
			how := "only read"
			switch {
			case x.Written():
				how = "written"
			case x.Before.Is == trace.IsAbsent && x.After.Is == trace.IsAbsent:
				how = "not there"
			}
			a.say("      run %d  %s%s, %s", i+1, name, how, trace.Became(x.Before, x.After, x.Written()))
		}
	}
	for _, text := range j.Told {
		a.say("      - %s", shown(text))
	}
	told := strings.Join(j.Told, "\n")
	n := 0
	for _, r := range j.Reasons {
		if strings.Contains(told, strings.TrimPrefix(r, "against it: ")) {
			continue
		}
		if n == reasonsShown && !all {
			break
		}
		n++
		a.say("      - %s", shown(r))
	}
}
