package identify

import (
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
)

// subject is what is to be identified.
type subject struct {
	text    string
	path    string // where it is, or leads to, a file or folder that is there
	process bool   // path is a running process's program
}

// parse takes a text for a path that is there, or for the id of a running process, whose
// program it gives: of a Windows program, the file that Wine runs.
func parse(what string) subject {
	if pid, err := strconv.Atoi(what); err == nil && pid > 0 && runtime.GOOS == "linux" {
		return subject{what, programOf(pid), true}
	}
	if !strings.ContainsAny(what, `/\`) || strings.Contains(what, "://") {
		if _, err := os.Stat(what); err != nil || what != "." && what != ".." {
			return subject{text: what}
		}
	}
	return subject{what, resolved(what), false}
}

// programOf is the program that a process runs; empty if there is no such process.
func programOf(pid int) string {
	exe, err := os.Readlink(fmt.Sprintf("/proc/%d/exe", pid))
	if err != nil {
		return ""
	}
	// Wine is the program then; the files that it has mapped tell which it runs.
	if strings.HasPrefix(filepath.Base(exe), "wine") {
		maps, err := os.ReadFile(fmt.Sprintf("/proc/%d/maps", pid))
		if err != nil {
			return exe
		}
		for line := range strings.Lines(string(maps)) {
			if at := strings.IndexByte(line, '/'); at >= 0 {
				if file := strings.TrimSpace(line[at:]); strings.EqualFold(filepath.Ext(file), ".exe") {
					return file
				}
			}
		}
	}
	return exe
}

// within reports whether a path is a folder or lies in it.
func within(path, folder string) bool {
	if folder == "" || path == "" {
		return false
	}
	folder = resolved(folder)
	return path == folder || strings.HasPrefix(path, folder+string(filepath.Separator))
}

// resolved is a path from the top, with its links followed as far as it is there.
func resolved(path string) string {
	abs, err := filepath.Abs(path)
	if err != nil {
		return path
	}
	if resolved, err := filepath.EvalSymlinks(abs); err == nil {
		return resolved
	}
	return abs
}
