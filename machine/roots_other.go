//go:build !linux && !windows && !darwin

package machine

import (
	"fmt"
	"runtime"

	"endroit/core/place"
)

// Roots returns an error where the anchors are not looked up yet.
func Roots() (place.Roots, error) {
	return nil, fmt.Errorf("this version knows where things lie on Linux, Windows and macOS, not on %s", runtime.GOOS)
}
