package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/manifest"
	"endroit/core/sheet"
	"endroit/localmanifest"
	"endroit/machine"
)

// identified is one title that could be meant.
type identified struct {
	Title    string           `json:"title"`
	Because  string           `json:"because"`
	Edition  *sheet.Installed `json:"edition,omitempty"` // installed here
	Recorded []string         `json:"recorded"`          // variants in the local manifest
}

func (a *app) identify() *cli.Command {
	return command(&cli.Command{
		Name: "identify", Usage: "say which title and edition something belongs to",
		UsageText:   "endroit identify WHAT [--sheets FOLDER] [--json]",
		Description: "WHAT is a title's name (close is enough), a store's number, a pasted address of a\nstore page, a path inside an installation, prefix or account folder, or a running\nprocess' id. Where several could be meant, all are shown.",
		Flags:       []cli.Flag{sheetsFlag(), jsonFlag()},
		Action:      a.runIdentify,
	}, reuse, "endroit identify tidewrack\nendroit identify https://quayside.example/title/418820\nendroit identify ~/games/tidewrack/data")
}

func (a *app) runIdentify(_ context.Context, c *cli.Command) error {
	what := strings.TrimSpace(strings.Join(c.Args().Slice(), " "))
	if what == "" {
		return fail(exitUsage, "identify wants WHAT: a name, a number, an address, a path, or a process' id")
	}
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	k, err := a.openKept()
	if err != nil {
		a.tell("endroit: %s", shown(err.Error()))
		k = nil
	} else {
		defer k.Close()
	}
	sheets, err := a.sheets(c, k)
	if err != nil {
		return err
	}
	survey, err := a.survey(c, k, roots)
	if err != nil {
		return err
	}
	i := identifier{survey: survey, kept: k, sheets: sheets}
	found, err := i.all(what)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return a.json(map[string]any{"what": what, "found": found})
	}
	if len(found) == 0 {
		return fail(exitNotFound, "nothing on this machine or in the manifest fits %q; endroit machine shows what is installed", what)
	}
	if len(found) > 1 {
		a.say("%s could be meant", count(len(found), "title or edition", "titles or editions"))
	}
	for n, f := range found {
		if n > 0 || len(found) > 1 {
			a.say("")
		}
		a.printIdentified(f)
	}
	return nil
}

func (a *app) printIdentified(f identified) {
	a.say("%s: %s", shown(f.Title), shown(f.Because))
	if e := f.Edition; e != nil {
		by := "installed without a launcher"
		if e.Launcher != "" {
			by = "laid out by " + e.LauncherName
		}
		if len(e.StartedBy) > 0 {
			by += ", started by " + strings.Join(e.StartedBy, ", ") + " too"
		}
		if e.Missing == "" {
			a.say("  installed here: %s, %s", shown(edition(e.Edition)), shown(by))
		} else {
			a.say("  not here: %s, %s; %s", shown(edition(e.Edition)), shown(by), shown(e.Missing))
		}
		a.say("    %s", pasted(e.Folder))
		if e.Prefix != "" {
			a.say("    prefix %s", pasted(e.Prefix))
		}
	}
	for _, v := range f.Recorded {
		a.say("  recorded: %s", shown(v))
	}
	if len(f.Recorded) == 0 {
		a.say("  nothing is recorded for it yet")
	}
}

// identifier knows what could be meant.
type identifier struct {
	survey *machine.Survey
	kept   *localmanifest.Kept // nil without a manifest
	sheets []*sheet.Sheet
}

