package versions

import (
	"fmt"
	"os"
	"strings"

	"golang.org/x/sys/unix"
)

// leased reports whether a program holds a lease on a file, as /proc/locks tells
// (proc(5)): device by major and minor in hexadecimal, and inode.
func leased(path string) bool {
	data, err := os.ReadFile("/proc/locks")
	if err != nil || !strings.Contains(string(data), " LEASE ") {
		return false
	}
	var st unix.Stat_t
	if unix.Stat(path, &st) != nil {
		return false
	}
	id := fmt.Sprintf("%02x:%02x:%d", unix.Major(st.Dev), unix.Minor(st.Dev), st.Ino)
	for line := range strings.Lines(string(data)) {
		if f := strings.Fields(line); len(f) > 5 && f[1] == "LEASE" && f[len(f)-3] == id {
			return true
		}
	}
	return false
}
