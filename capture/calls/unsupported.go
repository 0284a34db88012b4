//go:build !linux || (!amd64 && !arm64)

package calls

import (
	"context"
	"fmt"
	"runtime"

	"endroit/capture"
)

// Run returns ErrUnsupported.
func Run(context.Context, Options) (capture.Result, error) {
	return capture.Result{}, fmt.Errorf(
		"%w: this needs Linux on amd64 or arm64, and this is %s on %s", capture.ErrUnsupported, runtime.GOOS,
		runtime.GOARCH,
	)
}
