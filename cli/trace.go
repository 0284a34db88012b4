package cli

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/dustin/go-humanize"
	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/capture"
	"endroit/capture/calls"
	"endroit/capture/cues"
	"endroit/capture/versions"
	"endroit/core/manifest"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/core/trace"
	"endroit/identify"
	"endroit/machine"
)

func (a *app) trace() *cli.Command {
	return command(&cli.Command{
		Name: "trace", Usage: "run a program under observation and write a trace",
		Commands: []*cli.Command{a.traceShow(), a.traceTrim()},
		Flags: append(
			aboutFlags(),
			&cli.StringFlag{
				Name:  "prefix",
				Local: true,
				Usage: "the `FOLDER` of the compatibility prefix that a Windows build runs in",
			},
			&cli.BoolFlag{
				Name:  "end-server",
				Local: true,
				Usage: "end all programs in the prefix first: its running server cannot be observed",
			},
			&cli.StringFlag{Name: "account", Local: true, Usage: "the `ID` of the launcher's account in use"},
			choseFlag(),
			&cli.BoolFlag{Name: "native", Local: true, Usage: "it is a native build, although a prefix exists"},
			sheetsFlag(),
			&cli.StringFlag{Name: "out", Local: true, Usage: "the `FILE` to write (otherwise named after the title and time)"},
			versionsFlag(),
			versionsTotalFlag(),
			&cli.BoolFlag{Name: "quiet", Local: true, Usage: "no summary in the last row of the terminal while it runs"},
			&cli.BoolFlag{
				Name:  "system",
				Local: true,
				Usage: "run nothing: observe, as root, programs that other programs start",
			},
			&cli.StringFlag{
				Name:  "process",
				Local: true,
				Usage: "with --system only programs of this `NAME`, and what they start",
			},
			&cli.StringFlag{Name: "under", Local: true, Usage: "with --system only files in this `FOLDER`"},
			&cli.DurationFlag{Name: "for", Local: true, Usage: "with --system end after this `TIME`", HideDefault: true},
			&cli.BoolFlag{
				Name:  "follow",
				Local: true,
				Usage: "run nothing: show the summary of a trace that runs in another terminal",
			},
			&cli.IntFlag{
				Name:        "pid",
				Local:       true,
				Usage:       "with --system only this process, and what it starts: `PID`; with --follow the endroit trace that is meant",
				HideDefault: true,
			},
		),
		Action: func(ctx context.Context, c *cli.Command) error {
			switch {
			case c.Bool("follow"):
				return a.follow(ctx, c)
			case c.Bool("system"):
				return ownCode(a.traceSystem(ctx, c))
			}
			for _, name := range []string{"process", "pid", "under", "for"} {
				if c.IsSet(name) {
					return ownCode(fail(exitUsage, "--%s needs --system", name))
				}
			}
			return ownCode(a.runTrace(ctx, c))
		},
	}, find, "trace")
}

// ownCode gives every failure of observing itself one exit code, so that it is
// not taken for the command's.
func ownCode(err error) error {
	var quiet silent
	var bad *calls.CommandError
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
		return fail(exitUsage, "no command to run; put it after --, such as: endroit trace --title Tidewrack -- ./tidewrack")
	}
	edition, err := parseEdition(c.String("edition"))
	if err != nil {
		return err
	}
	header := trace.Header{Title: c.String("title"), Edition: edition, Launcher: c.String("launcher"), Chosen: c.StringSlice("chose")}
	if folder := c.String("install"); folder != "" {
		if header.Install, err = filepath.Abs(folder); err != nil {
			return err
		}
		if info, err := os.Stat(header.Install); err != nil || !info.IsDir() {
			return fail(exitUsage, "--install %s is not a folder", folder)
		}
	}
	if err := a.assume(ctx, c, &header, args); err != nil {
		return err
	}
	args, gaps, err := a.intoPrefix(ctx, c, &header, args)
	if err != nil {
		return err
	}
	name := traceName(c, header.Title, manifest.Plain(filepath.Base(args[0])))
	file, err := newFile(name)
	if err != nil {
		return err
	}
	versions, err := versionsOf(c, name)
	if err != nil {
		_ = file.Close()
		_ = os.Remove(name)
		return err
	}
	result, err := a.observe(ctx, args, header, gaps, file, versions, a.summed(c, name))
	if e := file.Close(); err == nil {
		err = e
	}
	var bad *calls.CommandError
	if errors.As(err, &bad) {
		_ = os.Remove(name) // nothing ran, nothing was seen
		return &failure{bad.Status, err}
	}
	if errors.Is(err, capture.ErrUnsupported) || errors.Is(err, calls.ErrNotStarted) {
		_ = os.Remove(name)
		return &failure{exitTrace, err}
	}
	if err != nil {
		return fail(exitTrace, "the trace in %s is incomplete: %w; the program itself ended with %d", name, err, result.Status)
	}
	a.traced("traced", name, result)
	if result.Status != 0 {
		return silent(result.Status)
	}
	return nil
}

