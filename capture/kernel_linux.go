package capture

import "golang.org/x/sys/unix"

// KernelAtLeast reports whether this kernel is of a release or a later one.
func KernelAtLeast(major, minor int) bool {
	var u unix.Utsname
	if unix.Uname(&u) != nil {
		return false
	}
	var have [2]int
	i := 0
	for _, c := range u.Release {
		if c >= '0' && c <= '9' {
			have[i] = have[i]*10 + int(c-'0')
		} else if i++; i == len(have) {
			break
		}
	}
	return have[0] > major || have[0] == major && have[1] >= minor
}
