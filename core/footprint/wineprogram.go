package footprint

import (
	"path"
	"strings"

	"endroit/core/trace"
)

// isWine reports whether a program is Wine itself, which runs Windows programs, or its
// server, which opens files for them (wine(1), wineserver(1)).
func isWine(name string) bool { return strings.HasPrefix(name, "wine") && !strings.Contains(name, ".") }

// nameOfProgram is what a process's program is called: of a Windows program that Wine runs,
// the program, not Wine.
func nameOfProgram(p trace.Process) string {
	name := path.Base(p.Exe)
	if !isWine(name) {
		return name
	}
	if windows := windowsName(p); windows != "" {
		return windows
	}
	return name
}

// windowsName is the Windows program among a process's arguments; empty if there is none.
func windowsName(p trace.Process) string {
	for _, arg := range p.Args {
		plain := strings.ReplaceAll(arg, `\`, "/")
		if strings.EqualFold(path.Ext(plain), ".exe") {
			return path.Base(plain)
		}
	}
	return ""
}

// windowsProgram is the Windows program of a run: the only one that is none of Windows'
// own; empty if there is none, or several.
func windowsProgram(processes []trace.Process) (name string) {
	for _, p := range processes {
		if !isWine(path.Base(p.Exe)) {
			continue
		}
		windows := windowsName(p)
		if windows == "" || windowsOwn(p) {
			continue
		}
		if name != "" && !strings.EqualFold(name, windows) {
			return ""
		}
		if name == "" {
			name = windows
		}
	}
	return name
}

// windowsOwn reports whether a process runs a program of Windows' own folder.
func windowsOwn(p trace.Process) bool {
	for _, arg := range p.Args {
		plain := strings.ToLower(strings.ReplaceAll(arg, `\`, "/"))
		if strings.HasSuffix(plain, ".exe") {
			return strings.Contains(plain, "/windows/") || strings.HasPrefix(plain, "wineboot")
		}
	}
	return false
}
