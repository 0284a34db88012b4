//go:build amd64 || arm64

package capture

import (
	"bytes"
	"debug/elf"
	"os"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"endroit/core/place"
	"endroit/core/trace"
)

// process is what the observer keeps of a running process. The lock of processes guards
// its fields.
type process struct {
	n      int // number in the trace, of its present program image
	pid    int
	exe    string
	uid    int
	stale  bool // it may have become another program
	writes bool // it has opened a file for writing
	moves  bool // it may have got another root folder or other mounts
	view   *view
	image  image   // of the program that it runs
	chdirs int     // how often its working folder may have changed
	exec   *change // it is executing another program, as far as known
	hidden bool    // its memory cannot be read
}

// thread caches which process a thread belongs to. The kernel reuses thread
// ids, so the entry is checked again after a while.
type thread struct {
	tid     int
	process *process
	born    uint64 // start time in clock ticks, from /proc/TID/stat
	checked time.Duration
	change  *change // the last one that it made, if its outcome is not known yet

	folder   *base // its working folder; nil if it is not known
	folderAt time.Duration
	chdirs   int    // the process's, when the folder was read
	moved    uint32 // how often paths had come to mean others, when the folder was read
}

// trust is for how long what was looked up is taken to hold, unless an observed program
// changes it: those that are not observed seldom do.
const trust = 2 * time.Second

// processes finds the process of a thread.
type processes struct {
	r   *recorder
	env map[string]string // the header's

	mu      sync.Mutex
	threads map[int]*thread
	byPID   map[int]*process
	views   map[string]*view
	moves   atomic.Uint32 // how often paths may have come to mean others

	asking   sync.Mutex // held while /proc is asked about a process that is new
	mntSpace string     // our own mount namespace
	host     *view
}

func newProcesses(r *recorder, env map[string]string) *processes {
	ns, _ := os.Readlink("/proc/self/ns/mnt")
	ps := &processes{r: r, env: env, threads: map[int]*thread{}, byPID: map[int]*process{}, views: map[string]*view{}, mntSpace: ns}
	ps.host = &view{mounts: readMounts("self")}
	ps.host.top = ps.host.at("/")
	return ps
}

// of returns the process that the thread belongs to, declaring it in the trace
// when it is new or has become another program.
func (ps *processes) of(tid int) *process { return ps.thread(tid).process }

// known is a thread of which nothing has to be asked, nil if there is none. The caller
// holds mu.
func (ps *processes) known(tid int, now time.Duration) *thread {
	t := ps.threads[tid]
	if t == nil || !ps.current(t, now) {
		return nil
	}
	return t
}

// current reports whether what is known of a thread still holds. The caller holds mu.
func (ps *processes) current(t *thread, now time.Duration) bool {
	p := t.process
	return now-t.checked <= trust && !p.stale && !p.moves && p.exec == nil
}

// thread finds a thread.
func (ps *processes) thread(tid int) *thread {
	now := ps.r.now()
	ps.mu.Lock()
	t := ps.known(tid, now)
	ps.mu.Unlock()
	if t != nil {
		return t
	}
	ps.asking.Lock()
	defer ps.asking.Unlock()
	ps.mu.Lock()
	t = ps.threads[tid]
	ps.mu.Unlock()
	born := startTime(tid)
	if t != nil && t.born != born {
		t = nil // another one with its id
	}
	if t == nil {
		pid, parent := ownerOf(tid)
		ps.mu.Lock()
		p := ps.byPID[pid]
		ps.mu.Unlock()
		if p == nil || tid == pid { // a new process, or a process id used again
			p = &process{pid: pid, stale: true}
			ps.declare(p, parent)
			ps.mu.Lock()
			ps.byPID[pid] = p
			ps.mu.Unlock()
		}
		t = &thread{tid: tid, process: p, born: born, chdirs: -1}
	}
	ps.mu.Lock()
	stale, moves := t.process.stale, t.process.moves
	if was := ps.threads[tid]; was != nil && was != t {
		was.checked = -trust - 1 // somebody may remember it
	}
	ps.threads[tid] = t
	t.checked = now
	ps.mu.Unlock()
	if stale {
		_, parent := ownerOf(t.process.pid)
		ps.declare(t.process, parent)
	} else if moves {
		ps.look(t.process)
	}
	return t
}

