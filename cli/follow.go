package cli

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"strings"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/capture/cues"
	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/trace"
)

// tail reads a file that somebody else is writing: at its end it waits for more, until
// over says that no more will come.
type tail struct {
	file *os.File
	over func() bool
}

const tailPause = 200 * time.Millisecond

func (t *tail) Read(p []byte) (int, error) {
	for {
		over := t.over() // asked first, so that what was written until then is read
		n, err := t.file.Read(p)
		if n > 0 || err != nil && !errors.Is(err, io.EOF) || over {
			return n, err
		}
		time.Sleep(tailPause)
	}
}

// follower sums up a trace that is being written.
type follower struct {
	lines   chan trace.Line
	err     error // read after lines is closed
	live    *footprint.Live
	header  trace.Header
	started time.Time
	ended   bool // its end line was seen
}

// followFile reads along in a trace. It blocks until the header is there.
func followFile(name string, over func() bool) (*follower, func(), error) {
	file, err := os.Open(name)
	if err != nil {
		return nil, nil, err
	}
	left := make(chan struct{})
	r, err := trace.NewReader(&tail{file, func() bool {
		select {
		case <-left:
			return true
		default:
			return over()
		}
	}}, trace.DefaultLimits)
	if err != nil {
		_ = file.Close()
		return nil, nil, err
	}
	f := &follower{
		lines:   make(chan trace.Line, 256),
		live:    footprint.NewLive(r.Header),
		header:  r.Header,
		started: r.Header.Started,
	}
	go func() {
		defer close(f.lines)
		defer file.Close()
		for line, err := range r.Lines() {
			if err != nil {
				f.err = err
				return
			}
			select {
			case f.lines <- line:
			case <-left:
				return
			}
		}
	}()
	return f, func() { close(left) }, nil
}

// wait takes lines until the time is over; more is false when the trace has ended.
func (f *follower) wait(d time.Duration) (more bool) {
	timeout := time.NewTimer(d)
	defer timeout.Stop()
	for {
		select {
		case line, ok := <-f.lines:
			if !ok {
				return false
			}
			f.ended = f.ended || line.End != nil
			f.live.Add(line)
		case <-timeout.C:
			return true
		}
	}
}

// elapsed is how long the run has gone on.
func (f *follower) elapsed(so footprint.LiveSummary) time.Duration {
	if f.ended {
		return so.Length
	}
	return max(so.Length, time.Since(f.started))
}

// shownLatest is how many files of interest the summary names.
const shownLatest = 6

// block is the summary in lines.
func (f *follower) block(width int) []string {
	so := f.live.Summary(shownLatest)
	elapsed := f.elapsed(so)
	title := f.header.Title
	if title == "" && len(f.header.Command) > 0 {
		title = path.Base(f.header.Command[0])
	}
	head := fmt.Sprintf(
		"%s: %s, %s written", cmp.Or(shown(title), "a run"), phrase.Duration(elapsed),
		phrase.Count(so.Written, "file", "files"),
	)
	if n := len(so.Cues); n > 0 {
		c := so.Cues[n-1]
		head += fmt.Sprintf(", last cue %s %s", shown(c.Word), ago(elapsed-c.At))
	} else {
		head += ", no cue yet"
	}
	if so.Gaps > 0 {
		head += ", " + phrase.Count(so.Gaps, "gap", "gaps")
	}
	lines := []string{clipEnd(head, width)}
	for _, x := range so.Latest {
		lines = append(lines, latestLine(x, elapsed, width))
	}
	if len(so.Latest) == 0 {
		lines = append(lines, clipEnd("  no progress, settings or pictures were written yet", width))
	}
	return lines
}

func latestLine(x footprint.File, elapsed time.Duration, width int) string {
	left := fmt.Sprintf("  %-8s %-15s ", x.Kind.Word(), ago(elapsed-x.LastWrite))
	return left + clipStart(shown(cmp.Or(x.Place, x.Path)), width-len(left))
}

// statusLine is the summary in one line: the last few files by name.
func (f *follower) statusLine(width int) string {
	so := f.live.Summary(3)
	elapsed := f.elapsed(so)
	parts := []string{fmt.Sprintf("endroit: %s, %s written", phrase.Duration(elapsed), phrase.Count(so.Written, "file", "files"))}
	if n := len(so.Cues); n > 0 {
		parts[0] += fmt.Sprintf(", cue %s %s", shown(so.Cues[n-1].Word), ago(elapsed-so.Cues[n-1].At))
	}
	for _, x := range so.Latest {
		parts = append(parts, fmt.Sprintf(
			"%s %s %s", x.Kind.Word(), shown(path.Base(strings.TrimSuffix(cmp.Or(x.Place, x.Path), "/"))),
			ago(elapsed-x.LastWrite),
		))
	}
	line := parts[0]
	for i, p := range parts[1:] {
		separator := ", "
		if i == 0 {
			separator = " | "
		}
		next := line + separator + p
		if len([]rune(next)) > width {
			break
		}
		line = next
	}
	return clipEnd(line, width)
}

func ago(d time.Duration) string {
	if d < time.Second {
		return "now"
	}
	if d < 10*time.Second {
		return fmt.Sprintf("%d s ago", int(d.Seconds()))
	}
	return phrase.Duration(d) + " ago"
}

