//go:build amd64 || arm64

package processes

import (
	"os"
	"path"
	"slices"
	"strconv"
	"strings"

	"endroit/core/trace"
)

// Mount is a line of mountinfo (proc(5)): a part of a file system and where it is.
type Mount struct {
	device string // major:minor; empty for a part that was removed
	root   string // the part of the file system
	Point  string // where it is mounted, from the process's root
	Kind   string // of file system
	upper  string // of an overlay: the folder that takes what is written
}

// Mounts are what a process sees, in the order in which they were mounted: of two
// at one point the later counts.
type Mounts []Mount

// ReadMounts reads what a process sees; "self" is this one. None if it has gone.
func ReadMounts(pid string) (all Mounts) {
	data, err := os.ReadFile("/proc/" + pid + "/mountinfo")
	if err != nil {
		return nil
	}
	return ParseMounts(string(data))
}

func ParseMounts(text string) (all Mounts) {
	for line := range strings.Lines(text) {
		f := strings.Fields(line)
		if len(f) < 5 || !strings.HasPrefix(f[3], "/") || !strings.HasPrefix(f[4], "/") {
			continue // no file system of files
		}
		if strings.HasSuffix(f[3], "//deleted") {
			f[2] = "" // this part was removed: it is nowhere else
		}
		m := Mount{device: f[2], root: Unescaped(f[3]), Point: Unescaped(f[4])}
		if i := slices.Index(f, "-"); i > 0 && i+1 < len(f) { // behind the optional fields
			m.Kind = f[i+1]
			if m.Kind == "overlay" && i+3 < len(f) {
				for option := range strings.SplitSeq(f[i+3], ",") {
					if folder, ok := strings.CutPrefix(option, "upperdir="); ok {
						m.upper = Unescaped(folder)
					}
				}
			}
		}
		all = append(all, m)
	}
	return all
}

// Unescaped replaces \040 and its kind.
func Unescaped(text string) string {
	if !strings.Contains(text, `\`) {
		return text
	}
	var out strings.Builder
	for i := 0; i < len(text); i++ {
		if text[i] == '\\' && i+4 <= len(text) {
			if n, err := strconv.ParseUint(text[i+1:i+4], 8, 8); err == nil {
				out.WriteByte(byte(n))
				i += 3
				continue
			}
		}
		out.WriteByte(text[i])
	}
	return out.String()
}

// holding is the mount that a path lies on, by its index; -1 if there is none.
func (m Mounts) holding(name string) int {
	found := -1
	for i, x := range m {
		if trace.Within(name, x.Point) && (found < 0 || len(x.Point) >= len(m[found].Point)) {
			found = i
		}
	}
	return found
}

// Rebased moves a path from below one folder to below another.
func Rebased(name, from, to string) string {
	return path.Join(to, strings.TrimPrefix(name, strings.TrimSuffix(from, "/")))
}

// OnHost finds where a path that a process with these mounts sees is for the host:
// the same part of the same file system. ok is false where the host has it nowhere,
// such as on a file system that was made for the process alone.
func (m Mounts) OnHost(name string, host Mounts) (found string, ok bool) {
	i := m.holding(name)
	if i < 0 || m[i].device == "" {
		return "", false
	}
	part := Rebased(name, m[i].Point, m[i].root) // within the file system
	best := -1
	for j, x := range host {
		if x.device != m[i].device || !trace.Within(part, x.root) {
			continue
		}
		candidate := Rebased(part, x.root, x.Point)
		if host.holding(candidate) != j {
			continue // something else is mounted over it there
		}
		if best < 0 || len(x.root) > len(host[best].root) {
			best, found = j, candidate
		}
	}
	return found, best >= 0
}
