package calls

import (
	"fmt"
	"os"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture/companion"
	"endroit/capture/processes"
	"endroit/core/trace"
)

// A refused execution leaves the program as it is, whatever was known of the process
// before; an executed one replaces it.
func TestExecutionIsSeenByTheProgram(t *testing.T) {
	command := exec.Command("sh", "-c", "read line; exec sleep 60")
	in, err := command.StdinPipe()
	require.NoError(t, err)
	require.NoError(t, command.Start())
	defer func() { _ = command.Process.Kill(); _ = command.Wait() }()
	pid := command.Process.Pid
	s := &supervisor{ps: processes.NewTable(nil, nil, nil), names: newNames(), changes: make(chan *change, 1)}
	begun := func() *change {
		c := &change{op: trace.Run}
		s.begin(&work{n: &companion.Notification{Nr: unix.SYS_EXECVE}, p: &processes.Process{PID: pid}, th: &processes.Thread{TID: pid}}, c)
		return c
	}
	require.Eventually(t, func() bool { return program(t, pid) != "calls.test" }, time.Minute, time.Millisecond)
	c := begun()
	assert.False(t, c.happened())
	_, err = in.Write([]byte("\n"))
	require.NoError(t, err)
	require.Eventually(t, func() bool { return program(t, pid) == "sleep" }, time.Minute, time.Millisecond)
	assert.True(t, c.happened())
	assert.False(t, begun().happened())
}

func program(t *testing.T, pid int) string {
	t.Helper()
	name, err := os.ReadFile(fmt.Sprintf("/proc/%d/comm", pid))
	require.NoError(t, err)
	return strings.TrimSpace(string(name))
}

// On a busy machine an execution takes longer than any other change.
func TestExecutionMayTakeLong(t *testing.T) {
	busy := exec.Command("sh", "-c", "while :; do :; done")
	require.NoError(t, busy.Start())
	defer func() { _ = busy.Process.Kill(); _ = busy.Wait() }()
	th := &processes.Thread{TID: busy.Process.Pid}
	running := func(op trace.Op) func() bool {
		return func() bool { return (&change{op: op, th: th, nr: -1}).within(time.Second) }
	}
	assert.Eventually(t, running(trace.Run), time.Minute, time.Millisecond)
	assert.False(t, running(trace.Create)())
	assert.False(t, (&change{op: trace.Run, th: th, nr: -1}).within(execLimit))
}
