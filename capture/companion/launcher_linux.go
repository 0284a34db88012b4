//go:build amd64 || arm64

package companion

import (
	"errors"
	"os"
	"runtime"
	"strconv"
	"syscall"
	"unsafe"
)

// Flags and operations of seccomp(2) and prctl(2).
const (
	setModeFilter    = 1      // SECCOMP_SET_MODE_FILTER
	newListener      = 1 << 3 // SECCOMP_FILTER_FLAG_NEW_LISTENER
	waitKillableRecv = 1 << 5 // SECCOMP_FILTER_FLAG_WAIT_KILLABLE_RECV
	noNewPrivileges  = 38     // PR_SET_NO_NEW_PRIVS
)

// What the launcher says first: that it sends the listener.
const (
	saysListener   = 'l' // and the program keeps the rights that files give it
	saysRestrained = 'r' // and it does not (PR_SET_NO_NEW_PRIVS)
	saysFilter     = 'f' // the filter could not be installed
	saysExec       = 'x' // the command could not be executed
)

// Errors of Launch.
var (
	ErrObserved = errors.New("this program is itself being observed, and the kernel allows one observer; run it outside")
	ErrNoFilter = errors.New("the kernel has no seccomp user notification (Linux 5.9 or later, built with CONFIG_SECCOMP_FILTER)")
)

// Launched is a command that was started.
type Launched struct {
	PID      int
	Listener int // the descriptor
	// Restrained says that programs do not get the rights that their files give.
	Restrained bool
	// Failed yields why the command could not be executed, and is closed once it was.
	Failed <-chan error
}

// Launcher is a launcher that waits to be told to go on.
type Launcher struct {
	pid    int
	socket int
}