// declare puts a program image of a process into the trace.
func (ps *processes) declare(p *process, parent int) {
	dir := "/proc/" + strconv.Itoa(p.pid)
	line := trace.Process{PID: p.pid, At: ps.r.now()}
	line.Exe, _ = os.Readlink(dir + "/exe")
	line.Exe = strings.TrimSuffix(line.Exe, " (deleted)")
	if line.Exe == "" { // it is another user's, or not to be looked at: its name is there for all
		name, _ := os.ReadFile(dir + "/comm")
		line.Exe = strings.TrimSpace(string(name))
	}
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
	ps.mu.Lock()
	if q := ps.byPID[parent]; q != nil {
		line.Parent = q.n
	}
	ps.mu.Unlock()
	ps.look(p)
	ps.noteKind(line.Exe)
	im := imageOf(p.pid)
	n := ps.r.process(line)
	ps.mu.Lock()
	p.n, p.exe, p.image, p.stale = n, line.Exe, im, false
	holds := &holder{n: p.n, writes: p.writes}
	ps.mu.Unlock()
	ps.r.mu.Lock()
	ps.r.running[p.pid] = holds
	ps.r.mu.Unlock()
}

// look finds out which root folder and mounts a process has, and whose it is.
func (ps *processes) look(p *process) {
	ps.mu.Lock()
	p.moves = false // what comes from now on counts again
	ps.mu.Unlock()
	v := ps.viewOf(p.pid)
	uid := userOf(p.pid)
	ps.mu.Lock()
	p.view, p.uid = v, uid
	p.chdirs++
	ps.mu.Unlock()
}

// moved notes that a process, and all that share its mounts, may see others now.
func (ps *processes) moved(p *process) {
	ps.mu.Lock()
	defer ps.mu.Unlock()
	p.moves = true
	if p.view == ps.host {
		return
	}
	for _, q := range ps.byPID {
		if q.view != nil && q.view.space == p.view.space {
			q.moves = true
		}
	}
}

// pids are the processes that were seen.
func (ps *processes) pids() (list []int) {
	ps.mu.Lock()
	defer ps.mu.Unlock()
	for pid := range ps.byPID {
		list = append(list, pid)
	}
	return list
}

// userOf is the effective user of a process, -1 if it has gone.
func userOf(pid int) int {
	data, err := os.ReadFile("/proc/" + strconv.Itoa(pid) + "/status")
	if err != nil {
		return -1
	}
	for line := range strings.Lines(string(data)) {
		if v, ok := strings.CutPrefix(line, "Uid:"); ok {
			if f := strings.Fields(v); len(f) == 4 {
				uid, _ := strconv.Atoi(f[3]) // fsuid: by which files are opened
				return uid
			}
		}
	}
	return -1
}

// image tells the program that a process runs from the one that it ran before: where it
// lies in memory. Nothing of it is known of a process that may not be looked at.
type image struct{ code, stack, args string }

// imageOf reads fields 26, 28 and 48 of /proc/PID/stat (proc(5)).
func imageOf(pid int) image {
	f := statFields(pid)
	if len(f) < 46 {
		return image{}
	}
	return image{f[23], f[25], f[45]}
}

// noteKind records what a program's kind keeps from being seen.
func (ps *processes) noteKind(exe string) {
	if !strings.HasPrefix(exe, "/") || strings.HasPrefix(exe, "/memfd:") {
		return
	}
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
	fields := statFields(tid)
	if len(fields) < 20 {
		return 0
	}
	v, _ := strconv.ParseUint(fields[19], 10, 64)
	return v
}

// statFields are the fields of /proc/TID/stat from the third on.
func statFields(tid int) []string {
	data, err := os.ReadFile("/proc/" + strconv.Itoa(tid) + "/stat")
	if err != nil {
		return nil
	}
	// The name in field 2 may hold anything; the last parenthesis ends it.
	return strings.Fields(string(data[bytes.LastIndexByte(data, ')')+1:]))
}
