package footprint

import (
	"bytes"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// manyEvents is a trace of so many events on a thousand files.
func manyEvents(t testing.TB, n int) []byte {
	var b bytes.Buffer
	w, err := trace.NewWriter(&b, trace.Header{OS: "linux", Runtime: "native", Env: map[string]string{"HOME": home}})
	require.NoError(t, err)
	require.NoError(t, w.Process(&trace.Process{PID: 1, Exe: "/opt/tidewrack/tidewrack"}))
	const files = 1000
	for i := range files {
		require.NoError(t, w.File(&trace.File{Path: fmt.Sprintf("%sf%d.dat", data, i), Before: bytesOf(9)}))
	}
	for i := range n {
		op := trace.Read
		if i%7 == 0 {
			op = trace.Update
		}
		require.NoError(t, w.Event(trace.Event{At: time.Duration(i) * 12 * time.Microsecond, Process: 1, Op: op, File: 1 + i%files}))
	}
	_, err = w.Close(time.Hour)
	require.NoError(t, err)
	return b.Bytes()
}

func BenchmarkFootprint(b *testing.B) {
	const events = 1_000_000
	in := manyEvents(b, events)
	for b.Loop() {
		r, err := trace.NewReader(bytes.NewReader(in), trace.DefaultLimits)
		require.NoError(b, err)
		fp, err := FromTrace(r)
		require.NoError(b, err)
		require.Equal(b, events, fp.Events)
	}
	b.ReportMetric(float64(events)*float64(b.N)/b.Elapsed().Seconds(), "events/s")
}
