package cli

import (
	"context"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/client"
	"endroit/core/manifest"
	"endroit/service/wire"
)

func (a *app) history() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "history", Usage: "show what changed a title, when, by whom and on what evidence",
		Flags: []cli.Flag{
			serviceFlag(),
			&cli.IntFlag{Name: "from", Value: -1, Usage: "show only what differs between revision `N`..."},
			&cli.IntFlag{Name: "to", Value: -1, Usage: "...and revision `N`"},
			jsonFlag(),
		},
		Action: a.runHistory,
	}, reuse, "history")
}

// anonymous is a client for what everybody may read.
func anonymous(c *cli.Command) (*client.Client, error) {
	l, err := savedLogin(c)
	if err != nil {
		return nil, err
	}
	return login{Service: l.Service}.client()
}

func (a *app) runHistory(ctx context.Context, c *cli.Command) error {
	name := strings.Join(c.Args().Slice(), " ")
	if name == "" {
		return fail(exitUsage, "give a TITLE, such as: endroit history Tidewrack")
	}
	cl, err := anonymous(c)
	if err != nil {
		return err
	}
	id, err := titleID(ctx, cl, name)
	if err != nil {
		return err
	}
	t, err := cl.Title(ctx, id)
	if err != nil {
		return err
	}
	if c.Int("from") >= 0 || c.Int("to") >= 0 {
		return a.compareRevisions(ctx, c, cl, t)
	}
	items := []wire.HistoryEntry{}
	for cursor := ""; ; {
		page, err := cl.History(ctx, id, cursor)
		if err != nil {
			return err
		}
		items = append(items, page.Items...)
		if cursor = page.Next; cursor == "" {
			break
		}
	}
	if c.Bool("json") {
		return a.json(items)
	}
	a.say("%s (%s)", a.heading(shown(t.Name)), t.ID)
	for _, x := range items {
		revision := "not published yet"
		if x.Revision != nil {
			revision = "revision " + sprint(*x.Revision)
		}
		a.say(
			"\n%s, %s: contribution %d by %s, accepted by %s", x.Accepted.Local().Format("2006-01-02 15:04"), revision,
			x.Contribution, somebody(x.By), somebody(x.ReviewedBy),
		)
		a.say("  asked to %s", shown(x.Statement))
		for _, ch := range x.Changes {
			a.say("  - %s", shown(ch.Text))
		}
	}
	return nil
}

func somebody(name string) string {
	if name == "" {
		return "somebody"
	}
	return name
}

func (a *app) compareRevisions(ctx context.Context, c *cli.Command, cl *client.Client, t wire.Title) error {
	from, to := max(0, c.Int("from")), c.Int("to")
	if to < 0 {
		to = 1 << 30 // the newest
	}
	found, err := cl.CompareTitle(ctx, t.ID, from, to)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(found)
	}
	if len(found.Changes) == 0 {
		a.say("%s is the same in both", shown(t.Name))
	}
	for _, ch := range found.Changes {
		a.say("- %s", shown(ch.Text))
	}
	return nil
}

// titleID is the id of the title that a text means at the service: an id, or a name that
// one title has.
func titleID(ctx context.Context, cl *client.Client, name string) (string, error) {
	if manifest.CheckID(name) == "" {
		return name, nil
	}
	page, err := cl.Titles(ctx, name, "")
	if err != nil {
		return "", err
	}
	var exact []wire.TitleFound
	for _, t := range page.Items {
		if manifest.Fold(t.Name) == manifest.Fold(name) || strings.HasPrefix(t.Because, "it is also called") {
			exact = append(exact, t)
		}
	}
	switch {
	case len(exact) == 1:
		return exact[0].ID, nil
	case len(exact) > 1:
		return "", fail(exitUsage, "%d titles are called %q; name one by its id:\n%s", len(exact), name, titleList(exact))
	case len(page.Items) > 0:
		return "", fail(exitNotFound, "no title is recorded as %q; did you mean one of these?\n%s", name, titleList(page.Items))
	}
	return "", fail(exitNotFound, "no title is recorded as %q", name)
}

// titleList lists titles with their ids.
func titleList(all []wire.TitleFound) string {
	var lines []string
	for _, t := range all[:min(len(all), 10)] {
		d := manifest.Title{Name: t.Name, Year: t.Year, Maker: t.Maker}
		lines = append(lines, "  "+t.ID+"  "+shown(d.Distinct()))
	}
	return strings.Join(lines, "\n")
}
