package trace

import (
	"bytes"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/klauspost/compress/zstd"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// packed compresses lines as a writer would.
func packed(t testing.TB, lines ...string) []byte {
	t.Helper()
	var b bytes.Buffer
	z, err := zstd.NewWriter(&b)
	require.NoError(t, err)
	_, err = z.Write([]byte(strings.Join(lines, "\n") + "\n"))
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return b.Bytes()
}

const head = `{"format":"endroit/trace/1","runtime":"native","os":"linux"}`

// readAll reads every line; cut says why the trace is incomplete.
func readAll(data []byte, limits Limits) (h Header, lines []Line, cut string, err error) {
	r, err := NewReader(bytes.NewReader(data), limits)
	if err != nil {
		return Header{}, nil, "", err
	}
	for line, err := range r.Lines() {
		if err != nil {
			return r.Header, lines, "", err
		}
		lines = append(lines, line)
	}
	return r.Header, lines, r.Cut(), nil
}

// small is one of each kind of line, as a run writes them.
func small(t testing.TB) []byte {
	t.Helper()
	var b bytes.Buffer
	w, err := NewWriter(&b, Header{Title: "Tidewrack", Edition: &Edition{Store: "quayside", Ref: "418820", Version: "1.2"}, OS: "linux", Runtime: "native",
		Started: time.Date(2026, 11, 24, 10, 0, 0, 0, time.UTC), Command: []string{"./tidewrack"}, Env: map[string]string{"HOME": "/home/mira"}})
	require.NoError(t, err)
	require.NoError(t, w.Process(&Process{PID: 4711, Exe: "/opt/tidewrack/tidewrack", Args: []string{"./tidewrack"}, At: 1000}))
	require.NoError(t, w.File(&File{Path: "/home/mira/.local/share/tidewrack/slots/1.sav.tmp", Before: State{Is: IsAbsent}}))
	require.NoError(t, w.File(&File{Path: "/home/mira/n\xff.sav", Before: State{Is: IsFile, Size: 12, Time: time.Date(2026, 1, 2, 3, 4, 5, 6, time.UTC), Digest: "ab", Looks: "bytes"}}))
	require.NoError(t, w.Event(Event{At: 2000, Process: 1, Op: Create, File: 1}))
	require.NoError(t, w.Event(Event{At: 3000, Process: 1, Op: Rename, File: 1, To: 2}))
	require.NoError(t, w.Event(Event{At: 3500, Op: Changed, File: 2, Size: 77}))
	require.NoError(t, w.Cue(Cue{At: 4000, Word: "saved"}))
	require.NoError(t, w.Known(Known{File: 2, State: State{Is: IsFile, Size: 12, Digest: "cd"}}))
	require.NoError(t, w.Gap(Gap{At: 4500, What: "io_uring was refused", N: 2}))
	require.NoError(t, w.Exit(Exit{Process: 1, At: 5000, Status: 130}))
	require.NoError(t, w.After(After{File: 2, State: State{Is: IsFile, Size: 77}}))
	end, err := w.Close(6000)
	require.NoError(t, err)
	assert.Equal(t, End{At: 6000, Files: 2, Processes: 1, Events: 3, Cues: 1, Gaps: 1}, end)
	return b.Bytes()
}

func TestWriteReadRoundTrip(t *testing.T) {
	h, lines, cut, err := readAll(small(t), DefaultLimits)
	require.NoError(t, err)
	assert.Empty(t, cut)
	assert.Equal(t, Format, h.Format)
	assert.Equal(t, "418820", h.Edition.Ref)
	require.Len(t, lines, 12)
	assert.Equal(t, &Process{N: 1, PID: 4711, Exe: "/opt/tidewrack/tidewrack", Args: []string{"./tidewrack"}, At: 1000}, lines[0].Process)
	assert.Equal(t, "/home/mira/n\xff.sav", lines[2].File.Path, "a name that is not UTF-8 comes back to the byte")
	assert.Equal(t, 6, lines[2].File.Before.Time.Nanosecond())
	assert.Equal(t, &Event{At: 3000, Process: 1, Op: Rename, File: 1, To: 2}, lines[4].Event)
	assert.Equal(t, &Event{At: 3500, Op: Changed, File: 2, Size: 77}, lines[5].Event)
	assert.Equal(t, &Cue{4000, "saved"}, lines[6].Cue)
	assert.Equal(t, "cd", lines[7].Known.State.Digest)
	assert.Equal(t, &Gap{4500, "io_uring was refused", 2}, lines[8].Gap)
	assert.Equal(t, &Exit{1, 5000, 130}, lines[9].Exit)
	assert.Equal(t, int64(77), lines[10].After.State.Size)
	assert.Equal(t, 3, lines[11].End.Events)
}

// The golden file holds what version 1 looks like: a reader of any later version
// has to read it.
func TestFormatIsStable(t *testing.T) {
	file := filepath.Join("testdata", "version1.ndjson")
	z, err := zstd.NewReader(bytes.NewReader(small(t)))
	require.NoError(t, err)
	var text bytes.Buffer
	_, err = z.WriteTo(&text)
	require.NoError(t, err)
	if os.Getenv("ENDROIT_GOLDEN") != "" {
		require.NoError(t, os.WriteFile(file, text.Bytes(), 0o644))
	}
	want, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(want), text.String())
}

