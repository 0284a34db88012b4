package capture

import "golang.org/x/sys/unix"

const oNoAtime = unix.O_NOATIME
