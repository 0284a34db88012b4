package journal

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"

	"endroit/copies/disk"
	"endroit/core/copyplan"
)

// finish makes the changes of an operation that is prepared. What was done already is left
// as it is, so it can be begun again after a crash at any point.
func (j *Journal) finish(folder string, d *document) error {
	kept, err := os.Open(filepath.Join(folder, keptFolder))
	if err != nil {
		return err
	}
	defer kept.Close()
	var notes []string
	for _, p := range pieces(d.Steps) {
		if d.Steps[p.from].Key != "" {
			note, err := swapKey(folder, p.from, d.Steps[p.from])
			if err != nil {
				return err
			}
			if note != "" {
				notes = append(notes, note)
			}
			continue
		}
		parent, _, missing := d.Steps[p.from].open()
		for i := p.from; i < p.to; i++ {
			note, err := swap(kept, filepath.Join(folder, keptFolder), i, d.Steps[i], parent, missing)
			if err != nil {
				parent.close()
				return fmt.Errorf("%s: %w", d.Steps[i].path(), disk.Cause(err))
			}
			if note != "" {
				notes = append(notes, note)
			}
		}
		parent.close()
	}
	if err := syncSteps(d.Steps, kept, len(d.Steps) > syncEach && disk.CanSyncAll); err != nil {
		return err
	}
	return writeJSON(filepath.Join(folder, doneMark), marks{notes, keptBytes(folder)})
}

// retire gives up what an operation kept that another one, which is done, has taken back. It
// is not a part of the other: until that is done, nobody knows which of the two is needed.
func (j *Journal) retire(id string) error {
	undone := filepath.Join(j.folder, filepath.Base(id))
	if !has(undone, documentFile) {
		return nil
	}
	if err := writeJSON(filepath.Join(undone, undoneMark), marks{}); err != nil {
		return err
	}
	if err := dropKept(undone); err != nil {
		return err
	}
	return removeFoldersOf(undone)
}

