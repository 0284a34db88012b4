package machine

import (
	"fmt"
	"os"
	"path/filepath"
	"strconv"

	"golang.org/x/sys/unix"
)

// PrefixServer finds the process that serves the programs in a prefix: it opens files
// for them and keeps their registry. 0 if none runs. Wine's server stays in a
// folder named after the prefix's device and number (server/request.c).
func PrefixServer(folder string) (pid int) {
	var st unix.Stat_t
	if err := unix.Stat(folder, &st); err != nil {
		return 0
	}
	name := fmt.Sprintf("server-%x-%x", st.Dev, st.Ino)
	links, _ := filepath.Glob("/proc/[0-9]*/cwd")
	for _, link := range links {
		if cwd, err := os.Readlink(link); err == nil && filepath.Base(cwd) == name {
			pid, _ = strconv.Atoi(filepath.Base(filepath.Dir(link)))
			return pid
		}
	}
	return 0
}
