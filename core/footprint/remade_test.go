package footprint

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"

	"endroit/core/trace"
)

// compiling is a run that reads files of the installation and makes one from each, a part of
// a second later; gap is how many seconds lie between them.
func compiling(t *testing.T, folder, from, to string, n int, gap float64, cue string) *Footprint {
	t.Helper()
	s := tell(t)
	for i := range n {
		source, made := fmt.Sprintf("/usr/share/games/tidewrack/part%d%s", i, from), fmt.Sprintf("%s%s/part%d%s", data, folder, i, to)
		s.file(source, bytesOf(900)).file(made, absent())
		at := 1 + float64(i)*gap
		s.do(at, trace.Read, source).do(at+0.2, trace.Create, made).after(made, bytesOf(400))
		if cue != "" {
			s.cue(at+0.3, cue)
		}
	}
	return s.end()
}

func kindsIn(fp *Footprint) map[Kind]int {
	kinds := map[Kind]int{}
	for _, f := range fp.Files {
		if len(f.Path) > len(data) && f.Path[:len(data)] == data {
			kinds[f.Kind]++
		}
	}
	return kinds
}

func TestWhatCanBeMadeAgainIsNoProgress(t *testing.T) {
	assert.Equal(t, map[Kind]int{Cache: 20}, kindsIn(compiling(t, "saves", ".script", ".bin", 20, 0.1, "")), "wherever it lies")
	assert.Zero(t, kindsIn(compiling(t, "saves", ".map", ".sav", 3, 30, "saved"))[Cache], "levels that are saved one by one")
	assert.Zero(t, kindsIn(compiling(t, "saves", ".map", ".sav", 20, 30, "saved"))[Cache], "however many, if the player marked that they saved")
	assert.Zero(t, kindsIn(compiling(t, "saves", ".script", ".bin", enoughRemade-1, 0.1, ""))[Cache])
}
