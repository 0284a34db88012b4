package sheet

import (
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"sort"
	"strings"

	"endroit/core/place"
)

// Files is a machine as a sheet sees it: bounded, and without a way out of the
// folders that are asked for.
type Files interface {
	// Root gives an anchor's folder; ok is false where there is none.
	Root(a place.Anchor) (folder string, ok bool)
	// Real follows the links of a folder, so that one folder has one name. What
	// is not there is unchanged.
	Real(folder string) string
	// Host turns a folder as the launcher's own files write it into one of this
	// machine: inside a prefix they say C:\Games.
	Host(folder string) (string, error)
	// There reports whether a folder is there: nil, ErrNotThere, or why that cannot
	// be told.
	There(folder string) error
	// List gives what fits a pattern below a folder: folders if the pattern is
	// one of folders, else files. ErrNotThere says that the folder is not there.
	List(folder string, l place.Location) ([]Entry, error)
	// Read reads a file that List gave, at most MaxFile bytes.
	Read(folder string, e Entry) ([]byte, error)
	// Tables reads an SQLite database that List gave: an object of tables, each
	// a list of rows, each an object by column.
	Tables(folder string, e Entry) (any, error)
	// Key reads a registry key, by its names: keys within keys, the values of a
	// key in an object under #values. ErrNotThere says that there is none.
	Key(names []string) (any, error)
}

// Entry is a file or folder below the folder that was listed.
type Entry struct {
	Names    []string
	Captures place.Captures
}

// ErrNotThere says that a folder or key is not there.
var ErrNotThere = errors.New("it does not exist")

// Found is what a sheet finds of one installation of its launcher, or, where
// there is no launcher, of what was installed without one.
type Found struct {
	Launcher  string    `json:"launcher"` // the sheet's id
	Name      string    `json:"name"`
	System    string    `json:"system"`            // linux, windows or macos
	Prefix    string    `json:"prefix,omitempty"`  // the prefix that it is installed in
	Sandbox   string    `json:"sandbox,omitempty"` // the sandboxed application that it is
	Home      string    `json:"home,omitempty"`    // empty without a launcher
	Libraries []Library `json:"libraries"`
	Accounts  []Account `json:"accounts"`
	Cloud     *bool     `json:"cloud,omitempty"` // whether it keeps cloud copies, if it says
	// CloudTitles says so for single titles, by their references.
	CloudTitles map[string]bool `json:"cloud_titles,omitempty"`
	// CloudFolders are the folders and files, absolute, of which copies are kept, by titles'
	// references.
	CloudFolders map[string][]string `json:"cloud_folders,omitempty"`
	Starts       []Started           `json:"starts"` // what it starts of other launchers
	Notes        []Note              `json:"notes"`  // what could not be read, or is odd
}

// Library is a folder in which titles are installed; without a launcher, the
// registry's list.
type Library struct {
	Folder   string    `json:"folder,omitempty"`
	Missing  string    `json:"missing,omitempty"`
	Editions []Edition `json:"editions"`
}

// Edition is an installed title.
type Edition struct {
	Store      string `json:"store"`
	Ref        string `json:"ref,omitempty"`
	Name       string `json:"name"`
	Version    string `json:"version,omitempty"`
	Folder     string `json:"folder"`
	Missing    string `json:"missing,omitempty"` // listed, and its folder does not exist
	Prefix     string `json:"prefix,omitempty"`
	PrefixUser string `json:"prefix_user,omitempty"` // the user's name inside, as the launcher gives it
}

// Account is one account of the launcher on this machine.
type Account struct {
	ID     string `json:"id"`
	Name   string `json:"name,omitempty"`
	Folder string `json:"folder,omitempty"` // empty if it has none yet
	InUse  bool   `json:"in_use"`
}

// Started is a title of another launcher's that this one starts too.
type Started struct {
	Launcher string `json:"launcher"` // the other's id
	Ref      string `json:"ref"`
	Where    string `json:"where"` // the file that says so
}

// Note says what could not be read, or is odd.
type Note struct {
	Where string `json:"where"`
	What  string `json:"what"`
}

// The bounds of what one sheet finds, and of what it reads for that.
const (
	maxLibraries = 100
	maxEditions  = 10_000
	maxStarts    = 10_000
	maxAccounts  = 1_000
	maxNodes     = 50_000
	maxNotes     = 100
	maxRead      = 256 << 20 // bytes
)

