package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"maps"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/logs"
	"endroit/core/phrase"
	"endroit/core/trace"
)

func (a *app) importLog() *cli.Command {
	return command(&cli.Command{
		Name: "import", Usage: "make a trace from a log that another program wrote, often on another machine",
		Flags: append(aboutFlags(),
			&cli.StringSliceFlag{Name: "columns", Usage: "which heading means what: `COLUMN=HEADING,...`"},
			&cli.StringSliceFlag{Name: "operation", Usage: "the operation of a word in the log: `WORD=OP`; can be repeated"},
			&cli.StringFlag{Name: "process", Usage: "use only the lines of this program: `NAME`"},
			&cli.StringFlag{Name: "out", Usage: "the `FILE` to write (otherwise named after the log)"},
			jsonFlag(),
		),
		Action: func(_ context.Context, c *cli.Command) error {
			name, err := oneArg(c, "one LOG")
			if err != nil {
				return err
			}
			return a.runImport(c, name)
		},
	}, find, "import")
}

func columnList() string {
	var list []string
	for _, c := range logs.Columns {
		list = append(list, string(c))
	}
	return strings.Join(list, ", ")
}

func importOptions(c *cli.Command) (o logs.Options, err error) {
	edition, err := parseEdition(c.String("edition"))
	if err != nil {
		return o, err
	}
	o = logs.Options{
		Columns:    map[logs.Column]string{},
		Operations: map[string]trace.Op{},
		Only:       c.String("process"),
		Header: trace.Header{
			Title:    c.String("title"),
			Edition:  edition,
			Launcher: c.String("launcher"),
			Install:  strings.ReplaceAll(c.String("install"), `\`, "/"),
		},
	}
	for _, pair := range c.StringSlice("columns") {
		column, heading, ok := strings.Cut(pair, "=")
		if !ok || heading == "" || !slices.Contains(logs.Columns, logs.Column(strings.TrimSpace(column))) {
			return o, fail(exitUsage, "--columns %q is not COLUMN=HEADING; the columns are %s", pair, columnList())
		}
		o.Columns[logs.Column(strings.TrimSpace(column))] = heading
	}
	for _, pair := range c.StringSlice("operation") {
		i := strings.LastIndexByte(pair, '=')
		op := trace.Op(strings.TrimSpace(pair[i+1:]))
		if i < 1 || op != logs.Ignore && op != logs.Open && !slices.Contains(trace.Ops(), op) {
			return o, fail(exitUsage, "--operation %q is not WORD=OP; the operations are open, ignore, %s", pair, opList())
		}
		o.Operations[pair[:i]] = op
	}
	return o, nil
}

func (a *app) runImport(c *cli.Command, name string) error {
	o, err := importOptions(c)
	if err != nil {
		return err
	}
	in, err := os.Open(name)
	if err != nil {
		return fail(exitNotFound, "%w", err)
	}
	defer in.Close()
	info, err := in.Stat()
	if err != nil || !info.Mode().IsRegular() {
		return fail(exitInput, "%s is not a regular file; import reads it twice", name)
	}
	o.Date = info.ModTime()
	plan, err := logs.Inspect(in, o)
	if err != nil {
		return importError(name, err)
	}
	out := c.String("out")
	if out == "" {
		out = besides(name, ".log", ".trace")
		if out == name+".trace" {
			out = besides(name, ".csv", ".trace")
		}
	}
	f, err := newFile(out)
	if err != nil {
		return err
	}
	summary, err := logs.Summary{}, error(nil)
	if _, err = in.Seek(0, io.SeekStart); err == nil {
		summary, err = plan.Write(in, f)
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err == nil && summary.Used == 0 {
		err = fail(exitInput, "%s contains no usable line%s", name, firstReason(summary))
	}
	if err != nil {
		_ = os.Remove(out)
		return importError(name, err)
	}
	if c.Bool("json") {
		return a.json(map[string]any{
			"out":      out,
			"form":     plan.Form,
			"encoding": plan.Encoding,
			"columns":  plan.Columns,
			"os":       plan.Header.OS,
			"user":     plan.Header.User,
			"lines":    summary.Lines,
			"used":     summary.Used,
			"ignored":  summary.Ignored,
			"others":   summary.Others,
			"failed":   summary.Failed,
			"unusable": append([]logs.Unusable{}, summary.Unusable...),
			"unknown":  summary.Unknown,
		})
	}
	a.showImport(plan, summary, out)
	return nil
}

func firstReason(s logs.Summary) string {
	switch {
	case s.Others > 0 && s.Others == s.Lines:
		return ": all belong to other programs"
	case len(s.Unusable) > 0:
		u := s.Unusable[0]
		return fmt.Sprintf(": %s (line %d: %s)", u.Why, u.Examples[0].Line, shown(u.Examples[0].Text))
	}
	return ""
}

func importError(name string, err error) error {
	if errors.Is(err, logs.ErrFormat) {
		return fail(exitInput, "%s: %w", name, err)
	}
	return ofFile(name, err)
}

// unknownShown is how many unknown words are named.
const unknownShown = 8

func (a *app) showImport(p *logs.Plan, s logs.Summary, out string) {
	a.say("%s, %s; read as:", p.Form, p.Encoding)
	for _, c := range logs.Columns {
		heading := p.Columns[c]
		if heading == "" {
			heading = "(none)"
		}
		a.say("  %-10s %s", c, shown(heading))
	}
	a.say("  other columns are not used; --columns changes that")
	who := ""
	if p.Header.User != "" {
		who = ", of the user " + p.Header.User
	}
	a.say("a run on %s%s", map[string]string{"linux": "Linux", "windows": "Windows", "macos": "macOS"}[p.Header.OS], shown(who))
	a.say("\n%s: %d used, %d irrelevant to a trace", phrase.Count(s.Lines, "line", "lines"), s.Used, s.Ignored)
	if s.Others > 0 {
		a.say("  %s of other programs", phrase.Count(s.Others, "line was", "lines were"))
	}
	if s.Failed > 0 {
		a.say("  %s where the operation failed", phrase.Count(s.Failed, "line", "lines"))
	}
	for _, u := range s.Unusable {
		a.say("  %s not used: %s", phrase.Count(u.Lines, "line was", "lines were"), shown(u.Why))
		for _, x := range u.Examples {
			a.say("    line %d: %s", x.Line, shown(x.Text))
		}
	}
	if len(s.Unknown) > 0 {
		list := slices.SortedFunc(maps.Keys(s.Unknown), func(x, y string) int {
			if s.Unknown[x] != s.Unknown[y] {
				return s.Unknown[y] - s.Unknown[x]
			}
			return strings.Compare(x, y)
		})
		for i, word := range list[:min(len(list), unknownShown)] {
			list[i] = fmt.Sprintf("%s (%d)", word, s.Unknown[word])
		}
		a.say(
			"  unknown operations: %s; --operation WORD=OP defines one",
			shown(strings.Join(list[:min(len(list), unknownShown)], ", ")),
		)
	}
	a.say(
		"\n%s: %s on %s by %s", out, phrase.Count(s.End.Events, "event", "events"),
		phrase.Count(s.End.Files, "path", "paths"), phrase.Count(s.End.Processes, "process", "processes"),
	)
	a.say("Next: endroit footprint %s; a moment is marked with endroit cue WORD --in %s --at TIME", out, out)
}
