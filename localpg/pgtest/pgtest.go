// Package pgtest gives tests a database each.
//
//	func TestMain(m *testing.M) { pgtest.Main(m, nil) }
//	url := pgtest.Database(t)
package pgtest

import (
	"context"
	"flag"
	"fmt"
	"os"
	"sync/atomic"
	"testing"

	"endroit/localpg"
)

var (
	server *localpg.Server
	serial atomic.Int64
)

// Main starts a server for the package's tests, runs them, and exits. after, if
// not nil, is asked once all tests have passed.
func Main(m *testing.M, after func() error) {
	os.Exit(Run(m, after))
}

// Run is Main that returns the exit code.
func Run(m *testing.M, after func() error) int {
	folder, err := os.MkdirTemp("/tmp", "endroit-test-postgres-")
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer os.RemoveAll(folder)
	if err := os.Chmod(folder, 0o755); err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	server, err = localpg.Start(context.Background(), localpg.Options{Folder: folder, Fast: true})
	if err != nil {
		fmt.Fprintln(os.Stderr, err)
		return 1
	}
	defer server.Stop()
	status := m.Run()
	if status == 0 && after != nil && wholeRun() {
		if err := after(); err != nil {
			fmt.Fprintln(os.Stderr, err)
			return 1
		}
	}
	return status
}

// wholeRun reports whether all tests were asked for, not some by name.
func wholeRun() bool {
	f := flag.Lookup("test.run")
	return f == nil || f.Value.String() == ""
}

// Database makes an empty database and returns its URL.
func Database(t testing.TB) string {
	t.Helper()
	url, err := server.Database(context.Background(), fmt.Sprintf("test%d", serial.Add(1)))
	if err != nil {
		t.Fatal(err)
	}
	return url
}
