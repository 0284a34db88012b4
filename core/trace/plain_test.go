package trace

import (
	"bytes"
	"encoding/json"
	"io"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// The quick way to read an event and the JSON reader come to the same, for whatever
// Writer writes; what it does not write is left to the JSON reader.
func TestPlainEvents(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		e := Event{At: time.Duration(rapid.Int64Range(0, 1e17).Draw(t, "at")), Process: rapid.IntRange(0, 1000).Draw(t, "process"), File: rapid.IntRange(1, 1e6).Draw(t, "file"),
			Op: rapid.SampledFrom(Ops()).Draw(t, "op"), Size: rapid.Int64Range(0, 1e15).Draw(t, "size"), What: rapid.SampledFrom([]string{"", "", "set Wind", `"}`, "\n"}).Draw(t, "what")}
		if e.Op.Two() {
			e.To = rapid.IntRange(1, 1e6).Draw(t, "to")
		}
		var b bytes.Buffer
		w, err := NewWriter(&b, Header{})
		require.NoError(t, err)
		require.NoError(t, w.Event(e))
		require.NoError(t, w.Flush())
		z, err := zstd.NewReader(&b)
		require.NoError(t, err)
		defer z.Close()
		text, _ := io.ReadAll(z)
		line := bytes.Split(text, []byte("\n"))[1]
		var quick Event
		ok := plainEvent(line, &quick)
		assert.Equal(t, e.What == "", ok, "%s", line)
		if ok {
			assert.Equal(t, e, quick)
		}
		var a anyLine
		require.NoError(t, json.Unmarshal(line, &a))
		assert.Equal(t, e, Event{At: *a.T, Process: *a.P, Op: a.O, File: *a.F, To: a.To, Size: a.Size, What: a.What})
	})
	for _, line := range []string{`{"t":-1,"p":1,"o":"read","f":1}`, `{"t":01,"p":1,"o":"read","f":1}`, `{"t":1,"p":1,"o":"hum","f":1}`, `{"t":1,"p":1,"o":"read","f":1`, `{"t":1,"p":1,"o":"read","f":1}x`, `{"t":1,"p":1,"o":"read","f":}`,
		`{"t":9999999999999999999,"p":1,"o":"read","f":1}`, `{"t":1,"o":"read","f":1}`, `{"t":1,"p":1,"o":"read`, `{"f":1}`, ``} {
		assert.False(t, plainEvent([]byte(line), &Event{}), line)
	}
}
