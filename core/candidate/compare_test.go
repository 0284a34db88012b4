package candidate

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/footprint"
	"endroit/core/trace"
)

// ran makes the footprint of a run: for each line "KIND-OF-EVENT PATH DIGEST", at one
// second after the other, and cues "cue WORD".
func ran(t *testing.T, title string, lines ...string) *footprint.Footprint {
	t.Helper()
	var b bytes.Buffer
	w, err := trace.NewWriter(&b, trace.Header{Title: title, OS: "linux", Runtime: "native", User: "mira", Install: "/opt/tw", Env: map[string]string{"HOME": "/home/mira"}})
	require.NoError(t, err)
	require.NoError(t, w.Process(&trace.Process{PID: 1, Exe: "/opt/tw/tidewrack"}))
	numbers := map[string]int{}
	after := map[int]trace.State{}
	for i, line := range lines {
		at := time.Duration(i+1) * 10 * time.Second
		f := strings.Fields(line)
		if f[0] == "cue" {
			require.NoError(t, w.Cue(trace.Cue{At: at - 9*time.Second, Word: f[1]}))
			continue
		}
		path := strings.ReplaceAll(strings.ReplaceAll(f[1], "data:", "/home/mira/.local/share/"), "config:", "/home/mira/.config/")
		n := numbers[path]
		if n == 0 {
			file := trace.File{Path: path, Before: trace.State{Is: trace.IsFile, Size: 5}}
			require.NoError(t, w.File(&file))
			n = file.N
			numbers[path] = n
		}
		require.NoError(t, w.Event(trace.Event{At: at, Process: 1, Op: trace.Op(f[0]), File: n}))
		if len(f) > 2 {
			after[n] = trace.State{Is: trace.IsFile, Size: 6, Digest: strings.Repeat(f[2], 64)}
		}
	}
	for n := 1; n <= len(numbers); n++ {
		if s, ok := after[n]; ok {
			require.NoError(t, w.After(trace.After{File: n, State: s}))
		}
	}
	_, err = w.Close(time.Hour)
	require.NoError(t, err)
	r, err := trace.NewReader(&b, trace.DefaultLimits)
	require.NoError(t, err)
	fp, err := footprint.FromTrace(r)
	require.NoError(t, err)
	return fp
}

func places(list []Joint) (out []string) {
	for _, j := range list {
		out = append(out, string(j.Kind)+" "+j.At)
	}
	return out
}

func TestCompare(t *testing.T) {
	one := ran(t, "Tidewrack", "read data:tw/state.bin", "read data:tw/profile.bin", "replace data:tw/slots/slot1.sav a", "cue saved", "replace data:tw/profile.bin b", "read /opt/tw/pack.dat", "read config:tw/controls.dat")
	two := ran(t, "TIDEWRACK", "read data:tw/profile.bin", "read data:tw/state.bin", "replace data:tw/state.bin c", "cue changed-setting", "replace data:tw/slots/slot2.sav d", "replace data:tw/profile.bin e", "read /opt/tw/pack.dat", "read config:tw/controls.dat")
	c, err := Compare([]*footprint.Footprint{one, two})
	require.NoError(t, err)
	assert.Equal(t, []string{"save xdg-data:tw/slots/slot{slot}.sav"}, places(c.Named))
	require.Len(t, c.Named[0].Seen, 2)
	assert.Equal(t, "xdg-data:tw/slots/slot1.sav", c.Named[0].Seen[0].Files[0].Place)
	assert.Equal(t, "xdg-data:tw/slots/slot2.sav", c.Named[0].Seen[1].Files[0].Place)
	assert.Equal(t, []string{"save xdg-data:tw/profile.bin"}, places(c.All))
	assert.Contains(t, c.All[0].Told, "its content differs between runs")
	assert.Equal(t, []string{"config xdg-data:tw/state.bin"}, places(c.Some), "one run alone takes it for progress")
	assert.Contains(t, c.Some[0].Told, "it was written only in the runs marked changed-setting (2)")
	assert.Empty(t, c.Some[0].Seen[0].Written)
	assert.Equal(t, []string{"config xdg-config:tw/controls.dat"}, places(c.Never)[:len(c.Never)])
	assert.Equal(t, map[footprint.Kind]int{footprint.Asset: 1}, c.Others)
}

func TestCompareRefuses(t *testing.T) {
	one := ran(t, "Tidewrack", "read data:tw/a.sav")
	_, err := Compare([]*footprint.Footprint{one})
	assert.ErrorContains(t, err, "comparing needs at least two runs")
	_, err = Compare([]*footprint.Footprint{one, ran(t, "Saltglass", "read data:sg/a.sav")})
	assert.ErrorIs(t, err, ErrOtherTitle)
	assert.ErrorContains(t, err, `"Tidewrack" and "Saltglass"`)
}

// No file is lost, whatever the runs.
func TestCompareHoldsEveryFile(t *testing.T) {
	runs := []*footprint.Footprint{
		ran(t, "", "replace data:tw/save1.dat a", "replace data:tw/save2.dat b", "read /etc/passwd", "append data:tw/x.log c"),
		ran(t, "", "replace data:tw/save3.dat a", "replace /tmp/odd/7.bin b"),
		ran(t, "", "replace data:tw/save3.dat a"),
	}
	c, err := Compare(runs)
	require.NoError(t, err)
	held := 0
	for _, list := range [][]Joint{c.Named, c.All, c.Some, c.Never} {
		for _, j := range list {
			for _, s := range j.Seen {
				held += len(s.Files)
			}
		}
	}
	others := 0
	for _, n := range c.Others {
		others += n
	}
	all := 0
	for _, f := range runs {
		all += len(f.Files)
	}
	assert.Equal(t, all, held+others, "those of no interest are one in a place here")
	assert.Equal(t, 3, others)
	assert.Equal(t, "xdg-data:tw/save{slot}.dat", c.Named[0].At)
	assert.Len(t, c.Named[0].Seen[0].Files, 2)
	assert.True(t, c.Named[0].Seen[2].Written)
}

// Runs that were marked with both cues tell nothing of either: what was written in them
// can be progress as well as settings.
func TestCuesOfTheSameRunsAreEqual(t *testing.T) {
	both := ran(t, "", "replace data:tw/slots/slot1.sav a", "cue saved", "replace config:tw/settings.ini b", "cue changed-setting")
	none := ran(t, "", "read data:tw/slots/slot1.sav", "read config:tw/settings.ini")
	c, err := Compare([]*footprint.Footprint{both, none})
	require.NoError(t, err)
	assert.Equal(t, []string{"save xdg-data:tw/slots/slot1.sav", "config xdg-config:tw/settings.ini"}, places(c.Some))
	for _, j := range c.Some {
		assert.Empty(t, j.Told)
	}
	saved := ran(t, "", "replace data:tw/slots/slot1.sav a", "cue saved")
	c, err = Compare([]*footprint.Footprint{saved, none})
	require.NoError(t, err)
	assert.Equal(t, []string{"it was written only in the runs marked saved (1)"}, c.Some[0].Told)
}
