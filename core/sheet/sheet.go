// Package sheet is the declarative description of a launcher's layout on disk: a
// new launcher is a new sheet and no code.
//
//	s, err := sheet.Parse(data)
//	found := s.Read("linux", files)
//	installed, notes := sheet.Join(found)
//
// A sheet says where the launcher is installed, and for its libraries, titles,
// prefixes and accounts which files, folders or registry keys tell of them. These
// come to one tree (Tree), which JSONPath (RFC 9535) queries. A sheet names
// nothing outside the launcher's own places and the libraries that these list,
// and runs nothing.
package sheet

import (
	"cmp"
	"encoding/json"
	"fmt"
	"regexp"
	"slices"
	"strings"
	"sync"

	"github.com/goccy/go-yaml"
	"github.com/theory/jsonpath"

	"endroit/core/place"
	"endroit/core/words"
	"endroit/core/yamldoc"
)

// Format is the name and version in a sheet.
const Format = "endroit/sheet/1"

// MaxBytes bounds a sheet.
const MaxBytes = 128 << 10

// Sheet describes one launcher.
type Sheet struct {
	Format string `json:"format" yaml:"format"`
	ID     string `json:"id" yaml:"id"`
	Name   string `json:"name" yaml:"name"`
	// Store is whose references its titles carry; the launcher itself if empty.
	Store string `json:"store,omitempty" yaml:"store,omitempty"`
	// Addresses are how a store page's address carries the reference:
	// quayside.example/title/{ref}.
	Addresses []string          `json:"addresses,omitempty" yaml:"addresses,omitempty"`
	Systems   map[string]System `json:"systems" yaml:"systems"` // linux, windows, macos
}

// System is a launcher's layout on one operating system. Without a Home there is
// no launcher: plain installers, which the registry or the folders themselves
// tell of.
type System struct {
	Home      []string   `json:"home,omitempty" yaml:"home,omitempty"` // locations of folders: each that is there is one installation
	Libraries *Libraries `json:"libraries,omitempty" yaml:"libraries,omitempty"`
	Titles    *Titles    `json:"titles,omitempty" yaml:"titles,omitempty"`
	Inside    *Inside    `json:"inside,omitempty" yaml:"inside,omitempty"`
	Prefixes  *Prefixes  `json:"prefixes,omitempty" yaml:"prefixes,omitempty"`
	Accounts  *Accounts  `json:"accounts,omitempty" yaml:"accounts,omitempty"`
	Cloud     *Switch    `json:"cloud,omitempty" yaml:"cloud,omitempty"`
	Starts    []Starts   `json:"starts,omitempty" yaml:"starts,omitempty"`
}

// Source is files or registry keys, and what in them counts.
type Source struct {
	Files string   `json:"files,omitempty" yaml:"files,omitempty"` // a pattern
	Keys  []string `json:"keys,omitempty" yaml:"keys,omitempty"`   // of the registry, with full root: HKEY_CURRENT_USER/Software/Quayside/
	As    string   `json:"as,omitempty" yaml:"as,omitempty"`       // one of Formats; of a file
	Each  string   `json:"each,omitempty" yaml:"each,omitempty"`
}

// maxKeys bounds the registry keys of one source.
const maxKeys = 8

// Libraries lists folders in which titles are installed, beside the launcher's
// own. Without it, the launcher's home is the only library.
type Libraries struct {
	Source `yaml:",inline"`
	Folder string `json:"folder" yaml:"folder"` // query: an absolute path
}

// Titles lists the installed titles of a library.
type Titles struct {
	Source  `yaml:",inline"`
	Ref     string `json:"ref,omitempty" yaml:"ref,omitempty"`         // query; a store without references has none
	Name    string `json:"name" yaml:"name"`                           // query
	Version string `json:"version,omitempty" yaml:"version,omitempty"` // query
	Folder  string `json:"folder" yaml:"folder"`                       // query: below the library and Below, or an absolute path
	Below   string `json:"below,omitempty" yaml:"below,omitempty"`     // folders between the library and the title's
}

// Inside is a file in an installed title's own folder that says which title it
// is, for folders that a person names.
type Inside struct {
	Source  `yaml:",inline"`
	Ref     string `json:"ref,omitempty" yaml:"ref,omitempty"`         // query
	Name    string `json:"name" yaml:"name"`                           // query
	Version string `json:"version,omitempty" yaml:"version,omitempty"` // query
}

