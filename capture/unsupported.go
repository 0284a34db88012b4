//go:build !linux || (!amd64 && !arm64)

package capture

import (
	"context"
	"fmt"
	"runtime"
)

// Reenter does nothing where programs cannot be observed.
func Reenter() {}

// Run returns ErrUnsupported.
func Run(context.Context, Options) (Result, error) {
	return Result{}, fmt.Errorf("%w: this needs Linux on amd64 or arm64, and this is %s on %s", ErrUnsupported, runtime.GOOS, runtime.GOARCH)
}
