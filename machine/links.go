package machine

import (
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
)

// links follows the links of many paths, and remembers what lies on the way: they
// have most of it in common. What was seen counts as long as it lives, so one is
// made for one survey. A nil one remembers nothing. It is safe for concurrent use.
type links struct {
	lock sync.Mutex
	seen map[string]step // by paths without a link before their last name
}

// step is what a name on the way is.
type step struct {
	to     string // where a link points
	folder bool
}

// maxLinks is how many links a path may go through, as the kernel has it
// (path_resolution(7)).
const maxLinks = 40

var errLoops = errors.New("it goes through too many links")

// follow gives a path without links, as filepath.EvalSymlinks does.
func (l *links) follow(path string) (string, error) {
	if l == nil || runtime.GOOS == "windows" || !filepath.IsAbs(path) {
		return filepath.EvalSymlinks(path)
	}
	failed := func(err error) (string, error) { return "", &fs.PathError{Op: "follow", Path: path, Err: err} }
	at, folder, passed := "", true, 0 // at is empty for the top
	for rest := path; rest != ""; {
		var name string
		name, rest, _ = strings.Cut(rest, "/")
		switch {
		case name == "" || name == "." && folder:
			continue
		case !folder:
			return failed(errNoFolder)
		case name == "..":
			at = at[:max(0, strings.LastIndexByte(at, '/'))]
			continue
		}
		next, err := l.step(at + "/" + name)
		if err != nil {
			return "", err
		}
		if next.to == "" {
			at, folder = at+"/"+name, next.folder
			continue
		}
		if passed++; passed > maxLinks {
			return failed(errLoops)
		}
		if filepath.IsAbs(next.to) {
			at = ""
		}
		rest = next.to + "/" + rest
	}
	if at == "" {
		return "/", nil
	}
	return at, nil
}

// folder reports whether what a path leads to is a folder.
func (l *links) folder(path string) (bool, error) {
	if l == nil || runtime.GOOS == "windows" || !filepath.IsAbs(path) {
		info, err := os.Stat(path)
		return err == nil && info.IsDir(), err
	}
	real, err := l.follow(path)
	if err != nil || real == "/" {
		return err == nil, err
	}
	s, err := l.step(real) // it was seen just now
	return s.folder, err
}

func (l *links) step(path string) (step, error) {
	l.lock.Lock()
	known, ok := l.seen[path]
	l.lock.Unlock()
	if ok {
		return known, nil
	}
	info, err := os.Lstat(path)
	if err != nil {
		return step{}, err
	}
	s := step{folder: info.IsDir()}
	if info.Mode()&fs.ModeSymlink != 0 {
		if s.to, err = os.Readlink(path); err != nil {
			return step{}, err
		}
	}
	l.lock.Lock()
	defer l.lock.Unlock()
	if l.seen == nil {
		l.seen = map[string]step{}
	}
	l.seen[path] = s
	return s, nil
}