func (i identifier) all(what string) (out []identified, err error) {
	out = []identified{}
	path, ofProcess := pathOf(what)
	// What is sure goes before names that only come close.
	for _, close := range []bool{false, true} {
		for _, e := range append(slices.Clone(i.survey.Installed), sheet.Missing(i.survey.Found)...) {
			why := ""
			if close {
				why = nearly(what, e.Name)
			} else {
				why = i.fits(what, path, ofProcess, e)
			}
			if why == "" {
				continue
			}
			recorded, err := i.recorded(manifest.ID(e.Name), e.Store, e.Ref)
			if err != nil {
				return nil, err
			}
			out = append(out, identified{Title: e.Name, Because: why, Edition: &e, Recorded: recorded})
		}
		if len(out) > 0 {
			return i.inFolder(out, path), nil
		}
		more, err := i.inManifest(what, close)
		if err != nil || len(more) > 0 {
			return more, err
		}
		if e, _ := i.unlisted(path); !close && e != nil {
			recorded, err := i.recorded(manifest.ID(e.Name), e.Store, e.Ref)
			one := sheet.Installed{Edition: *e, System: machine.System(), StartedBy: []string{}, Accounts: []sheet.Account{}}
			return []identified{{Title: e.Name, Because: "a file in the folder says so, and no launcher knows of it; endroit machine add FOLDER makes it known", Edition: &one, Recorded: recorded}}, err
		}
	}
	return out, nil
}

// inFolder keeps of several that a path lies in those whose folder is innermost.
func (i identifier) inFolder(all []identified, path string) []identified {
	if path == "" {
		return all
	}
	longest := 0
	for _, x := range all {
		if within(path, x.Edition.Folder) {
			longest = max(longest, len(x.Edition.Folder))
		}
	}
	return slices.DeleteFunc(all, func(x identified) bool { return longest > 0 && len(x.Edition.Folder) != longest })
}

// inManifest finds what is not installed here.
func (i identifier) inManifest(what string, close bool) (out []identified, err error) {
	if i.kept == nil {
		return nil, nil
	}
	add := func(id, because string) error {
		t, err := i.kept.Title(id)
		if err != nil || t == nil {
			return err
		}
		recorded, err := i.recorded(id, "", "")
		out = append(out, identified{Title: t.Name, Because: because, Recorded: recorded})
		return err
	}
	if close {
		_, near, err := i.kept.Find(what)
		if err != nil {
			return nil, err
		}
		for _, name := range near {
			if err := add(manifest.ID(name), "its name comes close"); err != nil {
				return nil, err
			}
		}
		return out, nil
	}
	t, err := i.kept.Title(manifest.ID(what))
	if err == nil && t != nil {
		err = add(t.ID, "it is called so")
	}
	if err != nil {
		return nil, err
	}
	ids, err := i.kept.OfEdition("", what)
	for n := 0; err == nil && n < len(ids); n++ {
		err = add(ids[n], "that is its reference at a store")
	}
	for n := 0; err == nil && n < len(i.sheets); n++ {
		s := i.sheets[n]
		if ref := s.RefIn(what); ref != "" {
			if ids, err = i.kept.OfEdition(storeOf(s), ref); err == nil {
				for _, id := range ids {
					err = add(id, "the address is that of its page at "+s.Name)
				}
			}
		}
	}
	return out, err
}

func storeOf(s *sheet.Sheet) string {
	if s.Store != "" {
		return s.Store
	}
	return s.ID
}

// unlisted looks for a file that says what is installed, in the folder of a path
// and in those above it.
func (i identifier) unlisted(path string) (*sheet.Edition, []sheet.Note) {
	for level := 0; path != "" && level < 8; level++ {
		if e, notes := machine.InstalledIn(i.sheets, path); e != nil {
			return e, notes
		}
		up := filepath.Dir(path)
		if up == path {
			break
		}
		path = up
	}
	return nil, nil
}

func within(path, folder string) bool {
	if folder == "" || path == "" {
		return false
	}
	folder = resolved(folder)
	return path == folder || strings.HasPrefix(path, folder+string(filepath.Separator))
}

