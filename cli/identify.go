package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/manifest"
	"endroit/core/sheet"
	"endroit/machine"
)

// identified is one title that could be meant.
type identified struct {
	Title    string         `json:"title"`
	Because  string         `json:"because"`
	Edition  *sheet.Edition `json:"edition,omitempty"`  // installed here
	Launcher string         `json:"launcher,omitempty"` // that lists it
	Recorded []string       `json:"recorded"`           // variants in the local manifest
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
	what := strings.Join(c.Args().Slice(), " ")
	if strings.TrimSpace(what) == "" {
		return fail(exitUsage, "identify wants WHAT: a name, a number, an address, a path, or a process' id")
	}
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	sheets, _, err := a.sheets(c)
	if err != nil {
		return err
	}
	m, _, err := localManifest()
	if err != nil {
		a.tell("endroit: %s", shown(err.Error()))
		m = &manifest.Manifest{}
	}
	i := identifier{launchers: launchers(sheets, roots), manifest: m, sheets: sheets}
	found := i.all(what)
	if c.Bool("json") {
		return a.json(map[string]any{"what": what, "found": found})
	}
	if len(found) == 0 {
		return fail(exitNotFound, "nothing on this machine or in the manifest fits %q; endroit machine shows what is installed", what)
	}
	for n, f := range found {
		if n > 0 {
			a.say("")
		}
		a.printIdentified(f)
	}
	return nil
}

func (a *app) printIdentified(f identified) {
	a.say("%s: %s", shown(f.Title), shown(f.Because))
	if e := f.Edition; e != nil {
		a.say("  installed here: %s %s version %s, by %s", shown(e.Store), shown(e.Ref), shown(orUnknown(e.Version)), shown(f.Launcher))
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
	launchers []sheet.Found
	manifest  *manifest.Manifest
	sheets    []*sheet.Sheet
}

func (i identifier) all(what string) []identified {
	out := []identified{}
	seen := map[string]bool{}
	add := func(x identified, key string) {
		if !seen[key] {
			seen[key] = true
			out = append(out, x)
		}
	}
	path, ofProcess := pathOf(what)
	for _, l := range i.launchers {
		for _, lib := range l.Libraries {
			for _, e := range lib.Editions {
				if why := i.fits(what, path, ofProcess, e, l); why != "" {
					add(identified{Title: e.Name, Because: why, Edition: &e, Launcher: l.Name, Recorded: i.recorded(e.Name, e.Store, e.Ref)}, e.Store+" "+e.Ref+" "+e.Folder)
				}
			}
		}
	}
	if len(out) > 0 {
		return out
	}
	// Not installed here: what the manifest knows.
	for n := range i.manifest.Titles {
		t := &i.manifest.Titles[n]
		for _, v := range t.Variants {
			switch {
			case v.Ref != "" && v.Ref == what:
				add(identified{Title: t.Name, Because: "that is its number at " + v.Store, Recorded: i.recorded(t.Name, "", "")}, t.ID)
			case v.Ref != "" && i.refIn(what, v.Store) == v.Ref:
				add(identified{Title: t.Name, Because: "the address is that of its page at " + v.Store, Recorded: i.recorded(t.Name, "", "")}, t.ID)
			}
		}
	}
	if len(out) > 0 {
		return out
	}
	t, near := i.manifest.Find(what)
	if t != nil {
		return []identified{{Title: t.Name, Because: "it is called so", Recorded: i.recorded(t.Name, "", "")}}
	}
	for _, name := range near {
		add(identified{Title: name, Because: "its name comes close", Recorded: i.recorded(name, "", "")}, name)
	}
	return out
}

// fits says why an installed edition could be meant; empty if it could not.
func (i identifier) fits(what, path string, ofProcess bool, e sheet.Edition, l sheet.Found) string {
	within := func(folder string) bool {
		return folder != "" && path != "" && (path == folder || strings.HasPrefix(path, folder+string(filepath.Separator)))
	}
	switch {
	case within(e.Folder) && ofProcess:
		return "the process runs from its folder"
	case within(e.Folder):
		return "the path lies in its folder"
	case within(e.Prefix):
		return "the path lies in its prefix"
	case e.Ref == what:
		return "that is its number at " + e.Store
	case e.Ref != "" && i.refIn(what, e.Store) == e.Ref:
		return "the address is that of its page at " + e.Store
	case manifest.ID(e.Name) == manifest.ID(what):
		return "it is called so"
	}
	for _, acc := range l.Accounts {
		if within(acc.Folder) && strings.Contains(path+string(filepath.Separator), string(filepath.Separator)+e.Ref+string(filepath.Separator)) {
			return "the path lies in the folder of account " + acc.ID + ", under its number"
		}
	}
	one := manifest.Manifest{Titles: []manifest.Title{{ID: manifest.ID(e.Name), Name: e.Name}}}
	if _, near := one.Find(what); len(near) > 0 {
		return "its name comes close"
	}
	return ""
}

func (i identifier) refIn(address, store string) string {
	for _, s := range i.sheets {
		if s.ID == store || s.Store == store {
			if ref := s.RefIn(address); ref != "" {
				return ref
			}
		}
	}
	return ""
}

// recorded lists what the manifest has of a title; those of the edition first.
func (i identifier) recorded(name, store, ref string) []string {
	own, others := []string{}, []string{}
	for _, t := range i.manifest.Titles {
		for _, v := range t.Variants {
			switch {
			case store != "" && v.Store == store && v.Ref == ref:
				own = append(own, v.String())
			case t.ID == manifest.ID(name):
				others = append(others, v.String())
			}
		}
	}
	return append(own, others...)
}

// pathOf takes WHAT for a path that is there, or for the id of a running process,
// whose program it gives.
func pathOf(what string) (path string, ofProcess bool) {
	if pid, err := strconv.Atoi(what); err == nil && pid > 0 && runtime.GOOS == "linux" {
		if exe, err := os.Readlink(fmt.Sprintf("/proc/%d/exe", pid)); err == nil {
			return exe, true
		}
		return "", false
	}
	if !strings.ContainsAny(what, `/\`) || strings.Contains(what, "://") {
		return "", false
	}
	return resolved(what), false
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
