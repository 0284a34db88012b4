package cli

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/copies"
	"endroit/core/copyrecord"
	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/phrase"
	"endroit/core/proof"
	"endroit/localmanifest"
	"endroit/locate"
	"endroit/machine"
	"endroit/running"
	"endroit/safefile"
)

// subject is a title whose files are copied or changed: one of the manifest, or one's own
// draft.
type subject struct {
	title    *manifest.Title
	source   copyrecord.Source
	here     *locate.Resolver
	found    locate.Title
	version  string         // of the edition that a draft is of
	runs     []proof.Run    // the draft's, for an absence
	evidence map[string]int // how many files each location of a draft was seen with
	close    func()
}

// whereFlags say which of a title's variants on this machine is meant.
func whereFlags() []cli.Flag {
	return []cli.Flag{
		&cli.StringFlag{Name: "variant", Usage: "the variant on this machine whose description contains this `TEXT`"},
		&cli.StringFlag{Name: "install", Usage: "the `FOLDER` that the title is installed in, for what it keeps there"},
		&cli.StringSliceFlag{Name: "prefix", Usage: "a compatibility prefix: the `FOLDER` that contains drive_c; can be repeated"},
		sheetsFlag(),
	}
}

// machineHere surveys this machine for the commands that copy.
func (a *app) machineHere(ctx context.Context, c *cli.Command, k *localmanifest.Manifest) (*locate.Resolver, error) {
	roots, err := machine.Roots()
	if err != nil {
		return nil, err
	}
	survey, err := a.survey(ctx, c, k, roots)
	if err != nil {
		return nil, err
	}
	here := locate.New(survey, roots)
	here.Whole = true
	if c.String("install") != "" {
		if here.Install, err = filepath.Abs(c.String("install")); err != nil {
			return nil, err
		}
	}
	for _, folder := range c.StringSlice("prefix") {
		p, err := machine.OpenPrefix(ctx, folder)
		if err != nil {
			here.Close()
			return nil, fail(exitUsage, "--prefix %w", err)
		}
		a.tellNotes(p)
		here.Only = append(here.Only, p)
	}
	return here, nil
}

// fewCollections trades memory for time in a command that is over soon: what it lists of
// thousands of files lives to its end.
func fewCollections() {
	debug.SetGCPercent(400)
	debug.SetMemoryLimit(160 << 20)
}

// subject finds the title, or reads the draft, of this name, and where it is here.
func (a *app) subject(ctx context.Context, c *cli.Command, name string) (*subject, error) {
	s, err := a.readSubject(ctx, c, name)
	if err != nil {
		return nil, err
	}
	return s, s.find(ctx)
}

// find finds where the title is on this machine.
func (s *subject) find(ctx context.Context) (err error) {
	if s.found, err = s.here.Title(ctx, s.title, locate.Everywhere); err != nil {
		s.close()
	}
	return err
}

// readSubject reads what is recorded of a title, or the draft, of this name.
func (a *app) readSubject(ctx context.Context, c *cli.Command, name string) (*subject, error) {
	fewCollections()
	s := &subject{}
	k, err := a.openManifest(ctx)
	isDraft := looksLikeDraft(name)
	if err != nil && !(isDraft && errors.Is(err, localmanifest.ErrNone)) {
		return nil, err
	}
	if k != nil {
		defer k.Close()
	}
	if isDraft {
		if err := s.readDraft(name); err != nil {
			return nil, err
		}
	} else {
		var near []string
		if s.title, near, err = oneTitle(ctx, k, name); err != nil {
			return nil, err
		}
		if s.title == nil {
			return nil, noTitle(k, name, near)
		}
		s.source.Revision = k.Head.Revision
	}
	if s.here, err = a.machineHere(ctx, c, k); err != nil {
		return nil, err
	}
	s.close = s.here.Close
	return s, nil
}

// ofDraft makes a draft that is not in a file the subject.
func (a *app) ofDraft(ctx context.Context, c *cli.Command, d *draft.Draft) (*subject, error) {
	fewCollections()
	k, err := a.openManifest(ctx)
	if err != nil && !errors.Is(err, localmanifest.ErrNone) {
		return nil, err
	}
	if k != nil {
		defer k.Close()
	}
	s := &subject{title: locate.OfDraft(d), evidence: map[string]int{}}
	if d.Edition != nil {
		s.version = d.Edition.Version
	}
	if s.here, err = a.machineHere(ctx, c, k); err != nil {
		return nil, err
	}
	s.close = s.here.Close
	return s, s.find(ctx)
}

