package trace

import (
	"bytes"
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestWhichEventsCount(t *testing.T) {
	e := Event{At: 5, Op: Rename, File: 1, To: 2}
	for _, c := range []struct {
		pick     Selection
		file, to string
		takes    bool
	}{
		{Selection{}, "/a", "", true},
		{Selection{Under: []string{"/home/mira/tide"}}, "/home/mira/tide/1.sav", "", true},
		{Selection{Under: []string{"/home/mira/tide/"}}, "/home/mira/tide", "", true},
		{Selection{Under: []string{"/home/mira/tide"}}, "/home/mira/tidewrack/1.sav", "", false},
		{Selection{Under: []string{"/home/mira/tide"}}, "/tmp/new", "/home/mira/tide/1.sav", true},
		{Selection{Under: []string{"/x", "/tmp"}}, "/tmp/new", "", true},
		{Selection{Under: []string{"/"}}, "/etc/passwd", "", true},
		{Selection{Ops: []Op{Create, Rename}}, "/a", "", true},
		{Selection{Ops: []Op{Create}}, "/a", "", false},
		{Selection{From: 5, To: 5}, "/a", "", true},
		{Selection{From: 6}, "/a", "", false},
		{Selection{To: 4}, "/a", "", false},
	} {
		assert.Equal(t, c.takes, c.pick.Takes(e, c.file, c.to), "%+v %s %s", c.pick, c.file, c.to)
	}
	assert.Len(t, Ops(), len(ops), "all of them")
	for _, op := range Ops() {
		assert.Contains(t, ops, op)
	}
}

func TestBetweenCues(t *testing.T) {
	cues := []Cue{{1, "ready"}, {2, "saved"}, {3, "ready"}, {4, "saved"}, {5, "quit"}}
	for _, c := range []struct {
		from, to   string
		start, end time.Duration
		says       string
	}{
		{"ready", "saved", 1, 2, ""},
		{"saved", "saved", 2, 4, ""},
		{"ready", "quit", 1, 5, ""},
		{"loaded", "saved", 0, 0, `"loaded"; there: ready at 0.0 s, saved`},
		{"quit", "ready", 0, 0, `"ready" behind quit; there: none`},
		{"saved", "loaded", 0, 0, `"loaded" behind saved; there: ready at`},
	} {
		var p Selection
		err := p.Between(cues, c.from, c.to)
		if c.says != "" {
			assert.ErrorIs(t, err, ErrNoCue)
			assert.ErrorContains(t, err, c.says)
			continue
		}
		require.NoError(t, err)
		assert.Equal(t, [2]time.Duration{c.start, c.end}, [2]time.Duration{p.From, p.To})
	}
}

func again(data []byte) func() (*Reader, error) {
	return func() (*Reader, error) { return NewReader(bytes.NewReader(data), DefaultLimits) }
}

func TestATrimmedTraceHasWhatBelongsToItsEvents(t *testing.T) {
	data := small(t)
	var b bytes.Buffer
	out, err := Trim(again(data), &b, Selection{Ops: []Op{Rename}}, "it was trimmed")
	require.NoError(t, err)
	assert.Equal(t, Trimmed{Kept: 1, Left: 2, Files: 2}, out)
	h, lines, cut, err := readAll(b.Bytes(), DefaultLimits)
	require.NoError(t, err)
	assert.Empty(t, cut)
	assert.Equal(t, "Tidewrack", h.Title)
	var gaps []string
	events, states := 0, 0
	for _, l := range lines {
		switch {
		case l.Event != nil:
			events++
			assert.Equal(t, Rename, l.Event.Op)
		case l.Gap != nil:
			gaps = append(gaps, fmt.Sprint(l.Gap.What, " ", l.Gap.N))
		case l.Known != nil, l.After != nil:
			states++
		}
	}
	assert.Equal(t, 1, events)
	assert.Equal(t, 2, states)
	assert.Equal(t, []string{"io_uring was refused 2", "it was trimmed 2"}, gaps)

	// Without the file that alone has states, and without any process.
	b.Reset()
	out, err = Trim(again(data), &b, Selection{Under: []string{"/nowhere"}}, "it was trimmed")
	require.NoError(t, err)
	assert.Equal(t, Trimmed{Left: 3}, out)
	_, lines, _, err = readAll(b.Bytes(), DefaultLimits)
	require.NoError(t, err)
	for _, l := range lines {
		assert.True(t, l.Cue != nil || l.Gap != nil || l.End != nil, "%+v", l)
	}

	// Nothing left out, nothing said.
	b.Reset()
	out, err = Trim(again(data), &b, Selection{}, "it was trimmed")
	require.NoError(t, err)
	assert.Equal(t, Trimmed{Kept: 3, Files: 2}, out)
	_, before, _, err := readAll(data, DefaultLimits)
	require.NoError(t, err)
	_, after, _, err := readAll(b.Bytes(), DefaultLimits)
	require.NoError(t, err)
	assert.Equal(t, before, after)

	// One that was cut short says so still.
	b.Reset()
	_, err = Trim(again(packed(t, head, `{"f":1,"path":"/a","before":{"is":"file"}}`, `{"t":5,"o":"read","f":1}`)), &b, Selection{}, "")
	require.NoError(t, err)
	_, lines, cut, err = readAll(b.Bytes(), DefaultLimits)
	require.NoError(t, err)
	assert.Empty(t, cut)
	assert.Contains(t, lines[2].Gap.What, "was cut short")
	_, err = Trim(again(packed(t, head, `{"t":5,"o":"read","f":1}`)), &b, Selection{}, "")
	assert.ErrorIs(t, err, ErrDamaged)
}

func TestACueIsAddedInItsPlace(t *testing.T) {
	data := small(t)
	_, before, _, err := readAll(data, DefaultLimits)
	require.NoError(t, err)
	for at, follows := range map[time.Duration]int{0: 0, 2500: 4, 4000: 8, 6000: 11} { // behind so many lines
		var b bytes.Buffer
		require.NoError(t, AddCue(again(data), &b, Cue{at, "loaded"}))
		_, lines, cut, err := readAll(b.Bytes(), DefaultLimits)
		require.NoError(t, err)
		assert.Empty(t, cut)
		require.Len(t, lines, len(before)+1)
		assert.Equal(t, &Cue{at, "loaded"}, lines[follows].Cue, at)
		rest := append(append([]Line{}, lines[:follows]...), lines[follows+1:]...)
		assert.Equal(t, before[:len(before)-1], rest[:len(rest)-1])
		assert.Equal(t, 2, rest[len(rest)-1].End.Cues)
	}
	err = AddCue(again(data), &bytes.Buffer{}, Cue{6001, "late"})
	assert.ErrorIs(t, err, ErrLate)
	assert.ErrorContains(t, err, "it ran 0.0 s")
	var b bytes.Buffer
	require.NoError(t, AddCue(again(packed(t, head, `{"f":1,"path":"/a","before":{"is":"file"}}`, `{"t":5,"o":"read","f":1}`)), &b, Cue{1, "ready"}))
	_, lines, _, err := readAll(b.Bytes(), DefaultLimits)
	require.NoError(t, err)
	assert.Equal(t, "ready", lines[1].Cue.Word)
	assert.Contains(t, lines[3].Gap.What, "was cut short")
}

// Whatever is chosen, the smaller trace reads back with exactly the events that
// count, on the same paths, by the same programs.
func TestTrimmingKeepsEventsAsTheyWere(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var b bytes.Buffer
		w, err := NewWriter(&b, Header{OS: "linux", Runtime: "native"})
		require.NoError(t, err)
		paths, exes := []string{""}, []string{""}
		type seen struct {
			at             time.Duration
			op             Op
			file, to, prog string
		}
		var all []seen
		for i := range rapid.IntRange(1, 30).Draw(t, "lines") {
			switch {
			case len(paths) == 1 || rapid.IntRange(0, 3).Draw(t, "kind") == 0:
				f := File{Path: fmt.Sprintf("/%s/%d", rapid.SampledFrom([]string{"a", "b", "a/b"}).Draw(t, "folder"), i)}
				require.NoError(t, w.File(&f))
				paths = append(paths, f.Path)
			case rapid.IntRange(0, 3).Draw(t, "kind") == 0:
				p := Process{PID: i, Exe: fmt.Sprint("/bin/", i), Parent: rapid.IntRange(0, len(exes)-1).Draw(t, "parent")}
				require.NoError(t, w.Process(&p))
				exes = append(exes, p.Exe)
			default:
				e := Event{At: time.Duration(i), Op: rapid.SampledFrom(Ops()).Draw(t, "op"), File: rapid.IntRange(1, len(paths)-1).Draw(t, "file"), Process: rapid.IntRange(0, len(exes)-1).Draw(t, "process")}
				if e.Op.Two() {
					e.To = rapid.IntRange(1, len(paths)-1).Draw(t, "to")
				}
				require.NoError(t, w.Event(e))
				all = append(all, seen{e.At, e.Op, paths[e.File], paths[e.To], exes[e.Process]})
			}
		}
		_, err = w.Close(100)
		require.NoError(t, err)
		pick := Selection{Under: rapid.SampledFrom([][]string{nil, {"/a"}, {"/a/b", "/b"}}).Draw(t, "under"), Ops: rapid.SampledFrom([][]Op{nil, {Read, Rename}, {Create}}).Draw(t, "ops"), From: time.Duration(rapid.IntRange(0, 20).Draw(t, "from"))}
		var small bytes.Buffer
		out, err := Trim(again(b.Bytes()), &small, pick, "trimmed")
		require.NoError(t, err)

		want := []seen{}
		for _, s := range all {
			if pick.Takes(Event{At: s.at, Op: s.op}, s.file, s.to) {
				want = append(want, s)
			}
		}
		_, lines, cut, err := readAll(small.Bytes(), DefaultLimits)
		require.NoError(t, err)
		assert.Empty(t, cut)
		paths, exes = []string{""}, []string{""}
		got := []seen{}
		for _, l := range lines {
			switch {
			case l.File != nil:
				paths = append(paths, l.File.Path)
			case l.Process != nil:
				exes = append(exes, l.Process.Exe)
			case l.Event != nil:
				got = append(got, seen{l.Event.At, l.Event.Op, paths[l.Event.File], paths[l.Event.To], exes[l.Event.Process]})
			}
		}
		assert.Equal(t, want, got)
		assert.Equal(t, Trimmed{len(want), len(all) - len(want), out.Files}, out)
	})
}
