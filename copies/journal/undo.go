package journal

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"

	"endroit/copies/disk"
	"endroit/core/copyplan"
)

// Later is a file that was changed since the operation that is to be undone.
type Later struct {
	Place string         `json:"place"`
	Path  string         `json:"path"`
	Is    copyplan.State `json:"is,omitzero"`
}

// PlanUndo gives the changes that take an operation back, and what was changed since: what
// it has now is kept too, if the operation is undone all the same. With digests, what is kept
// is read for them.
func (j *Journal) PlanUndo(op Operation, digests bool) (changes []Change, later []Later, err error) {
	folder := filepath.Join(j.folder, op.ID)
	d, err := readDocument(folder)
	if err != nil {
		return nil, nil, err
	}
	at := looker{}
	defer at.close()
	for i, st := range d.Steps {
		if st.Key != "" {
			c, changed, err := undoKey(folder, i, st)
			if err != nil {
				return nil, nil, err
			}
			if changed {
				later = append(later, Later{st.Place, st.path(), c.Before})
			}
			if !c.Before.Same(c.After) {
				changes = append(changes, c)
			}
			continue
		}
		top, err := decodeTop(st.Top)
		if err != nil {
			return nil, nil, err
		}
		names, err := decodeNames(st.Names)
		if err != nil {
			return nil, nil, err
		}
		c := Change{Place: st.Place, Top: top, Names: names}
		is, err := at.look(top, names)
		if err != nil {
			return nil, nil, err
		}
		if !sameLook(is, st.After) {
			later = append(later, Later{st.Place, st.path(), is})
		}
		kept := filepath.Join(folder, keptFolder, strconv.Itoa(i))
		info, err := os.Lstat(kept)
		switch {
		case errors.Is(err, fs.ErrNotExist): // nothing was there, or it was left as it is
			if is.Kind == copyplan.Nothing {
				continue
			}
			if st.Before.Kind != copyplan.Nothing {
				continue
			}
		case err != nil:
			return nil, nil, err
		case info.Mode()&fs.ModeSymlink != 0:
			c.After = copyplan.State{Kind: copyplan.Link, Link: st.Before.Link, Time: info.ModTime()}
			if c.LinkText, err = os.Readlink(kept); err != nil {
				return nil, nil, err
			}
		default:
			if err := c.fromKept(kept, info, digests); err != nil {
				return nil, nil, err
			}
		}
		c.Before = is
		changes = append(changes, c)
	}
	return changes, later, nil
}

// fromKept makes a kept file a change's new content. Its attributes are read when it is copied:
// mostly it is moved.
func (c *Change) fromKept(kept string, info fs.FileInfo, digest bool) error {
	c.After = regular(info)
	c.kept = kept
	c.Open = func() (*os.File, error) { return os.Open(kept) }
	if !digest {
		return nil
	}
	f, err := c.Open()
	if err != nil {
		return err
	}
	defer f.Close()
	copied, err := disk.Digest(context.Background(), f, disk.SHA256)
	c.After.Digest = copied.SHA256
	return err
}

// regular is the state of a regular file.
func regular(info fs.FileInfo) copyplan.State {
	return copyplan.State{Kind: copyplan.Regular, Size: info.Size(), Time: info.ModTime(), Mode: uint32(info.Mode().Perm())}
}

// looker looks at files, one folder after the other.
type looker struct {
	top, folder string
	root        *os.Root // the folder; nil if it is missing, or there was none yet
}

func (l *looker) close() {
	if l.root != nil {
		_ = l.root.Close()
		l.root = nil
	}
}

// look is what is at a path below a folder now.
func (l *looker) look(top string, names []string) (is copyplan.State, err error) {
	folder, name := filepath.Join(names[:len(names)-1]...), names[len(names)-1]
	if l.root == nil || l.top != top || l.folder != folder {
		l.close()
		root, err := os.OpenRoot(top)
		if err != nil {
			return is, err
		}
		if l.top, l.folder, l.root = top, folder, root; folder != "" {
			l.root, err = root.OpenRoot(folder)
			_ = root.Close()
		}
		if err != nil {
			l.root = nil
			return is, ignoreMissing(err)
		}
	}
	info, err := l.root.Lstat(name)
	if err != nil {
		return is, ignoreMissing(err)
	}
	if info.Mode()&fs.ModeSymlink != 0 {
		return copyplan.State{Kind: copyplan.Link, Time: info.ModTime()}, nil
	}
	return regular(info), nil
}

// sameLook reports whether what is there looks like what an operation left.
func sameLook(is, after copyplan.State) bool {
	if is.Kind != after.Kind {
		return false
	}
	return is.Kind != copyplan.Regular || is.Size == after.Size && is.Time.Equal(after.Time)
}

// Undo takes an operation back: the changes are those of PlanUndo. It is an operation
// itself, and can be undone.
func (j *Journal) Undo(ctx context.Context, op Operation, changes []Change, about About, told func(done, of int)) (Operation, error) {
	about.Undoes = op.ID
	moved := map[int]string{}
	for i, c := range changes {
		if c.After.Kind != copyplan.Regular {
			continue
		}
		// What is kept becomes the file itself, where it can: when it is in place, the
		// journal gives it up.
		moved[i] = c.kept
	}
	return j.do(ctx, about, changes, moved, told)
}
