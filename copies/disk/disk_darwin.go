package disk

import (
	"io/fs"
	"os"
	"syscall"
)

func fillIdentity(id *Identity, info fs.FileInfo) {
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		id.Device, id.Number, id.Changed = uint64(st.Dev), st.Ino, st.Ctimespec.Nano()
	}
}

func clone(to, from *os.File) bool { return false }

func holes(*os.File, fs.FileInfo) [][2]int64 { return nil }

func startWriting(*os.File) {}

// CanSyncAll says that SyncAll brings all files of a file system onto the disk at once.
const CanSyncAll = false

// SyncAll is not possible here.
func SyncAll(folder *os.File) error { return folder.Sync() }
