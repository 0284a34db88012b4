package published_test

import (
	"io/fs"
	"testing/fstest"
)

// memoryFS is a tree as a file system.
type memoryFS struct{ tree map[string][]byte }

func (m memoryFS) Open(name string) (fs.File, error) {
	all := fstest.MapFS{}
	for path, data := range m.tree {
		all[path] = &fstest.MapFile{Data: data, Mode: 0o644}
	}
	return all.Open(name)
}
