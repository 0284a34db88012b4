package machine

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
)

// errNoFolder says that something else is in a folder's place.
var errNoFolder = errors.New("not a directory")

// errLeadsOut says that a link leads out of the base.
var errLeadsOut = errors.New("it leads out of the folder")

// base is an open folder below which names are looked up. A link is followed as
// far as it stays below; one that leads out is an error.
type base interface {
	// stat looks at what the names lead to.
	stat(names []string) (fs.FileInfo, error)
	// folder opens a folder; no names mean the base's own.
	folder(names []string) (folder, error)
	// open opens the regular observed file under these names, and no other.
	open(names []string, was fs.FileInfo) (*os.File, error)
	// read reads a regular file, at most max bytes and one.
	read(names []string, most int) (reading, error)
	close()
}

// Errors of a file that is opened.
var (
	errNoFile    = errors.New("it is not a regular file")
	errExchanged = errors.New("the file was replaced after it was found")
)

// reading is what was read of a file in one go.
type reading struct {
	data  []byte
	after fs.FileInfo // how the file was then
	same  bool        // it was so before too
}

// readBetween reads an open file, with a look at it before; after looks at it again.
func readBetween(f *os.File, most int, after func() (fs.FileInfo, error)) (r reading, err error) {
	before, err := f.Stat()
	if err != nil {
		return r, err
	}
	if !before.Mode().IsRegular() {
		return r, errNoFile
	}
	if r.data, err = io.ReadAll(io.LimitReader(f, int64(most)+1)); err != nil {
		return r, err
	}
	if r.after, err = after(); err != nil {
		return r, err
	}
	r.same = os.SameFile(before, r.after) && before.Size() == r.after.Size() && before.ModTime().Equal(r.after.ModTime())
	return r, nil
}

// folder is an open folder of a base.
type folder interface {
	// lstat looks at a name in it, and follows no link.
	lstat(name string) (fs.FileInfo, error)
	// list gives what is in it; with an error, as far as it could be read.
	list() ([]entry, error)
	close()
}

// entry is a name in a folder.
type entry struct {
	name string
	// kind is the type as far as the folder tells, fs.ModeIrregular if it does not.
	kind fs.FileMode
	info fs.FileInfo // nil if nobody has looked yet
}

// branch is a folder of a base that a walk has come to.
type branch struct {
	base  base
	dir   folder
	names []string // from the base's own folder
	path  string   // on the disk
}

// openBranch opens a folder of a base as a walk's beginning. path is where it is.
func openBranch(t base, path string, names []string) (branch, error) {
	dir, err := t.folder(names)
	return branch{t, dir, names, path}, err
}

// at is where a name in the folder is on the disk.
func (b branch) at(name string) string {
	if strings.HasSuffix(b.path, string(filepath.Separator)) {
		return b.path + name
	}
	return b.path + string(filepath.Separator) + name
}

// stat looks at what a name in the folder is, or leads to; linked says that it leads.
func (b branch) stat(name string) (info fs.FileInfo, linked bool, err error) {
	info, err = b.dir.lstat(name)
	if err == nil && info.Mode()&fs.ModeSymlink != 0 {
		info, err = b.base.stat(with(b.names, name))
		return info, true, err
	}
	return info, false, err
}

// look is stat for what list gave.
func (b branch) look(e entry) (info fs.FileInfo, linked bool, err error) {
	if e.info == nil || e.kind&fs.ModeSymlink != 0 {
		return b.stat(e.name)
	}
	return e.info, false, nil
}

// kind is what a name in the folder is, or leads to; nothing is looked at where list
// has told.
func (b branch) kind(e entry) (fs.FileMode, error) {
	if e.kind&(fs.ModeSymlink|fs.ModeIrregular) == 0 {
		return e.kind, nil
	}
	info, _, err := b.stat(e.name)
	if err != nil {
		return 0, err
	}
	return info.Mode().Type(), nil
}

// isFolder reports whether what list gave is a folder, and no link to one.
func (b branch) isFolder(e entry) bool {
	if e.kind != fs.ModeIrregular {
		return e.kind.IsDir()
	}
	info, err := b.dir.lstat(e.name)
	return err == nil && info.IsDir()
}

