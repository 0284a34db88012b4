//go:build amd64 || arm64

package capture

import (
	"os"
	"os/user"
	"path/filepath"
	"runtime"
	"time"

	"golang.org/x/sys/unix"

	"endroit/core/place"
	"endroit/core/trace"
)

func FillHeader(h trace.Header, command []string, program string, start time.Time) trace.Header {
	h.Runtime, h.OS, h.Arch = "native", runtime.GOOS, runtime.GOARCH
	if h.Prefix != nil {
		h.Runtime = "prefix"
	}
	h.Observer = trace.ByCalls
	h.Command = command
	h.Started = start.UTC()
	h.Folder, _ = os.Getwd()
	h.Host, _ = os.Hostname()
	var u unix.Utsname
	if unix.Uname(&u) == nil {
		h.Kernel = unix.ByteSliceToString(u.Release[:])
	}
	if me, err := user.Current(); err == nil {
		h.User = me.Username
	}
	h.Env = map[string]string{}
	for _, name := range place.LinuxVariables {
		if v, ok := os.LookupEnv(name); ok {
			h.Env[name] = v
		}
	}
	if h.Install == "" {
		h.Install = installOf(program)
	}
	return h
}

// installOf takes the program's own folder for the installed edition's, unless
// it is one that many programs share.
func installOf(program string) string {
	if resolved, err := filepath.EvalSymlinks(program); err == nil {
		program = resolved
	}
	dir := filepath.Dir(program)
	home, _ := os.UserHomeDir()
	for _, shared := range []string{
		"/", "/bin", "/sbin", "/usr/bin", "/usr/sbin", "/usr/games", "/usr/local/bin", "/usr/local/games", "/opt", "/tmp",
		home, filepath.Join(home, "bin"), filepath.Join(home, ".local/bin"),
	} {
		if dir == shared {
			return ""
		}
	}
	// A program in bin/ belongs to the folder above.
	if base := filepath.Base(dir); base == "bin" || base == "bin64" {
		return filepath.Dir(dir)
	}
	return dir
}
