//go:build amd64 || arm64

package companion

import (
	"errors"
	"slices"
	"syscall"
	"unsafe"

	"endroit/capture/companion/started"
)

// Flags and operations of seccomp(2) and prctl(2).
const (
	setModeFilter    = 1      // SECCOMP_SET_MODE_FILTER
	newListener      = 1 << 3 // SECCOMP_FILTER_FLAG_NEW_LISTENER
	waitKillableRecv = 1 << 5 // SECCOMP_FILTER_FLAG_WAIT_KILLABLE_RECV
	noNewPrivileges  = 38     // PR_SET_NO_NEW_PRIVS
)

// Errors of Listen.
var (
	ErrObserved = errors.New("this program is itself being observed, and the kernel allows one observer; run it outside")
	ErrNoFilter = errors.New("the kernel has no seccomp user notification (Linux 5.9 or later, built with CONFIG_SECCOMP_FILTER)")
)

// Launcher is a launcher that waits for the word to go on.
type Launcher struct {
	process  *begun
	becoming *becoming
	socket   int
	files    []int
	env      []string

	installing error // why the filter cannot be installed
}

// early are the companions that were started along with this program: nil if there are
// none, or they were taken.
var early struct {
	launcher *Launcher
	witness  *SignalWitness
}

// startEarly starts the companions if this program was called to run a command under
// observation, as far as its arguments show it by then.
func startEarly(args []string) {
	if len(args) < 3 || args[1] != "trace" {
		return
	}
	for _, a := range args[2:] {
		switch a {
		case "--":
			early.launcher, _ = newLauncher(InheritedDescriptors(0, 1, 2))
			early.witness, _ = newWitness()
			return
		case "--system", "--help", "-h":
			return
		}
	}
}

// StartedEarly reports whether the companions have come up with this program and were not used
// yet: it is about to run a command.
func StartedEarly() bool { return early.launcher != nil }

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
	defer syscall.Close(pair[1]) // so that the end of the launcher is seen
	l := &Launcher{socket: pair[0], files: slices.Clone(files), env: syscall.Environ()}
	l.becoming = newBecoming(files)
	l.becoming.socket, l.becoming.other = pair[1], pair[0]
	if l.process, err = begin(l.becoming); err != nil {
		_ = syscall.Close(pair[0])
		return nil, err
	}
	return l, nil
}

// Cancel ends the launcher: the command is not run.
func (l *Launcher) Cancel() {
	_ = syscall.Close(l.socket)
	l.process.wait()
}

// Install has the launcher install a filter, which goes on while this process does other
// things. It is to be called before Launch.
func (l *Launcher) Install(filter []byte) {
	l.becoming.filter = syscall.SockFprog{
		Len:    uint16(len(filter) / 8),
		Filter: (*syscall.SockFilter)(unsafe.Pointer(unsafe.SliceData(filter))),
	}
	l.installing = l.resume()
}

// Listen takes the listener of the filter that was installed. restrained says that
// programs do not get the rights that their files give. If it fails the launcher has
// ended.
func (l *Launcher) Listen() (listener int, restrained bool, err error) {
	if err = l.installing; err == nil {
		listener, err = l.listener()
	}
	if err != nil {
		l.Cancel()
		return -1, false, l.becoming.failure(err)
	}
	return listener, l.becoming.restrained, nil
}

// PID is the launcher's process id, and the command's later.
func (l *Launcher) PID() int { return l.process.pid }

// Launch has the launcher become the command. If it fails the launcher has ended.
func (l *Launcher) Launch(program string, args []string) error {
	err := l.becoming.tell(program, args, l.env)
	if err == nil {
		err = l.resume()
	}
	if err != nil {
		l.Cancel()
		return l.becoming.failure(err)
	}
	_ = syscall.Close(l.socket)
	return nil
}

// Failed is why the command could not be executed, nil if it could. It is to be asked
// when the command has ended.
func (l *Launcher) Failed() error {
	l.process.left()
	switch errno := l.becoming.errno; errno {
	case 0:
		return nil
	case syscall.ENOEXEC:
		return errors.New("not a program for this machine (no ELF header and no #! line)")
	default:
		return errno
	}
}

// resume has the launcher take its next step.
func (l *Launcher) resume() error {
	_, err := syscall.Write(l.socket, []byte{0})
	return err
}

