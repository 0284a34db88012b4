//go:build amd64 || arm64

package companion

import (
	"slices"
	"syscall"
)

// maxInherited bounds the descriptors that are handed on.
const maxInherited = 1024

// Inherited are the descriptors from 3 on that this process was given and hands on:
// those that are not closed when another program is executed.
func Inherited() (fds []int) {
	folder, err := syscall.Open("/proc/self/fd", syscall.O_RDONLY|syscall.O_DIRECTORY|syscall.O_CLOEXEC, 0)
	if err != nil {
		return nil
	}
	defer syscall.Close(folder)
	var names []string
	for entries := make([]byte, 4096); ; {
		n, err := syscall.ReadDirent(folder, entries)
		if err != nil || n <= 0 {
			break
		}
		_, _, names = syscall.ParseDirent(entries[:n], -1, names)
	}
	for _, name := range names {
		fd, ok := number(name)
		if !ok || fd < 3 || fd >= maxInherited {
			continue
		}
		flags, _, errno := syscall.Syscall(syscall.SYS_FCNTL, uintptr(fd), syscall.F_GETFD, 0)
		if errno == 0 && flags&syscall.FD_CLOEXEC == 0 {
			fds = append(fds, int(fd))
		}
	}
	slices.Sort(fds)
	return fds
}

// InheritedDescriptors are the descriptors of a command by number: the usual three, and what this
// process hands on.
func InheritedDescriptors(in, out, err int) []int {
	files := []int{in, out, err}
	for _, fd := range Inherited() {
		for len(files) <= fd {
			files = append(files, -1)
		}
		files[fd] = fd
	}
	return files
}