// Read finds the installations of the launcher on a system: none if the sheet
// does not describe it, or it is not installed. What cannot be read is noted,
// and the rest is still found.
func (s *Sheet) Read(system string, files Files) []Found {
	y, ok := s.Systems[system]
	if !ok {
		return nil
	}
	reader := func(home string) *reader {
		return &reader{
			sheet:    s,
			system:   y,
			files:    files,
			prefixes: map[string]map[string]string{},
			found: Found{Launcher: s.ID, Name: s.Name, System: system, Home: home,
				Libraries: []Library{}, Accounts: []Account{}, Starts: []Started{}, Notes: []Note{}},
		}
	}
	if len(y.Home) == 0 {
		r := reader("")
		r.withoutLauncher()
		if len(r.found.Libraries) == 0 && len(r.found.Notes) == 0 {
			return nil
		}
		return []Found{r.found}
	}
	var all []Found
	seen := map[string]bool{}
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
		home := join(top, here[0])
		if resolved := files.Real(home); !seen[resolved] {
			seen[resolved] = true
			r := reader(home)
			r.all()
			all = append(all, r.found)
		}
	}
	return all
}

// Inside looks into a folder for the file that says which title is installed
// there; nil if there is none, or the sheet knows of none.
func (s *Sheet) Inside(system, folder string, files Files) (*Edition, []Note) {
	y, ok := s.Systems[system]
	if !ok || y.Inside == nil {
		return nil, nil
	}
	r := &reader{sheet: s, system: y, files: files}
	var e *Edition
	r.each(folder, y.Inside.Source, func(file string, node any) {
		if e != nil {
			r.note(file, "more than one entry says what is installed there; the first counts")
			return
		}
		if n := y.Inside; r.one(node, n.Name) != "" {
			e = &Edition{
				Store:   s.store(),
				Ref:     r.one(node, n.Ref),
				Name:    r.one(node, n.Name),
				Version: r.one(node, n.Version),
				Folder:  folder,
			}
		}
	})
	return e, r.found.Notes
}

// store is whose references the titles carry.
func (s *Sheet) store() string {
	if s.Store != "" {
		return s.Store
	}
	return s.ID
}

func join(folder string, e Entry) string {
	return path.Join(append([]string{folder}, e.Names...)...)
}

type reader struct {
	sheet  *Sheet
	system System
	files  Files
	found  Found
	read   int // bytes so far
	// prefixes are those of each library that was looked into.
	prefixes map[string]map[string]string
	asking   asking
	toldOver bool
}

func (r *reader) note(where, format string, args ...any) {
	switch n := len(r.found.Notes); {
	case n < maxNotes:
		r.found.Notes = append(r.found.Notes, Note{where, fmt.Sprintf(format, args...)})
	case n == maxNotes:
		r.found.Notes = append(r.found.Notes, Note{where, "and more like it, not listed"})
	}
}

func (r *reader) all() {
	for _, folder := range r.libraries() {
		r.found.Libraries = append(r.found.Libraries, Library{Folder: folder, Editions: []Edition{}})
	}
	r.allTitles()
	if r.system.Accounts != nil {
		r.accounts(r.system.Accounts)
	}
	if c := r.system.Cloud; c != nil {
		r.each(r.found.Home, c.Source, func(_ string, node any) {
			on := yes(r.one(node, c.On))
			r.found.Cloud = &on
		})
		if t := c.Titles; t != nil {
			r.cloudTitles(t)
		}
	}
	for _, h := range r.system.Starts {
		r.each(r.found.Home, h.Source, func(file string, node any) {
			switch ref := r.one(node, h.Ref); {
			case ref == "":
				r.note(file, "something that %s starts is listed without a reference (%s gives nothing)", h.Launcher, h.Ref)
			case len(r.found.Starts) < maxStarts:
				r.found.Starts = append(r.found.Starts, Started{h.Launcher, ref, file})
			}
		})
	}
}

// maxCloudTitles bounds the titles whose switch is remembered.
const maxCloudTitles = 10_000

// maxCloudFolders bounds the folders of one title of which copies are kept.
const maxCloudFolders = 64

