package journal

import (
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/registry"
	"endroit/standin/smalldisk"
)

// In the process that a test starts: the folder of its ground.
const groundFolder = "ENDROIT_JOURNAL_GROUND"

// sides are two sets of files; some are in one of them alone.
func sides() (a, b map[string]string) {
	a, b = map[string]string{}, map[string]string{}
	for i := range 24 {
		name := fmt.Sprintf("world/%d/region-%d.dat", i%3, i)
		if i%4 != 1 {
			a[name] = fmt.Sprintf("first %d", i)
		}
		if i%4 != 2 {
			b[name] = fmt.Sprintf("second %d", i)
		}
	}
	a["key:First"], b["key:First"], b["key:Second"] = "first", "second", "second"
	return a, b
}

func groundIn(t *testing.T, in string) *ground {
	return &ground{t, filepath.Join(in, "game"), filepath.Join(in, "contents"), filepath.Join(in, "journal")}
}

// turn brings the ground from one side to the other, or takes that back.
func turn(t *testing.T, g *ground) {
	j, _, err := Open(t.Context(), g.journal)
	require.NoError(t, err)
	defer j.Close()
	a, b := sides()
	if last, err := j.Undoable(""); err == nil && rand.IntN(2) == 0 {
		back, _, err := j.PlanUndo(last, true)
		require.NoError(t, err)
		_, err = j.Undo(t.Context(), last, back, About{Kind: "undo", Title: "Tidewrack"}, nil)
		require.NoError(t, err)
		return
	}
	want := b
	if fmt.Sprint(g.files()) == fmt.Sprint(b) {
		want = a
	}
	var changes []Change
	for name := range a {
		changes = append(changes, g.change(name, want[name]))
	}
	for name := range b {
		if _, both := a[name]; !both {
			changes = append(changes, g.change(name, want[name]))
		}
	}
	_, err = j.Do(t.Context(), about, changes, nil)
	require.NoError(t, err)
}

// Killed at any moment, an operation ends in the old state or in the new one, for all files
// together, at the next start.
func TestKills(t *testing.T) {
	if in := os.Getenv(groundFolder); in != "" {
		for {
			turn(t, groundIn(t, in))
		}
	}
	const kills, most = 60, 300 // on a busy machine it takes more until both ends were seen
	in := t.TempDir()
	a, b := sides()
	g := groundIn(t, in)
	for _, folder := range []string{g.top, g.contents} {
		require.NoError(t, os.MkdirAll(folder, 0o755))
	}
	g.withKeys()
	for name, text := range a {
		if key, ok := strings.CutPrefix(name, "key:"); ok {
			require.NoError(t, registry.Write(t.Context(), g.key(key), valueOf(text)))
			continue
		}
		g.write(name, text)
	}
	ended := map[State]int{}
	n := 0
	for ; n < kills || n < most && (ended[Done] == 0 || ended[TakenBack] == 0); n++ {
		killed(t, in)
		j, interrupted, err := Open(t.Context(), g.journal)
		require.NoError(t, err)
		for _, op := range interrupted {
			ended[op.State]++
		}
		is := g.files()
		if fmt.Sprint(is) != fmt.Sprint(a) && fmt.Sprint(is) != fmt.Sprint(b) {
			assert.Equal(t, a, is)
			t.FailNow()
		}
		j.Close()
	}
	t.Logf("after %d kills: %v", n, ended)
	assert.NotZero(t, ended[Done], "some were finished")
	assert.NotZero(t, ended[TakenBack], "some were taken back")
	assert.Zero(t, ended[Waiting])
}

// killed runs this test in another process, and kills that at a random moment.
func killed(t *testing.T, in string) {
	self, err := os.Executable()
	require.NoError(t, err)
	run := exec.Command(self, "-test.run=^"+t.Name()+"$")
	run.Env = append(os.Environ(), groundFolder+"="+in)
	require.NoError(t, run.Start())
	time.AfterFunc(time.Duration(20+rand.IntN(120))*time.Millisecond, func() { _ = run.Process.Kill() })
	_ = run.Wait()
	state := run.ProcessState.Sys().(syscall.WaitStatus)
	require.True(t, state.Signaled(), "it ended by itself: %v", run.ProcessState)
}

// A disk that becomes full while an operation is prepared leaves all files as they were,
// whatever side it is on.
func TestFullDisks(t *testing.T) {
	folder := smalldisk.Folder(t)
	if folder == "" {
		return
	}
	for _, side := range []string{"game", "journal"} {
		in := t.TempDir()
		g := groundIn(t, in)
		if side == "game" {
			g.top = filepath.Join(folder, side)
		} else {
			g.journal = filepath.Join(folder, side)
		}
		require.NoError(t, os.MkdirAll(g.top, 0o755))
		require.NoError(t, os.MkdirAll(g.contents, 0o755))
		before := map[string]string{}
		large := make([]byte, 40<<10)
		for i := range 6 {
			before[fmt.Sprintf("f%d", i)] = string(large) + fmt.Sprint("old", i)
			g.write(fmt.Sprintf("f%d", i), before[fmt.Sprintf("f%d", i)])
		}
		failed, filled := 0, 0
		for size := map[string]int{"game": 400, "journal": 120}[side]; ; size += 40 {
			require.Less(t, size, 4000)
			smalldisk.Resize(t, folder, size)
			j, ended, err := Open(t.Context(), g.journal)
			if err != nil {
				failed++
				continue
			}
			assert.Empty(t, ended)
			var changes []Change
			after := map[string]string{}
			for name := range before {
				after[name] = string(large) + "new" + name
				changes = append(changes, g.change(name, after[name]))
			}
			// First somebody else fills the disk while it is at work, which nobody foresees.
			filler := filepath.Join(folder, "filler")
			_, err = j.Do(t.Context(), about, changes, func(done, of int) {
				if done == 2 {
					_ = os.WriteFile(filler, make([]byte, size<<10), 0o600)
				}
			})
			if err != nil && errors.Is(err, syscall.ENOSPC) {
				filled++
			}
			require.Equal(t, before, g.files(), "%d KB: %v", size, err)
			require.NoError(t, os.RemoveAll(filler))
			_, err = j.Do(t.Context(), about, changes, nil)
			j.Close()
			if err == nil {
				assert.Equal(t, after, g.files())
				break
			}
			failed++
			require.Equal(t, before, g.files(), "%d KB: %v", size, err)
		}
		assert.NotZero(t, failed, side)
		assert.NotZero(t, filled, side)
		require.NoError(t, os.RemoveAll(filepath.Join(folder, side)))
	}
}
