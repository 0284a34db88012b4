//go:build amd64 || arm64

package calls

import (
	"errors"
	"os"
	"path"
	"strconv"
	"strings"
	"time"

	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/capture/processes"
	"endroit/core/trace"
)

// target is what a call means by a path.
type target struct {
	name *name
	looked
	probe   string // by which this process reaches it
	host    string // where it lies, once the caller's view of it has gone
	reached string // the path that the program used, if that is another
	folder  bool   // a slash at its end says that it is a folder
}

// errNowhere says that a path leads to nothing that has a name on the host.
var errNowhere = errors.New("no file of the host")

// maxLinks is how many links the kernel follows on one way.
const maxLinks = 40

// lookup finds what a path means to the caller and looks at it. A link at the end is
// followed if the call follows it. The error is errNowhere, or what keeps the kernel from
// finding the folder; then the target is the path by which it was asked for, if that
// means anything.
func (s *supervisor) lookup(w *work, from, text string, follow bool) (*target, error) {
	v := w.view
	joined := text
	if !path.IsAbs(text) {
		joined = strings.TrimSuffix(from, "/") + "/" + text
	} else {
		from = ""
	}
	if v.Own() && from != "" {
		joined = strings.TrimSuffix(v.Inside(from), "/") + "/" + text
	}
	t := &target{folder: strings.HasSuffix(text, "/")}
	asked := joined
	for links := 0; ; links++ {
		if links > maxLinks {
			return nil, unix.ELOOP
		}
		resolved, magic, err := w.throughProc(joined, follow)
		if err != nil {
			return nil, err
		}
		if magic { // it is a file as the kernel has it, which may have another name
			joined, from = v.Inside(resolved), ""
			continue
		}
		full, err := s.parent(w, joined, from != "" && !strings.Contains(text, "/"))
		if err != nil {
			if v.Own() {
				return nil, errNowhere
			}
			t.name, t.probe = s.nameOf(path.Clean(joined)), path.Clean(joined)
			return t, err
		}
		host, plain, ok := s.ps.OnHost(v, full)
		if !ok {
			s.r.Gap("files on a file system that was made for a sandboxed program alone were left out: they end with it")
			return nil, errNowhere
		}
		probe := host
		if !plain {
			probe = path.Join("/proc/"+strconv.Itoa(w.p.PID)+"/root", v.Inside(full))
		}
		t.name, t.probe, t.host = s.nameOf(s.spelled(host)), probe, host
		s.see(w, t)
		if t.state.Is != trace.IsLink || !follow && !t.folder {
			break
		}
		to, err := os.Readlink(probe)
		if err != nil {
			return nil, errNowhere
		}
		if !path.IsAbs(to) {
			to = path.Dir(v.Inside(full)) + "/" + to
		}
		joined, from = to, "-" // its folder may hold links again
	}
	if clean := path.Clean(
		asked,
	); !v.Own() && !strings.Contains(asked, "/..") && s.spelled(clean) != t.name.path && !strings.HasPrefix(clean, "/proc/") &&
		!strings.HasPrefix(clean, "/dev/") {
		t.reached = clean
	}
	return t, nil
}

// nameOf is what is known of a path.
func (s *supervisor) nameOf(full string) *name {
	s.ps.Mu.Lock()
	defer s.ps.Mu.Unlock()
	return s.names.of(full)
}

// see looks at a target, unless that was done a moment ago and nothing changed it.
func (s *supervisor) see(w *work, t *target) {
	n := t.name
	s.ps.Mu.Lock()
	under := n.change
	s.ps.Mu.Unlock()
	if under != nil {
		s.conclude(under, false)
	}
	s.ps.Mu.Lock()
	turn := n.turn
	s.ps.Mu.Unlock()
	if capture.Synthetic(n.path) {
		t.looked = looked{state: trace.State{Is: trace.IsOther}, uid: w.uid, readable: true, writable: true}
	} else {
		t.looked = lookAtPath(t.probe, w.uid)
	}
	s.ps.Mu.Lock()
	n.looked, n.checked = t.looked, w.at
	if n.turn != turn {
		n.checked = 0 // it may be as before or as after
	}
	n.safe = s.names.kept[n.inode]
	n.plain = n.readable && (n.state.Is == trace.IsFile || n.state.Is == trace.IsOther)
	s.ps.Mu.Unlock()
}

