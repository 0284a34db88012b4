package cli

import (
	"context"
	"encoding/json"
	"fmt"
	"strconv"
	"strings"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"endroit/client"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/proof"
	"endroit/service/wire"
)

func (a *app) review() *cli.Command {
	c := command(&cli.Command{
		Name: "review", Usage: "list, show and decide on contributions",
		Commands: []*cli.Command{
			command(&cli.Command{
				Name:  "list",
				Usage: "list contributions: those waiting for review, or your own",
				Flags: []cli.Flag{
					serviceFlag(),
					&cli.StringFlag{Name: "state", Value: "waiting", Usage: "`STATE`: waiting, accepted, returned or all"},
					&cli.BoolFlag{Name: "mine", Usage: "only your own"},
					jsonFlag(),
				},
				Action: a.reviewList,
			}, "", "review-list"),
			command(
				&cli.Command{
					Name:          "show",
					Usage:         "show one contribution",
					Flags:         []cli.Flag{serviceFlag(), jsonFlag()},
					Action:        a.reviewShow,
					ShellComplete: completes(a.offerContributions),
				},
				"",
				"review-show",
			),
			command(
				&cli.Command{
					Name:  "accept",
					Usage: "accept one into the manifest",
					Flags: []cli.Flag{
						serviceFlag(),
						&cli.BoolFlag{Name: "yes", Usage: "accept without asking"},
						jsonFlag(),
					},
					Action:        a.reviewAccept,
					ShellComplete: completes(a.offerContributions),
				},
				"",
				"review-accept",
			),
			command(&cli.Command{
				Name:  "return",
				Usage: "return one to its contributor with a reason",
				Flags: []cli.Flag{
					serviceFlag(),
					&cli.StringFlag{Name: "because", Usage: "the `TEXT` that tells the contributor what to fix", Required: true},
					jsonFlag(),
				},
				Action:        a.reviewReturn,
				ShellComplete: completes(a.offerContributions),
			}, "", "review-return"),
		},
		Action: func(_ context.Context, c *cli.Command) error {
			return fail(exitUsage, "use review list, review show N, review accept N or review return N --because TEXT")
		},
	}, judge, "review")
	return c
}

func reviewClient(c *cli.Command) (*client.Client, error) {
	l, err := readLogin(c)
	if err != nil {
		return nil, err
	}
	return l.client()
}

func number(c *cli.Command) (int64, error) {
	arg, err := oneArg(c, "the number of one contribution")
	if err != nil {
		return 0, err
	}
	n, err := strconv.ParseInt(strings.TrimPrefix(arg, "#"), 10, 64)
	if err != nil || n < 1 {
		return 0, fail(exitUsage, "%q is not the number of a contribution; endroit review list shows them", arg)
	}
	return n, nil
}

func (a *app) reviewList(ctx context.Context, c *cli.Command) error {
	cl, err := reviewClient(c)
	if err != nil {
		return err
	}
	f := client.Filter{State: c.String("state"), Mine: c.Bool("mine"), Limit: 200}
	if f.State == "all" || c.Bool("mine") && !c.IsSet("state") {
		f.State = ""
	}
	items := []wire.ContributionListed{}
	for {
		page, err := cl.Contributions(ctx, f)
		if err != nil {
			return err
		}
		items = append(items, page.Items...)
		if f.Cursor = page.Next; f.Cursor == "" {
			break
		}
	}
	if c.Bool("json") {
		return a.json(items)
	}
	if len(items) == 0 {
		a.say("no contributions")
		return nil
	}
	t := newTable(a.out, "number", "about", "kind", "by", "state", "submitted")
	for _, x := range items {
		state := x.State
		if x.State != "waiting" {
			state += " by " + somebody(x.DecidedBy)
		}
		t.AppendRow(table.Row{x.Number, shown(x.Title), x.Kind, somebody(x.By), state, humanize.Time(x.Submitted)})
	}
	t.Render()
	return nil
}

func (a *app) reviewShow(ctx context.Context, c *cli.Command) error {
	n, err := number(c)
	if err != nil {
		return err
	}
	cl, err := reviewClient(c)
	if err != nil {
		return err
	}
	x, err := cl.Contribution(ctx, n)
	if err != nil {
		return fmt.Errorf("contribution %d: %w", n, err)
	}
	if c.Bool("json") {
		return a.json(x)
	}
	return a.printContribution(x)
}