// clipEnd and clipStart shorten a line to a width in characters.
func clipEnd(text string, width int) string {
	r := []rune(text)
	if width <= 1 || len(r) <= width {
		return text
	}
	return string(r[:width-1]) + "…"
}

func clipStart(text string, width int) string {
	r := []rune(text)
	if width <= 1 || len(r) <= width {
		return text
	}
	return "…" + string(r[len(r)-width+1:])
}

// follow shows the summary of a running trace until it ends: on a terminal in place,
// else a line for each file of interest that was written.
func (a *app) follow(ctx context.Context, c *cli.Command) error {
	running, err := cues.Find("", int(c.Int("pid")))
	if errors.Is(err, cues.ErrNoTrace) {
		return fail(exitNotFound, "%w", err)
	}
	if err != nil {
		return err
	}
	if running.Trace == "" {
		return fail(exitFailed, "the running trace is not written to a file that can be followed")
	}
	f, leave, err := followFile(running.Trace, func() bool {
		return !cues.IsRunning(running.PID) || ctx.Err() != nil
	})
	if err != nil {
		return ofFile(running.Trace, err)
	}
	defer leave()
	if term.IsTerminal(int(os.Stdout.Fd())) && a.out == os.Stdout {
		f.redraw(ctx, a)
	} else {
		f.print(ctx, a)
	}
	if f.err != nil {
		return ofFile(running.Trace, f.err)
	}
	switch {
	case ctx.Err() != nil:
	case f.ended:
		a.tell("endroit: the run has ended; next: endroit footprint %s", running.Trace)
	default:
		a.tell("endroit: the trace in %s ended without its last line; what it contains can be used", running.Trace)
	}
	return nil
}

const followEvery = time.Second

func (f *follower) redraw(ctx context.Context, a *app) {
	drawn := 0
	for more := true; more && ctx.Err() == nil; {
		more = f.wait(followEvery)
		width, _, err := term.GetSize(int(os.Stdout.Fd()))
		if err != nil || width <= 0 {
			width = 80
		}
		lines := append(
			f.block(width), "",
			clipEnd("Mark a moment: endroit cue saved. Ctrl-C ends this view; the game goes on.", width),
		)
		if drawn > 0 {
			fmt.Fprintf(a.out, "\x1b[%dA\x1b[J", drawn)
		}
		fmt.Fprint(a.out, strings.Join(lines, "\n")+"\n")
		drawn = len(lines)
	}
}

// print says each writing of a file of interest once.
func (f *follower) print(ctx context.Context, a *app) {
	said := map[string]time.Duration{}
	cues := 0
	for more := true; more && ctx.Err() == nil; {
		more = f.wait(followEvery)
		so := f.live.Summary(shownLatest)
		for ; cues < len(so.Cues); cues++ {
			a.say("%8s  cue      %s", phrase.Duration(so.Cues[cues].At), shown(so.Cues[cues].Word))
		}
		for i := len(so.Latest) - 1; i >= 0; i-- {
			x := so.Latest[i]
			if at, known := said[x.Path]; !known || x.LastWrite-at >= followEvery {
				said[x.Path] = x.LastWrite
				a.say("%8s  %-8s %s", phrase.Duration(x.LastWrite), x.Kind.Word(), shown(cmp.Or(x.Place, x.Path)))
			}
		}
	}
}

// summed begins to keep the summary in the terminal, unless --quiet forbids it, and
// returns what takes it away.
func (a *app) summed(c *cli.Command, name string) func() {
	if c.Bool("quiet") {
		return func() {}
	}
	ended := make(chan struct{})
	gone := a.status(name, ended)
	return func() {
		close(ended)
		<-gone
	}
}

// status keeps the summary in the last row of the terminal while a program runs there,
// and takes it away at the end. A program that takes the terminal over is left alone.
func (a *app) status(name string, ended <-chan struct{}) (done <-chan struct{}) {
	gone := make(chan struct{})
	fd := int(os.Stderr.Fd())
	if !term.IsTerminal(fd) || a.err != os.Stderr {
		close(gone)
		return gone
	}
	go func() {
		defer close(gone)
		f, leave, err := followFile(name, func() bool {
			select {
			case <-ended:
				return true
			default:
				return false
			}
		})
		if err != nil {
			return
		}
		defer leave()
		out := bufio.NewWriter(os.Stderr)
		held := 0 // rows of the terminal while the last is ours
		release := func() {
			if held > 0 {
				fmt.Fprintf(out, "\x1b7\x1b[r\x1b[%d;1H\x1b[2K\x1b8", held)
				_ = out.Flush()
				held = 0
			}
		}
		defer release()
		for more := true; more; {
			more = f.wait(followEvery)
			select {
			case <-ended:
				return
			default:
			}
			width, rows, err := term.GetSize(fd)
			if err != nil || rows < 5 || !cooked(fd) {
				release()
				continue
			}
			if held != rows {
				release()
				// Room first, so that the cursor is not in the last row.
				fmt.Fprintf(out, "\n\x1b[A\x1b7\x1b[1;%dr\x1b8", rows-1)
				held = rows
			}
			fmt.Fprintf(out, "\x1b7\x1b[%d;1H\x1b[2K\x1b[2m%s\x1b[0m\x1b8", rows, f.statusLine(width-1))
			_ = out.Flush()
		}
	}()
	return gone
}
