package cli

import (
	"cmp"
	"context"
	"errors"
	"os"
	"strconv"
	"time"

	"github.com/urfave/cli/v3"

	"endroit/capture"
	"endroit/capture/cues"
	"endroit/capture/system"
	"endroit/core/trace"
)

// traceSystem observes programs that somebody else starts.
func (a *app) traceSystem(ctx context.Context, c *cli.Command) error {
	if c.Args().Len() > 0 {
		return fail(exitUsage, "--system takes no command; start the game as usual")
	}
	edition, err := parseEdition(c.String("edition"))
	if err != nil {
		return err
	}
	o := system.Options{
		Process: c.String("process"),
		PID:     int(c.Int("pid")),
		Header:  trace.Header{Title: c.String("title"), Edition: edition, Launcher: c.String("launcher")},
	}
	if c.IsSet("pid") && (o.PID <= 0 || !cues.IsRunning(o.PID)) {
		return fail(exitUsage, "no process has the id %d", o.PID)
	}
	if o.PID != 0 && o.Process != "" {
		return fail(exitUsage, "--process and --pid exclude each other")
	}
	if folder := c.String("under"); folder != "" {
		if o.Under, err = wholeFolder(folder); err != nil {
			return fail(exitUsage, "--under %w", err)
		}
	}
	if folder := c.String("install"); folder != "" {
		if o.Header.Install, err = wholeFolder(folder); err != nil {
			return fail(exitUsage, "--install %w", err)
		}
	}
	if err := a.namedPrefix(ctx, c, &o.Header); err != nil {
		return err
	}
	person, env, uid, gid, behind := system.SudoUser()
	if behind {
		o.Header.User, o.Header.Env = person, env
	}
	if behind { // what root makes for somebody is made with their rights, and is theirs
		o.Behalf = capture.RightsOf(uid, gid)
	}
	name := traceName(c, o.Header.Title, "system")
	var file *os.File
	err = errors.New("root could not act with the rights of " + person)
	o.Behalf.Do(func() { file, err = newFile(name) })
	if err != nil {
		return err
	}
	result, err := a.systemInto(ctx, c, file, o)
	if e := file.Close(); err == nil {
		err = e
	}
	if errors.Is(err, capture.ErrUnsupported) && result.End == (trace.End{}) {
		o.Behalf.Do(func() { _ = os.Remove(name) })
		return &failure{exitTrace, err}
	}
	if err != nil {
		return fail(exitTrace, "the trace in %s is incomplete: %w", name, err)
	}
	a.traced("observed", name, result)
	return nil
}

func (a *app) systemInto(ctx context.Context, c *cli.Command, file *os.File, o system.Options) (capture.Result, error) {
	var err error
	if o.Path, o.Versions, err = traceOutputs(c, file.Name()); err != nil {
		return capture.Result{}, err
	}
	o.Out = file
	o.Notice = func(text string) { a.tell("endroit: %s", text) }
	ctx, done := a.observeUntilEnd(ctx, c, file.Name())
	defer done()
	o.Ready = func() {
		what, when := "every program", "Ctrl-C ends"
		switch {
		case o.PID != 0:
			what, when = "process "+strconv.Itoa(o.PID)+" and what it starts", "it ends when they have, or with Ctrl-C"
		case o.Process != "":
			what, when = "programs called "+o.Process+" and what they start", "it ends when they have, or with Ctrl-C"
		}
		if o.Under != "" {
			what += ", in " + o.Under
		} else if o.PID == 0 && o.Process == "" {
			a.tell("endroit: everything is observed, so the trace will be large; --process, --pid or --under narrow it down")
		}
		a.tell("endroit: observing %s; start the game now; %s", shown(what), when)
	}
	start := time.Now()
	result, err := system.Run(ctx, o)
	if err == nil && result.End.Events == 0 && time.Since(start) > time.Second {
		a.tell("endroit: it used no files; is the name right (%s)?", shown(cmp.Or(o.Process, "see --process")))
	}
	return result, err
}
