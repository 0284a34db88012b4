package copyrecord

import (
	"fmt"
	"strings"

	"endroit/core/filename"
	"endroit/core/place"
)

// maxStored bounds the whole path of a file in a copy, in bytes.
const maxStored = 600

// maxUsual is how long a path gets before its file is put into a folder of long ones:
// Windows' programs read paths of up to 259 characters, with the copy's folder.
const maxUsual = 180

// Names gives files of a copy their paths in it: such that each is readable, possible on
// every system, and no other's, also where letters' case is no difference.
type Names struct {
	files   map[string]bool // folded
	folders map[string]bool
	others  int
}

// Next gives the path for the file at a place.
func (n *Names) Next(anchor place.Anchor, names []string) string {
	if n.files == nil {
		n.files, n.folders = map[string]bool{FileName: true}, map[string]bool{}
	}
	parts := []string{string(anchor)}
	for _, name := range names {
		parts = append(parts, filename.Portable(name))
	}
	path := strings.Join(parts, "/")
	for len(path) > maxUsual || n.taken(path) {
		n.others++
		path = fmt.Sprintf("other/%d/%s", n.others, parts[len(parts)-1])
	}
	key := filename.Fold(path)
	n.files[key] = true
	for folder := range above(key) {
		n.folders[folder] = true
	}
	return path
}

func (n *Names) taken(path string) bool {
	key := filename.Fold(path)
	if n.files[key] || n.folders[key] {
		return true
	}
	for folder := range above(key) {
		if n.files[folder] {
			return true
		}
	}
	return false
}

// above yields the folders on the way to a path, the closest first.
func above(path string) func(yield func(string) bool) {
	return func(yield func(string) bool) {
		for {
			cut := strings.LastIndexByte(path, '/')
			if cut < 0 {
				return
			}
			if path = path[:cut]; !yield(path) {
				return
			}
		}
	}
}
