// Package locate finds the titles that are present on this machine: which of
// their variants, in which folders, prefixes and accounts, and where each location
// lies, in the forms in which its path can be pasted.
//
//	here := locate.New(survey, roots)
//	located, err := here.Title(ctx, t, locate.Everywhere)
package locate

import (
	"context"
	"errors"
	"os"
	"os/user"
	"path/filepath"
	"runtime"
	"slices"
	"sort"
	"strings"
	"time"

	"endroit/core/manifest"
	"endroit/core/notes"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/machine"
)

// Format names what locate --json prints; schemas/located-1.schema.json is its schema.
const Format = "endroit/located/1"

// Location is one location on this machine.
type Location struct {
	At       string            `json:"at"`
	Holds    string            `json:"holds"`
	Standing standing.Standing `json:"standing"`
	Usable   bool              `json:"usable"` // whether programs may change files by it
	Reason   string            `json:"reason"`
	machine.Found
	// Forms are the folder, or the file, in the ways that can be pasted.
	Forms []place.Form `json:"forms"`
	// Values is how many values a registry key holds, nil for files.
	Values *int   `json:"values,omitempty"`
	Error  string `json:"error,omitempty"`
	// Hazards are what operations do to it, in words; CloudKeeps what was seen of the
	// launcher's cloud: kept, or not kept.
	Hazards    []standing.Tried `json:"hazards,omitempty"`
	CloudKeeps string           `json:"cloud_keeps,omitempty"`
	// CloudLists is whether the launcher's own files say that it keeps cloud copies of it:
	// kept, not kept, or part.
	CloudLists string `json:"cloud_lists,omitempty"`
	// Stands is what is published of its standing, for the version that is installed here.
	Stands standing.Known `json:"-"`
	// Notes are on the structure of the files; Checks is what they say of each, by its
	// path, where that was asked for.
	Notes  *notes.Notes             `json:"-"`
	Checks map[string]notes.Verdict `json:"checks,omitempty"`

	// In which roots, by what and how it was found.
	roots place.Roots
	place place.Location
	known place.Captures
	fold  bool
}

// Variant is one variant of a title where it is present.
type Variant struct {
	Variant   string `json:"variant"`             // in words
	Store     string `json:"store,omitempty"`     // who sold it
	Reference string `json:"reference,omitempty"` // the store's own for it
	System    string `json:"system"`              // linux, windows or macos
	Runtime   string `json:"runtime"`             // native or prefix
	Version   string `json:"version,omitempty"`   // of the copy that is installed
	Prefix    string `json:"prefix,omitempty"`    // the prefix that was looked into
	Sandbox   string `json:"sandbox,omitempty"`   // the sandboxed application whose folders were
	Install   string `json:"install,omitempty"`   // the folder that this copy is installed in
	Account   string `json:"account,omitempty"`   // the launcher's account whose folder was
	StartedBy string `json:"started_by,omitempty"`
	Launcher  string `json:"launcher,omitempty"` // that the variant is recorded for
	// Cloud is whether the launcher keeps cloud copies, if it says.
	Cloud *bool `json:"cloud,omitempty"`
	// Accounts are the launcher's, by which the files of accounts are distinguished; the
	// one in use first.
	Accounts  []sheet.Account `json:"accounts"`
	Locations []Location      `json:"locations"`
	// CloudKeeps is how much of it the launcher's cloud keeps, as far as that was seen:
	// all, part or none.
	CloudKeeps string `json:"cloud_keeps,omitempty"`
	// CloudFolders are the folders and files that the launcher's own files list for its cloud.
	CloudFolders []string `json:"-"`
	// Absence says that experiments found nothing kept on the machine.
	Absence *Absence `json:"absence,omitempty"`
	// Shared is how many more locations are the same as those of a variant before it.
	Shared int `json:"shared,omitempty"`
}

// Absence is how well it is known that nothing is kept on the machine.
type Absence struct {
	Standing standing.Standing `json:"standing"`
	Reason   string            `json:"reason"`
	Stands   standing.Known    `json:"-"`
}

