// Package world loads the demo's data into a running service: the made-up titles
// that contributors found and a reviewer decided on, through the same API that
// everybody uses.
//
//	waiting, err := world.Load(ctx, "http://127.0.0.1:8417", world.People)
package world

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"slices"
	"time"

	"endroit/client"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/trace"
)

// Person is an account of the demo.
type Person struct {
	Name, Password string
	Reviewer       bool
}

// People are the demo's accounts. The passwords are for a machine of one's own.
var People = []Person{
	{"mira", "lantern-and-rope", false},
	{"tobin", "salt-on-the-glass", false},
	{"ysolde", "nine-old-orchards", false},
	{"anselm", "the-quiet-reader", true},
}

// Reviewer is the name of the account that decides in the demo.
const Reviewer = "anselm"

// Load submits the findings as their contributors and decides on them as the
// reviewer, in the order of the table: people are the accounts of these names.
// It returns how many wait.
func Load(ctx context.Context, service string, people []Person) (waiting int, err error) {
	as := map[string]*client.Client{}
	for _, p := range people {
		if as[p.Name], err = signIn(ctx, service, p); err != nil {
			return 0, fmt.Errorf("load the demo's data: %w", err)
		}
	}
	sent := 0
	send := func(by, title string, body contribution.Body, then, because string) error {
		sent++
		raw, err := contribution.Encode(body)
		if err != nil {
			return fmt.Errorf("load %s: %w", title, err)
		}
		c, err := as[by].Submit(ctx, fmt.Sprintf("demo-%d", sent), raw)
		if err != nil {
			return fmt.Errorf("load %s: %w", title, err)
		}
		switch then {
		case accepted:
			_, err = as[Reviewer].Accept(ctx, c.Number)
		case returned:
			_, err = as[Reviewer].Return(ctx, c.Number, because)
		default:
			waiting++
		}
		if err != nil {
			return fmt.Errorf("decide on %s: %w", title, err)
		}
		return nil
	}
	for _, f := range append(slices.Clone(findings), sheets()...) {
		if err := send(f.by, f.title, f.body(), f.then, f.because); err != nil {
			return 0, err
		}
	}
	named := func(by, title string) (string, error) {
		found, err := as[by].Titles(ctx, title, "")
		if err == nil && len(found.Items) != 1 {
			err = fmt.Errorf("%d titles are called %s", len(found.Items), title)
		}
		if err != nil {
			return "", fmt.Errorf("load what is said of %s: %w", title, err)
		}
		return found.Items[0].ID, nil
	}
	for _, c := range corrections {
		id, err := named(c.by, c.title)
		if err != nil {
			return 0, err
		}
		if err := send(c.by, c.title, c.body(id), c.then, ""); err != nil {
			return 0, err
		}
	}
	for _, x := range experiments {
		id, err := named(x.by, x.title)
		if err != nil {
			return 0, err
		}
		body, err := x.body(id)
		if err != nil {
			return 0, fmt.Errorf("lead the experiment with %s: %w", x.title, err)
		}
		if err := send(x.by, x.title, body, x.then, ""); err != nil {
			return 0, err
		}
	}
	return waiting, nil
}

func signIn(ctx context.Context, service string, p Person) (*client.Client, error) {
	c, err := client.New(service, "")
	if err != nil {
		return nil, err
	}
	token, err := c.Login(ctx, p.Name, p.Password)
	if err != nil {
		return nil, err
	}
	return client.New(service, token.Token)
}

// What the reviewer did with a finding.
const (
	accepted = "accepted"
	returned = "returned"
	waiting  = "waiting"
)

// finding is one contribution of the demo.
type finding struct {
	by, title string
	edition   trace.Edition
	launcher  string
	os        string
	runtime   string
	observer  string
	locations []draft.Location
	questions []draft.Question
	note      string
	files     []seen
	others    map[footprint.Kind]int // files that stay on the machine
	then      string
	because   string
	sheet     *contribution.Sheet // a sheet's instead
}

// seen is one file of a made-up run. Times are seconds after its start.
type seen struct {
	place         string
	kind          footprint.Kind
	confidence    float64
	reads, writes int
	read, written float64
	near          string
	before, size  int64 // bytes, 0 for not there
	looks         string
	findings      []footprint.Finding
}

// The made-up run: when it was, how long it took, and what was marked in it.
var (
	runStarted = time.Date(2026, 11, 21, 19, 4, 0, 0, time.UTC)
	runLength  = 412 * time.Second
	runCues    = []trace.Cue{
		{At: 21 * time.Second, Word: "loaded"},
		{At: 240 * time.Second, Word: "saved"},
		{At: 318 * time.Second, Word: "changed-setting"},
		{At: 405 * time.Second, Word: "quit"},
	}
)

