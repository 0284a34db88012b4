package sheet

import (
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"sort"
	"strings"

	"github.com/theory/jsonpath"

	"endroit/core/place"
)

// Files is the disk as a sheet sees it: bounded, and without a way out of the
// folders that are asked for.
type Files interface {
	// Root gives an anchor's folder; ok is false where there is none.
	Root(a place.Anchor) (folder string, ok bool)
	// List gives what fits a pattern below a folder: folders if the pattern is
	// one of folders, else files. ErrNotThere says that the folder is not there.
	List(folder string, l place.Location) ([]Entry, error)
	// Read reads a file that List gave.
	Read(folder string, e Entry) ([]byte, error)
}

// Entry is a file or folder below the folder that was listed.
type Entry struct {
	Names    []string
	Captures place.Captures
}

// ErrNotThere says that a folder is not there.
var ErrNotThere = errors.New("it is not there")

// Found is what a sheet finds of one installation of its launcher.
type Found struct {
	Launcher  string    `json:"launcher"`
	Name      string    `json:"name"`
	Home      string    `json:"home"`
	Libraries []Library `json:"libraries"`
	Accounts  []Account `json:"accounts"`
	Cloud     *bool     `json:"cloud,omitempty"` // whether it keeps cloud copies, if it says
	Notes     []Note    `json:"notes"`           // what could not be read, or is odd
}

// Library is a folder in which titles are installed.
type Library struct {
	Folder   string    `json:"folder"`
	Missing  string    `json:"missing,omitempty"`
	Editions []Edition `json:"editions"`
}

// Edition is an installed title.
type Edition struct {
	Store   string `json:"store"`
	Ref     string `json:"ref"`
	Name    string `json:"name"`
	Version string `json:"version,omitempty"`
	Folder  string `json:"folder"`
	Missing string `json:"missing,omitempty"` // listed, and its folder is not there
	Prefix  string `json:"prefix,omitempty"`
}

// Account is one account of the launcher on this machine.
type Account struct {
	ID     string `json:"id"`
	Name   string `json:"name,omitempty"`
	Folder string `json:"folder,omitempty"` // empty if it has none yet
	InUse  bool   `json:"in_use"`
}

// Note says what could not be read, or is odd.
type Note struct {
	Where string `json:"where"`
	What  string `json:"what"`
}

// The bounds of what one sheet finds.
const (
	maxLibraries = 100
	maxEditions  = 10_000
)

// Read finds the installations of the launcher on a system: none if the sheet
// does not describe it, or it is not installed. What cannot be read is noted,
// and the rest is still found.
func (s *Sheet) Read(system string, files Files) []Found {
	y, ok := s.Systems[system]
	if !ok {
		return nil
	}
	var all []Found
	for _, text := range y.Home {
		l, err := place.Parse(text)
		if err != nil {
			continue // a checked sheet has none
		}
		top, ok := files.Root(l.Anchor)
		if !ok {
			continue
		}
		here, err := files.List(top, l)
		if err != nil || len(here) == 0 {
			continue
		}
		r := reader{sheet: s, system: y, files: files, found: Found{Launcher: s.ID, Name: s.Name, Home: join(top, here[0]), Libraries: []Library{}, Accounts: []Account{}, Notes: []Note{}}}
		r.all()
		all = append(all, r.found)
	}
	return all
}

func join(folder string, e Entry) string {
	return path.Join(append([]string{folder}, e.Names...)...)
}

type reader struct {
	sheet  *Sheet
	system System
	files  Files
	found  Found
}

func (r *reader) note(where, format string, args ...any) {
	r.found.Notes = append(r.found.Notes, Note{where, fmt.Sprintf(format, args...)})
}

func (r *reader) all() {
	for _, folder := range r.libraries() {
		lib := Library{Folder: folder, Editions: []Edition{}}
		if t := r.system.Titles; t != nil {
			r.titles(&lib, t)
		}
		r.found.Libraries = append(r.found.Libraries, lib)
	}
	if r.system.Accounts != nil {
		r.accounts(r.system.Accounts)
	}
	if c := r.system.Cloud; c != nil {
		r.each(r.found.Home, c.Source, func(_ string, node any) {
			on := yes(one(node, c.On))
			r.found.Cloud = &on
		})
	}
}

