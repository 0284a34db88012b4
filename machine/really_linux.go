package machine

import (
	"bufio"
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"golang.org/x/sys/unix"
)

// really is a folder's path without links. That there are none on the way is one call
// (openat2(2), Linux 5.6).
func really(folder string) (string, error) {
	fd, err := unix.Openat2(
		unix.AT_FDCWD, folder,
		&unix.OpenHow{Flags: unix.O_PATH | unix.O_DIRECTORY | unix.O_CLOEXEC, Resolve: unix.RESOLVE_NO_SYMLINKS},
	)
	if err == nil {
		_ = unix.Close(fd)
		return filepath.Clean(folder), nil
	}
	if errors.Is(err, unix.ENOENT) { // no link was met on the way to what is missing
		return "", &fs.PathError{Op: "open", Path: folder, Err: err}
	}
	return filepath.EvalSymlinks(folder)
}

// mountTable is what is mounted here, as the kernel lists it (proc_pid_mountinfo(5)).
type mountTable []mounted

// mounted is one mount: a folder of a file system, and where it is seen.
type mounted struct{ device, folder, at string }

// maxMounts bounds the table; a machine has some dozens.
const maxMounts = 10_000

func readMounts() mountTable {
	f, err := os.Open("/proc/thread-self/mountinfo")
	if err != nil {
		return nil
	}
	defer f.Close()
	return parseMounts(f)
}

func parseMounts(in io.Reader) (t mountTable) {
	lines := bufio.NewScanner(in)
	for lines.Scan() && len(t) < maxMounts {
		if f := strings.Fields(lines.Text()); len(f) > 5 {
			t = append(t, mounted{f[2], plainMount.Replace(f[3]), plainMount.Replace(f[4])})
		}
	}
	many := map[string]int{}
	for _, m := range t {
		many[m.device]++
	}
	for _, n := range many {
		if n > 1 {
			return t
		}
	}
	return nil // nothing is mounted twice, as on most machines
}

var plainMount = strings.NewReplacer(`\040`, " ", `\011`, "\t", `\012`, "\n", `\134`, `\`)

// others are the paths under which a folder can be seen too, because the same folder of a
// file system is mounted in more than one place.
func (t mountTable) others(path string) (all []string) {
	var in *mounted
	for i := range t { // of mounts over one another the last counts
		if _, ok := cutFolder(path, t[i].at); ok && (in == nil || len(t[i].at) >= len(in.at)) {
			in = &t[i]
		}
	}
	if in == nil {
		return nil
	}
	rest, _ := cutFolder(path, in.at)
	inside := filepath.Join(in.folder, rest)
	for i := range t {
		if t[i].device != in.device || &t[i] == in {
			continue
		}
		if rest, ok := cutFolder(inside, t[i].folder); ok {
			if same := filepath.Join(t[i].at, rest); same != path {
				all = append(all, same)
			}
		}
	}
	return all
}
