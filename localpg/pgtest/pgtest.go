// Package pgtest gives tests a database each.
//
//	func TestMain(m *testing.M) { pgtest.Main(m) }
//	url := pgtest.Database(t)
package pgtest

import (
	"context"
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

// Main starts a server for the package's tests, runs them, and exits.
func Main(m *testing.M) {
	os.Exit(run(m))
}

func run(m *testing.M) int {
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
	return m.Run()
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
