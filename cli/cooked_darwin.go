package cli

import "golang.org/x/sys/unix"

const getTermios = unix.TIOCGETA