// Prefixes says where a title's compatibility prefix is, below its library, and
// which user name the launcher gives it inside.
type Prefixes struct {
	Folder string `json:"folder" yaml:"folder"` // a pattern of a folder with {ref}
	User   string `json:"user,omitempty" yaml:"user,omitempty"`
}

// Starts lists titles that another launcher laid out and that this one starts
// too, by handing over to it.
type Starts struct {
	Launcher string `json:"launcher" yaml:"launcher"` // the other's id
	Source   `yaml:",inline"`
	Ref      string `json:"ref" yaml:"ref"` // query: the reference at the other's store
}

// Sources are all files and keys that a system's description reads.
func (s System) Sources() (all []Source) {
	if s.Libraries != nil {
		all = append(all, s.Libraries.Source)
	}
	if s.Titles != nil {
		all = append(all, s.Titles.Source)
	}
	if s.Inside != nil {
		all = append(all, s.Inside.Source)
	}
	if s.Accounts != nil && s.Accounts.Known != nil {
		all = append(all, s.Accounts.Known.Source)
	}
	if s.Cloud != nil {
		all = append(all, s.Cloud.Source)
		if t := s.Cloud.Titles; t != nil {
			all = append(all, t.Source)
		}
	}
	for _, h := range s.Starts {
		all = append(all, h.Source)
	}
	return all
}

// Accounts lists account folders, below the launcher's home.
type Accounts struct {
	Folder string `json:"folder" yaml:"folder"` // a pattern of a folder with {account}
	// Known is where the launcher lists its accounts; may be left out.
	Known *Known `json:"known,omitempty" yaml:"known,omitempty"`
}

// Known lists accounts.
type Known struct {
	Source `yaml:",inline"`
	ID     string `json:"id" yaml:"id"`                             // query
	Name   string `json:"name,omitempty" yaml:"name,omitempty"`     // query
	InUse  string `json:"in-use,omitempty" yaml:"in-use,omitempty"` // query: true, yes, on or 1
}

// Switch is a setting that is on or off.
type Switch struct {
	Source `yaml:",inline"`
	On     string `json:"on" yaml:"on"` // query: true, yes, on or 1
	// Titles is where it is set for single titles, which counts for these; may be left out.
	Titles *TitleSwitch `json:"titles,omitempty" yaml:"titles,omitempty"`
}

// TitleSwitch is a setting that is on or off for each title.
type TitleSwitch struct {
	Source `yaml:",inline"`
	Ref    string `json:"ref" yaml:"ref"` // query
	On     string `json:"on" yaml:"on"`   // query: true, yes, on or 1
	// Folder is a query for the absolute path of a folder, or a file, of which copies are
	// kept; an entry for each of several. It may be left out.
	Folder string `json:"folder,omitempty" yaml:"folder,omitempty"`
}

// StoreID is the store whose copies the launcher installs: its own unless it says otherwise.
func (s *Sheet) StoreID() string { return cmp.Or(s.Store, s.ID) }

// Error is what is wrong with a sheet, and where.
type Error = yamldoc.Error

// Parse reads and checks a sheet. The error is an *Error.
func Parse(data []byte) (*Sheet, error) {
	var s Sheet
	doc, err := yamldoc.Decode("sheet", data, MaxBytes, &s)
	if err != nil {
		return nil, err
	}
	if e := s.check(); e != nil {
		return nil, doc.At(e)
	}
	return &s, nil
}

// ParseJSON reads and checks a sheet in the form in which it is sent and published.
func ParseJSON(data []byte) (*Sheet, error) {
	if len(data) > MaxBytes {
		return nil, &Error{What: "sheet", Reason: fmt.Sprintf("it has %d bytes; a sheet has at most %d", len(data), MaxBytes)}
	}
	var s Sheet
	if err := json.Unmarshal(data, &s); err != nil {
		return nil, &Error{What: "sheet", Reason: err.Error()}
	}
	return &s, s.Check()
}

// Check reports, as an *Error, what is wrong with a sheet that did not
// come as text.
func (s *Sheet) Check() error {
	if e := s.check(); e != nil {
		return e
	}
	return nil
}

// Text writes the sheet as YAML that Parse reads.
func (s *Sheet) Text() (string, error) {
	text, err := yaml.MarshalWithOptions(s, yaml.IndentSequence(true))
	return string(text), err
}

