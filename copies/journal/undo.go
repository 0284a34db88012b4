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
		is, err := look(top, names)
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

// fromKept makes a kept file a change's new content.
func (c *Change) fromKept(kept string, info fs.FileInfo, digest bool) error {
	f, err := os.Open(kept)
	if err != nil {
		return err
	}
	defer f.Close()
	c.After = copyplan.State{Kind: copyplan.Regular, Size: info.Size(), Time: info.ModTime(), Mode: uint32(info.Mode().Perm())}
	if digest {
		copied, err := disk.Digest(context.Background(), f, disk.SHA256)
		if err != nil {
			return err
		}
		c.After.Digest = copied.SHA256
	}
	c.Attributes = disk.Read(f, info)
	c.Open = func() (*os.File, error) { return os.Open(kept) }
	return nil
}

// look is what is at a path below a folder now.
func look(top string, names []string) (copyplan.State, error) {
	root, err := os.OpenRoot(top)
	if err != nil {
		return copyplan.State{}, err
	}
	defer root.Close()
	info, err := root.Lstat(filepath.Join(names...))
	if errors.Is(err, fs.ErrNotExist) {
		return copyplan.State{}, nil
	}
	if err != nil {
		return copyplan.State{}, err
	}
	s := copyplan.State{Kind: copyplan.Regular, Size: info.Size(), Time: info.ModTime(), Mode: uint32(info.Mode().Perm())}
	if info.Mode()&fs.ModeSymlink != 0 {
		s = copyplan.State{Kind: copyplan.Link, Time: info.ModTime()}
	}
	return s, nil
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
		if f, err := c.Open(); err == nil {
			moved[i] = f.Name()
			_ = f.Close()
		}
	}
	return j.do(ctx, about, changes, moved, told)
}
