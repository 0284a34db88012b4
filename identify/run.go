package identify

import (
	"cmp"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"endroit/core/manifest"
	"endroit/core/sheet"
	"endroit/core/trace"
	"endroit/machine"
)

// EditionsOf finds the installed editions that a run could be of: the one whose
// folder the program lies in, else those of the title or reference that was named.
// None contradicts what was named.
func EditionsOf(installed []sheet.Installed, header trace.Header, programs []string) (list []sheet.Installed, how string) {
	var named, around []sheet.Installed
	for _, e := range installed {
		if header.Edition != nil && (header.Edition.Store != e.Store || header.Edition.Ref != "" && header.Edition.Ref != e.Ref) {
			continue
		}
		sameTitle := manifest.Plain(header.Title) == manifest.Plain(e.Name)
		if header.Title != "" && !sameTitle {
			continue
		}
		if slices.ContainsFunc(
			programs,
			func(p string) bool { return strings.HasPrefix(p, resolved(e.Folder)+string(filepath.Separator)) },
		) {
			around = append(around, e)
		}
		if sameTitle || header.Edition != nil && header.Edition.Ref != "" {
			named = append(named, e)
		}
	}
	if len(around) > 0 {
		return around, "because the program lies in its folder"
	}
	return named, "because it was named, though the program lies elsewhere"
}

// Programs are the program and those arguments that are files, from the top:
// what Wine runs is an argument.
func Programs(program string, args []string) (paths []string) {
	for _, p := range append([]string{program}, args...) {
		if info, err := os.Stat(p); err == nil && !info.IsDir() {
			paths = append(paths, resolved(p))
		}
	}
	return paths
}

// Program finds a program that is not here in the folder of the edition.
func Program(install, program string) string {
	if _, err := os.Stat(program); err == nil || install == "" || !filepath.IsLocal(program) {
		return program
	}
	inside := filepath.Join(install, program)
	if _, err := os.Stat(inside); err != nil {
		return program // Wine says what it misses
	}
	return inside
}

// ForWindows reports whether a command runs a Windows program.
func ForWindows(args []string) bool {
	for i, arg := range args {
		if strings.EqualFold(filepath.Ext(arg), ".exe") {
			return true
		}
		if i == 0 && strings.HasPrefix(filepath.Base(arg), "wine") {
			return true
		}
	}
	return false
}

// TracedPrefix writes a prefix into a trace's header.
func TracedPrefix(p *machine.Prefix) *trace.Prefix {
	out := &trace.Prefix{
		Folder: p.Folder,
		User:   p.User,
		Roots:  map[string]string{},
		Drives: p.Drives(),
		Inside: map[string]string{},
	}
	for anchor, folder := range p.Roots {
		out.Roots[string(anchor)] = folder
	}
	for anchor, inside := range p.Windows {
		out.Inside[string(anchor)] = inside
	}
	return out
}

// Assumed is something about a run that was filled in, and what it was filled in with.
type Assumed struct{ What, Text string }

// FillIn writes into a trace's header what is known of the edition that is run, where the
// header says nothing. prefix is the folder of the prefix that it runs in, empty for none;
// only those of the survey count.
func FillIn(header *trace.Header, e sheet.Installed, survey *machine.Survey, prefix string) (all []Assumed) {
	add := func(what, text string) { all = append(all, Assumed{what, text}) }
	if header.Title == "" {
		header.Title = e.Name
	}
	if header.Edition == nil && e.Store != "" {
		header.Edition = &trace.Edition{Store: e.Store}
	}
	if x := header.Edition; x != nil {
		if x.Ref == "" {
			x.Ref = e.Ref
		}
		if x.Version == "" {
			x.Version = e.Version
		}
		add("edition", sheet.Edition{Store: x.Store, Ref: x.Ref, Version: x.Version}.Label())
	}
	if header.Launcher == "" {
		header.Launcher = e.Launcher
	}
	launcher := cmp.Or(header.Launcher, "none")
	if others := e.Starters(); len(others) > 1 && header.Launcher == e.Launcher {
		launcher += ", which installed it; " + strings.Join(e.StartedBy, ", ") + " starts it too (--launcher)"
	}
	add("launcher", launcher)
	if header.Install == "" {
		header.Install = e.Folder
	}
	add("installed", header.Install)
	if prefix != "" {
		for _, p := range survey.Prefixes {
			if p.Folder == prefix && p.Prefix != nil {
				header.Prefix = TracedPrefix(p.Prefix)
			}
		}
	}
	runtime := "native"
	if header.Prefix != nil {
		runtime = "prefix " + header.Prefix.Folder + ", where the user is " + cmp.Or(header.Prefix.User, "unknown")
	}
	add("runtime", runtime)
	if text := fillInAccount(header, e); text != "" {
		add("account", text)
	}
	return all
}

// fillInAccount takes the account in use, or the folder of the one that was named. It
// returns what was assumed, empty if nothing was.
func fillInAccount(header *trace.Header, e sheet.Installed) string {
	for _, a := range e.Accounts {
		switch {
		case header.Account == nil && a.InUse:
			header.Account = &trace.Account{ID: a.ID, Folder: a.Folder}
			return strings.TrimSpace(a.ID+" "+a.Name) + ", the one in use"
		case header.Account != nil && header.Account.ID == a.ID:
			header.Account.Folder = a.Folder
			return ""
		}
	}
	if len(e.Accounts) > 0 && header.Account == nil {
		return "none: the launcher does not say which is in use (--account)"
	}
	return ""
}
