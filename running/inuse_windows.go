package running

import (
	"errors"

	"golang.org/x/sys/windows"
)

// inUse reports whether some program has a file open: it cannot be opened for this one
// alone then (CreateFile, ERROR_SHARING_VIOLATION).
func inUse(path string) bool {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return false
	}
	h, err := windows.CreateFile(name, windows.GENERIC_READ, 0, nil, windows.OPEN_EXISTING, windows.FILE_ATTRIBUTE_NORMAL, 0)
	if err == nil {
		_ = windows.CloseHandle(h)
	}
	return errors.Is(err, windows.ERROR_SHARING_VIOLATION) || errors.Is(err, windows.ERROR_LOCK_VIOLATION)
}
