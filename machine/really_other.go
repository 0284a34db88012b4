//go:build !linux

package machine

import "path/filepath"

func really(folder string) (string, error) { return filepath.EvalSymlinks(folder) }
