// Package running notices programs that would be harmed by, or would undo, a change of a
// title's files: the game itself, and what has one of the files open.
//
//	programs := running.Look(ctx, running.Title{Install: folder, Folders: folders})
package running

import (
	"context"
	"fmt"
	"path/filepath"
	"strings"
)

// Title says what belongs to a title on this machine.
type Title struct {
	Install string   // the folder that it is installed in; may be empty
	Prefix  string   // the compatibility prefix that it runs in; may be empty
	Folders []string // in which its files are
	Files   []string // that are going to be changed
}

// Program is a running program that uses a title's files.
type Program struct {
	PID  int    `json:"pid,omitempty"` // 0 if it is not known
	Name string `json:"name"`
	Why  string `json:"why"`
}

func (p Program) String() string {
	if p.PID == 0 {
		return p.Name + " " + p.Why
	}
	return fmt.Sprintf("%s (process %d) %s", p.Name, p.PID, p.Why)
}

// maxPrograms is how many are told.
const maxPrograms = 20

// Look finds programs of this machine that use the title's files, but for this program. What
// may not be looked at is not found: other people's programs.
func Look(ctx context.Context, t Title) []Program {
	real := Title{Install: resolved(t.Install), Prefix: resolved(t.Prefix), Files: t.Files}
	for _, f := range t.Folders {
		if f = resolved(f); f != "" {
			real.Folders = append(real.Folders, f)
		}
	}
	found := look(ctx, real)
	return found[:min(len(found), maxPrograms)]
}

// resolved is a folder's path without links; empty if it is not there.
func resolved(folder string) string {
	if folder == "" {
		return ""
	}
	real, err := filepath.EvalSymlinks(folder)
	if err != nil {
		return ""
	}
	return real
}

// within reports whether a path is a folder or lies in it.
func within(path, folder string) bool {
	if folder == "" || path == "" {
		return false
	}
	rest, ok := strings.CutPrefix(path, folder)
	return ok && (rest == "" || rest[0] == filepath.Separator || strings.HasSuffix(folder, string(filepath.Separator)))
}
