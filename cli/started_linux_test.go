package cli_test

import (
	"bytes"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// program builds the program as make does.
func program(t *testing.T) string {
	t.Helper()
	if runtime.GOARCH != "amd64" && runtime.GOARCH != "arm64" {
		t.Skip("nothing can be observed here")
	}
	endroit := filepath.Join(t.TempDir(), "endroit")
	build := exec.Command("go", "build", "-ldflags", "-E _endroit_start", "-o", endroit, "endroit/cmd/endroit")
	build.Env = append(os.Environ(), "CGO_ENABLED=0")
	out, err := build.CombinedOutput()
	require.NoError(t, err, string(out))
	return endroit
}

// A command begins as it would alone: with the signals ignored that were, the descriptors,
// the words and the environment.
func TestCommandStartsAsIfUntraced(t *testing.T) {
	endroit := program(t)
	folder := t.TempDir()
	given, other, err := os.Pipe()
	require.NoError(t, err)
	defer given.Close()
	defer other.Close()
	run := func(before string) string {
		c := exec.Command("sh", "-c", `trap "" TERM QUIT USR1 TSTP PIPE; exec 7<&3; ulimit -Sn 300; `+before+`"$@"`, "sh",
			"sh", "-c", `grep -E "^Sig(Ign|Blk)" /proc/self/status; for f in 0 1 2 3 4 5 6 7 8 9; do echo "$f is $(readlink /proc/self/fd/$f | sed "s/[0-9]*//g")"; done; pwd; umask; ulimit -Sn; ulimit -Hn; env | grep -v ^_= | sort; printf "<%s>" "$@"`,
			"", "one", "", "two\nlines", "--system", strings.Repeat("long", 30_000))
		c.Dir, c.ExtraFiles = folder, []*os.File{given}
		c.Env = []string{"PATH=" + os.Getenv("PATH"), "HOME=" + folder, "XDG_RUNTIME_DIR=" + folder, "EMPTY=", "LINES=a\nb"}
		var errs bytes.Buffer
		c.Stderr = &errs
		out, err := c.Output()
		require.NoError(t, err, errs.String())
		return string(out)
	}
	alone := run("")
	assert.Contains(t, alone, "\n3 is pipe:[]\n")
	assert.Contains(t, alone, "\n7 is pipe:[]\n")
	assert.Contains(t, alone, "\n300\n", "Go raises its own limit of open files")
	assert.Contains(t, alone, "<one><><two\nlines><--system><longlong")
	mask := regexp.MustCompile(`SigIgn:\s+([0-9a-f]+)`).FindStringSubmatch(alone)
	require.NotEmpty(t, mask)
	ignored, err := strconv.ParseUint(mask[1], 16, 64)
	require.NoError(t, err)
	for _, s := range []syscall.Signal{syscall.SIGTERM, syscall.SIGQUIT, syscall.SIGUSR1, syscall.SIGTSTP, syscall.SIGPIPE} {
		assert.NotZero(t, ignored>>(s-1)&1, s)
	}
	assert.True(t, alone == run(endroit+" trace --quiet --out one.trace -- "), "the companions come up with the program")
	assert.True(t, alone == run(endroit+" trace --quiet --title -h --out two.trace -- "), "they come up later")
}

// What this program is started to ignore does not end it while the command goes on.
func TestAnIgnoredSignalEndsNeither(t *testing.T) {
	endroit := program(t)
	folder := t.TempDir()
	c := exec.Command("sh", "-c", `trap "" TERM USR1; exec "$0" trace --quiet --out x.trace -- sh -c 'kill -TERM $PPID; kill -USR1 $PPID; sleep 0.3; echo went on'`, endroit)
	c.Dir = folder
	c.Env = append(os.Environ(), "HOME="+folder, "XDG_RUNTIME_DIR="+folder)
	out, err := c.Output()
	require.NoError(t, err)
	assert.Equal(t, "went on\n", string(out))
	assert.FileExists(t, filepath.Join(folder, "x.trace"))
}
