package copies

import (
	"errors"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"sync"

	"endroit/copies/disk"
)

// openFolders keeps the folders of a copy open in which files are made, linked or read, one
// after the other. It is safe for concurrent use.
type openFolders struct {
	root *os.Root // the copy's folder
	mu   sync.Mutex
	open map[string]*openFolder // by name below the copy; nil for what cannot be opened
}

type openFolder struct {
	root *os.Root
	file *os.File
}

// maxOpen bounds the folders of a copy that stay open.
const maxOpen = 256

// of is the folder with a name below the copy's; nil if it cannot be opened, or too many are.
func (o *openFolders) of(name string) *openFolder {
	o.mu.Lock()
	defer o.mu.Unlock()
	if f, known := o.open[name]; known || o.root == nil || len(o.open) == maxOpen {
		return f
	}
	if o.open == nil {
		o.open = map[string]*openFolder{}
	}
	f := &openFolder{}
	var err error
	if f.root, err = o.root.OpenRoot(filepath.FromSlash(name)); err != nil {
		return nil
	}
	if f.file, err = f.root.Open("."); err != nil {
		_ = f.root.Close()
		return nil
	}
	o.open[name] = f
	return f
}

func (o *openFolders) close() {
	for _, f := range o.open {
		_ = f.file.Close()
		_ = f.root.Close()
	}
	if o.root != nil {
		_ = o.root.Close()
	}
}

// at is the folder in which a file of the copy is, or is to be, with its name there; where it
// cannot be kept open, the copy's, with the way from it.
func (o *openFolders) at(stored string) (folder *os.Root, name string) {
	if f := o.of(path.Dir(stored)); f != nil {
		return f.root, path.Base(stored)
	}
	return o.root, filepath.FromSlash(stored)
}

// lstat looks at a file of the copy.
func (o *openFolders) lstat(stored string) (fs.FileInfo, error) {
	folder, name := o.at(stored)
	return folder.Lstat(name)
}

// regular opens a regular file of the copy.
func (o *openFolders) regular(stored string) (*os.File, error) {
	folder, name := o.at(stored)
	return openRegular(folder, name)
}

// link gives a file of one copy a further name in another.
func (o *openFolders) link(stored string, to *openFolders, as string) error {
	from, into := o.of(path.Dir(stored)), to.of(path.Dir(as))
	link := func() error {
		if from != nil && into != nil && disk.CanMove {
			return disk.Link(from.file, path.Base(stored), into.file, path.Base(as))
		}
		// By their paths: a copy's folder is nobody's who could exchange it.
		return os.Link(filepath.Join(o.root.Name(), filepath.FromSlash(stored)), filepath.Join(to.root.Name(), filepath.FromSlash(as)))
	}
	err := link()
	if errors.Is(err, fs.ErrExist) { // of an earlier try
		_ = disk.Remove(to.root, filepath.FromSlash(as))
		err = link()
	}
	return err
}
