//go:build !unix

package capture

// running reports whether there is a process with this id: it cannot be told here.
func running(int) bool { return true }
