//go:build linux

package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"endroit/core/draft"
	"endroit/core/footprint"
)

// learned is one file of a game with what was found of it and what it is, for the fit of the
// weights (make weights): save, config, or empty for nothing of interest.
type learned struct {
	Game     string              `json:"game"`
	File     string              `json:"file"`
	Is       string              `json:"is"`
	Findings []footprint.Finding `json:"findings"`
}

// footprints are those of a person's runs.
func footprints(ctx context.Context, work string, p person, traces []string) (list []footprint.Footprint, err error) {
	for _, t := range traces {
		out, err := as(ctx, p, work, filepath.Join(work, "endroit"), "footprint", t, "--json").Output()
		if err != nil {
			return nil, fmt.Errorf("footprint of %s: %w", t, err)
		}
		var f footprint.Footprint
		if err := json.Unmarshal(out, &f); err != nil {
			return nil, err
		}
		list = append(list, f)
	}
	return list, nil
}

// labelled are the files of a person's runs. Those are left out of which more than one thing
// would be right, and those that two runs show alike count once.
func labelled(g game, p person, seen []footprint.Footprint) (list []learned, err error) {
	needed, harmless, err := truth(g, p)
	if err != nil {
		return nil, err
	}
	known := map[string]bool{}
	for _, f := range seen {
		for _, x := range f.Files {
			ids := x.Path
			for _, n := range x.Findings {
				ids += " " + n.ID
			}
			if known[ids] || harmless[x.Path] || needed[x.Path] == "either" || len(x.Findings) == 0 {
				continue
			}
			known[ids] = true
			list = append(list, learned{g.Name, strings.ReplaceAll(x.Path, p.home, "~"), needed[x.Path], x.Findings})
		}
	}
	return list, nil
}

// keepFindings writes what the fit reads: files that differ in nothing but their names once.
func keepFindings(name string, list []learned) error {
	known := map[string]bool{}
	list = slices.DeleteFunc(list, func(l learned) bool {
		key := l.Game + " " + l.Is
		for _, f := range l.Findings {
			key += " " + f.ID
		}
		again := known[key]
		known[key] = true
		return again
	})
	var b strings.Builder
	b.WriteString("[\n")
	for i, l := range list {
		line, err := json.Marshal(l)
		if err != nil {
			return err
		}
		b.Write(line)
		if i < len(list)-1 {
			b.WriteByte(',')
		}
		b.WriteByte('\n')
	}
	b.WriteString("]\n")
	return os.WriteFile(name, []byte(b.String()), 0o644)
}

// answersTo answers a draft's questions as the person truly would, as the command takes it.
func answersTo(questions []draft.Question, g game, p person, seen []footprint.Footprint) (answers []string, err error) {
	needed, _, err := truth(g, p)
	if err != nil {
		return nil, err
	}
	holds := func(place string) string {
		for _, f := range seen {
			for _, x := range f.Files {
				if x.Place == place {
					return needed[x.Path]
				}
			}
		}
		return ""
	}
	for i, q := range questions {
		answer := ""
		switch q.Topic {
		case draft.TopicNames:
			answer = draft.None
			var chosen []string
			for _, name := range q.Of {
				if strings.Contains(strings.ToLower(p.player), strings.ToLower(name)) {
					chosen = append(chosen, name)
				}
			}
			if len(chosen) > 0 {
				answer = strings.Join(chosen, ", ")
			}
		case draft.TopicKind:
			answer = draft.None
			for _, at := range q.Of {
				switch holds(at) {
				case "save", "either":
					answer = "progress"
				case "config":
					answer = "settings"
				}
			}
		case draft.TopicCopy:
			answer = "yes"
			if holds(q.Of[0]) != "" {
				answer = "no"
			}
		case draft.TopicBelongs:
			answer = draft.Person
		default:
			continue
		}
		answers = append(answers, fmt.Sprintf("%d=%s", i+1, answer))
	}
	return answers, nil
}
