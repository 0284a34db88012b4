package cli

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"endroit/core/footprint"
	"endroit/core/trace"
)

// maxTraceFile is the largest trace that is read, in bytes on disk.
const maxTraceFile = 2 << 30

// openTrace opens a trace's file.
func openTrace(name string) (*os.File, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, fail(exitNotFound, "%w", err)
	}
	info, err := f.Stat()
	switch {
	case err != nil:
	case info.IsDir():
		err = fail(exitInput, "%s is a folder, not a trace", name)
	case info.Size() > maxTraceFile:
		err = fail(exitInput, "%s has %s; traces of up to %s are read", name, bytesInTerms(info.Size()), bytesInTerms(maxTraceFile))
	}
	if err != nil {
		_ = f.Close()
		return nil, err
	}
	return f, nil
}

// readTrace boils a trace down and returns the digest of the file.
func readTrace(name string) (*footprint.Footprint, string, error) {
	f, err := openTrace(name)
	if err != nil {
		return nil, "", err
	}
	defer f.Close()
	sum := sha256.New()
	r, err := trace.NewReader(io.TeeReader(f, sum), trace.DefaultLimits)
	if err != nil {
		return nil, "", fmt.Errorf("%s: %w", name, err)
	}
	fp, err := footprint.FromTrace(r)
	if err != nil {
		return nil, "", fmt.Errorf("%s: %w", name, err)
	}
	if _, err := io.Copy(sum, f); err != nil {
		return nil, "", fmt.Errorf("%s: %w", name, err)
	}
	return fp, hex.EncodeToString(sum.Sum(nil)), nil
}

func (a *app) footprint() *cli.Command {
	return command(&cli.Command{
		Name: "footprint", Usage: "show what the files of a trace are, and why",
		UsageText:   "endroit footprint TRACE [--kind KIND,...] [--reasons] [--json]",
		Description: "Files of interest come first: " + kindList(true) + ". The rest is counted;\n--kind lists it. Each kind is given with its confidence, from 0 to 1, and reasons.",
		Flags: []cli.Flag{
			&cli.StringSliceFlag{Name: "kind", Usage: "only these kinds: `KIND,...` of " + kindList(false)},
			&cli.BoolFlag{Name: "reasons", Usage: "print all reasons for each file, not only the weightiest"},
			jsonFlag(),
		},
		Action: func(_ context.Context, c *cli.Command) error {
			name, err := oneArg(c, "one TRACE")
			if err != nil {
				return err
			}
			kinds, err := parseKinds(c.StringSlice("kind"))
			if err != nil {
				return err
			}
			fp, _, err := readTrace(name)
			if err != nil {
				return err
			}
			if fp.Cut != "" {
				a.tell("endroit: %s is cut short: %s", name, fp.Cut)
			}
			if len(kinds) > 0 {
				files := []footprint.File{}
				for _, f := range fp.Files {
					if kinds[f.Kind] {
						files = append(files, f)
					}
				}
				fp.Files = files
			}
			if c.Bool("json") {
				return a.json(fp)
			}
			a.printFootprint(fp, kinds, c.Bool("reasons"))
			if len(kinds) == 0 {
				a.say("\nNext: endroit propose %s", name)
			}
			return nil
		},
	}, find, "endroit footprint tidewrack.trace\nendroit footprint tidewrack.trace --kind log,temp")
}

func kindList(interest bool) string {
	var names []string
	for _, k := range footprint.Kinds {
		if !interest || k.OfInterest() {
			names = append(names, string(k))
		}
	}
	return strings.Join(names, ", ")
}

func parseKinds(names []string) (map[footprint.Kind]bool, error) {
	kinds := map[footprint.Kind]bool{}
	for _, n := range names {
		n = strings.TrimSpace(n)
		known := false
		for _, k := range footprint.Kinds {
			known = known || string(k) == n
		}
		if !known {
			return nil, fail(exitUsage, "there is no kind %q; the kinds are %s", n, kindList(false))
		}
		kinds[footprint.Kind(n)] = true
	}
	return kinds, nil
}

// describe puts what was run on one line.
func describe(fp *footprint.Footprint) string {
	return describeRun(fp.Title, fp.Edition, fp.Launcher, fp.OS+" "+fp.Runtime, fp.Length)
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
	return shown(strings.Join(append(parts, platform, "ran "+inTerms(length)), ", "))
}