func (f finding) body() contribution.Body {
	if f.sheet != nil {
		return f.sheet
	}
	d := &draft.Draft{
		Format:    draft.Format,
		Title:     f.title,
		Edition:   &f.edition,
		Launcher:  f.launcher,
		OS:        f.os,
		Runtime:   f.runtime,
		Locations: f.locations,
		Questions: f.questions,
		Note:      f.note,
	}
	return &contribution.Finding{
		Head: contribution.Head{Name: contribution.FindingKind, Machine: machineOf(f.by)}, Draft: d, Footprint: f.footprint(),
	}
}

func (f finding) footprint() *footprint.Footprint {
	fp := &footprint.Footprint{
		Format:   footprint.Format,
		Title:    f.title,
		Edition:  &f.edition,
		Launcher: f.launcher,
		OS:       f.os,
		Runtime:  f.runtime,
		Observer: f.observer,
		Started:  runStarted,
		Length:   runLength,
		Programs: []string{},
		Cues:     runCues,
		Gaps:     []trace.Gap{},
		Counts:   map[footprint.Kind]int{},
		Files:    []footprint.File{},
	}
	for k, n := range f.others {
		fp.Counts[k] += n
	}
	for _, s := range f.files {
		fp.Counts[s.kind]++
		fp.Events += s.reads + s.writes
		fp.Files = append(fp.Files, s.file())
	}
	return fp
}

func (s seen) file() footprint.File {
	state := func(size int64, at float64) trace.State {
		if size == 0 {
			return trace.State{Is: trace.IsAbsent}
		}
		return trace.State{Is: trace.IsFile, Size: size, Time: runStarted.Add(seconds(at)), Looks: s.looks}
	}
	f := footprint.File{
		Place:      s.place,
		Kind:       s.kind,
		Confidence: s.confidence,
		Findings:   s.findings,
		Reads:      s.reads,
		Writes:     s.writes,
		Before:     state(s.before, -86400),
		After:      state(s.size, s.written),
	}
	if s.reads > 0 {
		f.FirstRead, f.LastRead = seconds(s.read), seconds(s.read)
	}
	if s.writes > 0 {
		f.FirstWrite, f.LastWrite = seconds(s.written), seconds(s.written)
	}
	if f.Kind.OfInterest() {
		f.Lane = &footprint.Lane{Reads: strokes(f.FirstRead, s.reads), Writes: strokes(f.FirstWrite, s.writes)}
	}
	if s.near != "" {
		f.Near = []string{s.near}
	}
	return f
}

// strokes are some uses that follow each other closely.
func strokes(at time.Duration, times int) []footprint.Stroke {
	if times == 0 {
		return nil
	}
	return []footprint.Stroke{{int64(at), int64(at) + int64(times-1)*int64(10*time.Millisecond), int64(times)}}
}

// seconds is a time in a run.
func seconds(s float64) time.Duration { return time.Duration(s * float64(time.Second)) }

// found is a finding about a word.
func found(id, word string) footprint.Finding {
	return footprint.Finding{ID: id, Facts: footprint.Facts{Word: word}}
}

// near is the finding that a file was written some seconds before a cue.
func near(cue string, before float64) footprint.Finding {
	id := "written-near-saved"
	if cue == "changed-setting" {
		id = "written-near-setting"
	}
	return footprint.Finding{ID: id, Facts: footprint.Facts{Word: cue, At: -seconds(before)}}
}

// machineOf is the pseudonym of a made-up person's machine.
func machineOf(by string) string {
	sum := sha256.Sum256([]byte("the machine of " + by))
	return hex.EncodeToString(sum[:16])
}

// Published waits until all that was accepted is published.
func Published(ctx context.Context, service string, people []Person) error {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	for _, p := range people {
		if p.Name != Reviewer {
			continue
		}
		c, err := signIn(ctx, service, p)
		if err != nil {
			return err
		}
		for {
			page, err := c.Contributions(ctx, client.Filter{State: accepted, Limit: 1})
			if err != nil {
				return err
			}
			if len(page.Items) == 0 || page.Items[0].Revision != nil {
				return nil
			}
			select {
			case <-ctx.Done():
				return fmt.Errorf("what was accepted is not published: %w", ctx.Err())
			case <-time.After(50 * time.Millisecond):
			}
		}
	}
	return nil
}
