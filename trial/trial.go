// Package trial tries locations on a home: what each finds there, what of that looks
// foreign, and what lies beside it in the title's folders and is covered by none. A second
// person runs it before confirming, and a reviewer before accepting.
//
//	t, err := trial.Run(ctx, finder, trial.Where{Roots: roots}, trial.OfDraft(d))
package trial

import (
	"context"
	"fmt"
	"io"
	"io/fs"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"endroit/core/content"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/machine"
)

// Format is the version of a trial.
const Format = "endroit/tried/1"

const (
	// maxBeside is how many files are listed that lie beside, and maxWalked how many are
	// looked at in all.
	maxBeside = 50
	maxWalked = 20_000
	// maxRead is how many files of a location are looked into.
	maxRead = 200
)

// Location is one to try.
type Location struct {
	At    place.Location
	Holds string
	Seen  []string // places of the files that it was made from; none if they are not known
}

// Where is the home that is tried.
type Where struct {
	Roots  place.Roots
	Prefix *machine.Prefix // for a Windows build; nil for a native one
}

// Trial is what came out.
type Trial struct {
	Format    string    `json:"format"`
	Title     string    `json:"title"`
	Locations []Outcome `json:"locations"`
	// Beside are files in the title's own folders that no location covers, the newest first;
	// BesideMore is how many more there are.
	Beside     []Beside `json:"beside"`
	BesideMore int      `json:"beside_more,omitempty"`
}

// Outcome is what a location comes to.
type Outcome struct {
	At    string `json:"at"`
	Holds string `json:"holds"`
	machine.Found
	Error   string    `json:"error,omitempty"` // why it could not be tried
	Foreign []Foreign `json:"foreign"`
}

// Foreign is a file that does not look like those that the location was made from.
type Foreign struct {
	Path string `json:"path"`
	Why  string `json:"why"`
}

// Beside is a file that no location covers.
type Beside struct {
	Path string `json:"path"`
	Size int64  `json:"size"`
}

// OfDraft are the locations of a draft.
func OfDraft(d *draft.Draft) (list []Location) {
	for _, l := range d.Locations {
		at, err := l.Place()
		if err != nil {
			continue // a checked draft has none
		}
		out := Location{At: at, Holds: l.Holds}
		for _, s := range l.Seen {
			if i := strings.LastIndex(s, " ("); i > 0 {
				out.Seen = append(out.Seen, s[:i])
			}
		}
		list = append(list, out)
	}
	return list
}

// OfTitle are the recorded locations of a title's variants for a system and a runtime, each
// once.
func OfTitle(t *manifest.Title, os, runtime string) (list []Location) {
	for _, v := range t.Variants {
		if v.OS != os || v.Runtime != runtime {
			continue
		}
		for _, l := range v.Locations {
			at, err := place.Parse(l.At)
			if err == nil && !slices.ContainsFunc(list, func(o Location) bool { return o.At.String() == l.At }) {
				list = append(list, Location{At: at, Holds: l.Holds})
			}
		}
	}
	return list
}

// Run tries the locations. The error is the context's alone; what keeps one location from
// being tried stands in its outcome.
func Run(ctx context.Context, f *machine.Finder, w Where, title string, list []Location) (*Trial, error) {
	t := &Trial{Format: Format, Title: title, Locations: []Outcome{}, Beside: []Beside{}}
	covered := map[string]bool{}
	for _, l := range list {
		o := Outcome{At: l.At.String(), Holds: l.Holds, Foreign: []Foreign{}}
		var err error
		if w.Prefix != nil {
			o.Found, err = f.FindIn(ctx, w.Prefix, l.At, nil)
		} else {
			o.Found, err = f.Find(ctx, w.Roots, l.At, nil)
		}
		if ctx.Err() != nil {
			return nil, ctx.Err()
		}
		if err != nil {
			o.Error = err.Error()
		}
		if o.Files == nil {
			o.Files = []machine.File{}
		}
		for i, x := range o.Files {
			covered[x.Path] = true
			if why := foreign(f, w, l, x, i < maxRead); why != "" {
				o.Foreign = append(o.Foreign, Foreign{x.Path, why})
			}
		}
		t.Locations = append(t.Locations, o)
	}
	return t, t.beside(ctx, w, list, covered)
}

