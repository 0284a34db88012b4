package cli

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/urfave/cli/v3"

	"endroit/core/contribution"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/proof"
	"endroit/machine"
	"endroit/safefile"
)

// proofFile is the file of an experiment that a word names: its id, or a file; empty if it
// names none.
func proofFile(name string) (string, error) {
	if filepath.Ext(name) == ".json" {
		return name, nil
	}
	if len(name) != 16 || strings.Trim(name, "0123456789abcdef") != "" {
		return "", nil
	}
	folder, err := proofsFolder()
	return filepath.Join(folder, name+".json"), err
}

// readProof reads an experiment that was led on this machine.
func readProof(file string) (*proof.Proof, error) {
	data, err := safefile.Read(file, maxProof)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, fail(exitNotFound, "there is no experiment %s", strings.TrimSuffix(filepath.Base(file), ".json"))
	}
	if err != nil {
		return nil, fail(unread(err), "%w", err)
	}
	p := &proof.Proof{}
	if err := json.Unmarshal(data, p); err != nil {
		return nil, fail(exitInput, "%s is damaged: %w", file, err)
	}
	if p.Format != proof.Format {
		return nil, fail(exitInput, "%s is %.40q, and this program reads %s", file, p.Format, proof.Format)
	}
	return p, nil
}

// bodyOf makes the contribution of an experiment, with the traces of its starts.
func (a *app) bodyOf(file, note string) (*contribution.Proof, error) {
	p, err := readProof(file)
	if err != nil {
		return nil, err
	}
	switch {
	case p.At != proof.Finish:
		return nil, fail(exitConflict, "the experiment with %s is not over: endroit prove goes on with it", p.Title)
	case p.Ended != "":
		return nil, fail(
			exitConflict, "the experiment with %s was ended early (%s): it shows nothing that others could rely on", p.Title, p.Ended,
		)
	}
	var runs []*footprint.Footprint
	for i, r := range p.Rounds {
		if r.Trace == "" {
			continue
		}
		fp, digest, err := readTrace(strings.TrimSuffix(file, ".json") + fmt.Sprintf("-%d.trace", i+1))
		if err != nil {
			return nil, fmt.Errorf("the trace of start %d: %w", i+1, err)
		}
		if digest != r.Trace {
			return nil, fail(exitInput, "the trace of start %d has changed since (its SHA-256 differs): prove again", i+1)
		}
		runs = append(runs, fp)
	}
	before, self, err := runBefore(p)
	if err != nil {
		return nil, err
	}
	switch {
	case self == nil && len(runs) > 0:
		self = runs[0].Self
	case self == nil:
		roots, err := machine.Roots()
		if err != nil {
			return nil, err
		}
		self = oneself(roots)
	}
	body, err := contribution.PrepareProof(p, runs, before, note, self)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", p.ID, err)
	}
	return body, nil
}

// runBefore is the run before an absence, by which it is known what the game writes.
func runBefore(p *proof.Proof) (*footprint.Footprint, *footprint.Self, error) {
	if len(p.Before) == 0 {
		return nil, nil, nil
	}
	var all []*footprint.Footprint
	for _, r := range p.Before {
		fp, digest, err := readTrace(r.File)
		if err != nil {
			return nil, nil, fmt.Errorf("the run before the experiment: %w", err)
		}
		if digest != r.SHA256 {
			return nil, nil, fail(exitInput, "%s has changed since (its SHA-256 differs): prove again", r.File)
		}
		all = append(all, fp)
	}
	merged, err := footprint.Merge(all)
	if err != nil {
		return nil, nil, fail(exitInput, "%w", err)
	}
	return merged, merged.Self, nil
}

// submitProof sends an experiment, after showing what is sent.
func (a *app) submitProof(ctx context.Context, c *cli.Command, file string) error {
	body, err := a.bodyOf(file, c.String("note"))
	if err != nil {
		return err
	}
	if err := body.Check(ctx); err != nil {
		return err
	}
	raw, printed, err := a.asSent(c, body)
	if err != nil || printed {
		return err
	}
	a.preliminary(c).previewProof(body, len(raw))
	return a.send(ctx, c, raw, "experiment", "the experiment")
}

// previewProof shows all that will be sent of an experiment.
func (a *app) previewProof(b *contribution.Proof, size int) {
	p := b.Proof
	a.say("This will be sent (%s; --print shows it exactly):\n", phrase.Size(int64(size)))
	a.say("%s", shown(b.Statement()))
	a.say("  %s%s", shown(b.Variant.String()), versionOf(b.Version))
	for _, l := range p.Locations {
		a.say("  %s  %s (%s)", shown(phrase.Pad(string(l.Result), len(proof.NotEnough))), shown(l.At), proof.Amount(l.At, l.Files))
	}
	if !p.ByList {
		a.say("\nafter each round all files were brought back")
	}
	for i, r := range p.Rounds {
		a.say("\nround %d", i+1)
		for _, s := range p.Steps(r) {
			a.say("  %s", shown(s))
		}
		for _, s := range r.Sees {
			a.say("  seen: %s: %s", shown(p.Locations[s.Location].At), s)
		}
		for _, s := range r.Became {
			a.say("  %s: %s", shown(p.Locations[s.Location].At), s)
		}
		for _, s := range r.Listed {
			a.say("  %s: %s", shown(p.Locations[s.Location].At), p.Listing(s))
		}
		if r.Answer != "" {
			a.say("  %s %s", shown(p.Question(r)), p.Words(r.Answer))
		}
	}
	for i, f := range b.Runs {
		a.say("\nfootprint %d: %s", i+1, describe(f))
		for _, x := range f.Files {
			a.say("  %-8s  %s", x.Kind.Word(), shown(x.Place))
		}
	}
	if b.Note != "" {
		a.say("\nnote: %s", shown(b.Note))
	}
	a.say("")
}

func versionOf(version string) string {
	if version == "" {
		return ""
	}
	return ", version " + shown(version)
}
