//go:build amd64 || arm64

package capture

import (
	"bytes"
	"debug/elf"
	"os"
	"path"
	"strconv"
	"strings"
	"time"

	"endroit/core/place"
	"endroit/core/trace"
)

// process is what the observer keeps of a running process.
type process struct {
	n      int // number in the trace, of its present program image
	pid    int
	root   string // its root folder if it is not the host's
	stale  bool   // it may have become another program
	writes bool   // it has opened a file for writing
	moves  bool   // it may have got another root folder
	space  *space // its mount namespace; nil if it is the host's
}

// space is a mount namespace that is not the host's.
type space struct {
	mounts mounts
	// settled says that a program was executed in it: whoever made it has laid out
	// its mounts by then.
	settled bool
}

// thread caches which process a thread belongs to. The kernel reuses thread
// ids, so the entry is checked again after a while.
type thread struct {
	process *process
	born    uint64 // start time in clock ticks, from /proc/TID/stat
	checked time.Duration
}

const threadTrust = 2 * time.Second

// processes finds the process of a thread. It belongs to the supervisor.
type processes struct {
	r        *recorder
	env      map[string]string // the header's
	threads  map[int]*thread
	byPID    map[int]*process
	mntSpace string // our own mount namespace
	host     mounts // what we see
	spaces   map[string]*space
}

func newProcesses(r *recorder, env map[string]string) *processes {
	ns, _ := os.Readlink("/proc/self/ns/mnt")
	return &processes{r: r, env: env, threads: map[int]*thread{}, byPID: map[int]*process{}, mntSpace: ns, host: readMounts("self"), spaces: map[string]*space{}}
}

// of returns the process that the thread belongs to, declaring it in the trace
// when it is new or has become another program.
func (ps *processes) of(tid int) *process {
	now := ps.r.now()
	t := ps.threads[tid]
	if t != nil && now-t.checked > threadTrust {
		if born := startTime(tid); born != t.born {
			t = nil
		} else {
			t.checked = now
		}
	}
	if t == nil {
		pid, parent := ownerOf(tid)
		p := ps.byPID[pid]
		born := startTime(tid)
		if p == nil || tid == pid { // a new process, or a process id used again
			p = &process{pid: pid, stale: true}
			ps.declare(p, parent)
			ps.byPID[pid] = p
		}
		t = &thread{process: p, born: born, checked: now}
		ps.threads[tid] = t
	}
	if t.process.stale {
		_, parent := ownerOf(t.process.pid)
		ps.declare(t.process, parent)
		if t.process.space != nil {
			t.process.space.settled = true
		}
	}
	return t.process
}

func (ps *processes) declare(p *process, parent int) {
	dir := "/proc/" + strconv.Itoa(p.pid)
	line := trace.Process{PID: p.pid, At: ps.r.now()}
	line.Exe, _ = os.Readlink(dir + "/exe")
	line.Exe = strings.TrimSuffix(line.Exe, " (deleted)")
	for _, arg := range nulSeparated(dir + "/cmdline") {
		line.Args = append(line.Args, strings.ToValidUTF8(arg, "\uFFFD"))
	}
	env := map[string]string{}
	for _, v := range nulSeparated(dir + "/environ") {
		name, value, _ := strings.Cut(v, "=")
		for _, wanted := range place.LinuxVariables {
			if name == wanted {
				env[name] = value
			}
		}
	}
	if len(env) > 0 && !sameEnv(env, ps.env) {
		line.Env = env
	}
	if q := ps.byPID[parent]; q != nil {
		line.Parent = q.n
	}
	p.root = rootOf(p.pid)
	p.space = ps.spaceOf(p.pid)
	ps.noteKind(line.Exe)
	p.n = ps.r.process(line)
	ps.r.mu.Lock()
	ps.r.running[p.pid] = &holder{n: p.n, writes: p.writes}
	ps.r.mu.Unlock()
	p.stale = false
}

// spaceOf finds a process's mount namespace; nil if it is the host's.
func (ps *processes) spaceOf(pid int) *space {
	ns, err := os.Readlink("/proc/" + strconv.Itoa(pid) + "/ns/mnt")
	if err != nil || ps.mntSpace == "" || ns == ps.mntSpace {
		return nil
	}
	s := ps.spaces[ns]
	if s == nil {
		s = &space{}
		ps.spaces[ns] = s
	}
	s.mounts = readMounts(strconv.Itoa(pid))
	return s
}

// onHost is a path as the host sees it. ok is false for what the host sees nowhere.
func (ps *processes) onHost(p *process, name string) (string, bool) {
	if p.space == nil {
		return name, true
	}
	if !p.space.settled {
		p.space.mounts = readMounts(strconv.Itoa(p.pid))
	}
	if p.root != "" && trace.Within(name, p.root) { // mounts are told from the process's root
		name = rebased(name, p.root, "/")
	}
	if found, ok := p.space.mounts.onHost(name, ps.host); ok {
		return found, true
	}
	// A link on a file system of its own may lead to one that the host has.
	return p.space.mounts.onHost(p.behindLinks(name), ps.host)
}

