//go:build !linux

package running

import (
	"context"
	"os"
	"path/filepath"

	"github.com/shirou/gopsutil/v4/process"
)

// look finds the programs that run from the title's folder, and files that are in use.
func look(ctx context.Context, t Title) (found []Program) {
	all, _ := process.ProcessesWithContext(ctx)
	for _, p := range all {
		if int(p.Pid) == os.Getpid() {
			continue
		}
		if exe, err := p.ExeWithContext(ctx); err == nil && within(filepath.Clean(exe), t.Install) {
			found = append(found, Program{int(p.Pid), filepath.Base(exe), "runs from " + t.Install})
		}
	}
	for _, f := range t.Files {
		if len(found) < maxPrograms && inUse(f) {
			found = append(found, Program{Name: "a program", Why: "has " + f + " open"})
		}
	}
	return found
}
