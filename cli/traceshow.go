package cli

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"endroit/capture/versions"
	"endroit/core/phrase"
	"endroit/core/trace"
	"endroit/tracefiles"
)

// pickFlags choose events of a trace.
func pickFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringSliceFlag{Name: "under", Usage: "only files in this `FOLDER`, or this file; can be repeated"},
		&cli.StringSliceFlag{Name: "op", Usage: "only these operations: `OP,...` of " + opList()},
		&cli.StringFlag{Name: "between", Usage: "only what lies between two cues: `CUE CUE`"},
	}
}

func opList() string {
	var names []string
	for _, o := range trace.Ops() {
		names = append(names, string(o))
	}
	return strings.Join(names, ", ")
}

func (a *app) traceShow() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerTraces),
		Name:          "show", Usage: "read a trace: what was run, which files, which processes, each event",
		Flags: append([]cli.Flag{
			&cli.BoolFlag{Name: "files", Usage: "each file: how often it was read and written, and when"},
			&cli.BoolFlag{Name: "processes", Usage: "each process, below the one that started it"},
			&cli.BoolFlag{Name: "events", Usage: "each event, in the order in which it was noticed"},
			&cli.BoolFlag{Name: "versions", Usage: "the contents that were kept beside it: of which file, when and why"},
			jsonFlag(),
		}, pickFlags()...),
		Action: func(_ context.Context, c *cli.Command) error {
			name, err := oneArg(c, "one TRACE")
			if err != nil {
				return err
			}
			if c.Bool("versions") {
				return a.showVersions(c, name)
			}
			return a.runTraceShow(c, name)
		},
	}, find, "trace-show")
}

func (a *app) traceTrim() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(offerTraces),
		Name:          "trim", Usage: "write a part of a trace to a new trace",
		Flags: append([]cli.Flag{&cli.StringFlag{Name: "out", Usage: "the `FILE` to write"}}, pickFlags()...),
		Action: func(_ context.Context, c *cli.Command) error {
			name, err := oneArg(c, "one TRACE")
			if err != nil {
				return err
			}
			return a.runTraceTrim(c, name)
		},
	}, find, "trace-trim")
}

// traceFile opens a trace from its beginning, again and again.
func traceFile(name string) (open func() (*trace.Reader, error), done func(), err error) {
	f, err := tracefiles.Open(name)
	if err != nil {
		return nil, nil, err
	}
	return func() (*trace.Reader, error) {
		if _, err := f.Seek(0, io.SeekStart); err != nil {
			return nil, fmt.Errorf("a trace must be a regular file: %w", err)
		}
		return trace.NewReader(f, trace.DefaultLimits)
	}, func() { _ = f.Close() }, nil
}

// chosenTrace opens a trace, and reads what of it was chosen.
func chosenTrace(c *cli.Command, name string) (open func() (*trace.Reader, error), p trace.Selection, done func(), err error) {
	open, done, err = traceFile(name)
	if err != nil {
		return nil, p, nil, err
	}
	if p, err = picked(c, open); err != nil {
		done()
		return nil, p, nil, ofFile(name, err)
	}
	return open, p, done, nil
}

