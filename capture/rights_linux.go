//go:build amd64 || arm64

package capture

import (
	"os/user"
	"runtime"
	"strconv"
	"sync/atomic"
	"syscall"
	"unsafe"
)

// Rights are a person's on files. Root uses them on somebody's behalf, so that a name
// that the person can make lead elsewhere leads nowhere where they could not go alone.
type Rights struct {
	uid, gid int
	groups   []uint32
}

// RightsOf are those of a user; nil, which are this process's own, for root itself.
func RightsOf(uid, gid int) *Rights {
	if uid == 0 {
		return nil
	}
	r := &Rights{uid: uid, gid: gid, groups: []uint32{uint32(gid)}}
	if u, err := user.LookupId(strconv.Itoa(uid)); err == nil {
		ids, _ := u.GroupIds()
		for _, id := range ids {
			if n, err := strconv.ParseUint(id, 10, 32); err == nil {
				r.groups = append(r.groups, uint32(n))
			}
		}
	}
	return r
}

// Do runs do with these rights: what it opens has to be the person's to open, and what it
// makes is theirs (credentials(7), setfsuid(2): with another user than root the thread has
// none of root's capabilities on files). do must not start goroutines for that.
func (r *Rights) Do(do func()) {
	if r == nil {
		do()
		return
	}
	runtime.LockOSThread() // the rights are the thread's
	own := make([]uint32, 1024)
	n, _, errno := syscall.RawSyscall(syscall.SYS_GETGROUPS, uintptr(len(own)), uintptr(unsafe.Pointer(&own[0])), 0)
	if errno != 0 {
		return // the thread stays locked, and ends with its goroutine
	}
	own = own[:n]
	if !become(r.uid, r.gid, r.groups) {
		return
	}
	do()
	if become(0, 0, own) {
		runtime.UnlockOSThread()
	}
}

// become gives the calling thread another user's rights on files.
func become(uid, gid int, groups []uint32) bool {
	first := unsafe.Pointer(unsafe.SliceData(append(groups, 0)))
	if _, _, errno := syscall.RawSyscall(syscall.SYS_SETGROUPS, uintptr(len(groups)), uintptr(first), 0); errno != 0 {
		return false
	}
	for call, id := range map[uintptr]int{syscall.SYS_SETFSGID: gid, syscall.SYS_SETFSUID: uid} {
		_, _, _ = syscall.RawSyscall(call, uintptr(id), 0, 0)
		if is, _, _ := syscall.RawSyscall(call, ^uintptr(0), 0, 0); int(is) != id { // it tells, and changes nothing
			return false
		}
	}
	return true
}

// Behalf is on whose behalf files are read and versions kept; nil for one's own.
var Behalf atomic.Pointer[Rights]
