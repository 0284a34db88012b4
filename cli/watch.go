package cli

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"time"

	"github.com/urfave/cli/v3"

	"endroit/capture"
	"endroit/capture/versions"
	"endroit/capture/watch"
	"endroit/core/manifest"
	"endroit/core/phrase"
	"endroit/core/place"
	"endroit/core/trace"
	"endroit/identify"
	"endroit/machine"
)

func (a *app) watch() *cli.Command {
	return command(&cli.Command{
		ShellComplete: completes(a.offerTitles),
		Name:          "watch", Usage: "observe what changes in folders, without running anything or any privilege",
		Flags: append(aboutFlags(),
			&cli.StringFlag{Name: "prefix", Usage: "the `FOLDER` of the compatibility prefix that a Windows build runs in"},
			&cli.DurationFlag{Name: "for", Usage: "end after this `TIME`, such as 10m", HideDefault: true},
			&cli.StringFlag{Name: "out", Usage: "the `FILE` to write (otherwise named after the title and time)"},
			versionsFlag(), versionsTotalFlag(), sheetsFlag(),
			&cli.BoolFlag{Name: "quiet", Usage: "no summary in the last row of the terminal"},
		),
		Action: func(ctx context.Context, c *cli.Command) error { return a.runWatch(ctx, c) },
	}, find, "watch")
}

func (a *app) runWatch(ctx context.Context, c *cli.Command) error {
	if c.Duration("for") < 0 {
		return fail(exitUsage, "--for %s is negative", c.Duration("for"))
	}
	edition, err := parseEdition(c.String("edition"))
	if err != nil {
		return err
	}
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	header := trace.Header{Title: c.String("title"), Edition: edition, Launcher: c.String("launcher"), Command: c.Args().Slice()}
	if folder := c.String("install"); folder != "" {
		if header.Install, err = wholeFolder(folder); err != nil {
			return fail(exitUsage, "--install %w", err)
		}
	}
	if err := a.namedPrefix(ctx, c, &header); err != nil {
		return err
	}
	folders, err := a.watched(ctx, c, &header, roots)
	if err != nil {
		return err
	}
	header.Install = filepath.ToSlash(header.Install)
	if runtime.GOOS != "linux" {
		header.Roots = map[string]string{}
		for anchor, folder := range roots {
			header.Roots[string(anchor)] = filepath.ToSlash(folder)
		}
	}
	name := traceName(c, header.Title, "watch")
	file, err := newFile(name)
	if err != nil {
		return err
	}
	result, err := a.watchInto(ctx, c, file, watch.Options{Folders: folders, Header: header})
	if e := file.Close(); err == nil {
		err = e
	}
	if err != nil {
		return fail(exitFailed, "the trace in %s is incomplete: %w", name, err)
	}
	a.traced("watched", name, result)
	return nil
}

// traceName is the file to write a trace to.
func traceName(c *cli.Command, title, otherwise string) string {
	if name := c.String("out"); name != "" {
		return name
	}
	base := manifest.Plain(title)
	if base == "" {
		base = otherwise
	}
	return fmt.Sprintf("%s-%s.trace", base, time.Now().Format("20060102-150405"))
}

// traceOutputs is a trace's whole path, and what to keep beside it.
func traceOutputs(c *cli.Command, name string) (path string, v versions.Options, err error) {
	if path, err = filepath.Abs(name); err == nil {
		v, err = versionsOf(c, name)
	}
	return path, v, err
}

// observeUntilEnd is for an observation that runs nothing: it ends with Ctrl-C or after the time
// that was given, and the terminal sums up meanwhile. done has to be called at its end.
func (a *app) observeUntilEnd(ctx context.Context, c *cli.Command, name string) (until context.Context, done func()) {
	until, stop := signal.NotifyContext(ctx, os.Interrupt, syscall.SIGTERM)
	cancel := context.CancelFunc(func() {})
	if d := c.Duration("for"); d > 0 {
		until, cancel = context.WithTimeout(until, d)
	}
	summed := a.summed(c, name)
	return until, func() {
		summed()
		cancel()
		stop()
	}
}