// intoPrefix makes a Windows program run in its prefix, and sees to the prefix's
// server: one that runs already opens files unseen. It returns the command, and
// what will not be seen.
func (a *app) intoPrefix(
	ctx context.Context, c *cli.Command, header *trace.Header, args []string,
) (command, gaps []string, err error) {
	if header.Prefix == nil {
		if c.Bool("end-server") {
			return nil, nil, fail(exitUsage, "--end-server is for a prefix, and none is known (--prefix FOLDER)")
		}
		if name := filepath.Base(args[0]); name == "wine" || strings.EqualFold(filepath.Ext(name), ".exe") {
			a.tell("endroit: no prefix is known for this program. If Wine makes one in this run, Wine's own files are " +
				"among what is observed: make it first (wineboot), then trace again, or name it with --prefix FOLDER")
		}
		return args, nil, nil
	}
	if strings.EqualFold(filepath.Ext(args[0]), ".exe") {
		args = append([]string{identify.Program(header.Install, args[0])}, args[1:]...)
		if _, err := exec.LookPath("wine"); err != nil {
			return nil, nil, fail(
				exitUsage,
				"%s is a Windows program, and wine is not installed; install it, or give the command that runs the program",
				args[0],
			)
		}
		args = append([]string{"wine"}, args...)
	}
	// What the command starts looks for the prefix there, unless it names another.
	if err := os.Setenv("WINEPREFIX", header.Prefix.Folder); err != nil {
		return nil, nil, err
	}
	pid := machine.PrefixServer(header.Prefix.Folder)
	if pid == 0 {
		return args, nil, nil
	}
	end := c.Bool("end-server")
	if !end && term.IsTerminal(int(a.in.Fd())) {
		a.tell(
			"endroit: programs are running in the prefix, with a server (process %d) that opens files for all of "+
				"them: those files would not be observed",
			pid,
		)
		if end, err = a.ask("end them all first?"); err != nil {
			return nil, nil, err
		}
	}
	if !end {
		a.tell(
			"endroit: the prefix's server (process %d) was already running: files that it opens are not "+
				"observed; --end-server ends it first",
			pid,
		)
		return args, []string{
			"the prefix's server was already running: files that it opened for the programs were not observed",
		}, nil
	}
	for _, how := range []string{"-k", "-w"} {
		out, err := exec.CommandContext(ctx, "wineserver", how).CombinedOutput()
		if err != nil && machine.PrefixServer(header.Prefix.Folder) != 0 {
			return nil, nil, fail(exitTrace, "the prefix's server could not be ended (wineserver %s: %w %s)", how, err, out)
		}
	}
	return args, nil, nil
}

// assume fills in what the launchers' sheets know of the edition that is run, and
// says so. What the command line says stands.
func (a *app) assume(ctx context.Context, c *cli.Command, header *trace.Header, args []string) error {
	if c.Bool("native") && c.String("prefix") != "" {
		return fail(exitUsage, "--native and --prefix contradict each other")
	}
	if err := a.namedPrefix(ctx, c, header); err != nil {
		return err
	}
	if id := c.String("account"); id != "" {
		header.Account = &trace.Account{ID: id}
	}
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	if machine.System() == "linux" {
		env := map[string]string{"HOME": os.Getenv("HOME")}
		if folder := roots[place.Documents]; folder != "" && folder != place.LinuxRoots(env)[place.Documents] {
			header.Roots = map[string]string{string(place.Documents): folder}
		}
	}
	survey, err := a.surveyed(ctx, c, roots)
	if err != nil {
		return err
	}
	program := args[0]
	if found, err := exec.LookPath(program); err == nil || errors.Is(err, exec.ErrDot) {
		program = found
	}
	list, how := identify.EditionsOf(survey.Installed, *header, identify.Programs(program, args[1:]))
	switch len(list) {
	case 0:
		return nil
	case 1:
	default:
		for _, o := range list {
			a.tell("endroit: it could be %s %s in %s", shown(o.Name), shown(o.Label()), shown(o.Folder))
		}
		a.tell("endroit: nothing is assumed; choose with --edition or --install")
		return nil
	}
	one := list[0]
	windows := one.System == "windows" || header.Prefix != nil || identify.ForWindows(args)
	prefix := ""
	if one.Prefix != "" && windows && !c.Bool("native") && header.Prefix == nil {
		prefix = one.Prefix
	}
	a.fillIn(header, one, survey, prefix, how)
	if one.Prefix != "" && !windows && !c.Bool("native") {
		a.tell(
			"endroit:   it has a prefix too, %s; the program is not a Windows program, so it is not assumed (--prefix)",
			shown(one.Prefix),
		)
	}
	return nil
}

