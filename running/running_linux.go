package running

import (
	"context"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"golang.org/x/sys/unix"

	"endroit/core/phrase"
	"endroit/machine"
)

// look reads /proc (proc(5)): which program each process is, and which files it has open.
func look(ctx context.Context, t Title) (found []Program) {
	if pid := machine.PrefixServer(t.Prefix); t.Prefix != "" && pid != 0 {
		found = append(found, Program{pid, nameOf(pid), "serves programs that run in the prefix " + t.Prefix})
	}
	for _, pid := range others() {
		if ctx.Err() != nil {
			break
		}
		if why := uses(pid, t); why != "" {
			found = append(found, Program{pid, nameOf(pid), why})
		}
	}
	return found
}

// others are the processes but for this one, in the order of their numbers.
func others() (pids []int) {
	entries, _ := os.ReadDir("/proc")
	for _, e := range entries {
		if pid, err := strconv.Atoi(e.Name()); err == nil && pid != os.Getpid() {
			pids = append(pids, pid)
		}
	}
	slices.Sort(pids)
	return pids
}

// uses says how a process uses a title's files; empty if it does not.
func uses(pid int, t Title) string {
	dir := filepath.Join("/proc", strconv.Itoa(pid))
	if exe, err := os.Readlink(filepath.Join(dir, "exe")); err == nil && within(strings.TrimSuffix(exe, " (deleted)"), t.Install) {
		return "runs from " + t.Install
	}
	entries, _ := os.ReadDir(filepath.Join(dir, "fd"))
	for _, e := range entries {
		path, err := os.Readlink(filepath.Join(dir, "fd", e.Name()))
		if err != nil || !strings.HasPrefix(path, "/") {
			continue
		}
		for _, folder := range t.Folders {
			if !within(path, folder) {
				continue
			}
			if info, err := os.Stat(path); err == nil && info.IsDir() {
				break // a shell, or a file manager, that looks at the folder
			}
			return "has " + path + " open"
		}
	}
	return ""
}

// tellsWriters reports whether this system tells which program has a file open.
const tellsWriters = true

// writers are the programs that have a file of a folder open for writing, those first that
// were started last.
func writers(ctx context.Context, folder string) (found []writer) {
	for _, pid := range slices.Backward(others()) {
		if ctx.Err() != nil {
			break
		}
		dir := filepath.Join("/proc", strconv.Itoa(pid))
		open, _ := os.ReadDir(filepath.Join(dir, "fd"))
		for _, e := range open {
			path, err := os.Readlink(filepath.Join(dir, "fd", e.Name()))
			if err != nil || filepath.Dir(path) != folder || !forWriting(filepath.Join(dir, "fdinfo", e.Name())) {
				continue
			}
			found = append(found, writer{Program{pid, nameOf(pid), "wrote " + path}, filepath.Base(path)})
		}
	}
	return found
}

// forWriting reads how a file is open (proc(5), fdinfo: the flags, octal).
func forWriting(info string) bool {
	text, err := os.ReadFile(info)
	if err != nil {
		return false
	}
	for line := range strings.Lines(string(text)) {
		if flags, ok := strings.CutPrefix(line, "flags:"); ok {
			n, err := strconv.ParseUint(strings.TrimSpace(flags), 8, 64)
			return err == nil && n&unix.O_ACCMODE != unix.O_RDONLY
		}
	}
	return false
}

func nameOf(pid int) string {
	name, err := os.ReadFile(filepath.Join("/proc", strconv.Itoa(pid), "comm"))
	if err != nil {
		return "a program"
	}
	return phrase.Visible(strings.TrimSpace(strings.ToValidUTF8(string(name), "\uFFFD")))
}
