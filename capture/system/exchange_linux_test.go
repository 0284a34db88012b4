//go:build amd64 || arm64

package system

import (
	"os"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"golang.org/x/sys/unix"

	"endroit/capture/capturetest"
	"endroit/core/trace"
)

func init() {
	capturetest.Acts["folders-as-told"] = func() error {
		for {
			if _, err := os.Stat("go-on"); err == nil {
				break
			}
			time.Sleep(5 * time.Millisecond)
		}
		if err := os.Mkdir("world.tmp", 0o700); err != nil {
			return err
		}
		if err := os.WriteFile("world.tmp/a.dat", []byte("a"), 0o600); err != nil {
			return err
		}
		if err := os.Rename("world.tmp", "world"); err != nil {
			return err
		}
		return unix.Renameat2(unix.AT_FDCWD, "there.txt", unix.AT_FDCWD, "world/a.dat", unix.RENAME_EXCHANGE)
	}
}

func TestFoldersAndExchangesOfTheSystem(t *testing.T) {
	got := systemWhile(t, "folders-as-told", func(o *Options, pid int) { o.PID = pid })
	got.Has(t, "rename world.tmp world", "rename world.tmp/a.dat world/a.dat", "exchange there.txt world/a.dat")
	assert.Equal(t, trace.IsFile, got.After["world/a.dat"].Is)
	assert.Equal(t, trace.IsAbsent, got.After["world.tmp/a.dat"].Is)
	assert.NotContains(t, got.Events, "rename world/a.dat there.txt")
}
