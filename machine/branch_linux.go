package machine

import (
	"encoding/binary"
	"io"
	"io/fs"
	"path/filepath"
	"sync"
	"time"

	"golang.org/x/sys/unix"
)

// On Linux a base is walked by openat2(2) with RESOLVE_BENEATH: the kernel opens a
// folder below another in one call, and refuses the way where it leads out.

// openBase opens a folder as a base.
func openBase(path string) (base, error) {
	if !beneath() {
		return openRooted(path)
	}
	fd, err := again(func() (int, error) {
		return unix.Open(path, unix.O_PATH|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	})
	if err != nil {
		return nil, &fs.PathError{Op: "open", Path: path, Err: err}
	}
	return kernelBase(fd), nil
}

// beneath reports whether the kernel knows the call; a sandbox may deny it.
var beneath = sync.OnceValue(func() bool {
	fd, err := unix.Openat2(unix.AT_FDCWD, ".", &unix.OpenHow{Flags: unix.O_PATH | unix.O_CLOEXEC, Resolve: unix.RESOLVE_BENEATH})
	if err == nil {
		_ = unix.Close(fd)
	}
	return err == nil
})

// again calls until no signal interrupts, or no rename does: the kernel says
// EAGAIN if it cannot be sure that a way stayed below.
func again(call func() (int, error)) (n int, err error) {
	for range 100 {
		if n, err = call(); err != unix.EINTR && err != unix.EAGAIN {
			break
		}
	}
	return n, err
}

type kernelBase int

func (t kernelBase) open(names []string, flags uint64) (int, error) {
	path := "."
	if len(names) > 0 {
		path = filepath.Join(names...)
	}
	fd, err := again(func() (int, error) {
		return unix.Openat2(int(t), path, &unix.OpenHow{Flags: flags | unix.O_CLOEXEC, Resolve: unix.RESOLVE_BENEATH | unix.RESOLVE_NO_MAGICLINKS})
	})
	if err == unix.EXDEV {
		return -1, &fs.PathError{Op: "open", Path: path, Err: errLeadsOut}
	}
	if err != nil {
		return -1, &fs.PathError{Op: "open", Path: path, Err: err}
	}
	return fd, nil
}

func (t kernelBase) stat(names []string) (fs.FileInfo, error) {
	fd, err := t.open(names, unix.O_PATH)
	if err != nil {
		return nil, err
	}
	defer unix.Close(fd)
	var st unix.Stat_t
	if err := unix.Fstat(fd, &st); err != nil {
		return nil, &fs.PathError{Op: "stat", Path: filepath.Join(names...), Err: err}
	}
	return newSeen(names[len(names)-1], &st), nil
}

func (t kernelBase) folder(names []string) (folder, error) {
	fd, err := t.open(names, unix.O_RDONLY|unix.O_DIRECTORY)
	if err != nil {
		return nil, err
	}
	return kernelFolder(fd), nil
}

func (t kernelBase) close() { _ = unix.Close(int(t)) }

type kernelFolder int

func (f kernelFolder) lstat(name string) (fs.FileInfo, error) {
	var st unix.Stat_t
	_, err := again(func() (int, error) {
		return 0, unix.Fstatat(int(f), name, &st, unix.AT_SYMLINK_NOFOLLOW)
	})
	if err != nil {
		return nil, &fs.PathError{Op: "stat", Path: name, Err: err}
	}
	return newSeen(name, &st), nil
}

// Where a name's record (struct linux_dirent64) has its length, type and text.
const (
	direntLength = 16
	direntType   = 18
	direntName   = 19
)

// list reads the names and their types (getdents64(2)); nothing is looked at.
func (f kernelFolder) list() (all []entry, err error) {
	if _, err := unix.Seek(int(f), 0, io.SeekStart); err != nil {
		return nil, &fs.PathError{Op: "list", Path: ".", Err: err}
	}
	buffer := make([]byte, 8<<10)
	for {
		n, err := again(func() (int, error) { return unix.ReadDirent(int(f), buffer) })
		if err != nil {
			return all, &fs.PathError{Op: "list", Path: ".", Err: err}
		}
		if n == 0 {
			return all, nil
		}
		for rest := buffer[:n]; len(rest) > direntName; {
			length := int(binary.NativeEndian.Uint16(rest[direntLength:]))
			if length <= direntName || length > len(rest) {
				break
			}
			if name := unix.ByteSliceToString(rest[direntName:length]); name != "." && name != ".." {
				all = append(all, entry{name: name, kind: kindOf(rest[direntType])})
			}
			rest = rest[length:]
		}
	}
}

func kindOf(t byte) fs.FileMode {
	switch t {
	case unix.DT_REG:
		return 0
	case unix.DT_DIR:
		return fs.ModeDir
	case unix.DT_LNK:
		return fs.ModeSymlink
	case unix.DT_UNKNOWN:
		return fs.ModeIrregular
	}
	return fs.ModeDevice
}

func (f kernelFolder) close() { _ = unix.Close(int(f)) }

// seen is what was seen of a file.
type seen struct {
	name string
	size int64
	mode fs.FileMode
	time time.Time
}

func newSeen(name string, st *unix.Stat_t) seen {
	s := seen{name: name, size: st.Size, mode: fs.FileMode(st.Mode & 0o777), time: time.Unix(st.Mtim.Unix())}
	switch st.Mode & unix.S_IFMT {
	case unix.S_IFREG:
	case unix.S_IFDIR:
		s.mode |= fs.ModeDir
	case unix.S_IFLNK:
		s.mode |= fs.ModeSymlink
	default:
		s.mode |= fs.ModeDevice
	}
	return s
}

func (s seen) Name() string       { return s.name }
func (s seen) Size() int64        { return s.size }
func (s seen) Mode() fs.FileMode  { return s.mode }
func (s seen) ModTime() time.Time { return s.time }
func (s seen) IsDir() bool        { return s.mode.IsDir() }
func (s seen) Sys() any           { return nil }
