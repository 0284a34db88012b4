//go:build amd64 || arm64

package capture

import (
	"errors"
	"fmt"
	"os"
	"runtime"
	"syscall"

	"golang.org/x/sys/unix"
)

// The names under which the program starts itself anew.
const (
	launcherName = "endroit-launcher"
	keeperName   = "endroit-keeper"
)

// Reenter takes over if this process was started by the observer as the
// launcher of a command, or as the keeper of one that is no longer observed;
// then it does not return.
func Reenter() {
	switch os.Args[0] {
	case launcherName:
		os.Exit(launch(os.Args[1:]))
	case keeperName:
		os.Exit(keep())
	}
}

// The descriptor that the launcher and the keeper inherit.
const inherited = 3

// launch installs the filter, hands the listener over and becomes the command.
// What goes wrong is written to the socket: a letter for the step, and the text.
func launch(args []string) int {
	runtime.LockOSThread()
	fail := func(step byte, status int, err error) int {
		_ = unix.Send(inherited, append([]byte{step}, err.Error()...), 0)
		return status
	}
	if len(args) < 2 {
		fmt.Fprintln(os.Stderr, "endroit: the launcher is started by endroit trace alone")
		return 2
	}
	unix.CloseOnExec(inherited)
	listener, err := installFilter()
	if err != nil {
		return fail('f', 1, err)
	}
	if err := unix.Sendmsg(inherited, []byte{'l'}, unix.UnixRights(listener), nil, 0); err != nil {
		return fail('f', 1, err)
	}
	_ = unix.Close(listener)
	err = syscall.Exec(args[0], args[1:], os.Environ())
	if errors.Is(err, unix.ENOEXEC) {
		err = errors.New("not a program for this machine (no ELF header and no #! line)")
	}
	return fail('x', 126, err)
}

// startLauncher starts the launcher and receives the listener. failed yields
// the launcher's later message if the command could not be executed, and is
// closed once it could.
func startLauncher(path string, o Options) (pid int, listener int, failed <-chan error, err error) {
	pair, err := unix.Socketpair(unix.AF_UNIX, unix.SOCK_SEQPACKET|unix.SOCK_CLOEXEC, 0)
	if err != nil {
		return 0, -1, nil, fmt.Errorf("start the command: %w", err)
	}
	theirs := os.NewFile(uintptr(pair[1]), "launcher")
	defer theirs.Close()
	process, err := os.StartProcess("/proc/self/exe", append([]string{launcherName, path}, o.Command...), &os.ProcAttr{
		Env:   os.Environ(),
		Files: []*os.File{o.Stdin, o.Stdout, o.Stderr, theirs},
	})
	if err != nil {
		_ = unix.Close(pair[0])
		return 0, -1, nil, fmt.Errorf("start the launcher: %w", err)
	}
	pid = process.Pid
	_ = theirs.Close()

	message, oob := make([]byte, 1024), make([]byte, unix.CmsgSpace(4))
	n, oobn, _, _, err := unix.Recvmsg(pair[0], message, oob, unix.MSG_CMSG_CLOEXEC)
	if err == nil && (n == 0 || message[0] != 'l') {
		err = errors.New("the launcher ended before it could hand over")
		if n > 1 {
			err = errors.New(string(message[1:n]))
		}
	}
	if err == nil {
		var control []unix.SocketControlMessage
		if control, err = unix.ParseSocketControlMessage(oob[:oobn]); err == nil {
			err = errors.New("the launcher sent no listener")
			for _, c := range control {
				if fds, e := unix.ParseUnixRights(&c); e == nil && len(fds) == 1 {
					listener, err = fds[0], nil
				}
			}
		}
	}
	if err != nil {
		_ = unix.Close(pair[0])
		_, _ = unix.Wait4(pid, nil, 0, nil)
		return 0, -1, nil, fmt.Errorf("%w: %w", ErrUnsupported, err)
	}
	later := make(chan error, 1)
	go func() {
		defer close(later)
		defer unix.Close(pair[0])
		n, err := unix.Read(pair[0], message)
		if err == nil && n > 1 {
			later <- &CommandError{o.Command[0], 126, errors.New(string(message[1:n]))}
		}
	}()
	return pid, listener, later, nil
}
