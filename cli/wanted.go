package cli

import (
	"context"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/manifest"
	"endroit/core/phrase"
	"endroit/core/standing"
	"endroit/locate"
)

func (a *app) wanted() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "wanted", Usage: "list which evidence is missing for what is installed here",
		ArgsUsage: "TITLE",
		Flags:     slices.Concat(whereFlags(), []cli.Flag{jsonFlag()}),
		Action:    a.runWanted,
	}, find, "wanted")
}

// wantedFormat names the format of what is printed for programs.
const wantedFormat = "endroit/wanted/1"

// wanted is what is printed for programs.
type wanted struct {
	Format   string          `json:"format"`
	Title    string          `json:"title"`
	ID       string          `json:"id,omitempty"`
	Variants []wantedVariant `json:"variants"`
}

// wantedVariant is what would be worth finding out about a variant on this machine.
type wantedVariant struct {
	Variant   string           `json:"variant"`
	Version   string           `json:"version,omitempty"`
	Locations []wantedLocation `json:"locations"`
	// Also are things that nobody has tried with the variant as a whole.
	Also []string `json:"also"`
}

type wantedLocation struct {
	At       string            `json:"at"`
	Holds    string            `json:"holds"`
	Standing standing.Standing `json:"standing"`
	Reason   string            `json:"reason"`
	Raise    []string          `json:"raise"` // what would raise the standing
}

// sameAs reports whether the same is known, and wanted, of two locations.
func (l wantedLocation) sameAs(x wantedLocation) bool {
	return l.Standing == x.Standing && l.Reason == x.Reason && slices.Equal(l.Raise, x.Raise)
}

func (a *app) runWanted(ctx context.Context, c *cli.Command) error {
	name, err := oneArg(c, "one TITLE")
	if err != nil {
		return err
	}
	s, err := a.subject(ctx, c, name)
	if err != nil {
		return err
	}
	defer s.close()
	out := []wantedVariant{}
	for _, v := range s.found.Variants {
		if w := c.String("variant"); w == "" || strings.Contains(strings.ToLower(describeVariant(v)), strings.ToLower(w)) {
			out = append(out, wantedOf(s.title, v))
		}
	}
	if c.Bool("json") {
		return a.json(wanted{wantedFormat, s.title.Name, s.title.ID, out})
	}
	a.say("%s", a.heading(shown(s.title.Name)))
	if len(out) == 0 {
		a.say("  %s", a.missing("nothing of it was found here; what is wanted of others, its page in the console says"))
	}
	for i, w := range out {
		if i > 0 {
			a.say("")
		}
		a.say("  %s", shown(w.Variant))
		if len(w.Locations)+len(w.Also) == 0 {
			a.say("  nothing is missing: all of it is proven for this version")
		}
		for n, l := range w.Locations {
			a.say("    %s  %s", a.kind(phrase.Pad(word(l.Holds), 8)), shown(l.At))
			if n+1 < len(w.Locations) && l.sameAs(w.Locations[n+1]) {
				continue // it is said once, of all
			}
			a.say("              %s", a.quiet(shown(string(l.Standing)+": "+l.Reason)))
			for _, r := range l.Raise {
				a.say("              wanted: %s", shown(r))
			}
		}
		for _, x := range w.Also {
			a.say("    wanted: %s", shown(x))
		}
	}
	return nil
}

// wantedOf is what would be worth finding out about a variant.
func wantedOf(t *manifest.Title, v locate.Variant) wantedVariant {
	out := wantedVariant{Variant: copyOf(v), Version: v.Version, Locations: []wantedLocation{}, Also: []string{}}
	where := standing.Where{OS: v.System, Runtime: v.Runtime, Newest: standing.Newer(t.Newest(v.Store, v.Reference, nil), v.Version)}
	tried := map[standing.Operation]bool{}
	cloud, usable := 0, 0
	for _, l := range v.Locations {
		if raise := l.Stands.Raise(where); len(raise) > 0 {
			out.Locations = append(out.Locations, wantedLocation{l.At, l.Holds, l.Standing, l.Reason, raise})
		}
		for _, h := range l.Hazards {
			tried[h.Operation] = true
		}
		if l.Usable {
			usable++
			if l.CloudKeeps != "" {
				cloud++
			}
		}
	}
	if v.Runtime == "prefix" && !tried[standing.PrefixRemoval] && usable > 0 {
		out.Also = append(out.Also, "what removing the prefix deletes (endroit prove --hazard prefix-removal)")
	}
	if v.StartedBy != "" && !tried[standing.Move] && usable > 0 {
		out.Also = append(out.Also, "what moving the installation deletes (endroit prove --hazard move)")
	}
	if v.Cloud != nil && *v.Cloud && cloud < usable {
		how := "endroit prove --hazard cloud"
		if len(v.CloudFolders) > 0 {
			how += "; with --listed by its own files alone"
		}
		out.Also = append(out.Also, "what the launcher's cloud keeps ("+how+")")
	}
	if v.Absence != nil {
		if raise := v.Absence.Stands.Raise(where); len(raise) > 0 {
			out.Also = append(out.Also, "that nothing is kept on the machine: "+strings.Join(raise, "; "))
		}
	}
	return out
}
