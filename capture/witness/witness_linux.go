//go:build amd64 || arm64

package witness

import (
	"os"
	"os/signal"
	"runtime"
	"sync"
	"syscall"
	"time"

	"endroit/capture/companion"
)

const name = "endroit-witness"

func init() {
	if len(os.Args) > 0 && os.Args[0] == name {
		os.Exit(live())
	}
}

// Witness is the process.
type Witness struct {
	mu sync.Mutex
	fd int
}

// Start starts it.
func Start() (*Witness, error) {
	pair, err := syscall.Socketpair(syscall.AF_UNIX, syscall.SOCK_SEQPACKET|syscall.SOCK_CLOEXEC, 0)
	if err != nil {
		return nil, err
	}
	err = companion.Again(name, nil, []int{pair[1]}, false)
	_ = syscall.Close(pair[1])
	if err != nil {
		_ = syscall.Close(pair[0])
		return nil, err
	}
	wait := syscall.Timeval{Sec: 1}
	_ = syscall.SetsockoptTimeval(pair[0], syscall.SOL_SOCKET, syscall.SO_RCVTIMEO, &wait)
	w := &Witness{fd: pair[0]}
	_, _ = syscall.Read(pair[0], make([]byte, 1)) // it is there
	return w, nil
}

// Got reports whether the whole process group got a signal that this process has just
// got.
func (w *Witness) Got(s syscall.Signal) bool {
	if w == nil {
		return false
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	if _, err := syscall.Write(w.fd, []byte{byte(s)}); err != nil {
		return false
	}
	answer := make([]byte, 2)
	for {
		n, err := syscall.Read(w.fd, answer)
		switch {
		case err == syscall.EINTR:
		case err == nil && n == 2 && answer[0] != byte(s): // late, to an earlier question
		default:
			return err == nil && n == 2 && answer[1] == 'y'
		}
	}
}

// Dismiss ends it.
func (w *Witness) Dismiss() {
	if w != nil {
		_ = syscall.Close(w.fd)
	}
}

// socket is what it inherits, behind the usual descriptors.
const socket = companion.First

// lateBy is how much later than the observer the witness may get a signal: the kernel
// sends it to one process of the group after the other.
const lateBy = 30 * time.Millisecond

// live is its life.
func live() int {
	runtime.LockOSThread() // the main thread has the process's name
	got := make(chan os.Signal, 256)
	signal.Notify(got) // all
	companion.Call(name)
	asked := make(chan syscall.Signal)
	go func() {
		defer close(asked)
		question := make([]byte, 1)
		for {
			n, err := syscall.Read(socket, question)
			if err == syscall.EINTR {
				continue
			}
			if n != 1 || err != nil {
				return
			}
			asked <- syscall.Signal(question[0])
		}
	}()
	if _, err := syscall.Write(socket, []byte{'w'}); err != nil {
		return 1
	}
	counts := map[os.Signal]int{}
	for {
		select {
		case s := <-got:
			counts[s]++
		case s, more := <-asked:
			if !more {
				return 0
			}
			late := time.After(lateBy)
			for waits := true; waits && counts[s] == 0; {
				select {
				case other := <-got:
					counts[other]++
				case <-late:
					waits = false
				}
			}
			answer := byte('n')
			if counts[s] > 0 {
				answer = 'y'
				counts[s]-- // asked for each
			}
			_, _ = syscall.Write(socket, []byte{byte(s), answer})
		}
	}
}
