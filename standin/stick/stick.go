//go:build linux

// Package stick is a file system as old sticks have one: no links, no permissions, names
// that letters' case does not tell apart, and cannot have some characters, and times in
// steps of two seconds. It can be switched to read-only, and taken out.
//
//	s := stick.Mount(t)
//	err := os.WriteFile(filepath.Join(s.Folder, "a.sav"), data, 0o644)
package stick

import (
	"context"
	"path/filepath"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"

	"github.com/hanwen/go-fuse/v2/fs"
	"github.com/hanwen/go-fuse/v2/fuse"
)

// Stick is one that is mounted.
type Stick struct {
	Folder   string
	ReadOnly atomic.Bool

	behind string // where the files are, in lowercase
	names  sync.Map
	server *fuse.Server
}

// Mount mounts a stick for a test, which is skipped where none can be.
func Mount(t testing.TB) *Stick {
	t.Helper()
	s := &Stick{Folder: t.TempDir(), behind: t.TempDir()}
	var err error
	s.server, err = fs.Mount(s.Folder, &node{on: s}, &fs.Options{MountOptions: fuse.MountOptions{DirectMount: true, FsName: "stick"}})
	if err != nil {
		t.Skipf("no file system can be mounted here: %v", err)
	}
	t.Cleanup(s.TakeOut)
	return s
}

// TakeOut takes the stick out, whoever uses it.
func (s *Stick) TakeOut() {
	_ = syscall.Unmount(s.Folder, syscall.MNT_DETACH)
	_ = s.server.Unmount()
}

type node struct {
	fs.Inode
	on *Stick
}

// file is an open one.
type file struct {
	fd int
	on *Stick
}

func (n *node) below(name string) string {
	return filepath.Join(n.on.behind, strings.ToLower(filepath.Join(n.Path(n.Root()), name)))
}

