package capture

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// What is found later than it happened stands where it happened, and what a file was found
// to be changed is never told before the file was made.
func TestATraceIsInTheOrderOfItsTimes(t *testing.T) {
	var out bytes.Buffer
	w, err := trace.NewWriter(&out, trace.Header{OS: "linux"})
	require.NoError(t, err)
	r := NewRecorder(time.Now().Add(-time.Minute))
	r.Begin(w)
	p := r.Process(trace.Process{PID: 1, Exe: "/x", At: time.Second})
	a, b := r.FileAt("/a", trace.State{Is: trace.IsAbsent}, 2*time.Second), r.FileAt("/b", trace.State{Is: trace.IsAbsent}, 3*time.Second)
	r.RecordCall(trace.Event{At: 9 * time.Second, Process: p, Op: trace.Create, File: b.N}, b, nil, true)
	r.RecordCall(trace.Event{At: 4 * time.Second, Process: p, Op: trace.Create, File: a.N}, a, nil, true)
	r.Event(trace.Event{At: 8 * time.Second, Op: trace.Changed, File: b.N, Size: 1}) // by the file's own time
	late := r.FileBefore("/c", trace.State{Is: trace.IsFile}, 5*time.Second)
	r.Event(trace.Event{At: 5 * time.Second, Op: trace.Changed, File: late.N, Size: 2, What: trace.Unobserved})
	r.Other(trace.Known{File: a.N, State: trace.State{Is: trace.IsAbsent}})
	_, _, err = r.Close()
	require.NoError(t, err)
	read, err := trace.NewReader(&out, trace.DefaultLimits)
	require.NoError(t, err)
	var told []string
	var at []time.Duration
	names := map[int]string{}
	for line, err := range read.Lines() {
		require.NoError(t, err)
		if line.File != nil {
			names[line.File.N] = line.File.Path
		}
		if line.Event != nil {
			told, at = append(told, string(line.Event.Op)+" "+names[line.Event.File]), append(at, line.Event.At/time.Second)
		}
	}
	assert.Equal(t, []string{"create /a", "changed /c", "create /b", "changed /b"}, told)
	assert.Equal(t, []time.Duration{4, 5, 9, 9}, at)
}

// A disk that takes nothing more costs events, not the program's time.
func TestStalledWriterDoesNotBlock(t *testing.T) {
	w, err := trace.NewWriter(writerFunc(func(p []byte) (int, error) { return len(p), nil }), trace.Header{OS: "linux"})
	require.NoError(t, err)
	r := NewRecorder(time.Now())
	r.Begin(w)
	f := r.File("/a", trace.State{Is: trace.IsFile})
	p := r.Process(trace.Process{PID: 1, Exe: "/x"})
	r.Mu.Lock() // as if the writer had not come to take anything
	for range maxQueued + 10 {
		r.add(recordOf(trace.Event{Process: p, Op: trace.Read, File: f.N}))
	}
	r.Mu.Unlock()
	_, gaps, err := r.Close()
	require.NoError(t, err)
	require.Len(t, gaps, 1)
	assert.Contains(t, gaps[0].What, "events were lost")
	assert.GreaterOrEqual(t, gaps[0].N, 10)
}

type writerFunc func(p []byte) (int, error)

func (f writerFunc) Write(p []byte) (int, error) { return f(p) }
