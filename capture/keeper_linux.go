//go:build amd64 || arm64

package capture

import (
	"fmt"
	"os"
	"runtime"
	"strconv"
	"sync/atomic"
	"syscall"
	"unsafe"

	"golang.org/x/sys/unix"
)

// keeper is a process that stands by while a program is observed. Should the
// observer end before the program does, however that comes, it lets every call
// pass from then on: without an answer the program would hang or fail.
type keeper struct {
	wake *os.File // closed without a word: take over
	page []byte   // shared with the keeper: the id of the call being answered
}

// What the keeper inherits, beside the listener.
const (
	inheritedPage = inherited + 1
	inheritedWake = inherited + 2
)

const dismissed = 'x' // said on wake: nothing is left to keep

func startKeeper(listener int) (*keeper, error) {
	fail := func(err error) (*keeper, error) { return nil, fmt.Errorf("start the keeper: %w", err) }
	null, err := os.OpenFile(os.DevNull, os.O_RDWR, 0)
	if err != nil {
		return fail(err)
	}
	defer null.Close()
	dup, err := unix.FcntlInt(uintptr(listener), unix.F_DUPFD_CLOEXEC, 3)
	if err != nil {
		return fail(err)
	}
	theirs := os.NewFile(uintptr(dup), "listener")
	defer theirs.Close()
	fd, err := unix.MemfdCreate("endroit-keeper", unix.MFD_CLOEXEC)
	if err != nil {
		return fail(err)
	}
	memory := os.NewFile(uintptr(fd), "page")
	defer memory.Close()
	if err := memory.Truncate(page); err != nil {
		return fail(err)
	}
	shared, err := unix.Mmap(fd, 0, page, unix.PROT_READ|unix.PROT_WRITE, unix.MAP_SHARED)
	if err != nil {
		return fail(err)
	}
	read, write, err := os.Pipe()
	if err != nil {
		return fail(err)
	}
	defer read.Close()
	_, err = os.StartProcess("/proc/self/exe", []string{keeperName, strconv.Itoa(os.Getpid())}, &os.ProcAttr{
		Dir:   "/",
		Files: []*os.File{null, null, null, theirs, memory, read},
		Sys:   &syscall.SysProcAttr{Setsid: true}, // out of reach of the terminal's signals
	})
	if err != nil {
		_ = write.Close()
		return fail(err)
	}
	return &keeper{wake: write, page: shared}, nil
}

// answering notes the call that is in the observer's hands.
func (k *keeper) answering(id uint64) {
	if k != nil {
		atomic.StoreUint64((*uint64)(unsafe.Pointer(&k.page[0])), id)
	}
}

// dismiss ends the keeper: no observed program is left.
func (k *keeper) dismiss() {
	if k != nil {
		_, _ = k.wake.Write([]byte{dismissed})
		_ = k.wake.Close()
	}
}

// takeOver hands what is left to the keeper.
func (k *keeper) takeOver() { _ = k.wake.Close() }

// keep is the keeper's life.
func keep() int {
	runtime.LockOSThread()
	said := make([]byte, 1)
	for {
		n, err := unix.Read(inheritedWake, said)
		if err == unix.EINTR {
			continue
		}
		if n == 1 || err != nil {
			return 0
		}
		break // the observer is gone
	}
	l := listener{fd: inherited, direct: false}
	if shared, err := unix.Mmap(inheritedPage, 0, page, unix.PROT_READ, unix.MAP_SHARED); err == nil {
		// The call that the observer held, and the next: it may have received that
		// and not come to note it. The kernel numbers calls in order, and refuses an
		// answer to one that nobody received yet.
		last := atomic.LoadUint64((*uint64)(unsafe.Pointer(&shared[0])))
		l.answer(last, false)
		l.answer(last+1, false)
	}
	for {
		n, err := l.receive()
		if err != nil {
			return 0
		}
		if n != nil {
			l.answer(n.id, callByNumber[numbered{n.arch, uint32(n.nr)}].act == actRefuse)
		}
	}
}
