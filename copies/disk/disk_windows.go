package disk

import (
	"errors"
	"io/fs"
	"os"

	"golang.org/x/sys/windows"
)

func fillIdentity(*Identity, fs.FileInfo) {}

// Device is 0: a file's volume is not told by looking at it.
func Device(fs.FileInfo) uint64 { return 0 }

// HasOtherNames is not told by looking at a file.
func HasOtherNames(fs.FileInfo) bool { return false }

// CanMove says that files go between folders of one file system without being copied.
const CanMove = false

// Move is not possible between open folders here.
func Move(from *os.File, name string, to *os.File, as string) error { return errors.ErrUnsupported }

// Link is not possible between open folders here.
func Link(from *os.File, name string, to *os.File, as string) error { return errors.ErrUnsupported }

// SyncFolder has nothing to do: NTFS keeps a journal of its names.
func SyncFolder(*os.File) error { return nil }

// Free is how many bytes this person can still write where a folder is.
func Free(folder string) (int64, error) {
	name, err := windows.UTF16PtrFromString(folder)
	if err != nil {
		return 0, err
	}
	var free uint64
	if err := windows.GetDiskFreeSpaceEx(name, &free, nil, nil); err != nil {
		return 0, err
	}
	return int64(min(free, 1<<62)), nil
}

func clone(to, from *os.File) bool { return false }

func holes(*os.File, fs.FileInfo) [][2]int64 { return nil }

func xattrs(*os.File) map[string][]byte { return nil }

// SetXattrs names them all: NTFS has others.
func SetXattrs(_ *os.File, all map[string][]byte) (refused []string) {
	for name := range all {
		refused = append(refused, name)
	}
	return refused
}

func startWriting(*os.File) {}

// CanSyncAll says that SyncAll brings all files of a file system onto the disk at once.
const CanSyncAll = false

// SyncAll is not possible here.
func SyncAll(*os.File) error { return nil }
