package capture

import "golang.org/x/sys/windows"

// Alive reports whether there is a process with this id.
func Alive(pid int) bool {
	h, err := windows.OpenProcess(windows.PROCESS_QUERY_LIMITED_INFORMATION, false, uint32(pid))
	if err != nil {
		return err == windows.ERROR_ACCESS_DENIED
	}
	defer windows.CloseHandle(h)
	var code uint32
	const still = 259 // STILL_ACTIVE
	return windows.GetExitCodeProcess(h, &code) != nil || code == still
}
