//go:build !linux || (!amd64 && !arm64)

package capture

import (
	"context"
	"fmt"
	"io"
	"runtime"
	"syscall"

	"endroit/core/trace"
)

// SystemOptions say what to observe of the whole machine; here nothing can be.
type SystemOptions struct {
	Process   string
	PID       int
	Under     string
	Header    trace.Header
	Out       io.Writer
	Path      string
	Versions  Versions
	CueFolder string
	Notice    func(text string)
	Ready     func()
	Behalf    *Rights
}

// System returns ErrUnsupported.
func System(context.Context, SystemOptions) (Result, error) {
	return Result{}, fmt.Errorf("%w: this needs Linux on amd64 or arm64, and this is %s on %s", ErrUnsupported, runtime.GOOS, runtime.GOARCH)
}

// PersonBehind finds nobody here.
func PersonBehind() (name string, env map[string]string, uid, gid int, ok bool) {
	return "", nil, 0, 0, false
}

// Run returns ErrUnsupported.
func Run(context.Context, Options) (Result, error) {
	return Result{}, fmt.Errorf("%w: this needs Linux on amd64 or arm64, and this is %s on %s", ErrUnsupported, runtime.GOOS, runtime.GOARCH)
}

func startedIgnoring(syscall.Signal) bool { return false }
