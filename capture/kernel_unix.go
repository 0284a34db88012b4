//go:build unix

package capture

import "golang.org/x/sys/unix"

func KernelRelease() string {
	var u unix.Utsname
	if unix.Uname(&u) != nil {
		return ""
	}
	return unix.ByteSliceToString(u.Release[:])
}
