//go:build amd64 || arm64

package capture

import (
	"fmt"
	"maps"
	"os"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"

	"endroit/core/trace"
)

// held follows the descriptors that observed programs hold open for writing, as
// /proc tells them (proc(5), fdinfo): where in the file they are shows growing,
// appending and rewriting, though no reading or writing is stopped for it.
type held struct {
	r    *recorder
	own  func(path string) bool
	at   map[descriptor]int64
	turn int
	// given are the files that the command was given as its input and output: what
	// it says there is no finding.
	given map[string]bool
}

// newHeld begins with the files that the command is given.
func newHeld(r *recorder, own func(path string) bool, given ...*os.File) *held {
	h := &held{r: r, own: own, at: map[descriptor]int64{}, given: map[string]bool{}}
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
	file    *seenFile
}

// Bounds of one look: it must not cost the game anything.
const (
	heldPrograms = 64
	heldFiles    = 4096 // descriptors of one program
	heldOthers   = 4    // programs that have opened nothing for writing are looked at every so many turns: descriptors can be handed over
)

func (h *held) look() {
	h.turn++
	all := h.turn%heldOthers == 1
	h.r.mu.Lock()
	holders := maps.Clone(h.r.running)
	h.r.mu.Unlock()
	seen := map[descriptor]bool{}
	n := 0
	for _, pid := range slices.Backward(slices.Sorted(maps.Keys(holders))) {
		p := holders[pid]
		there := running(pid)
		if there && (p.writes || all) && n < heldPrograms {
			n++
			there = h.program(pid, p, seen)
		}
		if !there {
			h.r.mu.Lock()
			if h.r.running[pid] == p {
				delete(h.r.running, pid)
			}
			h.r.mu.Unlock()
		}
	}
	if all { // descriptors that were closed are forgotten
		maps.DeleteFunc(h.at, func(d descriptor, _ int64) bool { return !seen[d] })
	}
}

// program looks at one program's descriptors; false if it has gone.
func (h *held) program(pid int, p *holder, seen map[descriptor]bool) bool {
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
		h.r.gap(fmt.Sprintf("a program had as many files open as it may (%d): openings told about that time may have failed", limit.Cur))
	}
	for _, name := range names {
		target, err := os.Readlink(dir + "/fd/" + name)
		if err != nil || !strings.HasPrefix(target, "/") || synthetic(target) {
			continue
		}
		file := h.r.known(target)
		if file == nil && (!h.own(target) || h.given[target]) {
			continue
		}
		position, flags, ok := fdInfo(dir + "/fdinfo/" + name)
		if !ok || flags&unix.O_ACCMODE == unix.O_RDONLY || flags&unix.O_PATH != 0 {
			continue
		}
		fd, _ := strconv.Atoi(name)
		h.found(descriptor{pid, fd, file}, target, p, position, flags, seen)
	}
	return true
}

// found records a descriptor that was moved since it was last seen.
func (h *held) found(d descriptor, path string, p *holder, position int64, flags int, seen map[descriptor]bool) {
	var what string
	if d.file == nil || !h.r.isChanged(d.file) {
		state := stateOf(path, true)
		if state.Is != trace.IsFile {
			return
		}
		what = "through a descriptor that another program opened"
		if d.file == nil {
			d.file = h.r.file(path, state)
		}
		h.r.touched(d.file)
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
	h.r.event(trace.Event{At: h.r.now(), Process: p.n, Op: trace.Position, File: d.file.n, Size: position, What: what})
}

// fdInfo reads the position and the flags of a descriptor.
func fdInfo(file string) (position int64, flags int, ok bool) {
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
