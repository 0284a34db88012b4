//go:build amd64 || arm64

package processes

import (
	"os"
	"path"
	"strconv"
	"strings"
	"sync"

	"golang.org/x/sys/unix"

	"endroit/core/trace"
)

// View is what paths mean to a process: its root folder and the mounts that it sees.
// Processes that see the same share it.
type View struct {
	Root  string // its root folder, as the mounts' own root has it; empty if it is that
	space string // its mount namespace; empty if it is the host's
	Top   *Base  // what absolute paths begin at

	mu     sync.Mutex
	bases  map[string]*Base
	mounts Mounts
}

// Own reports whether the view is not the host's.
func (v *View) Own() bool { return v.Root != "" || v.space != "" }

// Base is a folder that paths begin at.
type Base struct {
	Folder string // without links; as the mounts' own root has it
}

// maxBases bounds the memory for working folders.
const maxBases = 2_000

// At is the base of a folder.
func (v *View) At(folder string) *Base {
	v.mu.Lock()
	defer v.mu.Unlock()
	b := v.bases[folder]
	if b == nil {
		if v.bases == nil || len(v.bases) >= maxBases {
			v.bases = map[string]*Base{}
			if v.Top != nil {
				v.bases["/"] = v.Top
			}
		}
		b = &Base{Folder: folder}
		v.bases[folder] = b
	}
	return b
}

// viewOf finds a process's view, with its mounts as they are now.
func (ps *Table) viewOf(pid int) *View {
	dir := "/proc/" + strconv.Itoa(pid)
	root := ""
	if r, err := os.Readlink(dir + "/root"); err == nil && r != "/" {
		root = r
	}
	ns, err := os.Readlink(dir + "/ns/mnt")
	if err != nil || ps.mntSpace == "" || ns == ps.mntSpace {
		ns = ""
	}
	if root == "" && ns == "" {
		return ps.host
	}
	key := ns + " " + root
	ps.Mu.Lock()
	v := ps.views[key]
	if v == nil {
		v = &View{Root: root, space: ns}
		v.Top = v.At("/")
		ps.views[key] = v
	}
	ps.Mu.Unlock()
	if ns != "" {
		all := ReadMounts(strconv.Itoa(pid))
		v.mu.Lock()
		v.mounts = all
		v.bases = map[string]*Base{"/": v.Top}
		v.mu.Unlock()
		ps.Moves.Add(1) // what was remembered may mean others now
	}
	return v
}

// Inside is a path without links, as the mounts' own root has it, from the view's root.
func (v *View) Inside(full string) string {
	if v.Root == "" {
		return full
	}
	if !trace.Within(full, v.Root) {
		return full // it was opened before the root was changed
	}
	return Rebased(full, v.Root, "/")
}

// OnHost is where a path that a process with this view sees is for the host: plain says
// that it is there as the process sees it. ok is false for what the host sees nowhere.
func (ps *Table) OnHost(v *View, full string) (host string, plain, ok bool) {
	if v.space == "" {
		return full, true, true
	}
	v.mu.Lock()
	all := v.mounts
	v.mu.Unlock()
	name := v.Inside(full)
	if found, ok := all.OnHost(name, ps.host.mounts); ok {
		return found, true, true
	}
	// The upper folder of an overlay is where what is written lands.
	i := all.holding(name)
	if i < 0 || all[i].upper == "" {
		return "", false, false
	}
	upper := Rebased(Rebased(name, all[i].Point, all[i].root), "/", all[i].upper)
	if _, err := os.Lstat(all[i].upper); err == nil {
		return upper, false, true // it was named as the host has it
	}
	host, ok = all.OnHost(upper, ps.host.mounts)
	return host, false, ok
}

// openRoot opens a process's root folder, in its own mounts.
func openRoot(pid int) (int, error) {
	return unix.Open("/proc/"+strconv.Itoa(pid)+"/root", unix.O_PATH|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
}

// ResolvePath is the path without links of what a process with a view of its own means by
// an absolute path: links count from its root, and nothing leads above that. It is as the
// mounts' own root has it.
func ResolvePath(pid int, name string, flags int) (string, error) {
	root, err := openRoot(pid)
	if err != nil {
		return "", err
	}
	defer unix.Close(root)
	return followedFrom(root, name, flags)
}

// followedFrom is followed for another folder as the root.
func followedFrom(root int, name string, flags int) (string, error) {
	fd, err := unix.Openat2(
		root, name,
		&unix.OpenHow{Flags: uint64(unix.O_PATH | unix.O_CLOEXEC | flags), Resolve: unix.RESOLVE_IN_ROOT},
	)
	if err != nil {
		return "", err
	}
	defer unix.Close(fd)
	return PathOf(fd)
}

// PathOf is the path of an open file.
func PathOf(fd int) (string, error) {
	found, err := os.Readlink("/proc/self/fd/" + strconv.Itoa(fd))
	switch {
	case err != nil:
		return "", err
	case !path.IsAbs(found) || strings.HasSuffix(found, " (deleted)"):
		return "", unix.ENOENT
	}
	return found, nil
}
