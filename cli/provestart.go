package cli

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"endroit/copies"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/proof"
	"endroit/safefile"
	"endroit/tracefiles"
)

// start starts the game under observation, and reads what it did.
func (x *proving) start(ctx context.Context, side *copies.Side) (e proof.Event, err error) {
	self, err := os.Executable()
	if err != nil {
		return e, err
	}
	name := strings.TrimSuffix(x.file, ".json") + fmt.Sprintf("-%d.trace", len(x.p.Rounds))
	_ = os.Remove(name) // of a start that was interrupted
	args := []string{"trace", "--quiet", "--title", x.p.Title, "--out", name}
	if side.Variant.Prefix != "" {
		args = append(args, "--prefix", side.Variant.Prefix)
	}
	if side.Variant.Install != "" {
		args = append(args, "--install", side.Variant.Install)
	}
	c := exec.CommandContext(ctx, self, append(append(args, "--"), x.game...)...)
	says := &withoutOwn{to: x.a.err}
	c.Stdin, c.Stdout, c.Stderr = x.a.in, x.a.err, says
	c.Cancel = func() error { return c.Process.Signal(os.Interrupt) }
	c.WaitDelay = 10 * time.Second
	_ = c.Run() // how the game ended says nothing: whether it ran, the trace tells
	if ctx.Err() != nil {
		return e, ctx.Err()
	}
	fp, _, unread := tracefiles.Read(name, footprint.Filter{})
	if unread != nil {
		x.tell("%s", x.a.missing("the game could not be started: "+shown(strings.Join(says.own, "; "))))
		e.Answer = proof.Failed
		return e, nil
	}
	data, err := safefile.Read(name, maxTraceDigest)
	if err != nil {
		return e, err
	}
	sum := sha256.Sum256(data)
	e.Trace = hex.EncodeToString(sum[:])
	e.Sees = proof.See(x.p.Locations, fp)
	x.tellSeen(e.Sees)
	return e, x.closed(ctx, side)
}

// mostSeen is of how many locations it is told what a start did with their files.
const mostSeen = 6

// tellSeen says what a start did with the files of the locations that were away, or of all if
// none was; of a search, with all files together.
func (x *proving) tellSeen(sees []proof.Sees) {
	away := x.p.Rounds[len(x.p.Rounds)-1].Away
	told := slices.DeleteFunc(slices.Clone(sees), func(s proof.Sees) bool {
		return len(away) > 0 && !slices.Contains(away, s.Location)
	})
	if x.p.Aim == proof.Which {
		says := "none of these files was used"
		if all := proof.Together(sees); all != (proof.Sees{}) {
			says = all.String()
		}
		x.tell("  seen: %s", says)
		return
	}
	for i, s := range told {
		if i == mostSeen && len(told) > mostSeen+1 {
			x.tell("  seen: and %d more locations", len(told)-i)
			return
		}
		x.tell("  seen: %s: %s", shown(x.p.Locations[s.Location].At), x.p.Saw(s))
	}
}

// withoutOwn passes on what a game says, and keeps what endroit trace says of it.
type withoutOwn struct {
	to   io.Writer
	line []byte
	own  []string
}

func (w *withoutOwn) Write(data []byte) (int, error) {
	for _, c := range data {
		if w.line = append(w.line, c); c != '\n' && len(w.line) < 1<<16 {
			continue
		}
		if text, own := strings.CutPrefix(string(w.line), "endroit: "); own {
			w.own = append(w.own, strings.TrimSpace(text))
		} else if _, err := w.to.Write(w.line); err != nil {
			return 0, err
		}
		w.line = w.line[:0]
	}
	return len(data), nil
}

// maxTraceDigest bounds the trace of one start, in bytes.
const maxTraceDigest = 1 << 30

// answer asks what state the game was in: a person, a command, or what was said beforehand.
func (x *proving) answer(ctx context.Context) (proof.Answer, error) {
	if said := x.c.StringSlice("answer"); len(said) > 0 {
		n := len(x.p.Rounds) - 1
		if n >= len(said) {
			return "", fail(exitUsage, "there was a start %d, and --answer has %d", n+1, len(said))
		}
		return proof.Answer(said[n]), nil
	}
	if line := x.c.String("ask"); line != "" {
		c := exec.CommandContext(ctx, "sh", "-c", line)
		c.Stderr = x.a.err
		out, err := c.Output()
		if err != nil {
			return "", fail(exitFailed, "--ask %s: %w", line, err)
		}
		return proof.Answer(strings.ToLower(strings.TrimSpace(string(out)))), nil
	}
	for {
		said, err := x.a.askLine(x.p.Question(proof.Round{}) + " [new/progress/part/failed/unsure]")
		if err != nil {
			return "", err
		}
		if answer := proof.Answer(strings.ToLower(said)); slices.Contains(proof.Answers, answer) {
			return answer, nil
		}
	}
}

// runsOf are the traces that a draft was made from.
func runsOf(name string, d *draft.Draft) (out []proof.Run, err error) {
	for _, t := range append([]draft.Trace{*d.Trace}, d.Also...) {
		file, err := filepath.Abs(fromDraft(name, t.File))
		if err != nil {
			return nil, err
		}
		digest := t.SHA256
		if digest == "" {
			if _, digest, err = readTrace(file); err != nil {
				return nil, err
			}
		}
		out = append(out, proof.Run{File: file, SHA256: digest})
	}
	return out, nil
}