func (a *app) printFootprint(fp *footprint.Footprint, only map[footprint.Kind]bool, all bool) {
	a.say("%s", describe(fp))
	if len(fp.Cues) > 0 {
		var cues []string
		for _, c := range fp.Cues {
			cues = append(cues, fmt.Sprintf("%s at %s", shown(c.Word), inTerms(c.At)))
		}
		a.say("cues: %s", strings.Join(cues, ", "))
	}
	for _, g := range fp.Gaps {
		a.say("not seen: %s", shown(g.What))
	}
	any := false
	var last footprint.Kind
	for _, f := range fp.Files {
		if len(only) == 0 && !f.Kind.OfInterest() {
			continue
		}
		any = true
		if f.Kind != last {
			a.say("\n%s", f.Kind)
			last = f.Kind
		}
		a.printFile(fp, f, all)
	}
	if !any {
		a.say("\nNothing of %s was seen.", map[bool]string{true: "interest", false: "these kinds"}[len(only) == 0])
		if len(only) == 0 {
			a.say("Did the program save? Play until it does, mark it with endroit cue saved, and quit properly.")
		}
	}
	if len(only) > 0 {
		return
	}
	var rest []string
	for _, k := range footprint.Kinds {
		if n := fp.Counts[k]; n > 0 && !k.OfInterest() {
			rest = append(rest, fmt.Sprintf("%d %s", n, k))
		}
	}
	if len(rest) > 0 {
		a.say("\nthe rest: %s", strings.Join(rest, ", "))
	}
}

func (a *app) printFile(fp *footprint.Footprint, f footprint.File, all bool) {
	where := f.Path
	if where == "" {
		where = f.Place
	}
	a.say("  %s", shown(where))
	var facts []string
	if f.Path != "" && f.Place != "" && f.Path != f.Place {
		facts = append(facts, f.Place)
	}
	if f.Inside != "" && f.Kind.OfInterest() {
		facts = append(facts, f.Inside)
	}
	facts = append(facts, fmt.Sprintf("confidence %.2f", f.Confidence), usage(fp, f), became(f.Before, f.After, f.Written()))
	a.say("      %s", shown(strings.Join(facts, "; ")))
	for i, r := range f.Reasons {
		if i == reasonsShown && !all && len(f.Reasons) > reasonsShown+1 {
			a.say("      - and %d more reasons (--reasons)", len(f.Reasons)-reasonsShown)
			break
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

// amount is how much a state holds.
func amount(s trace.State) string {
	if s.Is == trace.IsKey && s.Time.IsZero() && s.Size == 0 {
		return "values not known"
	}
	if s.Is == trace.IsKey {
		return count(int(s.Size), "value", "values")
	}
	if s.Is == trace.IsFile && s.Time.IsZero() && s.Size == 0 {
		return "size not known" // a log told no more
	}
	return bytesInTerms(s.Size)
}

// became says how the run changed a file.
func became(b, x trace.State, written bool) string {
	switch {
	case b.Is == trace.IsAbsent && x.Is == trace.IsAbsent:
		return "not there before or after"
	case x.Is == trace.IsFolder && b.Is == trace.IsAbsent:
		return "new folder"
	case x.Is == trace.IsFolder:
		return "folder"
	case b.Is == trace.IsAbsent:
		return "new, " + amount(x)
	case x.Is == trace.IsAbsent:
		return "gone afterwards"
	case written && b.Digest != "" && b.Digest == x.Digest:
		return amount(x) + ", the same content afterwards"
	case b.Size != x.Size:
		return amount(b) + ", then " + amount(x)
	}
	return amount(x)
}

// besides names a file next to another, with another ending.
func besides(name, old, ending string) string {
	return strings.TrimSuffix(name, old) + ending
}

// relativeTo writes a path as seen from the folder of another file.
func relativeTo(file, path string) string {
	dir, err1 := filepath.Abs(filepath.Dir(file))
	abs, err2 := filepath.Abs(path)
	if err1 == nil && err2 == nil {
		if rel, err := filepath.Rel(dir, abs); err == nil {
			return rel
		}
	}
	return path
}
