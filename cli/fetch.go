package cli

import (
	"context"
	"encoding/base64"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/schollz/progressbar/v3"
	"github.com/urfave/cli/v3"
	"golang.org/x/term"

	"endroit/core/phrase"
	"endroit/localmanifest"
	"endroit/published"
	"endroit/safefile"
)

// BuiltInRoot is the first root of the publication that this program was built for, in
// base64: -ldflags "-X endroit/cli.BuiltInRoot=…". Without one it is asked for once.
var BuiltInRoot string

// dataFolder is where this program keeps what belongs to the person.
func dataFolder() (string, error) {
	dir, err := os.Getenv("XDG_DATA_HOME"), error(nil)
	switch {
	case filepath.IsAbs(dir):
	case runtime.GOOS == "windows":
		dir, err = os.UserCacheDir() // %LocalAppData%
	case runtime.GOOS == "darwin":
		dir, err = os.UserConfigDir() // Application Support
	default:
		dir, err = os.UserHomeDir()
		dir = filepath.Join(dir, ".local", "share")
	}
	return filepath.Join(dir, "endroit"), err
}

// manifestFolder holds the local copy of the manifest.
func manifestFolder() (string, error) {
	dir, err := dataFolder()
	return filepath.Join(dir, "manifest"), err
}

// sourceFile keeps where the manifest came from.
func sourceFile() (string, error) {
	dir, err := dataFolder()
	return filepath.Join(dir, "source.json"), err
}

// source is where to fetch from: the mirrors in turn, then the service.
type source struct {
	Service string   `json:"service,omitempty"`
	Mirrors []string `json:"mirrors,omitempty"`
}

// servedAt is where a service has the published tree.
const servedAt = "/published"

// fetchedFrom is where to fetch from: what is named, else where the local manifest came
// from, else the service signed in to. No token is sent: the manifest is for everybody.
func fetchedFrom(c *cli.Command) (source, error) {
	named := source{c.String("service"), c.StringSlice("mirror")}
	for i, m := range named.Mirrors {
		if !strings.Contains(m, "://") {
			if abs, err := filepath.Abs(m); err == nil {
				named.Mirrors[i] = abs // it is remembered
			}
		}
	}
	if named.Service != "" || len(named.Mirrors) > 0 {
		return named, nil
	}
	file, err := sourceFile()
	if err != nil {
		return source{}, err
	}
	var from source
	if data, err := safefile.Read(file, ownFile); err == nil && json.Unmarshal(data, &from) == nil &&
		(from.Service != "" || len(from.Mirrors) > 0) {
		return from, nil
	}
	l, err := savedLogin(c)
	return source{Service: l.Service}, err
}

// open opens all of it, in turn. Absent says what of it is not there, such as a stick that
// is not plugged in; where nothing is, that is the error.
func (s source) open() (all []published.Source, absent []error, closeAll func(), err error) {
	var closers []io.Closer
	closeAll = func() {
		for _, c := range closers {
			_ = c.Close()
		}
	}
	addresses := slices.Clone(s.Mirrors)
	if s.Service != "" {
		if _, err := (login{Service: s.Service}).client(); err != nil {
			return nil, nil, closeAll, err
		}
		addresses = append(addresses, strings.TrimSuffix(s.Service, "/")+servedAt)
	}
	for _, a := range addresses {
		from, closer, err := published.At(a)
		if err != nil {
			absent = append(absent, err)
			continue
		}
		all, closers = append(all, from), append(closers, closer)
	}
	if len(all) == 0 {
		return nil, nil, closeAll, fail(exitUsage, "--mirror %w", errors.Join(absent...))
	}
	return all, absent, closeAll, nil
}

func (s source) remember() error {
	file, err := sourceFile()
	if err != nil {
		return err
	}
	data, err := json.Marshal(s)
	if err != nil {
		return err
	}
	return writeOwn(file, append(data, '\n'))
}

