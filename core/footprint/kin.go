package footprint

import (
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"endroit/core/trace"
)

// besideIDs are the findings that files of one kind give the undecided ones that are kept in
// the same way beside them.
var besideIDs = map[Kind]string{Save: "beside-saves", Config: "beside-settings", Capture: "beside-pictures"}

// withSave is the finding on a file that is always written together with progress.
const withSave = "written-with-a-save"

// togetherWithin is how far apart the writes of files that are saved together may be.
const togetherWithin = 2 * time.Second

// fromKin gives undecided files what the files beside them show: a program keeps what has
// one ending of its own, in one folder, for one purpose, and what it always writes in one go
// with progress, in a folder that has nothing else, is a part of it.
func fromKin(files []File) {
	folders := map[string]*folder{}
	for i := range files {
		x := &files[i]
		if x.Written() && x.After.Is != trace.IsKey {
			at := path.Dir(x.Name())
			if folders[at] == nil {
				folders[at] = &folder{kin: map[string]*File{}, saved: map[[2]time.Duration]*File{}}
			}
			folders[at].add(x)
		}
	}
	for i := range files {
		x := &files[i]
		f := folders[path.Dir(x.Name())]
		if f == nil || x.Kind != Unknown || x.Judged != nil || !x.Written() || x.After.Is == trace.IsKey {
			continue
		}
		if found, ok := f.says(x); ok {
			x.Findings = append(x.Findings, found)
			x.Kind, x.Confidence, x.Reasons = Decide(x.Findings)
		}
	}
}

// folder is what the files of one folder say of those among them that are undecided.
type folder struct {
	kin    map[string]*File           // by what makes files alike; nil if they are kept for several purposes
	saved  map[[2]time.Duration]*File // progress by when it was first and last written
	others bool                       // it has what is not progress
}

func (f *folder) add(x *File) {
	switch {
	case x.Kind == Temp || x.Kind == Lock || x.Kind == Unknown:
		return
	case !x.Sure():
		f.others = true
		return
	case x.Kind != Save:
		f.others = true
	case x.Before.Size > 0:
		f.saved[[2]time.Duration{x.FirstWrite / togetherWithin, x.LastWrite / togetherWithin}] = x
	}
	for _, like := range likeness(x.Name()) {
		if o, seen := f.kin[like]; seen && (o == nil || o.Kind != x.Kind) {
			f.kin[like] = nil
		} else if !seen {
			f.kin[like] = x
		}
	}
}

func (f *folder) says(x *File) (Finding, bool) {
	for _, e := range weighed(x.Findings) {
		if e.Weight > 0 && !e.Kind.OfInterest() {
			return Finding{}, false // it is undecided since something points elsewhere
		}
	}
	for _, like := range likeness(x.Name()) {
		if o := f.kin[like]; o != nil {
			return Finding{ID: besideIDs[o.Kind], Facts: Facts{Word: path.Base(o.Name())}}, true
		}
	}
	if f.others || x.Before.Size == 0 || !strings.Contains(path.Dir(x.Name()), "/") {
		return Finding{}, false
	}
	for first := x.FirstWrite/togetherWithin - 1; first <= x.FirstWrite/togetherWithin+1; first++ {
		for last := x.LastWrite/togetherWithin - 1; last <= x.LastWrite/togetherWithin+1; last++ {
			if o := f.saved[[2]time.Duration{first, last}]; o != nil && writtenTogether(o, x) {
				return Finding{ID: withSave, Facts: Facts{Word: path.Base(o.Name())}}, true
			}
		}
	}
	return Finding{}, false
}

// writtenTogether reports whether two files were written at the same times.
func writtenTogether(a, b *File) bool {
	apart := func(s, t time.Duration) bool { return max(s-t, t-s) > togetherWithin }
	return !apart(a.FirstWrite, b.FirstWrite) && !apart(a.LastWrite, b.LastWrite)
}

// Alike reports whether two files of one folder have the same ending, and no format that
// many programs use for many things; or else the same name but for its numbers.
func Alike(a, b string) bool {
	of := likeness(a)
	return slices.ContainsFunc(likeness(b), func(like string) bool { return slices.Contains(of, like) })
}

// likeness is what files of one folder that are kept in the same way have in common.
func likeness(name string) []string {
	name = strings.ToLower(path.Base(name))
	list := []string{kinShapes().digits.ReplaceAllString(name, "0")}
	if ext := path.Ext(name); ext != "" && ext != name && !kinShapes().formats.MatchString(ext) {
		list = append(list, "*"+ext)
	}
	return list
}

var kinShapes = sync.OnceValue(func() (p struct{ digits, formats *regexp.Regexp }) {
	p.digits = regexp.MustCompile(`[0-9]+`)
	p.formats = regexp.MustCompile(`^\.(` + strings.Join(strings.Fields(`
		dat data bin bytes txt text json jsonl xml html? ini cfg conf config ya?ml toml properties prefs plist
		db db3 sqlite3? db-(wal|shm|journal) lua py js rb scm lst list csv tsv md rtf log tmp temp bak old orig new prev
		png jpe?g bmp gif webp tga dds ico svg gz bz2 xz zst z zip 7z tar pak wad wav ogg opus mp3 flac mid
		ttf otf lock pid cache idx index key pem crt dll exe so dylib [0-9]+`), `|`) + `)$`)
	return p
})
