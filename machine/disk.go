package machine

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"endroit/core/place"
	"endroit/core/sheet"
)

// Disk lets a sheet look at this machine. It never leaves the folder that is
// asked for: a link that leads out of it is passed over.
type Disk struct{ Roots place.Roots }

// Root gives an anchor's folder.
func (d Disk) Root(a place.Anchor) (string, bool) {
	folder, ok := d.Roots[a]
	return folder, ok
}

// maxListed bounds what one pattern of a sheet gives.
const maxListed = 20_000

// List gives what fits a pattern below a folder.
func (d Disk) List(folder string, l place.Location) ([]sheet.Entry, error) {
	root, err := os.OpenRoot(folder)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, sheet.ErrNotThere
	}
	if err != nil {
		return nil, fmt.Errorf("list %s: %w", folder, err)
	}
	defer root.Close()
	g := glob{root: root, l: l}
	err = g.into(nil, nil)
	return g.found, err
}

// glob matches a pattern without `**` below a root.
type glob struct {
	root  *os.Root
	l     place.Location
	found []sheet.Entry
}

func (g *glob) into(names []string, captures place.Captures) error {
	i := len(names)
	segments := g.l.Pattern.Segments
	if i == len(segments) {
		if len(g.found) == maxListed {
			return fmt.Errorf("%w: more than %d fit", ErrTooMany, maxListed)
		}
		g.found = append(g.found, sheet.Entry{Names: names, Captures: captures})
		return nil
	}
	enter := func(name string, c place.Captures) error {
		next := with(names, name)
		info, err := g.root.Stat(filepath.Join(next...))
		folder := i < len(segments)-1 || g.l.Pattern.Folder
		if err != nil || info.IsDir() != folder || !folder && !info.Mode().IsRegular() {
			return nil // not there, a link that leads out, or of another kind
		}
		return g.into(next, c)
	}
	if s := segments[i]; len(s) == 1 && s[0].Kind == place.Literal {
		return enter(s[0].Text, captures)
	}
	entries, err := fs.ReadDir(g.root.FS(), filepath.ToSlash(filepath.Join(append([]string{"."}, names...)...)))
	if err != nil {
		return fmt.Errorf("list %s: %w", filepath.Join(append([]string{g.root.Name()}, names...)...), err)
	}
	for _, e := range entries {
		if c, ok := g.l.MatchSegment(i, e.Name(), captures, false); ok {
			if err := enter(e.Name(), c); err != nil {
				return err
			}
		}
	}
	return nil
}

// Read reads a file that List gave.
func (d Disk) Read(folder string, e sheet.Entry) ([]byte, error) {
	root, err := os.OpenRoot(folder)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	f, err := root.Open(filepath.Join(e.Names...))
	if err != nil {
		return nil, fmt.Errorf("it cannot be read: %w", errors.Unwrap(err))
	}
	defer f.Close()
	data, err := io.ReadAll(io.LimitReader(f, sheet.MaxFile+1))
	if err == nil && len(data) > sheet.MaxFile {
		err = fmt.Errorf("it is larger than %d bytes", sheet.MaxFile)
	}
	return data, err
}
