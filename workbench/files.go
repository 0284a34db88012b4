package workbench

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"os"
	"runtime"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/labstack/echo/v5"

	"endroit/core/candidate"
	"endroit/core/content"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/trace"
	"endroit/machine"
	"endroit/service/answer"
	"endroit/service/wire"
	"endroit/tracefiles"
)

// file is the file that a request is about.
func (b *Workbench) file(c *echo.Context) (*footprint.Footprint, int, error) {
	fp := b.footprint()
	n, err := strconv.Atoi(c.Param("file"))
	if err != nil || n < 0 || n >= len(fp.Files) {
		return nil, 0, answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "the footprint has no file with this number")
	}
	return fp, n, nil
}

func (b *Workbench) showFile(c *echo.Context) error {
	fp, n, err := b.file(c)
	if err != nil {
		return err
	}
	out, x := wire.BenchFileOf(fp, n), fp.Files[n]
	for i, v := range b.versions {
		if v.Path == v.run.path(x) {
			says := versionSays(v.Why)
			if len(b.runs) > 1 {
				says += fmt.Sprintf(", run %d", slices.Index(b.runs, v.run)+1)
			}
			out.Versions = append(out.Versions, wire.BenchVersion{
				ID:     strconv.Itoa(i + 1),
				Says:   says,
				At:     int64(v.run.at + v.At),
				Size:   v.Size,
				Digest: v.Digest,
			})
		}
	}
	// What another machine has under this path is another file.
	if info, err := os.Lstat(x.Path); err == nil && info.Mode().IsRegular() && b.here() {
		out.Versions = append(
			out.Versions,
			wire.BenchVersion{ID: present, Says: "as it is on disk now", At: int64(fp.Length), Size: info.Size()},
		)
	}
	return c.JSON(http.StatusOK, out)
}

// present is the version that a file has now.
const present = "now"

// versionSays tells in words when a version was kept.
func versionSays(why string) string {
	switch word, cue := strings.CutPrefix(why, "cue "); {
	case cue:
		return "at the cue " + word
	case why == "before":
		return "before the run changed it"
	case why == "end":
		return "after the run"
	}
	return why
}

// maxSteps is how many events of one file one answer holds.
const maxSteps = 500

func (b *Workbench) steps(c *echo.Context) error {
	fp, n, err := b.file(c)
	if err != nil {
		return err
	}
	from, err := number(c, "from", 0)
	if err != nil {
		return err
	}
	to, err := number(c, "to", 0)
	if err != nil {
		return err
	}
	out := wire.BenchSteps{Steps: []wire.BenchStep{}}
	for _, r := range b.runs {
		path, until := r.path(fp.Files[n]), time.Duration(to)-r.at
		if path == "" || to > 0 && until <= 0 || time.Duration(from) > r.at+r.judged.Length {
			continue
		}
		list, more, err := r.steps(path, max(0, time.Duration(from)-r.at), max(0, until))
		if err != nil {
			return err
		}
		out.More += more
		for _, s := range list {
			if len(out.Steps) == maxSteps {
				out.More++
				continue
			}
			out.Steps = append(out.Steps, wire.BenchStep{
				At: int64(r.at + s.At), Op: string(s.Op), Program: s.Program, To: s.Other, Size: s.Size, What: s.What,
			})
		}
	}
	return c.JSON(http.StatusOK, out)
}

// steps are what was done to a file in a stretch of this run, by its own clock.
func (r *run) steps(path string, from, to time.Duration) (list []footprint.Step, more int, err error) {
	f, err := tracefiles.Open(r.file)
	if err != nil {
		return nil, 0, err
	}
	defer f.Close()
	read, err := trace.NewReader(f, trace.DefaultLimits)
	if err != nil {
		return nil, 0, err
	}
	return footprint.Steps(read, path, from, to, maxSteps)
}

func number(c *echo.Context, name string, otherwise int64) (int64, error) {
	text := c.QueryParam(name)
	if text == "" {
		return otherwise, nil
	}
	n, err := strconv.ParseInt(text, 10, 64)
	if err != nil || n < 0 {
		return 0, answer.Invalid(name, "it must be a number from 0")
	}
	return n, nil
}

// content reads a version of a file of the footprint. cannot says why that is not to be
// had now, for the page to show in its place.
func (b *Workbench) content(x footprint.File, version string) (got tracefiles.Content, cannot string, err error) {
	switch n, e := strconv.Atoi(version); {
	case version == present && b.here():
		got, err = tracefiles.ReadFile(x.Path)
	case e != nil || n < 1 || n > len(b.versions) || b.versions[n-1].Path != b.versions[n-1].run.path(x):
		return got, "", answer.Problem(http.StatusNotFound, wire.ProblemNotFound, "there is no such version of the file")
	default:
		got, err = tracefiles.ReadVersion(b.versions[n-1].run.file, b.versions[n-1].number)
	}
	if errors.Is(err, tracefiles.ErrInput) || errors.Is(err, os.ErrNotExist) || errors.Is(err, os.ErrPermission) {
		return got, err.Error(), nil
	}
	return got, "", err
}

