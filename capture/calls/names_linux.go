//go:build amd64 || arm64

package calls

import (
	"hash/maphash"
	"path"
	"time"

	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/capture/processes"
	"endroit/core/trace"
)

// inode is a file, whatever its name: file systems use a number again, but not with the
// same time of making.
type inode struct {
	device uint64
	number uint64
	made   int64 // nanoseconds; 0 where the file system does not say
}

// name is what is known of a path of the host. The lock of processes guards its fields.
type name struct {
	number  int32         // of the file in the trace; 0 if it is not told yet
	plain   bool          // a file that the program may read, and that is there
	safe    bool          // what it holds is kept, or is the run's own
	checked time.Duration // when it was looked at; 0 if that counts no more
	change  *change       // one under way that concerns it
	turn    uint32        // counts what was done to it
	looked
	f    *capture.File
	path string
}

// unknown says that what was found counts no more. The caller holds the lock of processes.
func (n *name) unknown() {
	n.checked = 0
	n.turn++
}

// looked is a file as it was found.
type looked struct {
	uid      int // whose rights were asked for
	readable bool
	writable bool
	inode    inode
	state    trace.State
}

func (l looked) there() bool { return l.state.Is != trace.IsAbsent && l.state.Is != "" }

// names are the paths that programs used, by folder, so that those in a folder that is
// renamed are found without going through all. The lock of processes guards it.
type names struct {
	byPath  map[string]*name
	files   map[string][]*name  // by folder
	folders map[string][]string // those in a folder that hold names, or hold such
	open    map[*change]bool    // whose outcome is not known yet
	kept    map[inode]bool      // files whose content is safe: what the run found is kept, or the run made it
	keeping map[inode]chan struct{}
}

func newNames() *names {
	return &names{
		byPath:  map[string]*name{},
		files:   map[string][]*name{},
		folders: map[string][]string{},
		open:    map[*change]bool{},
		kept:    map[inode]bool{},
		keeping: map[inode]chan struct{}{},
	}
}

// of is what is known of a path.
func (ns *names) of(full string) *name {
	if n := ns.byPath[full]; n != nil {
		return n
	}
	n := &name{path: full}
	ns.byPath[full] = n
	dir := path.Dir(full)
	first := ns.files[dir] == nil
	ns.files[dir] = append(ns.files[dir], n)
	for first && dir != "/" {
		parent := path.Dir(dir)
		first = ns.files[parent] == nil && ns.folders[parent] == nil
		ns.folders[parent] = append(ns.folders[parent], dir)
		dir = parent
	}
	return n
}

// below are the names in a folder, at any depth.
func (ns *names) below(folder string) (all []*name) {
	next, seen := []string{folder}, map[string]bool{}
	for len(next) > 0 {
		dir := next[0]
		next = next[1:]
		if !seen[dir] {
			seen[dir] = true
			all = append(all, ns.files[dir]...)
			next = append(next, ns.folders[dir]...)
		}
	}
	return all
}

// recent are names that programs used of late, and the files that they led to: most are
// used again and again. It asks little of the processor's cache, which the kernel has
// emptied by the time of the next call. The lock of processes guards it.
type recent struct {
	seed maphash.Seed
	sets [][recentWays]alias // the names that share a place, the latest first
}

const (
	recentSets = 1 << 12
	recentWays = 4
)

// alias is a name, the folder that it begins at, and the file that it led to. The hash
// stands for the text: 64 bits, by a seed that nobody knows.
type alias struct {
	hash  uint64
	base  *processes.Base
	name  *name
	moves uint32 // how often paths had come to mean others
	at    uint32 // when it was followed, in milliseconds of the run
}

func newRecent() recent {
	return recent{seed: maphash.MakeSeed(), sets: make([][recentWays]alias, recentSets)}
}

// find is the file that a name led to, nil if that is not known or may be another now.
func (r *recent) find(text []byte, b *processes.Base, moves uint32, now time.Duration) *name {
	hash := maphash.Bytes(r.seed, text)
	set := &r.sets[hash%recentSets]
	for i := range set {
		if a := &set[i]; a.hash == hash && a.base == b {
			if a.moves == moves && uint32(now.Milliseconds())-a.at < uint32(processes.Trust.Milliseconds()) {
				return a.name
			}
			return nil
		}
	}
	return nil
}

// put notes where a name led: in place of what was known of it, or of the name that was
// noted first.
func (r *recent) put(text string, b *processes.Base, n *name, moves uint32, now time.Duration) {
	hash := maphash.String(r.seed, text)
	set := &r.sets[hash%recentSets]
	at := 0
	for at < recentWays-1 && !(set[at].hash == hash && set[at].base == b) {
		at++
	}
	copy(set[1:at+1], set[:at])
	set[0] = alias{hash: hash, base: b, name: n, moves: moves, at: uint32(now.Milliseconds())}
}

// spelling is a folder that the person knows by another name than its real one, such as
// a home behind a link.
type spelling struct{ real, known string }

// spelled is a path as the person knows it.
func (s *supervisor) spelled(resolved string) string {
	for _, x := range s.spellings {
		if trace.Within(resolved, x.real) {
			return processes.Rebased(resolved, x.real, x.known)
		}
	}
	return resolved
}

var ownUID = unix.Geteuid()

// lookAtPath looks at a path without following a link at its end. uid is whose rights to
// it count.
func lookAtPath(at string, uid int) (l looked) {
	l.uid = uid
	var st unix.Statx_t
	const wanted = unix.STATX_BASIC_STATS | unix.STATX_BTIME
	if unix.Statx(unix.AT_FDCWD, at, unix.AT_SYMLINK_NOFOLLOW|unix.AT_NO_AUTOMOUNT, wanted, &st) != nil {
		l.state.Is = trace.IsAbsent
		return l
	}
	l.state, l.inode = stateOfStatx(&st)
	switch {
	case l.state.Is == trace.IsLink:
	case uid == ownUID:
		l.readable = uid == 0 || unix.Faccessat(unix.AT_FDCWD, at, unix.R_OK, unix.AT_EACCESS) == nil
		l.writable = unix.Faccessat(unix.AT_FDCWD, at, unix.W_OK, unix.AT_EACCESS) == nil
	default:
		l.readable, l.writable = mayByMode(&st, uid, 4), mayByMode(&st, uid, 2)
	}
	return l
}

// mayByMode reports whether a user may do something by the mode of a file alone; groups
// beyond the owner's and access lists are not known here, so that they count as rights.
func mayByMode(st *unix.Statx_t, uid int, bit uint16) bool {
	switch {
	case uid <= 0:
		return true
	case int(st.Uid) == uid:
		return st.Mode>>6&bit != 0
	}
	return (st.Mode>>3|st.Mode)&bit != 0
}

func stateOfStatx(st *unix.Statx_t) (trace.State, inode) {
	s := trace.State{Is: trace.IsOther, Time: time.Unix(st.Mtime.Sec, int64(st.Mtime.Nsec)).UTC()}
	switch st.Mode & unix.S_IFMT {
	case unix.S_IFREG:
		s.Is, s.Size = trace.IsFile, int64(st.Size)
	case unix.S_IFDIR:
		s.Is = trace.IsFolder
	case unix.S_IFLNK:
		s.Is = trace.IsLink
	}
	id := inode{device: unix.Mkdev(st.Dev_major, st.Dev_minor), number: st.Ino}
	if st.Mask&unix.STATX_BTIME != 0 {
		id.made = st.Btime.Sec*1e9 + int64(st.Btime.Nsec)
	}
	return s, id
}
