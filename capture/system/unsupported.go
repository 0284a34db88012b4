//go:build !linux || (!amd64 && !arm64)

package system

import (
	"context"
	"fmt"
	"io"
	"runtime"

	"endroit/capture"
	"endroit/capture/versions"
	"endroit/core/trace"
)

// Options say what to observe of the whole machine; here nothing can be.
type Options struct {
	Process   string
	PID       int
	Under     string
	Header    trace.Header
	Out       io.Writer
	Path      string
	Versions  versions.Options
	CueFolder string
	Notice    func(text string)
	Ready     func()
	Behalf    *capture.Rights
}

// Run returns ErrUnsupported.
func Run(context.Context, Options) (capture.Result, error) {
	return capture.Result{}, fmt.Errorf(
		"%w: this needs Linux on amd64 or arm64, and this is %s on %s", capture.ErrUnsupported, runtime.GOOS,
		runtime.GOARCH,
	)
}

// SudoUser finds nobody here.
func SudoUser() (name string, env map[string]string, uid, gid int, ok bool) {
	return "", nil, 0, 0, false
}
