package machine

import (
	"fmt"
	"io/fs"
	"syscall"
)

// sameFile is what tells a file from one that was put in its place, or whose time was
// set back: the inode's number and its change time (stat(2)).
func sameFile(info fs.FileInfo) string {
	st, ok := info.Sys().(*syscall.Stat_t)
	if !ok {
		return ""
	}
	return fmt.Sprintf("%d.%d.%d", st.Ino, st.Ctim.Sec, st.Ctim.Nsec)
}
