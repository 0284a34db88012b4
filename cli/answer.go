package cli

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/core/candidate"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/programfiles"
	"endroit/safefile"
)

func (a *app) answer() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerDrafts),
		Name:          "answer", Usage: "answer the questions in a draft, and change its locations accordingly",
		Flags: []cli.Flag{jsonFlag()},
		Action: func(ctx context.Context, c *cli.Command) error {
			if c.Args().Len() == 0 {
				return fail(exitUsage, "one DRAFT is required; see endroit answer --help")
			}
			name := c.Args().First()
			d, fp, err := readDraft(name)
			if err != nil {
				return err
			}
			for _, arg := range c.Args().Tail() {
				if err := setAnswer(d, arg); err != nil {
					return fail(exitUsage, "%w", err)
				}
			}
			found, err := programfiles.Search(ctx, candidate.Told(fp, d.Questions), nameSearch)
			if err != nil {
				return err
			}
			added, removed := candidate.Answer(d, fp, found)
			if c.Args().Len() == 1 && !c.Bool("json") && term.IsTerminal(int(a.in.Fd())) {
				if err := a.askQuestions(d.Questions); err != nil {
					return err
				}
				if found, err = programfiles.Search(ctx, candidate.Told(fp, d.Questions), nameSearch); err != nil {
					return err
				}
				more, less := candidate.Answer(d, fp, found)
				added, removed = append(added, more...), append(removed, less...)
			}
			if err := saveDraft(name, d); err != nil {
				return err
			}
			if c.Bool("json") {
				return a.json(d)
			}
			for _, l := range removed {
				a.say("  - %s", a.path(shown(l)))
			}
			for _, l := range added {
				a.say("  + %s", a.path(shown(l)))
			}
			switch {
			case len(d.Questions) == 0:
				a.say("%s asks nothing.", name)
			case len(added)+len(removed) == 0:
				a.say("The locations stay as they are.")
			}
			if a.listQuestions(d.Questions) {
				a.say("\nNext: endroit answer %s NUMBER=ANSWER, or write the answers into it and run endroit answer %s", name, name)
				return nil
			}
			a.say("\nNext: endroit submit %s", name)
			return nil
		},
	}, find, "answer")
}

// saveDraft writes a draft into its file; what the person wrote around the values stays.
func saveDraft(name string, d *draft.Draft) error {
	if err := d.Check(); err != nil {
		return fail(exitInput, "%s: %w", name, err)
	}
	text, err := safefile.Read(name, draft.MaxBytes)
	if err != nil {
		return fail(unread(err), "%w", err)
	}
	if text, err = draft.Rewrite(text, d); err != nil {
		return fail(exitInput, "%s: %w", name, err)
	}
	if err := safefile.Write(name, text); err != nil {
		return fail(exitFailed, "%w", err)
	}
	return nil
}

// setAnswer writes NUMBER=ANSWER into a draft.
func setAnswer(d *draft.Draft, arg string) error {
	number, text, ok := strings.Cut(arg, "=")
	n, err := strconv.Atoi(number)
	if len(d.Questions) == 0 {
		return fmt.Errorf("the draft asks nothing, so %q answers nothing", arg)
	}
	if !ok || err != nil || n < 1 || n > len(d.Questions) {
		return fmt.Errorf("%q is not an answer; write NUMBER=ANSWER, with the number of one of the draft's %d questions", arg, len(d.Questions))
	}
	was := d.Questions[n-1].Answer
	d.Questions[n-1].Answer = strings.TrimSpace(text)
	if err := d.Check(); err != nil {
		d.Questions[n-1].Answer = was
		return err
	}
	return nil
}

// maxAsked is how many questions are asked at once.
const maxAsked = 8

// askQuestions asks the open questions on the terminal, and writes the answers into them.
// An empty line leaves one open.
func (a *app) askQuestions(list []draft.Question) error {
	asked := 0
	for i := range list {
		q := &list[i]
		if q.Answer != "" || q.Topic == "" || asked == maxAsked {
			continue
		}
		asked++
		how := "any text"
		switch {
		case len(q.Answers) > 0:
			how = strings.Join(q.Answers, ", ")
		case q.Topic == draft.TopicNames:
			how = "those that you chose, with commas between them, or none, or all"
		}
		a.tell("%s", shown(q.Ask))
		for {
			line, err := a.askLine("  " + how + "; Enter if you do not know:")
			if err != nil {
				return err
			}
			if line == "" {
				break
			}
			one := *q
			if one.Answer = line; one.Wrong() != "" {
				a.tell("  %s", shown(one.Wrong()))
				continue
			}
			*q = one
			break
		}
	}
	return nil
}

// listQuestions prints questions by their numbers, with what was answered. It reports whether
// one is open.
func (a *app) listQuestions(list []draft.Question) (open bool) {
	for i, q := range list {
		text := shown(q.Ask)
		switch {
		case q.Answer != "":
			text += "  Answer: " + shown(q.Answer)
		case len(q.Answers) > 0:
			text += "  (" + strings.Join(q.Answers, ", ") + ")"
		}
		open = open || q.Answer == ""
		a.say("  question %d: %s", i+1, text)
	}
	return open
}

// applied fails if a draft has answers that its locations do not have yet, and else is the
// footprint with what the answers say of files.
func applied(ctx context.Context, name string, d *draft.Draft, fp *footprint.Footprint) (*footprint.Footprint, error) {
	if !slices.ContainsFunc(d.Questions, func(q draft.Question) bool { return q.Answer != "" && q.Topic != "" }) {
		return fp, nil
	}
	var found *origin.Result
	found, err := programfiles.Search(ctx, candidate.Told(fp, d.Questions), nameSearch)
	if err != nil {
		return nil, err
	}
	next := *d
	added, removed := candidate.Answer(&next, fp, found)
	if len(added)+len(removed) > 0 {
		return nil, fail(exitInput, "%s: its answers change the locations (%s), and that was not done yet; run endroit answer %s",
			name, shown(strings.Join(append(added, removed...), "; ")), name)
	}
	fp = candidate.Told(fp, d.Questions)
	contribution.TellNames(fp, d.Names)
	return fp, nil
}
