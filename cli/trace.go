package cli

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"strings"
	"syscall"
	"time"

	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/capture"
	"endroit/core/manifest"
	"endroit/core/sheet"
	"endroit/core/trace"
	"endroit/machine"
)

func (a *app) trace() *cli.Command {
	return command(&cli.Command{
		Name: "trace", Usage: "run a program under observation and write a trace",
		UsageText:   "endroit trace [OPTION...] -- COMMAND [ARGUMENT...]",
		Description: "Runs the command with this terminal and ends with its exit code. While it runs,\nmark the moments that matter from another terminal with endroit cue.\nThe trace holds paths and times, no contents; it stays on this machine.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "title", Usage: "the game's `NAME`"},
			&cli.StringFlag{Name: "edition", Usage: "who sold this copy: `STORE[:REF[@VERSION]]`"},
			&cli.StringFlag{Name: "launcher", Usage: "the `ID` of the program that installed and starts it"},
			&cli.StringFlag{Name: "install", Usage: "the installed edition's `FOLDER` (otherwise the program's own)"},
			sheetsFlag(),
			&cli.StringFlag{Name: "out", Usage: "the `FILE` to write (otherwise named after the title and time)"},
		},
		Action: func(ctx context.Context, c *cli.Command) error { return ownCode(a.runTrace(ctx, c)) },
	}, find, "endroit trace --title Tidewrack --edition quayside:418820@1.2 --launcher quayside -- ./tidewrack\nendroit cue saved        # in another terminal, right after saving in the game")
}

// ownCode gives every failure of observing itself one exit code, so that it is
// not taken for the command's.
func ownCode(err error) error {
	var quiet silent
	var bad *capture.CommandError
	if err == nil || errors.As(err, &quiet) || errors.As(err, &bad) {
		return err
	}
	return &failure{exitTrace, err}
}

// parseEdition reads STORE[:REF[@VERSION]].
func parseEdition(text string) (*trace.Edition, error) {
	if text == "" {
		return nil, nil
	}
	var e trace.Edition
	var hasRef, hasVersion bool
	e.Store, e.Ref, hasRef = strings.Cut(text, ":")
	e.Ref, e.Version, hasVersion = strings.Cut(e.Ref, "@")
	if e.Store == "" || hasRef && e.Ref == "" || hasVersion && e.Version == "" || strings.Contains(e.Store, "@") {
		return nil, fail(exitUsage, "the edition %q is not STORE[:REF[@VERSION]], such as quayside:418820@1.2", text)
	}
	return &e, nil
}

func (a *app) runTrace(ctx context.Context, c *cli.Command) error {
	args := c.Args().Slice()
	if len(args) == 0 {
		return fail(exitUsage, "no command to run; write it behind --, such as: endroit trace --title Tidewrack -- ./tidewrack")
	}
	edition, err := parseEdition(c.String("edition"))
	if err != nil {
		return err
	}
	header := trace.Header{Title: c.String("title"), Edition: edition, Launcher: c.String("launcher")}
	if folder := c.String("install"); folder != "" {
		if header.Install, err = filepath.Abs(folder); err != nil {
			return err
		}
		if info, err := os.Stat(header.Install); err != nil || !info.IsDir() {
			return fail(exitUsage, "--install %s is not a folder", folder)
		}
	}
	if err := a.assume(c, &header, args[0]); err != nil {
		return err
	}
	name := c.String("out")
	if name == "" {
		base := manifest.ID(header.Title)
		if base == "" {
			base = manifest.ID(filepath.Base(args[0]))
		}
		name = fmt.Sprintf("%s-%s.trace", base, time.Now().Format("20060102-150405"))
	}
	file, err := newFile(name)
	if err != nil {
		return err
	}
	result, err := a.observe(ctx, args, header, file)
	if e := file.Close(); err == nil {
		err = e
	}
	var bad *capture.CommandError
	if errors.As(err, &bad) {
		_ = os.Remove(name) // nothing ran, nothing was seen
		return &failure{bad.Status, err}
	}
	if err != nil && result.End == (trace.End{}) && result.Header.Format == "" && errors.Is(err, capture.ErrUnsupported) {
		_ = os.Remove(name)
		return &failure{exitTrace, err}
	}
	if err != nil {
		return fail(exitTrace, "the trace in %s is incomplete: %w; the program itself ended with %d", name, err, result.Status)
	}
	a.traced(name, result)
	if result.Status != 0 {
		return silent(result.Status)
	}
	return nil
}

