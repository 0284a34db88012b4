//go:build unix

package safefile

import (
	"errors"
	"os"
	"path/filepath"
	"syscall"

	"github.com/google/renameio/v2"
)

func replace(name string, data []byte) error {
	folder := filepath.Dir(name)
	if err := renameio.WriteFile(
		name, data, 0o600, renameio.WithTempDir(folder), renameio.WithStaticPermissions(0o600),
	); err != nil {
		return err
	}
	// The rename itself is on disk once the folder is (fsync(2)).
	f, err := os.Open(folder)
	if err != nil {
		return err
	}
	defer f.Close()
	if err := f.Sync(); err != nil && !errors.Is(err, errors.ErrUnsupported) && !errors.Is(err, syscall.EINVAL) {
		return err
	}
	return nil // not every file system has a notion of it (fsync(2), EINVAL)
}