var idShape = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^[a-z][a-z0-9-]{1,31}$`)
})

// checker gathers the first thing that is wrong.
type checker struct{ first *Error }

func (c *checker) bad(field, format string, args ...any) {
	if c.first == nil {
		c.first = &Error{What: "sheet", Field: field, Reason: fmt.Sprintf(format, args...)}
	}
}

func (s *Sheet) check() *Error {
	var c checker
	if s.Format != Format {
		c.bad("format", "it is %.40q and this program reads %s", s.Format, Format)
	}
	if !idShape().MatchString(s.ID) {
		c.bad("id", "it is %.40q; it must be 2 to 32 lowercase letters, digits and hyphens, beginning with a letter", s.ID)
	}
	if reason := words.Name(s.Name, 100); s.Name == "" || reason != "" {
		c.bad("name", "%s", cmp.Or(reason, "it is missing"))
	}
	if s.Store != "" && !idShape().MatchString(s.Store) {
		c.bad("store", "it is %.40q, not a store's id", s.Store)
	}
	for i, a := range s.Addresses {
		host, _, _ := strings.Cut(a, "/")
		if reason := words.Shown(a, 300); reason != "" {
			c.bad(fmt.Sprintf("addresses[%d]", i), "%s", reason)
		}
		if strings.Count(a, "{ref}") != 1 || strings.Contains(host, "{ref}") || !strings.Contains(host, ".") || len(a) > 300 {
			c.bad(
				fmt.Sprintf("addresses[%d]", i),
				"an address must contain {ref} once, after the store's own name: quayside.example/title/{ref}",
			)
		}
	}
	if len(s.Systems) == 0 {
		c.bad("systems", "it is empty; a sheet describes at least one of linux, windows and macos")
	}
	for _, name := range slices.Sorted(mapKeys(s.Systems)) {
		field := "systems." + name
		if name != "linux" && name != "windows" && name != "macos" {
			c.bad(field, "it must be linux, windows or macos")
		}
		s.Systems[name].check(&c, field, s.ID)
	}
	return c.first
}

func mapKeys[V any](m map[string]V) func(func(string) bool) {
	return func(yield func(string) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}

func (s System) check(c *checker, field, id string) {
	if len(s.Home) == 0 {
		s.checkHomeless(c, field)
	}
	for i, h := range s.Home {
		l, err := place.Parse(h)
		at := fmt.Sprintf("%s.home[%d]", field, i)
		switch {
		case err != nil:
			c.bad(at, "%v", err)
		case !l.Pattern.Folder || !l.Exact():
			c.bad(at, "it has to be one folder, without wildcards, and must end with a slash")
		}
	}
	if l := s.Libraries; l != nil {
		l.check(c, field+".libraries")
		query(c, field+".libraries.folder", l.Folder, true)
	}
	if t := s.Titles; t != nil {
		t.check(c, field+".titles")
		query(c, field+".titles.ref", t.Ref, false)
		query(c, field+".titles.name", t.Name, true)
		query(c, field+".titles.version", t.Version, false)
		query(c, field+".titles.folder", t.Folder, true)
		if t.Below != "" {
			pattern(c, field+".titles.below", t.Below, "", true)
		}
	}
	if n := s.Inside; n != nil {
		n.check(c, field+".inside")
		if len(n.Keys) > 0 {
			c.bad(field+".inside.keys", "it describes the folder that it is in, so it must be a file")
		}
		query(c, field+".inside.ref", n.Ref, false)
		query(c, field+".inside.name", n.Name, true)
		query(c, field+".inside.version", n.Version, false)
	}
	if p := s.Prefixes; p != nil {
		pattern(c, field+".prefixes.folder", p.Folder, "{ref}", true)
		if s.Titles == nil || s.Titles.Ref == "" {
			c.bad(field+".prefixes", "prefixes belong to titles by reference, and the sheet describes no titles with references")
		}
		if len(p.User) > 100 || strings.ContainsAny(p.User, `/\:*?"<>|`) || p.User == "." || p.User == ".." {
			c.bad(field+".prefixes.user", "%.40q is no name of a user inside a prefix", p.User)
		}
	}
	if a := s.Accounts; a != nil {
		pattern(c, field+".accounts.folder", a.Folder, "{account}", true)
		if k := a.Known; k != nil {
			k.check(c, field+".accounts.known")
			query(c, field+".accounts.known.id", k.ID, true)
			query(c, field+".accounts.known.name", k.Name, false)
			query(c, field+".accounts.known.in-use", k.InUse, false)
		}
	}
	if w := s.Cloud; w != nil {
		w.check(c, field+".cloud")
		query(c, field+".cloud.on", w.On, true)
		if t := w.Titles; t != nil {
			t.check(c, field+".cloud.titles")
			query(c, field+".cloud.titles.ref", t.Ref, true)
			query(c, field+".cloud.titles.on", t.On, true)
			query(c, field+".cloud.titles.folder", t.Folder, false)
		}
	}
	for i, h := range s.Starts {
		at := fmt.Sprintf("%s.starts[%d]", field, i)
		switch {
		case !idShape().MatchString(h.Launcher):
			c.bad(at+".launcher", "%.40q is no launcher's id", h.Launcher)
		case h.Launcher == id:
			c.bad(at+".launcher", "a launcher cannot hand over to itself")
		}
		h.check(c, at)
		query(c, at+".ref", h.Ref, true)
	}
}