// cloudTitles reads for which single titles cloud copies are switched on or off, and of what
// they are.
func (r *reader) cloudTitles(t *TitleSwitch) {
	r.found.CloudTitles, r.found.CloudFolders = map[string]bool{}, map[string][]string{}
	r.each(r.found.Home, t.Source, func(file string, node any) {
		ref := r.one(node, t.Ref)
		if _, had := r.found.CloudTitles[ref]; ref == "" || !had && len(r.found.CloudTitles) >= maxCloudTitles {
			return
		}
		r.found.CloudTitles[ref] = yes(r.one(node, t.On))
		text := ""
		if t.Folder != "" {
			text = r.one(node, t.Folder)
		}
		if text == "" || len(r.found.CloudFolders[ref]) >= maxCloudFolders {
			return
		}
		folder, err := r.host(text)
		if err != nil {
			r.note(file, "cloud copies of %s are kept of %.80q: %v", ref, text, err)
			return
		}
		r.found.CloudFolders[ref] = append(r.found.CloudFolders[ref], folder)
	})
}

// withoutLauncher lists what the registry says was installed.
func (r *reader) withoutLauncher() {
	if r.system.Titles == nil {
		return
	}
	r.found.Libraries = append(r.found.Libraries, Library{Editions: []Edition{}})
	r.allTitles()
	if len(r.found.Libraries[0].Editions) == 0 {
		r.found.Libraries = r.found.Libraries[:0]
	}
}

// allTitles finds what is installed in each library.
func (r *reader) allTitles() {
	libs := r.found.Libraries
	var editions []Edition
	if r.system.Titles != nil {
		for i := range libs {
			editions = append(editions, r.titles(&libs[i], r.system.Titles)...)
		}
	}
	for _, e := range editions {
		// One list may tell of all libraries: a title belongs to the innermost
		// that holds its folder.
		in := &libs[0]
		for i := range libs {
			if l := &libs[i]; strings.HasPrefix(e.Folder, l.Folder+"/") &&
				(len(l.Folder) > len(in.Folder) || !strings.HasPrefix(e.Folder, in.Folder+"/")) {
				in = l
			}
		}
		r.look(&e, in)
		in.Editions = append(in.Editions, e)
	}
	for _, l := range libs {
		sort.SliceStable(l.Editions, func(i, j int) bool {
			a, b := l.Editions[i], l.Editions[j]
			return a.Name < b.Name || a.Name == b.Name && a.Ref < b.Ref
		})
	}
	r.claims()
}

// libraries gives the launcher's home and every folder that it lists, once.
func (r *reader) libraries() []string {
	folders := []string{r.found.Home}
	seen := map[string]bool{r.files.Real(r.found.Home): true}
	l := r.system.Libraries
	if l == nil {
		return folders
	}
	r.each(r.found.Home, l.Source, func(file string, node any) {
		text := r.one(node, l.Folder)
		folder, err := r.host(text)
		switch {
		case text == "":
			r.note(file, "a library without a folder (%s gives nothing)", l.Folder)
		case err != nil:
			r.note(file, "the library %.200q %v", text, err)
		case len(folders) == maxLibraries:
			r.note(file, "more than %d libraries; the rest is left out", maxLibraries)
		case !seen[r.files.Real(folder)]:
			seen[r.files.Real(folder)] = true
			folders = append(folders, folder)
		}
	})
	return folders
}

var errNotAbsolute = errors.New("is no folder with a full path")

