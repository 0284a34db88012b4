//go:build amd64 || arm64

package capture

import (
	"bytes"
	"debug/elf"
	"encoding/binary"
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
	f := factsOf(tid)
	if t != nil && t.born != f.born {
		t = nil // another one with its id
	}
	if t == nil {
		ps.mu.Lock()
		p := ps.byPID[f.pid]
		if p == nil || tid == f.pid { // a new process, or a process id used again
			p = &process{pid: f.pid, stale: true}
			ps.byPID[f.pid] = p
		}
		ps.mu.Unlock()
		t = &thread{tid: tid, process: p, born: f.born, chdirs: -1}
	}
	ps.mu.Lock()
	stale, moves := t.process.stale, t.process.moves
	if was := ps.threads[tid]; was != nil && was != t {
		was.checked = -trust - 1 // somebody may remember it
	}
	ps.threads[tid] = t
	t.checked = now
	ps.mu.Unlock()
	if (stale || moves) && tid != t.process.pid {
		f = factsOf(t.process.pid)
	}
	if stale {
		ps.declare(t.process, f)
	} else if moves {
		ps.look(t.process, f)
	}
	return t
}

// declare puts a program image of a process into the trace.
func (ps *processes) declare(p *process, f facts) {
	dir := "/proc/" + strconv.Itoa(p.pid)
	line := trace.Process{PID: p.pid, At: ps.r.now()}
	line.Exe, _ = os.Readlink(dir + "/exe")
	line.Exe = strings.TrimSuffix(line.Exe, " (deleted)")
	if line.Exe == "" { // it is another user's, or not to be looked at: its name is there for all
		line.Exe = strings.TrimSpace(readSmall(dir + "/comm"))
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
	if q := ps.byPID[f.parent]; q != nil {
		line.Parent = q.n
	}
	ps.mu.Unlock()
	ps.look(p, f)
	ps.noteKind(dir+"/exe", line.Exe)
	n := ps.r.process(line)
	ps.mu.Lock()
	p.n, p.exe, p.image, p.stale = n, line.Exe, f.image, false
	holds := &holder{n: p.n, writes: p.writes}
	ps.mu.Unlock()
	ps.r.mu.Lock()
	ps.r.running[p.pid] = holds
	ps.r.mu.Unlock()
}

// look finds out which root folder and mounts a process has, and whose it is.
func (ps *processes) look(p *process, f facts) {
	ps.mu.Lock()
	p.moves = false // what comes from now on counts again
	ps.mu.Unlock()
	v := ps.viewOf(p.pid)
	ps.mu.Lock()
	p.view, p.uid = v, f.uid
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

// image tells the program that a process runs from the one that it ran before: where it
// lies in memory. Nothing of it is known of a process that may not be looked at.
type image struct{ code, stack, args string }

// facts are what the kernel tells of a thread (proc(5), /proc/TID/stat and status).
type facts struct {
	born        uint64 // clock ticks after boot, 0 if the thread has gone
	image       image
	pid, parent int // its process and that one's parent
	uid         int // the user by whose rights it opens files, -1 if the thread has gone
}

func factsOf(tid int) facts {
	f := facts{pid: tid, uid: -1}
	f.born, f.image = lifeOf(tid)
	for line := range strings.Lines(readSmall("/proc/" + strconv.Itoa(tid) + "/status")) {
		name, values, _ := strings.Cut(line, ":")
		switch v := strings.Fields(values); {
		case name == "Tgid" && len(v) == 1:
			f.pid, _ = strconv.Atoi(v[0])
		case name == "PPid" && len(v) == 1:
			f.parent, _ = strconv.Atoi(v[0])
		case name == "Uid" && len(v) == 4:
			f.uid, _ = strconv.Atoi(v[3])
			return f
		}
	}
	return f
}

// lifeOf is when a thread began, in clock ticks after boot, and the program that it runs.
// Both are empty if it has gone.
func lifeOf(tid int) (born uint64, im image) {
	text := readSmall("/proc/" + strconv.Itoa(tid) + "/stat")
	// The name in field 2 may hold anything; the last parenthesis ends it.
	f := strings.Fields(text[strings.LastIndexByte(text, ')')+1:])
	if len(f) < 46 {
		return 0, image{}
	}
	born, _ = strconv.ParseUint(f[19], 10, 64) // field 22
	return born, image{f[23], f[25], f[45]}    // fields 26, 28 and 48
}

// startTime is when a thread began.
func startTime(tid int) uint64 {
	born, _ := lifeOf(tid)
	return born
}

// noteKind records what a program's kind keeps from being seen: file is its file, exe its
// name.
func (ps *processes) noteKind(file, exe string) {
	if !strings.HasPrefix(exe, "/") || strings.HasPrefix(exe, "/memfd:") {
		return
	}
	head := readSmall(file)
	if len(head) < 20 || head[:4] != elf.ELFMAG {
		return
	}
	order := binary.ByteOrder(binary.LittleEndian)
	if elf.Data(head[elf.EI_DATA]) == elf.ELFDATA2MSB {
		order = binary.BigEndian
	}
	if why := unseen(elf.Class(head[elf.EI_CLASS]), elf.Machine(order.Uint16([]byte(head[18:20])))); why != "" {
		ps.r.gap(exe + " is " + why)
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
