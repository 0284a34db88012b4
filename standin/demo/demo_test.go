package main

import (
	"fmt"
	"math/rand/v2"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/standin/winetest"
)

// built builds what the demo runs.
func built(t *testing.T) string {
	t.Helper()
	bin := t.TempDir()
	for _, p := range []string{"endroit/cmd/endroit", "endroit/standin/tidewrack", "endroit/standin/demo"} {
		out, err := exec.Command("go", "build", "-o", bin, p).CombinedOutput()
		require.NoError(t, err, string(out))
	}
	return bin
}

// freeAddress is one where nobody listens, nor at the port behind it, which operators get.
func freeAddress(t *testing.T) string {
	t.Helper()
	for range 100 {
		// Below those that systems give to whoever asks for any, which other tests do meanwhile.
		port := 20_000 + rand.IntN(10_000)
		l, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port))
		if err != nil {
			continue
		}
		beside, err := net.Listen("tcp", fmt.Sprintf("127.0.0.1:%d", port+1))
		_ = l.Close()
		if err == nil {
			_ = beside.Close()
			return l.Addr().String()
		}
	}
	t.Fatal("no two ports side by side are free")
	return ""
}

func TestPathWalk(t *testing.T) {
	winetest.Need(t)
	bin, address := built(t), freeAddress(t)
	folder, err := os.MkdirTemp("/tmp", "endroit-demo-")
	require.NoError(t, err)
	defer os.RemoveAll(folder)
	require.NoError(t, os.Chmod(folder, 0o755))

	c := exec.Command(filepath.Join(bin, "demo"), "-programs", bin, "-folder", filepath.Join(folder, "new"), "-address", address)
	var out strings.Builder
	done := make(chan struct{})
	pipe, err := c.StdoutPipe()
	require.NoError(t, err)
	c.Stderr = c.Stdout
	require.NoError(t, c.Start())
	serving := make(chan struct{})
	go func() {
		defer close(done)
		buffer := make([]byte, 4096)
		for told := false; ; {
			n, err := pipe.Read(buffer)
			out.Write(buffer[:n])
			if !told && strings.Contains(out.String(), "Ctrl-C stops") {
				told = true
				close(serving)
			}
			if err != nil {
				return
			}
		}
	}()
	select {
	case <-serving:
	case <-done:
		t.Fatal(out.String())
	case <-time.After(5 * time.Minute):
		_ = c.Process.Kill()
		<-done
		t.Fatal(out.String())
	}

	// A second demo says what is wrong and what to do.
	second, err := exec.Command(filepath.Join(bin, "demo"), "-programs", bin, "-folder", folder, "-address", address).CombinedOutput()
	assert.Error(t, err)
	assert.Contains(t, string(second), "End the program that uses it")

	require.NoError(t, c.Process.Signal(syscall.SIGINT))
	<-done
	assert.NoError(t, c.Wait())
	text := out.String()
	for _, want := range []string{"$ endroit trace --title Tidewrack", "$ endroit cue saved", "$ endroit footprint", "$ endroit propose", "$ endroit submit", "$ endroit review accept", "$ endroit fetch", "$ endroit locate Tidewrack", "$ endroit locate --all",
		"edition   quayside 418820 version 1.2", "account   90210017 gullwatch, the one in use", "starts Lantern Hollow (505310) of quayside too", `%APPDATA%\Ninefold Orchard\orchards`, "4 titles in 4 variants",
		"slots/slot{slot}.sav", "slot3.sav", "missing: ", "http://" + address, "the-quiet-reader"} {
		assert.Contains(t, text, want)
	}
	_, err = net.DialTimeout("tcp", address, time.Second)
	assert.Error(t, err, "the service has ended")
	left, _ := filepath.Glob(filepath.Join(folder, "new", "postgres", "data", "postmaster.pid"))
	assert.Empty(t, left, "PostgreSQL has ended")
}
