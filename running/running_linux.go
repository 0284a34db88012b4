package running

import (
	"context"
	"os"
	"path/filepath"
	"strconv"
	"strings"

	"endroit/machine"
)

// look reads /proc (proc(5)): which program each process is, and which files it has open.
func look(ctx context.Context, t Title) (found []Program) {
	if pid := machine.PrefixServer(t.Prefix); t.Prefix != "" && pid != 0 {
		found = append(found, Program{pid, nameOf(pid), "serves programs that run in the prefix " + t.Prefix})
	}
	entries, _ := os.ReadDir("/proc")
	for _, e := range entries {
		pid, err := strconv.Atoi(e.Name())
		if err != nil || pid == os.Getpid() {
			continue
		}
		if ctx.Err() != nil {
			break
		}
		if why := uses(pid, t); why != "" {
			found = append(found, Program{pid, nameOf(pid), why})
		}
	}
	return found
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

func nameOf(pid int) string {
	name, err := os.ReadFile(filepath.Join("/proc", strconv.Itoa(pid), "comm"))
	if err != nil {
		return "a program"
	}
	return strings.TrimSpace(string(name))
}
