package footprint

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// kept is a file of a folder, with findings that decide it or none.
func kept(name string, findings ...string) File {
	x := File{Place: "xdg-data:tarn/hall/" + name, Writes: 1, Before: trace.State{Is: trace.IsFile, Size: 9}, After: trace.State{Is: trace.IsFile, Size: 9}}
	for _, id := range findings {
		x.Findings = append(x.Findings, Finding{ID: id})
	}
	x.Kind, x.Confidence, x.Reasons = Decide(x.Findings)
	return x
}

func TestFilesThatAreKeptAlikeAreJudgedAlike(t *testing.T) {
	readOnly := kept("b.crew")
	readOnly.Writes = 0
	for _, c := range []struct {
		what string
		beside,
		file File
		is  Kind
		why string
	}{
		{"an ending of their own", kept("a.crew", "save-name"), kept("b.crew"), Save, "a.crew beside it, with the same ending, is progress"},
		{"settings", kept("a.crew", "config-name"), kept("B.CREW"), Config, "a.crew beside it, with the same ending, is settings"},
		{"replays", kept("a.rpl", "picture-folder"), kept("b.rpl"), Capture, "a.rpl beside it, with the same ending, is a picture or a recording"},
		{"numbers", kept("page1.dat", "save-name"), kept("page12.dat"), Save, "page1.dat beside it, with the same ending, is progress"},
		{"an ending of many programs", kept("a.json", "config-name"), kept("b.json"), Unknown, ""},
		{"no ending", kept("a", "config-name"), kept("b"), Unknown, ""},
		{"what points elsewhere", kept("a.crew", "save-name"), kept("b.crew", "written-by-others"), Unknown, ""},
		{"what was only read", kept("a.crew", "save-name"), readOnly, Unknown, ""},
		{"a log", kept("a.crew", "log-name"), kept("b.crew"), Unknown, ""},
	} {
		files := []File{c.beside, c.file}
		files[0].FirstWrite, files[0].LastWrite = time.Minute, time.Minute // not written in one go
		fromKin(files)
		assert.Equal(t, c.is, files[1].Kind, c.what)
		if c.why != "" {
			assert.Equal(t, []string{c.why}, files[1].Reasons, c.what)
		}
		assert.Equal(t, c.beside.Kind, files[0].Kind, c.what)
	}
}

// Files of one ending that are kept for several purposes say nothing of a further one,
// whatever their order.
func TestKinOfSeveralKindsSaysNothing(t *testing.T) {
	for i := range 3 {
		files := []File{kept("a.crew", "save-name"), kept("b.crew", "config-name"), kept("c.crew", "save-name")}
		files = append(files[i:], files[:i]...)
		files = append(files, kept("d.crew"))
		fromKin(files)
		assert.Equal(t, Unknown, files[3].Kind)
	}
}

func TestWhatIsWrittenInOneGoWithProgressIsPartOfIt(t *testing.T) {
	at := func(x File, first, last time.Duration) File {
		x.FirstWrite, x.LastWrite = first, last
		return x
	}
	save := at(kept("dives.dat", "save-name"), 9*time.Second, 99*time.Second)
	chart := at(kept("chart.dat"), 10*time.Second, 98*time.Second)
	is := func(files ...File) Kind {
		fromKin(files)
		return files[0].Kind
	}
	assert.Equal(t, Save, is(chart, save))
	assert.Equal(t, Unknown, is(at(chart, 10*time.Second, 90*time.Second), save), "the last time it was not")
	assert.Equal(t, Unknown, is(chart, save, kept("volume.ini", "config-name")), "the folder holds other things")
	assert.Equal(t, Unknown, is(chart, at(kept("dives.dat", "config-name"), 9*time.Second, 99*time.Second)), "settings are saved with anything")
	made := chart
	made.Before = trace.State{Is: trace.IsAbsent}
	assert.Equal(t, Unknown, is(made, save), "at the first start everything is written")
	top := func(x File, name string) File {
		x.Place = "xdg-data:" + name
		return x
	}
	assert.Equal(t, Unknown, is(top(chart, "chart.dat"), top(save, "dives.dat")), "a folder that is not the game's own")
}

// What runs tell apart is kept when they are joined.
func TestKinOfOneRunCountsWhenRunsAreJoined(t *testing.T) {
	run := func(list ...File) *Footprint {
		fromKin(list)
		return &Footprint{Title: "Tarn", Self: &Self{}, Files: list, Counts: map[Kind]int{}, Length: time.Minute}
	}
	alone, beside := kept("b.crew"), kept("b.crew")
	merged, err := Merge([]*Footprint{run(alone), run(kept("a.crew", "save-name"), beside)})
	require.NoError(t, err)
	assert.Equal(t, map[Kind]int{Save: 2}, merged.Counts)
}

// What a program keeps is progress or settings although it is open which of the two.
func TestKeptBeforeItIsKnownAsWhat(t *testing.T) {
	x := kept("tarn", "settings-inside", "data-folder")
	assert.Equal(t, Config, x.Kind, fmt.Sprint(x.Reasons))
	assert.Less(t, x.Confidence, SureFrom)
	assert.Greater(t, x.Kept(), SureFrom)
	assert.True(t, x.Sure())
	assert.False(t, kept("tarn", "settings-inside").Sure())
	assert.False(t, kept("tarn", "log-name").Sure())
	x.Judged = &Judged{x.Kind, x.Confidence}
	x.Kind, x.Confidence = Log, 1
	assert.Zero(t, x.Kept(), "a person knows better")
	assert.False(t, x.Sure())
	x.Kind = Save
	assert.True(t, x.Sure())
}
