package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"golang.org/x/term"

	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/phrase"
	"endroit/localmanifest"
)

// recordedTitle is the title of the local manifest that a draft is of, and how it was found.
type recordedTitle struct {
	title *manifest.Title // nil for one that is not recorded
	how   string
	among []*manifest.Title // titles of that name, where nobody has said which it is
}

// ofRecord finds the title that a draft is of: by the edition's reference, then by name.
// Where several have the name, it asks on a terminal. Without a local manifest it is nil.
func (a *app) ofRecord(ctx context.Context, d *draft.Draft, asks bool) (*recordedTitle, error) {
	k, err := a.openManifest(ctx)
	if errors.Is(err, localmanifest.ErrNone) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	defer k.Close()
	if d.Edition != nil && d.Edition.Ref != "" {
		ids, err := k.OfEdition(ctx, d.Edition.Store, d.Edition.Ref)
		if err != nil {
			return nil, err
		}
		if len(ids) > 0 {
			t, err := k.Title(ctx, ids[0])
			return &recordedTitle{title: t, how: contribution.ByEdition}, err
		}
	}
	ids, err := k.Named(ctx, d.Title)
	if err != nil {
		return nil, err
	}
	found, err := k.TitlesOf(ctx, ids)
	switch {
	case err != nil:
		return nil, err
	case len(found) == 0:
		return &recordedTitle{how: contribution.AsNew}, nil
	case len(found) == 1:
		return &recordedTitle{title: found[0], how: contribution.ByName}, nil
	case !asks || !term.IsTerminal(int(a.in.Fd())):
		return &recordedTitle{among: found}, nil
	}
	a.tell("%d titles are called %s:", len(found), shown(d.Title))
	for i, t := range found {
		a.tell("  %d  %s  %s", i+1, shown(t.Distinct()), t.ID)
	}
	line, err := a.askLine(fmt.Sprintf("Which one is it (1 to %d, or new)?", len(found)))
	if err != nil {
		return nil, err
	}
	if line == draft.NewTitle {
		return &recordedTitle{how: contribution.AsNew}, nil
	}
	n, err := strconv.Atoi(line)
	if err != nil || n < 1 || n > len(found) {
		return &recordedTitle{among: found}, nil
	}
	return &recordedTitle{title: found[n-1], how: "as you said"}, nil
}

// beside puts into a draft which recorded title it is of, and what the runs say of its
// recorded locations.
func (a *app) beside(
	ctx context.Context, d *draft.Draft, fp *footprint.Footprint, asks bool,
) (*recordedTitle, *contribution.Recorded, error) {
	of, err := a.ofRecord(ctx, d, asks)
	if err != nil || of == nil {
		return nil, nil, err
	}
	if of.title == nil {
		if len(of.among) > 0 {
			var list []string
			for _, t := range of.among {
				list = append(list, t.ID+" is "+t.Distinct())
			}
			d.Questions = append(d.Questions, draft.Question{Ask: fmt.Sprintf(
				"which of %d titles called %s is it? %s. Write its id behind title_id, or new for another one",
				len(of.among), d.Title, strings.Join(list, ", "),
			)})
		}
		return of, nil, nil
	}
	d.TitleID = of.title.ID
	run, err := contribution.Compare(ctx, *of.title, d, fp)
	if err != nil || run == nil {
		return of, run, err
	}
	return of, run, run.Adopt(ctx, d, fp)
}

// sayBeside says which title a draft is of, and what the runs say of what is recorded.
func (a *app) sayBeside(of *recordedTitle, run *contribution.Recorded, d *draft.Draft, fp *footprint.Footprint) {
	switch {
	case of == nil:
		return
	case of.title == nil && len(of.among) > 0:
		return // it is among the questions
	case of.title == nil:
		a.say("\nno title is recorded as %s: this will be a new one", shown(d.Title))
		return
	case run == nil:
		a.say("\n%s (%s) is recorded, found %s; this variant of it is not", shown(of.title.Distinct()), of.title.ID, of.how)
		return
	}
	a.say("\n%s (%s) is recorded, found %s. Of what is recorded of this variant, the run", shown(of.title.Distinct()), of.title.ID, of.how)
	for _, c := range run.Confirms {
		a.say("  confirms     %s  (%s)", a.path(shown(c.At)), phrase.Count(len(c.Files), "file", "files"))
	}
	for _, c := range run.Contradicted {
		a.say("  %s  %s  (%s)", a.missing("contradicts"), a.path(shown(c.At)), shown(c.Why))
	}
	for _, n := range run.Unreached {
		a.say("  adds         %s", a.path(shown(fp.Files[n].Name())))
	}
	if len(run.Confirms)+len(run.Contradicted)+len(run.Unreached) == 0 {
		a.say("  says nothing")
	}
	if len(d.Disputes) > 0 {
		a.say("submit sends a dispute for what it contradicts; remove disputes from the draft if you do not want that")
	}
}
