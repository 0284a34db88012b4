// Package journal changes files so that a crash at any moment leaves each as it was or as
// it was to be, and keeps what it replaces until that is let go.
//
//	j, ended, err := journal.Open(folder)
//	op, err := j.Do(ctx, about, changes, nil)
//	op, err = j.Undo(ctx, op.ID, false, nil)
//
// An operation first writes down what it is going to do, and puts the new content of each
// file beside it, on the disk. Until then it can be taken back without a trace; from then
// on it is finished, by whoever opens the journal next. A file's old content is moved to the
// journal's folder, or copied where that is on another file system.
package journal

import (
	"cmp"
	"context"
	"crypto/rand"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"github.com/gofrs/flock"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/registry"
)

// Errors that callers decide on.
var (
	ErrBusy = errors.New("another endroit is changing files; wait until it has ended")
	// ErrNothing says that there is nothing to take back.
	ErrNothing = errors.New("there is nothing to undo")
)

// ChangedError says that a file is not as it was when the person was asked.
type ChangedError struct{ Path string }

func (e *ChangedError) Error() string {
	return e.Path + " changed after it was looked at; nothing was done"
}

// Journal is the folder of operations. It is locked while it is open.
type Journal struct {
	folder string
	lock   *flock.Flock
}

// Change is one file that is to be changed.
type Change struct {
	Place string
	// Top is the folder that the change keeps to, Names the way from it.
	Top    string
	Names  []string
	Before copyplan.State // as it was looked at: with its size and time
	After  copyplan.State
	// Open opens the new content, where After is a file; Attributes are what it gets. The
	// content is checked by a digest of After, and without one not at all.
	Open       func() (*os.File, error)
	Attributes disk.Attributes
	kept       string // the file that Open opens, where another operation kept it
	// LinkText is what a link says, where After is one.
	LinkText string
	// Key is where it is if it is a registry key and no file: then Top and Names are empty, and
	// Text is the new content (package regtext), none where After is nothing.
	Key  registry.Key
	Text []byte
}

// Path is where the file is, or the registry key.
func (c Change) Path() string {
	if c.Key.Path != "" {
		return c.Key.String()
	}
	return filepath.Join(append([]string{c.Top}, c.Names...)...)
}

// Open opens a journal, which need not be there, and ends what was interrupted: ended tells
// of it. ErrBusy if another process has it open.
func Open(ctx context.Context, folder string) (j *Journal, ended []Operation, err error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, nil, err
	}
	lock := flock.New(filepath.Join(folder, "lock"))
	switch mine, err := lock.TryLock(); {
	case err != nil:
		return nil, nil, err
	case !mine:
		return nil, nil, ErrBusy
	}
	j = &Journal{folder, lock}
	if ended, err = j.endInterrupted(ctx); err != nil {
		j.Close()
		return nil, nil, err
	}
	return j, ended, nil
}

// Close lets others open it.
func (j *Journal) Close() { _ = j.lock.Unlock() }

// List lists the operations, the newest first. One whose document is damaged is left out.
func (j *Journal) List() (all []Operation, err error) {
	entries, err := os.ReadDir(j.folder)
	if errors.Is(err, os.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		if !e.IsDir() {
			continue
		}
		op, err := operation(filepath.Join(j.folder, e.Name()))
		if err == nil {
			all = append(all, op)
		}
	}
	slices.SortFunc(all, func(a, b Operation) int {
		return cmp.Or(cmp.Compare(b.Number, a.Number), strings.Compare(b.ID, a.ID))
	})
	return all, nil
}

// Set is the name of the set that is in place for a title's variant, in its prefix if it has
// one; empty if none was ever named.
func Set(all []Operation, titleID, title, variant, prefix string) string {
	for _, op := range all {
		if op.State != Done && op.State != LetGo || op.Set == "" && op.Was == "" {
			continue
		}
		if op.TitleID == titleID && op.Title == title && op.Variant == variant && op.Prefix == prefix {
			return op.Set
		}
	}
	return ""
}

// SetCopies are the ids of the last copies that were taken here of a title's sets, by their
// names in lowercase. They are by the order of operations, as clocks are set back.
func SetCopies(all []Operation, titleID, title, variant string) map[string]string {
	out := map[string]string{}
	for _, op := range all { // the newest first
		name := strings.ToLower(op.Was)
		if op.WasCopy == "" || out[name] != "" || op.TitleID != titleID || op.Title != title || op.Variant != variant {
			continue
		}
		out[name] = op.WasCopy
	}
	return out
}

