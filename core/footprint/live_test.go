package footprint

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// While a run goes on it is known what was written last, and what it is.
func TestLive(t *testing.T) {
	l := NewLive(trace.Header{Title: "Tidewrack", OS: "linux", Runtime: "native", Install: "/opt/tidewrack", Env: map[string]string{"HOME": home}})
	assert.Equal(t, LiveSummary{Cues: []trace.Cue{}}, l.Summary(3))
	add := func(line trace.Line) { l.Add(line) }
	event := func(second int, op trace.Op, file, to int) {
		add(trace.Line{Event: &trace.Event{At: time.Duration(second) * time.Second, Process: 1, Op: op, File: file, To: to}})
	}
	add(trace.Line{Process: &trace.Process{N: 1, PID: 9, Exe: "/opt/tidewrack/tidewrack"}})
	for i, name := range []string{data + "slots/slot1.sav.new", data + "slots/slot1.sav", conf + "settings.ini", data + "run.log", "/opt/tidewrack/pack.dat", data + "slots"} {
		state := absent()
		if i == 4 {
			state = bytesOf(9)
		}
		add(trace.Line{File: &trace.File{N: i + 1, Path: name, Before: state}})
	}
	event(1, trace.Read, 5, 0)
	event(2, trace.Create, 3, 0)
	event(3, trace.Append, 4, 0)
	event(4, trace.MakeFolder, 6, 0)
	event(5, trace.Create, 1, 0)
	event(6, trace.Rename, 1, 2)
	add(trace.Line{Cue: &trace.Cue{At: 7 * time.Second, Word: "saved"}})
	so := l.Summary(5)
	assert.Equal(t, 7*time.Second, so.Length)
	assert.Equal(t, 4, so.Written, "the temporary name, the slot, the settings and the log")
	assert.Len(t, so.Cues, 1)
	require.Len(t, so.Latest, 2)
	assert.Equal(t, Save, so.Latest[0].Kind)
	assert.Equal(t, data+"slots/slot1.sav", so.Latest[0].Path)
	assert.Equal(t, 6*time.Second, so.Latest[0].LastWrite)
	assert.Equal(t, []string{"saved"}, so.Latest[0].Near)
	assert.Equal(t, Config, so.Latest[1].Kind)
	assert.Len(t, l.Summary(1).Latest, 1)
	event(8, trace.Remove, 2, 0)
	assert.Len(t, l.Summary(5).Latest, 1, "what is gone is not shown")
}
