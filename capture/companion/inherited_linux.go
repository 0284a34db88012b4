//go:build amd64 || arm64

package companion

import (
	"os"
	"strconv"
	"syscall"
)

// maxInherited bounds the descriptors that are handed on.
const maxInherited = 1024

// Inherited are the descriptors from 3 on that this process was given and hands on:
// those that are not closed when another program is executed.
func Inherited() (fds []int) {
	names, err := os.ReadDir("/proc/self/fd")
	if err != nil {
		return nil
	}
	for _, e := range names {
		fd, err := strconv.Atoi(e.Name())
		if err != nil || fd < 3 || fd >= maxInherited {
			continue
		}
		flags, _, errno := syscall.Syscall(syscall.SYS_FCNTL, uintptr(fd), syscall.F_GETFD, 0)
		if errno == 0 && flags&syscall.FD_CLOEXEC == 0 {
			fds = append(fds, fd)
		}
	}
	return fds
}

// closing adds -1 for what was inherited beyond the files given, so that a companion
// does not keep open what belongs to the command.
func closing(files []int) []int {
	for _, fd := range Inherited() {
		for len(files) <= fd {
			files = append(files, -1)
		}
	}
	return files
}
