// Package winetest gives tests a prefix that Wine made, in which Windows builds
// run. Where Wine is not installed they are skipped, unless ENDROIT_WINE is set,
// as make test does.
//
//	p := winetest.Prefix(t)
//	out := p.Run(t, p.Build(t, "endroit/cmd/endroit"), "version")
package winetest

import (
	"context"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"testing"

	"endroit/standin/wine"
)

// Made is a prefix.
type Made struct{ wine.Prefix }

// Need skips a test that needs Wine where there is none.
func Need(t testing.TB) {
	t.Helper()
	if runtime.GOOS != "linux" {
		t.Skip("Wine is for Linux")
	}
	if _, err := exec.LookPath("wineboot"); err != nil && os.Getenv("ENDROIT_WINE") == "" {
		t.Skip("there is no Wine here; tools/need wine mingw installs it")
	}
}

// Prefix makes one.
func Prefix(t testing.TB) Made {
	t.Helper()
	Need(t)
	top := t.TempDir()
	m := Made{wine.Prefix{Folder: filepath.Join(top, "prefix"), Home: filepath.Join(top, "home")}}
	if err := m.Make(t.Context()); err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { m.End(context.Background()) })
	return m
}

// random is the one function of bcryptprimitives.dll that Go programs need and
// Debian's Wine 8 lacks.
const random = `#include <windows.h>
#include <ntsecapi.h>
__declspec(dllexport) BOOL WINAPI ProcessPrng(PBYTE data, SIZE_T length) { return RtlGenRandom(data, (ULONG)length); }
`

// able makes the prefix able to run Go programs.
func (m Made) able(t testing.TB) {
	t.Helper()
	source := filepath.Join(t.TempDir(), "random.c")
	if err := os.WriteFile(source, []byte(random), 0o600); err != nil {
		t.Fatal(err)
	}
	dll := filepath.Join(m.Folder, "drive_c", "windows", "system32", "bcryptprimitives.dll")
	compile := exec.Command("x86_64-w64-mingw32-gcc", "-shared", "-o", dll, source, "-ladvapi32")
	if out, err := compile.CombinedOutput(); err != nil {
		t.Fatalf("compile bcryptprimitives.dll: %v: %s", err, out)
	}
}

// Build compiles a Go package for Windows.
func (m Made) Build(t testing.TB, pkg string) (exe string) {
	t.Helper()
	return m.compile(t, pkg, "build")
}

// BuildTests compiles a Go package's tests for Windows.
func (m Made) BuildTests(t testing.TB, pkg string) (exe string) {
	t.Helper()
	return m.compile(t, pkg, "test", "-c")
}

func (m Made) compile(t testing.TB, pkg string, how ...string) string {
	t.Helper()
	m.able(t)
	exe := filepath.Join(t.TempDir(), filepath.Base(pkg)+".exe")
	c := exec.Command("go", append(how, "-o", exe, pkg)...)
	c.Env = append(os.Environ(), "GOOS=windows", "GOARCH=amd64", "CGO_ENABLED=0")
	if out, err := c.CombinedOutput(); err != nil {
		t.Fatalf("%v %s for Windows: %v: %s", how, pkg, err, out)
	}
	return exe
}

// Run runs a program in the prefix and returns its output.
func (m Made) Run(t testing.TB, exe string, args ...string) string {
	t.Helper()
	out, err := m.Prefix.Run(t.Context(), exe, args...)
	if err != nil {
		t.Fatal(err)
	}
	return out
}