func (a *app) printContribution(x wire.ContributionShown) error {
	if x.Sheet != nil {
		a.printSheetContribution(x)
		return nil
	}
	if len(x.Draft) == 0 || string(x.Draft) == "null" {
		return a.printChange(x)
	}
	var d draft.Draft
	var fp footprint.Footprint
	if err := json.Unmarshal(x.Draft, &d); err != nil {
		return fmt.Errorf("contribution %d: its draft: %w", x.Number, err)
	}
	if err := json.Unmarshal(x.Footprint, &fp); err != nil {
		return fmt.Errorf("contribution %d: its footprint: %w", x.Number, err)
	}
	a.printState(x, x.Title+": "+x.Variant)
	a.say("\n%s", a.heading("locations"))
	for i, l := range d.Locations {
		a.say("  %s  %s", a.kind(phrase.Pad(word(l.Holds), 8)), a.path(shown(l.At)))
		if i < len(x.Coverage) {
			a.say("           covers %s", coverage(x.Coverage[i]))
		}
		a.warnOfSources(l.Sources)
		for _, w := range l.Why {
			a.say("           - %s", shown(w))
		}
	}
	if d.Note != "" {
		a.say("\n%s\n%s", a.heading("note"), indent("  ", phrase.VisibleLines(d.Note)))
	}
	if len(d.Questions) > 0 {
		a.say("\n%s", a.heading("what the run did not decide"))
		for _, q := range d.Questions {
			answer := "not answered"
			if q.Answer != "" {
				answer = "answer: " + shown(q.Answer)
			}
			a.say("  - %s\n    %s", shown(q.Ask), answer)
		}
	}
	a.printChanges(x)
	a.say("\n%s", a.heading("footprint"))
	a.printFootprint(&fp, footprint.Filter{}, false)
	a.printNext(x)
	return nil
}

// printChange shows a contribution that is neither a finding nor a sheet.
func (a *app) printChange(x wire.ContributionShown) error {
	a.printState(x, x.Title)
	a.say("\nasks to %s", shown(x.Statement))
	if x.Reason != "" {
		a.say("\n%s\n%s", a.heading("because"), indent("  ", phrase.VisibleLines(x.Reason)))
	}
	if x.Proof != nil {
		a.printProof(x.Proof)
	}
	a.printChanges(x)
	if len(x.Footprint) > 0 && string(x.Footprint) != "null" {
		var fp footprint.Footprint
		if err := json.Unmarshal(x.Footprint, &fp); err != nil {
			return fmt.Errorf("contribution %d: its footprint: %w", x.Number, err)
		}
		a.say("\n%s", a.heading("footprint"))
		a.printFootprint(&fp, footprint.Filter{}, false)
	}
	a.printNext(x)
	return nil
}

// printProof shows an experiment: what was shown, and how.
func (a *app) printProof(p *wire.ProofShown) {
	a.say("\n%s", a.heading("the experiment"+versionOf(p.Version)))
	width := 0
	for _, l := range p.Locations {
		width = max(width, len(l.Result))
	}
	for _, l := range p.Locations {
		a.say("  %s  %s  %s", a.heading(shown(phrase.Pad(l.Result, width))), a.path(shown(l.At)), a.quiet(proof.Amount(l.At, l.Files)))
		a.say("  %s  %s", strings.Repeat(" ", width), shown(l.Why))
	}
	if !p.ByList {
		a.say("\n  After each round all files were brought back.")
	}
	for i, r := range p.Rounds {
		a.say("\n  %s", a.heading(fmt.Sprintf("round %d", i+1)))
		for _, s := range r.Steps {
			a.say("    %s", shown(s))
		}
		for _, s := range append(r.Sees, r.Became...) {
			a.say("    seen: %s: %s", shown(s.At), shown(s.Says))
		}
		if r.Question != "" {
			a.say("    %s %s", shown(r.Question), a.heading(shown(r.Answer)))
		}
		if r.Contradiction != "" {
			a.say("    %s", a.missing(shown(r.Contradiction)))
		}
	}
}

// printChanges says what accepting would change, or has changed, and what keeps it from it.
func (a *app) printChanges(x wire.ContributionShown) {
	if len(x.Changes) > 0 {
		heading := "accepting it would change"
		if x.State == "accepted" {
			heading = "accepting it changed"
		}
		a.say("\n%s", a.heading(heading))
		for _, ch := range x.Changes {
			a.say("  %s", shown(ch.Text))
		}
	}
	if x.Refused != "" {
		a.say("\ncannot be accepted: %s", shown(x.Refused))
	}
	for _, k := range x.Conflicts {
		a.say("\ncannot be accepted: %s can match files of %s, which has %s", shown(k.At), shown(k.TitleName), shown(k.TitlesAt))
	}
}

// printState says what a contribution is about and what became of it.
func (a *app) printState(x wire.ContributionShown, about string) {
	a.say("contribution %d, %s, by %s, %s", x.Number, x.State, somebody(x.By), humanize.Time(x.Submitted))
	a.say("%s", a.heading(shown(about)))
	if x.Because != "" {
		a.say("returned by %s because: %s", somebody(x.DecidedBy), shown(x.Because))
	}
	if x.Revision != nil {
		a.say("accepted by %s in revision %d", somebody(x.DecidedBy), *x.Revision)
	}
}

func (a *app) printNext(x wire.ContributionShown) {
	switch {
	case x.MayDecide:
		a.say("\nNext: endroit review accept %d, or endroit review return %d --because TEXT", x.Number, x.Number)
	case x.State == "waiting":
		a.say("\nYou cannot decide on it: %s", x.CannotDecide)
	}
}

