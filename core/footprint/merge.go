package footprint

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"endroit/core/trace"
)

// ErrOtherVariant says that runs cannot be merged.
var ErrOtherVariant = errors.New("the runs are of different variants")

// Merge tells several runs of one variant as one, by one person or several, in the order in
// which they are given: times go on from run to run, what was done to a file is added up, and
// the evidence of all runs counts. No file of any run is lost. It returns an error that
// wraps ErrOtherVariant and says what differs.
func Merge(runs []*Footprint) (*Footprint, error) {
	if len(runs) == 1 {
		return runs[0], nil
	}
	first := runs[0]
	out := *first
	self := *first.Self
	out.Self = &self
	out.Code = &Code{}
	out.Programs, out.Cues, out.Gaps, out.Files, out.Counts = []string{}, []trace.Cue{}, []trace.Gap{}, []File{}, map[Kind]int{}
	out.Length, out.Events, out.Cut, out.Runs = 0, 0, "", nil
	var order []string
	var corrections []Correction
	out.Corrections = nil
	files := map[string][]File{}
	self.Others = nil
	for i, f := range runs {
		if err := sameVariant(first, f); err != nil {
			return nil, fmt.Errorf("run %d: %w", i+1, err)
		}
		if f.Self.User != self.User || f.Self.Home != self.Home {
			self.Others = append(self.Others, f.Self)
		} else if a := f.Self.Account; a != "" && a != self.Account && !slices.Contains(self.Accounts, a) {
			self.Accounts = append(self.Accounts, a)
		}
		for _, name := range f.Self.Chosen {
			if !slices.Contains(self.Chosen, name) {
				self.Chosen = append(slices.Clone(self.Chosen), name)
			}
		}
		if f.Code != nil {
			out.Code.Install = cmp.Or(out.Code.Install, f.Code.Install)
			for _, p := range f.Code.Executables {
				if !slices.Contains(out.Code.Executables, p) {
					out.Code.Executables = append(out.Code.Executables, p)
				}
			}
		}
		shift := out.Length
		out.Runs = append(out.Runs, Run{Started: f.Started, At: shift, Length: f.Length})
		corrections = append(corrections, f.Corrections...)
		f = f.AsJudged()
		for _, c := range f.Cues {
			c.At += shift
			out.Cues = append(out.Cues, c)
		}
		for _, g := range f.Gaps {
			g.At += shift
			out.Gaps = append(out.Gaps, g)
		}
		for _, p := range f.Programs {
			if !slices.Contains(out.Programs, p) {
				out.Programs = append(out.Programs, p)
			}
		}
		if f.Cut != "" {
			out.Cut = fmt.Sprintf("run %d: %s", i+1, f.Cut)
		}
		out.Events += f.Events
		out.Length += f.Length
		for _, x := range f.Files {
			x.shift(shift)
			x.Runs = []int{i}
			key := x.Place
			if key == "" {
				key = "\x00" + x.Path
			}
			if files[key] == nil {
				order = append(order, key)
			}
			files[key] = append(files[key], x)
		}
	}
	for _, key := range order {
		out.Files = append(out.Files, joined(files[key]))
	}
	fromKin(out.Files)
	for _, x := range out.Files {
		out.Counts[x.Kind]++
	}
	err := out.Correct(corrections) // each fits a file: none is lost
	sortFiles(out.Files)
	return &out, err
}

// sameVariant says what keeps two runs from being told as one.
func sameVariant(a, b *Footprint) error {
	edition := func(f *Footprint) string {
		if f.Edition == nil {
			return "none"
		}
		return strings.TrimSpace(f.Edition.Store + " " + f.Edition.Ref)
	}
	if a.Self == nil || b.Self == nil {
		return fmt.Errorf("%w: a shared footprint names no person", ErrOtherVariant)
	}
	for _, x := range []struct{ what, a, b string }{
		{"title", a.Title, b.Title}, {"edition", edition(a), edition(b)}, {"launcher", a.Launcher, b.Launcher},
		{"system", a.OS + " " + a.Runtime, b.OS + " " + b.Runtime},
	} {
		if !strings.EqualFold(x.a, x.b) {
			return fmt.Errorf("%w: the %s of one is %q, and of the first %q", ErrOtherVariant, x.what, x.b, x.a)
		}
	}
	return nil
}

// shift moves a file's times.
func (f *File) shift(by time.Duration) {
	f.Lane = f.Lane.shifted(by)
	if f.Reads > 0 {
		f.FirstRead, f.LastRead = f.FirstRead+by, f.LastRead+by
	}
	if f.Written() || f.LastWrite > 0 {
		f.FirstWrite, f.LastWrite = f.FirstWrite+by, f.LastWrite+by
	}
}

// joined is one file as several runs saw it.
func joined(list []File) File {
	out := list[0]
	if len(list) == 1 {
		return out
	}
	out.Near, out.Programs = slices.Clone(out.Near), slices.Clone(out.Programs)
	findings := [][]Finding{out.Findings}
	out.Runs = slices.Clone(out.Runs)
	for _, x := range list[1:] {
		out.Runs = append(out.Runs, x.Runs...)
		if x.Reads > 0 {
			if out.Reads == 0 {
				out.FirstRead = x.FirstRead
			}
			out.LastRead = x.LastRead
		}
		if x.Written() {
			if !out.Written() {
				out.FirstWrite = x.FirstWrite
			}
			out.LastWrite = x.LastWrite
		}
		out.ReadAs += x.ReadAs
		out.Reads, out.Writes, out.Changes, out.Unused = out.Reads+x.Reads, out.Writes+x.Writes, out.Changes+x.Changes, out.Unused+x.Unused
		out.After = x.After
		out.Lane = out.Lane.followedBy(x.Lane)
		for _, n := range x.Near {
			if !slices.Contains(out.Near, n) {
				out.Near = append(out.Near, n)
			}
		}
		for _, p := range x.Programs {
			if !slices.Contains(out.Programs, p) {
				out.Programs = append(out.Programs, p)
			}
		}
		findings = append(findings, x.Findings)
	}
	out.Findings = JoinFindings(findings)
	out.Kind, out.Confidence, out.Reasons = Decide(out.Findings)
	return out
}
