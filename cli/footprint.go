package cli

import (
	"cmp"
	"context"
	"fmt"
	"maps"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/trace"
	"endroit/tracefiles"
)

// readTrace boils a trace down, with what people said of it, and returns the digest of
// the file.
func readTrace(name string) (*footprint.Footprint, string, error) {
	return tracefiles.Read(name, footprint.Filter{})
}

func (a *app) footprint() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerTraces),
		Name:          "footprint", Usage: "show what the files of a trace are, and why",
		Flags: append([]cli.Flag{
			&cli.StringFlag{Name: "why", Usage: "all evidence for and against each kind of one file: `PATH`, or its place"},
			&cli.BoolFlag{Name: "by-folder", Usage: "each folder, with how many files of which kinds"},
			&cli.StringSliceFlag{Name: "kind", Usage: "only these kinds: `KIND,...` of " + kindList(false)},
			&cli.StringSliceFlag{Name: "process", Usage: "only files that a program of this `NAME` used"},
			&cli.StringFlag{Name: "name", Usage: "only files with this `TEXT` in their path"},
			&cli.StringFlag{Name: "min-size", Usage: "only files of at least this `SIZE`, before or after"},
			&cli.StringFlag{Name: "max-size", Usage: "only files of at most this `SIZE`"},
			&cli.BoolFlag{Name: "reasons", Usage: "print all reasons for each file, not only the weightiest"},
			jsonFlag(),
		}, pickFlags()...),
		Action: func(_ context.Context, c *cli.Command) error {
			name, err := oneArg(c, "one TRACE")
			if err != nil {
				return err
			}
			return a.runFootprint(c, name)
		},
	}, find, "footprint")
}

func (a *app) runFootprint(c *cli.Command, name string) error {
	_, pick, done, err := chosenTrace(c, name)
	if err != nil {
		return err
	}
	done()
	only := footprint.Filter{Selection: pick, Programs: c.StringSlice("process"), Name: c.String("name")}
	if only.Kinds, err = parseKinds(c.StringSlice("kind")); err != nil {
		return err
	}
	if only.MinSize, err = sizeFlag(c, "min-size"); err != nil {
		return err
	}
	if only.MaxSize, err = sizeFlag(c, "max-size"); err != nil {
		return err
	}
	fp, _, err := tracefiles.Read(name, only)
	if err != nil {
		return err
	}
	if fp.Cut != "" {
		a.tell("endroit: %s is cut short: %s", name, fp.Cut)
	}
	switch {
	case c.String("why") != "":
		return a.why(c, fp)
	case c.Bool("json"):
		return a.json(fp)
	case c.Bool("by-folder"):
		a.printFolders(fp, only)
	default:
		a.printFootprint(fp, only, c.Bool("reasons"))
	}
	if only.Empty() {
		a.say("\nNext: endroit propose %s (all reasons: --reasons, or --why PATH)", name)
	}
	return nil
}

// sizeFlag reads a size; 0 if it is not there.
func sizeFlag(c *cli.Command, name string) (int64, error) {
	if c.String(name) == "" {
		return 0, nil
	}
	n, err := humanize.ParseBytes(c.String(name))
	if err != nil || n > 1<<60 {
		return 0, fail(exitUsage, "--%s %q is not a size; write it like 16MiB, 500KB or 0", name, c.String(name))
	}
	return int64(n), nil
}

// why prints all evidence on one file.
func (a *app) why(c *cli.Command, fp *footprint.Footprint) error {
	name := c.String("why")
	w, ok := fp.Why(name)
	if !ok {
		if full, err := filepath.Abs(name); err == nil {
			w, ok = fp.Why(full)
		}
	}
	if !ok {
		return fail(exitNotFound, "%s is not a file of this run; --name finds files by part of their path", name)
	}
	if c.Bool("json") {
		return a.json(w)
	}
	a.printFile(fp, w.File, false, 0)
	for _, p := range w.Points {
		first := ""
		if p.Kind == w.File.Kind {
			first = "most likely, "
		}
		a.say("\n%s", a.heading(fmt.Sprintf("%s: %s%.0f %%", p.Kind.Word(), first, 100*p.Share)))
		if p.Kind == footprint.Unknown {
			a.say("  %+5.1f  threshold that a kind must exceed", p.Sum)
			continue
		}
		for _, e := range w.Evidence {
			if e.Kind == p.Kind {
				a.say("  %+5.1f  %s", e.Weight, shown(e.Text()))
			}
		}
	}
	return nil
}

func kindList(interest bool) string {
	var names []string
	for _, k := range footprint.Kinds {
		if !interest || k.OfInterest() {
			names = append(names, k.Word())
		}
	}
	return strings.Join(names, ", ")
}

