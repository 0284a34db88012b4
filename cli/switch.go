package cli

import (
	"context"
	"endroit/copies"
	"endroit/copies/journal"
	"endroit/core/copyrecord"
	"endroit/core/phrase"
	"fmt"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"
)

func (a *app) switchSets() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "switch", Usage: "switch between named sets of a title's progress",
		Flags: slices.Concat([]cli.Flag{
			quietFlag(),
			&cli.StringFlag{Name: "current", Usage: "the `NAME` for what is there now, where it has none yet (\"main\" if not given)"},
			&cli.StringFlag{Name: "to", Usage: "the `FOLDER` of copies that sets are kept in (otherwise endroit's own)"},
			&cli.BoolFlag{Name: "list", Usage: "list the sets of the TITLE, and which is in place"},
		}, changeFlags(), choiceFlags("progress"), whereFlags(), []cli.Flag{jsonFlag()}),
		Action: a.runSwitch,
	}, reuse, "switch")
}

// firstSet is what the set is called that was there before anybody named one.
const firstSet = "main"

func (a *app) runSwitch(ctx context.Context, c *cli.Command) error {
	args := c.Args().Slice()
	name := ""
	switch {
	case c.Bool("list") && len(args) > 0:
	case len(args) >= 2:
		name, args = args[len(args)-1], args[:len(args)-1]
	default:
		return fail(exitUsage, "give a TITLE and the NAME of a set, such as: endroit switch Tidewrack guests; --list lists the sets")
	}
	for _, n := range []string{name, c.String("current")} {
		if reason := copyrecord.CheckName(n); n != "" && reason != "" {
			return fail(exitUsage, "the name %q: %s", n, reason)
		}
	}
	j, s, what, err := a.begin(ctx, c, strings.Join(args, " "))
	if err != nil {
		return err
	}
	defer j.Close()
	defer s.close()
	side, err := s.one(ctx, c.String("variant"), what)
	if err != nil {
		return err
	}
	all, err := j.List()
	if err != nil {
		return err
	}
	current := journal.Set(all, s.title.ID, s.title.Name, side.Variant.Variant, side.Variant.Prefix)
	sets, err := a.setsOf(ctx, s, side, c.String("to"), journal.SetCopies(all, s.title.ID, s.title.Name, side.Variant.Variant))
	if err != nil {
		return err
	}
	if c.Bool("list") {
		return a.listSets(c, s, current, sets)
	}
	return a.switchTo(ctx, c, j, s, side, what, name, current, sets)
}

func (a *app) switchTo(
	ctx context.Context, c *cli.Command, j *openedJournal, s *subject, side *copies.Side, what copies.Choice,
	name, current string, sets map[string]*copies.Copy,
) error {
	was := current
	switch named := c.String("current"); {
	case was == "" && named != "":
		was = named
	case was == "":
		was = firstSet
	case named != "" && !strings.EqualFold(named, was):
		return fail(exitUsage, "what is there has the name %s already; --current is for what has none yet", was)
	}
	if strings.EqualFold(was, name) {
		return fail(exitConflict, "the set %s is in place already", was)
	}
	x := &toChange{
		kind: "switch", heading: fmt.Sprintf("Switch %s from %s to %s", s.title.Name, was, name), set: name, was: was,
		says: fmt.Sprintf("switched from %s to %s", was, name),
	}
	if len(side.Files) > 0 {
		set := copies.TakeOptions{Name: was, Set: true, To: c.String("to")}
		x.first = a.copyFirst(c, s, side, set, what, func(taken *copies.Copy) { x.wasCopy = taken.Record.ID })
	}
	to := sets[strings.ToLower(name)]
	if to == nil {
		x.p = copies.PlanClear(side, true)
		x.intro = fmt.Sprintf("There is no set %s yet: it begins empty, and the game starts afresh.", name)
	} else {
		from, done, err := unpacked(ctx, to)
		if err != nil {
			return err
		}
		defer done()
		seen, err := copySeen()
		if err != nil {
			return err
		}
		if x.p, err = copies.PlanPutback(ctx, side, from, copies.PutbackOptions{Choice: what, Seen: seen}); err != nil {
			return err
		}
		x.copy = to
		// Of two sets neither is the newer one of the same progress.
		x.p.Warnings = slices.DeleteFunc(x.p.Warnings, func(w copies.Warning) bool { return w.Word == copies.Newer })
	}
	defer x.p.Close()
	x.warnings = append(x.p.Warnings, a.surroundings(ctx, side)...)
	return a.changeFiles(ctx, c, j, x)
}

// setsOf are the newest copies of each set of a variant, by their names in lowercase. Of those
// that were taken here, the last ones are known, whatever the clock said.
func (a *app) setsOf(
	ctx context.Context, s *subject, side *copies.Side, to string, last map[string]string,
) (map[string]*copies.Copy, error) {
	var named []string
	if to != "" {
		if _, err := os.Stat(to); err == nil {
			named = []string{to}
		}
	}
	folders, err := copyFolders(named)
	if err != nil {
		return nil, err
	}
	all, _ := copies.List(ctx, folders)
	out := map[string]*copies.Copy{}
	for _, c := range all { // the newest first
		r := c.Record
		v := side.Variant
		if !r.Set || r.TitleID != s.title.ID || r.Title != s.title.Name || r.Variant.OS != v.System || r.Variant.Runtime != v.Runtime ||
			r.Variant.Store != v.Store || r.Variant.Reference != v.Reference {
			continue
		}
		key := strings.ToLower(r.Name)
		had := out[key]
		if had == nil || r.ID == last[key] && had.Record.Machine == r.Machine {
			out[key] = c
		}
	}
	return out, nil
}

func (a *app) listSets(c *cli.Command, s *subject, current string, sets map[string]*copies.Copy) error {
	names := make([]string, 0, len(sets))
	for _, x := range sets {
		names = append(names, x.Record.Name)
	}
	if current != "" && sets[strings.ToLower(current)] == nil {
		names = append(names, current)
	}
	slices.Sort(names)
	if c.Bool("json") {
		return a.json(struct {
			Title   string   `json:"title"`
			Current string   `json:"current,omitempty"`
			Sets    []string `json:"sets"`
		}{s.title.Name, current, append([]string{}, names...)})
	}
	if len(names) == 0 {
		a.say("%s has no sets yet; endroit switch %s NAME makes the first", shown(s.title.Name), quotedTitle(shown(s.title.Name)))
		return nil
	}
	a.say("%s", a.heading(shown(s.title.Name)))
	for _, n := range names {
		line := phrase.Pad(shown(n), 20)
		if x := sets[strings.ToLower(n)]; x != nil {
			line += "  " + sideLine(len(x.Record.Files), x.Record.Bytes(), localTime(x.Record.Newest().Format(time.RFC3339)))
		}
		if strings.EqualFold(n, current) {
			line += "  in place"
		}
		a.say("  %s", line)
	}
	return nil
}
