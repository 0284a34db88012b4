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

	order  *order
	shared *shared
}

// Failed is why the command could not be executed, nil if it could. It is to be asked,
// once, when the command has ended.
func (l *Launched) Failed() error {
	errno := syscall.Errno(l.order.errno)
	l.shared.free()
	switch errno {
	case 0:
		return nil
	case syscall.ENOEXEC:
		return errors.New("not a program for this machine (no ELF header and no #! line)")
	}
	return errno
}

// Launcher is a launcher that waits to be told to go on.
type Launcher struct {
	pid    int
	socket int
	files  []int
	env    []string
	order  *order
	shared *shared // holds order
}

// early are the companions that were started along with this program: nil if there are
// none, or they were taken.
var early struct {
	launcher *Launcher
	witness  *Witness
	keeper   chan *Keeper // yields one, nil if it could not be started
}

// startEarly starts the companions if this program was called to run a command under
// observation, as far as can be told from its arguments by then. A copy of this process is
// cheapest while it has little memory, and the keeper comes up at the same time as this
// program.
func startEarly(args []string) {
	if len(args) < 3 || args[1] != "trace" {
		return
	}
	for _, a := range args[2:] {
		switch a {
		case "--":
			early.launcher, _ = newLauncher(Handed(0, 1, 2))
			early.witness, _ = newWitness()
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
	defer syscall.Close(pair[1]) // so that the end of the launcher is seen
	l := &Launcher{socket: pair[0], files: slices.Clone(files), env: syscall.Environ()}
	if l.order, l.shared, err = newOrder(); err == nil {
		b := newBecoming(files)
		b.order, b.socket, b.other = l.order, pair[1], pair[0]
		if l.pid, err = fork(b); err != nil {
			l.shared.free()
		}
	}
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
	l.shared.free()
}

// Launch has the launcher install the filter, hand the listener over and become the
// command.
func (l *Launcher) Launch(program string, args []string, filter []byte) (*Launched, error) {
	out := &Launched{PID: l.pid, Listener: -1, order: l.order, shared: l.shared}
	message, oob := make([]byte, 1), make([]byte, syscall.CmsgSpace(4))
	n := 0
	err := l.order.write(l.shared, program, args, l.env, filter)
	if err == nil {
		_, err = syscall.Write(l.socket, message)
	}
	if err == nil {
		n, oob, err = receive(l.socket, message, oob)
	}
	switch {
	case err != nil:
	case n == 0:
		if err = errors.New("the launcher ended before it could hand over"); l.order.errno != 0 {
			err = filterError(syscall.Errno(l.order.errno))
		}
	default:
		out.Restrained = l.order.restrained != 0
		var given []int
		if given, err = rights(oob, 1); err == nil {
			out.Listener = given[0]
		}
	}
	if err != nil {
		l.Cancel()
		return nil, err
	}
	_ = syscall.Close(l.socket)
	return out, nil
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

func filterError(errno syscall.Errno) error {
	switch errno {
	case syscall.EBUSY:
		return ErrObserved
	case syscall.EINVAL, syscall.ENOSYS:
		return ErrNoFilter
	}
	return errors.New("install the filter: " + errno.Error() + "; a container may forbid it")
}

// order is what the launcher is told, and what it tells of itself: in memory that both
// share. Addresses are those of that memory.
type order struct {
	filter          filterProgram
	path, args, env uintptr // as execve(2) takes them
	restrained      uint32
	errno           uint32 // of the step that failed
}

// filterProgram is struct sock_fprog (seccomp(2)).
type filterProgram struct {
	length uint16
	code   uintptr
}

// orderSize is more than the words and the environment of a program can take: three
// quarters of 8 MiB (execve(2)).
const orderSize = 8 << 20

func newOrder() (*order, *shared, error) {
	s, err := newShared(orderSize)
	if err != nil {
		return nil, nil, err
	}
	part, _ := s.take(int(unsafe.Sizeof(order{})))
	return (*order)(unsafe.Pointer(unsafe.SliceData(part))), s, nil
}

func (o *order) write(s *shared, program string, args, env []string, filter []byte) error {
	code, at := s.take(len(filter))
	copy(code, filter)
	o.filter = filterProgram{uint16(len(filter) / 8), at}
	o.path, o.args, o.env = s.text(program), s.list(args), s.list(env)
	if s.full {
		return syscall.E2BIG
	}
	return nil
}

// becoming is a launcher at work: a copy of this process that becomes the command.
type becoming struct {
	order         *order
	socket, other int // the end of the socket, and the end that is the observer's
	files         []int
	ignored       uint64
	limited       bool // limit is known
	limit         [2]uint64
	action        struct { // of a signal (rt_sigaction(2))
		handler, flags, restorer uintptr
		mask                     uint64
	}
	said    [8]byte
	part    syscall.Iovec
	message syscall.Msghdr
	rights  [24]byte // a descriptor to send along (cmsg(3))
}

func newBecoming(files []int) *becoming {
	b := &becoming{files: slices.Clone(files), ignored: started.Ignored()}
	b.limit[0], b.limit[1], b.limited = started.OpenFiles()
	b.action.handler = 1 // SIG_IGN
	copy(b.rights[:], syscall.UnixRights(-1))
	b.part = syscall.Iovec{Base: &b.said[0], Len: 1}
	b.message = syscall.Msghdr{Iov: &b.part, Iovlen: 1, Control: &b.rights[0], Controllen: uint64(len(b.rights))}
	return b
}

//go:nosplit
//go:norace
func (b *becoming) live() {
	afterForkInChild()
	closeOne(b.other)
	if !b.dress() {
		return
	}
	if n, _ := again(syscall.SYS_READ, uintptr(b.socket), uintptr(unsafe.Pointer(&b.said)), 1); n != 1 {
		return // the command is not to be run
	}
	listener, errno := b.install()
	if errno == 0 {
		*(*int32)(unsafe.Pointer(&b.rights[syscall.SizeofCmsghdr])) = int32(listener)
		_, errno = again(syscall.SYS_SENDMSG, uintptr(b.socket), uintptr(unsafe.Pointer(&b.message)), 0)
	}
	if errno == 0 {
		_, _, errno = syscall.RawSyscall(syscall.SYS_EXECVE, b.order.path, b.order.args, b.order.env)
	}
	b.order.errno = uint32(errno)
	exit(126)
}

// dress gives this process what the command is to have: the descriptors, the signals that
// it ignores, the limit of open files.
//
//go:nosplit
//go:norace
func (b *becoming) dress() bool {
	for s := uintptr(1); s <= 64; s++ {
		if b.ignored>>(s-1)&1 != 0 {
			_, _, _ = syscall.RawSyscall6(syscall.SYS_RT_SIGACTION, s, uintptr(unsafe.Pointer(&b.action)), 0, unsafe.Sizeof(b.action.mask), 0, 0)
		}
	}
	// What is needed stays above what the command gets, and so does what would be
	// overwritten before its turn.
	above := uintptr(len(b.files))
	socket, errno := again(syscall.SYS_FCNTL, uintptr(b.socket), syscall.F_DUPFD_CLOEXEC, above)
	if errno != 0 {
		return false
	}
	b.socket = int(socket)
	for i, fd := range b.files {
		if fd >= 0 && fd < i {
			moved, errno := again(syscall.SYS_FCNTL, uintptr(fd), syscall.F_DUPFD_CLOEXEC, above)
			if errno != 0 {
				return false
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
			return false
		}
	}
	if b.limited {
		_, _, _ = syscall.RawSyscall6(syscall.SYS_PRLIMIT64, 0, syscall.RLIMIT_NOFILE, uintptr(unsafe.Pointer(&b.limit)), 0, 0, 0)
	}
	return true
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
		listener, errno = again(sysSeccomp, setModeFilter, flags, uintptr(unsafe.Pointer(&b.order.filter)))
		switch {
		case errno == syscall.EINVAL && flags&waitKillableRecv != 0: // without the newer flag
			flags = newListener
		case errno == syscall.EACCES && b.order.restrained == 0:
			b.order.restrained = 1
			if _, _, errno := syscall.RawSyscall6(syscall.SYS_PRCTL, noNewPrivileges, 1, 0, 0, 0, 0); errno != 0 {
				return 0, errno
			}
		default:
			return listener, errno
		}
	}
}
