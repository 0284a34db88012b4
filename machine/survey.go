package machine

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/parallel"
)

// System is this machine's operating system in the manifest's words.
func System() string {
	if runtime.GOOS == "darwin" {
		return "macos"
	}
	return runtime.GOOS
}

// Named is a folder that a person named: a prefix, or where something is
// installed. Title and Store say what, where no sheet can tell.
type Named struct {
	Folder string `json:"folder"`
	Title  string `json:"title,omitempty"`
	Store  string `json:"store,omitempty"`
}

// Survey is what is on this machine.
type Survey struct {
	Found     []sheet.Found     `json:"launchers"`
	Installed []sheet.Installed `json:"installed"`
	Prefixes  []InPrefix        `json:"prefixes"`
	Notes     []sheet.Note      `json:"notes"`

	listings *listings
}

// Finder makes one that takes what folders hold as the survey has seen it. Close ends
// it.
func (s *Survey) Finder() *Finder {
	keeps := sheet.KeepsOf(s.Found)
	for i := range keeps {
		for _, p := range s.Prefixes { // also of titles that are not installed any more
			keeps[i].Spares = append(keeps[i].Spares, p.Folder)
		}
	}
	return &Finder{bases: &bases{}, listings: s.listings, keeps: keeps}
}

// InPrefix is a prefix with what it belongs to.
type InPrefix struct {
	Folder string   `json:"folder"`
	User   string   `json:"user,omitempty"` // inside
	Of     []string `json:"of"`             // the titles, each with its store and reference
	Why    string   `json:"why"`            // how it came to be looked at
	Notes  []string `json:"notes"`
	// Title and Store are what the person who added it said.
	Title string `json:"title,omitempty"`
	Store string `json:"store,omitempty"`

	Prefix *Prefix `json:"-"` // nil if it cannot be opened
}

// Look surveys this machine by sheets: the launchers, those in sandboxes and in
// prefixes, and the folders that were named. told is called as prefixes are
// looked at, with how many of how many; it may be nil.
func Look(
	ctx context.Context, sheets []*sheet.Sheet, roots place.Roots, named []Named, told func(done, of int),
) (*Survey, error) {
	disk := Disk{bases: &bases{}, links: &links{}, listings: &listings{}}
	defer disk.bases.close()
	l := looker{
		disk:       disk,
		remembered: make(chan *memory, 1),
		sheets:     sheets,
		survey:     &Survey{listings: disk.listings, Found: []sheet.Found{}, Prefixes: []InPrefix{}, Notes: []sheet.Note{}},
		at:         map[string]int{},
		homes:      map[string]bool{},
	}
	keys := wantedKeys(l.keys())
	go func() { l.remembered <- remember(roots, keys) }() // while the launchers' files are read
	for _, s := range sheets {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		l.add(s.Read(System(), l.below(roots))...)
	}
	for _, box := range Sandboxes(roots[place.Home]) {
		for _, s := range sheets {
			found := s.Read(System(), l.below(box.Roots))
			for i := range found {
				found[i].Sandbox = box.ID
			}
			l.add(found...)
		}
	}
	var folders []Named
	if System() == "linux" {
		l.ownPrefix(roots)
	}
	for _, n := range named {
		if info, err := os.Stat(filepath.Join(n.Folder, "drive_c")); err == nil && info.IsDir() {
			l.addPrefix(n)
			continue
		}
		folders = append(folders, n)
	}
	if err := l.openPrefixes(ctx, keys, told); err != nil {
		return nil, err
	}
	l.named(folders)
	var notes []sheet.Note
	l.survey.Installed, notes = sheet.Join(l.survey.Found)
	if l.survey.Installed == nil {
		l.survey.Installed = []sheet.Installed{}
	}
	l.survey.Notes = append(l.survey.Notes, notes...)
	return l.survey, nil
}

type looker struct {
	remembered chan *memory
	disk       Disk // what is kept of it meanwhile
	sheets     []*sheet.Sheet
	survey     *Survey
	at         map[string]int  // prefixes, by their real folder
	homes      map[string]bool // installations that are known, by launcher and real folder
}

// below is the disk with these roots.
func (l *looker) below(roots place.Roots) Disk {
	d := l.disk
	d.Roots = roots
	return d
}

func (l *looker) add(found ...sheet.Found) {
	for _, f := range found {
		// A sheet may name the folder of a sandbox, which is looked into anyway.
		if home := f.Launcher + " " + l.disk.Real(f.Home); f.Home != "" {
			if l.homes[home] {
				continue
			}
			l.homes[home] = true
		}
		for _, lib := range f.Libraries {
			for _, e := range lib.Editions {
				if e.Prefix != "" {
					l.prefix(e.Prefix, e.PrefixUser, f.Name+" keeps it", Label(e))
				}
			}
		}
		l.survey.Found = append(l.survey.Found, f)
	}
}

// Label names an edition in words: "Tidewrack (quayside 418820)".
func Label(e sheet.Edition) string {
	if of := strings.TrimSpace(e.Store + " " + e.Ref); of != "" {
		return fmt.Sprintf("%s (%s)", e.Name, of)
	}
	return e.Name
}

func (l *looker) prefix(folder, user, why, of string) {
	resolved := l.disk.Real(folder)
	i, known := l.at[resolved]
	if !known {
		i = len(l.survey.Prefixes)
		l.at[resolved] = i
		l.survey.Prefixes = append(
			l.survey.Prefixes,
			InPrefix{Folder: folder, User: user, Why: why, Of: []string{}, Notes: []string{}},
		)
	}
	if of != "" {
		l.survey.Prefixes[i].Of = append(l.survey.Prefixes[i].Of, of)
	}
}

