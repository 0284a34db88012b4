package childproc

import "syscall"

func tie(a *syscall.SysProcAttr, signal syscall.Signal) { a.Pdeathsig, a.Setpgid = signal, true }