var windowsPath = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^[A-Za-z]:[\\/]`) })

// picked reads what was chosen.
func picked(c *cli.Command, open func() (*trace.Reader, error)) (p trace.Selection, err error) {
	for _, folder := range c.StringSlice("under") {
		if windowsPath().MatchString(folder) { // of a run on Windows, wherever it is read
			p.Under = append(p.Under, strings.ReplaceAll(folder, `\`, "/"))
			continue
		}
		full, err := filepath.Abs(folder)
		if err != nil {
			return p, err
		}
		p.Under = append(p.Under, full)
	}
	for _, name := range c.StringSlice("op") {
		op := trace.Op(strings.TrimSpace(name))
		if !slices.Contains(trace.Ops(), op) {
			return p, fail(exitUsage, "there is no operation %q; the operations are %s", name, opList())
		}
		p.Ops = append(p.Ops, op)
	}
	if between := c.String("between"); between != "" {
		from, to, two := strings.Cut(between, ",")
		if from, to = strings.TrimSpace(from), strings.TrimSpace(to); !two || from == "" || to == "" {
			return p, fail(exitUsage, "--between needs two cues, such as: --between ready saved")
		}
		r, err := open()
		if err != nil {
			return p, err
		}
		cues, err := trace.Cues(r)
		if err != nil {
			return p, err
		}
		if err := p.Between(cues, from, to); err != nil {
			return p, fail(exitNotFound, "%w", err)
		}
	}
	return p, nil
}

func (a *app) runTraceShow(c *cli.Command, name string) error {
	chosen := 0
	for _, flag := range []string{"files", "processes", "events"} {
		if c.Bool(flag) {
			chosen++
		}
	}
	if chosen > 1 {
		return fail(exitUsage, "choose one of --files, --processes and --events")
	}
	open, p, done, err := chosenTrace(c, name)
	if err != nil {
		return err
	}
	defer done()
	r, err := open()
	if err != nil {
		return ofFile(name, err)
	}
	var each func(e trace.Event, file, to string) error
	var events *eventPrinter
	if c.Bool("events") {
		events = &eventPrinter{a: a, json: c.Bool("json")}
		each = events.print
	}
	o, err := trace.Summarize(r, p, each)
	if events != nil {
		events.end()
	}
	if err != nil {
		return ofFile(name, err)
	}
	if o.Cut != "" {
		a.tell("endroit: %s is cut short: %s", name, o.Cut)
	}
	switch {
	case events != nil:
		if o.Events == 0 && !events.json {
			a.say("no events match")
		}
	case c.Bool("files"):
		return a.showFiles(o, c.Bool("json"))
	case c.Bool("processes"):
		return a.showProcesses(o, c.Bool("json"))
	case c.Bool("json"):
		return a.json(map[string]any{
			"header":    o.Header,
			"events":    o.Events,
			"ops":       o.Ops,
			"files":     len(o.Touched()),
			"processes": o.ProcessCount(),
			"cues":      o.Cues,
			"gaps":      o.Gaps,
			"length":    o.Length,
			"cut":       o.Cut,
		})
	default:
		a.showOverview(o, name)
	}
	return nil
}

// ofFile says which file an error is about, unless it says so.
func ofFile(name string, err error) error {
	var f *failure
	if err == nil || errors.As(err, &f) {
		return err
	}
	return fmt.Errorf("%s: %w", name, err)
}

func (a *app) showOverview(o *trace.Summary, name string) {
	h := o.Header
	a.say("%s", describeRun(h.Title, h.Edition, h.Launcher, h.OS+" "+h.Runtime, o.Length))
	a.say("%s on %s, %s, by %s", h.Started.Local().Format("2006-01-02 15:04"), shown(h.Arch), shown(h.Kernel), shown(h.Observer))
	switch {
	case len(h.Command) == 0:
	case h.Observer == trace.ByCalls:
		a.say("command: %s", shown(strings.Join(h.Command, " ")))
	default:
		a.say("observed: %s", shown(strings.Join(h.Command, ", ")))
	}
	by := ""
	if n := o.ProcessCount(); n > 0 {
		by = " by " + phrase.Count(n, "process", "processes")
	}
	a.say("%s on %s%s", phrase.Count(o.Events, "event", "events"), phrase.Count(len(o.Touched()), "path", "paths"), by)
	var ops []string
	for _, op := range trace.Ops() {
		if n := o.Ops[op]; n > 0 {
			ops = append(ops, fmt.Sprintf("%s %d", op, n))
		}
	}
	if len(ops) > 0 {
		a.say("  %s", strings.Join(ops, ", "))
	}
	for _, c := range o.Cues {
		a.say("cue at %s: %s", phrase.Duration(c.At), shown(c.Word))
	}
	gapLines(o.Gaps, func(line string) { a.say("%s", line) })
	a.showFolders(o)
	a.say("\nNext: endroit trace show %s --files", name)
}

// foldersShown is how many folders the Summary names.
const foldersShown = 8

// showFolders names the folders in which most was written, then read.
func (a *app) showFolders(o *trace.Summary) {
	type folder struct {
		path                 string
		files, reads, writes int
	}
	all := map[string]*folder{}
	for _, f := range o.Touched() {
		dir := filepath.Dir(f.Path)
		if all[dir] == nil {
			all[dir] = &folder{path: dir}
		}
		x := all[dir]
		x.files++
		x.reads += f.Reads
		x.writes += f.Writes
	}
	list := slices.SortedFunc(maps.Values(all), func(a, b *folder) int {
		if a.writes != b.writes {
			return b.writes - a.writes
		}
		if a.reads != b.reads {
			return b.reads - a.reads
		}
		return strings.Compare(a.path, b.path)
	})
	if len(list) == 0 {
		return
	}
	a.say("")
	t := newTable(a.out, "written", "read", "files", "folder")
	for i, f := range list {
		if i == foldersShown {
			break
		}
		t.AppendRow(table.Row{f.writes, f.reads, f.files, shown(f.path)})
	}
	t.Render()
	if n := len(list) - foldersShown; n > 0 {
		a.say("and %s", phrase.Count(n, "more folder", "more folders"))
	}
}

func (a *app) showFiles(o *trace.Summary, asJSON bool) error {
	list := o.Touched()
	if asJSON {
		return a.json(map[string]any{"files": append([]trace.FileSummary{}, list...)})
	}
	if len(list) == 0 {
		a.say("no files match")
		return nil
	}
	t := newTable(a.out, "written", "read", "other", "first", "last", "became", "path")
	for _, f := range list {
		t.AppendRow(table.Row{f.Writes, f.Reads, f.Others, seconds(f.First), seconds(f.Last), f.Became(), shown(f.Path)})
	}
	t.Render()
	return nil
}

func seconds(d time.Duration) string { return fmt.Sprintf("%.3f s", d.Seconds()) }

func (a *app) showProcesses(o *trace.Summary, asJSON bool) error {
	if asJSON {
		return a.json(map[string]any{"processes": append([]trace.ProcessSummary{}, o.Processes[1:]...)})
	}
	children := map[int][]int{}
	for _, p := range o.Processes[1:] {
		children[p.Parent] = append(children[p.Parent], p.N)
	}
	var show func(n, level int)
	show = func(n, level int) {
		p := o.Processes[n]
		end := ""
		if p.Ended != nil {
			end = fmt.Sprintf(" until %s, ended with %d", phrase.Duration(*p.Ended), p.Status)
		}
		margin := strings.Repeat("  ", min(level, 20))
		a.say(
			"%s%s  (pid %d, from %s%s; %s)", margin, shown(p.Exe), p.PID, phrase.Duration(p.At), end,
			phrase.Count(p.Events, "event", "events"),
		)
		if len(p.Args) > 1 {
			a.say("%s    %s", margin, shown(strings.Join(p.Args, " ")))
		}
		for _, child := range children[n] {
			show(child, level+1)
		}
	}
	for _, n := range children[0] {
		show(n, 0)
	}
	if len(o.Processes) == 1 {
		a.say("no processes were observed")
	}
	return nil
}

// eventPrinter prints events as they are read, however many there are.
type eventPrinter struct {
	a    *app
	json bool
	n    int
}

type eventShown struct {
	At      time.Duration `json:"at"`
	Process int           `json:"process"`
	Op      trace.Op      `json:"op"`
	Path    string        `json:"path"`
	To      string        `json:"to,omitempty"`
	Size    int64         `json:"size,omitempty"`
	What    string        `json:"what,omitempty"`
}

func (p *eventPrinter) print(e trace.Event, file, to string) error {
	p.n++
	if p.json {
		text, err := json.Marshal(eventShown{e.At, e.Process, e.Op, file, to, e.Size, e.What})
		if err != nil {
			return err
		}
		before := ","
		if p.n == 1 {
			before = "["
		}
		_, err = fmt.Fprintf(p.a.out, "%s\n  %s", before, text)
		return err
	}
	what := shown(file)
	if to != "" {
		what += " to " + shown(to)
	}
	switch {
	case e.What != "":
		what += " (" + shown(e.What) + ")"
	case e.Op == trace.Changed:
		what += " (" + phrase.Size(e.Size) + ")"
	case e.Op == trace.Position:
		what += " (at " + phrase.Size(e.Size) + ")"
	}
	_, err := fmt.Fprintf(p.a.out, "%12s  %4d  %-13s  %s\n", fmt.Sprintf("%.6f s", e.At.Seconds()), e.Process, e.Op, what)
	return err
}

func (p *eventPrinter) end() {
	switch {
	case p.json && p.n == 0:
		fmt.Fprintln(p.a.out, "[]")
	case p.json:
		fmt.Fprintln(p.a.out, "\n]")
	}
}

func (a *app) runTraceTrim(c *cli.Command, name string) error {
	if c.String("out") == "" {
		return fail(exitUsage, "--out FILE is required")
	}
	if len(c.StringSlice("under"))+len(c.StringSlice("op")) == 0 && c.String("between") == "" {
		return fail(exitUsage, "select what to keep: --under FOLDER, --op OP,... or --between CUE CUE")
	}
	open, p, done, err := chosenTrace(c, name)
	if err != nil {
		return err
	}
	defer done()
	out, err := newFile(c.String("out"))
	if err != nil {
		return err
	}
	t, err := trace.Trim(open, out, p, "the trace was trimmed: "+trimmedBy(c)+" was kept")
	if e := out.Close(); err == nil {
		err = e
	}
	if err != nil {
		_ = os.Remove(out.Name())
		return ofFile(name, err)
	}
	info, err := os.Stat(out.Name())
	if err != nil {
		return err
	}
	a.say(
		"%s: %s on %s, %s; %s left out", out.Name(), phrase.Count(t.Kept, "event", "events"),
		phrase.Count(t.Files, "file", "files"), phrase.Size(info.Size()),
		phrase.Count(t.Left, "event was", "events were"),
	)
	if t.Kept == 0 {
		a.tell("endroit: no events match; it contains only the cues")
	}
	return nil
}

// trimmedBy says what was chosen, without the person's folders: a gap is sent
// along with a footprint.
func trimmedBy(c *cli.Command) string {
	var parts []string
	if n := len(c.StringSlice("under")); n > 0 {
		parts = append(parts, "what lies in "+phrase.Count(n, "folder", "folders"))
	}
	if ops := c.StringSlice("op"); len(ops) > 0 {
		parts = append(parts, "the operations "+strings.Join(ops, ", "))
	}
	if between := c.String("between"); between != "" {
		from, to, _ := strings.Cut(between, ",")
		parts = append(parts, "what lies between the cues "+strings.TrimSpace(from)+" and "+strings.TrimSpace(to))
	}
	return strings.Join(parts, ", ")
}

// showVersions lists the contents that lie beside a trace.
func (a *app) showVersions(c *cli.Command, name string) error {
	_, p, done, err := chosenTrace(c, name)
	if err != nil {
		return err
	}
	defer done()
	folder := versions.Beside(name)
	list, err := versions.Read(folder)
	if err != nil {
		return err
	}
	type numbered struct {
		N int `json:"n"`
		versions.Version
	}
	chosen := []numbered{}
	for i, v := range list {
		if p.Takes(trace.Event{At: v.At}, v.Path, "") {
			chosen = append(chosen, numbered{i + 1, v})
		}
	}
	if c.Bool("json") {
		return a.json(map[string]any{"folder": folder, "versions": chosen})
	}
	if len(chosen) == 0 {
		a.say("no versions match: %s", folder)
		return nil
	}
	t := newTable(a.out, "n", "at", "why", "size", "content", "path")
	for _, v := range chosen {
		t.AppendRow(table.Row{v.N, seconds(v.At), shown(v.Why), phrase.Size(v.Size), v.Digest[:12], shown(v.Path)})
	}
	t.Render()
	a.say(
		"\nThe contents lie in %s, named by their digest (SHA-256).\nNext: endroit bytes %s#%d looks into "+
			"one, --against %s#N compares two",
		filepath.Join(folder, "content"),
		name,
		chosen[0].N,
		name,
	)
	return nil
}
