package cli

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"
	"golang.org/x/term"

	"endroit/core/footprint"
	"endroit/core/phrase"
	"endroit/core/trace"
	"endroit/parallel"
	"endroit/safefile"
)

// json prints a value as encoding/json writes it, indented. That package would write it
// twice, and an answer can have millions of lines.
func (a *app) json(v any) error { return writeJSON(a.out, v, "") }

func writeJSON(w io.Writer, v any, prefix string) error {
	e := jsontext.NewEncoder(w, jsontext.WithIndentPrefix(prefix), jsontext.WithIndent("  "), jsontext.EscapeForHTML(false))
	return json.MarshalEncode(e, v, jsonv1.DefaultOptionsV1(), jsontext.EscapeForHTML(false))
}

// jsonList prints what json does of an object that has, behind what head has, a list: its
// parts are written on all processors.
func jsonList[T any](a *app, head any, name string, list []T) error {
	var text bytes.Buffer
	if err := writeJSON(&text, head, ""); err != nil {
		return err
	}
	const prefix = "    "
	parts := make([]bytes.Buffer, len(list))
	if err := parallel.Each(context.Background(), len(list), func(_ context.Context, i int) error {
		return writeJSON(&parts[i], list[i], prefix)
	}); err != nil {
		return err
	}
	out := bufio.NewWriterSize(a.out, 64<<10)
	_, _ = out.Write(bytes.TrimSuffix(text.Bytes(), []byte("\n}\n")))
	fmt.Fprintf(out, ",\n  %q: [", name)
	for i := range parts {
		if i > 0 {
			_ = out.WriteByte(',')
		}
		_, _ = out.WriteString("\n" + prefix)
		_, _ = out.Write(bytes.TrimSpace(parts[i].Bytes()))
	}
	if len(parts) > 0 {
		_, _ = out.WriteString("\n  ")
	}
	_, _ = out.WriteString("]\n}\n")
	return out.Flush()
}

func (a *app) say(format string, args ...any)  { fmt.Fprintf(a.out, format+"\n", args...) }
func (a *app) tell(format string, args ...any) { fmt.Fprintf(a.err, format+"\n", args...) }

// shown is a text from outside as a terminal may have it; see phrase.Visible.
func shown(text string) string { return phrase.Visible(text) }

// word is what a location holds, as people read it: save reads progress.
func word(holds string) string { return footprint.Kind(holds).Word() }

// ask asks on the terminal and takes only a plain yes. It fails if standard input is
// not a terminal.
func (a *app) ask(question string) (bool, error) {
	if !term.IsTerminal(int(a.in.Fd())) {
		return false, fail(exitUsage, "standard input is not a terminal; pass --yes to go ahead")
	}
	line, err := a.askLine(question + " [y/N]")
	if err != nil {
		return false, err
	}
	switch strings.ToLower(line) {
	case "y", "yes":
		return true, nil
	}
	return false, nil
}

// askLine asks on the terminal for a line.
func (a *app) askLine(question string) (string, error) {
	fmt.Fprintf(a.err, "%s ", question)
	line, err := a.readLine()
	if err != nil && line == "" {
		fmt.Fprintln(a.err)
		return "", fail(exitFailed, "standard input ended before there was an answer")
	}
	return strings.TrimSpace(line), nil
}

// readLine reads a line of standard input. What is read ahead of it stays for the next.
func (a *app) readLine() (string, error) {
	if a.lines == nil {
		a.lines = bufio.NewReader(a.in)
	}
	return a.lines.ReadString('\n')
}

// newFile creates a file that must not be there yet.
func newFile(name string) (*os.File, error) {
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if errors.Is(err, os.ErrExist) {
		return nil, fail(exitUsage, "%s already exists; choose another file with --out, or remove it", name)
	}
	if err != nil {
		return nil, fail(exitFailed, "%w", err)
	}
	return f, nil
}

// indent puts each line behind a margin.
func indent(margin, text string) string {
	return margin + strings.ReplaceAll(strings.TrimRight(text, "\n"), "\n", "\n"+margin)
}

// gapsShown is how many gaps are printed, and gapShown how many characters of one.
const (
	gapsShown = 20
	gapShown  = 600
)

// gapLines prints what could not be seen, a line each.
func gapLines(gaps []trace.Gap, say func(line string)) {
	for i, g := range gaps {
		if i == gapsShown {
			say(fmt.Sprintf("not seen: and %d more (--json lists them)", len(gaps)-i))
			return
		}
		text := []rune(g.What)
		if len(text) > gapShown {
			text = append(text[:gapShown], '…')
		}
		say("not seen: " + shown(string(text)))
	}
}

// ownFile is how large a file is at most that the program keeps for itself.
const ownFile = 1 << 20

// unread is the exit code of a file that cannot be read: too large is bad input.
func unread(err error) int {
	var large *safefile.ErrLarge
	if errors.As(err, &large) {
		return exitInput
	}
	return exitNotFound
}
