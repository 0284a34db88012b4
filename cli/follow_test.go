package cli

import (
	"bytes"
	"context"
	"os"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// A trace is read along while it is written, and to its end once it has ended.
func TestFollowReadsAlong(t *testing.T) {
	name := filepath.Join(t.TempDir(), "a.trace")
	file, err := os.Create(name)
	require.NoError(t, err)
	w, err := trace.NewWriter(file, trace.Header{Title: "Tide\x1bwrack", OS: "linux", Runtime: "native", Started: time.Now().Add(time.Hour), Env: map[string]string{"HOME": "/home/mira"}})
	require.NoError(t, err)
	var over atomic.Bool
	f, leave, err := followFile(name, over.Load)
	require.NoError(t, err)
	defer leave()
	assert.True(t, f.wait(20*time.Millisecond))
	assert.Contains(t, f.block(100)[1], "no progress, settings or pictures were written yet")

	require.NoError(t, w.Process(&trace.Process{PID: 4, Exe: "/opt/tw/tw"}))
	for i, path := range []string{"/home/mira/.local/share/tw/slot1.sav", "/home/mira/.config/tw/settings.ini", "/home/mira/.local/share/tw/" + strings.Repeat("long/", 40) + "slot2.sav"} {
		require.NoError(t, w.File(&trace.File{Path: path, Before: trace.State{Is: trace.IsAbsent}}))
		require.NoError(t, w.Event(trace.Event{At: time.Duration(i+1) * time.Millisecond, Process: 1, Op: trace.Create, File: i + 1}))
	}
	require.NoError(t, w.Cue(trace.Cue{At: 4 * time.Millisecond, Word: "saved"}))
	require.NoError(t, w.Flush())
	require.Eventually(t, func() bool { return f.wait(10*time.Millisecond) && len(f.block(100)) == 4 }, time.Minute, time.Millisecond)
	block := f.block(80)
	assert.Contains(t, block[0], `Tide\u001Bwrack: `)
	assert.Contains(t, block[0], "3 files written, last cue saved ")
	assert.Regexp(t, `^  progress now +….*long/slot2\.sav$`, block[1])
	assert.Regexp(t, `^  settings now +xdg-config:tw/settings\.ini$`, block[2])
	assert.Contains(t, block[3], "xdg-data:tw/slot1.sav")
	for _, line := range block {
		assert.LessOrEqual(t, len([]rune(line)), 80)
	}
	status := f.statusLine(200)
	assert.Contains(t, status, "3 files written, cue saved now | progress slot2.sav now, settings settings.ini now, progress slot1.sav now")
	assert.LessOrEqual(t, len([]rune(f.statusLine(40))), 40)

	_, err = w.Close(5 * time.Millisecond)
	require.NoError(t, err)
	require.NoError(t, file.Close())
	over.Store(true)
	var out bytes.Buffer
	f.print(t.Context(), &app{out: &out})
	assert.True(t, f.ended)
	assert.NoError(t, f.err)
	assert.Equal(t, 1, strings.Count(out.String(), "slot1.sav"), "each writing is said once")
	assert.Contains(t, out.String(), "cue      saved")
}

// What follows ends when nobody writes any more, though the end line is missing.
func TestFollowEndsWithTheObserver(t *testing.T) {
	name := filepath.Join(t.TempDir(), "a.trace")
	file, err := os.Create(name)
	require.NoError(t, err)
	defer file.Close()
	_, err = trace.NewWriter(file, trace.Header{OS: "linux"})
	require.NoError(t, err)
	f, leave, err := followFile(name, func() bool { return true })
	require.NoError(t, err)
	defer leave()
	ctx, cancel := context.WithTimeout(t.Context(), time.Minute)
	defer cancel()
	f.print(ctx, &app{out: &bytes.Buffer{}})
	assert.NoError(t, ctx.Err())
	assert.False(t, f.ended)

	_, _, err = followFile(filepath.Join(t.TempDir(), "none"), func() bool { return true })
	assert.ErrorIs(t, err, os.ErrNotExist)
}

func TestTimesAgo(t *testing.T) {
	for d, want := range map[time.Duration]string{0: "now", -time.Second: "now", 4500 * time.Millisecond: "4 s ago", 40 * time.Second: "40 s ago", 125 * time.Second: "2 min 5 s ago"} {
		assert.Equal(t, want, ago(d))
	}
	assert.Equal(t, "abc…", clipEnd("abcdef", 4))
	assert.Equal(t, "…def", clipStart("abcdef", 4))
	assert.Equal(t, "abc", clipStart("abc", 4))
}