// writable says why a name cannot be written.
func (n *node) writable(names ...string) syscall.Errno {
	if n.on.ReadOnly.Load() {
		return syscall.EROFS
	}
	for _, name := range names {
		if strings.ContainsAny(name, `"*:<>?|\`) || strings.TrimRight(name, ". ") != name {
			return syscall.EINVAL
		}
	}
	return 0
}

// fill tells of a file what such a file system keeps.
func fill(st *syscall.Stat_t, out *fuse.Attr) {
	st.Mtim.Sec, st.Mtim.Nsec = st.Mtim.Sec&^1, 0
	st.Ctim, st.Atim = st.Mtim, st.Mtim
	out.FromStat(st)
	out.Mode = out.Mode&^0o777 | 0o755
	out.Nlink = 1
}

func (n *node) child(ctx context.Context, path string, out *fuse.EntryOut) (*fs.Inode, syscall.Errno) {
	var st syscall.Stat_t
	if err := syscall.Lstat(path, &st); err != nil {
		return nil, fs.ToErrno(err)
	}
	fill(&st, &out.Attr)
	return n.NewInode(ctx, &node{on: n.on}, fs.StableAttr{Mode: st.Mode, Ino: st.Ino}), 0
}

func (n *node) Lookup(ctx context.Context, name string, out *fuse.EntryOut) (*fs.Inode, syscall.Errno) {
	return n.child(ctx, n.below(name), out)
}

func (n *node) Getattr(_ context.Context, _ fs.FileHandle, out *fuse.AttrOut) syscall.Errno {
	var st syscall.Stat_t
	if err := syscall.Lstat(n.below(""), &st); err != nil {
		return fs.ToErrno(err)
	}
	fill(&st, &out.Attr)
	return 0
}

func (n *node) Setattr(ctx context.Context, f fs.FileHandle, in *fuse.SetAttrIn, out *fuse.AttrOut) syscall.Errno {
	if err := n.writable(); err != 0 {
		return err
	}
	if mode, set := in.GetMode(); set && mode&0o777 != 0o755 && mode&0o200 == 0 {
		return syscall.EPERM // of permissions it has whether a file can be written
	}
	if size, set := in.GetSize(); set {
		if err := syscall.Truncate(n.below(""), int64(size)); err != nil {
			return fs.ToErrno(err)
		}
	}
	if at, set := in.GetMTime(); set {
		ts := syscall.NsecToTimespec(at.UnixNano())
		if err := syscall.UtimesNano(n.below(""), []syscall.Timespec{ts, ts}); err != nil {
			return fs.ToErrno(err)
		}
	}
	return n.Getattr(ctx, f, out)
}

func (n *node) Open(_ context.Context, flags uint32) (fs.FileHandle, uint32, syscall.Errno) {
	if flags&syscall.O_ACCMODE != syscall.O_RDONLY {
		if err := n.writable(); err != 0 {
			return nil, 0, err
		}
	}
	fd, err := syscall.Open(n.below(""), int(flags)&^syscall.O_APPEND, 0)
	return &file{fd, n.on}, 0, fs.ToErrno(err)
}

func (n *node) Create(
	ctx context.Context, name string, flags, mode uint32, out *fuse.EntryOut,
) (*fs.Inode, fs.FileHandle, uint32, syscall.Errno) {
	if err := n.writable(name); err != 0 {
		return nil, nil, 0, err
	}
	path := n.below(name)
	fd, err := syscall.Open(path, int(flags)&^syscall.O_APPEND|syscall.O_CREAT, 0o644)
	if err != nil {
		return nil, nil, 0, fs.ToErrno(err)
	}
	n.on.names.LoadOrStore(path, name)
	inode, errno := n.child(ctx, path, out)
	return inode, &file{fd, n.on}, 0, errno
}

func (n *node) Mkdir(ctx context.Context, name string, _ uint32, out *fuse.EntryOut) (*fs.Inode, syscall.Errno) {
	if err := n.writable(name); err != 0 {
		return nil, err
	}
	path := n.below(name)
	if err := syscall.Mkdir(path, 0o755); err != nil {
		return nil, fs.ToErrno(err)
	}
	n.on.names.Store(path, name)
	return n.child(ctx, path, out)
}

func (n *node) Unlink(_ context.Context, name string) syscall.Errno {
	if err := n.writable(); err != 0 {
		return err
	}
	n.on.names.Delete(n.below(name))
	return fs.ToErrno(syscall.Unlink(n.below(name)))
}

func (n *node) Rmdir(_ context.Context, name string) syscall.Errno {
	if err := n.writable(); err != 0 {
		return err
	}
	n.on.names.Delete(n.below(name))
	return fs.ToErrno(syscall.Rmdir(n.below(name)))
}

func (n *node) Rename(_ context.Context, name string, to fs.InodeEmbedder, as string, flags uint32) syscall.Errno {
	if err := n.writable(as); err != 0 {
		return err
	}
	if flags != 0 {
		return syscall.EINVAL
	}
	path := to.(*node).below(as)
	err := syscall.Rename(n.below(name), path)
	if err == nil {
		n.on.names.Delete(n.below(name))
		n.on.names.Store(path, as)
	}
	return fs.ToErrno(err)
}

func (n *node) Link(context.Context, fs.InodeEmbedder, string, *fuse.EntryOut) (*fs.Inode, syscall.Errno) {
	return nil, syscall.EPERM
}

func (n *node) Symlink(context.Context, string, string, *fuse.EntryOut) (*fs.Inode, syscall.Errno) {
	return nil, syscall.EPERM
}

// Readdir lists names as they were given.
func (n *node) Readdir(context.Context) (fs.DirStream, syscall.Errno) {
	from, errno := fs.NewLoopbackDirStream(n.below(""))
	if errno != 0 {
		return nil, errno
	}
	defer from.Close()
	var all []fuse.DirEntry
	for from.HasNext() {
		e, errno := from.Next()
		if errno != 0 {
			return nil, errno
		}
		if e.Name == "." || e.Name == ".." {
			continue
		}
		if shown, ok := n.on.names.Load(n.below(e.Name)); ok {
			e.Name = shown.(string)
		}
		all = append(all, e)
	}
	return fs.NewListDirStream(all), 0
}

func (n *node) Statfs(_ context.Context, out *fuse.StatfsOut) syscall.Errno {
	var st syscall.Statfs_t
	if err := syscall.Statfs(n.on.behind, &st); err != nil {
		return fs.ToErrno(err)
	}
	out.FromStatfsT(&st)
	return 0
}

func (f *file) Read(_ context.Context, data []byte, off int64) (fuse.ReadResult, syscall.Errno) {
	n, err := syscall.Pread(f.fd, data, off)
	if err != nil {
		return nil, fs.ToErrno(err)
	}
	return fuse.ReadResultData(data[:n]), 0
}

func (f *file) Write(_ context.Context, data []byte, off int64) (uint32, syscall.Errno) {
	if f.on.ReadOnly.Load() {
		return 0, syscall.EROFS
	}
	n, err := syscall.Pwrite(f.fd, data, off)
	return uint32(max(n, 0)), fs.ToErrno(err)
}

func (f *file) Fsync(context.Context, uint32) syscall.Errno { return fs.ToErrno(syscall.Fsync(f.fd)) }

func (f *file) Flush(context.Context) syscall.Errno { return 0 }

func (f *file) Release(context.Context) syscall.Errno { return fs.ToErrno(syscall.Close(f.fd)) }
