package cli

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"path/filepath"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/candidate"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/trace"
	"endroit/programfiles"
	"endroit/service/wire"
)

func fromDraft(draft, file string) string {
	if filepath.IsAbs(file) {
		return file
	}
	return filepath.Join(filepath.Dir(draft), file)
}

func (a *app) submit() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerDrafts),
		Name:          "submit", Usage: "submit a draft or an experiment, after showing what is sent",
		Flags: []cli.Flag{
			serviceFlag(),
			&cli.BoolFlag{Name: "yes", Usage: "send without asking"},
			&cli.BoolFlag{Name: "print", Usage: "print what would be sent, and send nothing"},
			&cli.StringFlag{Name: "note", Usage: "of an experiment: a `TEXT` for the reviewer"},
			jsonFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			name, err := oneArg(c, "one DRAFT, or the id of an experiment")
			if err != nil {
				return err
			}
			switch file, err := proofFile(name); {
			case err != nil:
				return err
			case file != "":
				return a.submitProof(ctx, c, file)
			}
			if c.String("note") != "" {
				return fail(exitUsage, "--note is for an experiment; a draft has a note of its own")
			}
			d, fp, err := readDraft(name)
			if err != nil {
				return err
			}
			if fp, err = applied(ctx, name, d, fp); err != nil {
				return err
			}
			kept, err := searchKept(ctx, d, fp)
			if err != nil {
				return err
			}
			body, err := contribution.Prepare(d, fp)
			if err == nil {
				err = body.Check(ctx)
			}
			if err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
			disputes, err := contribution.PrepareDisputes(d, fp)
			if err != nil {
				return fmt.Errorf("%s: %w", name, err)
			}
			raw, printed, err := a.asSent(c, body)
			if err != nil || printed {
				return err
			}
			if err := a.preliminary(c).preview(body, len(raw)); err != nil {
				return err
			}
			a.preliminary(c).warnOfKept(kept)
			for _, x := range disputes {
				if err := x.Check(ctx); err != nil {
					return fmt.Errorf("%s: the dispute of %s: %w", name, x.Location.At, err)
				}
				a.preliminary(c).say(
					"and, with the same footprint, a contribution of its own: %s\n  because: %s", shown(x.Statement()), shown(x.Because),
				)
			}
			if err := a.send(ctx, c, raw, "draft", name); err != nil {
				return err
			}
			return a.sendDisputes(ctx, c, disputes, name)
		},
	}, find, "submit")
}

// signWith puts in which machine a contribution comes from.
func (a *app) signWith(c *cli.Command, b contribution.Body) error {
	l, err := savedLogin(c)
	if err != nil {
		return err
	}
	machine, err := pseudonym(l.Service)
	contribution.Sign(b, machine)
	return err
}

// asSent is a contribution as it is sent, with the machine that it comes from; with --print it
// is printed instead.
func (a *app) asSent(c *cli.Command, b contribution.Body) (raw []byte, printed bool, err error) {
	if err := a.signWith(c, b); err != nil {
		return nil, false, err
	}
	if raw, err = contribution.Encode(b); err != nil || !c.Bool("print") {
		return raw, false, err
	}
	_, err = a.out.Write(append(raw, '\n'))
	return raw, true, err
}

// send asks, unless --yes has said so already, and sends a contribution as it was shown.
// what is the kind of file that it was made from, which is unchanged.
func (a *app) send(ctx context.Context, c *cli.Command, raw []byte, what, name string) error {
	l, err := readLogin(c)
	if err != nil {
		return err
	}
	if !c.Bool("yes") {
		ok, err := a.ask(fmt.Sprintf("Send this to %s as %s?", l.Service, l.Name))
		if err != nil {
			return err
		}
		if !ok {
			return fail(exitFailed, "nothing was sent; the %s is unchanged", what)
		}
	}
	answer, err := l.submit(ctx, raw)
	if err != nil {
		return fmt.Errorf("submit %s: %w (the %s is unchanged)", name, err, what)
	}
	return a.sent(c, l, answer)
}

// submit sends a contribution, under a key that is the same when it is sent again.
func (l login) submit(ctx context.Context, raw []byte) (wire.Submitted, error) {
	cl, err := l.client()
	if err != nil {
		return wire.Submitted{}, err
	}
	sum := sha256.Sum256(raw)
	return cl.Submit(ctx, hex.EncodeToString(sum[:]), raw)
}

