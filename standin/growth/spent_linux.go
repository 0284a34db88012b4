package growth

import (
	"time"

	"golang.org/x/sys/unix"
)

// spent is what this thread has had of the processor (clock_gettime(2)).
func spent() time.Duration {
	var t unix.Timespec
	if err := unix.ClockGettime(unix.CLOCK_THREAD_CPUTIME_ID, &t); err != nil {
		return time.Since(begun)
	}
	return time.Duration(t.Nano())
}
