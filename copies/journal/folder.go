package journal

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"endroit/copies/disk"
)

// parentFolder is the open folder in which a file changes. It was reached from the anchor's
// folder without leaving it.
type parentFolder struct {
	root *os.Root
	file *os.File
}

func (p parentFolder) close() {
	if p.root != nil {
		_ = p.root.Close()
	}
	if p.file != nil {
		_ = p.file.Close()
	}
}

func (p *parentFolder) sync() error {
	return ignoreUnsupported(disk.SyncFolder(p.file))
}

// openParent opens the folder of a file, by the way from the folder that it keeps to.
func openParent(top string, names []string) (parentFolder, error) {
	root, err := os.OpenRoot(top)
	if err != nil {
		return parentFolder{}, err
	}
	if len(names) > 1 {
		below, err := root.OpenRoot(filepath.Join(names[:len(names)-1]...))
		_ = root.Close()
		if err != nil {
			return parentFolder{}, err
		}
		root = below
	}
	file, err := root.Open(".")
	if err != nil {
		_ = root.Close()
		return parentFolder{}, err
	}
	return parentFolder{root, file}, nil
}

// open opens the folder of a step's file, and gives the file's name in it.
func (s step) open() (p parentFolder, name string, err error) {
	top, err := decodeTop(s.Top)
	if err != nil {
		return p, "", err
	}
	names, err := decodeNames(s.Names)
	if err != nil {
		return p, "", err
	}
	if _, err := os.Stat(top); err != nil {
		// Perhaps its disk is not plugged in: what is below it is not gone for that.
		return p, "", fmt.Errorf("the folder %s cannot be opened: %v", top, disk.Cause(err))
	}
	p, err = openParent(top, names)
	return p, names[len(names)-1], err
}

// name is the name of a step's file in its folder.
func (s step) name() (string, error) {
	_, last := cutLast(s.Names)
	names, err := decodeNames(last)
	if err != nil {
		return "", err
	}
	return names[0], nil
}

// makeFolder makes a folder that an operation needs.
func makeFolder(f folderMade) error {
	return withFolder(f, func(root *os.Root, name string) error {
		if err := root.Mkdir(name, 0o755); err != nil && !errors.Is(err, fs.ErrExist) {
			return err
		}
		return nil
	})
}

// removeFolder removes a folder that an operation made, unless something lies in it.
func removeFolder(f folderMade) error {
	return withFolder(f, func(root *os.Root, name string) error {
		_ = disk.Remove(root, name) // it stays where it is not empty
		return nil
	})
}

func withFolder(f folderMade, do func(root *os.Root, name string) error) error {
	top, err := decodeTop(f.Top)
	if err != nil {
		return err
	}
	names, err := decodeNames(f.Names)
	if err != nil {
		return err
	}
	root, err := os.OpenRoot(top)
	if err != nil {
		return fmt.Errorf("%s: %w", top, disk.Cause(err))
	}
	defer root.Close()
	return do(root, filepath.Join(names...))
}

func syncPath(folder string) error {
	f, err := os.Open(folder)
	if err != nil {
		return err
	}
	defer f.Close()
	return ignoreUnsupported(disk.SyncFolder(f))
}

// ignoreMissing takes for done what is about something that is not there.
func ignoreMissing(err error) error {
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	return err
}

// ignoreUnsupported takes for done what a file system has no notion of.
func ignoreUnsupported(err error) error {
	if errors.Is(err, errors.ErrUnsupported) || errors.Is(err, fs.ErrPermission) {
		return nil
	}
	return err
}