// fits says why an installed edition is meant; empty if it is not.
func (i identifier) fits(what, path string, ofProcess bool, e sheet.Installed) string {
	switch {
	case within(path, e.Folder) && ofProcess:
		return "the process runs from its folder"
	case within(path, e.Folder):
		return "the path lies in its folder"
	case within(path, e.Prefix):
		return "the path lies in its prefix"
	case e.Ref != "" && e.Ref == what:
		return "that is its reference at " + e.Store
	case e.Ref != "" && i.refIn(what, e.Store) == e.Ref:
		return "the address is that of its page at " + e.Store
	case manifest.ID(what) != "" && manifest.ID(e.Name) == manifest.ID(what):
		return "it is called so"
	}
	for _, acc := range e.Accounts {
		if !within(path, acc.Folder) {
			continue
		}
		names := strings.Split(strings.TrimPrefix(path, resolved(acc.Folder)), string(filepath.Separator))
		if e.Ref != "" && slices.Contains(names, e.Ref) {
			return "the path lies in the folder of account " + acc.ID + ", under its reference"
		}
	}
	return ""
}

// nearly says that a name comes close.
func nearly(what, name string) string {
	n := manifest.NewNearest(what)
	n.Add(name, manifest.Fold(name))
	if len(n.Names()) > 0 {
		return "its name comes close"
	}
	return ""
}

func (i identifier) refIn(address, store string) string {
	for _, s := range i.sheets {
		if storeOf(s) == store {
			if ref := s.RefIn(address); ref != "" {
				return ref
			}
		}
	}
	return ""
}

// recorded lists what the manifest has of a title; those of the edition first.
func (i identifier) recorded(id, store, ref string) ([]string, error) {
	own, others := []string{}, []string{}
	if i.kept == nil {
		return own, nil
	}
	ids := []string{id}
	if ref != "" {
		of, err := i.kept.OfEdition(store, ref)
		if err != nil {
			return nil, err
		}
		ids = append(of, id)
	}
	seen := map[string]bool{}
	for _, id := range ids {
		if seen[id] {
			continue
		}
		seen[id] = true
		t, err := i.kept.Title(id)
		if err != nil {
			return nil, err
		}
		if t == nil {
			continue
		}
		for _, v := range t.Variants {
			if store != "" && v.Store == store && v.Ref == ref {
				own = append(own, v.String())
			} else {
				others = append(others, v.String())
			}
		}
	}
	return append(own, others...), nil
}

// pathOf takes WHAT for a path that is there, or for the id of a running process,
// whose program it gives: of a Windows program, the file that Wine runs.
func pathOf(what string) (path string, ofProcess bool) {
	if pid, err := strconv.Atoi(what); err == nil && pid > 0 && runtime.GOOS == "linux" {
		return programOf(pid), true
	}
	if !strings.ContainsAny(what, `/\`) || strings.Contains(what, "://") {
		if _, err := os.Stat(what); err != nil || what != "." && what != ".." {
			return "", false
		}
	}
	return resolved(what), false
}

// programOf is the program that a process runs; empty if there is no such process.
func programOf(pid int) string {
	exe, err := os.Readlink(fmt.Sprintf("/proc/%d/exe", pid))
	if err != nil {
		return ""
	}
	// Wine is the program then; the files that it has mapped tell which it runs.
	if strings.HasPrefix(filepath.Base(exe), "wine") {
		maps, err := os.ReadFile(fmt.Sprintf("/proc/%d/maps", pid))
		if err != nil {
			return exe
		}
		for line := range strings.Lines(string(maps)) {
			if at := strings.IndexByte(line, '/'); at >= 0 {
				if file := strings.TrimSpace(line[at:]); strings.EqualFold(filepath.Ext(file), ".exe") {
					return file
				}
			}
		}
	}
	return exe
}

// resolved is a path from the top, with its links followed as far as it is there.
func resolved(path string) string {
	abs, err := filepath.Abs(path)
	if err != nil {
		return path
	}
	if real, err := filepath.EvalSymlinks(abs); err == nil {
		return real
	}
	return abs
}