// libraries gives the launcher's home and every folder that it lists, once.
func (r *reader) libraries() []string {
	folders := []string{r.found.Home}
	seen := map[string]bool{r.found.Home: true}
	l := r.system.Libraries
	if l == nil {
		return folders
	}
	r.each(r.found.Home, l.Source, func(file string, node any) {
		folder := one(node, l.Folder)
		switch clean := path.Clean(strings.ReplaceAll(folder, `\`, "/")); {
		case folder == "":
			r.note(file, "a library without a folder (%s gives nothing)", l.Folder)
		case !absolute(clean) || clean == "/":
			r.note(file, "the library %.200q is no folder with a full path", folder)
		case len(folders) == maxLibraries:
			r.note(file, "more than %d libraries; the rest is left out", maxLibraries)
		case !seen[clean]:
			seen[clean] = true
			folders = append(folders, clean)
		}
	})
	return folders
}

func absolute(p string) bool {
	return strings.HasPrefix(p, "/") || len(p) > 2 && p[1] == ':' && p[2] == '/'
}

func (r *reader) titles(lib *Library, t *Titles) {
	claimed := map[string]string{}
	missing := r.each(lib.Folder, t.Source, func(file string, node any) {
		e := Edition{Store: r.sheet.Store, Ref: one(node, t.Ref), Name: one(node, t.Name)}
		if e.Store == "" {
			e.Store = r.sheet.ID
		}
		if t.Version != "" {
			e.Version = one(node, t.Version)
		}
		folder := one(node, t.Folder)
		switch {
		case e.Ref == "" || e.Name == "" || folder == "":
			r.note(file, "an entry without reference, name or folder is left out")
			return
		case len(lib.Editions) == maxEditions:
			return
		}
		inside := strings.ReplaceAll(folder, `\`, "/")
		if e.Folder = path.Clean(inside); !absolute(e.Folder) {
			e.Folder = path.Join(lib.Folder, t.Below, inside)
			if !strings.HasPrefix(e.Folder, path.Join(lib.Folder, t.Below)+"/") {
				r.note(file, "%s says that it is in %.200q, which leads out of the library", e.Name, folder)
				return
			}
		}
		if other := claimed[e.Folder]; other != "" {
			r.note(file, "%s and %s both claim the folder %s", other, e.Name, e.Folder)
		}
		claimed[e.Folder] = e.Name
		r.look(&e, lib)
		lib.Editions = append(lib.Editions, e)
	})
	if missing {
		lib.Missing = "the folder is not there; is it on a disk that is not plugged in?"
	}
	sort.SliceStable(lib.Editions, func(i, j int) bool { return lib.Editions[i].Name < lib.Editions[j].Name })
}

// anyFile is the pattern of whatever lies right in a folder.
var anyFile = mustBelow("*")

func mustBelow(text string) place.Location {
	l, err := below(text)
	if err != nil {
		panic("sheet: " + err.Error())
	}
	return l
}

// look finds out whether an edition's folder and prefix are there.
func (r *reader) look(e *Edition, lib *Library) {
	_, err := r.files.List(e.Folder, anyFile)
	if err != nil {
		e.Missing = "listed as installed, and its folder is not there"
		if !errors.Is(err, ErrNotThere) {
			e.Missing = err.Error()
		}
	}
	if p := r.system.Prefixes; p != nil {
		l, err := below(p.Folder)
		if err != nil {
			return
		}
		found, err := r.files.List(lib.Folder, l)
		if err != nil {
			return
		}
		for _, f := range found {
			if f.Captures["ref"] == e.Ref {
				e.Prefix = join(lib.Folder, f)
			}
		}
	}
}

func (r *reader) accounts(a *Accounts) {
	byID := map[string]int{}
	if l, err := below(a.Folder); err == nil {
		folders, err := r.files.List(r.found.Home, l)
		if err != nil && !errors.Is(err, ErrNotThere) {
			r.note(a.Folder, "%v", err)
		}
		for _, f := range folders {
			id := f.Captures["account"]
			byID[id] = len(r.found.Accounts)
			r.found.Accounts = append(r.found.Accounts, Account{ID: id, Folder: join(r.found.Home, f)})
		}
	}
	k := a.Known
	if k == nil {
		return
	}
	r.each(r.found.Home, k.Source, func(file string, node any) {
		id := one(node, k.ID)
		if id == "" {
			r.note(file, "an account without an id is left out")
			return
		}
		i, there := byID[id]
		if !there {
			i = len(r.found.Accounts)
			byID[id] = i
			r.found.Accounts = append(r.found.Accounts, Account{ID: id})
		}
		if k.Name != "" {
			r.found.Accounts[i].Name = one(node, k.Name)
		}
		r.found.Accounts[i].InUse = k.InUse != "" && yes(one(node, k.InUse))
	})
	// The one in use comes first.
	sort.SliceStable(r.found.Accounts, func(i, j int) bool { return r.found.Accounts[i].InUse && !r.found.Accounts[j].InUse })
}

// each calls do for every node of every file of a source. It reports whether the
// folder itself is not there.
func (r *reader) each(folder string, s Source, do func(file string, node any)) (missing bool) {
	l, err := below(s.Files)
	if err != nil {
		return false
	}
	entries, err := r.files.List(folder, l)
	if errors.Is(err, ErrNotThere) {
		return true
	}
	if err != nil {
		r.note(path.Join(folder, s.Files), "%v", err)
	}
	for _, e := range entries {
		file := join(folder, e)
		data, err := r.files.Read(folder, e)
		var tree any
		if err == nil {
			tree, err = Tree(s.As, data)
		}
		if err != nil {
			r.note(file, "%v", err)
			continue
		}
		if s.Each == "" {
			do(file, tree)
			continue
		}
		nodes := jsonpath.MustParse(s.Each).Select(tree)
		if len(nodes) == 0 {
			r.note(file, "%s finds nothing in it", s.Each)
		}
		for _, n := range nodes {
			do(file, n)
		}
	}
	return false
}

// one returns what a query gives as a text: the first node, empty if there is
// none or it is no plain value.
func one(node any, query string) string {
	p, err := jsonpath.Parse(query)
	if err != nil {
		return ""
	}
	var found []any
	switch node.(type) {
	case map[string]any, []any:
		found = p.Select(node)
	default:
		if query == "$" {
			found = []any{node}
		}
	}
	if len(found) == 0 {
		return ""
	}
	switch v := found[0].(type) {
	case string:
		return v
	case json.Number:
		return v.String()
	case bool, int, int64, uint64, float64:
		return fmt.Sprint(v)
	}
	return ""
}

func yes(text string) bool {
	switch strings.ToLower(text) {
	case "1", "true", "yes", "on":
		return true
	}
	return false
}
