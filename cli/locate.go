package cli

import (
	"context"
	"errors"

	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"github.com/urfave/cli/v3"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/standing"
	"endroit/machine"
)

// located is one location on this machine.
type located struct {
	At       string            `json:"at"`
	Holds    string            `json:"holds"`
	Standing standing.Standing `json:"standing"`
	Reason   string            `json:"reason"`
	machine.Found
	// Windows is the folder as programs in a prefix see it.
	Windows string `json:"windows,omitempty"`
	// Values is how many values a registry key holds, nil for files.
	Values *int   `json:"values,omitempty"`
	Error  string `json:"error,omitempty"`
}

// locatedVariant is one variant with its locations.
type locatedVariant struct {
	Variant   string    `json:"variant"`
	Prefix    string    `json:"prefix,omitempty"`  // the prefix that was looked into
	Sandbox   string    `json:"sandbox,omitempty"` // the sandboxed application whose folders were
	Install   string    `json:"install,omitempty"` // the folder that this copy is installed in
	Account   string    `json:"account,omitempty"` // the launcher's account whose folder was
	Locations []located `json:"locations"`
}

// standing is what all locations have in common, with the reason; empty if they
// differ.
func (v locatedVariant) standing() string {
	for _, l := range v.Locations {
		if l.Standing != v.Locations[0].Standing || l.Reason != v.Locations[0].Reason {
			return ""
		}
	}
	if len(v.Locations) == 0 {
		return ""
	}
	return string(v.Locations[0].Standing) + ": " + v.Locations[0].Reason
}

func (v locatedVariant) hasFiles() bool {
	for _, l := range v.Locations {
		if len(l.Files) > 0 {
			return true
		}
	}
	return false
}

func (a *app) locate() *cli.Command {
	return command(&cli.Command{
		Name: "locate", Usage: "show where this machine and this user have a title's saves and settings",
		UsageText:   "endroit locate TITLE [--install FOLDER] [--prefix FOLDER] [--json]",
		Description: "Works from the manifest that endroit fetch keeps, without a service. Prints full\npaths, ready to paste into a shell, with files, sizes and times, and what of it\nis not there. What the launchers' sheets find (endroit machine) says in which\nfolder and prefix a title is installed.",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "install", Usage: "the `FOLDER` that the title is installed in, for what it keeps there"},
			&cli.StringSliceFlag{Name: "prefix", Usage: "a compatibility prefix: the `FOLDER` that holds drive_c, for a Windows build; again for another"},
			sheetsFlag(),
			&cli.BoolFlag{Name: "all-files", Usage: "list every file, however many"},
			jsonFlag(),
		},
		Action: a.runLocate,
	}, reuse, "endroit locate Tidewrack\nendroit locate Saltglass --prefix ~/games/saltglass/prefix")
}

