package journal

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"endroit/copies/disk"
	"endroit/core/copyplan"
	"endroit/core/hive"
	"endroit/core/regtext"
	"endroit/registry"
	"endroit/safefile"
)

// A registry key changes as a whole. Its old and its new text lie in the operation's folder
// before it does; the new one can be written as often as it is needed.

// The names of a key's files in an operation's folder: its new text, and the mark that it has
// begun to be written, so that what is half of it is nobody's change.
const (
	newText    = "new-"
	begunMark  = "begun-"
	textEnding = ".reg"
)

func keyStep(c Change) step {
	return step{
		Place: c.Place, Before: c.Before, After: c.After, Copied: true,
		Key: encodeTop(c.Key.Path), Prefix: encodeTop(c.Key.Prefix),
	}
}

// key is the key of a step.
func (s step) key() (k registry.Key, err error) {
	if k.Path, err = decodePath(s.Key); err != nil {
		return k, err
	}
	if s.Prefix != "" {
		k.Prefix, err = decodeTop(s.Prefix)
	}
	return k, err
}

// readKey reads a key as it is now: no text, and the state of nothing, if there is none.
func readKey(ctx context.Context, k registry.Key) (text []byte, is copyplan.State, err error) {
	tree, changed, err := registry.Read(ctx, k)
	if err != nil || len(tree) == 0 {
		return nil, is, err
	}
	text, err = regtext.Text(k.Path, tree)
	return text, stateOf(text, changed), err
}

func stateOf(text []byte, changed time.Time) copyplan.State {
	if text == nil {
		return copyplan.State{}
	}
	sum := sha256.Sum256(text)
	return copyplan.State{Kind: copyplan.Key, Size: int64(len(text)), Digest: hex.EncodeToString(sum[:]), Time: changed.UTC()}
}

// prepareKey puts the old and the new text of a key into the operation's folder.
func (s *stage) prepareKey(ctx context.Context, i int) error {
	c := s.changes[i]
	if !stateOf(c.Text, time.Time{}).Same(copyplan.State{Kind: c.After.Kind, Size: c.After.Size, Digest: c.After.Digest}) {
		return &ContentError{c.Place}
	}
	old, is, err := readKey(ctx, c.Key)
	if err != nil {
		return err
	}
	if !is.Same(c.Before) {
		return &ChangedError{c.Path()}
	}
	if old != nil {
		if err := safefile.Write(filepath.Join(s.folder, keptFolder, strconv.Itoa(i)), old); err != nil {
			return err
		}
	}
	if c.Text != nil {
		return safefile.Write(filepath.Join(s.folder, newText+strconv.Itoa(i)+textEnding), c.Text)
	}
	return nil
}

// keyUnchanged checks that a key is still as it was when the person was asked.
func keyUnchanged(ctx context.Context, c Change) error {
	_, is, err := readKey(ctx, c.Key)
	if err == nil && !is.Same(c.Before) {
		err = &ChangedError{c.Path()}
	}
	return err
}

// textAt reads a key's text in an operation's folder; nil if it has none.
func textAt(name string) ([]byte, error) {
	text, err := safefile.Read(name, regtext.MaxBytes)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	return text, err
}

func treeOf(text []byte, k registry.Key) ([]hive.Branch, error) {
	if text == nil {
		return nil, nil
	}
	return regtext.Parse(text, k.Path)
}

// swapKey makes one change of a key, unless it is made. The note says what was odd.
func swapKey(folder string, i int, st step) (note string, err error) {
	number := strconv.Itoa(i)
	k, err := st.key()
	if err != nil {
		return "", err
	}
	text, err := textAt(filepath.Join(folder, newText+number+textEnding))
	if err != nil {
		return "", err
	}
	tree, err := treeOf(text, k)
	if err != nil {
		return "", fmt.Errorf("%s: %w", k, err)
	}
	ctx := context.Background() // it is finished, whatever the person presses
	now, is, err := readKey(ctx, k)
	if err != nil {
		return "", err
	}
	switch {
	case is.Same(st.After):
		return "", nil
	case !is.Same(st.Before) && now != nil && !has(folder, begunMark+number):
		note = fmt.Sprintf("%s changed before this could be finished; what it had then is kept too", k)
		if err := safefile.Write(filepath.Join(folder, keptFolder, number+later), now); err != nil {
			return "", err
		}
	}
	if err := writeJSON(filepath.Join(folder, begunMark+number), marks{}); err != nil {
		return "", err
	}
	return note, registry.Write(ctx, k, tree)
}

// swapKeyBack takes the change of a key back, as far as it was made. left says that what it
// had meanwhile is kept.
func swapKeyBack(folder string, i int, st step) (left bool, err error) {
	number := strconv.Itoa(i)
	if !has(folder, begunMark+number) {
		return false, nil
	}
	k, err := st.key()
	if err != nil {
		return false, err
	}
	old, err := textAt(filepath.Join(folder, keptFolder, number))
	if err != nil {
		return false, err
	}
	tree, err := treeOf(old, k)
	if err != nil {
		return false, fmt.Errorf("%s: %w", k, err)
	}
	if err := registry.Write(context.Background(), k, tree); err != nil {
		return false, err
	}
	if err := os.Remove(filepath.Join(folder, begunMark+number)); err != nil {
		return false, disk.Cause(err)
	}
	_, err = os.Stat(filepath.Join(folder, keptFolder, number+later))
	return err == nil, nil
}

// undoKey is the change that takes back what an operation did to a key. changed says that it
// is no longer what the operation left.
func undoKey(folder string, i int, st step) (c Change, changed bool, err error) {
	if c.Key, err = st.key(); err != nil {
		return c, false, err
	}
	c.Place = st.Place
	if c.Text, err = textAt(filepath.Join(folder, keptFolder, strconv.Itoa(i))); err != nil {
		return c, false, err
	}
	if _, err := treeOf(c.Text, c.Key); err != nil {
		return c, false, fmt.Errorf("%s: %w", c.Key, err)
	}
	c.After = stateOf(c.Text, st.Before.Time)
	if _, c.Before, err = readKey(context.Background(), c.Key); err != nil {
		return c, false, err
	}
	return c, !c.Before.Same(st.After), nil
}
