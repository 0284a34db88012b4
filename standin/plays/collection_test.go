package plays

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/candidate"
	"endroit/core/footprint"
	"endroit/core/place"
	"endroit/core/trace"
)

// The test's own program is the game of the plays that it plays on real files.
func TestMain(m *testing.M) {
	if len(os.Args) == 4 && os.Args[1] == "play" {
		p, err := ByName(os.Args[2])
		if err == nil {
			err = p.Perform(os.Args[3], os.Stdin, os.Stdout)
		}
		if err != nil {
			fmt.Fprintln(os.Stderr, err)
			os.Exit(1)
		}
		return
	}
	os.Exit(m.Run())
}

// Played by a program under the observer, a play is judged as the trace that is written for it.
func TestPlayedByAProgram(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("the observer is Linux'")
	}
	endroit := filepath.Join(t.TempDir(), "endroit")
	out, err := exec.Command("go", "build", "-o", endroit, "endroit/cmd/endroit").CombinedOutput()
	require.NoError(t, err, string(out))
	for _, name := range []string{"a slot through a temporary name, settings in their folder", "settings in the registry, saves among the documents"} {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			p, err := ByName(name)
			require.NoError(t, err)
			fp, root, err := p.Real(t.Context(), endroit, os.Args[0], t.TempDir())
			require.NoError(t, err)
			assert.Equal(t, trace.ByCalls, fp.Observer)
			assert.Len(t, fp.Cues, 3)
			assert.Greater(t, fp.Length, 200*time.Second, "its times are those that the play tells of")
			s := NewScore()
			s.Add(p, fp, root)
			assert.Empty(t, s.Faults)
			assert.Equal(t, 1, s.Proposed)
			given, wrong := resolves(t.Context(), p, fp, root)
			assert.Empty(t, wrong, "on the same machine the locations give the files back")
			assert.Positive(t, given)
		})
	}
	_, err = ByName("nobody plays this")
	assert.Error(t, err)
}

// The judgement holds what it has reached on the collection, so that a change of a weight
// that helps one way of saving and harms another shows.
func TestJudgementIsStable(t *testing.T) {
	tuned, err := Run(func(i int) bool { return !All()[i].heldOut })
	require.NoError(t, err)
	all, err := Run(func(int) bool { return true })
	require.NoError(t, err)
	held := 0
	for _, p := range All() {
		if p.heldOut {
			held++
		}
	}
	assert.GreaterOrEqual(t, len(All()), 100)
	assert.GreaterOrEqual(t, 10*held, 3*len(All()))
	for _, k := range []footprint.Kind{footprint.Save, footprint.Config} {
		assert.GreaterOrEqual(t, tuned.Precision(k), 0.97, "%s: %v", k, tuned.Faults)
		assert.GreaterOrEqual(t, tuned.Recall(k), 0.97, "%s: %v", k, tuned.Faults)
		assert.GreaterOrEqual(t, all.Precision(k), 0.95, k)
		assert.GreaterOrEqual(t, all.Recall(k), 0.97, k)
	}
	assert.GreaterOrEqual(t, tuned.Proposed*10, tuned.Located*9, tuned.Faults)
	assert.GreaterOrEqual(t, all.Proposed*10, all.Located*9)
}

// Every play says what is right in a form that can be right.
func TestPlaysAreValid(t *testing.T) {
	names := map[string]bool{}
	for _, p := range All() {
		assert.False(t, names[p.Name], p.Name)
		names[p.Name] = true
		for _, at := range p.At {
			holds, location, _ := strings.Cut(at, " ")
			assert.Contains(t, []string{"save", "config", "capture"}, holds, p.Name)
			l, err := place.Parse(location)
			require.NoError(t, err, p.Name)
			assert.Equal(t, location, l.String(), p.Name)
		}
		fp, err := p.Footprint()
		require.NoError(t, err, p.Name)
		assert.Empty(t, fp.Cut)
		seen := map[string]bool{}
		for _, f := range fp.Files {
			seen[f.Path] = true
		}
		for _, list := range [][]string{p.Save, p.Config, p.Capture} {
			for _, n := range list {
				assert.True(t, seen[path(p.For(0, n))], "%s: %s was not touched", p.Name, n)
			}
		}
	}
}

// The laws of generalising hold on every play: a location matches each file that it was
// made from, and none that is known to be something else.
func TestLawsOfGeneralising(t *testing.T) {
	for _, p := range All() {
		fp, err := p.Footprint()
		require.NoError(t, err)
		proposal := candidate.Propose(fp, p.sources(t, fp))
		for _, l := range proposal.Locations {
			of := map[string]bool{}
			for _, f := range l.Files {
				of[f.Place] = true
				for _, journal := range []string{"-wal", "-shm", "-journal"} { // a database's own
					of[f.Place+journal] = true
				}
				exact, err := place.ParseAny(f.Place)
				require.NoError(t, err)
				_, ok := l.At.Match(exact.Names(), place.Captures{"user": fp.Self.User, "host": fp.Self.Host})
				assert.True(t, ok, "%s: %s does not match %s", p.Name, l.At, f.Place)
			}
			assert.NoError(t, l.At.Narrow(), p.Name)
			for _, f := range fp.Files {
				exact, err := place.ParseAny(f.Place)
				if err != nil || of[f.Place] || exact.Anchor != l.At.Anchor || f.Kind == footprint.Unknown && !f.Written() || f.Kind == l.Holds ||
					l.At.Pattern.Folder && (f.Kind == footprint.Temp || f.Kind == footprint.Lock) {
					continue
				}
				_, hit := l.At.Match(exact.Names(), nil)
				assert.False(t, hit, "%s: %s reaches %s, which is %s", p.Name, l.At, f.Place, f.Kind)
			}
		}
	}
}