func noTitle(k *localmanifest.Manifest, name string, near []string) error {
	if len(near) > 0 {
		return fail(exitNotFound, "no title is recorded as %q; did you mean %s?", name, strings.Join(near, ", "))
	}
	return fail(
		exitNotFound, "no title is recorded as %q in revision %d; endroit fetch gets a newer revision, and a DRAFT of your own works too",
		name, k.Head.Revision,
	)
}

func looksLikeDraft(name string) bool {
	if strings.ContainsRune(name, filepath.Separator) || filepath.Ext(name) == ".yaml" {
		return true
	}
	info, err := os.Stat(name)
	return err == nil && info.Mode().IsRegular()
}

func (s *subject) readDraft(name string) error {
	data, err := safefile.Read(name, draft.MaxBytes)
	if errors.Is(err, fs.ErrNotExist) {
		return fail(exitNotFound, "there is no file %s; endroit propose makes a draft", name)
	}
	if err != nil {
		return fail(unread(err), "%w", err)
	}
	d, err := draft.Parse(data)
	if err != nil {
		return fail(exitInput, "%s: %w", name, err)
	}
	sum := sha256.Sum256(data)
	s.title, s.source = locate.OfDraft(d), copyrecord.Source{Draft: hex.EncodeToString(sum[:])}
	s.evidence = map[string]int{}
	if d.Edition != nil {
		s.version = d.Edition.Version
	}
	for _, l := range d.Locations {
		s.evidence[l.At] = len(l.Seen)
	}
	return nil
}

// describeVariant tells a variant on this machine from others, in a line.
func describeVariant(v locate.Variant) string {
	text := copyOf(v)
	for _, x := range []struct{ says, is string }{
		{", in the prefix ", v.Prefix}, {", installed in ", v.Install}, {", for the account ", v.Account},
		{", in the sandboxed application ", v.Sandbox},
	} {
		if x.is != "" {
			text += x.says + x.is
		}
	}
	return text
}

// printWhere tells a variant on this machine, a line for each part.
func (a *app) printWhere(v locate.Variant) {
	a.say("  %s", shown(copyOf(v)))
	for _, x := range []struct{ says, text string }{
		{"in the prefix ", quoted(v.Prefix)}, {"installed in ", quoted(v.Install)}, {"for the account ", v.Account},
		{"in the sandboxed application ", v.Sandbox},
	} {
		if x.text != "" {
			a.say("  %s%s", x.says, shown(x.text))
		}
	}
}

// sides are the variants with their files: those that the person named, or all. Of variants
// that have the same files one is enough.
func (s *subject) sides(ctx context.Context, wanted string, choice copies.Choice) (out []*copies.Side) {
	var all []*copies.Side
	for _, v := range s.found.Variants {
		if wanted != "" && !strings.Contains(strings.ToLower(describeVariant(v)), strings.ToLower(wanted)) {
			continue
		}
		all = append(all, s.gather(ctx, s.found, v, choice))
	}
	slices.SortStableFunc(all, func(a, b *copies.Side) int { return cmp.Compare(len(b.Files), len(a.Files)) })
	had := map[string]bool{}
	for _, side := range all {
		fresh := false
		for _, f := range side.Files {
			fresh = fresh || !had[f.File.Path]
		}
		if !fresh && (len(side.Files) > 0 || len(out) > 0) {
			continue
		}
		for _, f := range side.Files {
			had[f.File.Path] = true
		}
		out = append(out, side)
	}
	return out
}

// gather looks at the files of a variant.
func (s *subject) gather(ctx context.Context, t locate.Title, v locate.Variant, choice copies.Choice) *copies.Side {
	side := copies.Gather(ctx, s.here, t, v, choice)
	side.Source, side.Evidence = s.source, s.evidence
	return side
}

// one is the variant that an operation is about; an error where there are several.
func (s *subject) one(ctx context.Context, wanted string, choice copies.Choice) (*copies.Side, error) {
	all := s.sides(ctx, wanted, choice)
	if len(all) == 0 && wanted != "" {
		return nil, fail(exitNotFound, "no variant of %s on this machine is described so: %q; there are:\n%s", s.title.Name, wanted, s.listed())
	}
	if len(all) == 0 {
		return nil, fail(exitNotFound, "nothing of %s was found on this machine", s.title.Name)
	}
	if len(all) > 1 {
		return nil, fail(
			exitUsage, "%s is on this machine in %d variants; name the one that you mean with --variant TEXT:\n%s", s.title.Name,
			len(all), s.listed(),
		)
	}
	return all[0], nil
}

