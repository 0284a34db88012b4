//go:build amd64 || arm64

package processes

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

	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/core/place"
	"endroit/core/trace"
)

// Process is what the observer keeps of a running process. The lock of processes guards
// its fields.
type Process struct {
	N      int // number in the trace, of its present program image
	PID    int
	Exe    string
	UID    int
	Stale  bool // it may have become another program
	Writes bool // it has opened a file for writing
	moves  bool // it may have got another root folder or other mounts
	View   *View
	Chdirs int     // how often its working folder may have changed
	Exec   Pending // it is executing another program, as far as known
	Hidden bool    // its memory cannot be read
}

// Thread caches which process a thread belongs to. The kernel reuses thread
// ids, so the entry is checked again after a while.
type Thread struct {
	TID     int
	Process *Process
	born    uint64 // start time in clock ticks, from /proc/TID/stat
	checked time.Duration
	Change  Pending // the last change that it made, if its outcome is not known yet

	Folder   *Base // its working folder; nil if it is not known
	FolderAt time.Duration
	Chdirs   int    // the process's, when the folder was read
	Moved    uint32 // how often paths had come to mean others, when the folder was read
}

// Pending is what a thread has begun and whose outcome is not known yet: the observer's own.
type Pending any

// Trust is for how long what was looked up is taken to hold, unless an observed program
// changes it: those that are not observed seldom do.
const Trust = 2 * time.Second

// Table finds the process of a thread.
type Table struct {
	r   *capture.Recorder
	env map[string]string // the header's
	// unseen says what the kind of a program keeps from being seen, empty if nothing; nil
	// for an observer that sees every kind alike.
	unseen func(elf.Class, elf.Machine) string

	Mu      sync.Mutex
	threads map[int]*Thread
	ByPID   map[int]*Process
	views   map[string]*View
	Moves   atomic.Uint32 // how often paths may have come to mean others

	asking   sync.Mutex // held while /proc is asked about a process that is new
	mntSpace string     // our own mount namespace
	host     *View
}

func NewTable(r *capture.Recorder, env map[string]string, unseen func(elf.Class, elf.Machine) string) *Table {
	ns, _ := os.Readlink("/proc/self/ns/mnt")
	ps := &Table{
		r:        r,
		env:      env,
		unseen:   unseen,
		threads:  map[int]*Thread{},
		ByPID:    map[int]*Process{},
		views:    map[string]*View{},
		mntSpace: ns,
	}
	ps.host = &View{mounts: ReadMounts("self")}
	ps.host.Top = ps.host.At("/")
	return ps
}

// Of returns the process that the thread belongs to, declaring it in the trace
// when it is new or has become another program.
func (ps *Table) Of(tid int) *Process { return ps.Thread(tid).Process }

// Known is a thread of which nothing has to be asked, nil if there is none. The caller
// holds mu.
func (ps *Table) Known(tid int, now time.Duration) *Thread {
	t := ps.threads[tid]
	if t == nil || !ps.Current(t, now) {
		return nil
	}
	return t
}

// Current reports whether what is known of a thread still holds. The caller holds mu.
func (ps *Table) Current(t *Thread, now time.Duration) bool {
	p := t.Process
	return now-t.checked <= Trust && !p.Stale && !p.moves && p.Exec == nil
}

// Thread finds a thread.
func (ps *Table) Thread(tid int) *Thread {
	now := ps.r.Now()
	ps.Mu.Lock()
	t := ps.Known(tid, now)
	ps.Mu.Unlock()
	if t != nil {
		return t
	}
	ps.asking.Lock()
	defer ps.asking.Unlock()
	ps.Mu.Lock()
	t = ps.threads[tid]
	ps.Mu.Unlock()
	f := FactsOf(tid)
	if t != nil && t.born != f.born {
		t = nil // another one with its id
	}
	if t == nil {
		ps.Mu.Lock()
		p := ps.ByPID[f.pid]
		if p == nil || tid == f.pid { // a new process, or a process id used again
			p = &Process{PID: f.pid, Stale: true}
			ps.ByPID[f.pid] = p
		}
		ps.Mu.Unlock()
		t = &Thread{TID: tid, Process: p, born: f.born, Chdirs: -1}
	}
	ps.Mu.Lock()
	stale, moves := t.Process.Stale, t.Process.moves
	if was := ps.threads[tid]; was != nil && was != t {
		was.checked = -Trust - 1 // somebody may remember it
	}
	ps.threads[tid] = t
	t.checked = now
	ps.Mu.Unlock()
	if (stale || moves) && tid != t.Process.PID {
		f = FactsOf(t.Process.PID)
	}
	if stale {
		ps.declare(t.Process, f)
	} else if moves {
		ps.look(t.Process, f)
	}
	return t
}