// checkHomeless checks a system without a launcher: it has nothing to look into
// but the registry and the titles' own folders.
func (s System) checkHomeless(c *checker, field string) {
	for _, x := range []struct {
		part string
		used bool
	}{
		{"libraries", s.Libraries != nil}, {"prefixes", s.Prefixes != nil}, {"accounts", s.Accounts != nil}, {"cloud", s.Cloud != nil},
		{"starts", len(s.Starts) > 0}, {"titles", s.Titles != nil && len(s.Titles.Keys) == 0},
	} {
		if x.used {
			c.bad(field+".home", "there is none, and %s lie below it; say in which folders the launcher can be installed", x.part)
		}
	}
	if s.Titles == nil && s.Inside == nil {
		c.bad(
			field+".home",
			"there is none; say in which folders the launcher can be installed, or, without a launcher, which "+
				"registry key (titles) or which file in a title's folder (inside) tells what is installed",
		)
	}
}

func (s Source) check(c *checker, field string) {
	switch {
	case s.Files == "" && len(s.Keys) == 0:
		c.bad(field+".files", "it is missing; name files, or registry keys with keys")
	case s.Files != "" && len(s.Keys) > 0:
		c.bad(field+".keys", "a source is files or registry keys, not both")
	case len(s.Keys) > maxKeys:
		c.bad(field+".keys", "there are %d; a source has at most %d", len(s.Keys), maxKeys)
	case len(s.Keys) > 0:
		for i, k := range s.Keys {
			key(c, fmt.Sprintf("%s.keys[%d]", field, i), k)
		}
		if s.As != "" {
			c.bad(field+".as", "a registry key needs no form")
		}
	default:
		pattern(c, field+".files", s.Files, "", false)
		if !slices.Contains(Formats(), s.As) {
			c.bad(field+".as", "unknown format %.40q; the formats are %s", s.As, strings.Join(Formats(), ", "))
		}
	}
	query(c, field+".each", s.Each, false)
}

// maxQuery bounds a query, in bytes.
const maxQuery = 300

func query(c *checker, field, text string, required bool) {
	if text == "" {
		if required {
			c.bad(field, "it must be a JSONPath, such as $.name")
		}
		return
	}
	if len(text) > maxQuery {
		c.bad(field, "it has %d bytes; a query has at most %d", len(text), maxQuery)
		return
	}
	if _, err := jsonpath.Parse(text); err != nil {
		c.bad(field, "%.100q is not a JSONPath (RFC 9535), such as $.name: %v", text, err)
		return
	}
	// What these cost grows faster than the file: a short query could go on for
	// hours.
	deep, tops := 0, 0
	for i, r := range bare(text) {
		switch {
		case r == '$' && i > 0:
			tops++
		case r == '.' && i > 0 && bare(text)[i-1] == '.':
			deep++
		}
	}
	switch {
	case deep > 1:
		c.bad(field, "%.100q searches any depth (..) more than once; once is allowed", text)
	case tooManyInFilter(text):
		c.bad(field, "%.100q: within a filter a query goes by names and positions alone (@.state, @.list[0])", text)
	case tops > 0:
		c.bad(field, "%.100q looks at the whole file ($) from within a filter; a filter looks at its own node (@)", text)
	}
}

