package cli

import (
	"cmp"
	"context"
	"fmt"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/core/candidate"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/phrase"
	"endroit/programfiles"
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
			choseFlag(),
			&cli.BoolFlag{Name: "no-programs", Usage: "do not search the programs for where names come from"},
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
			fp.Self.Chosen = append(slices.Clone(fp.Self.Chosen), c.StringSlice("chose")...)
			var found *origin.Result
			if !c.Bool("no-programs") {
				if found, err = programfiles.Search(ctx, fp, nameSearch); err != nil {
					return err
				}
			}
			d, proposal, made := candidate.Draft(fp, found)
			if !c.Bool("json") && out != "-" && term.IsTerminal(int(a.in.Fd())) {
				if err := a.askQuestions(d.Questions); err != nil {
					return err
				}
				answered := slices.DeleteFunc(slices.Clone(d.Questions), func(q draft.Question) bool { return q.Answer == "" })
				if found != nil && len(answered) > 0 { // an answer can bring in names that were not looked for
					if found, err = programfiles.Search(ctx, candidate.Told(fp, answered), nameSearch); err != nil {
						return err
					}
				}
				d, proposal, made = candidate.Draft(fp, found, answered...)
				fp = candidate.Told(fp, answered)
			}
			contribution.TellNames(fp, d.Names)
			if err := contribution.Admissible(ctx, d, fp); err != nil {
				return err
			}
			of, run, err := a.beside(ctx, d, fp, !c.Bool("json") && out != "-")
			if err != nil {
				return err
			}
			if fp.Cut != "" {
				d.Questions = append(d.Questions, draft.Question{Ask: "the trace is cut short: " + fp.Cut})
			}
			d.Trace = &draft.Trace{File: tracefiles.RelativeTo(out, name), SHA256: digests[0]}
			for i, other := range names[1:] {
				d.Also = append(d.Also, draft.Trace{File: tracefiles.RelativeTo(out, other), SHA256: digests[i+1]})
			}
			if c.Bool("json") && (!c.IsSet("out") || out == "-") {
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
			if c.Bool("json") {
				return a.json(d)
			}
			a.say("%s:", out)
			for _, l := range d.Locations {
				how := made[l.At]
				if how == "" {
					how = "as it is recorded"
				}
				a.say("  %s  %s  (%s)", a.kind(phrase.Pad(word(l.Holds), 8)), a.path(l.At), how)
			}
			a.sayBeside(of, run, d, fp)
			open := a.listQuestions(d.Questions)
			a.saySources(proposal.Sources(found), found)
			if open {
				a.say("\nNext: endroit answer %s NUMBER=ANSWER, or write the answers into it; then endroit submit %s", out, out)
			} else {
				a.say("\nNext: read and edit it, then endroit submit %s", out)
			}
			return nil
		},
	}, find, "propose")
}

// choseFlag takes names that were chosen in the game.
func choseFlag() cli.Flag {
	return &cli.StringSliceFlag{
		Name:  "chose",
		Local: true,
		Usage: "a `NAME` that you chose in the game, of a player, a world or a save: it never leaves your machine",
	}
}

// nameSearch is how long the programs are searched for where names come from, at most.
const nameSearch = 20 * time.Second

// saySources says where the names come from that the locations were made of.
func (a *app) saySources(list []candidate.Source, found *origin.Result) {
	if found == nil || len(list) == 0 {
		return
	}
	a.say("\n%s", a.heading("Where the names come from"))
	made := map[string][]string{} // by the program's file
	var order []string
	for _, s := range list {
		in, whole := "", true
		for _, p := range s.Parts {
			if p.From == origin.Program {
				in = cmp.Or(in, p.In)
			}
			whole = whole && p.From != origin.Other
		}
		if !whole || in == "" {
			continue
		}
		if made[in] == nil {
			order = append(order, in)
		}
		made[in] = append(made[in], shown(s.Name))
	}
	for _, in := range order {
		a.say("  the program's, in %s: %s", shown(filepath.Base(in)), strings.Join(made[in], ", "))
	}
	for _, s := range list {
		var chosen []string
		for _, p := range s.Parts {
			if p.From == origin.Other {
				chosen = append(chosen, shown(p.Text))
			}
		}
		if len(chosen) > 0 {
			format := ""
			if s.Format != "" {
				format = "; it has a format for it: " + shown(s.Format)
			}
			a.say("  in none of its files: %s of %s, which became %s%s",
				a.missing(strings.Join(chosen, " and ")), shown(s.Name), cmp.Or(s.Became, "nothing"), format)
		}
	}
	a.say("  %s, %s searched", phrase.Count(found.Files, "file", "files"), phrase.Size(found.Bytes))
	for i, u := range found.Unread {
		if i == 3 {
			a.say("  and %s more", phrase.Count(len(found.Unread)-i, "file", "files"))
			break
		}
		a.say("  not searched: %s: %s", shown(u.Path), shown(u.Why))
	}
	if !found.Conclusive() {
		a.say("  The search was not conclusive: the title's own name was not found, or a program could not be searched.")
	}
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
	contribution.TellNames(fp, d.Names)
	return d, fp, nil
}
