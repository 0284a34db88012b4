package plays

import (
	"context"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"endroit/core/footprint"
)

var (
	measure = flag.Bool("accuracy", false, "play the whole collection and tell how well the judgement does")
	faults  = flag.Bool("faults", false, "list the faults of the plays that are held out too")
)

// atOnce is how many plays go on at a time. They mostly wait; but at thirty times the pace
// a mark that comes half a second late counts as fifteen.
const atOnce = 4

// TestAccuracy is what make accuracy runs: each play is played by a program on real files,
// under the observer, and the judgement scored by kind and for the locations. It holds
// nothing to a figure; TestJudgementIsStable does, on the traces that are written for plays.
func TestAccuracy(t *testing.T) {
	if !*measure {
		t.Skip("it takes minutes: make accuracy")
	}
	endroit := filepath.Join(t.TempDir(), "endroit")
	out, err := exec.Command("go", "build", "-o", endroit, "endroit/cmd/endroit").CombinedOutput()
	require.NoError(t, err, string(out))
	folder := t.TempDir()
	footprints, roots := make([]*footprint.Footprint, len(All())), make([]string, len(All()))
	ctx, cancel := context.WithTimeout(t.Context(), 20*time.Minute)
	defer cancel()
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(atOnce)
	for i, p := range All() {
		group.Go(func() (err error) {
			footprints[i], roots[i], err = p.Real(ctx, endroit, os.Args[0], filepath.Join(folder, fmt.Sprint(i)))
			return err
		})
	}
	require.NoError(t, group.Wait())
	back := 0
	for i, p := range All() {
		given, wrong := resolves(t.Context(), p, footprints[i], roots[i])
		back += given
		for _, w := range wrong {
			t.Error(w)
		}
	}
	fmt.Printf("resolved where they were played, the locations give back %d files\n", back)
	for _, out := range []bool{false, true} {
		s, reach := NewScore(), Reach{}
		set := "for tuning"
		if out {
			set = "held out"
		}
		fmt.Printf("plays %s, by game: files right, taken and there; whether the draft holds for the second person, without answers and with; questions\n", set)
		for i, p := range All() {
			if p.heldOut != out {
				continue
			}
			one, next := NewScore(), Reach{}
			one.Add(p, footprints[i], roots[i])
			next.next(t, p, footprints[i])
			s.Add(p, footprints[i], roots[i])
			reach.next(t, p, footprints[i])
			right, taken, are := one.sum()
			fmt.Printf("  %2d %2d %2d  %-3s %-3s %d  %s\n", right, taken, are, yes(next.Without), yes(next.With), next.Questions, p.Name)
		}
		s.tell(set, *faults || !out)
		fmt.Println("  " + reach.String())
		if *faults || !out {
			for _, f := range reach.Faults {
				fmt.Println("  " + f)
			}
		}
	}
}

func yes(n int) string {
	if n > 0 {
		return "yes"
	}
	return "no"
}

// sum are the files of progress and settings that were right, taken for such, and there.
func (s Score) sum() (right, taken, are int) {
	for _, k := range []footprint.Kind{footprint.Save, footprint.Config} {
		right, taken, are = right+s.Right[k], taken+s.Taken[k], are+s.Are[k]
	}
	return right, taken, are
}

func (s Score) tell(name string, faults bool) {
	fmt.Printf("%s: %d plays\n", name, s.Plays)
	fmt.Printf("  %-8s %9s %7s   %s\n", "", "precision", "recall", "files right, taken, there")
	for _, k := range []footprint.Kind{footprint.Save, footprint.Config, footprint.Capture} {
		fmt.Printf("  %-8s %9.3f %7.3f   %d, %d, %d\n", k, s.Precision(k), s.Recall(k), s.Right[k], s.Taken[k], s.Are[k])
	}
	fmt.Printf("  locations exactly right in %d of %d plays; %d of %d right, %d proposed\n", s.Proposed, s.Located, s.Locations[0], s.Locations[2], s.Locations[1])
	var confusions []string
	for c, n := range s.Confused {
		confusions = append(confusions, fmt.Sprintf("%d %s", n, c))
	}
	slices.Sort(confusions)
	for _, c := range confusions {
		fmt.Println("  " + c)
	}
	if faults {
		for _, f := range s.Faults {
			fmt.Println("    " + f)
		}
	}
}
