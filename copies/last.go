package copies

import (
	"context"
	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/core/copyrecord"
	"endroit/core/filename"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// LastRead is the newest copy in a title's folder of copies, which is being read.
type LastRead struct {
	path string
	done chan struct{}
	copy *Copy
	err  error
}

// ReadLast begins to read the newest copy of a title in a folder of copies, while its files
// are looked for. Whether it is of the variant that is copied is told later.
func ReadLast(ctx context.Context, to, title string) *LastRead {
	folder := filepath.Join(to, filename.Portable(title))
	names := newestFirst(folder)
	if len(names) == 0 {
		return nil
	}
	l := &LastRead{path: filepath.Join(folder, names[0]), done: make(chan struct{})}
	go func() {
		defer close(l.done)
		l.copy, l.err = openCopy(ctx, l.path)
	}()
	return l
}

// newestFirst are the names of the copies in a title's folder: they begin with the time.
func newestFirst(folder string) (names []string) {
	entries, err := listNames(folder)
	if err != nil {
		return nil
	}
	for _, e := range entries {
		if e.IsDir() && isCandidate(e) {
			names = append(names, e.Name())
		}
	}
	slices.SortFunc(names, func(a, b string) int { return strings.Compare(b, a) })
	return names
}

// lastOf is the newest copy of the same variant in a title's folder of copies. Few of them
// have to be read.
func lastOf(ctx context.Context, folder string, side *Side, begun *LastRead) *Copy {
	for _, name := range newestFirst(folder) {
		path := filepath.Join(folder, name)
		var c *Copy
		var err error
		if begun != nil && begun.path == path {
			<-begun.done
			c, err = begun.copy, begun.err
		} else {
			c, err = openCopy(ctx, path)
		}
		if err == nil && c.Record.TitleID == side.TitleID && c.Record.Title == side.Title && sameVariant(c.Record.Variant, side) {
			return c
		}
	}
	return nil
}

func sameVariant(v copyrecord.Variant, side *Side) bool {
	here := side.Variant
	return v.Store == here.Store && v.Reference == here.Reference && v.OS == here.System && v.Runtime == here.Runtime &&
		v.Launcher == here.Launcher && v.Account == here.Account
}

// sameAs reports whether a side has just the content of a copy. It reads what may differ.
func sameAs(ctx context.Context, side *Side, c *Copy, seen *Seen) (bool, error) {
	if len(c.Record.Files) != len(side.Files) || c.Record.Variant.Version != side.Variant.Version {
		return false, nil
	}
	had := map[string]copyrecord.File{}
	for _, f := range c.Record.Files {
		had[f.Place] = f
	}
	for _, f := range side.Files {
		h, ok := had[f.Place]
		if !ok || h.Size != f.Size && f.Kind == copyplan.Regular || h.Link != f.Link || !h.Time.Equal(f.Time) && f.Kind != copyplan.Key {
			return false, nil
		}
	}
	for i := range side.Files {
		f := &side.Files[i]
		switch f.Kind {
		case copyplan.Link:
			continue
		case copyplan.Key:
			if f.Digest != had[f.Place].SHA256 {
				return false, nil
			}
			continue
		}
		was := stateOf(had[f.Place])
		if err := side.digest(ctx, f, seen, was); err != nil {
			if errors.Is(err, disk.ErrChanged) {
				return false, nil
			}
			return false, fmt.Errorf("%s: %w", f.File.Path, disk.Cause(err))
		}
		if !f.State.Same(was) {
			return false, nil
		}
	}
	return c.isThere(), seen.Save()
}

// isThere reports whether the files of a copy's folder are there, by their sizes.
func (c *Copy) isThere() bool {
	for _, f := range c.Record.Files {
		if f.Link != "" {
			continue
		}
		info, err := os.Lstat(filepath.Join(c.Path, filepath.FromSlash(f.Stored)))
		if err != nil || !info.Mode().IsRegular() || info.Size() != f.Size {
			return false
		}
	}
	return true
}

// bytesBeside is how much a copy of a side takes beside the last one.
func bytesBeside(side *Side, last *Copy) (n int64) {
	had := map[string]copyrecord.File{}
	if last != nil {
		for _, f := range last.Record.Files {
			had[f.Place] = f
		}
	}
	for _, f := range side.Files {
		if h, ok := had[f.Place]; !ok || h.Size != f.Size || !h.Time.Equal(f.Time) && f.Kind != copyplan.Key {
			n += f.Size
		}
	}
	return n
}
