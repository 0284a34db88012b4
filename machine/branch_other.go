//go:build !linux

package machine

func openBase(path string) (base, error) { return openRooted(path) }