func TestTruncatedTraceIsReadToItsLastCompleteLine(t *testing.T) {
	whole := small(t)
	_, all, _, err := readAll(whole, DefaultLimits)
	require.NoError(t, err)
	for n := range whole {
		h, lines, cut, err := readAll(whole[:n], DefaultLimits)
		if err != nil {
			require.ErrorIs(t, err, ErrFormat, "cut to %d bytes", n)
			continue
		}
		require.Equal(t, Format, h.Format)
		require.NotEmpty(t, cut, "cut to %d bytes", n)
		require.Equal(t, all[:len(lines)], append([]Line{}, lines...), "cut to %d bytes", n)
	}

	// What was flushed before the writer died is all there.
	var b bytes.Buffer
	w, err := NewWriter(&b, Header{})
	require.NoError(t, err)
	require.NoError(t, w.File(&File{Path: "/a"}))
	require.NoError(t, w.Flush())
	_, lines, cut, err := readAll(b.Bytes(), DefaultLimits)
	require.NoError(t, err)
	assert.Len(t, lines, 1)
	assert.Contains(t, cut, "without its last line")
}

func TestInvalidTraces(t *testing.T) {
	for name, c := range map[string]struct {
		data []byte
		says string
	}{
		"empty":           {nil, "it is not a trace (zstd with a header line); was it written by endroit trace?"},
		"a text":          {[]byte("hello, this is no trace at all"), "it is not a trace (zstd with a header line); was it written by endroit trace?"},
		"other JSON":      {packed(t, `{"titles":[]}`), "no format endroit/trace"},
		"no JSON":         {packed(t, `hello`), "no format endroit/trace"},
		"another version": {packed(t, `{"format":"endroit/trace/9"}`), "use the version that wrote it"},
		"another format":  {packed(t, `{"format":"endroit/manifest/1"}`), "no format endroit/trace"},
	} {
		_, _, _, err := readAll(c.data, DefaultLimits)
		assert.ErrorIs(t, err, ErrFormat, name)
		assert.ErrorContains(t, err, c.says, name)
	}
}

func TestInvalidTraceLines(t *testing.T) {
	const file, process = `{"f":1,"path":"/a","before":{"is":"file"}}`, `{"p":1,"pid":7}`
	for _, c := range []struct {
		lines []string
		says  string
	}{
		{[]string{`{"t":1,"o":"read","f":1}`}, "not declared"},
		{[]string{file, `{"t":1,"o":"read","f":2}`}, "not declared"},
		{[]string{file, `{"t":1,"o":"read","f":-1}`}, "not declared"},
		{[]string{file, `{"t":1,"o":"read","f":1,"p":1}`}, "process that was not declared"},
		{[]string{file, `{"t":1,"o":"rename","f":1}`}, "not declared"},
		{[]string{file, `{"t":-1,"o":"read","f":1}`}, "before the start"},
		{[]string{`{"f":2,"path":"/a"}`}, "file number 2 instead of 1"},
		{[]string{file, file}, "file number 1 instead of 2"},
		{[]string{`{"f":1,"path":"a"}`}, "absolute"},
		{[]string{`{"f":1,"path":"/a\u0000b"}`}, "absolute"},
		{[]string{`{"p":1,"pid":7,"parent":1}`}, "with parent 1"},
		{[]string{process, `{"exit":2,"at":1}`}, "exit names"},
		{[]string{`{"after":1,"state":{"is":"file"}}`}, "state names"},
		{[]string{file, `{"end":{"files":2}}`}, "the end line counts"},
		{[]string{`{"f":"one"}`}, ""},
		{[]string{`{`}, ""},
	} {
		_, _, _, err := readAll(packed(t, append([]string{head}, c.lines...)...), DefaultLimits)
		assert.ErrorIs(t, err, ErrDamaged, "%v", c.lines)
		assert.ErrorContains(t, err, c.says, "%v", c.lines)
		assert.ErrorContains(t, err, fmt.Sprintf("line %d", 1+len(c.lines)), "%v", c.lines)
	}
}

