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

// tree is what folders held at one moment, by path as in a trace.
type tree struct {
	entries map[string]fs.FileInfo
	cut     bool // there was more than the limit, and it was left out
}

// treeLimit is how many files and folders are compared; an entry takes about 300
// bytes of memory.
const treeLimit = 500_000

// lookAt lists what lies in the folders, to a depth below each (0 for any), without
// following links. What cannot be read is left out.
func lookAt(folders []string, depth, limit int) *tree {
	t := &tree{entries: map[string]fs.FileInfo{}}
	for _, top := range folders {
		t.walk(filepath.Clean(top), 0, depth, limit, nil)
	}
	return t
}

// walk lists one folder. visit, which may be nil, is told each folder before it is
// listed, and how deep it lies; false leaves its content out.
func (t *tree) walk(folder string, level, depth, limit int, visit func(folder string, level int) bool) {
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
		if len(t.entries) >= limit {
			t.cut = true
			return
		}
		name := filepath.Join(folder, e.Name())
		info, err := e.Info()
		if err != nil {
			continue
		}
		key := slashed(name)
		t.entries[key] = info
		if info.IsDir() {
			t.walk(name, level+1, depth, limit, visit)
		}
	}
}

// slashed is a path as a trace has it.
func slashed(name string) string {
	if runtime.GOOS == "windows" {
		return strings.ReplaceAll(name, `\`, "/")
	}
	return name
}

// difference is a path that is not the same in two trees.
type difference struct {
	path          string
	before, after fs.FileInfo // nil where it is not there
}

// since finds what is not the same as in an earlier tree, by path.
func (t *tree) since(before *tree) (list []difference) {
	for path, now := range t.entries {
		was := before.entries[path]
		if was == nil || !sameInfo(was, now) {
			list = append(list, difference{path, was, now})
		}
	}
	if !t.cut {
		for path, was := range before.entries {
			if t.entries[path] == nil {
				list = append(list, difference{path, was, nil})
			}
		}
	}
	slices.SortFunc(list, func(a, b difference) int { return strings.Compare(a.path, b.path) })
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

func (d difference) happenedAt(start time.Time, now time.Duration) time.Duration {
	if d.after == nil {
		return now
	}
	return min(max(d.after.ModTime().Sub(start), 0), now)
}

// stateOfInfo is a state without content.
func stateOfInfo(info fs.FileInfo) trace.State {
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