// newID is the name of an operation's folder: they sort by when they began.
func newID(now time.Time) string {
	random := make([]byte, 4)
	_, _ = rand.Read(random) // never fails (crypto/rand)
	return now.UTC().Format("20060102-150405") + "-" + hex.EncodeToString(random)
}

// undoable finds an operation by its id, or the last that can be undone if id is empty.
func (j *Journal) undoable(id string) (Operation, error) {
	all, err := j.List()
	if err != nil {
		return Operation{}, err
	}
	takesBack := takingBack(all)
	for _, op := range all {
		switch {
		case id == "" && op.State == Done && !takesBack[op.ID]:
			return op, nil
		case op.ID != id:
			continue
		case op.State == Done:
			return op, nil
		case op.State == Undone:
			return Operation{}, fmt.Errorf("%w: %s was undone already", ErrNothing, id)
		case op.State == LetGo:
			return Operation{}, fmt.Errorf("%w: what %s replaced was let go", ErrNothing, id)
		}
	}
	if id != "" {
		return Operation{}, fmt.Errorf("%w: there is no operation %s", ErrNothing, id)
	}
	return Operation{}, ErrNothing
}

// takingBack are the operations that take another back: an undo, and not one of an undo.
func takingBack(all []Operation) map[string]bool {
	out := map[string]bool{}
	for _, op := range slices.Backward(all) { // the older first
		out[op.ID] = op.Undoes != "" && !out[op.Undoes]
	}
	return out
}

// find is the operation with an id.
func (j *Journal) find(id string) (Operation, error) {
	all, err := j.List()
	for _, op := range all {
		if op.ID == id {
			return op, nil
		}
	}
	if err == nil {
		err = fmt.Errorf("%w: there is no operation %s", ErrNothing, id)
	}
	return Operation{}, err
}

// Undoable is the operation that Undo takes back: that with the id, or the last.
func (j *Journal) Undoable(id string) (Operation, error) { return j.undoable(id) }

// WaitingError says that an earlier operation on a title was interrupted and cannot be
// ended yet.
type WaitingError struct{ Operation Operation }

func (e *WaitingError) Error() string {
	return fmt.Sprintf(
		"an earlier operation was interrupted and cannot be ended yet: %s (%s; %s). endroit undo --let-go %s gives it up",
		e.Operation.Says, e.Operation.Began.Local().Format("2006-01-02 15:04"), strings.Join(e.Operation.Notes, "; "), e.Operation.ID,
	)
}

// next is the number of the next operation. It is an error where one of the same title was
// interrupted and waits.
func (j *Journal) next(about About) (number int, err error) {
	all, err := j.List()
	if err != nil {
		return 0, err
	}
	for _, op := range all {
		number = max(number, op.Number)
		if op.State == Waiting && op.Title == about.Title && op.TitleID == about.TitleID {
			return 0, &WaitingError{op}
		}
	}
	return number + 1, nil
}

// LetGo gives up what an operation keeps: it cannot be undone then. One that waits to be
// ended is no longer tried; what it replaced so far stays, and can be undone.
func (j *Journal) LetGo(id string) error {
	op, err := j.find(id)
	if err != nil {
		return err
	}
	if op.State == Waiting {
		folder := filepath.Join(j.folder, op.ID)
		note := "it was given up before it was finished: some files may be as they were"
		return writeJSON(filepath.Join(folder, doneMark), marks{[]string{note}, keptBytes(folder)})
	}
	if op, err = j.undoable(id); err != nil {
		return err
	}
	folder := filepath.Join(j.folder, op.ID)
	if err := writeJSON(filepath.Join(folder, letGoMark), marks{}); err != nil {
		return err
	}
	return disk.RemoveAll(filepath.Join(folder, keptFolder))
}

// Kept is how many bytes all operations keep that can still be undone.
func Kept(all []Operation) (n int64) {
	for _, op := range all {
		if op.State == Done {
			n += op.Kept
		}
	}
	return n
}

// Excess says which operations have to be let go, the oldest first, so that those that can
// be undone keep no more than a bound, with as many bytes as are to come.
func Excess(all []Operation, coming, bound int64) (goes []Operation) {
	total := Kept(all) + coming
	for _, op := range slices.Backward(all) {
		if total <= bound {
			break
		}
		if op.State == Done && op.Kept > 0 {
			goes = append(goes, op)
			total -= op.Kept
		}
	}
	return goes
}
