// Package cli is the command line.
//
//	os.Exit(cli.Main(ctx, os.Args))
package cli

import (
	"bufio"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/capture"
	"endroit/client"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/trace"
	"endroit/localmanifest"
	"endroit/service/wire"
	"endroit/tracefiles"
)

// Version is set at build.
var Version = "development"

// The exit codes, documented in docs/cli.md.
const (
	exitFailed      = 1
	exitUsage       = 2
	exitNotFound    = 3
	exitUnreachable = 4
	exitRefused     = 5
	exitInput       = 6
	exitConflict    = 7
	exitWarned      = 8
	exitTrace       = 125 // of endroit trace, whose other codes are the command's
)

// app is what the commands share.
type app struct {
	in       *os.File
	out, err io.Writer
	lines    *bufio.Reader // of in, once a line was read from it
	styled   bool          // the output has weight and colour
}

// failure is an error with an exit code.
type failure struct {
	code int
	err  error
}

func (f *failure) Error() string { return f.err.Error() }
func (f *failure) Unwrap() error { return f.err }

func fail(code int, format string, args ...any) error {
	return &failure{code, fmt.Errorf(format, args...)}
}

// silent ends with a code and prints nothing: the observed command has spoken.
type silent int

func (s silent) Error() string { return fmt.Sprintf("exit %d", int(s)) }

// Main runs the command line and returns the exit code.
func Main(ctx context.Context, args []string) int {
	a := &app{in: os.Stdin, out: os.Stdout, err: os.Stderr}
	args = pairs(args)
	root := a.root()
	if slices.Contains(args, "--") {
		// What stands behind it is a program to run, whatever its name.
		root.Command("trace").Commands = nil
	}
	err := root.Run(ctx, args)
	if err == nil {
		return 0
	}
	var quiet silent
	if errors.As(err, &quiet) {
		return int(quiet)
	}
	code := exitCode(err)
	var own *failure
	if says, known := plainUsage(err.Error()); known && !errors.As(err, &own) {
		err, code = fail(exitUsage, "%s", says), exitUsage
	}
	if wantsJSON(args) {
		raw, _ := json.Marshal(map[string]any{"error": err.Error(), "code": code})
		fmt.Fprintln(a.err, string(raw))
	} else {
		fmt.Fprintln(a.err, errorText(err))
	}
	return code
}

// wantsJSON reports whether the command was called by a program.
func wantsJSON(args []string) bool {
	if i := slices.Index(args, "--"); i >= 0 {
		args = args[:i]
	}
	return slices.Contains(args, "--json") || slices.Contains(args, "-json")
}

// pairs joins the two cues behind --between, which are one value: --between ready
// saved is the same as --between ready,saved.
func pairs(args []string) []string {
	i := slices.Index(args, "--between")
	if i < 0 || i+2 >= len(args) || strings.Contains(args[i+1], ",") || strings.HasPrefix(args[i+2], "-") ||
		slices.Contains(args[:i], "--") {
		return args
	}
	return slices.Concat(args[:i+1], []string{args[i+1] + "," + args[i+2]}, args[i+3:])
}

// exitCode finds the code for any error.
func exitCode(err error) int {
	var (
		f       *failure
		problem *wire.Problem
		bad     *draft.Error
		body    *contribution.Error
	)
	switch {
	case errors.As(err, &f):
		return f.code
	case errors.Is(err, client.ErrUnreachable):
		return exitUnreachable
	case errors.As(err, &problem):
		switch problem.Type {
		case wire.ProblemSignIn, wire.ProblemExpired, wire.ProblemRole, wire.ProblemOwn:
			return exitRefused
		case wire.ProblemDecided, wire.ProblemConflict, wire.ProblemClash, wire.ProblemKeyReused:
			return exitConflict
		case wire.ProblemNotFound:
			return exitNotFound
		case wire.ProblemInvalid, wire.ProblemTooLarge:
			return exitInput
		}
		return exitFailed
	case errors.Is(err, localmanifest.ErrNone):
		return exitNotFound
	case errors.Is(err, localmanifest.ErrDamaged):
		return exitInput
	case errors.As(err, &bad),
		errors.As(err, &body),
		errors.Is(err, trace.ErrFormat),
		errors.Is(err, trace.ErrDamaged),
		errors.Is(err, trace.ErrTooLarge),
		errors.Is(err, manifest.ErrFormat):
		return exitInput
	case errors.Is(err, tracefiles.ErrInput):
		return exitInput
	case errors.Is(err, os.ErrNotExist), errors.Is(err, footprint.ErrNoSuchFile):
		return exitNotFound
	case errors.Is(err, capture.ErrUnsupported):
		return exitFailed
	}
	return exitFailed
}

