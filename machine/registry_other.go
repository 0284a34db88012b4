//go:build !windows

package machine

import "endroit/core/sheet"

// registryKey finds nothing: only Windows has a registry of its own.
func registryKey([]string) (any, error) { return nil, sheet.ErrNotThere }