// into opens a folder in the folder.
func (b branch) into(name string) (branch, error) {
	names := with(b.names, name)
	dir, err := b.base.folder(names)
	return branch{b.base, dir, names, b.at(name)}, err
}

func (b branch) list() ([]entry, error) { return b.dir.list() }

// close closes what into or openBranch opened.
func (b branch) close() { b.dir.close() }

// rooted is a base by way of os.Root, on every system.
type rooted struct{ root *os.Root }

func openRooted(path string) (base, error) {
	root, err := os.OpenRoot(path)
	return rooted{root}, err
}

func (t rooted) stat(names []string) (fs.FileInfo, error) {
	return t.root.Stat(filepath.Join(names...))
}

func (t rooted) folder(names []string) (folder, error) {
	path := filepath.Join(append([]string{"."}, names...)...)
	// Opening a pipe would wait for who writes to it.
	info, err := t.root.Stat(path)
	if err == nil && !info.IsDir() {
		err = &fs.PathError{Op: "open", Path: path, Err: errNoFolder}
	}
	if err != nil {
		return nil, err
	}
	root, err := t.root.OpenRoot(path)
	return rootedFolder{root}, err
}

func (t rooted) open(names []string, was fs.FileInfo) (*os.File, error) {
	path := filepath.Join(names...)
	// Opening a pipe would wait for who writes to it.
	if info, err := t.root.Stat(path); err == nil && !info.Mode().IsRegular() {
		return nil, errNoFile
	}
	f, err := t.root.Open(path)
	if err != nil {
		return nil, err
	}
	info, err := f.Stat()
	if err == nil && !os.SameFile(info, was) {
		err = errExchanged
	}
	if err != nil {
		_ = f.Close()
		return nil, err
	}
	return f, nil
}

func (t rooted) read(names []string, most int) (reading, error) {
	path := filepath.Join(names...)
	// Opening a pipe would wait for who writes to it.
	if info, err := t.root.Stat(path); err == nil && !info.Mode().IsRegular() {
		return reading{}, errNoFile
	}
	f, err := t.root.Open(path)
	if err != nil {
		return reading{}, err
	}
	defer f.Close()
	return readBetween(
		f, most, func() (fs.FileInfo, error) { return t.root.Stat(path) },
	) // by its name: it may have been replaced
}

func (t rooted) close() { _ = t.root.Close() }

type rootedFolder struct{ root *os.Root }

func (f rootedFolder) lstat(name string) (fs.FileInfo, error) { return f.root.Lstat(name) }

func (f rootedFolder) list() ([]entry, error) {
	dir, err := f.root.Open(".")
	if err != nil {
		return nil, err
	}
	defer dir.Close()
	names, err := dir.ReadDir(-1)
	all := make([]entry, 0, len(names))
	for _, e := range names {
		info, gone := e.Info()
		if errors.Is(gone, fs.ErrNotExist) {
			continue
		}
		if runtime.GOOS == "windows" {
			info = nil // it tells which file it is by a path that leads there only from the folder
		}
		all = append(all, entry{e.Name(), e.Type(), info})
	}
	return all, err
}

func (f rootedFolder) close() { _ = f.root.Close() }

// bases keeps bases open that are used again and again. It is safe for concurrent
// use.
type bases struct {
	lock sync.Mutex
	open map[string]base
}

// maxBases bounds the files that are open for it.
const maxBases = 64

// of opens a base; done has to be called after use.
func (t *bases) of(path string) (opened base, done func(), err error) {
	if t == nil {
		opened, err = openBase(path)
		if err != nil {
			return nil, nil, err
		}
		return opened, opened.close, nil
	}
	t.lock.Lock()
	defer t.lock.Unlock()
	if known := t.open[path]; known != nil {
		return known, func() {}, nil
	}
	if opened, err = openBase(path); err != nil {
		return nil, nil, err
	}
	if len(t.open) == maxBases {
		return opened, opened.close, nil
	}
	if t.open == nil {
		t.open = map[string]base{}
	}
	t.open[path] = opened
	return opened, func() {}, nil
}

// close closes all.
func (t *bases) close() {
	for _, opened := range t.open {
		opened.close()
	}
}
