// Package winetest gives tests a prefix that Wine made, in which Windows builds
// run. The tests that use it run where ENDROIT_WINE is set (make wine), and are
// skipped elsewhere.
//
//	p := winetest.Prefix(t)
//	out := p.Run(t, "endroit.exe", "version")
package winetest

import (
	"os"
	"os/exec"
	"path/filepath"
	"testing"
)

// Made is a prefix.
type Made struct{ Folder string }

// Prefix makes one.
func Prefix(t testing.TB) Made {
	t.Helper()
	if os.Getenv("ENDROIT_WINE") == "" {
		t.Skip("Wine is tried by make wine")
	}
	m := Made{filepath.Join(t.TempDir(), "prefix")}
	m.command(t, "wineboot", "-i")
	m.command(t, "wineserver", "-w")
	t.Cleanup(func() { m.command(t, "wineserver", "-k") })
	return m
}

func (m Made) command(t testing.TB, program string, args ...string) []byte {
	t.Helper()
	c := exec.Command(program, args...)
	c.Env = append(os.Environ(), "WINEPREFIX="+m.Folder, "WINEDLLOVERRIDES=mscoree,mshtml=", "WINEDEBUG=-all", "DISPLAY=")
	out, err := c.Output()
	if exit, ok := err.(*exec.ExitError); ok && program != "wineserver" {
		t.Fatalf("%s %v: %v\n%s%s", program, args, err, out, exit.Stderr)
	}
	return out
}

// random is the one function of bcryptprimitives.dll that Go programs need and
// Debian's Wine 8 lacks.
const random = `#include <windows.h>
#include <ntsecapi.h>
__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE data, SIZE_T length) { return RtlGenRandom(data, (ULONG)length); }
`

// Build compiles a Go package for Windows and makes the prefix able to run it.
func (m Made) Build(t testing.TB, pkg string) (exe string) {
	t.Helper()
	folder := t.TempDir()
	source := filepath.Join(folder, "random.c")
	if err := os.WriteFile(source, []byte(random), 0o600); err != nil {
		t.Fatal(err)
	}
	dll := filepath.Join(m.Folder, "drive_c", "windows", "system32", "bcryptprimitives.dll")
	if out, err := exec.Command("x86_64-w64-mingw32-gcc", "-shared", "-o", dll, source, "-ladvapi32").CombinedOutput(); err != nil {
		t.Fatalf("compile bcryptprimitives.dll: %v: %s", err, out)
	}
	exe = filepath.Join(folder, filepath.Base(pkg)+".exe")
	c := exec.Command("go", "build", "-o", exe, pkg)
	c.Env = append(os.Environ(), "GOOS=windows", "GOARCH=amd64", "CGO_ENABLED=0")
	if out, err := c.CombinedOutput(); err != nil {
		t.Fatalf("build %s for Windows: %v: %s", pkg, err, out)
	}
	return exe
}

// Run runs a program in the prefix and returns its output.
func (m Made) Run(t testing.TB, exe string, args ...string) string {
	t.Helper()
	return string(m.command(t, "wine", append([]string{exe}, args...)...))
}