func TestUnknownKeysOfLaterVersionsAreSkipped(t *testing.T) {
	_, lines, cut, err := readAll(packed(t, head, `{"f":1,"path":"/a","before":{"is":"file","mood":"calm"},"new":1}`,
		`{"weather":"fine"}`, `{"t":1,"o":"teleport","f":1}`, `{"t":2,"o":"read","f":1}`, `{"end":{"at":3,"files":1,"events":1}}`), DefaultLimits)
	require.NoError(t, err)
	assert.Empty(t, cut)
	assert.Len(t, lines, 3)
}

func TestLimits(t *testing.T) {
	many := []string{head}
	for i := range 50 {
		many = append(many, fmt.Sprintf(`{"f":%d,"path":"/a/%d"}`, i+1, i))
	}
	for name, limits := range map[string]Limits{
		"line":  {Line: 20, Bytes: 1 << 20, Files: 100, Processes: 100},
		"bytes": {Line: 1 << 20, Bytes: 500, Files: 100, Processes: 100},
		"files": {Line: 1 << 20, Bytes: 1 << 20, Files: 10, Processes: 100},
	} {
		_, _, _, err := readAll(packed(t, many...), limits)
		if name == "line" { // not even the header fits
			assert.ErrorIs(t, err, ErrFormat)
			continue
		}
		assert.ErrorIs(t, err, ErrTooLarge, name)
	}
	_, _, _, err := readAll(packed(t, head, `{"cue":"`+strings.Repeat("x", 2<<20)+`"}`), DefaultLimits)
	assert.ErrorIs(t, err, ErrTooLarge, "one endless line")
}

func TestDamagedBytesAreNoticed(t *testing.T) {
	whole := small(t)
	header, all, _, err := readAll(whole, DefaultLimits)
	require.NoError(t, err)
	for i := range whole {
		for _, flip := range []byte{0x01, 0x80} {
			damaged := bytes.Clone(whole)
			damaged[i] ^= flip
			h, lines, cut, err := readAll(damaged, DefaultLimits)
			// The checksum of the stream finds what the lines do not show.
			if err == nil && cut == "" {
				assert.Equal(t, header, h, "byte %d flipped by %#x", i, flip)
				assert.Equal(t, all, lines, "byte %d flipped by %#x", i, flip)
			}
		}
	}
}

func TestEventsRoundTrip(t *testing.T) {
	all := make([]Op, 0, len(ops))
	for op := range ops {
		all = append(all, op)
	}
	rapid.Check(t, func(rt *rapid.T) {
		var b bytes.Buffer
		w, err := NewWriter(&b, Header{})
		require.NoError(rt, err)
		files := rapid.IntRange(1, 5).Draw(rt, "files")
		for i := range files {
			require.NoError(rt, w.File(&File{Path: "/" + string(rapid.SliceOfN(rapid.ByteRange(1, 255), 1, 20).Draw(rt, fmt.Sprint("path", i))), Before: State{Is: IsFile}}))
		}
		var want []Event
		for i := range rapid.IntRange(0, 20).Draw(rt, "events") {
			e := Event{At: time.Duration(rapid.Int64Range(0, 1<<50).Draw(rt, fmt.Sprint("at", i))), Op: rapid.SampledFrom(all).Draw(rt, fmt.Sprint("op", i)), File: rapid.IntRange(1, files).Draw(rt, fmt.Sprint("f", i))}
			if e.Op.Two() {
				e.To = rapid.IntRange(1, files).Draw(rt, fmt.Sprint("to", i))
			}
			if e.Op == Changed {
				e.Size = rapid.Int64Min(0).Draw(rt, fmt.Sprint("size", i))
			}
			want = append(want, e)
			require.NoError(rt, w.Event(e))
		}
		_, err = w.Close(1)
		require.NoError(rt, err)
		_, lines, cut, err := readAll(b.Bytes(), DefaultLimits)
		require.NoError(rt, err)
		require.Empty(rt, cut)
		var got []Event
		for _, l := range lines {
			if l.Event != nil {
				got = append(got, *l.Event)
			}
		}
		require.Equal(rt, want, got)
	})
}