// foreign says why a file is unlike those that a location was made from; empty if it is not.
func foreign(f *machine.Finder, w Where, l Location, x machine.File, read bool) string {
	ext := strings.ToLower(path.Ext(filepath.Base(x.Path)))
	if len(l.Seen) > 0 && !l.At.Pattern.Folder {
		known := slices.ContainsFunc(l.Seen, func(s string) bool { return strings.ToLower(path.Ext(s)) == ext })
		if !known {
			return fmt.Sprintf("none of the files that it was made from ends in %q", ext)
		}
	}
	if !read || l.Holds == draft.Capture {
		return ""
	}
	roots := w.Roots
	if w.Prefix != nil {
		roots = w.Prefix.Roots
	}
	file, err := f.Open(roots, x)
	if err != nil {
		return ""
	}
	defer file.Close() //nolint:errcheck // read only
	head, err := io.ReadAll(io.LimitReader(file, content.HeadSize))
	if err != nil {
		return ""
	}
	if looks := content.Looks(head); footprint.CameAlong(looks) {
		return "it looks like a " + looks
	}
	return ""
}

// beside lists what lies in the title's own folders and is covered by no location.
func (t *Trial) beside(ctx context.Context, w Where, list []Location, covered map[string]bool) error {
	roots := w.Roots
	if w.Prefix != nil {
		roots = w.Prefix.Roots
	}
	var folders []string
	for _, l := range list {
		folder, ok := own(roots, l.At)
		if ok && !slices.ContainsFunc(folders, func(o string) bool { return folder == o || strings.HasPrefix(folder, o+"/") }) {
			folders = append(folders, folder)
		}
	}
	type found struct {
		Beside
		at int64
	}
	var all []found
	walked := 0
	for _, folder := range folders {
		err := filepath.WalkDir(folder, func(p string, e fs.DirEntry, err error) error {
			if walked++; walked > maxWalked || ctx.Err() != nil {
				return filepath.SkipAll
			}
			if err != nil || !e.Type().IsRegular() || covered[p] {
				return nil // a folder that may not be listed, or a link: not followed
			}
			info, err := e.Info()
			if err == nil {
				all = append(all, found{Beside{p, info.Size()}, info.ModTime().UnixNano()})
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
	slices.SortStableFunc(all, func(a, b found) int {
		switch {
		case a.at > b.at:
			return -1
		case a.at < b.at:
			return 1
		}
		return strings.Compare(a.Path, b.Path)
	})
	for i, x := range all {
		if i == maxBeside {
			t.BesideMore = len(all) - maxBeside
			break
		}
		t.Beside = append(t.Beside, x.Beside)
	}
	return ctx.Err()
}

// own is the folder of the title that a location lies in: the names that single it out
// below the anchor, as far as they are fixed.
func own(roots place.Roots, l place.Location) (string, bool) {
	top, ok := roots[l.Anchor]
	if !ok || l.Anchor == place.Registry {
		return "", false
	}
	depth := footprint.TitleDepth(l.Anchor)
	segments := l.Pattern.Segments
	if !l.Pattern.Folder {
		segments = segments[:len(segments)-1]
	}
	if depth == 0 { // the anchor is the title's: only the folder that the location names
		depth = 1
	}
	if len(segments) < depth {
		return "", false
	}
	for _, s := range segments[:depth] {
		if len(s) != 1 || s[0].Kind != place.Literal {
			return "", false
		}
		top += "/" + s[0].Text
	}
	return top, true
}