// asked is the file and the version that a request is about.
func (b *Workbench) asked(c *echo.Context) (x footprint.File, got tracefiles.Content, cannot string, err error) {
	fp, n, err := b.file(c)
	if err != nil {
		return x, got, "", err
	}
	x = fp.Files[n]
	got, cannot, err = b.content(x, c.QueryParam("version"))
	return x, got, cannot, err
}

// maxShown is how many bytes one answer holds.
const maxShown = 4096

func (b *Workbench) bytes(c *echo.Context) error {
	_, got, cannot, err := b.asked(c)
	if err != nil {
		return err
	}
	if cannot != "" {
		return c.JSON(http.StatusOK, wire.BenchBytes{Cannot: cannot, Bytes: []byte{}})
	}
	at, err := number(c, "at", 0)
	if err != nil {
		return err
	}
	at = min(at, int64(len(got.Data)))
	out := wire.BenchBytes{Size: len(got.Data), At: int(at), Bytes: got.Data[at:min(at+maxShown, int64(len(got.Data)))]}
	if c.QueryParam("facts") != "" {
		facts := content.Examine(got.Data, got.Changed)
		facts.Entropy, facts.Inside, facts.Numbers, facts.Strings = append(
			[]content.Part{},
			facts.Entropy...), first(
			facts.Inside,
		), first(facts.Numbers), first(facts.Strings)
		out.Facts = &facts
	}
	return c.JSON(http.StatusOK, out)
}

// maxFacts is how many facts of one sort one answer holds.
const maxFacts = 200

func first(list []content.Fact) []content.Fact {
	return append([]content.Fact{}, list[:min(len(list), maxFacts)]...)
}

// How many differences one answer holds.
const (
	maxDifferences = 300
	maxDiffering   = 64 // bytes
	maxLines       = 50
)

func (b *Workbench) differences(c *echo.Context) error {
	fp, n, err := b.file(c)
	if err != nil {
		return err
	}
	from, cannot, err := b.content(fp.Files[n], c.QueryParam("from"))
	if err != nil {
		return err
	}
	to, cannotTo, err := b.content(fp.Files[n], c.QueryParam("to"))
	if err != nil {
		return err
	}
	out := wire.BenchDifferences{
		From:        from.Name,
		To:          to.Name,
		FromSize:    len(from.Data),
		ToSize:      len(to.Data),
		Differences: []wire.BenchDifference{},
		Cannot:      cannot,
	}
	if cannot == "" {
		out.Cannot = cannotTo
	}
	if out.Cannot == "" {
		list := content.Compare(from.Data, to.Data)
		if lines, ok := content.CompareLines(from.Data, to.Data); ok {
			out.MoreLines = max(0, len(lines)-maxDifferences)
			out.Lines = append([]content.LineDifference{}, lines[:len(lines)-out.MoreLines]...)
			for i, d := range out.Lines {
				out.Lines[i].Was, out.Lines[i].Is = d.Was[:min(len(d.Was), maxLines)], d.Is[:min(len(d.Is), maxLines)]
			}
		}
		out.More = max(0, len(list)-maxDifferences)
		for _, d := range list[:len(list)-out.More] {
			out.Differences = append(out.Differences, wire.BenchDifference{
				At:       d.A,
				Length:   d.ALen,
				ToAt:     d.B,
				ToLength: d.BLen,
				Was:      some(from.Data[d.A : d.A+d.ALen]),
				Is:       some(to.Data[d.B : d.B+d.BLen]),
			})
		}
	}
	return c.JSON(http.StatusOK, out)
}

func some(b []byte) []byte { return append([]byte{}, b[:min(len(b), maxDiffering)]...) }

// sums looks for checksums in a version; with against, those that hold in another too.
func (b *Workbench) sums(c *echo.Context) error {
	x, got, cannot, err := b.asked(c)
	if err != nil {
		return err
	}
	out := wire.BenchSums{Sums: []content.SumMatch{}, Cannot: cannot}
	if cannot == "" && len(got.Data) > maxSummed {
		out.Cannot = fmt.Sprintf("it has more than %d MiB; endroit bytes --sums looks into it", maxSummed>>20)
	}
	if out.Cannot == "" {
		found := content.FindSums(got.Data, content.SumOptions{})
		if against := c.QueryParam("against"); against != "" {
			other, cannot, err := b.content(x, against)
			if err != nil {
				return err
			}
			if out.Cannot = cannot; cannot == "" && !slices.Equal(other.Data, got.Data) && len(other.Data) <= maxSummed {
				found = content.CommonSums(found, content.FindSums(other.Data, content.SumOptions{}))
			}
		}
		for _, m := range found {
			if m.Chance > content.ByChance {
				out.Weak++
				continue
			}
			out.Sums = append(out.Sums, m)
		}
	}
	return c.JSON(http.StatusOK, out)
}

// maxSummed is the largest content that is looked into for checksums while a page waits.
const maxSummed = 8 << 20

