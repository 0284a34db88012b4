package cli_test

import (
	"errors"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// Ctrl-C, at whatever moment, ends the game as it would without us, and leaves a trace
// that is whole; before the game runs, it may leave none.
func TestCtrlCAtAnyMoment(t *testing.T) {
	endroit := filepath.Join(t.TempDir(), "endroit")
	out, err := exec.Command("go", "build", "-o", endroit, "endroit/cmd/endroit").CombinedOutput()
	require.NoError(t, err, string(out))
	whole := 0
	for i := range 12 {
		folder := t.TempDir()
		c := exec.Command(endroit, "trace", "--out", "x.trace", "--", "/bin/sh", "-c", "while :; do echo a >s.new; mv s.new s.sav; done")
		c.Dir = folder
		c.Env = append(os.Environ(), "HOME="+folder, "XDG_RUNTIME_DIR="+folder)
		c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true} // a terminal's Ctrl-C reaches the whole group
		require.NoError(t, c.Start())
		if i%2 == 0 { // at another moment each time of its life; every other time surely while the game runs
			require.Eventually(t, func() bool { _, err := os.Stat(filepath.Join(folder, "s.sav")); return err == nil }, time.Minute, time.Millisecond)
		}
		time.Sleep(time.Duration(rand.IntN(500)) * time.Millisecond)
		require.NoError(t, syscall.Kill(-c.Process.Pid, syscall.SIGINT))
		again := time.AfterFunc(5*time.Second, func() { _ = syscall.Kill(-c.Process.Pid, syscall.SIGINT) }) // the shell may not have been there yet
		err := c.Wait()
		again.Stop()
		var exit *exec.ExitError
		require.True(t, err == nil || errors.As(err, &exit))
		f, err := os.Open(filepath.Join(folder, "x.trace"))
		if errors.Is(err, os.ErrNotExist) {
			continue
		}
		require.NoError(t, err)
		r, err := trace.NewReader(f, trace.DefaultLimits)
		if err != nil { // before the first line
			_ = f.Close()
			continue
		}
		for _, err := range r.Lines() {
			require.NoError(t, err)
		}
		_ = f.Close()
		if r.Cut() == "" {
			whole++
			assert.Equal(t, 130, c.ProcessState.ExitCode())
		}
	}
	assert.GreaterOrEqual(t, whole, 6, "only what comes before the game runs leaves a trace that is not whole")
}