func TestWritingToAFullDiskIsAnError(t *testing.T) {
	full := errors.New("no space")
	_, err := NewWriter(failing{full}, Header{})
	assert.ErrorIs(t, err, full)
}

type failing struct{ err error }

func (f failing) Write([]byte) (int, error) { return 0, f.err }

// A fuzzer that changes compressed bytes learns nothing of what stands in them, so it is
// given lines as well.
func FuzzReader(f *testing.F) {
	f.Add(small(f), false)
	f.Add([]byte(head+"\n"+`{"f":1,"path":"/a"}`+"\n"+`{"t":1,"o":"read","f":1}`+"\n"), true)
	f.Add([]byte(head+"\n"+`{"p":1,"pid":7,"args":["a"],"env":{"A":"b"}}`+"\n"+`{"exit":1,"at":9}`+"\n"+`{"cue":"saved","at":1}`+"\n"+`{"gap":"x","times":2}`+"\n"), true)
	z, err := zstd.NewWriter(nil, zstd.WithEncoderLevel(zstd.SpeedFastest), zstd.WithEncoderConcurrency(1))
	require.NoError(f, err)
	f.Fuzz(func(t *testing.T, data []byte, lines bool) {
		if lines {
			data = z.EncodeAll(data, nil)
		}
		_, all, _, err := readAll(data, Limits{Line: 1 << 16, Bytes: 1 << 20, Files: 1000, Processes: 100})
		if err != nil {
			return
		}
		files := 0
		for _, l := range all {
			if l.File != nil {
				files++
			}
			if l.Event != nil && (l.Event.File < 1 || l.Event.File > files) {
				t.Fatalf("event %+v names a file that was not declared", l.Event)
			}
			if _, err := json.Marshal(l); err != nil {
				t.Fatal(err)
			}
		}
	})
}

// What a few bytes unfold to is not read to its end, whatever a line of it holds.
func TestDecompressionBomb(t *testing.T) {
	for name, line := range map[string]string{
		"arguments": `{"p":1,"args":[` + strings.Repeat(`"",`, 200_000) + `""]}`,
		"a gap":     `{"gap":"` + strings.Repeat("x", 5<<10) + `"}`,
		"events":    `{"t":1,"o":"read","f":1}`,
		"unknown":   `{"weather":"fine"}`,
	} {
		lines := []string{head, `{"f":1,"path":"/a"}`}
		for range 8 << 20 / len(line) {
			lines = append(lines, strings.Replace(line, `"p":1`, fmt.Sprintf(`"p":%d`, len(lines)-1), 1))
		}
		data := packed(t, lines...)
		require.Less(t, len(data), 24<<10, name)
		var before, after runtime.MemStats
		runtime.ReadMemStats(&before)
		_, _, _, err := readAll(data, DefaultLimits)
		runtime.ReadMemStats(&after)
		assert.ErrorIs(t, err, ErrTooLarge, name)
		assert.Less(t, after.TotalAlloc-before.TotalAlloc, uint64(100<<20), name)
	}
}

func TestATraceHasAFewCuesAndGaps(t *testing.T) {
	cues, gaps := []string{head}, []string{head}
	for i := range MaxCues + 1 {
		cues = append(cues, fmt.Sprintf(`{"cue":"c%d","at":%d}`, i, i))
	}
	for i := range MaxGaps + 1 {
		gaps = append(gaps, fmt.Sprintf(`{"gap":"g%d","times":1,"at":%d}`, i, i))
	}
	for name, lines := range map[string][]string{"cues": cues, "gaps": gaps, "a long gap": {head, `{"gap":"` + strings.Repeat("x", MaxGapText+1) + `"}`, ``}} {
		_, _, _, err := readAll(packed(t, lines...), DefaultLimits)
		assert.ErrorIs(t, err, ErrTooLarge, name)
		_, _, _, err = readAll(packed(t, lines[:len(lines)-1]...), DefaultLimits)
		if name != "a long gap" {
			assert.NoError(t, err, name)
		}
	}
	w, err := NewWriter(io.Discard, Header{OS: "linux"})
	require.NoError(t, err)
	for range MaxCues {
		require.NoError(t, w.Cue(Cue{Word: "saved"}))
	}
	assert.ErrorContains(t, w.Cue(Cue{Word: "saved"}), "at most 1000 cues")
}
