package machine

import (
	"errors"
	"io/fs"
	"runtime"
	"strings"
	"sync"
)

// listings remember what folders hold while one survey is made and things are looked
// up by it: the same folders are asked for again and again. nil remembers nothing. It
// is safe for concurrent use.
type listings struct {
	lock sync.Mutex
	of   map[string]listing
}

type listing struct {
	entries []entry
	err     error // they are not all
}

// maxRemembered is how many names a folder may have to be remembered.
const maxRemembered = 20_000

// list gives what is in a folder, at most maxEntries names and a few; with an error,
// as far as it could be read.
func (l *listings) list(folder string) ([]entry, error) {
	if l == nil {
		return listFolder(folder, maxEntries)
	}
	l.lock.Lock()
	known, ok := l.of[folder]
	absent := !ok && l.excludes(folder)
	l.lock.Unlock()
	if ok {
		return known.entries, known.err
	}
	if absent {
		return nil, &fs.PathError{Op: "list", Path: folder, Err: fs.ErrNotExist}
	}
	entries, err := listFolder(folder, maxEntries)
	if len(entries) <= maxRemembered {
		l.lock.Lock()
		defer l.lock.Unlock()
		if l.of == nil {
			l.of = map[string]listing{}
		}
		l.of[folder] = listing{entries, err}
	}
	return entries, err
}

// excludes reports whether a folder above was listed whole, and holds nothing on the way to
// this one, in whatever case. Elsewhere than on Linux a file system may spell a name
// otherwise than it is asked for. It is called with the lock.
func (l *listings) excludes(folder string) bool {
	if runtime.GOOS != "linux" {
		return false
	}
	for i := strings.LastIndexByte(folder, '/'); i > 0; i = strings.LastIndexByte(folder, '/') {
		in, ok := l.of[folder[:i]]
		if !ok {
			folder = folder[:i]
			continue
		}
		if in.err != nil {
			return errors.Is(in.err, fs.ErrNotExist)
		}
		found, _ := anyCase(in.entries, folder[i+1:])
		return found.name == ""
	}
	return false
}
