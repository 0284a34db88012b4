package copyplan

import (
	"slices"

	"endroit/core/place"
)

// Build says which build of a title a variant is, as far as its files depend on it.
type Build struct{ Store, Reference, OS, Runtime string }

// system is the system that the build was made for: a Windows build is one inside a prefix
// too.
func (b Build) system() string {
	if b.Runtime == "prefix" {
		return "windows"
	}
	return b.OS
}

// same reports whether two variants are one build.
func (b Build) same(o Build) bool {
	return b.system() == o.system() && b.Store == o.Store && b.Reference == o.Reference
}

// Kept is a location that a variant keeps something in. Notes is a digest of the notes on
// the structure of its files, empty if there are none.
type Kept struct {
	At    place.Location
	Holds string
	Notes string
}

// Route is the way from a location of one variant to one of another, by their indexes.
type Route struct {
	From, To int
	Shown    bool   // the record shows that the files are the same
	Why      string // what shows it, or what would
}

// What shows, or would show, that files are the same.
const (
	byBuild = "both variants are the same build, and keep them in the same place"
	byNotes = "the accepted notes on the structure of both are the same"
	Would   = "notes on the structure of the files that are accepted for both variants and are the same would show it " +
		"(endroit notes; docs/notes.md)"
)

// Routes finds for each location of one variant the location of another that keeps the same
// files: at the same place, or with the same notes on their structure, or, which shows
// nothing, the only one there that holds the same kind of thing. alone are those of from
// that have none.
//
// What a key of the registry keeps goes to a key, and files go to files.
func Routes(from, to Build, a, b []Kept) (routes []Route, alone []int) {
	taken := map[int]bool{}
	for i, x := range a {
		find := func(b []Kept, taken map[int]bool, fits func(Kept) bool) int {
			return find(b, taken, func(y Kept) bool {
				return (x.At.Anchor == place.Registry) == (y.At.Anchor == place.Registry) && fits(y)
			})
		}
		j := find(b, taken, func(y Kept) bool { return y.At.String() == x.At.String() && y.Holds == x.Holds })
		if j < 0 && x.Notes != "" {
			j = find(b, taken, func(y Kept) bool { return y.Notes == x.Notes && y.Holds == x.Holds })
		}
		if j < 0 && single(a, x.Holds) && single(b, x.Holds) {
			j = find(b, taken, func(y Kept) bool { return y.Holds == x.Holds })
		}
		if j < 0 {
			alone = append(alone, i)
			continue
		}
		taken[j] = true
		r := Route{From: i, To: j, Why: Would}
		switch y := b[j]; {
		case y.At.String() == x.At.String() && from.same(to):
			r.Shown, r.Why = true, byBuild
		case x.Notes != "" && x.Notes == y.Notes:
			r.Shown, r.Why = true, byNotes
		}
		routes = append(routes, r)
	}
	return routes, alone
}

func find(list []Kept, taken map[int]bool, fits func(Kept) bool) int {
	for i, k := range list {
		if !taken[i] && fits(k) {
			return i
		}
	}
	return -1
}

// single reports whether just one location holds something.
func single(list []Kept, holds string) bool {
	i := slices.IndexFunc(list, func(k Kept) bool { return k.Holds == holds })
	return i >= 0 && !slices.ContainsFunc(list[i+1:], func(k Kept) bool { return k.Holds == holds })
}

// Translate gives the names of a file below the anchor of the location that a route leads
// to. values are what named parts stand for there: the user, the account, the reference.
func Translate(from, to place.Location, names []string, values place.Captures) ([]string, error) {
	texts, below, ok := from.Texts(names)
	if !ok {
		return nil, errNotCovered(from)
	}
	had := map[string]bool{}
	for i, t := range texts {
		if t.Kind != place.Named {
			continue
		}
		had[t.Name] = true
		if value, ok := values[t.Name]; ok {
			texts[i].Value = value
		}
	}
	for name, value := range values {
		if !had[name] {
			texts = append(texts, place.Text{Kind: place.Named, Name: name, Value: value})
		}
	}
	return to.Make(texts, below)
}

type errNotCovered place.Location

func (e errNotCovered) Error() string { return place.Location(e).String() + " does not cover it" }
