//go:build amd64 || arm64

package system

import (
	"bytes"
	"context"
	"encoding/binary"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sys/unix"

	"endroit/capture"
	"endroit/capture/capturetest"
	"endroit/capture/processes"
	"endroit/core/trace"
)

func init() {
	// Waits for its signal, so that it runs before it is observed.
	capturetest.Acts["as-told"] = func() error {
		for {
			if _, err := os.Stat("go-on"); err == nil {
				break
			}
			time.Sleep(5 * time.Millisecond)
		}
		if _, err := os.ReadFile("there.txt"); err != nil {
			return err
		}
		if err := os.WriteFile("new.sav", []byte("one"), 0o600); err != nil {
			return err
		}
		if err := os.WriteFile("there.txt", []byte("longer than it was"), 0o600); err != nil {
			return err
		}
		if err := os.Mkdir("made", 0o700); err != nil {
			return err
		}
		if err := os.WriteFile("made/part.new", []byte("whole"), 0o600); err != nil {
			return err
		}
		if err := os.Rename("made/part.new", "made/whole.sav"); err != nil {
			return err
		}
		if err := os.Rename("made", "moved"); err != nil {
			return err
		}
		if err := os.WriteFile("moved/after.sav", nil, 0o600); err != nil {
			return err
		}
		if err := os.Remove("new.sav"); err != nil {
			return err
		}
		c := exec.Command(os.Args[0])
		c.Env = append(os.Environ(), "ENDROIT_ACT=append")
		return c.Run()
	}
}

// systemWhile observes the system while a program that ran before does its act.
func systemWhile(t *testing.T, act string, change func(o *Options, pid int)) capturetest.Observed {
	t.Helper()
	if os.Geteuid() != 0 {
		t.Skip("observing the system needs root")
	}
	folder := capturetest.Must(filepath.EvalSymlinks(t.TempDir()))
	require.NoError(t, os.WriteFile(filepath.Join(folder, "there.txt"), []byte("before"), 0o600))
	c := exec.Command(os.Args[0])
	c.Dir, c.Env = folder, append(os.Environ(), "ENDROIT_ACT="+act)
	require.NoError(t, c.Start())
	ended := make(chan struct{})
	go func() { _ = c.Wait(); close(ended) }()
	var buf bytes.Buffer
	o := Options{Out: &buf, CueFolder: filepath.Join(folder, "cues"), Under: folder, Header: trace.Header{User: "mira", Env: map[string]string{"HOME": folder}}}
	o.Ready = func() { _ = os.WriteFile(filepath.Join(folder, "go-on"), nil, 0o600) }
	change(&o, c.Process.Pid)
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	go func() {
		<-ended
		if o.PID == 0 && o.Process == "" {
			time.Sleep(200 * time.Millisecond)
			cancel()
		}
	}()
	result, err := Run(ctx, o)
	require.NoError(t, err)
	<-ended
	got := capturetest.ReadBack(t, &buf, folder)
	got.Result = result
	return got
}

func TestTheSystemIsObserved(t *testing.T) {
	if !capture.KernelAtLeast(5, 17) {
		t.Skip("this kernel cannot")
	}
	for name, change := range map[string]func(o *Options, pid int){
		"by process id": func(o *Options, pid int) { o.PID = pid },
		"by name":       func(o *Options, _ int) { o.Process = filepath.Base(os.Args[0]) },
		"by folder":     func(*Options, int) {},
		"by id alone":   func(o *Options, pid int) { o.PID, o.Under = pid, "" },
	} {
		t.Run(name, func(t *testing.T) {
			got := systemWhile(t, "as-told", change)
			got.Has(t, "create new.sav", "remove new.sav", "update there.txt", "make-folder made", "create made/part.new", "rename made/part.new made/whole.sav", "rename made moved", "create moved/after.sav")
			assert.EqualValues(t, 6, got.Files["there.txt"].Before.Size, "as it was before the run")
			assert.Equal(t, trace.IsAbsent, got.Files["new.sav"].Before.Is)
			assert.EqualValues(t, 22, got.After["there.txt"].Size, "by the child too")
			assert.Equal(t, trace.IsAbsent, got.After["new.sav"].Is)
			assert.NotContains(t, strings.Join(got.Events, "\n"), "read new.sav")
			assert.Equal(t, trace.BySystem, got.Result.Header.Observer)
			assert.Equal(t, "mira", got.Result.Header.User)
			if name != "by folder" {
				assert.NotContains(t, got.Files, "go-on", "another program made it")
			}
			assert.Empty(t, got.Cut)
			assert.NotContains(t, gapsOf(got), "lost")
		})
	}
}

func gapsOf(o capturetest.Observed) (all string) {
	for _, g := range o.Gaps {
		all += g.What + "\n"
	}
	return all
}

// A queue that overflowed is reported; what is no event is not followed.
func TestEventsOfTheSystemThatAreLost(t *testing.T) {
	w, err := trace.NewWriter(&bytes.Buffer{}, trace.Header{})
	require.NoError(t, err)
	r := capture.NewRecorder(time.Now())
	r.Begin(w)
	s := &system{r: r, wanted: map[int]*asked{}, ps: processes.NewTable(r, nil, nil), self: os.Getpid()}
	event := make([]byte, metadataSize)
	binary.NativeEndian.PutUint32(event, metadataSize)
	binary.NativeEndian.PutUint16(event[6:], metadataSize)
	binary.NativeEndian.PutUint64(event[8:], unix.FAN_Q_OVERFLOW)
	binary.NativeEndian.PutUint32(event[16:], 0xFFFFFFFF) // no descriptor
	s.events(append(event, event...))
	short := bytes.Clone(event)
	binary.NativeEndian.PutUint32(short, 5)
	s.events(short)
	_, gaps, err := r.Close()
	require.NoError(t, err)
	require.Len(t, gaps, 2)
	assert.Contains(t, gaps[0].What, "events were lost")
	assert.Equal(t, 2, gaps[0].N)
	assert.Contains(t, gaps[1].What, "could not be read")
	for _, bad := range [][]byte{nil, make([]byte, 15), append(make([]byte, 8), 0xFF, 0xFF, 0xFF, 0xFF, 0, 0, 0, 0)} {
		_, ok := parseName(bad)
		assert.False(t, ok)
	}
}

func TestNamesOfPrograms(t *testing.T) {
	me := os.Getpid()
	assert.True(t, called(me, filepath.Base(os.Args[0])))
	assert.True(t, called(me, strings.ToUpper(filepath.Base(os.Args[0]))+".EXE"))
	assert.False(t, called(me, "fen.exe"))
	assert.False(t, called(-5, "x"))
}
