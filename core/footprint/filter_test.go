package footprint

import (
	"bytes"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// only tells the same run, with a filter.
func (s *story) only(p Filter) (names []string) {
	s.t.Helper()
	if s.ends >= 0 {
		s.end()
		s.ends = -1 // it is recorded whole
	}
	r, err := trace.NewReader(bytes.NewReader(s.b.Bytes()), trace.DefaultLimits)
	require.NoError(s.t, err)
	fp, err := FromTraceOnly(r, p)
	require.NoError(s.t, err)
	assert.Equal(s.t, 4, fp.Counts[Save]+fp.Counts[Config]+fp.Counts[Log]+fp.Counts[Asset], "counts are of all")
	for _, f := range fp.Files {
		names = append(names, f.Path)
	}
	return names
}

func TestFilter(t *testing.T) {
	save, set, log, pack := data+"slots/slot1.sav", conf+"settings.ini", data+"tidewrack.log", "/opt/tidewrack/world.pak"
	s := tell(t)
	require.NoError(t, s.w.Process(&trace.Process{PID: 11, Exe: "/opt/tidewrack/Starter.exe", Parent: 1}))
	s.file(save, bytesOf(500)).file(set, bytesOf(90)).file(log, absent()).file(pack, bytesOf(1<<20))
	s.do(1, trace.Read, save).do(1, trace.Read, pack).cue(10, "ready").do(20, trace.Replace, save).cue(21, "saved").do(30, trace.Append, log)
	require.NoError(t, s.w.Event(trace.Event{At: 40 * time.Second, Process: 2, Op: trace.Replace, File: s.files[set]}))
	s.after(save, bytesOf(510)).after(set, bytesOf(95)).after(log, looking("text"))

	assert.True(t, Filter{}.Empty())
	assert.Equal(t, []string{save, set, log, pack}, s.only(Filter{}))
	for want, p := range map[string]Filter{
		save: {Selection: trace.Selection{From: 10 * time.Second, To: 21 * time.Second}},
		set:  {Programs: []string{"starter"}},
		log:  {Selection: trace.Selection{Ops: []trace.Op{trace.Append}}},
		pack: {MinSize: 1000},
	} {
		assert.Equal(t, []string{want}, s.only(p), want)
		assert.False(t, p.Empty())
	}
	assert.Equal(t, []string{save, set}, s.only(Filter{Kinds: []Kind{Save, Config}}))
	assert.Equal(t, []string{save, log}, s.only(Filter{Selection: trace.Selection{Under: []string{data}}}))
	assert.Equal(t, []string{set}, s.only(Filter{Name: "XDG-config:TIDE"}))
	assert.Equal(t, []string{save, pack}, s.only(Filter{Selection: trace.Selection{Ops: []trace.Op{trace.Read}}}))
	assert.Equal(t, []string{set, log}, s.only(Filter{MaxSize: 100}))
	assert.Empty(t, s.only(Filter{Programs: []string{"nobody"}}))
}

// Every piece of evidence explains itself, and the points come to what was decided.
func TestExplain(t *testing.T) {
	p := data + "slots/slot1.sav"
	fp := tell(t).file(p, bytesOf(500)).do(1, trace.Read, p).do(30, trace.Replace, p).cue(30.5, "saved").after(p, bytesOf(510)).end()
	w, ok := fp.Why(p)
	require.True(t, ok)
	assert.Equal(t, Save, w.Points[0].Kind)
	assert.InDelta(t, w.File.Confidence, w.Points[0].Share, 0.006)
	sum := map[Kind]float64{Unknown: unknownPoints}
	for i, e := range w.Evidence {
		sum[e.Kind] += e.Weight
		assert.NotEmpty(t, e.Text())
		if i > 0 {
			assert.LessOrEqual(t, abs(e.Weight), abs(w.Evidence[i-1].Weight))
		}
	}
	for _, x := range w.Points {
		assert.InDelta(t, sum[x.Kind], x.Sum, 1e-9)
	}
	_, ok = fp.Why(w.File.Place)
	assert.True(t, ok)
	_, ok = fp.Why("/nowhere")
	assert.False(t, ok)
}

func TestStepsAreThoseOfOneFile(t *testing.T) {
	slot, temp := data+"slots/slot1.sav", data+"slots/slot1.new"
	s := tell(t).file(slot, bytesOf(500)).file(temp, absent()).do(1, trace.Read, slot).do(30, trace.Create, temp).do(30.1, trace.Rename, temp, slot).do(40, trace.Read, slot).after(slot, bytesOf(510)).after(temp, absent())
	s.end()
	steps := func(name string, from, to time.Duration, most int) ([]Step, int) {
		r, err := trace.NewReader(bytes.NewReader(s.b.Bytes()), trace.DefaultLimits)
		require.NoError(t, err)
		list, more, err := Steps(r, name, from, to, most)
		require.NoError(t, err)
		return list, more
	}
	list, more := steps(slot, 0, 0, 10)
	require.Len(t, list, 3)
	assert.Zero(t, more)
	assert.Equal(t, Step{At: 30100 * time.Millisecond, Op: trace.Rename, Program: "tidewrack", Other: temp}, list[1], "called by the other name")
	list, _ = steps(temp, 0, 0, 10)
	require.Len(t, list, 2)
	assert.Equal(t, slot, list[1].Other)
	list, more = steps(slot, 0, 0, 1)
	assert.Len(t, list, 1)
	assert.Equal(t, 2, more)
	list, _ = steps(slot, 2*time.Second, 31*time.Second, 10)
	assert.Len(t, list, 1)
}
