package experiments

import (
	"flag"
	"fmt"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"endroit/standin/keeper"
)

var (
	print = flag.Bool("accuracy", false, "tell what was found of each play")
	kills = flag.Int("kills", 10, "how often experiments are killed")
	seed  = flag.Uint64("seed", 1, "of the moments at which they are")
)

func build(t *testing.T) Programs {
	folder := t.TempDir()
	p := Programs{filepath.Join(folder, "endroit"), filepath.Join(folder, "keeper")}
	for out, source := range map[string]string{p.Endroit: "endroit/cmd/endroit", p.Keeper: "endroit/standin/keeper/game"} {
		said, err := exec.Command("go", "build", "-ldflags", "-E _endroit_start", "-o", out, source).CombinedOutput()
		if source != "endroit/cmd/endroit" {
			said, err = exec.Command("go", "build", "-o", out, source).CombinedOutput()
		}
		require.NoError(t, err, string(said))
	}
	return p
}

// Every play is proven by the program itself: nothing wrongly, and a search in few starts.
func TestAccuracyOfExperiments(t *testing.T) {
	programs, folder := build(t), t.TempDir()
	results := make([]*Result, len(keeper.All))
	group, ctx := errgroup.WithContext(t.Context())
	group.SetLimit(3)
	for i, p := range keeper.All {
		group.Go(func() (err error) {
			results[i], err = Prove(ctx, programs, p, filepath.Join(folder, p.Name))
			return err
		})
	}
	require.NoError(t, group.Wait())
	right, wrong, unknown := 0, 0, 0
	var ratios []float64
	var lines []string
	for _, r := range results {
		right, wrong, unknown = right+r.Right, wrong+r.Wrong, unknown+r.Unknown
		assert.Empty(t, r.Faults, r.Play.Name)
		line := fmt.Sprintf("%-14s %d rightly, %d wrongly, %d not decided", r.Play.Name, r.Right, r.Wrong, r.Unknown)
		if r.Files > 0 {
			ratios = append(ratios, float64(r.Starts)/float64(r.Halving))
			assert.LessOrEqual(t, r.Starts, r.Halving+2, r.Play.Name)
			line += fmt.Sprintf("; %d of %d files in %d starts, halving alone %d", len(r.Play.Needed), r.Files, r.Starts, r.Halving)
		}
		lines = append(lines, line+"  ("+r.Play.Says+")")
	}
	slices.Sort(ratios)
	median := ratios[len(ratios)/2]
	assert.Zero(t, wrong)
	assert.Equal(t, 2, unknown, "the game that refuses its own files, and the save that nobody loads")
	assert.LessOrEqual(t, median, 0.5, "starts of a search to those of halving alone, on the median")
	if *print {
		fmt.Printf("%s\nexperiments with plays: %d proven rightly, %d wrongly, %d not decided; starts to halving alone, median of %d searches: %.2f\n",
			strings.Join(lines, "\n"), right, wrong, unknown, len(ratios), median)
	}
}

// Killed at any moment, an experiment goes on or is taken back, and the files are as they were.
func TestKilledExperiments(t *testing.T) {
	programs := build(t)
	killed, led, faults, err := Kill(t.Context(), programs, t.TempDir(), *kills, *seed)
	require.NoError(t, err)
	assert.Empty(t, faults)
	assert.GreaterOrEqual(t, killed, *kills)
	if *print {
		fmt.Printf("experiments: %d kills, %d led to an end or taken back, %d with files that are not as they were\n", killed, led, len(faults))
	}
}
