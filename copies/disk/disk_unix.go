//go:build unix

package disk

import (
	"io/fs"
	"os"
	"strings"
	"syscall"

	"golang.org/x/sys/unix"
)

// Device is the number of the file system that a file is on.
func Device(info fs.FileInfo) uint64 {
	if st, ok := info.Sys().(*syscall.Stat_t); ok {
		return uint64(st.Dev)
	}
	return 0
}

// HasOtherNames reports whether a file has further names (hard links).
func HasOtherNames(info fs.FileInfo) bool {
	st, ok := info.Sys().(*syscall.Stat_t)
	return ok && st.Nlink > 1 && info.Mode().IsRegular()
}

// CanMove says that files go between folders of one file system without being copied.
const CanMove = true

// Move renames what has a name in one open folder to a name in another.
func Move(from *os.File, name string, to *os.File, as string) error {
	return unix.Renameat(int(from.Fd()), name, int(to.Fd()), as)
}

// Link gives what has a name in one open folder a further name in another; of a link it is
// the link itself.
func Link(from *os.File, name string, to *os.File, as string) error {
	return unix.Linkat(int(from.Fd()), name, int(to.Fd()), as, 0)
}

// SyncFolder brings the names in an open folder onto the disk (fsync(2)).
func SyncFolder(folder *os.File) error { return folder.Sync() }

// Free is how many bytes this person can still write where a folder is.
func Free(folder string) (int64, error) {
	var st unix.Statfs_t
	if err := unix.Statfs(folder, &st); err != nil {
		return 0, err
	}
	return int64(st.Bavail) * int64(st.Bsize), nil
}

// The bounds of extended attributes that are copied.
const (
	maxXattrs    = 64
	maxXattrData = 64 << 10
)

// ownSpace is the namespace of attributes that programs may set (xattr(7)).
const ownSpace = "user."

func xattrs(f *os.File) map[string][]byte {
	n, err := unix.Flistxattr(int(f.Fd()), nil)
	if err != nil || n <= 0 || n > maxXattrData {
		return nil
	}
	names := make([]byte, n)
	if n, err = unix.Flistxattr(int(f.Fd()), names); err != nil {
		return nil
	}
	out, size := map[string][]byte{}, 0
	for name := range strings.SplitSeq(string(names[:n]), "\x00") {
		if !strings.HasPrefix(name, ownSpace) || len(out) == maxXattrs {
			continue
		}
		n, err := unix.Fgetxattr(int(f.Fd()), name, nil)
		if err != nil || n < 0 || size+n+len(name) > maxXattrData {
			continue
		}
		value := make([]byte, n)
		if n > 0 {
			if n, err = unix.Fgetxattr(int(f.Fd()), name, value); err != nil {
				continue
			}
		}
		out[name] = value[:n]
		size += n + len(name)
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// SetXattrs gives an open file its extended attributes, and names those that its file
// system does not take.
func SetXattrs(f *os.File, all map[string][]byte) (refused []string) {
	for name, value := range all {
		if !strings.HasPrefix(name, ownSpace) || unix.Fsetxattr(int(f.Fd()), name, value, 0) != nil {
			refused = append(refused, name)
		}
	}
	return refused
}
