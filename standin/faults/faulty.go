//go:build linux

package main

import (
	"context"
	"math/rand/v2"
	"sync/atomic"
	"syscall"

	"github.com/hanwen/go-fuse/v2/fs"
	"github.com/hanwen/go-fuse/v2/fuse"
)

// faulty is a file system that shows a folder, and whose changes fail now and then: a disk
// that is full, or broken.
type faulty struct {
	server *fuse.Server
	// one in so many changes fails; 0 for none.
	oneIn  atomic.Int64
	failed atomic.Int64
}

// mountFaulty mounts it.
func mountFaulty(folder, at string) (*faulty, error) {
	f := &faulty{}
	var st syscall.Stat_t
	if err := syscall.Stat(folder, &st); err != nil {
		return nil, err
	}
	root := &fs.LoopbackRoot{Path: folder, Dev: uint64(st.Dev)}
	node := &faultyNode{LoopbackNode: &fs.LoopbackNode{RootData: root}, on: f}
	root.RootNode = node
	var err error
	f.server, err = fs.Mount(at, node, &fs.Options{MountOptions: fuse.MountOptions{DirectMount: true, FsName: "faulty"}})
	return f, err
}

// fault is the error that a change gets.
func (f *faulty) fault() syscall.Errno {
	n := f.oneIn.Load()
	if n == 0 || rand.Int64N(n) != 0 {
		return 0
	}
	f.failed.Add(1)
	return []syscall.Errno{syscall.ENOSPC, syscall.EIO}[rand.IntN(2)]
}

type faultyNode struct {
	*fs.LoopbackNode
	on *faulty
}

// WrapChild makes what is below a node one of these too.
func (n *faultyNode) WrapChild(_ context.Context, child fs.InodeEmbedder) fs.InodeEmbedder {
	return &faultyNode{LoopbackNode: child.(*fs.LoopbackNode), on: n.on}
}

type faultyFile struct {
	fs.FileHandle
	on *faulty
}

func (n *faultyNode) Create(
	ctx context.Context, name string, flags, mode uint32, out *fuse.EntryOut,
) (*fs.Inode, fs.FileHandle, uint32, syscall.Errno) {
	if err := n.on.fault(); err != 0 {
		return nil, nil, 0, err
	}
	inode, file, more, err := n.LoopbackNode.Create(ctx, name, flags, mode, out)
	return inode, &faultyFile{file, n.on}, more, err
}

func (n *faultyNode) Mkdir(ctx context.Context, name string, mode uint32, out *fuse.EntryOut) (*fs.Inode, syscall.Errno) {
	if err := n.on.fault(); err != 0 {
		return nil, err
	}
	return n.LoopbackNode.Mkdir(ctx, name, mode, out)
}

func (n *faultyNode) Rename(ctx context.Context, name string, to fs.InodeEmbedder, as string, flags uint32) syscall.Errno {
	if err := n.on.fault(); err != 0 {
		return err
	}
	return n.LoopbackNode.Rename(ctx, name, to, as, flags)
}

func (n *faultyNode) Unlink(ctx context.Context, name string) syscall.Errno {
	if err := n.on.fault(); err != 0 {
		return err
	}
	return n.LoopbackNode.Unlink(ctx, name)
}

func (n *faultyNode) Link(ctx context.Context, target fs.InodeEmbedder, name string, out *fuse.EntryOut) (*fs.Inode, syscall.Errno) {
	if err := n.on.fault(); err != 0 {
		return nil, err
	}
	return n.LoopbackNode.Link(ctx, target, name, out)
}

func (n *faultyNode) Fsync(ctx context.Context, f fs.FileHandle, flags uint32) syscall.Errno {
	if err := n.on.fault(); err != 0 {
		return err
	}
	return 0
}

func (f *faultyFile) Write(ctx context.Context, data []byte, off int64) (uint32, syscall.Errno) {
	if err := f.on.fault(); err != 0 {
		return 0, err
	}
	return f.FileHandle.(fs.FileWriter).Write(ctx, data, off)
}

func (f *faultyFile) Release(ctx context.Context) syscall.Errno {
	return f.FileHandle.(fs.FileReleaser).Release(ctx)
}

func (f *faultyFile) Flush(ctx context.Context) syscall.Errno {
	return f.FileHandle.(fs.FileFlusher).Flush(ctx)
}

func (f *faultyFile) Read(ctx context.Context, data []byte, off int64) (fuse.ReadResult, syscall.Errno) {
	return f.FileHandle.(fs.FileReader).Read(ctx, data, off)
}

func (f *faultyFile) Getattr(ctx context.Context, out *fuse.AttrOut) syscall.Errno {
	return f.FileHandle.(fs.FileGetattrer).Getattr(ctx, out)
}

func (f *faultyFile) Setattr(ctx context.Context, in *fuse.SetAttrIn, out *fuse.AttrOut) syscall.Errno {
	return f.FileHandle.(fs.FileSetattrer).Setattr(ctx, in, out)
}

func (f *faultyFile) Lseek(ctx context.Context, off uint64, whence uint32) (uint64, syscall.Errno) {
	return f.FileHandle.(fs.FileLseeker).Lseek(ctx, off, whence)
}