// tooManyInFilter reports whether a query within a filter, which is asked for every node,
// could take many nodes itself.
func tooManyInFilter(text string) bool {
	depth, filter, parens := 0, 0, 0 // filter: how deep the one begins that is being read, 0 for none
	text = bare(text)
	for i := range len(text) {
		switch c := text[i]; {
		case c == '[':
			depth++
		case c == ']':
			if depth--; depth < filter {
				filter = 0
			}
		case c == '(':
			parens++
		case c == ')':
			parens--
		case c == '?' && filter == 0:
			filter = depth
		case filter == 0:
		case c == ',' && depth == filter && parens == 0:
			filter = 0 // another selector of the same brackets
		case c == '?', c == '*', c == ':', c == ',' && depth > filter, c == '.' && text[i-1] == '.':
			return true
		}
	}
	return false
}

// bare is a query with what stands in quotes blanked out.
func bare(text string) string {
	out := []byte(text)
	quote := byte(0)
	for i := 0; i < len(out); i++ {
		b := out[i]
		switch {
		case quote == 0 && (b == '\'' || b == '"'):
			quote = b
		case quote != 0 && b == '\\' && i+1 < len(out):
			out[i], out[i+1] = ' ', ' '
			i++
		case b == quote:
			quote = 0
		case quote != 0:
			out[i] = ' '
		}
	}
	return string(out)
}

// below reads a pattern below a launcher's place.
func below(text string) (place.Location, error) {
	return place.ParseAny(string(place.Install) + ":" + text)
}

func pattern(c *checker, field, text, part string, folder bool) {
	l, err := below(text)
	switch {
	case err != nil:
		c.bad(field, "%v", err)
	case strings.Contains(text, "**"):
		c.bad(field, "a sheet does not search folders of any depth (**)")
	case l.Pattern.Folder != folder:
		if folder {
			c.bad(field, "a folder must end with a slash")
		} else {
			c.bad(field, "a file must not end with a slash")
		}
	case part != "" && !strings.Contains(text, part):
		c.bad(field, "it must contain %s", part)
	case !singlesOut(l):
		c.bad(field, "%.100q matches everything in its folder; give at least part of a name that only the launcher uses", text)
	}
}

// singlesOut reports whether some name in a pattern is given, at least in part.
func singlesOut(l place.Location) bool {
	for _, s := range l.Pattern.Segments {
		for _, p := range s {
			if p.Kind == place.Literal && strings.Trim(p.Text, ". ") != "" {
				return true
			}
		}
	}
	return false
}

// key checks a registry key: one key, and not so far up that it holds everything.
func key(c *checker, field, text string) {
	l, err := place.ParseAny(string(place.Registry) + ":" + text)
	switch {
	case err != nil:
		c.bad(field, "%v", err)
		return
	case !l.Pattern.Folder || !l.Exact():
		c.bad(field, "it has to be one key, without wildcards, and must end with a slash; each chooses among the keys in it")
		return
	}
	names := l.Names()
	root := strings.ToUpper(names[0])
	switch {
	case root != "HKEY_CURRENT_USER" && root != "HKEY_LOCAL_MACHINE":
		c.bad(field, "it begins with HKEY_CURRENT_USER or HKEY_LOCAL_MACHINE")
	case len(names) < 3 || !strings.EqualFold(names[1], "Software"):
		c.bad(field, "it must be below Software and name at least one key there")
	case len(names) < 4 && slices.ContainsFunc([]string{"Microsoft", "Wow6432Node", "Classes"}, func(shared string) bool {
		return strings.EqualFold(names[2], shared)
	}):
		c.bad(field, "%s holds the settings of all programs; name a key in it", text)
	}
}

// RefIn finds the reference in a pasted address of a store page; empty if the
// address is none of this store's.
func (s *Sheet) RefIn(address string) string {
	for _, scheme := range []string{"https://", "http://"} {
		address = strings.TrimPrefix(address, scheme)
	}
	address = strings.TrimPrefix(address, "www.")
	for _, a := range s.Addresses {
		before, after, _ := strings.Cut(a, "{ref}")
		rest, ok := strings.CutPrefix(address, before)
		if !ok {
			continue
		}
		end := strings.IndexAny(rest, "/?#&")
		if end < 0 {
			end = len(rest)
		}
		if ref := rest[:end]; ref != "" && strings.HasPrefix(rest[end:], after) {
			return ref
		}
	}
	return ""
}
