package disk

import (
	"io/fs"
	"os"
	"sync/atomic"
	"syscall"

	"golang.org/x/sys/unix"
)

func fillIdentity(id *Identity, info fs.FileInfo) {
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		id.Device, id.Number, id.Changed = uint64(st.Dev), st.Ino, st.Ctim.Nano()
	}
}

// noClones is how often clones failed in a row; they are not tried for ever.
var noClones atomic.Int32

const clonesTried = 16

// clone lets a file share the blocks of another (ioctl_ficlone(2)).
func clone(to, from *os.File) bool {
	if noClones.Load() >= clonesTried {
		return false
	}
	if err := unix.IoctlFileClone(int(to.Fd()), int(from.Fd())); err != nil {
		noClones.Add(1)
		return false
	}
	noClones.Store(0)
	return true
}

// holes lists where a file has no blocks (lseek(2), SEEK_HOLE).
func holes(f *os.File, info fs.FileInfo) (all [][2]int64) {
	st, ok := info.Sys().(*syscall.Stat_t)
	if !ok || st.Blocks*512 >= st.Size {
		return nil
	}
	fd := int(f.Fd())
	defer unix.Seek(fd, 0, unix.SEEK_SET)
	for at := int64(0); at < st.Size && len(all) < maxHoles; {
		hole, err := unix.Seek(fd, at, unix.SEEK_HOLE)
		if err != nil || hole >= st.Size {
			break
		}
		data, err := unix.Seek(fd, hole, unix.SEEK_DATA)
		if err != nil { // ENXIO: to the end
			data = st.Size
		}
		all = append(all, [2]int64{hole, data - hole})
		at = data
	}
	return all
}

// maxHoles is how many are kept of one file.
const maxHoles = 10_000

// startWriting lets the system begin to bring a file onto the disk, and waits for nothing
// (sync_file_range(2)).
func startWriting(f *os.File) {
	_ = unix.SyncFileRange(int(f.Fd()), 0, 0, unix.SYNC_FILE_RANGE_WRITE)
}

// CanSyncAll says that SyncAll brings all files of a file system onto the disk at once.
const CanSyncAll = true

// SyncAll brings all of a folder's file system onto the disk (syncfs(2)).
func SyncAll(folder *os.File) error { return unix.Syncfs(int(folder.Fd())) }
