// Package experiments has the stand-in game's plays proven by the program itself, without a
// person, and holds what it finds to the truth.
//
//	r, err := experiments.Prove(ctx, programs, play, home)
package experiments

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/go-json-experiment/json"

	"endroit/core/proof"
	"endroit/standin/keeper"
)

// Programs are where the programs are.
type Programs struct{ Endroit, Keeper string }

// Result is what an experiment with a play found.
type Result struct {
	Play                   keeper.Play
	Right, Wrong, Unknown  int // locations: as the truth is, otherwise, not decided
	Starts, Halving, Files int // of a search
	Faults                 []string
}

// arguments are those of endroit prove.
func arguments(programs Programs, p keeper.Play) []string {
	what := "keeper.draft.yaml"
	if p.Aim == proof.Nothing {
		what = "keeper.trace"
	}
	args := []string{
		"prove", what, "--yes", "--although", "observed", "--settle", "10ms", "--quiet", "1ms", "--json", "--ask", "cat keeper.state",
	}
	switch p.Aim {
	case proof.Which:
		args = append(args, "--which")
	case proof.Nothing:
		args = append(args, "--nothing")
	}
	if p.Holds == "config" {
		args = append(args, "--holds", "settings")
	}
	return append(args, "--", programs.Keeper, p.Name)
}

func command(ctx context.Context, home, program string, args ...string) *exec.Cmd {
	c := exec.CommandContext(ctx, program, args...)
	c.Dir, c.Env = home, []string{"HOME=" + home, "PATH=" + os.Getenv("PATH"), "XDG_RUNTIME_DIR=" + home}
	return c
}

// Prepare makes a home in which the play was played, with the draft of its locations.
func Prepare(ctx context.Context, programs Programs, p keeper.Play, home string) error {
	if err := p.Prepare(home); err != nil {
		return err
	}
	if p.Aim == proof.Nothing { // by a trace, which says what it writes
		trace := []string{"trace", "--title", "Keeper", "--quiet", "--out", "keeper.trace", "--", programs.Keeper, p.Name}
		if out, err := command(ctx, home, programs.Endroit, trace...).CombinedOutput(); err != nil {
			return fmt.Errorf("trace: %w: %s", err, out)
		}
		return nil
	} else if out, err := command(ctx, home, programs.Keeper, p.Name).CombinedOutput(); err != nil { // once, as a person has
		return fmt.Errorf("play: %w: %s", err, out)
	}
	text := "format: endroit/draft/1\ntitle: Keeper\nos: linux\nruntime: native\nlocations:\n"
	for _, l := range p.Locations {
		text += fmt.Sprintf("  - {at: %q, holds: %s}\n", l.At, l.Holds)
	}
	return os.WriteFile(filepath.Join(home, "keeper.draft.yaml"), []byte(text), 0o644)
}

// Prove has a play proven, in a home of its own.
func Prove(ctx context.Context, programs Programs, p keeper.Play, home string) (*Result, error) {
	if err := Prepare(ctx, programs, p, home); err != nil {
		return nil, err
	}
	before, err := digests(home)
	if err != nil {
		return nil, err
	}
	c := command(ctx, home, programs.Endroit, arguments(programs, p)...)
	var said strings.Builder
	c.Stderr = &said
	out, err := c.Output()
	var exit *exec.ExitError
	if err != nil && !(errors.As(err, &exit) && exit.ExitCode() == 7) {
		return nil, fmt.Errorf("%s: %w: %s", p.Name, err, said.String())
	}
	var got proof.Proof
	if err := json.Unmarshal(out, &got); err != nil {
		return nil, fmt.Errorf("%s: %w: %s", p.Name, err, out)
	}
	r := judge(p, &got)
	after, err := digests(home)
	if err != nil {
		return nil, err
	}
	if !slices.Equal(before, after) {
		r.Faults = append(r.Faults, fmt.Sprintf("the files are not as they were: %v, before %v", after, before))
	}
	return r, nil
}

// judge holds what was found to the truth.
func judge(p keeper.Play, got *proof.Proof) *Result {
	r := &Result{Play: p}
	count := func(right bool, undecided bool, what string) {
		switch {
		case right:
			r.Right++
		case undecided:
			r.Unknown++
		default:
			r.Wrong++
			r.Faults = append(r.Faults, what)
		}
	}
	switch p.Aim {
	case proof.Which:
		set, starts, halving, ok := got.Found()
		r.Starts, r.Halving, r.Files = starts, halving, len(got.Locations)
		var names []string
		for _, i := range set {
			names = append(names, strings.TrimPrefix(got.Locations[i].At, "xdg-data:keeper/"))
		}
		slices.Sort(names)
		count(ok && slices.Equal(names, p.Needed), !ok, fmt.Sprintf("found %v, and needed are %v", names, p.Needed))
	case proof.Nothing:
		count(got.Absent() == p.Nothing, !got.Absent(), "it says that nothing is kept")
	default:
		for i, want := range p.Locations {
			l := got.Locations[i]
			right := l.Result == want.Want && l.Enough == want.Enough
			if want.Want == proof.Undecided && right {
				r.Unknown++
				continue
			}
			count(right, l.Result == proof.Undecided, fmt.Sprintf("%s: %s (%s), and not %s", l.At, l.Result, l.Why, want.Want))
		}
	}
	return r
}

// digests are the game's files, as text.
func digests(home string) (out []string, err error) {
	top := keeper.Folder(home)
	err = filepath.WalkDir(top, func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		info, err := e.Info()
		if err != nil {
			return err
		}
		at := info.ModTime().UTC().Format(time.RFC3339Nano)
		out = append(out, fmt.Sprintf("%s %x %s", strings.TrimPrefix(path, top), sha256.Sum256(data), at))
		return nil
	})
	return out, err
}
