//go:build unix

package cues

import (
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"golang.org/x/sys/unix"
)

// listen listens on a socket in a folder that only this user can enter.
func listen(folder string) (l net.Listener, secret string, forget func(), err error) {
	if err := trusted(folder); err != nil {
		return nil, "", nil, err
	}
	path := filepath.Join(folder, strconv.Itoa(os.Getpid())+".cue")
	_ = os.Remove(path)
	l, err = net.Listen("unix", path)
	return l, "", func() {}, err // closing it removes it
}

// trusted reports why what lies in a folder could be somebody else's.
func trusted(folder string) error {
	var st unix.Stat_t
	if err := unix.Lstat(folder, &st); err != nil {
		return &os.PathError{Op: "look at", Path: folder, Err: err}
	}
	if st.Mode&unix.S_IFMT != unix.S_IFDIR || int(st.Uid) != os.Getuid() || st.Mode&0o077 != 0 {
		return fmt.Errorf(
			"%s is no folder of yours alone: it belongs to somebody else, is open to others, or is a link; remove it",
			folder,
		)
	}
	return nil
}

func dial(path string) (conn net.Conn, secret string, err error) {
	conn, err = net.DialTimeout("unix", path, time.Second)
	return conn, "", err
}