func (a *app) runLocate(_ context.Context, c *cli.Command) error {
	if c.Args().Len() == 0 {
		return fail(exitUsage, "locate wants a TITLE, such as: endroit locate Tidewrack")
	}
	name := strings.Join(c.Args().Slice(), " ")
	m, _, err := localManifest()
	if err != nil {
		return err
	}
	t, close := m.Find(name)
	if t == nil {
		if len(close) > 0 {
			return fail(exitNotFound, "nobody has recorded %q; did you mean %s?", name, strings.Join(close, ", "))
		}
		return fail(exitNotFound, "nobody has recorded %q in revision %d; endroit fetch gets a newer one, and endroit trace finds out yourself", name, m.Revision)
	}
	var prefixes []*machine.Prefix
	for _, folder := range c.StringSlice("prefix") {
		p, err := machine.OpenPrefix(folder)
		if err != nil {
			return fail(exitUsage, "--prefix %w", err)
		}
		a.tellNotes(p)
		prefixes = append(prefixes, p)
	}
	roots, err := machine.Roots()
	if err != nil {
		return err
	}
	if folder := c.String("install"); folder != "" {
		if roots[place.Install], err = filepath.Abs(folder); err != nil {
			return err
		}
	}
	sheets, _, err := a.sheets(c)
	if err != nil {
		return err
	}
	editions := installedEditions(launchers(sheets, roots))
	known := place.Captures{}
	if me, err := user.Current(); err == nil {
		known["user"] = me.Username[strings.LastIndexByte(me.Username, '\\')+1:] // Windows puts the machine's name before it
	}
	here, elsewhere, couldBeInPrefix := []locatedVariant{}, []string{}, false
	for _, v := range t.Variants {
		forWindows := v.OS == "windows" || v.Runtime == "prefix"
		installed := ofVariant(editions, v)
		var found []locatedVariant
		switch {
		case v.OS == osName() && v.Runtime == "native":
			found = locateNative(v, installed, roots, known, c.String("install") != "")
		case forWindows && len(prefixes) > 0:
			for _, p := range prefixes {
				found = append(found, locateInPrefix(v, p, place.Roots{place.Install: roots[place.Install]}))
			}
		case forWindows:
			found = a.inOwnPrefixes(v, installed)
		}
		if len(found) == 0 {
			elsewhere = append(elsewhere, v.String())
			couldBeInPrefix = couldBeInPrefix || forWindows
		}
		here = append(here, found...)
	}
	if c.Bool("json") {
		return a.json(map[string]any{"title": t.Name, "revision": m.Revision, "variants": here, "elsewhere": elsewhere})
	}
	a.printLocated(t.Name, here, elsewhere, c.Bool("all-files"))
	if couldBeInPrefix {
		a.say("  a Windows build's files in a compatibility prefix: endroit locate %s --prefix FOLDER", place.ShellQuote(t.Name))
	}
	return nil
}

// locateNative looks a variant up in every installed edition, unless the person
// named the installation, and where a sandboxed one has left something.
func locateNative(v manifest.Variant, installed []installedEdition, roots place.Roots, known place.Captures, named bool) (out []locatedVariant) {
	if len(installed) == 0 || named {
		out = append(out, locateVariant(v, roots, known))
	} else {
		for _, one := range installed {
			out = append(out, one.locate(v, roots, known)...)
		}
	}
	for _, s := range machine.Sandboxes(roots[place.Home]) {
		if in := locateVariant(v, s.Roots, known); in.hasFiles() {
			in.Sandbox = s.ID
			in.Locations = slices.DeleteFunc(in.Locations, func(l located) bool { return l.Error != "" }) // no folder of its own
			out = append(out, in)
		}
	}
	return out
}

// osName is this system in the manifest's words.
func osName() string {
	if runtime.GOOS == "darwin" {
		return "macos"
	}
	return runtime.GOOS
}

func locateVariant(v manifest.Variant, roots place.Roots, known place.Captures) locatedVariant {
	out := locatedVariant{Variant: v.String(), Locations: []located{}}
	if v.Ref != "" {
		known = place.Captures{"user": known["user"], "ref": v.Ref}
	}
	for _, l := range v.Locations {
		out.Locations = append(out.Locations, locateOne(l, func(at place.Location) (machine.Found, error) { return machine.Find(roots, at, known) }))
	}
	return out
}

// locateOne looks one location of the manifest up.
func locateOne(l manifest.Location, find func(place.Location) (machine.Found, error)) located {
	one := located{At: l.At, Holds: l.Holds, Standing: l.Standing, Found: machine.Found{Files: []machine.File{}}}
	_, one.Reason = standing.Of(l.Evidence)
	at, err := place.Parse(l.At)
	if err == nil {
		one.Found, err = find(at)
	}
	switch {
	case errors.Is(err, machine.ErrNoRoot) && at.Anchor == place.Install:
		one.Error = "the folder that it is installed in is not known; name it with --install FOLDER"
	case err != nil:
		one.Error = err.Error()
	}
	return one
}

// locateInPrefix looks a Windows build's locations up in a prefix: a Windows
// anchor is the same anchor there. outside says where the anchors lie that the
// prefix does not have.
func locateInPrefix(v manifest.Variant, p *machine.Prefix, outside place.Roots) locatedVariant {
	out := locatedVariant{Variant: v.String(), Prefix: p.Folder, Locations: []located{}}
	inside := place.Captures{"user": p.User}
	if v.Ref != "" {
		inside["ref"] = v.Ref
	}
	for _, l := range v.Locations {
		at, err := place.Parse(l.At)
		if err == nil && at.Anchor == place.Registry {
			out.Locations = append(out.Locations, locateKey(l, at, p))
			continue
		}
		one := locateOne(l, func(at place.Location) (machine.Found, error) {
			if outside[at.Anchor] != "" {
				return machine.Find(outside, at, inside)
			}
			return p.Find(at, inside)
		})
		one.Windows = p.WindowsPath(at.Anchor, one.Folder)
		out.Locations = append(out.Locations, one)
	}
	return out
}