// host turns a full path as the launcher writes it into a folder of this machine.
func (r *reader) host(text string) (string, error) {
	if !absolute(strings.ReplaceAll(text, `\`, "/")) {
		return "", errNotAbsolute
	}
	folder, err := r.files.Host(text)
	if err != nil {
		return "", fmt.Errorf("cannot be followed: %w", err)
	}
	if folder = path.Clean(folder); folder == "/" || len(folder) <= 3 && strings.Contains(folder, ":") {
		return "", errNotAbsolute
	}
	return folder, nil
}

func absolute(p string) bool {
	return strings.HasPrefix(p, "/") || len(p) > 2 && p[1] == ':' && p[2] == '/'
}

// titles lists what a library's own files say is installed.
func (r *reader) titles(lib *Library, t *Titles) (list []Edition) {
	left := 0
	missing := r.each(lib.Folder, t.Source, func(file string, node any) {
		e := Edition{Store: r.sheet.store(), Ref: r.one(node, t.Ref), Name: r.one(node, t.Name), Version: r.one(node, t.Version)}
		folder := r.one(node, t.Folder)
		switch {
		case e.Ref == "" && t.Ref != "" || e.Name == "" || folder == "":
			r.note(file, "an entry without reference, name or folder is skipped")
			return
		case len(e.Ref)+len(e.Name)+len(e.Version)+len(folder) > 8<<10:
			r.note(file, "an entry with more than 8 KiB of text is skipped")
			return
		case len(list) == maxEditions:
			left++
			return
		}
		if full, err := r.host(folder); err == nil {
			e.Folder = full
		} else {
			inside := strings.ReplaceAll(folder, `\`, "/")
			e.Folder = path.Join(lib.Folder, t.Below, inside)
			if lib.Folder == "" || absolute(inside) || !strings.HasPrefix(e.Folder, path.Join(lib.Folder, t.Below)+"/") {
				r.note(file, "%s says that it is in %.200q, which leads out of the library", e.Name, folder)
				return
			}
		}
		list = append(list, e)
	})
	if left > 0 {
		r.note(lib.Folder, "more than %d titles; %d are left out", maxEditions, left)
	}
	if missing && lib.Folder != "" {
		lib.Missing = "the folder does not exist; is its disk connected?"
	}
	return list
}

// claims notes folders that several editions claim, in whichever library.
func (r *reader) claims() {
	claimed := map[string]Edition{}
	for _, lib := range r.found.Libraries {
		for _, e := range lib.Editions {
			resolved := r.files.Real(e.Folder)
			if other, ok := claimed[resolved]; ok {
				r.note(
					e.Folder, "%s (%s) and %s (%s) both claim this folder", other.Name,
					cmp.Or(other.Ref, "without a reference"), e.Name, cmp.Or(e.Ref, "without a reference"),
				)
			}
			claimed[resolved] = e
		}
	}
}

// look finds out whether an edition's folder and prefix are there.
func (r *reader) look(e *Edition, lib *Library) {
	if err := r.files.There(e.Folder); err != nil {
		e.Missing = "listed as installed, and its folder does not exist"
		switch {
		case !errors.Is(err, ErrNotThere):
			e.Missing = err.Error()
		case lib.Missing != "":
			e.Missing = "listed as installed, and its library does not exist; is its disk connected?"
		}
	}
	if p := r.system.Prefixes; p != nil {
		if folder := r.prefixesOf(lib.Folder)[e.Ref]; folder != "" {
			e.Prefix, e.PrefixUser = folder, p.User
		}
	}
}

// prefixesOf lists a library's prefixes by the references that they are for.
func (r *reader) prefixesOf(library string) map[string]string {
	if known, ok := r.prefixes[library]; ok {
		return known
	}
	all := map[string]string{}
	if l, err := below(r.system.Prefixes.Folder); err == nil {
		found, err := r.files.List(library, l)
		if err != nil && !errors.Is(err, ErrNotThere) {
			r.note(path.Join(library, r.system.Prefixes.Folder), "%v", err)
		}
		for _, f := range found {
			all[f.Captures["ref"]] = join(library, f)
		}
	}
	r.prefixes[library] = all
	return all
}

func (r *reader) accounts(a *Accounts) {
	byID := map[string]int{}
	if l, err := below(a.Folder); err == nil {
		folders, err := r.files.List(r.found.Home, l)
		if err != nil && !errors.Is(err, ErrNotThere) {
			r.note(a.Folder, "%v", err)
		}
		for i, f := range folders {
			if i == maxAccounts {
				r.note(r.found.Home, "more than %d account folders; the rest is left out", maxAccounts)
				break
			}
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
		id := r.one(node, k.ID)
		if id == "" {
			r.note(file, "an account without an id is skipped")
			return
		}
		i, there := byID[id]
		if !there && len(r.found.Accounts) >= maxAccounts {
			return
		}
		if !there {
			i = len(r.found.Accounts)
			byID[id] = i
			r.found.Accounts = append(r.found.Accounts, Account{ID: id})
		}
		if k.Name != "" {
			r.found.Accounts[i].Name = r.one(node, k.Name)
		}
		r.found.Accounts[i].InUse = k.InUse != "" && yes(r.one(node, k.InUse))
	})
	// The one in use comes first.
	sort.SliceStable(r.found.Accounts, func(i, j int) bool { return r.found.Accounts[i].InUse && !r.found.Accounts[j].InUse })
}

// each calls do for every node of a source: of every file, or of the key. It
// reports whether the folder itself is not there.
func (r *reader) each(folder string, s Source, do func(file string, node any)) (missing bool) {
	if len(s.Keys) > 0 {
		for _, key := range s.Keys {
			r.ofKey(key, s, do)
		}
		return false
	}
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
	next, stop := r.ahead(s.As, folder, entries)
	defer stop()
	for _, e := range entries {
		file := join(folder, e)
		if r.read > maxRead {
			r.note(file, "more than %d MiB would be read; this file and those behind it are left out", maxRead>>20)
			break
		}
		t := next()
		r.read += t.bytes
		if t.err != nil {
			r.note(file, "%v", t.err)
			continue
		}
		r.nodes(file, s, t.root, do)
	}
	return false
}

// tree is what a file was brought to, and how many bytes were read for it.
type tree struct {
	root  any
	bytes int
	err   error
}

// readAhead is how many files are read and brought to trees before they are asked for.
const readAhead = 8

// ahead reads files in their order, some of them at once. next gives the next one's tree;
// stop has to be called.
func (r *reader) ahead(as, folder string, entries []Entry) (next func() tree, stop func()) {
	if len(entries) <= 1 {
		return func() tree { return r.tree(as, folder, entries[0]) }, func() {}
	}
	trees, ended := make(chan chan tree, readAhead), make(chan struct{})
	go func() {
		defer close(trees)
		for _, e := range entries {
			one := make(chan tree, 1)
			select {
			case trees <- one:
			case <-ended:
				return
			}
			go func() { one <- r.tree(as, folder, e) }()
		}
	}()
	return func() tree { return <-<-trees }, func() { close(ended) }
}

// tree may be called from several goroutines.
func (r *reader) tree(as, folder string, e Entry) tree {
	if as == SQLite {
		root, err := r.files.Tables(folder, e)
		if err == nil && deeper(root, maxDepth) {
			err = fmt.Errorf("it is nested more than %d levels deep", maxDepth)
		}
		return tree{root, MaxFile, err} // whatever its size
	}
	data, err := r.files.Read(folder, e)
	if err != nil {
		return tree{err: err}
	}
	root, err := Tree(as, data)
	return tree{root, len(data), err}
}

func (r *reader) ofKey(key string, s Source, do func(file string, node any)) {
	l, err := place.ParseAny(string(place.Registry) + ":" + key)
	if err != nil {
		return // a checked sheet has none
	}
	tree, err := r.files.Key(l.Names())
	switch {
	case errors.Is(err, ErrNotThere):
	case err != nil:
		r.note(strings.Join(l.Names(), `\`), "%v", err)
	default:
		r.nodes(strings.Join(l.Names(), `\`), s, tree, do)
	}
}

// nodes calls do for what each selects in a tree, in the order of the paths.
func (r *reader) nodes(file string, s Source, tree any, do func(file string, node any)) {
	if s.Each == "" {
		do(file, tree)
		return
	}
	found := r.asking.ask(r.asking.parse(s.Each), tree, maxNodes+1)
	r.overAsked(file)
	// That a filter chooses nothing is no wonder.
	if len(found) == 0 && len(s.Keys) == 0 && !strings.Contains(s.Each, "[?") {
		r.note(file, "%s finds nothing in it", s.Each)
	}
	for i, n := range found {
		if i == maxNodes {
			r.note(file, "%s finds more than %d entries; the rest is left out", s.Each, maxNodes)
			break
		}
		do(file, n.value)
	}
}

// overAsked says once that the queries took more steps than they may.
func (r *reader) overAsked(file string) {
	if r.asking.over && !r.toldOver {
		r.toldOver = true
		r.note(
			file,
			"the sheet's queries take more than %d steps in all; what they would find from here on is left out",
			maxSteps,
		)
	}
}

// one returns what a query gives as a text: the first node, empty if there is
// none or it is no plain value.
func (r *reader) one(node any, query string) string {
	q := r.asking.parse(query)
	if q == nil {
		return ""
	}
	found := r.asking.ask(q, node, maxNodes)
	r.overAsked(query)
	if len(found) == 0 {
		return ""
	}
	switch v := found[0].value.(type) {
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
