package capture

import (
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"endroit/core/trace"
)

// Tree is what folders held at one moment, by path as in a trace.
type Tree struct {
	Entries map[string]fs.FileInfo
	Cut     bool // there was more than the limit, and it was left out
}

// TreeLimit is how many files and folders are compared; an entry takes about 300
// bytes of memory.
const TreeLimit = 500_000

// ScanFolders lists what lies in the folders, to a depth below each (0 for any), without
// following links. What cannot be read is left out.
func ScanFolders(folders []string, depth, limit int) *Tree {
	t := &Tree{Entries: map[string]fs.FileInfo{}}
	for _, top := range folders {
		t.Walk(filepath.Clean(top), 0, depth, limit, nil)
	}
	return t
}

// Walk lists one folder. visit, which may be nil, is called with each folder before it is
// listed, and how deep it lies; false leaves its content out.
func (t *Tree) Walk(folder string, level, depth, limit int, visit func(folder string, level int) bool) {
	if depth > 0 && level >= depth {
		return
	}
	if visit != nil && !visit(folder, level) {
		return
	}
	entries, err := os.ReadDir(folder)
	if err != nil {
		return
	}
	for _, e := range entries {
		if len(t.Entries) >= limit {
			t.Cut = true
			return
		}
		name := filepath.Join(folder, e.Name())
		info, err := e.Info()
		if err != nil {
			continue
		}
		key := TracePath(name)
		t.Entries[key] = info
		if info.IsDir() {
			t.Walk(name, level+1, depth, limit, visit)
		}
	}
}

// TracePath is a path as a trace has it.
func TracePath(name string) string {
	if runtime.GOOS == "windows" {
		return strings.ReplaceAll(name, `\`, "/")
	}
	return name
}

// Difference is a path that is not the same in two trees.
type Difference struct {
	Path          string
	Before, After fs.FileInfo // nil where it is not there
}

// DiffSince finds what is not the same as in an earlier tree, by path.
func (t *Tree) DiffSince(before *Tree) (list []Difference) {
	for path, now := range t.Entries {
		was := before.Entries[path]
		if was == nil || !sameInfo(was, now) {
			list = append(list, Difference{path, was, now})
		}
	}
	if !t.Cut {
		for path, was := range before.Entries {
			if t.Entries[path] == nil {
				list = append(list, Difference{path, was, nil})
			}
		}
	}
	slices.SortFunc(list, func(a, b Difference) int { return strings.Compare(a.Path, b.Path) })
	return list
}

// sameInfo reports whether nothing tells two looks at a path apart. The time of a
// folder changes with what is in it, so it says nothing of its own.
func sameInfo(a, b fs.FileInfo) bool {
	if a.IsDir() && b.IsDir() {
		return true
	}
	return a.Mode().Type() == b.Mode().Type() && a.Size() == b.Size() && a.ModTime().Equal(b.ModTime())
}

func (d Difference) HappenedAt(start time.Time, now time.Duration) time.Duration {
	if d.After == nil {
		return now
	}
	return min(max(d.After.ModTime().Sub(start), 0), now)
}

// StateOfInfo is a state without content.
func StateOfInfo(info fs.FileInfo) trace.State {
	if info == nil {
		return trace.State{Is: trace.IsAbsent}
	}
	s := trace.State{Is: trace.IsOther, Time: info.ModTime().UTC()}
	switch {
	case info.Mode().IsRegular():
		s.Is, s.Size = trace.IsFile, info.Size()
	case info.IsDir():
		s.Is = trace.IsFolder
	case info.Mode()&fs.ModeSymlink != 0:
		s.Is = trace.IsLink
	}
	return s
}
