package cli

import (
	"context"
	"fmt"

	"github.com/urfave/cli/v3"

	"endroit/core/candidate"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/safefile"
	"endroit/tracefiles"
)

func (a *app) propose() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerTraces),
		Name:          "propose", Usage: "draft locations from one or more traces",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "out", Usage: "the `DRAFT` to write (otherwise named after the trace)"},
			&cli.StringFlag{Name: "title", Usage: "the game's `NAME`, if the trace has none"},
			jsonFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			names := c.Args().Slice()
			if len(names) == 0 || len(names) > draft.MaxTraces+1 {
				return fail(exitUsage, "1 to %d traces are required; see endroit propose --help", draft.MaxTraces+1)
			}
			var all []*footprint.Footprint
			var digests []string
			for _, name := range names {
				fp, digest, err := readTrace(name)
				if err != nil {
					return err
				}
				if t := c.String("title"); t != "" {
					fp.Title = t
				}
				all, digests = append(all, fp), append(digests, digest)
			}
			fp, err := footprint.Merge(all)
			if err != nil {
				return fail(exitInput, "%w; a draft describes one variant", err)
			}
			name := names[0]
			out := c.String("out")
			if out == "" {
				out = besides(name, ".trace", ".draft.yaml")
			}
			d, made := candidate.Draft(fp)
			if err := contribution.Admissible(ctx, d, fp); err != nil {
				return err
			}
			if fp.Cut != "" {
				d.Questions = append(d.Questions, "the trace is cut short: "+fp.Cut)
			}
			d.Trace = &draft.Trace{File: tracefiles.RelativeTo(out, name), SHA256: digests[0]}
			for i, other := range names[1:] {
				d.Also = append(d.Also, draft.Trace{File: tracefiles.RelativeTo(out, other), SHA256: digests[i+1]})
			}
			if c.Bool("json") {
				return a.json(d)
			}
			text, err := d.Text()
			if err != nil {
				return err
			}
			if len(d.Locations) == 0 {
				return fail(
					exitNotFound,
					"nothing in %s looks like progress or settings; endroit footprint %s --kind unknown shows what was "+
						"written. Trace a run in which the game saves, and mark it with endroit cue saved",
					name,
					name,
				)
			}
			if out == "-" {
				_, err := a.out.Write(text)
				return err
			}
			f, err := newFile(out)
			if err != nil {
				return err
			}
			if _, err := f.Write(text); err != nil {
				_ = f.Close()
				return fmt.Errorf("write %s: %w", out, err)
			}
			if err := f.Close(); err != nil {
				return fmt.Errorf("write %s: %w", out, err)
			}
			a.say("%s:", out)
			for _, l := range d.Locations {
				a.say("  %s  %s  (%s)", a.kind(phrase.Pad(word(l.Holds), 8)), a.path(l.At), made[l.At])
			}
			for _, q := range d.Questions {
				a.say("  question: %s", shown(q))
			}
			a.say("\nNext: read and edit it, then endroit submit %s", out)
			return nil
		},
	}, find, "propose")
}

// readDraft reads a draft and the footprint of its trace.
func readDraft(name string) (*draft.Draft, *footprint.Footprint, error) {
	data, err := safefile.Read(name, draft.MaxBytes)
	if err != nil {
		return nil, nil, fail(unread(err), "%w", err)
	}
	d, err := draft.Parse(data)
	if err != nil {
		return nil, nil, fmt.Errorf("%s: %w", name, err)
	}
	if d.Trace == nil || d.Trace.File == "" {
		return nil, nil, fail(
			exitInput,
			"%s: trace is missing; a draft is submitted with the footprint of its trace (trace: file: …)", name,
		)
	}
	var runs []*footprint.Footprint
	for _, t := range append([]draft.Trace{*d.Trace}, d.Also...) {
		file := fromDraft(name, t.File)
		fp, digest, err := readTrace(file)
		if err != nil {
			return nil, nil, fmt.Errorf("%s: the trace that it was made from: %w", name, err)
		}
		if t.SHA256 != "" && digest != t.SHA256 {
			return nil, nil, fail(
				exitInput,
				"%s: the trace %s has changed (its SHA-256 differs); make the draft again with endroit propose %s",
				name, file, file,
			)
		}
		runs = append(runs, fp)
	}
	fp, err := footprint.Merge(runs)
	if err != nil {
		return nil, nil, fail(exitInput, "%s: %w", name, err)
	}
	return d, fp, nil
}