// namedPrefix fills in the prefix that --prefix names.
func (a *app) namedPrefix(ctx context.Context, c *cli.Command, header *trace.Header) error {
	folder := c.String("prefix")
	if folder == "" {
		return nil
	}
	p, err := machine.OpenPrefix(ctx, folder)
	if err != nil {
		return fail(exitUsage, "--prefix %w", err)
	}
	a.tellNotes(p)
	header.Prefix = identify.TracedPrefix(p)
	return nil
}

// surveyed is what the launchers' sheets know of this machine: those of the local
// manifest, if there is one, and one's own.
func (a *app) surveyed(ctx context.Context, c *cli.Command, roots place.Roots) (*machine.Survey, error) {
	k, err := a.openManifest(ctx)
	if err != nil {
		k = nil
	} else {
		defer k.Close()
	}
	return a.survey(ctx, c, k, roots)
}

// fillIn fills in what was not named, and says so.
func (a *app) fillIn(header *trace.Header, e sheet.Installed, survey *machine.Survey, prefix, how string) {
	assumed := identify.FillIn(header, e, survey, prefix)
	for _, p := range survey.Prefixes {
		if prefix != "" && p.Folder == prefix && p.Prefix != nil {
			a.tellNotes(p.Prefix)
		}
	}
	a.tell("endroit: identified as %s, %s; assumed:", shown(e.Name), how)
	for _, x := range assumed {
		a.tell("endroit:   %-9s %s", x.What, shown(x.Text))
	}
	a.tell("endroit: to change that: --title, --edition, --launcher, --install, --prefix, --native, --account")
}

// aboutFlags say what an observation is of.
func aboutFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "title", Local: true, Usage: "the game's `NAME`"},
		&cli.StringFlag{Name: "edition", Local: true, Usage: "who sold this copy: `STORE[:REF[@VERSION]]`"},
		&cli.StringFlag{Name: "launcher", Local: true, Usage: "the `ID` of the program that installed and starts it"},
		&cli.StringFlag{
			Name:  "install",
			Local: true,
			Usage: "the installed edition's `FOLDER`, if it is not found automatically",
		},
	}
}

// observe runs the command. What this process is sent is passed on to it, unless the
// whole process group was; once the command has ended, Ctrl-C ends the observation of
// what it left behind.
func (a *app) observe(ctx context.Context, args []string, header trace.Header, gaps []string, file *os.File,
	versions versions.Options, summed func()) (capture.Result, error) {
	stop := make(chan struct{})
	passOn := make(chan os.Signal, 8)
	signals := make(chan os.Signal, 8)
	signal.Notify(signals, capture.PassedOn()...)
	defer signal.Stop(signals)
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
				passOn <- s
			case <-left:
				return
			}
		}
	}()
	defer summed()
	path, err := filepath.Abs(file.Name())
	if err != nil {
		return capture.Result{}, err
	}
	return calls.Run(context.WithoutCancel(ctx), calls.Options{
		Path: path, Versions: versions, Command: args, Header: header, Gaps: gaps,
		Out: file, Stdin: a.in, Stdout: os.Stdout, Stderr: os.Stderr,
		Stop: stop, Signals: passOn, Alone: true, Notice: func(text string) { a.tell("endroit: %s", text) },
	})
}

func versionsFlag() cli.Flag {
	return &cli.StringFlag{
		Name:  "versions",
		Local: true,
		Value: "16MiB",
		Usage: "keep the content of files up to this `SIZE`; 0 keeps none",
	}
}

func versionsTotalFlag() cli.Flag {
	return &cli.StringFlag{
		Name:  "versions-total",
		Local: true,
		Value: "1GiB",
		Usage: "keep no more than this `SIZE` of them in all",
	}
}

// versionsOf reads what to keep of the contents, beside a trace.
func versionsOf(c *cli.Command, trace string) (v versions.Options, err error) {
	for _, x := range []struct {
		flag string
		into *int64
	}{{"versions", &v.File}, {"versions-total", &v.Total}} {
		n, err := humanize.ParseBytes(c.String(x.flag))
		if err != nil || n > 1<<40 {
			return v, fail(exitUsage, "--%s %q is not a size; write it like 16MiB, 500KB or 0", x.flag, c.String(x.flag))
		}
		*x.into = int64(n)
	}
	if v.Total == 0 {
		v.File = 0
	}
	v.Folder, err = filepath.Abs(versions.Beside(trace))
	return v, err
}

