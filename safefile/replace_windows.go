package safefile

import (
	"os"
	"path/filepath"
)

// replace renames over the old file: MoveFileEx does that in one step within a volume.
func replace(name string, data []byte) error {
	f, err := os.CreateTemp(filepath.Dir(name), ".new-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name()) // fails harmlessly once it was renamed
	_, err = f.Write(data)
	if err == nil {
		err = f.Sync()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err != nil {
		return err
	}
	return os.Rename(f.Name(), name)
}