// locateKey looks a registry location up in a prefix's hives.
func locateKey(l manifest.Location, at place.Location, p *machine.Prefix) located {
	one := locateOne(l, func(place.Location) (machine.Found, error) { return machine.Found{Files: []machine.File{}}, nil })
	one.Windows = strings.Join(at.Names(), `\`)
	values, found, err := p.HasKey(at.Names())
	switch {
	case err != nil:
		one.Error = err.Error()
	case !found:
		one.Missing = "the key is not in the prefix's registry"
	default:
		one.Found.Folder = filepath.Join(p.Folder, map[bool]string{true: "system.reg", false: "user.reg"}[strings.HasPrefix(one.Windows, "HKEY_LOCAL_MACHINE")])
		one.Values = &values
	}
	return one
}

// filesShown is how many files of a location are listed without --all-files.
const filesShown = 8

func (a *app) printLocated(title string, here []locatedVariant, elsewhere []string, all bool) {
	a.say("%s", shown(title))
	for _, v := range here {
		a.say("  %s", shown(v.Variant))
		if v.Prefix != "" {
			a.say("  in the prefix %s", place.ShellQuote(v.Prefix))
		}
		if v.Install != "" {
			a.say("  installed in %s", pasted(v.Install))
		}
		if v.Account != "" {
			a.say("  for the account %s", shown(v.Account))
		}
		if v.Sandbox != "" {
			a.say("  in the sandboxed application %s", shown(v.Sandbox))
		}
		shared := v.standing()
		if shared != "" {
			a.say("  %s", shown(shared))
		}
		for _, l := range v.Locations {
			a.say("")
			if l.Folder == "" {
				a.say("    %-7s  %s", l.Holds, shown(l.At))
			} else {
				a.say("    %-7s  %s", l.Holds, pasted(l.Folder))
				if l.Windows != "" {
					a.say("             %s", shown(l.Windows))
				}
				a.say("             %s", shown(l.At))
			}
			if shared == "" {
				a.say("             %s: %s", l.Standing, shown(l.Reason))
			}
			a.printLocatedFiles(l, all)
		}
	}
	if len(here) == 0 {
		a.say("  nothing is recorded for %s here", osName())
	}
	if len(elsewhere) > 0 {
		a.say("\n  also recorded, for other systems: %s", shown(strings.Join(elsewhere, "; ")))
	}
}

func (a *app) printLocatedFiles(l located, all bool) {
	if l.Error != "" {
		a.say("             cannot be looked up: %s", shown(l.Error))
	}
	if l.Values != nil {
		a.say("             the key is there, with %s", count(*l.Values, "value", "values"))
	}
	width := 0
	for i, f := range l.Files {
		if i < filesShown || all {
			width = max(width, len(shown(relative(l.Folder, f.Path))))
		}
	}
	for i, f := range l.Files {
		if i == filesShown && !all {
			a.say("             and %d older ones (--all-files)", len(l.Files)-filesShown)
			break
		}
		newest := ""
		if i == 0 && len(l.Files) > 1 {
			newest = "  newest"
		}
		a.say("             %-*s  %8s  %s%s", width, shown(relative(l.Folder, f.Path)), bytesInTerms(f.Size), f.Time.Local().Format("2006-01-02 15:04:05"), newest)
	}
	if l.Missing != "" {
		a.say("             missing: %s", shown(l.Missing))
	}
}

func relative(folder, path string) string {
	if path == folder {
		return filepath.Base(path)
	}
	return strings.TrimPrefix(path, folder+string(filepath.Separator))
}

// pasted writes a path as it is pasted here: into Windows' file manager as it
// is, elsewhere into a shell.
func pasted(path string) string {
	if runtime.GOOS == "windows" {
		return shown(path)
	}
	return place.ShellQuote(path)
}