// brief is a run in which hardly a game comes to save.
const brief = 2 * time.Second

// traced sums up on standard error, so that the program's own output stays
// alone.
func (a *app) traced(how, name string, r capture.Result) {
	by := ""
	if r.Processes > 0 {
		by = " by " + phrase.Count(r.Processes, "process", "processes")
	}
	a.tell(
		"endroit: %s for %s: %s on %s%s, %s", how, phrase.Duration(r.End.At),
		phrase.Count(r.End.Events, "event", "events"), phrase.Count(r.End.Files, "path", "paths"), by,
		phrase.Count(r.End.Cues, "cue", "cues"),
	)
	switch {
	case r.Changed == 0 && r.Hidden > 0:
		a.tell(
			"endroit: no writes were observed, and %s their activity: see below",
			phrase.Count(r.Hidden, "program hid", "programs hid"),
		)
	case r.Changed == 0:
		a.tell(
			"endroit: nothing was written. Did the game save? Play until it does, and quit it properly: some " +
				"save only then. If the game is still running, a launcher that was already running started it: quit " +
				"that first",
		)
	case r.End.At < brief:
		a.tell("endroit: the run was short; most games write settings at once, and progress only after some minutes of play")
	}
	if r.End.Cues == 0 {
		a.tell("endroit: no cues were marked; endroit cue saved, right after saving, makes progress files easier to identify")
	}
	gapLines(r.Gaps, func(line string) { a.tell("endroit: %s", line) })
	if list, err := versions.Read(versions.Beside(name)); err == nil && len(list) > 0 {
		a.tell(
			"endroit: beside it, in %s: %s of small files (endroit trace show %s --versions)",
			versions.Beside(name), phrase.Count(len(list), "version", "versions"), name,
		)
	}
	a.tell("endroit: the trace is in %s; next: endroit footprint %s", name, name)
}

// cueMeans says of the standard cues when to give them.
var cueMeans = map[string]string{
	"ready": "the game waits at its first menu", "loaded": "a saved state was loaded", "saved": "the game has just saved",
	"changed-setting": "a setting was changed and applied", "quit": "the game is about to be quit",
}

func (a *app) cue() *cli.Command {
	return command(&cli.Command{
		Name: "cue", Usage: "mark a moment in a running trace, or later in a finished one",
		Flags: []cli.Flag{
			&cli.IntFlag{Name: "trace", Usage: "which endroit trace, if several run: its process id `PID`", HideDefault: true},
			&cli.StringFlag{Name: "in", Usage: "the `TRACE` that was written, to mark a moment afterwards"},
			&cli.StringFlag{Name: "at", Usage: "the `TIME` since the start of the run: 95s, 1m35s or 1:35"},
			&cli.StringFlag{Name: "out", Usage: "the `FILE` to write (otherwise named after the trace)"},
			jsonFlag(),
		},
		ShellComplete: completes(offerCues),
		Action: func(_ context.Context, c *cli.Command) error {
			if (c.String("in") == "") != (c.String("at") == "") {
				return fail(exitUsage, "--in TRACE and --at TIME belong together")
			}
			if c.Args().Len() == 0 && c.String("in") == "" {
				return a.offerCues(c)
			}
			word, err := oneArg(c, "one WORD")
			if err != nil {
				return err
			}
			if err := cues.Check(word); err != nil {
				return fail(exitUsage, "%w", err)
			}
			if c.String("in") != "" {
				return a.cueAfterwards(c, word)
			}
			return a.mark(c, word, int(c.Int("trace")))
		},
	}, find, "cue")
}

// offerCues lists the standard cues, and on a terminal takes one.
func (a *app) offerCues(c *cli.Command) error {
	if !term.IsTerminal(int(a.in.Fd())) {
		return fail(
			exitUsage, "give a cue: endroit cue WORD, such as %s, or a word of your own",
			strings.Join(cues.Standard, ", "),
		)
	}
	lines := bufio.NewReader(a.in)
	run, err := a.whichRun(int(c.Int("trace")), lines)
	if err != nil {
		return err
	}
	a.tell("marking %s", told(run))
	for i, word := range cues.Standard {
		a.tell("  %d  %-16s %s", i+1, word, cueMeans[word])
	}
	fmt.Fprint(a.err, "which, by number, or a word of your own: ")
	line, err := lines.ReadString('\n')
	word := strings.TrimSpace(line)
	if err != nil && word == "" {
		return fail(exitUsage, "nothing was marked")
	}
	if n, err := strconv.Atoi(word); err == nil && n >= 1 && n <= len(cues.Standard) {
		word = cues.Standard[n-1]
	}
	if err := cues.Check(word); err != nil {
		return fail(exitUsage, "%w", err)
	}
	return a.mark(c, word, run.PID)
}

