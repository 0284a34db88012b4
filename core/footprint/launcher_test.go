package footprint

import (
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

// What a launcher writes as it ends itself is not written at the game's end; what the game
// wrote at its own is, although the launcher goes on.
func TestTheEndIsTheGamesOwn(t *testing.T) {
	nearExit := func(launched bool) map[string]bool {
		s := tell(t)
		game, launcher := 1, 1
		if launched {
			p := trace.Process{PID: 11, Parent: 1, Exe: "/opt/tidewrack/game"}
			require.NoError(t, s.w.Process(&p))
			game = p.N
		}
		by := func(process int, second float64, op trace.Op, path string) {
			s.event(trace.Event{At: time.Duration(second * float64(time.Second)), Process: process, Op: op}, path, "")
		}
		s.file(data+"a.pak", bytesOf(9)).file(data+"tide.dat", bytesOf(9)).file(data+"played.db", bytesOf(9))
		for i := range 9 {
			by(game, float64(i), trace.Read, data+"a.pak")
		}
		by(launcher, 1, trace.Read, data+"played.db")
		by(game, 49, trace.Replace, data+"tide.dat")
		by(launcher, 59.5, trace.Replace, data+"played.db")
		near := map[string]bool{}
		for _, x := range s.end().Files {
			if slices.ContainsFunc(x.Findings, func(f Finding) bool { return f.ID == "written-near-exit" }) {
				near[x.Path] = true
			}
		}
		return near
	}
	assert.Equal(t, map[string]bool{data + "tide.dat": true}, nearExit(true))
	assert.Equal(t, map[string]bool{data + "played.db": true}, nearExit(false), "without a launcher the end is the command's")
}