// declare puts a program image of a process into the trace.
func (ps *Table) declare(p *Process, f Facts) {
	dir := "/proc/" + strconv.Itoa(p.PID)
	line := trace.Process{PID: p.PID, At: ps.r.Now()}
	line.Exe, _ = os.Readlink(dir + "/exe")
	line.Exe = strings.TrimSuffix(line.Exe, " (deleted)")
	if line.Exe == "" { // it is another user's, or not to be looked at: its name is there for all
		line.Exe = strings.TrimSpace(ReadSmall(dir + "/comm"))
	}
	for _, arg := range NulSeparated(dir + "/cmdline") {
		line.Args = append(line.Args, strings.ToValidUTF8(arg, "\uFFFD"))
	}
	env := map[string]string{}
	for _, v := range NulSeparated(dir + "/environ") {
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
	ps.Mu.Lock()
	if q := ps.ByPID[f.Parent]; q != nil {
		line.Parent = q.N
	}
	ps.Mu.Unlock()
	ps.look(p, f)
	ps.noteKind(dir+"/exe", line.Exe)
	n := ps.r.Process(line)
	ps.Mu.Lock()
	p.N, p.Exe, p.Stale = n, line.Exe, false
	holds := &capture.Holder{N: p.N, Writes: p.Writes}
	ps.Mu.Unlock()
	ps.r.Mu.Lock()
	ps.r.Running[p.PID] = holds
	ps.r.Mu.Unlock()
}

// look finds out which root folder and mounts a process has, and whose it is.
func (ps *Table) look(p *Process, f Facts) {
	ps.Mu.Lock()
	p.moves = false // what comes from now on counts again
	ps.Mu.Unlock()
	v := ps.viewOf(p.PID)
	ps.Mu.Lock()
	p.View, p.UID = v, f.uid
	p.Chdirs++
	ps.Mu.Unlock()
}

// Moved notes that a process, and all that share its mounts, may see others now.
func (ps *Table) Moved(p *Process) {
	ps.Mu.Lock()
	defer ps.Mu.Unlock()
	p.moves = true
	if p.View == ps.host {
		return
	}
	for _, q := range ps.ByPID {
		if q.View != nil && q.View.space == p.View.space {
			q.moves = true
		}
	}
}

// PIDs are the processes that were seen.
func (ps *Table) PIDs() (list []int) {
	ps.Mu.Lock()
	defer ps.Mu.Unlock()
	for pid := range ps.ByPID {
		list = append(list, pid)
	}
	return list
}

// Image tells the program that a process runs from the one that it ran before: where it
// lies in memory. Nothing of it is known of a process that may not be looked at.
type Image struct{ code, stack, args string }

// Facts are what the kernel tells of a thread (proc(5), /proc/TID/stat and status).
type Facts struct {
	born        uint64 // clock ticks after boot, 0 if the thread has gone
	pid, Parent int    // its process and that one's parent
	uid         int    // the user by whose rights it opens files, -1 if the thread has gone
}

func FactsOf(tid int) Facts {
	f := Facts{pid: tid, uid: -1}
	f.born, _ = StartOf(tid)
	for line := range strings.Lines(ReadSmall("/proc/" + strconv.Itoa(tid) + "/status")) {
		name, values, _ := strings.Cut(line, ":")
		switch v := strings.Fields(values); {
		case name == "Tgid" && len(v) == 1:
			f.pid, _ = strconv.Atoi(v[0])
		case name == "PPid" && len(v) == 1:
			f.Parent, _ = strconv.Atoi(v[0])
		case name == "Uid" && len(v) == 4:
			f.uid, _ = strconv.Atoi(v[3])
			return f
		}
	}
	return f
}

// StartOf is when a thread began, in clock ticks after boot, and the program that it runs.
// Both are empty if it has gone.
func StartOf(tid int) (born uint64, im Image) {
	text := ReadSmall("/proc/" + strconv.Itoa(tid) + "/stat")
	// The name in field 2 may hold anything; the last parenthesis ends it.
	f := strings.Fields(text[strings.LastIndexByte(text, ')')+1:])
	if len(f) < 46 {
		return 0, Image{}
	}
	born, _ = strconv.ParseUint(f[19], 10, 64) // field 22
	return born, Image{f[23], f[25], f[45]}    // fields 26, 28 and 48
}

// StartTime is when a thread began.
func StartTime(tid int) uint64 {
	born, _ := StartOf(tid)
	return born
}

// noteKind records what a program's kind keeps from being seen: file is its file, exe its
// name.
func (ps *Table) noteKind(file, exe string) {
	if ps.unseen == nil || !strings.HasPrefix(exe, "/") || strings.HasPrefix(exe, "/memfd:") {
		return
	}
	head := ReadSmall(file)
	if len(head) < 20 || head[:4] != elf.ELFMAG {
		return
	}
	order := binary.ByteOrder(binary.LittleEndian)
	if elf.Data(head[elf.EI_DATA]) == elf.ELFDATA2MSB {
		order = binary.BigEndian
	}
	if why := ps.unseen(elf.Class(head[elf.EI_CLASS]), elf.Machine(order.Uint16([]byte(head[18:20])))); why != "" {
		ps.r.Gap(exe + " is " + why)
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

func NulSeparated(file string) []string {
	data, err := os.ReadFile(file)
	if err != nil || len(data) == 0 {
		return nil
	}
	return strings.Split(string(bytes.TrimSuffix(data, []byte{0})), "\x00")
}

// ReadSmall reads what the kernel says of a process; empty if it says nothing.
func ReadSmall(file string) string {
	fd, err := unix.Open(file, unix.O_RDONLY|unix.O_CLOEXEC, 0)
	if err != nil {
		return ""
	}
	defer unix.Close(fd)
	text := make([]byte, 4096)
	n, err := unix.Read(fd, text)
	if err != nil {
		return ""
	}
	return string(text[:n])
}

// FolderKnown reports whether the working folder is the one that was read last. The
// caller holds the lock of processes.
func (th *Thread) FolderKnown(now time.Duration, moved uint32) bool {
	return th.Folder != nil && th.Chdirs == th.Process.Chdirs && th.Moved == moved && now-th.FolderAt <= Trust
}
