//go:build !linux

package machine

import (
	"errors"
	"io"
	"os"
)

func openBase(path string) (base, error) { return openRooted(path) }

// listFolder gives what is in a folder, at most most names; with an error, as far as
// it could be read.
func listFolder(path string, most int) ([]entry, error) {
	f, err := os.Open(path)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	names, err := f.ReadDir(most)
	if errors.Is(err, io.EOF) {
		err = nil
	}
	all := make([]entry, len(names))
	for i, e := range names {
		all[i] = entry{name: e.Name(), kind: e.Type()}
	}
	return all, err
}
