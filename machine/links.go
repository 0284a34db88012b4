package machine

import (
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"sync"
)

// links follows the links of many paths, and remembers where they led: they have most
// of their folders in common. What was seen counts as long as it lives, so one is made
// for one survey. A nil one remembers nothing. It is safe for concurrent use.
type links struct {
	lock sync.Mutex
	ends map[string]end // by the path
}

// end is what a path leads to.
type end struct {
	real   string // the path without links
	folder bool
}

// follow gives a path without links, as filepath.EvalSymlinks does.
func (l *links) follow(path string) (string, error) {
	if !l.takes(path) {
		return filepath.EvalSymlinks(path)
	}
	e, err := l.end(path)
	return e.real, err
}

// folder reports whether what a path leads to is a folder.
func (l *links) folder(path string) (bool, error) {
	if !l.takes(path) {
		info, err := os.Stat(path)
		return err == nil && info.IsDir(), err
	}
	e, err := l.end(path)
	return e.folder, err
}

// takes reports whether a path's folder is the path without its last name: behind a
// link .. is not what it looks like.
func (l *links) takes(path string) bool {
	return l != nil && runtime.GOOS != "windows" && filepath.IsAbs(path) && filepath.Clean(path) == path
}

func (l *links) end(path string) (end, error) {
	if path == "/" {
		return end{path, true}, nil
	}
	l.lock.Lock()
	known, ok := l.ends[path]
	l.lock.Unlock()
	if ok {
		return known, nil
	}
	folder := filepath.Dir(path)
	in, err := l.end(folder)
	if err != nil {
		return end{}, err
	}
	resolved := path
	if in.real != folder {
		resolved = filepath.Join(in.real, filepath.Base(path))
	}
	info, err := os.Lstat(resolved)
	if err == nil && info.Mode()&fs.ModeSymlink != 0 {
		if resolved, err = filepath.EvalSymlinks(resolved); err == nil {
			info, err = os.Lstat(resolved)
		}
	}
	if err != nil {
		return end{}, err
	}
	e := end{resolved, info.IsDir()}
	l.lock.Lock()
	defer l.lock.Unlock()
	if l.ends == nil {
		l.ends = map[string]end{}
	}
	l.ends[path] = e
	return e, nil
}