// parent is a path with its folder's links followed, as the mounts' own root has it.
// direct says that the folder is known to have none.
func (s *supervisor) parent(w *work, joined string, direct bool) (string, error) {
	trimmed := strings.TrimRight(joined, "/")
	if trimmed == "" {
		return path.Join("/", w.view.Root), nil
	}
	dir, last := path.Split(trimmed)
	if last == "." || last == ".." {
		dir, last = trimmed, ""
	}
	if direct && !w.view.Own() {
		return path.Clean(trimmed), nil
	}
	if strings.HasPrefix(dir, "/proc/") || strings.HasPrefix(dir, "/sys/") || strings.HasPrefix(dir, "/dev/") {
		if full := path.Clean(trimmed); capture.Synthetic(full) {
			return full, nil
		}
	}
	if w.view.Own() {
		resolved, err := processes.ResolvePath(w.p.PID, dir, unix.O_DIRECTORY)
		if err != nil {
			return "", err
		}
		return path.Join(resolved, last), nil
	}
	s.ps.Mu.Lock()
	found, moves := s.ways[dir], s.ps.Moves.Load()
	s.ps.Mu.Unlock()
	if found.real == "" || found.moves != moves || w.at-found.at > processes.Trust {
		fd, err := unix.Open(dir, unix.O_PATH|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
		if err != nil {
			return "", err
		}
		found.real, err = processes.PathOf(fd)
		_ = unix.Close(fd)
		if err != nil {
			return "", err
		}
		found.at, found.moves = w.at, moves
		s.ps.Mu.Lock()
		if len(s.ways) >= maxWays {
			clear(s.ways)
		}
		s.ways[dir] = found
		s.ps.Mu.Unlock()
	}
	return path.Join(found.real, last), nil
}

// way is the folder that an absolute path leads to.
type way struct {
	real  string
	at    time.Duration // when it was followed
	moves uint32        // how often paths had come to mean others before
}

const maxWays = 10_000

// throughProc follows the links of /proc to what a process has open, to its folders and
// its program, which mean something else to each process (proc(5)): the kernel leads
// there without a path. done is false for a path that has none.
func (w *work) throughProc(joined string, follow bool) (resolved string, done bool, err error) {
	clean := joined
	switch {
	case strings.HasPrefix(joined, "/dev/fd/"):
		clean = "/proc/self/fd/" + joined[len("/dev/fd/"):]
	case joined == "/dev/stdin":
		clean = "/proc/self/fd/0"
	case joined == "/dev/stdout":
		clean = "/proc/self/fd/1"
	case joined == "/dev/stderr":
		clean = "/proc/self/fd/2"
	case !strings.HasPrefix(joined, "/proc/"):
		return "", false, nil
	}
	parts := strings.Split(strings.TrimPrefix(path.Clean(clean), "/proc/"), "/")
	at := "/proc/" + parts[0]
	switch parts[0] {
	case "self":
		at = "/proc/" + strconv.Itoa(w.p.PID)
	case "thread-self":
		at = "/proc/" + strconv.Itoa(w.p.PID) + "/task/" + strconv.Itoa(w.tid)
	}
	parts = parts[1:]
	if len(parts) > 2 && parts[0] == "task" {
		at += "/task/" + parts[1]
		parts = parts[2:]
	}
	n := 0
	switch {
	case len(parts) > 0 && (parts[0] == "cwd" || parts[0] == "root" || parts[0] == "exe"):
		n = 1
	case len(parts) > 1 && (parts[0] == "fd" || parts[0] == "map_files"):
		n = 2
	default:
		return "", false, nil
	}
	rest := strings.Join(parts[n:], "/")
	if rest == "" && !follow {
		return "", false, errNowhere // the link itself, which nobody can change
	}
	to, err := os.Readlink(at + "/" + strings.Join(parts[:n], "/"))
	switch {
	case err != nil:
		return "", false, unix.ENOENT
	case !path.IsAbs(to) || strings.HasSuffix(to, " (deleted)"):
		return "", false, errNowhere // a pipe, a socket, a file without a name
	case rest != "":
		to = strings.TrimSuffix(to, "/") + "/" + rest
	}
	return to, true, nil
}

// folderOf is the folder that a relative path begins at, without links, as the mounts'
// own root has it.
func (s *supervisor) folderOf(w *work, descriptor int32) (string, error) {
	if descriptor == atCWD {
		if b := s.workingFolder(w.th, w.at); b != nil {
			return b.Folder, nil
		}
		return "", errNowhere
	}
	to, err := os.Readlink("/proc/" + strconv.Itoa(w.tid) + "/fd/" + strconv.Itoa(int(descriptor)))
	if err != nil || !path.IsAbs(to) || strings.HasSuffix(to, " (deleted)") {
		return "", errNowhere
	}
	return to, nil
}

// workingFolder is a thread's, nil if it is not there any more.
func (s *supervisor) workingFolder(th *processes.Thread, now time.Duration) *processes.Base {
	s.ps.Mu.Lock()
	p := th.Process
	v, chdirs, moved := p.View, p.Chdirs, s.ps.Moves.Load()
	if th.FolderKnown(now, moved) {
		b := th.Folder
		s.ps.Mu.Unlock()
		return b
	}
	s.ps.Mu.Unlock()
	to, err := os.Readlink("/proc/" + strconv.Itoa(th.TID) + "/cwd")
	if err != nil || !path.IsAbs(to) {
		return nil
	}
	if strings.HasSuffix(to, " (deleted)") {
		if _, err := os.Lstat(to); err != nil {
			return nil // what is named below it is nowhere
		}
	}
	b := v.At(to)
	s.ps.Mu.Lock()
	th.Folder, th.FolderAt, th.Chdirs, th.Moved = b, now, chdirs, moved
	s.ps.Mu.Unlock()
	return b
}