func (a *app) fetch() *cli.Command {
	return command(&cli.Command{
		Name: "fetch", Usage: "bring the local copy of the manifest up to date",
		Flags: []cli.Flag{
			serviceFlag(),
			&cli.StringSliceFlag{
				Name:  "mirror",
				Usage: "fetch from a copy of the published files instead: an `ADDRESS`, a folder or a zip archive; several are tried in turn",
			},
			&cli.StringFlag{
				Name:    "root",
				Usage:   "trust the publication whose first root has this `FINGERPRINT`, or is this file, without asking",
				Sources: cli.EnvVars("ENDROIT_ROOT"),
			},
			jsonFlag(),
		},
		Action: func(ctx context.Context, c *cli.Command) error {
			debug.SetMemoryLimit(fetchMemory) // what is read is let go when it comes to this
			debug.SetGCPercent(-1)
			from, err := fetchedFrom(c)
			if err != nil {
				return err
			}
			sources, absent, closeAll, err := from.open()
			if err != nil {
				return err
			}
			defer closeAll()
			for _, e := range absent {
				a.tell("endroit: passed over %v", e)
			}
			folder, err := manifestFolder()
			if err != nil {
				return err
			}
			state := published.Open(localmanifest.TrustFolder(folder))
			if err := a.trust(ctx, c, state, sources); err != nil {
				return err
			}
			for i := range sources {
				sources[i] = published.Remember(sources[i])
			}
			if revision, same := state.Unchanged(ctx, sources[0]); same && localmanifest.Has(ctx, folder, revision) {
				if err := from.remember(); err != nil {
					return err
				}
				if head, err := localmanifest.Current(folder); err == nil && state.ClockNote(head.Published) != "" {
					a.tell("endroit: %s", state.ClockNote(head.Published))
				}
				return a.sayFetched(ctx, c, folder, strings.TrimSuffix(sources[0].String(), servedAt), localmanifest.Fetched{})
			}
			news, err := state.Refresh(ctx, sources...)
			if err != nil {
				return refused(folder, err)
			}
			for _, e := range news.PassedOver {
				a.tell("endroit: passed over %v", e)
			}
			if news.Note != "" {
				a.tell("endroit: %s", news.Note)
			}
			done, err := localmanifest.Fetch(ctx, folder, news, localmanifest.Options{Told: a.fetching()})
			if err != nil {
				return refused(folder, err)
			}
			if err := from.remember(); err != nil {
				return err
			}
			return a.sayFetched(ctx, c, folder, strings.TrimSuffix(news.Source(), servedAt), done)
		},
	}, reuse, "fetch")
}

// fetchMemory is how much memory a fetch takes, in bytes, before the collector works harder.
const fetchMemory = 100 << 20

// fetching shows how far a long fetch is, on a terminal.
func (a *app) fetching() func(done, of int) {
	if !a.onTerminal() {
		return nil
	}
	var bar *progressbar.ProgressBar
	return func(done, of int) {
		if of < 50 { // it takes no time
			return
		}
		if bar == nil {
			bar = progressbar.NewOptions(
				of, progressbar.OptionSetWriter(a.err), progressbar.OptionSetDescription("fetching"), progressbar.OptionClearOnFinish(),
			)
		}
		_ = bar.Set(done)
	}
}

func (a *app) sayFetched(ctx context.Context, c *cli.Command, folder, from string, done localmanifest.Fetched) error {
	m, err := localmanifest.Open(ctx, folder, nil)
	if err != nil {
		return err
	}
	defer m.Close()
	if c.Bool("json") {
		return a.json(map[string]any{
			"revision": m.Head.Revision, "titles": m.Titles, "sheets": m.SheetCount, "published": m.Head.Published,
			"changed": done.Changed, "files": done.Files, "bytes": done.Bytes,
		})
	}
	titles, sheets := phrase.Count(m.Titles, "title", "titles"), phrase.Count(
		m.SheetCount, "launcher's sheet", "launchers' sheets",
	)
	if !done.Changed {
		a.say("up to date: revision %d of %s with %s and %s", m.Head.Revision, from, titles, sheets)
		return nil
	}
	a.say(
		"fetched revision %d from %s with %s and %s, published %s (%s moved, %s)", m.Head.Revision, from,
		titles, sheets, m.Head.Published.Local().Format("2006-01-02 15:04"),
		phrase.Count(done.Files, "file", "files"), phrase.Size(done.Bytes),
	)
	return nil
}

// refused says what was refused of each source, and what stays.
func refused(folder string, err error) error {
	stays := "there is no local copy yet"
	if h, e := localmanifest.Current(folder); e == nil {
		stays = fmt.Sprintf("the local copy, revision %d, stays in use", h.Revision)
	}
	code, unreachable := exitInput, true
	var list interface{ Unwrap() []error }
	all := []error{err}
	if errors.As(err, &list) {
		all = list.Unwrap()
	}
	for _, e := range all {
		var r *published.Refusal
		unreachable = unreachable && errors.As(e, &r) && r.Cause == published.Unreachable
	}
	switch {
	case unreachable:
		code = exitUnreachable
	case errors.Is(err, localmanifest.ErrBusy):
		code = exitConflict
	}
	return fail(code, "nothing was fetched, and %s.\n%w", stays, err)
}