// sendDisputes sends the disputes of a draft, which was sent before.
func (a *app) sendDisputes(ctx context.Context, c *cli.Command, disputes []*contribution.Dispute, name string) error {
	for _, x := range disputes {
		if err := a.signWith(c, x); err != nil {
			return err
		}
		raw, err := contribution.Encode(x)
		if err != nil {
			return err
		}
		l, err := readLogin(c)
		if err != nil {
			return err
		}
		answer, err := l.submit(ctx, raw)
		if err != nil {
			return fmt.Errorf("submit the dispute of %s in %s: %w (what was sent before is there)", x.Location.At, name, err)
		}
		if err := a.sent(c, l, answer); err != nil {
			return err
		}
	}
	return nil
}

// sent says what became of a submission.
func (a *app) sent(c *cli.Command, l login, answer wire.Submitted) error {
	address := fmt.Sprintf("%s/reviews/%d", strings.TrimSuffix(l.Service, "/"), answer.Number)
	switch {
	case c.Bool("json"):
		return a.json(struct {
			wire.Submitted
			Address string `json:"address"`
		}{answer, address})
	case answer.Again:
		a.say("already sent: contribution %d", answer.Number)
	default:
		a.say("sent: contribution %d waits for a reviewer (endroit review show %d)", answer.Number, answer.Number)
	}
	a.say("  %s", address)
	return nil
}

// preliminary prints for people what goes before an answer: on standard error where the answer is
// for a program.
func (a *app) preliminary(c *cli.Command) *app {
	to := *a
	if c.Bool("json") {
		to.out = a.err
	}
	return &to
}

// preview shows all that will be sent.
func (a *app) preview(b *contribution.Finding, size int) error {
	text, err := b.Draft.Text()
	if err != nil {
		return err
	}
	a.say("This will be sent (%s; --print shows it exactly):\n\nthe draft", phrase.Size(int64(size)))
	_, plain, _ := strings.Cut(string(text), "\nformat:") // without the heading for the one who edits it
	a.say("%s", indent("  ", "format:"+plain))
	a.say("\nthe footprint: %s", describe(b.Footprint))
	a.say("  programs: %s", shown(fmt.Sprint(b.Footprint.Programs)))
	for _, cue := range b.Footprint.Cues {
		a.say("  cue: %s at %s", shown(cue.Word), phrase.Duration(cue.At))
	}
	gapLines(b.Footprint.Gaps, func(line string) { a.say("  %s", line) })
	for _, f := range b.Footprint.Files {
		a.say(
			"  %-8s  %s  (confidence %.2f, %s; %s)", f.Kind.Word(), shown(f.Place), f.Confidence,
			usage(b.Footprint, f), trace.Became(f.Before, f.After, f.Written()),
		)
	}
	if slices.ContainsFunc(
		b.Footprint.Files,
		func(f footprint.File) bool { return strings.Contains(f.Place, footprint.Unnamed) },
	) {
		a.say(
			"  words in names that you could have chosen are sent as %s1, %s2 and so on, each word always as the same",
			footprint.Unnamed, footprint.Unnamed,
		)
	}
	for _, c := range b.Footprint.Corrections {
		a.say("  corrected by you: %s is %s, not %s%s", shown(c.File), c.Kind.Word(), c.Was.Word(), shown(correctionReason(c)))
	}
	left := 0
	for _, n := range b.Footprint.Counts {
		left += n
	}
	a.say(
		"  and the number of files of each kind; %s not listed\n",
		phrase.Count(left-len(b.Footprint.Files), "other file is", "other files are"),
	)
	return nil
}

// searchKept looks for the names that a draft's locations keep in the programs: the counts
// become part of the draft, and what no file of the program holds is returned.
func searchKept(ctx context.Context, d *draft.Draft, fp *footprint.Footprint) ([]candidate.Kept, error) {
	var locations []place.Location
	for _, l := range d.Locations {
		at, err := l.Place()
		if err != nil {
			return nil, err
		}
		locations = append(locations, at)
	}
	found, err := programfiles.Search(ctx, fp, nameSearch, candidate.Literals(locations)...)
	if err != nil {
		return nil, err
	}
	for i := range locations {
		d.Locations[i].Sources = candidate.CountSources(locations[i], found)
	}
	return candidate.KeptNames(locations, found), nil
}

// warnOfKept warns of names in the locations that no file of the program holds: such a
// location finds nothing for anybody else.
func (a *app) warnOfKept(list []candidate.Kept) {
	for _, k := range list {
		a.say("%s", a.missing(fmt.Sprintf(
			"Nobody else's files are found so: no file of the program holds %s, in %s. Did you choose that name? Then write {profile} for it",
			shown(k.Name), shown(k.At),
		)))
	}
}