func (a *app) root() *cli.Command {
	return &cli.Command{
		Name:      "endroit",
		Usage:     "find out where games keep their progress and settings, and share it",
		UsageText: "endroit COMMAND [OPTION...] [ARGUMENT...]",
		Description: "From a game to a shared location: trace a run, read its footprint, propose a draft,\n" +
			"submit it; a reviewer accepts it; everybody fetches the manifest and locates their\n" +
			"own files. endroit help COMMAND explains a command with an example.",
		EnableShellCompletion: true,
		ConfigureShellCompletionCommand: func(c *cli.Command) {
			c.Hidden = false
			c.Usage = "print the script that completes commands in a shell"
			command(c, program, "completion")
		},
		Suggest:         true,
		HideHelpCommand: true,
		Writer:          a.out,
		ErrWriter:       a.err,
		ExitErrHandler:  func(context.Context, *cli.Command, error) {},
		OnUsageError:    usageError,
		Action: func(_ context.Context, c *cli.Command) error {
			if name := c.Args().First(); name != "" {
				return unknownCommand(c, name)
			}
			return cli.ShowRootCommandHelp(c)
		},
		Flags: []cli.Flag{a.colorFlag()},
		Before: func(ctx context.Context, c *cli.Command) (context.Context, error) {
			return ctx, a.setColor(c.String("color"))
		},
		Commands: []*cli.Command{
			a.trace(),
			a.watch(),
			a.importLog(),
			a.compare(),
			a.correct(),
			a.bytes(),
			a.cue(),
			a.footprint(),
			a.workbench(),
			a.propose(),
			a.answer(),
			a.submit(),
			a.change(),
			a.sheet(),
			a.review(),
			a.fetch(),
			a.history(),
			a.locate(),
			a.copy(),
			a.copies(),
			a.putback(),
			a.clear(),
			a.switchSets(),
			a.carry(),
			a.prove(),
			a.wanted(),
			a.keep(),
			a.undo(),
			a.try(),
			a.machine(),
			a.identify(),
			a.login(),
			a.logout(),
			a.account(),
			a.serve(),
			a.people(),
			a.keys(),
			a.publish(),
			a.helpCommand(),
			a.manual(),
			a.version(),
		},
	}
}

// The categories of commands, in the order of the job.
const (
	find    = "1 find out"
	judge   = "2 review"
	reuse   = "3 reuse"
	program = "this program"
)

func (a *app) version() *cli.Command {
	return command(&cli.Command{Name: "version", Usage: "print the version", Flags: []cli.Flag{jsonFlag()},
		Action: func(_ context.Context, c *cli.Command) error {
			if c.Bool("json") {
				return a.json(
					map[string]any{"version": Version, "formats": []string{trace.Format, draft.Format, manifest.Format}},
				)
			}
			fmt.Fprintln(a.out, "endroit", Version)
			return nil
		}}, program, "version")
}

func jsonFlag() cli.Flag {
	return &cli.BoolFlag{Name: "json", Local: true, Usage: "print JSON for programs"}
}

// oneArg returns the only argument.
func oneArg(c *cli.Command, what string) (string, error) {
	if c.Args().Len() != 1 {
		return "", fail(exitUsage, "%s needs %s; see %s --help", c.FullName(), what, c.FullName())
	}
	return c.Args().First(), nil
}

// errorText is an error as people read it. Lines behind the first are set in, so that text
// from outside cannot pass for a line of this program's own.
func errorText(err error) string {
	lines := strings.Split(err.Error(), "\n")
	for i, line := range lines {
		if lines[i] = shown(line); i > 0 && !strings.HasPrefix(line, "  ") {
			lines[i] = "  " + lines[i]
		}
	}
	return "endroit: " + strings.Join(lines, "\n")
}
