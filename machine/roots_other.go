//go:build !linux

package machine

import (
	"fmt"
	"runtime"

	"endroit/core/place"
)

// Roots returns an error where the anchors are not looked up yet.
func Roots() (place.Roots, error) {
	return nil, fmt.Errorf("this version knows where things lie on Linux alone, not on %s", runtime.GOOS)
}
