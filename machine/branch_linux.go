package machine

import (
	"encoding/binary"
	"fmt"
	"io"
	"io/fs"
	"math"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"syscall"
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

func (t kernelBase) way(names []string, flags uint64) (int, error) {
	path := "."
	if len(names) > 0 {
		path = strings.Join(names, "/")
	}
	fd, err := again(func() (int, error) {
		return unix.Openat2(
			int(t), path,
			&unix.OpenHow{Flags: flags | unix.O_CLOEXEC, Resolve: unix.RESOLVE_BENEATH | unix.RESOLVE_NO_MAGICLINKS},
		)
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
	fd, err := t.way(names, unix.O_PATH)
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
	fd, err := t.way(names, unix.O_RDONLY|unix.O_DIRECTORY)
	if err != nil {
		return nil, err
	}
	return &kernelFolder{fd: fd}, nil
}

func (t kernelBase) open(names []string, was fs.FileInfo) (*os.File, error) {
	fd, err := t.way(names, unix.O_RDONLY|unix.O_NONBLOCK|unix.O_NOCTTY)
	if err != nil {
		return nil, err
	}
	var st unix.Stat_t
	if err = unix.Fstat(fd, &st); err == nil && st.Mode&unix.S_IFMT != unix.S_IFREG {
		err = errNoFile
	}
	if before, ok := was.(seen); err == nil && (!ok || before.id != idOf(&st)) {
		err = errExchanged
	}
	if err != nil {
		_ = unix.Close(fd)
		return nil, err
	}
	return os.NewFile(uintptr(fd), filepath.Join(names...)), nil
}

// read opens the file once: one that is replaced meanwhile is whole as it was, and
// one that is written to, or removed, is recognised by its times and its number of links.
func (t kernelBase) read(names []string, most int) (r reading, err error) {
	fd, err := t.way(names, unix.O_RDONLY|unix.O_NONBLOCK|unix.O_NOCTTY)
	if err != nil {
		return r, err
	}
	defer unix.Close(fd)
	var before, after unix.Stat_t
	if err = unix.Fstat(fd, &before); err != nil {
		return r, err
	}
	if before.Mode&unix.S_IFMT != unix.S_IFREG {
		return r, errNoFile
	}
	r.data = make([]byte, min(before.Size, int64(most))+1)
	n := 0
	for n == 0 || int64(n) < before.Size && n < len(r.data) { // that it has grown shows in its size
		got, err := again(func() (int, error) { return unix.Pread(fd, r.data[n:], int64(n)) })
		if err != nil {
			return r, err
		}
		if got == 0 {
			break
		}
		n += got
	}
	r.data = r.data[:n]
	if err = unix.Fstat(fd, &after); err != nil {
		return r, err
	}
	r.after = newSeen(names[len(names)-1], &after)
	r.same = after.Nlink > 0 && before.Size == after.Size && before.Mtim == after.Mtim && before.Ctim == after.Ctim
	return r, nil
}

func (t kernelBase) close() { _ = unix.Close(int(t)) }

type kernelFolder struct {
	fd     int
	listed bool // it has to be gone back in
}

func (f *kernelFolder) lstat(name string) (fs.FileInfo, error) {
	var st unix.Stat_t
	_, err := again(func() (int, error) {
		return 0, unix.Fstatat(f.fd, name, &st, unix.AT_SYMLINK_NOFOLLOW)
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
	direntUsual  = 32 // bytes of one
)

// buffers are what folders are listed by; a new one for each would be the most that a
// survey asks memory for.
var buffers = sync.Pool{New: func() any { return new([8 << 10]byte) }}

// list reads the names and their types; nothing is looked at.
func (f *kernelFolder) list() (all []entry, err error) {
	if f.listed {
		if _, err := unix.Seek(f.fd, 0, io.SeekStart); err != nil {
			return nil, &fs.PathError{Op: "list", Path: ".", Err: err}
		}
	}
	f.listed = true
	return entries(f.fd, math.MaxInt)
}

// listFolder gives what is in a folder, at most max names and a few; with an error,
// as far as it could be read.
func listFolder(path string, most int) ([]entry, error) {
	fd, err := again(func() (int, error) {
		return unix.Open(path, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	})
	if err != nil {
		return nil, &fs.PathError{Op: "open", Path: path, Err: err}
	}
	defer unix.Close(fd)
	return entries(fd, most)
}

// entries reads from an open folder (getdents64(2)).
func entries(fd, most int) (all []entry, err error) {
	buffer := buffers.Get().(*[8 << 10]byte)
	defer buffers.Put(buffer)
	for len(all) < most {
		n, err := again(func() (int, error) { return unix.ReadDirent(fd, buffer[:]) })
		if err != nil {
			return all, &fs.PathError{Op: "list", Path: ".", Err: err}
		}
		if n == 0 {
			break
		}
		if all == nil {
			all = make([]entry, 0, n/direntUsual)
		}
		text := string(buffer[:n]) // the names are cut from it
		for at := 0; n-at > direntName; {
			length := int(binary.NativeEndian.Uint16(buffer[at+direntLength:]))
			if length <= direntName || length > n-at {
				break
			}
			name := text[at+direntName : at+length]
			if end := strings.IndexByte(name, 0); end >= 0 {
				name = name[:end]
			}
			if name != "." && name != ".." {
				all = append(all, entry{name: name, kind: kindOf(buffer[at+direntType])})
			}
			at += length
		}
	}
	return all, nil
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

func (f *kernelFolder) close() { _ = unix.Close(f.fd) }

// seen is what was seen of a file.
type seen struct {
	name  string
	size  int64
	mode  fs.FileMode
	time  time.Time
	id    fileID
	names uint64 // how many it has
}

// fileID tells files apart, whatever they are called.
type fileID struct{ device, inode uint64 }

func idOf(st *unix.Stat_t) fileID { return fileID{uint64(st.Dev), st.Ino} }

// otherNames gives a file's identity where it has other names as well (hard links).
func otherNames(info fs.FileInfo) (id fileID, has bool) {
	switch s := info.(type) {
	case seen:
		return s.id, s.names > 1 && s.mode.IsRegular()
	case nil:
		return id, false
	}
	st, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return id, false
	}
	return fileID{uint64(st.Dev), st.Ino}, st.Nlink > 1 && info.Mode().IsRegular()
}

// identify gives the identity of what a path is; a link is one itself.
func identify(path string) (fileID, bool) {
	var st unix.Stat_t
	err := unix.Lstat(path, &st)
	return idOf(&st), err == nil
}

// nameOf is where an open file really is.
func nameOf(f *os.File) (string, error) {
	return os.Readlink(fmt.Sprintf("/proc/self/fd/%d", f.Fd()))
}

func newSeen(name string, st *unix.Stat_t) seen {
	s := seen{
		name:  name,
		size:  st.Size,
		mode:  fs.FileMode(st.Mode & 0o777),
		time:  time.Unix(st.Mtim.Unix()),
		id:    idOf(st),
		names: uint64(st.Nlink),
	}
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