// Standing is what all locations have in common, with the reason; empty if they
// differ.
func (v Variant) Standing() string {
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

// HasFiles reports whether anything is there.
func (v Variant) HasFiles() bool {
	return slices.ContainsFunc(v.Locations, func(l Location) bool { return len(l.Files) > 0 || l.Values != nil })
}

// Title is a title on this machine.
type Title struct {
	ID        string    `json:"id"`
	Title     string    `json:"title"`
	Variants  []Variant `json:"variants"`
	Elsewhere []string  `json:"elsewhere"` // variants that are not present
	// Usual says of variants that are not present where their files usually are; it is
	// filled where no variant is present, or where the person chose a system.
	Usual []Usual `json:"usual"`
	// Gone are editions that a launcher lists and that are not there: perhaps on a
	// disk that is not plugged in. Missing says which.
	Gone []sheet.Installed `json:"gone"`
	// Newest is the path of the file that was changed last, empty if there is none.
	Newest     string    `json:"newest,omitempty"`
	NewestTime time.Time `json:"newest_time,omitzero"`
	// CouldBeInPrefix says that a variant for Windows was found in no prefix.
	CouldBeInPrefix bool `json:"-"`
}

// Resolver resolves titles on this machine.
type Resolver struct {
	survey *machine.Survey
	roots  place.Roots
	// Install is the folder of the installed copy, where the person named it.
	Install string
	// OS is the system whose variants alone are looked at, and told of; empty for all.
	OS string
	// Whole lists a variant's locations also where another variant has the same.
	Whole bool
	// Only are the prefixes that the person named; no others are looked into then.
	Only []*machine.Prefix

	user      string
	byRef     map[string][]int // of the survey's installed editions
	byTitle   map[string][]int // by the title's plain name
	byPrefix  map[string]int   // the survey's prefixes, by their folders
	sandboxes []machine.Sandbox
	gone      []sheet.Installed
	goneNames []string // of their titles, plain
	finder    *machine.Finder
	brief     bool
}

// New resolves by a survey of the machine, for the person whose roots these are.
func New(survey *machine.Survey, roots place.Roots) *Resolver {
	h := &Resolver{
		survey:    survey,
		byRef:     map[string][]int{},
		byTitle:   map[string][]int{},
		byPrefix:  map[string]int{},
		roots:     roots,
		sandboxes: machine.Sandboxes(roots[place.Home]),
		finder:    survey.Finder(),
		gone:      sheet.MissingEditions(survey.Found),
	}
	for i, e := range survey.Installed {
		if e.Ref != "" {
			h.byRef[e.Ref] = append(h.byRef[e.Ref], i)
		}
		name := manifest.Plain(e.Name)
		h.byTitle[name] = append(h.byTitle[name], i)
	}
	for i := range survey.Prefixes {
		h.byPrefix[survey.Prefixes[i].Folder] = i
	}
	for _, e := range h.gone {
		h.goneNames = append(h.goneNames, manifest.Plain(e.Name))
	}
	if me, err := user.Current(); err == nil {
		h.user = me.Username[strings.LastIndexByte(me.Username, '\\')+1:] // Windows puts the machine's name before it
	}
	return h
}

// SummaryOnly leaves out from now on what only a full answer shows: the forms that can be
// pasted, and what the named parts of a location are for each file.
func (h *Resolver) SummaryOnly() { h.brief, h.finder.Blind = true, true }

// Open opens a file of a location for reading: the one that was found, whatever became of
// its name since. The caller closes it.
func (h *Resolver) Open(l *Location, f machine.File) (*os.File, error) {
	return h.finder.Open(l.roots, f)
}

// Close closes what is open for it.
func (h *Resolver) Close() { h.finder.Close() }

// Scope says where a title is looked for beside the editions that are installed:
// in which prefixes. Everywhere means all.
type Scope map[string]bool

// Everywhere is every prefix that the survey knows.
var Everywhere Scope

// Title resolves a title.
func (h *Resolver) Title(ctx context.Context, t *manifest.Title, scope Scope) (Title, error) {
	out := Title{ID: t.ID, Title: t.Name, Variants: []Variant{}, Elsewhere: []string{}, Usual: []Usual{}, Gone: h.missing(t)}
	var absent []manifest.Variant
	for _, v := range t.Variants {
		if h.OS != "" && v.OS != h.OS {
			continue
		}
		v.Locations = holding(v, func(l manifest.Location) bool { return l.Standing.Counted() })
		var found []Variant
		switch forWindows := v.OS == "windows" || v.Runtime == "prefix"; {
		case v.OS == machine.System() && v.Runtime == "native":
			found = h.native(ctx, t, v)
		case forWindows && len(h.Only) > 0:
			for _, p := range h.Only {
				found = append(found, h.inPrefix(ctx, v, p, place.Roots{place.Install: h.Install}))
			}
		case forWindows:
			found = h.inPrefixes(ctx, t, v, scope)
			out.CouldBeInPrefix = out.CouldBeInPrefix || len(found) == 0
		}
		if len(found) == 0 {
			out.Elsewhere = append(out.Elsewhere, v.String())
			absent = append(absent, v)
		}
		out.Variants = append(out.Variants, found...)
	}
	if err := ctx.Err(); err != nil {
		return Title{}, err // what was found is not all
	}
	if !h.Whole {
		out.Variants = once(out.Variants)
	}
	if len(h.Only) == 0 && h.Install == "" { // else the person asked for them
		out.onlyThere()
	}
	if len(out.Variants) == 0 || h.OS != "" {
		for _, v := range absent {
			out.Usual = append(out.Usual, usual(v))
		}
	}
	for _, v := range out.Variants {
		for _, l := range v.Locations {
			for _, f := range l.Files {
				if f.Time.After(out.NewestTime) {
					out.Newest, out.NewestTime = f.Path, f.Time
				}
			}
		}
	}
	return out, nil
}

// Usual is where a variant that is not on this machine usually has its files.
type Usual struct {
	Variant   string          `json:"variant"`
	Store     string          `json:"store,omitempty"`
	Reference string          `json:"reference,omitempty"`
	System    string          `json:"system"`
	Runtime   string          `json:"runtime"`
	Locations []UsualLocation `json:"locations"`
}

// UsualLocation is a location, with its usual path; empty where that depends on the
// installation.
type UsualLocation struct {
	At    string `json:"at"`
	Holds string `json:"holds"`
	Path  string `json:"path"`
}

func usual(v manifest.Variant) Usual {
	out := Usual{
		Variant:   v.String(),
		Store:     v.Store,
		Reference: v.Ref,
		System:    v.OS,
		Runtime:   v.Runtime,
		Locations: []UsualLocation{},
	}
	for _, l := range v.Locations {
		one := UsualLocation{At: l.At, Holds: l.Holds}
		if at, err := place.Parse(l.At); err == nil {
			one.Path = at.Usual(v.OS, v.Runtime)
		}
		out.Locations = append(out.Locations, one)
	}
	return out
}

// there reports whether a variant is on this machine: installed, or with files.
func (v Variant) there() bool { return v.Install != "" || v.HasFiles() }

// onlyThere drops the variants that are not on this machine, if any is. If none
// is, they tell where files would have to be put.
func (t *Title) onlyThere() {
	if !slices.ContainsFunc(t.Variants, Variant.there) {
		return
	}
	t.Variants = slices.DeleteFunc(t.Variants, func(v Variant) bool {
		if v.there() {
			return false
		}
		if !slices.Contains(t.Elsewhere, v.Variant) {
			t.Elsewhere = append(t.Elsewhere, v.Variant)
		}
		return true
	})
}

// missing are the title's editions that are listed and not there.
func (h *Resolver) missing(t *manifest.Title) []sheet.Installed {
	out := []sheet.Installed{}
	for i, e := range h.gone {
		if called(t, h.goneNames[i]) ||
			slices.ContainsFunc(
				t.Variants,
				func(v manifest.Variant) bool { return v.Ref != "" && v.Ref == e.Ref && v.Store == e.Store },
			) {
			out = append(out, e)
		}
	}
	return out
}

// once puts the variants that are installed first, and drops what is shown already: the
// same locations are often recorded for several stores.
func once(all []Variant) []Variant {
	type at struct{ where, location string }
	shown := map[at]bool{}
	key := func(v Variant, l Location) at {
		return at{v.Prefix + "\x00" + v.Sandbox + "\x00" + v.Account + "\x00" + l.Folder, l.At}
	}
	out := []Variant{}
	for _, installed := range []bool{true, false} {
		for _, v := range all {
			if (v.Install != "") != installed {
				continue
			}
			had := len(v.Locations)
			v.Locations = slices.DeleteFunc(v.Locations, func(l Location) bool { return l.Folder != "" && shown[key(v, l)] })
			for _, l := range v.Locations {
				shown[key(v, l)] = true
			}
			v.Shared = had - len(v.Locations)
			if installed || v.Shared == 0 || v.HasFiles() {
				out = append(out, v)
			}
		}
	}
	return out
}

// inPrefixes looks a Windows build up in the prefixes that belong to its editions,
// and in all others that hold something of it.
func (h *Resolver) inPrefixes(ctx context.Context, t *manifest.Title, v manifest.Variant, scope Scope) (out []Variant) {
	looked := map[string]bool{}
	for _, e := range h.installed(t, v, true) {
		i, known := h.byPrefix[e.Prefix]
		if !known || h.survey.Prefixes[i].Prefix == nil {
			continue
		}
		p := h.survey.Prefixes[i].Prefix
		looked[p.Folder] = true
		v := v
		v.Locations = holding(v, func(l manifest.Location) bool { return l.Versions.Includes(e.Version) })
		for _, part := range perAccount(v, e.Accounts) {
			outside := place.Roots{place.Install: e.Folder}
			if part.folder != "" {
				outside[place.AccountData] = part.folder
			}
			found := h.inPrefix(ctx, part.variant, p, outside)
			found.Accounts, found.Account = e.Accounts, part.account
			out = append(out, tell(byAccount(found), e))
		}
	}
	for _, i := range h.within(scope) {
		in := &h.survey.Prefixes[i]
		if in.Prefix == nil || looked[in.Folder] {
			continue
		}
		if found := h.inPrefix(ctx, v, in.Prefix, nil); found.HasFiles() {
			found.Locations = slices.DeleteFunc(found.Locations, func(l Location) bool { return l.Error != "" })
			out = append(out, found)
		}
	}
	return out
}

// within are the prefixes of a scope, in the survey's order.
func (h *Resolver) within(scope Scope) (list []int) {
	if scope == nil {
		for i := range h.survey.Prefixes {
			list = append(list, i)
		}
		return list
	}
	for folder := range scope {
		if i, ok := h.byPrefix[folder]; ok {
			list = append(list, i)
		}
	}
	slices.Sort(list)
	return list
}

func (h *Resolver) variant(ctx context.Context, v manifest.Variant, roots place.Roots, accounts []sheet.Account) Variant {
	out := Variant{
		Variant:   v.String(),
		Store:     v.Store,
		Reference: v.Ref,
		System:    v.OS,
		Runtime:   v.Runtime,
		Launcher:  v.Launcher,
		Accounts:  accounts,
		Locations: make([]Location, 0, len(v.Locations)),

		CloudKeeps: v.Cloud,
	}
	if a := v.Absence; a != nil {
		known := standing.Known{Standing: a.Standing, Reason: a.Reason, Counts: a.Counts, Version: a.SeenVersion, Then: a.Then}
		out.Absence = &Absence{a.Standing, a.Reason, known}
	}
	if out.Accounts == nil {
		out.Accounts = []sheet.Account{}
	}
	known := place.Captures{"user": h.user}
	if v.Ref != "" {
		known["ref"] = v.Ref
	}
	for _, l := range v.Locations {
		at, err := place.Parse(l.At)
		if err == nil && at.Anchor == place.Registry && runtime.GOOS == "windows" {
			one := key(l, at, "", machine.OwnKey)
			one.place, one.fold = at, true
			out.Locations = append(out.Locations, one)
			continue
		}
		one := locate(l, at, err, func() (machine.Found, error) { return h.finder.Find(ctx, roots, at, known) })
		one.roots, one.place, one.known, one.fold = roots, at, known, at.Folds() || runtime.GOOS == "windows"
		if !h.brief {
			one.Forms = nativeForms(at.Anchor, one.Folder, roots)
		}
		out.Locations = append(out.Locations, one)
	}
	return byAccount(out)
}

// byAccount puts the files of the account in use before those of others, where a
// location tells accounts apart; within an account the newest stays first.
func byAccount(v Variant) Variant {
	if len(v.Accounts) == 0 {
		return v
	}
	inUse := map[string]bool{}
	for _, a := range v.Accounts {
		inUse[a.ID] = a.InUse
	}
	for _, l := range v.Locations {
		sort.SliceStable(l.Files, func(i, j int) bool {
			return inUse[l.Files[i].Captures["account"]] && !inUse[l.Files[j].Captures["account"]]
		})
	}
	return v
}

// locate looks one location of the manifest up; at and err are what it reads as.
func locate(l manifest.Location, at place.Location, err error, find func() (machine.Found, error)) Location {
	one := Location{
		At:       l.At,
		Holds:    l.Holds,
		Standing: l.Standing,
		Reason:   l.Reason,
		Usable:   l.Usable(),
		Stands:   l.Known(),
		Notes:    l.Notes,

		Hazards:    l.Hazards,
		CloudKeeps: l.Cloud,
		Found:      machine.Found{Files: []machine.File{}},
		Forms:      []place.Form{},
	}
	if err == nil {
		one.Found, err = find()
	}
	switch {
	case errors.Is(err, machine.ErrNoRoot) && at.Anchor == place.Install:
		one.Error = "the folder that it is installed in is not known; name it with --install FOLDER"
	case errors.Is(err, machine.ErrNoRoot) && at.Anchor == place.AccountData:
		one.Error = "no launcher's account folder is known for it; endroit machine shows accounts"
	case err != nil:
		one.Error = err.Error()
	}
	if one.Files == nil {
		one.Files = []machine.File{}
	}
	return one
}

// inPrefix looks a Windows build's locations up in a prefix: a Windows anchor is
// the same anchor there. outside says where the anchors lie that the prefix does
// not have.
func (h *Resolver) inPrefix(ctx context.Context, v manifest.Variant, p *machine.Prefix, outside place.Roots) Variant {
	out := Variant{
		Variant:   v.String(),
		Store:     v.Store,
		Reference: v.Ref,
		System:    v.OS,
		Runtime:   v.Runtime,
		Launcher:  v.Launcher,
		Prefix:    p.Folder,
		Accounts:  []sheet.Account{},
		Locations: make([]Location, 0, len(v.Locations)),
	}
	inside := place.Captures{"user": p.User}
	if v.Ref != "" {
		inside["ref"] = v.Ref
	}
	for _, l := range v.Locations {
		at, err := place.Parse(l.At)
		if err == nil && at.Anchor == place.Registry {
			one := key(l, at, p.Folder, p.HasKey)
			one.place, one.fold = at, true
			out.Locations = append(out.Locations, one)
			continue
		}
		one := locate(l, at, err, func() (machine.Found, error) {
			if outside[at.Anchor] != "" {
				return h.finder.Find(ctx, outside, at, inside)
			}
			return h.finder.FindIn(ctx, p, at, inside)
		})
		one.place, one.known, one.fold = at, inside, true
		if one.roots = p.Roots; outside[at.Anchor] != "" {
			one.roots = outside
		}
		if !h.brief {
			one.Forms = prefixForms(at, one.Folder, p)
		}
		out.Locations = append(out.Locations, one)
	}
	return out
}

// key looks a registry location up: in a prefix's hives, or, without a prefix, in the registry
// of this Windows.
func key(l manifest.Location, at place.Location, prefix string, has func(names []string) (values int, found bool, err error)) Location {
	one := locate(l, at, nil, func() (machine.Found, error) { return machine.Found{Files: []machine.File{}}, nil })
	one.Forms = at.FormsIn(place.Inside{})
	values, found, err := has(at.Names())
	switch {
	case err != nil:
		one.Error = err.Error()
	case !found && prefix == "":
		one.Missing = "the registry has no such key"
	case !found:
		one.Missing = "the prefix's registry has no such key"
	default:
		hive := "user.reg"
		if strings.EqualFold(at.Names()[0], "HKEY_LOCAL_MACHINE") {
			hive = "system.reg"
		}
		if prefix != "" {
			one.Found.Folder = filepath.Join(prefix, hive)
		}
		one.Values = &values
	}
	return one
}
