package candidate

import (
	"fmt"
	"slices"
	"strings"

	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/phrase"
	"endroit/core/trace"
)

// maxSeen is how many files a draft shows of a location.
const maxSeen = 20

// Draft turns a footprint into a draft. made says of each location how many files it is
// made from, and what else lies in the same folder. found is where the names come from, nil
// if that is not known.
func Draft(fp *footprint.Footprint, found *origin.Result, answered ...draft.Question) (d *draft.Draft, p Proposal, made map[string]string) {
	made = map[string]string{}
	fp, s := told(fp, answered, found)
	d = &draft.Draft{
		Format:    draft.Format,
		Title:     fp.Title,
		Edition:   fp.Edition,
		Launcher:  fp.Launcher,
		OS:        fp.OS,
		Runtime:   fp.Runtime,
		Locations: []draft.Location{},
	}
	if d.Title == "" {
		d.Title = "unnamed"
		if len(fp.Programs) > 0 {
			d.Title = fp.Programs[0]
		}
		if q := (draft.Question{Topic: draft.TopicTitle, Ask: "what is the title's name? The trace has none"}); !s.asked(q) {
			d.Questions = append(d.Questions, q)
		}
	}
	p = Propose(fp, found, answered...)
	for _, l := range p.Locations {
		made[l.At.String()] = "from " + phrase.Count(len(l.Files), "file", "files")
		out := draft.Location{At: l.At.String(), Holds: string(l.Holds), Belongs: l.Belongs}
		for _, w := range l.Why {
			out.Why = append(out.Why, phrase.Visible(w))
		}
		if left := notCovered(p.Left(l, fp)); left != "" {
			out.Why = append(out.Why, left)
			made[l.At.String()] += "; " + left
		}
		if slices.ContainsFunc(l.Files, holdsToken) {
			made[l.At.String()] += "; it also holds a token or the like"
		}
		for i, f := range l.Files {
			if i == maxSeen {
				out.Seen = append(out.Seen, fmt.Sprintf("and %d more", len(l.Files)-maxSeen))
				break
			}
			out.Seen = append(out.Seen, seenLine(fp, f))
		}
		d.Locations = append(d.Locations, out)
	}
	d.Questions = slices.Concat(d.Questions, p.Questions, s.given)
	d.Names = namesOf(fp, found)
	return d, p, made
}

// namesOf keeps with a draft, on this machine, what submitting it has to know of names.
func namesOf(fp *footprint.Footprint, found *origin.Result) *draft.Names {
	var out draft.Names
	if fp.Self != nil {
		out.Chosen = fp.Self.Chosen
	}
	all, _ := Names(fp)
	for _, name := range all {
		if footprint.AccountShape().MatchString(name) && found.Brings(name) && len(out.Program) < draft.MaxNames {
			out.Program = append(out.Program, name)
		}
	}
	if len(out.Chosen)+len(out.Program) == 0 {
		return nil
	}
	return &out
}

// notCovered says how many files of which kinds lie in a location's folder and are not
// covered by it; empty if there are none.
func notCovered(left map[footprint.Kind]int) string {
	var parts []string
	for _, k := range footprint.Kinds {
		if left[k] > 0 {
			parts = append(parts, k.Files(left[k]))
		}
	}
	if len(parts) == 0 {
		return ""
	}
	return "not covered in the same folder: " + strings.Join(parts, ", ")
}

func seenLine(fp *footprint.Footprint, f footprint.File) string {
	text := fmt.Sprintf("%s (%s", f.Place, trace.Became(f.Before, f.After, f.Written()))
	if f.Written() {
		text += ", last written at " + fp.Clock(f.LastWrite, phrase.Duration)
	}
	if len(f.Near) > 0 {
		text += ", near " + strings.Join(f.Near, ", ")
	}
	return phrase.Visible(text + ")")
}