func (l *Launcher) listener() (int, error) {
	n, oob, err := receive(l.socket, make([]byte, 1), make([]byte, syscall.CmsgSpace(4)))
	if err != nil {
		return -1, err
	}
	if n == 0 {
		return -1, errors.New("the launcher ended before it could hand over")
	}
	given, err := rights(oob, 1)
	if err != nil {
		return -1, err
	}
	return given[0], nil
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

// failure is why a launcher that has ended could not hand over, as far as it knows; err is
// how that was found.
func (b *becoming) failure(err error) error {
	switch {
	case b.errno == 0:
		return err
	case !b.filtering:
		return errors.New("get the command's descriptors ready: " + b.errno.Error())
	case b.errno == syscall.EBUSY:
		return ErrObserved
	case b.errno == syscall.EINVAL || b.errno == syscall.ENOSYS:
		return ErrNoFilter
	}
	return errors.New("install the filter: " + b.errno.Error() + "; a container may forbid it")
}

// becoming is a launcher at work, which becomes the command.
type becoming struct {
	socket, other int // the end of the socket, and the end that is the observer's
	files         []int
	ignored       uint64
	limited       bool // limit is known
	limit         [2]uint64
	said          [8]byte
	part          syscall.Iovec
	message       syscall.Msghdr
	rights        [24]byte // a descriptor to send along (cmsg(3))
	ignore, reset action
	was           action

	// The bytes that it receives.
	filter    syscall.SockFprog
	path      *byte // and the others as execve(2) takes them
	args, env []*byte

	// What it tells of itself.
	filtering  bool // all before the filter has gone well
	restrained bool
	errno      syscall.Errno // of the step that failed
}

func newBecoming(files []int) *becoming {
	b := &becoming{files: slices.Clone(files), ignored: started.Ignored()}
	b.limit[0], b.limit[1], b.limited = started.OpenFiles()
	b.ignore.handler, b.reset.handler = actIgnore, actDefault
	copy(b.rights[:], syscall.UnixRights(-1))
	b.part = syscall.Iovec{Base: &b.said[0], Len: 1}
	b.message = syscall.Msghdr{Iov: &b.part, Iovlen: 1, Control: &b.rights[0], Controllen: uint64(len(b.rights))}
	return b
}

// tell fills in what it is to become.
func (b *becoming) tell(program string, args, env []string) (err error) {
	if b.path, err = syscall.BytePtrFromString(program); err != nil {
		return err
	}
	if b.args, err = syscall.SlicePtrFromStrings(args); err != nil {
		return err
	}
	b.env, err = syscall.SlicePtrFromStrings(env)
	return err
}

//go:nosplit
//go:norace
func (b *becoming) live(p *begun) {
	closeOne(b.other)
	if b.errno = b.dress(&p.mask); b.errno != 0 {
		exit(126)
	}
	b.waits()
	b.filtering = true
	listener, errno := b.install()
	if errno == 0 {
		*(*int32)(unsafe.Pointer(&b.rights[syscall.SizeofCmsghdr])) = int32(listener)
		_, errno = again(syscall.SYS_SENDMSG, uintptr(b.socket), uintptr(unsafe.Pointer(&b.message)), 0)
	}
	if errno == 0 {
		b.waits()
		_, _, errno = syscall.RawSyscall(
			syscall.SYS_EXECVE, uintptr(unsafe.Pointer(b.path)), uintptr(unsafe.Pointer(&b.args[0])),
			uintptr(unsafe.Pointer(&b.env[0])),
		)
	}
	b.errno = errno
	exit(126)
}

// waits blocks until the observer says go on. If the command is not to be run it ends.
//
//go:nosplit
//go:norace
func (b *becoming) waits() {
	if n, _ := again(syscall.SYS_READ, uintptr(b.socket), uintptr(unsafe.Pointer(&b.said)), 1); n != 1 {
		exit(1)
	}
}

// dress gives this process what the command is to have: the descriptors, the signals that
// it ignores, the limit of open files.
//
//go:nosplit
//go:norace
func (b *becoming) dress(mask *uint64) syscall.Errno {
	for s := uintptr(1); s <= 64; s++ {
		setAction(s, nil, &b.was)
		switch {
		case b.ignored>>(s-1)&1 != 0:
			setAction(s, &b.ignore, nil)
		case b.was.handler != actIgnore: // Go's would run in here
			setAction(s, &b.reset, nil)
		}
	}
	setMask(mask, nil)
	// What is needed stays above what the command gets, and so does what would be
	// overwritten before its turn.
	above := uintptr(len(b.files))
	socket, errno := again(syscall.SYS_FCNTL, uintptr(b.socket), syscall.F_DUPFD_CLOEXEC, above)
	if errno != 0 {
		return errno
	}
	b.socket = int(socket)
	for i, fd := range b.files {
		if fd >= 0 && fd < i {
			moved, errno := again(syscall.SYS_FCNTL, uintptr(fd), syscall.F_DUPFD_CLOEXEC, above)
			if errno != 0 {
				return errno
			}
			b.files[i] = int(moved)
		}
	}
	for i, fd := range b.files {
		switch {
		case fd == -1:
			closeOne(i)
		case fd == i:
			_, errno = again(syscall.SYS_FCNTL, uintptr(fd), syscall.F_SETFD, 0)
		default:
			_, errno = again(syscall.SYS_DUP3, uintptr(fd), uintptr(i), 0)
		}
		if errno != 0 {
			return errno
		}
	}
	if b.limited {
		_, _, _ = syscall.RawSyscall6(syscall.SYS_PRLIMIT64, 0, syscall.RLIMIT_NOFILE, uintptr(unsafe.Pointer(&b.limit)), 0, 0, 0)
	}
	return 0
}

// install puts the filter on this process and returns the listener. Where the kernel
// demands it, programs lose the rights that their files give them: of those who may
// administer the system it does not.
//
//go:nosplit
//go:norace
func (b *becoming) install() (listener uintptr, errno syscall.Errno) {
	// Waiting killably keeps signals that do not end the program from interrupting a
	// call that the observer has already received (Linux 5.19).
	flags := uintptr(newListener | waitKillableRecv)
	for {
		listener, errno = again(sysSeccomp, setModeFilter, flags, uintptr(unsafe.Pointer(&b.filter)))
		switch {
		case errno == syscall.EINVAL && flags&waitKillableRecv != 0: // without the newer flag
			flags = newListener
		case errno == syscall.EACCES && !b.restrained:
			b.restrained = true
			if _, _, errno := syscall.RawSyscall6(syscall.SYS_PRCTL, noNewPrivileges, 1, 0, 0, 0, 0); errno != 0 {
				return 0, errno
			}
		default:
			return listener, errno
		}
	}
}
