//go:build amd64 || arm64

package companion

import (
	"errors"
	"runtime"
	"slices"
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
	files  []int
	env    []string
}

// early are the companions that were started along with this program: nil if there are
// none, or they were taken.
var early struct {
	launcher *Launcher
	keeper   chan *Keeper // yields one, nil if it could not be started
}

// startEarly starts the companions if this program was called to run a command under
// observation, as far as can be told from its arguments by then: all come up at the same
// time.
func startEarly(args []string) {
	if len(args) < 3 || args[1] != "trace" {
		return
	}
	for _, a := range args[2:] {
		switch a {
		case "--":
			early.launcher, _ = newLauncher(Handed(0, 1, 2))
			keeper := make(chan *Keeper, 1)
			early.keeper = keeper
			go func() {
				k, _ := newKeeper()
				keeper <- k
			}()
			return
		case "--system", "--help", "-h":
			return
		}
	}
}

// Prepare starts a launcher. files are the command's descriptors by number; those that
// are -1 are closed.
func Prepare(files []int) (*Launcher, error) {
	if l := early.launcher; l != nil {
		early.launcher = nil
		if slices.Equal(l.files, files) && slices.Equal(l.env, syscall.Environ()) {
			return l, nil
		}
		l.Cancel()
	}
	return newLauncher(files)
}

func newLauncher(files []int) (*Launcher, error) {
	pair, err := syscall.Socketpair(syscall.AF_UNIX, syscall.SOCK_SEQPACKET|syscall.SOCK_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	socket := len(files) // above all that the command gets
	l := &Launcher{socket: pair[0], files: files, env: syscall.Environ()}
	at := &syscall.ProcAttr{Env: l.env, Files: descriptors(append(slices.Clone(files), pair[1]))}
	l.pid, err = syscall.ForkExec(self, []string{launcherName, digits(uint64(socket)), digits(ignored)}, at)
	_ = syscall.Close(pair[1]) // so that the end of the launcher is seen
	if err != nil {
		_ = syscall.Close(pair[0])
		return nil, err
	}
	return l, nil
}

// Cancel ends the launcher: the command is not run.
func (l *Launcher) Cancel() {
	_ = syscall.Close(l.socket)
	_, _ = syscall.Wait4(l.pid, nil, 0, nil)
}

// Launch has the launcher install the filter, hand the listener over and become the
// command.
func (l *Launcher) Launch(program string, args []string, filter []byte) (*Launched, error) {
	out := &Launched{PID: l.pid, Listener: -1}
	message, oob := make([]byte, 1024), make([]byte, syscall.CmsgSpace(4))
	n := 0
	err := l.tell(append([]string{program}, args...), filter)
	if err == nil {
		n, oob, err = receive(l.socket, message, oob)
	}
	switch {
	case err != nil:
	case n == 0:
		err = errors.New("the launcher ended before it could hand over")
	case message[0] == saysListener || message[0] == saysRestrained:
		out.Restrained = message[0] == saysRestrained
		var given []int
		if given, err = rights(oob, 1); err == nil {
			out.Listener = given[0]
		}
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

// What the launcher is told: the words of the command, a part in each message, and last
// the filter.
const (
	tellsCommand = 'c'
	tellsFilter  = 'f'

	commandPart = 32 << 10
)

func (l *Launcher) tell(command []string, filter []byte) error {
	for words := joined(command); len(words) > 0; {
		part := words[:min(len(words), commandPart)]
		if _, err := syscall.Write(l.socket, append([]byte{tellsCommand}, part...)); err != nil {
			return err
		}
		words = words[len(part):]
	}
	_, err := syscall.Write(l.socket, append([]byte{tellsFilter}, filter...))
	return err
}

// told is that in the launcher; ok is false if the command is not to be run.
func told(from int) (command []string, filter []byte, ok bool) {
	message, words := make([]byte, 64<<10), []byte(nil)
	for {
		n, err := syscall.Read(from, message)
		switch {
		case err == syscall.EINTR:
		case err != nil || n < 1:
			return nil, nil, false
		case message[0] == tellsCommand:
			words = append(words, message[1:n]...)
		default:
			command = split(words)
			return command, message[1:n], len(command) > 1 && n > 8
		}
	}
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

// rights are the descriptors that came with a message.
func rights(oob []byte, count int) ([]int, error) {
	control, err := syscall.ParseSocketControlMessage(oob)
	if err != nil {
		return nil, err
	}
	for _, c := range control {
		if fds, err := syscall.ParseUnixRights(&c); err == nil && len(fds) == count {
			return fds, nil
		}
	}
	return nil, errors.New("the descriptors that were to come did not")
}

// filterError is what the launcher said of the filter: the number of an error.
func filterError(text []byte) error {
	n, ok := number(string(text))
	if !ok {
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
	if len(args) != 2 {
		_, _ = syscall.Write(2, []byte("endroit: the launcher is started by endroit trace alone\n"))
		return 2
	}
	socket, ok1 := number(args[0])
	ignored, ok2 := number(args[1])
	if !ok1 || !ok2 {
		return 2
	}
	to := int(socket)
	ignore(ignored)
	fail := func(step byte, status int, text string) int {
		_, _ = syscall.Write(to, append([]byte{step}, text...))
		return status
	}
	syscall.CloseOnExec(to)
	command, filter, ok := told(to)
	if !ok {
		return 1
	}
	listener, restrained, errno := install(filter)
	if errno != 0 {
		return fail(saysFilter, 1, digits(uint64(errno)))
	}
	says := byte(saysListener)
	if restrained {
		says = saysRestrained
	}
	if err := syscall.Sendmsg(to, []byte{says}, syscall.UnixRights(listener), nil, 0); err != nil {
		return fail(saysFilter, 1, err.Error())
	}
	_ = syscall.Close(listener)
	err := syscall.Exec(command[0], command[1:], syscall.Environ())
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