func (s *subject) listed() string {
	var lines []string
	for _, v := range s.found.Variants {
		lines = append(lines, "  "+describeVariant(v))
	}
	return strings.Join(lines, "\n")
}

// again looks at a side once more, as the files are now.
func (a *app) again(s *subject, side *copies.Side, choice copies.Choice) func(context.Context) (*copies.Side, error) {
	was := describeVariant(side.Variant)
	return func(ctx context.Context) (*copies.Side, error) {
		found, err := s.here.Title(ctx, s.title, locate.Everywhere)
		if err != nil {
			return nil, err
		}
		for _, v := range found.Variants {
			if describeVariant(v) == was {
				return s.gather(ctx, found, v, choice), nil
			}
		}
		return nil, fmt.Errorf("%s is no longer on this machine", was)
	}
}

// choice reads --holds and --slot.
func choice(c *cli.Command, usual ...string) (copies.Choice, error) {
	out := copies.Choice{Slot: c.String("slot"), Holds: usual}
	words := c.StringSlice("holds")
	if len(words) == 0 {
		return out, nil
	}
	out.Holds = nil
	for _, w := range words {
		switch strings.ToLower(w) {
		case "all":
			return copies.Choice{Slot: out.Slot}, nil
		case "progress", draft.Save:
			out.Holds = append(out.Holds, draft.Save)
		case "settings", draft.Config:
			out.Holds = append(out.Holds, draft.Config)
		case "pictures", draft.Capture:
			out.Holds = append(out.Holds, draft.Capture)
		default:
			return out, fail(exitUsage, "--holds %q is not progress, settings, pictures or all", w)
		}
	}
	return out, nil
}

func choiceFlags(usual string) []cli.Flag {
	return []cli.Flag{
		&cli.StringSliceFlag{Name: "holds", Usage: "what is meant: `WHAT` is progress, settings, pictures or all (" + usual + " if not given)"},
		&cli.StringFlag{Name: "slot", Usage: "only the files of this `SLOT`, where a location tells slots apart"},
	}
}

// surroundings are warnings of what would harm, or undo, a change of a side's files: the
// game runs, or the launcher keeps cloud copies.
func (a *app) surroundings(ctx context.Context, side *copies.Side) (out []copies.Warning) {
	for _, p := range a.programs(ctx, side) {
		out = append(out, copies.Warning{Word: copies.Running, Text: p.String()})
	}
	if cloud := side.Variant.Cloud; cloud != nil && *cloud {
		out = append(out, copies.Warning{Word: copies.Cloud, Text: fmt.Sprintf(
			"%s keeps cloud copies: it can put back what is removed here, or overwrite what is put back. "+
				"Switch that off for this title in the launcher first, and on again after the game has saved",
			launcherOf(side.Variant),
		)})
	}
	return out
}

func (a *app) programs(ctx context.Context, side *copies.Side) []running.Program {
	t := running.Title{Install: side.Variant.Install, Prefix: side.Variant.Prefix}
	for _, l := range side.Variant.Locations { // also empty ones: the game may be about to save there
		if l.Folder != "" {
			t.Folders = append(t.Folders, l.Folder)
		}
	}
	for _, f := range side.Files {
		t.Files = append(t.Files, f.File.Path)
	}
	return running.Look(ctx, t)
}

// cloudLine says whether the launcher keeps cloud copies of a variant; empty if none is known.
func cloudLine(v locate.Variant) string {
	switch {
	case v.StartedBy == "" && v.Launcher == "" && v.Store == "":
		return ""
	case v.Cloud == nil:
		return "whether " + shown(launcherOf(v)) + " keeps cloud copies is not known"
	case *v.Cloud:
		return shown(launcherOf(v)) + " keeps cloud copies of it"
	}
	return shown(launcherOf(v)) + " keeps no cloud copies of it"
}

func launcherOf(v locate.Variant) string {
	own, _, _ := strings.Cut(v.StartedBy, ",")
	if name := cmp.Or(own, v.Launcher, v.Store); name != "" {
		return "the launcher " + name
	}
	return "the launcher"
}

// copySeen is what is remembered of files that were read.
func copySeen() (*copies.Seen, error) {
	dir, err := dataFolder()
	if err != nil {
		return nil, err
	}
	if err := os.MkdirAll(dir, 0o700); err != nil {
		return nil, err
	}
	return copies.OpenSeen(filepath.Join(dir, "seen-files.json")), nil
}

// sideLine sums a side up.
func sideLine(n int, bytes int64, newest string) string {
	text := phrase.Count(n, "file", "files") + ", " + phrase.Size(bytes)
	if newest != "" {
		text += ", newest " + newest
	}
	return text
}