func parseKinds(names []string) (kinds []footprint.Kind, err error) {
	for _, n := range names {
		k, ok := footprint.ParseKind(strings.TrimSpace(n))
		if !ok {
			return nil, fail(exitUsage, "there is no kind %q; the kinds are %s", n, kindList(false))
		}
		kinds = append(kinds, k)
	}
	return kinds, nil
}

// describe puts what was run on one line.
func describe(fp *footprint.Footprint) string {
	text := describeRun(fp.Title, fp.Edition, fp.Launcher, fp.OS+" "+fp.Runtime, fp.Length)
	if n := len(fp.Runs); n > 1 {
		text += fmt.Sprintf(" in %d runs", n)
	}
	return text
}

// sayCues prints the cues, of several runs each run's on a line of its own.
func (a *app) sayCues(fp *footprint.Footprint) {
	of := map[int][]string{}
	for _, c := range fp.Cues {
		run, own := fp.InRun(c.At)
		of[run] = append(of[run], fmt.Sprintf("%s at %s", shown(c.Word), phrase.Duration(own)))
	}
	for i, r := range fp.Runs {
		cues := "no cues"
		if len(of[i]) > 0 {
			cues = "cues: " + strings.Join(of[i], ", ")
		}
		a.say("run %d, %s: %s", i+1, phrase.Duration(r.Length), cues)
	}
	if len(fp.Runs) == 0 && len(of[0]) > 0 {
		a.say("cues: %s", strings.Join(of[0], ", "))
	}
}

func describeRun(title string, e *trace.Edition, launcher, platform string, length time.Duration) string {
	parts := []string{}
	if title != "" {
		parts = append(parts, title)
	}
	if e != nil {
		text := strings.TrimSpace(e.Store + " " + e.Ref)
		if e.Version != "" {
			text += " version " + e.Version
		}
		parts = append(parts, text)
	}
	if launcher != "" {
		parts = append(parts, "started by "+launcher)
	}
	return shown(strings.Join(append(parts, platform, "ran "+phrase.Duration(length)), ", "))
}

// answers are how the files of a kind are introduced.
var answers = map[footprint.Kind]string{
	footprint.Save:    "Progress is most likely in",
	footprint.Config:  "Settings are most likely in",
	footprint.Capture: "Pictures and recordings are most likely in",
}

func (a *app) printFootprint(fp *footprint.Footprint, only footprint.Filter, all bool) {
	a.say("%s", a.heading(describe(fp)))
	a.sayCues(fp)
	listed := false
	for _, k := range footprint.Kinds {
		if only.Empty() && !k.OfInterest() {
			continue
		}
		var files []footprint.File
		for _, f := range fp.Files {
			if f.Kind == k {
				files = append(files, f)
			}
		}
		if len(files) == 0 {
			continue
		}
		listed = true
		slices.SortStableFunc(files, func(x, y footprint.File) int { return cmp.Compare(y.Confidence, x.Confidence) })
		a.say("\n%s", a.heading(cmp.Or(answers[k], k.Word())))
		for _, f := range files {
			a.printFile(fp, f, all, reasonsShown)
		}
	}
	if !listed {
		if only.Empty() {
			a.say("\nNo progress, settings or pictures were found.")
		} else {
			a.say("\nNo file of the run was selected.")
		}
		if only.Empty() {
			a.say("Did the game save? Play until it does, mark it with endroit cue saved, and quit properly.")
		}
	}
	if only.Empty() {
		a.printRest(fp)
	}
	for i, c := range fp.Corrections {
		if i == 0 {
			a.say("")
		}
		a.say(
			"corrected: %s is %s, not %s, according to %s%s", shown(c.File), c.Kind.Word(), c.Was.Word(),
			shown(cmp.Or(c.By, "the contributor")), shown(correctionReason(c)),
		)
	}
	if len(fp.Gaps) > 0 {
		a.say("")
	}
	gapLines(fp.Gaps, func(line string) { a.say("%s", line) })
}

// placesShown is how many folders the line on a kind of no interest names.
const placesShown = 3

// printRest says in a line for each kind what the other files were.
func (a *app) printRest(fp *footprint.Footprint) {
	first := true
	for _, k := range footprint.Kinds {
		if fp.Counts[k] == 0 || k.OfInterest() {
			continue
		}
		if first {
			a.say("\n%s", a.heading("The rest"))
			first = false
		}
		in := map[string]int{}
		for _, f := range fp.Files {
			if f.Kind == k {
				in[folderOf(f)]++
			}
		}
		folders := slices.SortedFunc(maps.Keys(in), func(x, y string) int {
			return cmp.Or(cmp.Compare(in[y], in[x]), strings.Compare(x, y))
		})
		text := strings.Join(folders[:min(len(folders), placesShown)], ", ")
		if more := len(folders) - placesShown; more > 0 {
			text += fmt.Sprintf(" and %s", phrase.Count(more, "more folder", "more folders"))
		}
		if text != "" {
			text = "in " + text
		}
		a.say(
			"%s",
			strings.TrimRight(fmt.Sprintf("  %6s %-12s %s", humanize.Comma(int64(fp.Counts[k])), k.Word(), shown(text)), " "),
		)
	}
}

