//go:build !linux

package machine

import (
	"io/fs"
	"os"
	"path/filepath"
)

func really(folder string) (string, error) { return filepath.EvalSymlinks(folder) }

// Files with several names, and folders that are mounted twice, are distinguished on Linux
// alone.
type fileID struct{}

func otherNames(fs.FileInfo) (fileID, bool) { return fileID{}, false }

func identify(string) (fileID, bool) { return fileID{}, false }

type mountTable struct{}

func readMounts() mountTable { return mountTable{} }

func (mountTable) others(string) []string { return nil }

// nameOf is where an open file really is: where its name leads.
func nameOf(f *os.File) (string, error) { return filepath.EvalSymlinks(f.Name()) }
