//go:build amd64 || arm64

package processes

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/core/trace"
)

// OpenFilePositions follows the descriptors that observed programs hold open for writing, as
// /proc tells them (proc(5), fdinfo): where in the file they are shows growing,
// appending and rewriting, though no reading or writing is stopped for it.
type OpenFilePositions struct {
	r    *capture.Recorder
	own  func(path string) bool
	at   map[descriptor]int64
	turn int
	// given are the files that the command was given as its input and output: what
	// it says there is no finding.
	given map[string]bool
}

// NewOpenFilePositions begins with the files that the command is given.
func NewOpenFilePositions(r *capture.Recorder, own func(path string) bool, given ...*os.File) *OpenFilePositions {
	h := &OpenFilePositions{r: r, own: own, at: map[descriptor]int64{}, given: map[string]bool{}}
	for _, f := range given {
		if f != nil {
			if target, err := os.Readlink("/proc/self/fd/" + strconv.Itoa(int(f.Fd()))); err == nil {
				h.given[target] = true
			}
		}
	}
	return h
}

type descriptor struct {
	pid, fd int
	file    *capture.File
}

// Bounds of one look: it must not cost the game anything.
const (
	heldPrograms = 64
	heldFiles    = 4096 // descriptors of one program
	heldOthers   = 4    // programs that have opened nothing for writing are looked at every so many turns: descriptors can be handed over
)

func (h *OpenFilePositions) Poll() {
	h.turn++
	all := h.turn%heldOthers == 1
	h.r.Mu.Lock()
	holders := maps.Clone(h.r.Running)
	h.r.Mu.Unlock()
	seen := map[descriptor]bool{}
	n := 0
	for _, pid := range slices.Backward(slices.Sorted(maps.Keys(holders))) {
		p := holders[pid]
		there := capture.Alive(pid)
		if there && (p.Writes || all) && n < heldPrograms {
			n++
			there = h.program(pid, p, seen)
		}
		if !there {
			h.r.Mu.Lock()
			if h.r.Running[pid] == p {
				delete(h.r.Running, pid)
			}
			h.r.Mu.Unlock()
		}
	}
	if all { // descriptors that were closed are forgotten
		maps.DeleteFunc(h.at, func(d descriptor, _ int64) bool { return !seen[d] })
	}
}

// program looks at one program's descriptors; false if it has gone.
func (h *OpenFilePositions) program(pid int, p *capture.Holder, seen map[descriptor]bool) bool {
	dir := "/proc/" + strconv.Itoa(pid)
	f, err := os.Open(dir + "/fd")
	if err != nil {
		return !os.IsNotExist(err)
	}
	names, err := f.Readdirnames(heldFiles)
	_ = f.Close()
	if err != nil {
		return true
	}
	var limit unix.Rlimit
	if unix.Prlimit(pid, unix.RLIMIT_NOFILE, nil, &limit) == nil && uint64(len(names)) >= limit.Cur {
		h.r.Gap(fmt.Sprintf(
			"a program had as many files open as it may (%d): openings told about that time may have failed",
			limit.Cur,
		))
	}
	for _, name := range names {
		target, err := os.Readlink(dir + "/fd/" + name)
		if err != nil || !strings.HasPrefix(target, "/") || capture.Synthetic(target) {
			continue
		}
		file := h.r.Known(target)
		if file == nil && (!h.own(target) || h.given[target]) {
			continue
		}
		position, flags, ok := FDInfo(dir + "/fdinfo/" + name)
		if !ok || flags&unix.O_ACCMODE == unix.O_RDONLY || flags&unix.O_PATH != 0 {
			continue
		}
		fd, _ := strconv.Atoi(name)
		h.found(descriptor{pid, fd, file}, target, p, position, flags, seen)
	}
	return true
}

// found records a descriptor that was moved since it was last seen.
func (h *OpenFilePositions) found(
	d descriptor, path string, p *capture.Holder, position int64, flags int, seen map[descriptor]bool,
) {
	var what string
	if d.file == nil || !h.r.IsChanged(d.file) {
		state := capture.StateOf(path, true)
		if state.Is != trace.IsFile {
			return
		}
		what = "through a descriptor that another program opened"
		if d.file == nil {
			d.file = h.r.File(path, state)
		}
		h.r.MarkTouched(d.file)
	}
	seen[d] = true
	was, known := h.at[d]
	h.at[d] = position
	if position == was && (known || what == "") {
		return
	}
	switch {
	case what != "":
	case position < was:
		what = "back"
	case flags&unix.O_APPEND != 0:
		what = "appending"
	}
	h.r.Event(trace.Event{At: h.r.Now(), Process: p.N, Op: trace.Position, File: d.file.N, Size: position, What: what})
}

// FDInfo reads the position and the flags of a descriptor.
func FDInfo(file string) (position int64, flags int, ok bool) {
	data, err := os.ReadFile(file)
	if err != nil {
		return 0, 0, false
	}
	got := 0
	for line := range strings.Lines(string(data)) {
		name, value, _ := strings.Cut(line, ":")
		value = strings.TrimSpace(value)
		switch name {
		case "pos":
			position, err = strconv.ParseInt(value, 10, 64)
			got++
		case "flags":
			var n int64
			n, err = strconv.ParseInt(value, 8, 64)
			flags = int(n)
			got++
		}
		if err != nil {
			return 0, 0, false
		}
		if got == 2 {
			return max(position, 0), flags, true
		}
	}
	return 0, 0, false
}