// tryDraft says what a draft in the making would do, with this trace, beside other titles
// and on this machine.
func (b *Workbench) tryDraft(c *echo.Context) error {
	var in wire.DraftTried
	if err := answer.Read(c, &in); err != nil {
		return err
	}
	if len(in.Locations) > draft.MaxLocations {
		return answer.Invalid("locations", fmt.Sprintf("there are more than %d", draft.MaxLocations))
	}
	for i, q := range in.Questions {
		if text := q.Wrong(); text != "" {
			return answer.Invalid(fmt.Sprintf("questions[%d]", i), text)
		}
	}
	fp := candidate.Told(b.footprint(), in.Questions)
	d := &draft.Draft{
		Title:     in.Title,
		Edition:   fp.Edition,
		Launcher:  fp.Launcher,
		OS:        fp.OS,
		Runtime:   fp.Runtime,
		Locations: in.Locations,
	}
	var others []manifest.Title
	if k := b.config.Manifest; k != nil {
		seen := map[string]bool{}
		for _, l := range in.Locations {
			beside, err := k.Beside(c.Request().Context(), l.At)
			if err != nil {
				return err
			}
			for _, t := range beside {
				if !seen[t.ID] {
					seen[t.ID] = true
					others = append(others, *t)
				}
			}
		}
	}
	own, err := b.ownTitle(c.Request().Context(), d)
	if err != nil {
		return err
	}
	out, err := contribution.Try(c.Request().Context(), d, fp, own, others)
	if err != nil {
		return err
	}
	roots := b.rootsHere()
	for i := range out.Locations {
		if l := &out.Locations[i]; l.Error == "" && roots != nil {
			l.Notes = append(l.Notes, b.onDisk(c.Request().Context(), l.At, roots, fp)...)
		}
	}
	return c.JSON(http.StatusOK, out)
}

// here reports whether the trace was made on this machine.
func (b *Workbench) here() bool {
	host, err := os.Hostname()
	return err == nil && host == b.header.Host
}

// rootsHere are where the anchors lie, if the trace was made on this machine by this
// person; nil otherwise, or inside a prefix.
func (b *Workbench) rootsHere() place.Roots {
	if !b.here() {
		return nil
	}
	if p := b.header.Prefix; p != nil {
		out := place.Roots{}
		for a, folder := range p.Roots {
			out[place.Anchor(a)] = folder
		}
		return out
	}
	roots, err := machine.Roots()
	home := b.header.Env["HOME"]
	if home == "" {
		home = b.header.Roots[string(place.Home)]
	}
	if err != nil || roots[place.Home] != home || b.header.OS != machine.System() {
		return nil
	}
	if b.header.Install != "" {
		roots[place.Install] = b.header.Install
	}
	if a := b.header.Account; a != nil && a.Folder != "" {
		roots[place.AccountData] = a.Folder
	}
	return roots
}

// namedOnDisk is how many files are named that a location matches and the run did not
// touch.
const namedOnDisk = 3

// onDisk says what a location matches on this machine that the run did not touch: slots
// of other days, or files of something else.
func (b *Workbench) onDisk(ctx context.Context, at string, roots place.Roots, fp *footprint.Footprint) (notes []string) {
	l, err := place.Parse(at)
	if err != nil || l.Anchor == place.Registry {
		return nil
	}
	finder := machine.NewFinder()
	defer finder.Close()
	found, err := finder.FindAs(ctx, roots, l, nil, b.header.Prefix != nil || l.Folds() || runtime.GOOS == "windows")
	if errors.Is(err, machine.ErrTooMany) {
		return []string{"on this machine it matches more files than can be listed"}
	}
	if err != nil {
		return nil
	}
	seen := map[string]bool{}
	for _, x := range fp.Files {
		seen[x.Path] = true
	}
	var unseen []string
	for _, f := range found.Files {
		if !seen[f.Path] {
			unseen = append(unseen, f.Path)
		}
	}
	if len(unseen) == 0 {
		return nil
	}
	text := fmt.Sprintf("on this machine it also matches %d files that this run did not touch, such as ", len(unseen))
	if len(unseen) == 1 {
		text = "on this machine it also matches a file that this run did not touch: "
	}
	return []string{text + strings.Join(unseen[:min(namedOnDisk, len(unseen))], ", ")}
}

// ownTitle is the id of the title that a draft is of in the local manifest, by its
// edition's reference or its name; empty if there is none, or several have the name.
func (b *Workbench) ownTitle(ctx context.Context, d *draft.Draft) (string, error) {
	k := b.config.Manifest
	if k == nil {
		return "", nil
	}
	if d.Edition != nil && d.Edition.Ref != "" {
		ids, err := k.OfEdition(ctx, d.Edition.Store, d.Edition.Ref)
		if err != nil {
			return "", err
		}
		if len(ids) == 1 {
			return ids[0], nil
		}
	}
	ids, err := k.Named(ctx, d.Title)
	if len(ids) != 1 {
		return "", err
	}
	return ids[0], nil
}
