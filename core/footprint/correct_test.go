package footprint

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"endroit/core/trace"
)

func TestAPersonCorrectsAKind(t *testing.T) {
	slot, journal := data+"slots/slot1.sav", data+"journal.log"
	fp := tell(t).file(slot, bytesOf(500)).do(1, trace.Read, slot).do(30, trace.Replace, slot).cue(30.5, "saved").after(slot, bytesOf(510)).
		file(journal, absent()).do(2, trace.Create, journal).do(30, trace.Append, journal).after(journal, looking("text")).end()
	judged := fp.find(t, journal)
	require.Equal(t, Log, judged.Kind)
	counts := map[Kind]int{Save: fp.Counts[Save], Log: fp.Counts[Log]}

	said := Correction{File: journal, Kind: Save, By: "mira", Because: "it holds the quests", Made: time.Unix(1, 0)}
	require.NoError(t, fp.Correct([]Correction{said}))
	x := fp.find(t, journal)
	assert.Equal(t, Save, x.Kind)
	assert.Equal(t, 1.0, x.Confidence)
	assert.Equal(t, &Judged{Log, judged.Confidence}, x.Judged)
	assert.Equal(t, "mira says that it is save, not log: it holds the quests", x.Reasons[0])
	assert.Equal(t, judged.Reasons, x.Reasons[1:])
	assert.Equal(t, counts[Save]+1, fp.Counts[Save])
	assert.Equal(t, counts[Log]-1, fp.Counts[Log])
	require.Len(t, fp.Corrections, 1)
	assert.Equal(t, "xdg-data:tidewrack/journal.log", fp.Corrections[0].File, "by its place, which holds on other machines")
	assert.Equal(t, Log, fp.Corrections[0].Was)

	// When it is sent, the service says who it was.
	shared := fp.Share(fp.Anonymizer())
	require.Len(t, shared.Corrections, 1)
	assert.Empty(t, shared.Corrections[0].By)
	for _, f := range shared.Files {
		if f.Place == "xdg-data:tidewrack/journal.log" {
			assert.Equal(t, "the contributor says that it is save, not log: it holds the quests", f.Reasons[0])
			assert.NotNil(t, f.Lane, "now it is of interest")
		}
	}

	// Several runs told as one keep it.
	again := tell(t).file(journal, absent()).do(2, trace.Create, journal).after(journal, looking("text")).end()
	whole, err := Merge([]*Footprint{fp, again})
	require.NoError(t, err)
	assert.Equal(t, Save, whole.find(t, journal).Kind)
	assert.Len(t, whole.Corrections, 1)
	assert.Len(t, whole.find(t, journal).Lane.Writes, 3)

	// A later one counts; one that agrees with the judgement takes it back.
	require.NoError(t, fp.Correct([]Correction{{File: journal, Kind: Cache, By: "tobin"}}))
	assert.Equal(t, Cache, fp.find(t, journal).Kind)
	assert.Equal(t, &Judged{Log, judged.Confidence}, fp.find(t, journal).Judged)
	require.NoError(t, fp.Correct([]Correction{{File: x.Place, Kind: Log}}))
	assert.Equal(t, judged, fp.find(t, journal))
	assert.Empty(t, fp.Corrections)
	assert.Equal(t, counts[Log], fp.Counts[Log])

	// A refused correction changes nothing, and the others are still applied.
	err = fp.Correct([]Correction{{File: "/nowhere", Kind: Save}, {File: slot, Kind: "treasure"}, {File: slot, Kind: Config}})
	assert.ErrorIs(t, err, ErrNoSuchFile)
	assert.ErrorIs(t, err, ErrNoSuchKind)
	assert.Equal(t, Config, fp.find(t, slot).Kind)
}

// A lane holds every use, in a bounded number of strokes that follow each other.
func TestLanesHoldEveryUse(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var s strokes
		at, n := time.Duration(0), rapid.IntRange(1, 3000).Draw(t, "uses")
		step := rapid.Int64Range(0, int64(time.Second)).Draw(t, "step")
		for i := range n {
			at += time.Duration(step * int64(i%7))
			s.add(at)
		}
		total, last := int64(0), int64(-1)
		for _, x := range s.all() {
			assert.Greater(t, x[0], last)
			assert.GreaterOrEqual(t, x[1], x[0])
			last = x[1]
			total += x[2]
		}
		assert.EqualValues(t, n, total)
		assert.LessOrEqual(t, len(s.all()), maxStrokes)
		assert.EqualValues(t, at, last)
	})
}

// Many files that are used without end still leave the machine in few strokes.
func TestSharedLanesAreThinned(t *testing.T) {
	var files []File
	for range 1000 {
		l := &Lane{}
		for i := range int64(maxStrokes) {
			l.Writes = append(l.Writes, Stroke{i * int64(time.Second), i*int64(time.Second) + 1, 5})
		}
		files = append(files, File{Lane: l})
	}
	thin(files)
	n := 0
	for _, f := range files {
		n += len(f.Lane.Writes)
		uses := int64(0)
		for _, s := range f.Lane.Writes {
			uses += s[2]
		}
		assert.EqualValues(t, 5*maxStrokes, uses)
	}
	assert.LessOrEqual(t, n, maxShared)
}
