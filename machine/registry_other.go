//go:build !windows

package machine

import "endroit/core/sheet"

// registryKey finds nothing: only Windows has a registry of its own.
func registryKey([]string) (any, error) { return nil, sheet.ErrNotThere }

// OwnKey finds nothing either.
func OwnKey([]string) (values int, found bool, err error) { return 0, false, nil }
