//go:build amd64 || arm64

package companion

import (
	"os"
	"path/filepath"
	"strconv"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestSignalHelperCounts(t *testing.T) {
	w, err := newWitness()
	require.NoError(t, err)
	send := func(s syscall.Signal) { require.NoError(t, syscall.Kill(w.process.pid, s)) }
	assert.False(t, w.Received(syscall.SIGTERM), "nobody sent it")
	name, err := os.ReadFile(filepath.Join("/proc", strconv.Itoa(w.process.pid), "comm"))
	require.NoError(t, err)
	for _, s := range []syscall.Signal{syscall.SIGHUP, syscall.SIGINT, syscall.SIGQUIT, syscall.SIGTERM, syscall.SIGUSR1, syscall.SIGTSTP, syscall.SIGCHLD, syscall.SIGWINCH, syscall.SIGSEGV, 64} {
		send(s)
		assert.True(t, w.Received(s), "%d", s)
		assert.False(t, w.Received(s), "%d was sent once", s)
	}
	for range 3 {
		send(syscall.SIGUSR2)
		time.Sleep(5 * time.Millisecond) // two that wait are one
	}
	for range 3 {
		assert.True(t, w.Received(syscall.SIGUSR2))
	}
	assert.False(t, w.Received(syscall.SIGUSR2))
	time.AfterFunc(lateBy/3, func() { send(syscall.SIGUSR2) })
	assert.True(t, w.Received(syscall.SIGUSR2), "it came a little later")
	assert.Equal(t, witnessName+"\n", string(name))
	open, err := os.ReadDir(filepath.Join("/proc", strconv.Itoa(w.process.pid), "fd"))
	require.NoError(t, err)
	assert.Len(t, open, 5, "it keeps nothing of what this process has open")
	pid := w.process.pid
	w.Dismiss()
	require.Eventually(t, func() bool { return syscall.Kill(pid, 0) == syscall.ESRCH }, 10*time.Second, time.Millisecond, "it ends, and is waited for")
}

func TestALauncherThatIsCancelled(t *testing.T) {
	l, err := newLauncher([]int{0, 1, 2})
	require.NoError(t, err)
	pid := l.process.pid
	require.NoError(t, syscall.Kill(pid, 0))
	l.Cancel()
	assert.Equal(t, syscall.ESRCH, syscall.Kill(pid, 0))
}

func TestCommandThatCannotStart(t *testing.T) {
	for _, c := range []struct {
		files   []int
		program string
		filter  []byte
		want    string
	}{
		{[]int{0, 1, 2, 99_999}, "/bin/true", make([]byte, 8), "get the command's descriptors ready: bad file descriptor"},
		{[]int{0, 1, 2}, "/bin/true", make([]byte, 8), ErrNoFilter.Error()},                         // it does not end with an answer
		{[]int{0, 1, 2}, "/bin/tr\x00ue", []byte{6, 0, 0, 0, 0, 0, 0xff, 0x7f}, "invalid argument"}, // what allows all
	} {
		l, err := newLauncher(c.files)
		require.NoError(t, err)
		l.Install(c.filter)
		if _, _, err = l.Listen(); err == nil {
			err = l.Launch(c.program, []string{c.program})
		}
		require.EqualError(t, err, c.want)
	}
}
