//go:build !unix

package localpg

import (
	"io/fs"
	"os/exec"
)

// Elsewhere nobody is root, and the server runs as who starts it.
func runAs(*exec.Cmd, *account) {}

func belongsTo(fs.FileInfo, int) bool { return false }
