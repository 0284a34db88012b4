//go:build amd64 || arm64

package capture

import (
	"encoding/json"
	"fmt"
	"io"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"time"

	"golang.org/x/sys/unix"
)

// cueListener takes cues while a trace runs.
type cueListener struct {
	l    net.Listener
	done chan struct{}
}

// listenForCues listens in a folder that only this user can enter.
func listenForCues(folder string, s *session) (*cueListener, error) {
	if folder == "" {
		folder = DefaultCueFolder()
	}
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, err
	}
	var st unix.Stat_t
	if err := unix.Lstat(folder, &st); err != nil {
		return nil, err
	}
	if st.Mode&unix.S_IFMT != unix.S_IFDIR || int(st.Uid) != os.Getuid() || st.Mode&0o077 != 0 {
		return nil, fmt.Errorf("%s belongs to somebody else or is open to others; remove it", folder)
	}
	path := filepath.Join(folder, strconv.Itoa(os.Getpid())+".cue")
	_ = os.Remove(path)
	l, err := net.Listen("unix", path)
	if err != nil {
		return nil, err
	}
	c := &cueListener{l: l, done: make(chan struct{})}
	go c.serve(s)
	return c, nil
}

// serve takes one cue a connection, one after the other.
func (c *cueListener) serve(s *session) {
	defer close(c.done)
	for {
		conn, err := c.l.Accept()
		if err != nil {
			return
		}
		_ = conn.SetDeadline(time.Now().Add(5 * time.Second))
		var request cueRequest
		answer := Marked{PID: os.Getpid(), Title: s.header.Title}
		if err := json.NewDecoder(io.LimitReader(conn, 4096)).Decode(&request); err != nil {
			answer.Error = "the request was not understood"
		} else if err := CheckCue(request.Cue); err != nil {
			answer.Error = err.Error()
		} else {
			answer.At = s.mark(request.Cue)
		}
		_ = json.NewEncoder(conn).Encode(answer)
		_ = conn.Close()
	}
}

func (c *cueListener) close() {
	_ = c.l.Close()
	<-c.done
}