// folderOf is the folder that a file lies in: by its place, if it has one.
func folderOf(f footprint.File) string {
	name := strings.TrimSuffix(cmp.Or(f.Place, f.Path), "/")
	if i := strings.LastIndexByte(name, '/'); i > 0 {
		return name[:i+1]
	}
	anchor, _, _ := strings.Cut(name, ":")
	return anchor + ":"
}

// printFolders lists folders with the kinds of the files in them, those with files of
// interest first.
func (a *app) printFolders(fp *footprint.Footprint, only footprint.Filter) {
	type folder struct {
		name            string
		files, interest int
		kinds           map[footprint.Kind]int
		last            time.Duration
	}
	all := map[string]*folder{}
	for _, f := range fp.Files {
		x := all[folderOf(f)]
		if x == nil {
			x = &folder{name: folderOf(f), kinds: map[footprint.Kind]int{}}
			all[x.name] = x
		}
		x.files++
		x.kinds[f.Kind]++
		if f.Kind.OfInterest() {
			x.interest++
		}
		x.last = max(x.last, f.LastWrite)
	}
	if len(all) == 0 {
		a.say("no files match")
		return
	}
	list := slices.SortedFunc(maps.Values(all), func(x, y *folder) int {
		return cmp.Or(cmp.Compare(y.interest, x.interest), cmp.Compare(y.files, x.files), strings.Compare(x.name, y.name))
	})
	t := newTable(a.out, "files", "last written", "folder", "what they are")
	for _, x := range list {
		var kinds []string
		for _, k := range footprint.Kinds {
			if n := x.kinds[k]; n > 0 {
				kinds = append(kinds, k.Files(n))
			}
		}
		written := "-"
		if x.last > 0 {
			written = phrase.Duration(x.last)
		}
		t.AppendRow(table.Row{x.files, written, shown(x.name), strings.Join(kinds, ", ")})
	}
	t.Render()
}

func (a *app) printFile(fp *footprint.Footprint, f footprint.File, all bool, reasons int) {
	where := f.Path
	if where == "" {
		where = f.Place
	}
	a.say("  %s", a.path(shown(where)))
	var facts []string
	if f.Path != "" && f.Place != "" && f.Path != f.Place {
		facts = append(facts, f.Place)
	}
	if f.Inside != "" && f.Kind.OfInterest() {
		facts = append(facts, f.Inside)
	}
	if f.Reached != "" {
		facts = append(facts, "reached as "+f.Reached)
	}
	facts = append(
		facts, confidence(f), usage(fp, f),
		trace.Became(f.Before, f.After, f.Written()),
	)
	if f.Seen > 0 {
		facts = append(facts, fmt.Sprintf(
			"what it was before the run is not known: it was first seen at %s, and had changed by then",
			fp.Clock(f.Seen, phrase.Duration),
		))
	}
	if f.Again != nil {
		facts = append(facts, fmt.Sprintf("judged again by the rules of the service it is %s (%.2f)", f.Again.Kind.Word(), f.Again.Confidence))
	}
	a.say("      %s", shown(strings.Join(facts, "; ")))
	for i, r := range f.Reasons {
		switch {
		case all:
		case reasons == 0:
			return
		case i == reasons && len(f.Reasons) > reasons+1:
			a.say("      - and %d more reasons", len(f.Reasons)-reasons)
			return
		}
		a.say("      - %s", shown(r))
	}
}

// reasonsShown is how many of a file's reasons are printed without --reasons,
// the weightiest.
const reasonsShown = 3

func times(n int) string {
	switch n {
	case 0:
		return "never"
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}

// usage says how often a file was read and written, as far as the observer could see.
func usage(fp *footprint.Footprint, f footprint.File) string {
	written := "written " + times(f.Writes)
	if f.Writes == 0 && f.Changes > 0 {
		written = "found changed " + times(f.Changes)
	}
	if !fp.ReadsSeen() || f.Before.Is == trace.IsKey || f.After.Is == trace.IsKey {
		return written
	}
	return "read " + times(f.Reads) + ", " + written
}

// besides names a file next to another, with another ending.
func besides(name, old, ending string) string {
	return strings.TrimSuffix(name, old) + ending
}

// confidence says how sure the kind of a file is, and where that it is kept is surer than
// as what, that too.
func confidence(f footprint.File) string {
	text := fmt.Sprintf("confidence %.2f", f.Confidence)
	if f.Confidence < footprint.SureFrom && f.Sure() {
		text += fmt.Sprintf(" (%.2f that it is progress or settings)", f.Kept())
	}
	return text
}