// addPrefix takes a prefix that a person added, with the title that it is for.
func (l *looker) addPrefix(n Named) {
	of := ""
	if n.Title != "" {
		of = Label(sheet.Edition{Name: n.Title, Store: n.Store})
	}
	l.prefix(n.Folder, "", "you added it", of)
	p := &l.survey.Prefixes[l.at[l.disk.Real(n.Folder)]]
	p.Title, p.Store = n.Title, n.Store
}

// ownPrefix is the one that Wine uses unless it is given another: $WINEPREFIX, or
// ~/.wine (wine(1)).
func (l *looker) ownPrefix(roots place.Roots) {
	folder, why := os.Getenv("WINEPREFIX"), "WINEPREFIX names it"
	if !filepath.IsAbs(folder) {
		if roots[place.Home] == "" {
			return
		}
		folder, why = filepath.Join(roots[place.Home], ".wine"), "it is Wine's own"
	}
	if info, err := os.Stat(filepath.Join(folder, "drive_c")); err == nil && info.IsDir() {
		l.prefix(folder, "", why, "")
	}
}

func (l *looker) openPrefixes(ctx context.Context, keys []string, told func(done, of int)) error {
	m := <-l.remembered
	prefixes := l.survey.Prefixes
	if len(prefixes) == 0 {
		return nil
	}
	found := make([][]sheet.Found, len(prefixes))
	err := parallel.EachTold(ctx, len(prefixes), told, func(ctx context.Context, i int) (err error) {
		found[i], err = l.openPrefix(ctx, m, &prefixes[i], keys)
		return err
	})
	if err != nil {
		return err
	}
	for _, f := range found {
		l.survey.Found = append(l.survey.Found, f...)
	}
	m.save()
	return nil
}

// openPrefix opens one and finds the launchers in it.
func (l *looker) openPrefix(ctx context.Context, m *memory, in *InPrefix, keys []string) (all []sheet.Found, err error) {
	p, err := openPrefix(ctx, l.disk, m, in.Folder, in.User, keys)
	if ctx.Err() != nil {
		return nil, ctx.Err()
	}
	if err != nil {
		in.Notes = append(in.Notes, "it is not a prefix yet: it contains no drive_c")
		return nil, nil
	}
	in.Prefix, in.User, in.Notes = p, p.User, append(in.Notes, p.Notes...)
	for _, s := range l.sheets {
		inside := l.below(p.Roots)
		inside.Prefix = p
		for _, f := range s.Read("windows", inside) {
			f.Prefix = in.Folder
			for _, lib := range f.Libraries {
				for _, e := range lib.Editions {
					in.Of = append(in.Of, Label(e))
				}
			}
			all = append(all, f)
		}
	}
	return all, nil
}

// keys are the registry keys that the sheets ask for, below their roots.
func (l *looker) keys() (all []string) {
	add := func(s sheet.Source) {
		for _, k := range s.Keys {
			if at, err := place.ParseAny(string(place.Registry) + ":" + k); err == nil {
				if path := strings.Join(at.Names()[1:], `\`); !slices.Contains(all, path) {
					all = append(all, path)
				}
			}
		}
	}
	for _, s := range l.sheets {
		for _, source := range s.Systems["windows"].Sources() {
			add(source)
		}
	}
	return all
}

// named finds out what is installed in the folders that were named.
func (l *looker) named(folders []Named) {
	if len(folders) == 0 {
		return
	}
	f := sheet.Found{
		Name:      "folders that you added",
		System:    System(),
		Libraries: []sheet.Library{{Editions: []sheet.Edition{}}},
		Accounts:  []sheet.Account{},
		Starts:    []sheet.Started{},
		Notes:     []sheet.Note{},
	}
	known := map[string]bool{}
	for _, x := range l.survey.Found {
		for _, lib := range x.Libraries {
			for _, e := range lib.Editions {
				known[l.disk.Real(e.Folder)] = true
			}
		}
	}
	for _, n := range folders {
		if known[l.disk.Real(n.Folder)] {
			continue
		}
		e, notes := InstalledIn(l.sheets, n.Folder)
		f.Notes = append(f.Notes, notes...)
		if info, err := os.Stat(n.Folder); err != nil || !info.IsDir() {
			e = &sheet.Edition{
				Name:    n.Title,
				Store:   n.Store,
				Folder:  n.Folder,
				Missing: "the folder does not exist; is its disk connected?",
			}
		}
		if n.Title != "" && e == nil {
			e = &sheet.Edition{Name: n.Title, Store: n.Store, Folder: n.Folder}
		}
		if e == nil || e.Name == "" {
			f.Notes = append(f.Notes, sheet.Note{
				Where: n.Folder,
				What:  "no sheet recognises what is installed there; add it with endroit machine add FOLDER --title NAME",
			})
			continue
		}
		f.Libraries[0].Editions = append(f.Libraries[0].Editions, *e)
	}
	if len(f.Libraries[0].Editions)+len(f.Notes) > 0 {
		l.survey.Found = append(l.survey.Found, f)
	}
}

// InstalledIn asks the sheets what is installed in a folder; nil if none can
// tell.
func InstalledIn(sheets []*sheet.Sheet, folder string) (*sheet.Edition, []sheet.Note) {
	var notes []sheet.Note
	for _, s := range sheets {
		for _, system := range []string{System(), "windows"} {
			e, said := s.Inside(system, folder, Disk{})
			notes = append(notes, said...)
			if e != nil {
				return e, notes
			}
		}
	}
	return nil, notes
}