// printSheetContribution shows a launcher's sheet: what it tells, what it found,
// and what would change.
func (a *app) printSheetContribution(x wire.ContributionShown) {
	s := x.Sheet
	a.printState(x, "the sheet of "+x.Title)
	a.say("\nfound on the contributor's machine\n  %s", s.Found)
	if s.Note != "" {
		a.say("\n%s\n%s", a.heading("note"), indent("  ", phrase.VisibleLines(s.Note)))
	}
	if x.State == "waiting" {
		a.say("\n%s", a.heading("accepting it would change"))
		for _, c := range sheetChanges(s) {
			a.say("  %s", c)
		}
	}
	for _, k := range s.Clashes {
		a.say("\ncannot be accepted: %s: %s", shown(k.Field), shown(k.Reason))
	}
	a.say("\n%s\n%s", a.heading("the sheet"), indent("  ", phrase.VisibleLines(s.Text)))
	a.printNext(x)
}

// sheetChanges says in words what accepting a sheet changes.
func sheetChanges(s *wire.SheetShown) (lines []string) {
	switch {
	case s.New:
		return []string{"a new launcher: " + shown(s.ID)}
	case len(s.Differences) == 0:
		return []string{"no change to the sheet; one more person's evidence for it"}
	}
	for _, d := range s.Differences {
		switch {
		case d.Before == "":
			lines = append(lines, fmt.Sprintf("new      %s: %s", shown(d.Field), shown(d.After)))
		case d.After == "":
			lines = append(lines, fmt.Sprintf("removed  %s: %s", shown(d.Field), shown(d.Before)))
		default:
			lines = append(lines, fmt.Sprintf("changed  %s: from %s to %s", shown(d.Field), shown(d.Before), shown(d.After)))
		}
	}
	return append(lines, "evidence for the previous sheet does not count for this one")
}

func coverage(c contribution.Covered) string {
	var parts []string
	for _, k := range footprint.Kinds {
		if n := c.Kinds[k]; n > 0 {
			parts = append(parts, k.Files(n))
		}
	}
	if len(parts) == 0 {
		return "no observed files"
	}
	return phrase.Count(len(c.Files), "observed file", "observed files") + " (" + strings.Join(parts, ", ") + ")"
}

func (a *app) reviewAccept(ctx context.Context, c *cli.Command) error {
	n, err := number(c)
	if err != nil {
		return err
	}
	cl, err := reviewClient(c)
	if err != nil {
		return err
	}
	if !c.Bool("yes") {
		x, err := cl.Contribution(ctx, n)
		if err != nil {
			return fmt.Errorf("contribution %d: %w", n, err)
		}
		for _, ch := range x.Changes {
			a.say("%s", shown(ch.Text))
		}
		if x.Sheet != nil {
			a.say("%s", strings.Join(sheetChanges(x.Sheet), "\n"))
		}
		ok, err := a.ask(fmt.Sprintf("Accept contribution %d (%s, by %s)?", n, shown(x.Title), somebody(x.By)))
		if err != nil {
			return err
		}
		if !ok {
			return fail(exitFailed, "nothing was decided")
		}
	}
	decided, err := cl.Accept(ctx, n)
	if err != nil {
		return fmt.Errorf("accept contribution %d: %w", n, err)
	}
	revision := a.publishedIn(ctx, cl, n)
	if c.Bool("json") {
		return a.json(struct {
			wire.Decided
			Revision *int `json:"revision"`
		}{decided, revision})
	}
	if revision == nil {
		a.say("accepted: contribution %d will be published with the next revision", n)
		return nil
	}
	a.say("accepted: contribution %d is published in revision %d", n, *revision)
	return nil
}

// publishedIn waits a little for the revision that has a contribution; nil if none has yet.
func (a *app) publishedIn(ctx context.Context, cl *client.Client, n int64) *int {
	const tries, pause = 30, 100 * time.Millisecond
	for range tries {
		if x, err := cl.Contribution(ctx, n); err != nil || x.Revision != nil {
			return x.Revision
		}
		select {
		case <-ctx.Done():
			return nil
		case <-time.After(pause):
		}
	}
	return nil
}

func (a *app) reviewReturn(ctx context.Context, c *cli.Command) error {
	n, err := number(c)
	if err != nil {
		return err
	}
	cl, err := reviewClient(c)
	if err != nil {
		return err
	}
	decided, err := cl.Return(ctx, n, c.String("because"))
	if err != nil {
		return fmt.Errorf("return contribution %d: %w", n, err)
	}
	if c.Bool("json") {
		return a.json(decided)
	}
	a.say("returned: contribution %d, with your reason", n)
	return nil
}

// warnOfSources warns a reviewer of names in a location that a player may have chosen.
func (a *app) warnOfSources(s *draft.Sources) {
	if s == nil || s.Other == 0 {
		return
	}
	a.say("           %s", a.missing(fmt.Sprintf(
		"%s in it: in none of the program's %s that were searched, so a player may have chosen it",
		phrase.Count(s.Other, "name", "names"), phrase.Count(s.Files, "file", "files"),
	)))
}
