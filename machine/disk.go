package machine

import (
	"errors"
	"fmt"
	"io/fs"
	"path/filepath"
	"runtime"
	"strings"
	"time"

	"endroit/core/place"
	"endroit/core/sheet"
)

// Disk lets a sheet look at this machine, or, with a Prefix, at the Windows
// machine that a prefix simulates. It never leaves the folder that is asked for:
// a link that leads out of it is skipped.
type Disk struct {
	Roots  place.Roots
	Prefix *Prefix

	// What is kept while much is looked at; nil keeps nothing.
	bases    *bases
	links    *links
	listings *listings
}

// Inside is the machine that a prefix simulates.
func Inside(p *Prefix) Disk { return Disk{Roots: p.Roots, Prefix: p} }

// Root gives an anchor's folder.
func (d Disk) Root(a place.Anchor) (string, bool) {
	folder, ok := d.Roots[a]
	return folder, ok
}

// Real follows the links of a folder.
func (d Disk) Real(folder string) string {
	if resolved, err := d.links.follow(folder); err == nil {
		return filepath.ToSlash(resolved)
	}
	return folder
}

// Host turns a folder as the launcher's files write it into one of this machine.
func (d Disk) Host(folder string) (string, error) {
	hasDrive := len(folder) > 1 && folder[1] == ':'
	switch {
	case d.Prefix != nil && hasDrive:
		return d.Prefix.HostPath(folder)
	case d.Prefix != nil:
		return "", errors.New("it has no drive's letter, as paths in a prefix do")
	case hasDrive != (runtime.GOOS == "windows"):
		return "", errors.New("it is a path of another system")
	}
	return strings.ReplaceAll(folder, `\`, "/"), nil
}

// Key reads a registry key: the prefix's, or on Windows its own.
func (d Disk) Key(names []string) (any, error) {
	if d.Prefix != nil {
		return d.Prefix.key(names)
	}
	return registryKey(names)
}

// There reports whether a folder is there.
func (d Disk) There(folder string) error {
	is, err := d.links.folder(folder)
	switch {
	case errors.Is(err, fs.ErrNotExist), err == nil && !is:
		return sheet.ErrNotThere
	case err != nil:
		return fmt.Errorf("%s cannot be looked at: %w", folder, reason(err))
	}
	return nil
}

// maxListed bounds what one pattern of a sheet gives.
const maxListed = 20_000

// List gives what fits a pattern below a folder.
func (d Disk) List(folder string, l place.Location) ([]sheet.Entry, error) {
	if s := l.Pattern.Segments[0]; d.listings != nil && d.Prefix != nil && len(s) == 1 && s[0].Kind == place.Literal {
		// Most launchers are not in most prefixes.
		if entries, err := d.listings.list(folder); err == nil {
			if found, _ := anyCase(entries, s[0].Text); found.name == "" {
				return nil, nil
			}
		}
	}
	t, done, err := d.bases.of(folder)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, sheet.ErrNotThere
	}
	if err != nil {
		return nil, fmt.Errorf("%s cannot be listed: %w", folder, reason(err))
	}
	defer done()
	g := glob{top: folder, l: l, fold: d.Prefix != nil}
	b, err := openBranch(t, folder, nil)
	if err != nil {
		return nil, fmt.Errorf("%s cannot be listed: %w", folder, reason(err))
	}
	defer b.close()
	err = g.into(b, nil)
	return g.found, err
}

// glob matches a pattern without `**` below a root.
type glob struct {
	top   string
	l     place.Location
	fold  bool // names compare without regard to case
	found []sheet.Entry
}

func (g *glob) into(b branch, captures place.Captures) error {
	i := len(b.names)
	segments := g.l.Pattern.Segments
	enter := func(name string, kind fs.FileMode, err error, c place.Captures) error {
		last := i == len(segments)-1
		folder := !last || g.l.Pattern.Folder
		if err != nil || kind.IsDir() != folder || !folder && !kind.IsRegular() {
			return nil // not there, a link that leads out, or of another kind
		}
		if last {
			if len(g.found) == maxListed {
				return fmt.Errorf("%w: more than %d match", ErrTooMany, maxListed)
			}
			g.found = append(g.found, sheet.Entry{Names: with(b.names, name), Captures: c})
			return nil
		}
		in, err := b.into(name)
		if err != nil {
			return fmt.Errorf("%s cannot be listed: %w", filepath.Join(g.top, filepath.Join(b.names...), name), reason(err))
		}
		defer in.close()
		return g.into(in, c)
	}
	if s := segments[i]; len(s) == 1 && s[0].Kind == place.Literal && !g.fold {
		kind, err := b.kind(entry{name: s[0].Text, kind: fs.ModeIrregular})
		return enter(s[0].Text, kind, err, captures)
	}
	entries, err := b.list()
	if errors.Is(err, fs.ErrNotExist) {
		return nil // removed just now
	}
	if err != nil {
		return fmt.Errorf("%s cannot be listed: %w", filepath.Join(append([]string{g.top}, b.names...)...), reason(err))
	}
	for _, e := range entries {
		if c, ok := g.l.MatchSegment(i, e.name, captures, g.fold); ok {
			kind, err := b.kind(e)
			if err := enter(e.name, kind, err, c); err != nil {
				return err
			}
		}
	}
	return nil
}

// Read reads a file that List gave. One that changes while it is read is read
// again, a few times: its launcher may be writing it.
func (d Disk) Read(folder string, e sheet.Entry) ([]byte, error) {
	t, done, err := d.bases.of(folder)
	if err != nil {
		return nil, err
	}
	defer done()
	return steadily(func() (reading, error) {
		r, err := t.read(e.Names, sheet.MaxFile)
		switch {
		case err != nil:
			return r, fmt.Errorf("it cannot be read: %w", reason(err))
		case len(r.data) > sheet.MaxFile:
			return r, fmt.Errorf("it is larger than %d bytes", sheet.MaxFile)
		}
		return r, nil
	})
}

// reason is what the system said, without the path, which stands elsewhere.
func reason(err error) error {
	inner := errors.Unwrap(err)
	switch {
	case inner == nil:
		return err
	case inner.Error() == escapes:
		return errLeadsOut
	}
	return inner
}

// escapes is what os.Root says of a link that leads out; the error itself has no name.
const escapes = "path escapes from parent"

// How often and how long something that is being written is waited for. What was
// changed less than a pause ago may be changed on: a program empties a file, and
// fills it in the next moment.
const (
	steadyTries = 6
	steadyPause = 40 * time.Millisecond
)

// atRest reports whether a time of change is long enough ago; one in the future is
// a clock's fault.
func atRest(changed time.Time) bool {
	age := time.Since(changed)
	return age < 0 || age > steadyPause
}

// steadily reads until what was read is the same before and after, and at rest.
func steadily(read func() (reading, error)) ([]byte, error) {
	for try := 0; ; try++ {
		r, err := read()
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, err
		}
		if err == nil && r.same && int64(len(r.data)) == r.after.Size() && atRest(r.after.ModTime()) {
			return r.data, nil
		}
		if try == steadyTries {
			if err != nil {
				return nil, err
			}
			return nil, errors.New("it is being written; try again when its launcher is idle")
		}
		time.Sleep(steadyPause)
	}
}