func (a *app) watchInto(ctx context.Context, c *cli.Command, file *os.File, o watch.Options) (capture.Result, error) {
	var err error
	if o.Path, o.Versions, err = traceOutputs(c, file.Name()); err != nil {
		return capture.Result{}, err
	}
	o.Out = file
	ctx, done := a.observeUntilEnd(ctx, c, file.Name())
	defer done()
	o.Ready = func(folders, files int) {
		end := "Ctrl-C ends, after the game has quit"
		if d := c.Duration("for"); d > 0 {
			end = "it ends after " + phrase.Duration(d)
		}
		a.tell(
			"endroit: watching %s with %s; start the game now; %s", phrase.Count(folders, "folder", "folders"),
			phrase.Count(files, "entry", "entries"), end,
		)
	}
	return watch.Run(ctx, o)
}

// wholeFolder is a folder's absolute path; an error if it is none.
func wholeFolder(name string) (string, error) {
	full, err := filepath.Abs(name)
	if err != nil {
		return "", err
	}
	if info, err := os.Stat(full); err != nil || !info.IsDir() {
		return "", fmt.Errorf("%s is not a folder", name)
	}
	if resolved, err := filepath.EvalSymlinks(full); err == nil {
		full = resolved
	}
	return full, nil
}

// watched finds what to watch: the folders that are named, or those of a title.
func (a *app) watched(
	ctx context.Context, c *cli.Command, header *trace.Header, roots place.Roots,
) (list []watch.Folder, err error) {
	args := c.Args().Slice()
	named := 0
	for _, arg := range args {
		if _, err := wholeFolder(arg); err == nil {
			named++
		}
	}
	switch {
	case named > 0 && named == len(args):
		for _, arg := range args {
			full, err := wholeFolder(arg)
			if err != nil {
				return nil, err
			}
			if w := (watch.Folder{Folder: full, Own: true}); !slices.Contains(list, w) {
				list = append(list, w)
			}
		}
		return list, nil
	case len(args) > 1:
		return nil, fail(
			exitUsage, "these are neither folders nor one title: %s; quote a title of several words",
			strings.Join(args, ", "),
		)
	case len(args) == 1 && strings.ContainsRune(args[0], filepath.Separator):
		return nil, fail(exitNotFound, "the folder %s does not exist", args[0])
	case len(args) == 1:
		header.Title = args[0]
		if err := a.watchedTitle(ctx, c, header, roots); err != nil {
			return nil, err
		}
	}
	for _, w := range machine.FoldersToWatch(*header, roots) {
		list = append(list, watch.Folder(w))
	}
	if len(list) == 0 {
		return nil, fail(exitNotFound, "there is nothing to watch; name a folder")
	}
	return list, nil
}

// watchedTitle fills in what the launchers' sheets know of an installed title.
func (a *app) watchedTitle(ctx context.Context, c *cli.Command, header *trace.Header, roots place.Roots) error {
	survey, err := a.surveyed(ctx, c, roots)
	if err != nil {
		return err
	}
	list, _ := identify.EditionsOf(survey.Installed, *header, nil)
	switch len(list) {
	case 0:
		a.tell("endroit: no launcher lists %s here: the folders where games keep files are watched", shown(header.Title))
		return nil
	case 1:
	default:
		names := slices.Collect(func(yield func(string) bool) {
			for _, o := range list {
				if !yield(o.Label() + " in " + o.Folder) {
					return
				}
			}
		})
		return fail(exitUsage, "several are installed: %s; choose with --edition", strings.Join(names, "; "))
	}
	one, prefix := list[0], ""
	if one.System == "windows" && runtime.GOOS == "linux" && header.Prefix == nil {
		prefix = one.Prefix
	}
	a.fillIn(header, one, survey, prefix, "because that is its name")
	return nil
}