// told names a run for a person who may have several.
func told(r cues.Running) string {
	return fmt.Sprintf(
		"%s, process %d, started at %s, %s", cmp.Or(shown(r.Title), "a run without a title"), r.PID,
		r.Started.Local().Format("15:04:05"), shown(r.Trace),
	)
}

// whichRun finds the run that is meant: that of process pid, the only one, or the one that
// the person chooses.
func (a *app) whichRun(pid int, lines *bufio.Reader) (cues.Running, error) {
	runs, err := cues.Runs("")
	if err != nil {
		return cues.Running{}, err
	}
	if pid != 0 {
		runs = slices.DeleteFunc(runs, func(r cues.Running) bool { return r.PID != pid })
		if len(runs) == 0 {
			return cues.Running{}, fail(exitNotFound, "no trace with process id %d is running", pid)
		}
	}
	switch len(runs) {
	case 0:
		return cues.Running{}, fail(exitNotFound, "%w", cues.ErrNoTrace)
	case 1:
		return runs[0], nil
	}
	a.tell("several runs are observed:")
	for i, r := range runs {
		a.tell("  %d  %s", i+1, told(r))
	}
	fmt.Fprint(a.err, "which, by number: ")
	line, _ := lines.ReadString('\n')
	n, err := strconv.Atoi(strings.TrimSpace(line))
	if err != nil || n < 1 || n > len(runs) {
		return cues.Running{}, fail(exitUsage, "nothing was marked")
	}
	return runs[n-1], nil
}

func (a *app) mark(c *cli.Command, word string, pid int) error {
	m, err := cues.Mark("", word, pid)
	switch {
	case errors.Is(err, cues.ErrNoTrace):
		return fail(exitNotFound, "%w", err)
	case errors.Is(err, cues.ErrManyTraces):
		runs, _ := cues.Runs("")
		var all []string
		for _, r := range runs {
			all = append(all, told(r))
		}
		return fail(exitUsage, "several runs are observed; say which with --trace PID: %s", strings.Join(all, "; "))
	case err != nil:
		return err
	}
	if c.Bool("json") {
		return a.json(m)
	}
	a.say(
		"marked %s at %s of %s (process %d)", shown(word), phrase.Duration(m.At),
		cmp.Or(shown(m.Title), "a run without a title"), m.PID,
	)
	return nil
}

// cueAfterwards writes a copy of a trace with one more cue.
func (a *app) cueAfterwards(c *cli.Command, word string) error {
	at, err := parseTime(c.String("at"))
	if err != nil {
		return err
	}
	name, out := c.String("in"), c.String("out")
	if out == "" {
		out = besides(name, ".trace", "-cued.trace")
	}
	open, done, err := traceFile(name)
	if err != nil {
		return err
	}
	defer done()
	f, err := newFile(out)
	if err != nil {
		return err
	}
	err = trace.AddCue(open, f, trace.Cue{At: at, Word: word})
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		_ = os.Remove(out)
		if errors.Is(err, trace.ErrLate) {
			return fail(exitUsage, "--at %s: %w", c.String("at"), err)
		}
		return ofFile(name, err)
	}
	if c.Bool("json") {
		return a.json(map[string]any{"out": out, "cue": word, "at": at})
	}
	a.say("%s has the cue %s at %s; %s is unchanged", out, word, phrase.Duration(at), name)
	return nil
}

// parseTime reads a time of a run: 95s, 1m35s, 95 or 1:35, with fractions.
func parseTime(text string) (time.Duration, error) {
	bad := fail(exitUsage, "--at %q is not a time since the start of the run; write 95s, 1m35s or 1:35", text)
	minutes, rest, colon := strings.Cut(text, ":")
	if !colon {
		rest, minutes = text, "0"
	}
	m, err := strconv.ParseUint(minutes, 10, 16)
	if err != nil {
		return 0, bad
	}
	d, err := time.ParseDuration(rest)
	if seconds, plain := strconv.ParseFloat(rest, 64); plain == nil && err != nil {
		d, err = time.ParseDuration(strconv.FormatFloat(seconds, 'f', -1, 64) + "s")
	}
	if err != nil || d < 0 || colon && d >= time.Minute {
		return 0, bad
	}
	return time.Duration(m)*time.Minute + d, nil
}
