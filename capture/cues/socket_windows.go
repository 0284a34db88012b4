package cues

import (
	"crypto/rand"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

// listen listens on a port of this machine. The port and a secret that requests have
// to carry lie in a file of the user's own folder.
func listen(folder string) (l net.Listener, secret string, forget func(), err error) {
	if l, err = net.Listen("tcp", "127.0.0.1:0"); err != nil {
		return nil, "", nil, err
	}
	secret = rand.Text()
	path := filepath.Join(folder, strconv.Itoa(os.Getpid())+".cue")
	if err := os.WriteFile(path, []byte(fmt.Sprintf("%s %s\n", l.Addr(), secret)), 0o600); err != nil {
		_ = l.Close()
		return nil, "", nil, err
	}
	return l, secret, func() { _ = os.Remove(path) }, nil
}

// trusted reports why what lies in a folder could be somebody else's: it lies in the
// user's own.
func trusted(folder string) error {
	_, err := os.Lstat(folder)
	return err
}

func dial(path string) (conn net.Conn, secret string, err error) {
	data, err := os.ReadFile(path)
	if err != nil {
		return nil, "", err
	}
	address, secret, _ := strings.Cut(strings.TrimSpace(string(data)), " ")
	if host, _, err := net.SplitHostPort(address); err != nil || host != "127.0.0.1" {
		return nil, "", fmt.Errorf("%s names no port of this machine", path)
	}
	conn, err = net.DialTimeout("tcp", address, time.Second)
	return conn, secret, err
}
