//go:build unix

package cues

import (
	"io"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// What lies in a folder that others can write into is asked nothing, believed nothing, and
// left alone.
func TestFolderOfAnotherUserIsRefused(t *testing.T) {
	top := t.TempDir()
	open, link, file := filepath.Join(top, "open"), filepath.Join(top, "link"), filepath.Join(top, "file")
	require.NoError(t, os.Mkdir(open, 0o700))
	left := filepath.Join(open, "999999999.cue")
	require.NoError(t, os.WriteFile(left, nil, 0o600))
	forged, err := net.Listen("unix", filepath.Join(open, "1.cue"))
	require.NoError(t, err)
	defer forged.Close()
	go func() {
		for {
			c, err := forged.Accept()
			if err != nil {
				return
			}
			_, _ = io.WriteString(c, `{"pid":1,"title":"forged","trace":"/etc/passwd","at":1}`)
			_ = c.Close()
		}
	}()
	require.NoError(t, os.Symlink(open, link))
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	require.NoError(t, os.Chmod(open, 0o777))
	for _, folder := range []string{open, link, file} {
		_, err := Mark(folder, "saved", 0)
		require.ErrorContains(t, err, "no folder of yours alone", folder)
		_, err = Find(folder, 0)
		require.ErrorContains(t, err, "no folder of yours alone", folder)
		_, err = Runs(folder)
		require.ErrorContains(t, err, "no folder of yours alone", folder)
		_, err = Listen(folder, nil)
		require.Error(t, err, folder)
	}
	assert.FileExists(t, left, "nothing is tidied up there")
	_, err = Mark(filepath.Join(top, "nowhere"), "saved", 0)
	assert.ErrorIs(t, err, ErrNoTrace)
}

// Which run is meant follows from what is running.
func TestRunsAreListed(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "cues")
	c, err := Listen(folder, &Run{Header: trace.Header{Title: "Tidewrack", Started: time.Unix(1_800_000_000, 0)}, Path: "/somewhere/t.trace"})
	require.NoError(t, err)
	defer c.Close()
	runs, err := Runs(folder)
	require.NoError(t, err)
	require.Len(t, runs, 1)
	assert.Equal(t, "Tidewrack", runs[0].Title)
	assert.Equal(t, os.Getpid(), runs[0].PID)
	assert.Equal(t, "/somewhere/t.trace", runs[0].Trace)
}