// maxLinks is how many links the kernel follows on one way.
const maxLinks = 40

// behindLinks follows the links in all but the last name of a path, as the process
// would.
func (p *process) behindLinks(name string) string {
	root := "/proc/" + strconv.Itoa(p.pid) + "/root"
	rest, at := strings.Split(strings.Trim(name, "/"), "/"), "/"
	for links := 0; len(rest) > 0; {
		next := path.Join(at, rest[0]) // .. too: what is before it has no link
		rest = rest[1:]
		if len(rest) == 0 {
			return next
		}
		target, err := os.Readlink(root + next)
		if err != nil || links == maxLinks {
			at = next
			continue
		}
		links++
		if path.IsAbs(target) {
			at = "/"
		}
		rest = append(strings.Split(strings.Trim(target, "/"), "/"), rest...)
	}
	return at
}

// rootOf is a process's root folder, empty if it is the host's.
func rootOf(pid int) string {
	if root, err := os.Readlink("/proc/" + strconv.Itoa(pid) + "/root"); err == nil && root != "/" {
		return root
	}
	return ""
}

// noteKind records what a program's kind keeps from being seen.
func (ps *processes) noteKind(exe string) {
	if f, err := elf.Open(exe); err == nil {
		if why := unseen(f.Class, f.Machine); why != "" {
			ps.r.gap(exe + " is " + why)
		}
		_ = f.Close()
	}
}

func sameEnv(a, b map[string]string) bool {
	for _, v := range place.LinuxVariables {
		if a[v] != b[v] {
			return false
		}
	}
	return true
}

func nulSeparated(file string) []string {
	data, err := os.ReadFile(file)
	if err != nil || len(data) == 0 {
		return nil
	}
	return strings.Split(string(bytes.TrimSuffix(data, []byte{0})), "\x00")
}

// ownerOf reads the process of a thread and that process's parent (proc(5)).
func ownerOf(tid int) (pid, parent int) {
	data, err := os.ReadFile("/proc/" + strconv.Itoa(tid) + "/status")
	if err != nil {
		return tid, 0
	}
	pid = tid
	for line := range strings.Lines(string(data)) {
		if v, ok := strings.CutPrefix(line, "Tgid:"); ok {
			pid, _ = strconv.Atoi(strings.TrimSpace(v))
		} else if v, ok := strings.CutPrefix(line, "PPid:"); ok {
			parent, _ = strconv.Atoi(strings.TrimSpace(v))
			break
		}
	}
	return pid, parent
}

// startTime reads field 22 of /proc/TID/stat: clock ticks after boot, 0 if the
// thread has gone.
func startTime(tid int) uint64 {
	data, err := os.ReadFile("/proc/" + strconv.Itoa(tid) + "/stat")
	if err != nil {
		return 0
	}
	// The name in field 2 may hold anything; the last parenthesis ends it.
	_, rest, _ := strings.Cut(string(data[bytes.LastIndexByte(data, ')')+1:]), " ")
	fields := strings.Fields(rest)
	if len(fields) < 20 {
		return 0
	}
	v, _ := strconv.ParseUint(fields[19], 10, 64)
	return v
}

// absolute resolves a path as the process would, to a path of the host. folder
// is a descriptor or AT_FDCWD.
func (p *process) absolute(tid int, folder int32, name string) (string, bool) {
	if name == "" {
		return "", false
	}
	if name[0] != '/' {
		link := "/cwd"
		if folder != atCWD {
			link = "/fd/" + strconv.Itoa(int(folder))
		}
		base, err := os.Readlink("/proc/" + strconv.Itoa(tid) + link)
		if err != nil || base == "" || base[0] != '/' {
			return "", false
		}
		if strings.HasSuffix(base, " (deleted)") {
			if _, err := os.Lstat(base); err != nil {
				return "", false // the folder was removed: what is named below it is nowhere
			}
		}
		return clean(base, name), true
	}
	if rest, ok := strings.CutPrefix(name, "/proc/self/"); ok {
		name = "/proc/" + strconv.Itoa(p.pid) + "/" + rest
	} else if rest, ok := strings.CutPrefix(name, "/proc/thread-self/"); ok {
		name = "/proc/" + strconv.Itoa(tid) + "/" + rest
	}
	return clean(p.root+"/", name[1:]), true
}

// clean joins a path to its base. Where it climbs with .. the links on the way
// count, as they do for the kernel.
func clean(base, name string) string {
	joined := strings.TrimSuffix(base, "/") + "/" + name
	if strings.Contains(joined, "/..") {
		if real, err := realPath(joined); err == nil {
			return real
		}
	}
	return path.Clean(joined)
}
