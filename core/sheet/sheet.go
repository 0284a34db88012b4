// Package sheet is the declarative description of a launcher's layout on disk: a
// new launcher is a new sheet and no code.
//
//	s, err := sheet.Parse(data)
//	found := s.Read("linux", files)
//
// A sheet says where the launcher is installed, and for its libraries, titles,
// prefixes and accounts which files or folders tell of them. Files come to one
// tree (Tree), which JSONPath (RFC 9535) queries. A sheet names nothing outside
// the launcher's own places and the libraries that these list, and runs nothing.
package sheet

import (
	"fmt"
	"regexp"
	"slices"
	"strings"

	"github.com/theory/jsonpath"

	"endroit/core/place"
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

// System is a launcher's layout on one operating system.
type System struct {
	Home      []string   `json:"home" yaml:"home"` // locations of folders: each that is there is one installation
	Libraries *Libraries `json:"libraries,omitempty" yaml:"libraries,omitempty"`
	Titles    *Titles    `json:"titles,omitempty" yaml:"titles,omitempty"`
	Prefixes  *Prefixes  `json:"prefixes,omitempty" yaml:"prefixes,omitempty"`
	Accounts  *Accounts  `json:"accounts,omitempty" yaml:"accounts,omitempty"`
	Cloud     *Switch    `json:"cloud,omitempty" yaml:"cloud,omitempty"`
}

// Source is files and what in them counts.
type Source struct {
	Files string `json:"files" yaml:"files"` // a pattern
	As    string `json:"as" yaml:"as"`       // one of Formats
	Each  string `json:"each,omitempty" yaml:"each,omitempty"`
}

// Libraries lists folders in which titles are installed, beside the launcher's
// own. Without it, the launcher's home is the only library.
type Libraries struct {
	Source `yaml:",inline"`
	Folder string `json:"folder" yaml:"folder"` // query: an absolute path
}

// Titles lists the installed titles of a library.
type Titles struct {
	Source  `yaml:",inline"`
	Ref     string `json:"ref" yaml:"ref"`                             // query
	Name    string `json:"name" yaml:"name"`                           // query
	Version string `json:"version,omitempty" yaml:"version,omitempty"` // query
	Folder  string `json:"folder" yaml:"folder"`                       // query: below the library and Below, or an absolute path
	Below   string `json:"below,omitempty" yaml:"below,omitempty"`     // folders between the library and the title's
}

// Prefixes says where a title's compatibility prefix is, below its library.
type Prefixes struct {
	Folder string `json:"folder" yaml:"folder"` // a pattern of a folder with {ref}
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
}

// Parse reads and checks a sheet. The error is a *yamldoc.Error that says where.
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

var idShape = regexp.MustCompile(`^[a-z][a-z0-9-]{1,31}$`)

// checker gathers the first thing that is wrong.
type checker struct{ first *yamldoc.Error }

func (c *checker) bad(field, format string, args ...any) {
	if c.first == nil {
		c.first = &yamldoc.Error{What: "sheet", Field: field, Reason: fmt.Sprintf(format, args...)}
	}
}

func (s *Sheet) check() *yamldoc.Error {
	var c checker
	if s.Format != Format {
		c.bad("format", "it is %.40q and this program reads %s", s.Format, Format)
	}
	if !idShape.MatchString(s.ID) {
		c.bad("id", "it is %.40q; 2 to 32 small letters, digits and hyphens are wanted, beginning with a letter", s.ID)
	}
	if s.Name == "" || len(s.Name) > 100 {
		c.bad("name", "it is missing, or longer than 100 bytes")
	}
	if s.Store != "" && !idShape.MatchString(s.Store) {
		c.bad("store", "it is %.40q, not a store's id", s.Store)
	}
	for i, a := range s.Addresses {
		if strings.Count(a, "{ref}") != 1 || strings.HasPrefix(a, "{ref}") {
			c.bad(fmt.Sprintf("addresses[%d]", i), "an address holds {ref} once, behind the store's own name")
		}
	}
	if len(s.Systems) == 0 {
		c.bad("systems", "there is none; a sheet describes at least one of linux, windows and macos")
	}
	for _, name := range slices.Sorted(mapKeys(s.Systems)) {
		field := "systems." + name
		if name != "linux" && name != "windows" && name != "macos" {
			c.bad(field, "linux, windows and macos are known")
		}
		s.Systems[name].check(&c, field)
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

func (s System) check(c *checker, field string) {
	if len(s.Home) == 0 {
		c.bad(field+".home", "there is none; say in which folders the launcher can be installed")
	}
	for i, h := range s.Home {
		l, err := place.Parse(h)
		at := fmt.Sprintf("%s.home[%d]", field, i)
		switch {
		case err != nil:
			c.bad(at, "%v", err)
		case !l.Pattern.Folder || !l.Exact():
			c.bad(at, "it has to be one folder, with a slash at its end and no wildcard")
		}
	}
	if l := s.Libraries; l != nil {
		l.Source.check(c, field+".libraries")
		query(c, field+".libraries.folder", l.Folder, true)
	}
	if t := s.Titles; t != nil {
		t.Source.check(c, field+".titles")
		query(c, field+".titles.ref", t.Ref, true)
		query(c, field+".titles.name", t.Name, true)
		query(c, field+".titles.version", t.Version, false)
		query(c, field+".titles.folder", t.Folder, true)
		if t.Below != "" {
			pattern(c, field+".titles.below", t.Below, "", true)
		}
	}
	if p := s.Prefixes; p != nil {
		pattern(c, field+".prefixes.folder", p.Folder, "{ref}", true)
		if s.Titles == nil {
			c.bad(field+".prefixes", "prefixes belong to titles, and no titles are described")
		}
	}
	if a := s.Accounts; a != nil {
		pattern(c, field+".accounts.folder", a.Folder, "{account}", true)
		if k := a.Known; k != nil {
			k.Source.check(c, field+".accounts.known")
			query(c, field+".accounts.known.id", k.ID, true)
			query(c, field+".accounts.known.name", k.Name, false)
			query(c, field+".accounts.known.in-use", k.InUse, false)
		}
	}
	if w := s.Cloud; w != nil {
		w.Source.check(c, field+".cloud")
		query(c, field+".cloud.on", w.On, true)
	}
}

func (s Source) check(c *checker, field string) {
	pattern(c, field+".files", s.Files, "", false)
	if _, ok := readers[s.As]; !ok {
		c.bad(field+".as", "nothing is read as %.40q; there are %s", s.As, strings.Join(Formats(), ", "))
	}
	query(c, field+".each", s.Each, false)
}

func query(c *checker, field, text string, required bool) {
	if text == "" {
		if required {
			c.bad(field, "it is missing; a JSONPath is wanted, such as $.name")
		}
		return
	}
	if _, err := jsonpath.Parse(text); err != nil {
		c.bad(field, "%.100q is not a JSONPath (RFC 9535), such as $.name: %v", text, err)
	}
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
		c.bad(field, "%s", map[bool]string{true: "a folder has a slash at its end", false: "files have no slash at their end"}[folder])
	case part != "" && !strings.Contains(text, part):
		c.bad(field, "it has to hold %s", part)
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