// retireAll retires what was taken back when a crash, or a full disk, came between.
func (j *Journal) retireAll() error {
	all, err := j.List()
	if err != nil {
		return err
	}
	for _, op := range all {
		if op.State != Done || op.Undoes == "" {
			continue
		}
		for _, other := range all {
			if other.ID == op.Undoes && other.State == Done {
				if err := j.retire(other.ID); err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// removeFoldersOf removes the folders that an operation made and that are empty again.
func removeFoldersOf(folder string) error {
	d, err := readDocument(folder)
	if err != nil {
		return nil // it can no longer be told which
	}
	for i := len(d.Folders) - 1; i >= 0; i-- {
		if err := removeFolder(d.Folders[i]); err != nil {
			return err
		}
	}
	return nil
}

// later ends the name of what was kept of a file that changed while an operation lay
// interrupted.
const later = "-later"

// dropKept removes what an operation kept, but for what no other place has.
func dropKept(folder string) error {
	entries, err := os.ReadDir(filepath.Join(folder, keptFolder))
	if err != nil {
		return ignoreMissing(err)
	}
	for _, e := range entries {
		if strings.HasSuffix(e.Name(), later) {
			continue
		}
		if err := os.Remove(filepath.Join(folder, keptFolder, e.Name())); err != nil {
			return err
		}
	}
	return nil
}

// InterruptedError says that an operation failed after some files were changed, and that
// they could not be changed back either. It is ended when the journal is next opened.
type InterruptedError struct {
	ID        string
	Err, Back error
}

func (e *InterruptedError) Error() string {
	return fmt.Sprintf(
		"%v; some files are changed, and could not be changed back: %v. Each is as it was or as it was to be, and nothing is lost. "+
			"Put the cause right and run endroit undo --list, which ends the operation", e.Err, e.Back,
	)
}

func (e *InterruptedError) Unwrap() error { return e.Err }

// rollBack changes back what an operation changed that could not be finished.
func rollBack(folder string, d *document) error {
	if err := writeJSON(filepath.Join(folder, backMark), marks{}); err != nil {
		return err
	}
	kept := filepath.Join(folder, keptFolder)
	leftover := false
	for i := len(d.Steps) - 1; i >= 0; i-- {
		left, err := swapBack(folder, kept, i, d.Steps[i])
		if err != nil {
			return fmt.Errorf("%s: %w", d.Steps[i].path(), disk.Cause(err))
		}
		leftover = leftover || left
	}
	if !leftover {
		return takeBack(folder, d)
	}
	if err := removePrepared(d); err != nil {
		return err
	}
	return writeJSON(filepath.Join(folder, undoneMark), marks{})
}

// swapBack takes one change back, as far as it was made. left says that what the file had
// meanwhile is kept.
func swapBack(folder, kept string, i int, st step) (left bool, err error) {
	if st.Key != "" {
		return swapKeyBack(folder, i, st)
	}
	p, name, err := st.open()
	if err != nil {
		return false, ignoreMissing(err)
	}
	defer p.close()
	if st.Part != "" {
		if _, err := p.root.Lstat(st.Part); err == nil {
			return false, nil // it was not made
		}
	}
	keptAs := strconv.Itoa(i)
	_, err = os.Lstat(filepath.Join(kept, keptAs))
	if err != nil && st.Before.Kind != copyplan.Nothing {
		return false, ignoreMissing(err) // it was not made, or is taken back
	}
	in, err := os.Open(kept)
	if err != nil {
		return false, err
	}
	defer in.Close()
	is, err := p.root.Lstat(name)
	if err == nil && st.Copied && st.After.Kind == copyplan.Nothing && looksLike(is, st.Before) {
		return false, nil // it was not made
	}
	if err == nil && !looksLike(is, st.After) {
		k := keeper{p: p, name: name, kept: in, path: kept, i: i, st: st}
		if _, err := k.store(keptAs + later); err != nil {
			return false, err
		}
		left = true
	}
	if st.Before.Kind == copyplan.Nothing {
		return left, ignoreMissing(disk.Remove(p.root, name))
	}
	if disk.Move(in, keptAs, p.file, name) == nil {
		return left, nil
	}
	return left, copyBack(p, filepath.Join(kept, keptAs), name, ".endroit-back-"+filepath.Base(folder))
}

// copyBack puts a kept file back where it cannot be renamed to.
func copyBack(p parentFolder, kept, name, part string) error {
	info, err := os.Lstat(kept)
	if err != nil {
		return err
	}
	_ = disk.Remove(p.root, part)
	if info.Mode()&fs.ModeSymlink != 0 {
		text, err := os.Readlink(kept)
		if err != nil {
			return err
		}
		if err := p.root.Symlink(text, part); err != nil {
			return err
		}
	} else {
		c := Change{}
		if err := c.fromKept(kept, info, false); err != nil {
			return err
		}
		if err := writePart(context.Background(), p, part, c, true); err != nil {
			return err
		}
	}
	if err := disk.Rename(p.root, part, name); err != nil {
		return err
	}
	return os.Remove(kept)
}

// swap makes one change in its open folder, unless it is made. The note says what was odd.
func swap(kept *os.File, keptPath string, i int, st step, p parentFolder, missing error) (note string, err error) {
	if missing != nil {
		if st.After.Kind == copyplan.Nothing {
			return "", ignoreMissing(missing) // gone with its folder
		}
		return "", missing
	}
	name, err := st.name()
	if err != nil {
		return "", err
	}
	if st.After.Kind != copyplan.Nothing {
		if _, err := p.root.Lstat(st.Part); errors.Is(err, fs.ErrNotExist) {
			return "", nil // it has become the file
		} else if err != nil {
			return "", err
		}
	}
	k := keeper{p: p, name: name, kept: kept, path: keptPath, i: i, st: st}
	note, gone, err := k.keep()
	if err != nil {
		return "", err
	}
	switch {
	case st.After.Kind != copyplan.Nothing:
		err := disk.Rename(p.root, st.Part, name)
		if errors.Is(err, fs.ErrInvalid) || errors.Is(err, syscall.EINVAL) {
			err = fmt.Errorf("the file system here cannot have this name (%w)", disk.Cause(err))
		}
		return note, err
	case gone:
		return note, nil
	}
	return note, disk.Remove(p.root, name)
}

// keeper keeps what one step replaces.
type keeper struct {
	p    parentFolder
	name string
	kept *os.File
	path string // of kept
	i    int
	st   step
}

// keep makes sure that what is there now is in the journal's folder. gone says that it is
// no longer in its place: it was moved.
func (k keeper) keep() (note string, gone bool, err error) {
	info, err := k.p.root.Lstat(k.name)
	if errors.Is(err, fs.ErrNotExist) {
		return "", true, nil
	}
	if err != nil {
		return "", false, err
	}
	if info.IsDir() {
		return "", false, errors.New("a folder is in its place")
	}
	had, err := os.Lstat(filepath.Join(k.path, strconv.Itoa(k.i)))
	switch {
	case err == nil && os.SameFile(had, info):
		return "", false, nil // it was linked before the interruption
	case err == nil && k.st.Copied && looksLike(info, k.st.Before):
		return "", false, nil
	case err == nil && k.st.After.Kind == copyplan.Nothing && !k.st.Copied:
		// It was moved before the interruption, and somebody made it again since.
		return fmt.Sprintf("%s was made again before this could be finished; it was left as it is", k.st.path()), true, nil
	}
	as := strconv.Itoa(k.i)
	if err == nil || !looksLike(info, k.st.Before) {
		note = fmt.Sprintf("%s changed before this could be finished; what it had then is kept too", k.st.path())
	}
	if err == nil {
		as += later
	}
	gone, err = k.store(as)
	return note, gone, err
}

// store keeps what is there under a name in the journal's folder: its own name there, where
// that can be, or a copy.
func (k keeper) store(as string) (gone bool, err error) {
	if k.st.After.Kind == copyplan.Nothing && disk.Move(k.p.file, k.name, k.kept, as) == nil {
		return true, nil
	}
	switch linked := disk.Link(k.p.file, k.name, k.kept, as); {
	case linked == nil:
		return false, nil
	case errors.Is(linked, fs.ErrExist):
		// It was begun before an interruption.
		if err := os.Remove(filepath.Join(k.path, as)); err != nil {
			return false, err
		}
	}
	s := stage{folder: filepath.Dir(k.path)}
	return false, s.keepAs(context.Background(), k.p, k.name, as, true)
}

// takeBack removes what was prepared of an operation that has changed nothing yet.
func takeBack(folder string, d *document) error {
	if err := removePrepared(d); err != nil {
		return err
	}
	return discard(folder)
}

// discard removes an operation's folder. Its document goes first: without one nothing was
// begun, whatever else a crash leaves. Else the marks could be gone that say that it was
// taken back, and the next start would finish it.
func discard(folder string) error {
	if err := os.Remove(filepath.Join(folder, documentFile)); ignoreMissing(err) != nil {
		return err
	}
	if err := syncPath(folder); err != nil {
		return err
	}
	return disk.RemoveAll(folder)
}

// removePrepared removes the parts and the folders of an operation.
func removePrepared(d *document) error {
	for _, st := range d.Steps {
		if st.Part == "" {
			continue
		}
		p, _, err := st.open()
		if err != nil {
			if errors.Is(err, fs.ErrNotExist) {
				continue // its folder was not made yet
			}
			return err
		}
		err = disk.Remove(p.root, st.Part)
		p.close()
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	for i := len(d.Folders) - 1; i >= 0; i-- {
		if err := removeFolder(d.Folders[i]); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return err
		}
	}
	return nil
}

// endInterrupted ends the operations that were interrupted.
func (j *Journal) endInterrupted(ctx context.Context) (ended []Operation, err error) {
	entries, err := os.ReadDir(j.folder)
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		folder := filepath.Join(j.folder, e.Name())
		if !e.IsDir() || has(folder, doneMark) || has(folder, letGoMark) || has(folder, undoneMark) {
			continue
		}
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		d, err := readDocument(folder)
		if errors.Is(err, errNoDocument) {
			if err := discard(folder); err != nil {
				return nil, err
			}
			continue
		}
		if op, unread := operation(folder); errors.Is(err, errDamaged) && unread == nil {
			// It is known which title it is of, and keeps nobody from others.
			op.State, op.Notes = Waiting, []string{err.Error()}
			ended = append(ended, op)
			continue
		}
		if err != nil {
			return nil, err
		}
		if !has(folder, headFile) { // which the document has too
			if err := writeJSON(filepath.Join(folder, headFile), d.head); err != nil {
				return nil, err
			}
		}
		op, err := operation(folder)
		if err != nil {
			return nil, err
		}
		var failed error
		switch {
		case has(folder, backMark):
			op.State, failed = TakenBack, rollBack(folder, d)
		case has(folder, stagedMark):
			if failed = j.finish(folder, d); failed == nil {
				op, failed = operation(folder)
			}
		default:
			op.State, failed = TakenBack, takeBack(folder, d)
		}
		if failed != nil {
			op.State, op.Notes = Waiting, []string{failed.Error()}
			if err := writeJSON(filepath.Join(folder, waitingMark), marks{Notes: op.Notes}); err != nil {
				return nil, err
			}
		}
		ended = append(ended, op)
	}
	return ended, j.retireAll()
}