// trust makes sure that a publication is trusted: the one before, the one that is named or
// built in, or the one that a person says yes to.
func (a *app) trust(ctx context.Context, c *cli.Command, state *published.State, sources []published.Source) error {
	named := c.String("root")
	trusted, err := state.Trusted()
	if err == nil {
		if named == "" {
			return nil
		}
		root, err := a.namedRoot(ctx, named, sources)
		if err != nil {
			return err
		}
		if root.Fingerprint != trusted.Fingerprint {
			return fail(exitConflict, "%w", state.Trust(root))
		}
		return nil
	}
	if !errors.Is(err, published.ErrNoTrust) {
		return err
	}
	var root *published.Root
	switch {
	case named != "":
		root, err = a.namedRoot(ctx, named, sources)
	case BuiltInRoot != "":
		root, err = builtIn()
	default:
		root, err = a.askedRoot(ctx, sources)
	}
	if err != nil {
		return err
	}
	return state.Trust(root)
}

func builtIn() (*published.Root, error) {
	raw, err := base64.StdEncoding.DecodeString(BuiltInRoot)
	if err != nil {
		return nil, fmt.Errorf("the root that this program was built with: %w", err)
	}
	return published.ParseRoot(raw)
}

// firstRoot is the root of the first source that has one.
func firstRoot(ctx context.Context, sources []published.Source) (*published.Root, error) {
	var all []error
	for _, s := range sources {
		root, err := published.FirstRoot(ctx, s)
		if err == nil {
			return root, nil
		}
		all = append(all, err)
	}
	return nil, errors.Join(all...)
}

// namedRoot is the root in a file, or the one at the sources if it has the fingerprint.
func (a *app) namedRoot(ctx context.Context, named string, sources []published.Source) (*published.Root, error) {
	if raw, err := safefile.Read(named, published.MaxRoot); err == nil {
		root, err := published.ParseRoot(raw)
		if err != nil {
			return nil, fail(exitInput, "%s: %w", named, err)
		}
		return root, nil
	}
	want := strings.ToLower(strings.NewReplacer(" ", "", ":", "").Replace(named))
	if len(want) != 64 || strings.Trim(want, "0123456789abcdef") != "" {
		return nil, fail(exitUsage, "--root %s is neither a file nor a fingerprint of 64 hexadecimal digits", named)
	}
	root, err := firstRoot(ctx, sources)
	if err != nil {
		return nil, refused("", err)
	}
	if root.Fingerprint != want {
		return nil, fail(
			exitConflict, "the publication there is %s, with the fingerprint %s, and not the one that --root names; nothing was fetched",
			publisher(root.Publisher), grouped(root.Fingerprint),
		)
	}
	return root, nil
}

// askedRoot shows whose publication it is and asks whether to trust it.
func (a *app) askedRoot(ctx context.Context, sources []published.Source) (*published.Root, error) {
	root, err := firstRoot(ctx, sources)
	if err != nil {
		return nil, refused("", err)
	}
	a.tell("This is the first fetch. The publication there says that it is %s.", publisher(root.Publisher))
	a.tell("The fingerprint of its root:\n  %s", grouped(root.Fingerprint))
	a.tell("Programs overwrite and delete what it names. Compare the fingerprint with one that you have from its publisher by another way.")
	if a.in == nil || !term.IsTerminal(int(a.in.Fd())) {
		return nil, fail(exitRefused, "nothing is trusted yet; pass --root %s if that is the one", root.Fingerprint)
	}
	yes, err := a.ask("Trust it from now on?")
	if err == nil && !yes {
		err = fail(exitRefused, "nothing was fetched")
	}
	return root, err
}

func publisher(p published.Publisher) string {
	name := shown(p.Name)
	if name == "" {
		name = "nobody's in particular"
	}
	if p.Home != "" {
		return fmt.Sprintf("%s (%s)", name, shown(p.Home))
	}
	return name
}

// grouped writes a fingerprint in groups that people can compare.
func grouped(fingerprint string) string {
	var groups []string
	for i := 0; i+8 <= len(fingerprint); i += 8 {
		groups = append(groups, fingerprint[i:i+8])
	}
	return strings.Join(groups, " ")
}