// assume fills in what the launchers' sheets know of the edition that is run, and
// says so. What the command line says stands.
func (a *app) assume(c *cli.Command, header *trace.Header, program string) error {
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	sheets, _, err := a.sheets(c)
	if err != nil {
		return err
	}
	if found, err := exec.LookPath(program); err == nil || errors.Is(err, exec.ErrDot) {
		program = found
	}
	list, how := editionsMeant(launchers(sheets, roots), *header, resolved(program))
	switch len(list) {
	case 0:
		return nil
	case 1:
	default:
		for _, o := range list {
			a.tell("endroit: it could be %s %s in %s", shown(o.Store), shown(o.Ref), shown(o.Folder))
		}
		a.tell("endroit: nothing is assumed; --edition and --install tell")
		return nil
	}
	one := list[0]
	if header.Title == "" {
		header.Title = one.Name
	}
	if header.Edition == nil {
		header.Edition = &trace.Edition{Store: one.Store}
	}
	if header.Edition.Ref == "" {
		header.Edition.Ref = one.Ref
	}
	if header.Edition.Version == "" {
		header.Edition.Version = one.Version
	}
	if header.Launcher == "" {
		header.Launcher = one.launcher
	}
	if header.Install == "" {
		header.Install = one.Folder
	}
	a.tell("endroit: taken for %s, %s %s version %s, launcher %s, installed in %s, %s; --title, --edition, --launcher and --install say otherwise", shown(header.Title), shown(header.Edition.Store), shown(header.Edition.Ref), shown(orUnknown(header.Edition.Version)), shown(header.Launcher), shown(header.Install), how)
	return nil
}

// editionsMeant finds the installed editions that a run could be of: the one whose
// folder the program lies in, else those of the title or reference that was named.
// None contradicts what was named.
func editionsMeant(found []sheet.Found, header trace.Header, program string) (list []installedEdition, how string) {
	var named, around []installedEdition
	for _, e := range installedEditions(found) {
		if header.Edition != nil && (header.Edition.Store != e.Store || header.Edition.Ref != "" && header.Edition.Ref != e.Ref) {
			continue
		}
		sameTitle := manifest.ID(header.Title) == manifest.ID(e.Name)
		if header.Title != "" && !sameTitle {
			continue
		}
		if strings.HasPrefix(program, e.Folder+string(filepath.Separator)) {
			around = append(around, e)
		}
		if sameTitle || header.Edition != nil && header.Edition.Ref != "" {
			named = append(named, e)
		}
	}
	if len(around) > 0 {
		return around, "where the program lies"
	}
	return named, "by what was named, though the program lies elsewhere"
}

// observe runs the command. The terminal's own signals reach it directly, as it
// is in the same foreground group; others are passed on.
func (a *app) observe(ctx context.Context, args []string, header trace.Header, file *os.File) (capture.Result, error) {
	stop := make(chan struct{})
	passOn := make(chan os.Signal, 8)
	signals := make(chan os.Signal, 8)
	signal.Notify(signals, passedOn...)
	defer signal.Stop(signals)
	fromTerminal := term.IsTerminal(int(a.in.Fd()))
	left := make(chan struct{})
	defer close(left)
	go func() {
		stopped := false
		for {
			select {
			case s := <-signals:
				if (s == syscall.SIGINT || s == syscall.SIGTERM) && !stopped {
					select {
					case stop <- struct{}{}: // taken only when the command has ended and others go on
						stopped = true
						continue
					default:
					}
				}
				if fromTerminal && (s == syscall.SIGINT || s == syscall.SIGQUIT) {
					continue
				}
				passOn <- s
			case <-left:
				return
			}
		}
	}()
	return capture.Run(context.WithoutCancel(ctx), capture.Options{Command: args, Header: header, Out: file, Stdin: a.in, Stdout: os.Stdout, Stderr: os.Stderr,
		Stop: stop, Signals: passOn, Notice: func(text string) { a.tell("endroit: %s", text) }})
}

// traced sums up on standard error, so that the program's own output stays
// alone.
func (a *app) traced(name string, r capture.Result) {
	a.tell("endroit: traced %s: %s on %s by %s, %s", inTerms(r.End.At), count(r.End.Events, "event", "events"), count(r.End.Files, "path", "paths"), count(r.End.Processes, "program", "programs"), count(r.End.Cues, "cue", "cues"))
	if r.End.Cues == 0 {
		a.tell("endroit: no moment was marked; with endroit cue saved right after saving, the saves are told apart more surely")
	}
	for _, g := range r.Gaps {
		a.tell("endroit: not seen: %s", shown(g.What))
	}
	a.tell("endroit: the trace is in %s; next: endroit footprint %s", name, name)
}

func (a *app) cue() *cli.Command {
	return command(&cli.Command{
		Name: "cue", Usage: "mark a moment in the running trace",
		UsageText:     "endroit cue WORD [--trace PID]",
		Description:   "Mark what just happened in the game. The standard words are\n  " + strings.Join(capture.Cues, ", ") + "\nand any word of your own will do.",
		Flags:         []cli.Flag{&cli.IntFlag{Name: "trace", Usage: "the process id of the endroit trace that is meant, if several run"}, jsonFlag()},
		ShellComplete: func(_ context.Context, _ *cli.Command) { a.say("%s", strings.Join(capture.Cues, "\n")) },
		Action: func(_ context.Context, c *cli.Command) error {
			word, err := oneArg(c, "one WORD")
			if err != nil {
				return err
			}
			if err := capture.CheckCue(word); err != nil {
				return fail(exitUsage, "%w", err)
			}
			m, err := capture.Cue("", word, int(c.Int("trace")))
			if errors.Is(err, capture.ErrNoTrace) {
				return fail(exitNotFound, "%w", err)
			}
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return a.json(m)
			}
			what := m.Title
			if what == "" {
				what = "the trace"
			}
			a.say("marked %s at %s of %s", word, inTerms(m.At), shown(what))
			return nil
		},
	}, find, "endroit cue saved")
}
