// Package whole writes files whole or not at all: a crash leaves the old one or the new
// one.
//
//	err := whole.Write("tidewrack.draft.yaml", text)
package whole

import (
	"fmt"
	"os"
	"path/filepath"
)

// Write writes a file in place of the one that is there. Only this person may read it.
func Write(name string, data []byte) error {
	f, err := os.CreateTemp(filepath.Dir(name), ".new-*")
	if err != nil {
		return err
	}
	defer os.Remove(f.Name()) // gone already where all went well
	_, err = f.Write(data)
	if err == nil {
		err = f.Sync()
	}
	if e := f.Close(); err == nil {
		err = e
	}
	if err == nil {
		err = os.Rename(f.Name(), name)
	}
	if err != nil {
		return fmt.Errorf("write %s: %w", name, err)
	}
	return nil
}
