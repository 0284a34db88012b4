package registry

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"endroit/core/hive"
	"endroit/machine"
	"endroit/safefile"
)

// hiveFile is the file of a prefix that keeps a root key.
func (k Key) hiveFile(root string) string {
	if root == "HKEY_LOCAL_MACHINE" {
		return filepath.Join(k.Prefix, "system.reg")
	}
	return filepath.Join(k.Prefix, "user.reg")
}

func readPrefix(ctx context.Context, k Key, root, path string) ([]hive.Branch, time.Time, error) {
	if machine.PrefixServer(k.Prefix) != 0 {
		tree, err := throughServer(ctx, k, nil, false)
		if !errors.Is(err, errServerEnded) {
			return tree, time.Time{}, err
		}
	}
	data, err := safefile.Read(k.hiveFile(root), hive.MaxBytes)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, time.Time{}, fmt.Errorf("the prefix has no %s; start its game once", filepath.Base(k.hiveFile(root)))
	}
	if err != nil {
		return nil, time.Time{}, err
	}
	tree, changed, _, err := hive.ReadTree(data, path)
	return tree, changed, err
}

// How often a hive is written again that changed meanwhile.
const tries = 5

// errChanged says that a hive was written by somebody else.
var errChanged = errors.New("the prefix's registry is being written by something else; end what runs in the prefix, and try again")

func writePrefix(ctx context.Context, k Key, root, path string, tree []hive.Branch) error {
	for range tries {
		if machine.PrefixServer(k.Prefix) != 0 {
			if _, err := throughServer(ctx, k, tree, true); !errors.Is(err, errServerEnded) {
				return err
			}
		}
		err := writeHive(k.hiveFile(root), path, tree, func() bool { return machine.PrefixServer(k.Prefix) == 0 })
		if err == nil && machine.PrefixServer(k.Prefix) != 0 {
			continue // it may have read the file before it was renamed
		}
		if !errors.Is(err, errChanged) {
			return err
		}
	}
	return errChanged
}

// writeHive writes a hive beside and renames it, if it is still the one that was read and
// still nobody's else.
func writeHive(name, path string, tree []hive.Branch, alone func() bool) error {
	was, err := os.Stat(name)
	if err != nil {
		return err
	}
	data, err := safefile.Read(name, hive.MaxBytes)
	if err != nil {
		return err
	}
	if data, err = hive.ReplaceTree(data, path, tree, time.Now()); err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(name), ".endroit-*.reg")
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	_, err = part.Write(data)
	if err == nil {
		err = part.Chmod(was.Mode().Perm())
	}
	if err == nil {
		err = part.Sync()
	}
	if closed := part.Close(); err == nil {
		err = closed
	}
	if err != nil {
		return err
	}
	if !alone() {
		return errChanged
	}
	is, err := os.Stat(name)
	if err != nil {
		return err
	}
	if !os.SameFile(was, is) || was.Size() != is.Size() || !was.ModTime().Equal(is.ModTime()) {
		return errChanged
	}
	if err := os.Rename(part.Name(), name); err != nil {
		return err
	}
	folder, err := os.Open(filepath.Dir(name))
	if err != nil {
		return err
	}
	defer folder.Close()
	err = folder.Sync()
	if errors.Is(err, errors.ErrUnsupported) || errors.Is(err, fs.ErrPermission) {
		return nil // not every system has a notion of it
	}
	return err
}
