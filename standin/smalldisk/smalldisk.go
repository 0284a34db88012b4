//go:build linux

// Package smalldisk runs a test again in a process that has a small disk of its own, which
// the test can make larger.
//
//	folder := smalldisk.Folder(t)
//	if folder == "" {
//		return // the process with the disk has run it
//	}
package smalldisk

import (
	"fmt"
	"os"
	"os/exec"
	"strings"
	"testing"

	"golang.org/x/sys/unix"
)

// folderVariable names, in the process that Folder starts, the folder on the disk.
const folderVariable = "ENDROIT_SMALL_DISK"

// Folder is the folder on the small disk, of 1 MB, in the process that has one. In the first
// process it starts that, fails as it does, and returns nothing.
func Folder(t *testing.T) string {
	t.Helper()
	if folder := os.Getenv(folderVariable); folder != "" {
		return folder
	}
	self, err := os.Executable()
	if err != nil {
		t.Fatal(err)
	}
	folder := t.TempDir()
	run := exec.Command(
		"unshare", "--user", "--map-root-user", "--mount", "sh", "-c", `mount -t tmpfs -o size=1m tmpfs "$0" && exec "$@"`,
		folder, self, "-test.run=^"+t.Name()+"$", "-test.v",
	)
	run.Env = append(os.Environ(), folderVariable+"="+folder)
	said, err := run.CombinedOutput()
	if !strings.Contains(string(said), "=== RUN") {
		t.Skipf("no disk can be mounted here: %s", said)
	}
	if err != nil {
		t.Fatalf("%v: %s", err, said)
	}
	return ""
}

// Resize gives the disk another size.
func Resize(t *testing.T, folder string, kilobytes int) {
	t.Helper()
	if err := unix.Mount("", folder, "", unix.MS_REMOUNT, fmt.Sprintf("size=%dk", kilobytes)); err != nil {
		t.Fatal(err)
	}
}