// Prepare starts the launcher of a command. files are the command's descriptors by
// number; those that are -1 are closed.
func Prepare(program string, args []string, files []int) (*Launcher, error) {
	pair, err := syscall.Socketpair(syscall.AF_UNIX, syscall.SOCK_SEQPACKET|syscall.SOCK_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	number := len(files) // above all that the command gets
	at := &syscall.ProcAttr{Env: os.Environ(), Files: descriptors(append(append([]int{}, files...), pair[1]))}
	pid, err := syscall.ForkExec(self, append([]string{launcherName, strconv.Itoa(number), program}, args...), at)
	_ = syscall.Close(pair[1]) // so that the end of the launcher is seen
	if err != nil {
		_ = syscall.Close(pair[0])
		return nil, err
	}
	return &Launcher{pid, pair[0]}, nil
}

// Cancel ends the launcher: the command is not run.
func (l *Launcher) Cancel() {
	_ = syscall.Close(l.socket)
	_, _ = syscall.Wait4(l.pid, nil, 0, nil)
}

// Launch has the launcher install the filter, hand the listener over and become the
// command.
func (l *Launcher) Launch(filter []byte) (*Launched, error) {
	out := &Launched{PID: l.pid, Listener: -1}
	message, oob := make([]byte, 1024), make([]byte, syscall.CmsgSpace(4))
	n := 0
	_, err := syscall.Write(l.socket, filter)
	if err == nil {
		n, oob, err = receive(l.socket, message, oob)
	}
	switch {
	case err != nil:
	case n == 0:
		err = errors.New("the launcher ended before it could hand over")
	case message[0] == saysListener || message[0] == saysRestrained:
		out.Restrained = message[0] == saysRestrained
		out.Listener, err = rights(oob)
	default:
		err = filterError(message[1:n])
	}
	if err != nil {
		l.Cancel()
		return nil, err
	}
	later := make(chan error, 1)
	out.Failed = later
	go func() {
		defer close(later)
		defer syscall.Close(l.socket)
		if n, err := syscall.Read(l.socket, message); err == nil && n > 1 {
			later <- errors.New(string(message[1:n]))
		}
	}()
	return out, nil
}

func descriptors(files []int) (all []uintptr) {
	for _, fd := range files {
		all = append(all, uintptr(fd)) // -1 is what ForkExec closes
	}
	return all
}

func receive(fd int, message, oob []byte) (int, []byte, error) {
	for {
		n, oobn, _, _, err := syscall.Recvmsg(fd, message, oob, syscall.MSG_CMSG_CLOEXEC)
		if err != syscall.EINTR {
			return n, oob[:max(oobn, 0)], err
		}
	}
}

func rights(oob []byte) (int, error) {
	control, err := syscall.ParseSocketControlMessage(oob)
	if err != nil {
		return -1, err
	}
	for _, c := range control {
		if fds, err := syscall.ParseUnixRights(&c); err == nil && len(fds) == 1 {
			return fds[0], nil
		}
	}
	return -1, errors.New("the launcher sent no listener")
}

// filterError is what the launcher said of the filter: the number of an error.
func filterError(text []byte) error {
	n, err := strconv.Atoi(string(text))
	if err != nil {
		return errors.New(string(text))
	}
	switch errno := syscall.Errno(n); errno {
	case syscall.EBUSY:
		return ErrObserved
	case syscall.EINVAL, syscall.ENOSYS:
		return ErrNoFilter
	default:
		return errors.New("install the filter: " + errno.Error() + "; a container may forbid it")
	}
}

// launch is the launcher's life.
func launch(args []string) int {
	runtime.LockOSThread()
	if len(args) < 3 {
		_, _ = os.Stderr.WriteString("endroit: the launcher is started by endroit trace alone\n")
		return 2
	}
	to, err := strconv.Atoi(args[0])
	if err != nil {
		return 2
	}
	fail := func(step byte, status int, text string) int {
		_, _ = syscall.Write(to, append([]byte{step}, text...))
		return status
	}
	syscall.CloseOnExec(to)
	filter := make([]byte, 64<<10)
	n, err := syscall.Read(to, filter)
	if err != nil || n < 8 {
		return 1 // the command is not to be run
	}
	listener, restrained, errno := install(filter[:n])
	if errno != 0 {
		return fail(saysFilter, 1, strconv.Itoa(int(errno)))
	}
	says := byte(saysListener)
	if restrained {
		says = saysRestrained
	}
	if err := syscall.Sendmsg(to, []byte{says}, syscall.UnixRights(listener), nil, 0); err != nil {
		return fail(saysFilter, 1, err.Error())
	}
	_ = syscall.Close(listener)
	err = syscall.Exec(args[1], args[2:], os.Environ())
	text := err.Error()
	if err == syscall.ENOEXEC {
		text = "not a program for this machine (no ELF header and no #! line)"
	}
	return fail(saysExec, 126, text)
}

// install puts the filter on the calling thread and returns the listener. Where the
// kernel demands it, programs lose the rights that their files give them: of those who
// may administer the system it does not.
func install(filter []byte) (listener int, restrained bool, errno syscall.Errno) {
	prog := syscall.SockFprog{Len: uint16(len(filter) / 8), Filter: (*syscall.SockFilter)(unsafe.Pointer(&filter[0]))}
	// Waiting killably keeps signals that do not end the program from interrupting a
	// call that the observer has already received (Linux 5.19).
	for _, flags := range []uintptr{newListener | waitKillableRecv, newListener} {
		for _, restrained := range []bool{false, true} {
			if restrained {
				if _, _, errno := syscall.Syscall6(syscall.SYS_PRCTL, noNewPrivileges, 1, 0, 0, 0, 0); errno != 0 {
					return -1, true, errno
				}
			}
			fd, _, errno := syscall.Syscall(sysSeccomp, setModeFilter, flags, uintptr(unsafe.Pointer(&prog)))
			if errno == 0 {
				return int(fd), restrained, 0
			}
			if errno == syscall.EINVAL {
				break // without the newer flag
			}
			if errno != syscall.EACCES || restrained {
				return -1, restrained, errno
			}
		}
	}
	return -1, false, syscall.EINVAL
}
