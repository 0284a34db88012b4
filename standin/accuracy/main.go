// Command accuracy says how well the judgement does on the collection of plays: by kind,
// and for the locations. What is held out of tuning is told apart. Each play is played by
// a program on real files, under the observer.
//
//	accuracy -endroit bin/endroit
package main

import (
	"context"
	"flag"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"time"

	"golang.org/x/sync/errgroup"

	"endroit/core/footprint"
	"endroit/standin/plays"
)

func main() {
	if len(os.Args) == 4 && os.Args[1] == "play" { // as the game
		p, err := plays.ByName(os.Args[2])
		if err == nil {
			err = p.Perform(os.Args[3], os.Stdin, os.Stdout)
		}
		end(err)
		return
	}
	endroit := flag.String("endroit", "bin/endroit", "the program that observes")
	told := flag.Bool("told", false, "do not play: take the traces that an observer would write")
	faults := flag.Bool("faults", false, "list the faults of the plays that are held out too")
	flag.Parse()
	end(run(*endroit, *told, *faults))
}

func end(err error) {
	if err != nil {
		fmt.Fprintln(os.Stderr, "accuracy:", err)
		os.Exit(1)
	}
}

// atOnce is how many plays go on at a time: they mostly wait.
const atOnce = 8

func run(endroit string, told, faults bool) error {
	type result struct {
		fp   *footprint.Footprint
		root string
	}
	results := make([]result, len(plays.All))
	if !told {
		endroit, err := filepath.Abs(endroit)
		if err != nil {
			return err
		}
		self, err := os.Executable()
		if err != nil {
			return err
		}
		folder, err := os.MkdirTemp("", "endroit-accuracy-")
		if err != nil {
			return err
		}
		defer os.RemoveAll(folder)
		ctx, cancel := context.WithTimeout(context.Background(), 20*time.Minute)
		defer cancel()
		group, ctx := errgroup.WithContext(ctx)
		group.SetLimit(atOnce)
		for i, p := range plays.All {
			group.Go(func() (err error) {
				results[i].fp, results[i].root, err = p.Real(ctx, endroit, self, filepath.Join(folder, fmt.Sprint(i)))
				return err
			})
		}
		if err := group.Wait(); err != nil {
			return err
		}
	}
	for _, part := range []struct {
		name   string
		choose func(i int) bool
	}{
		{"for tuning", func(i int) bool { return !plays.HeldOut(i) }},
		{"held out", plays.HeldOut},
	} {
		s := plays.NewScore()
		if told {
			var err error
			if s, err = plays.Run(part.choose); err != nil {
				return err
			}
		} else {
			for i, r := range results {
				if part.choose(i) {
					s.Add(plays.All[i], r.fp, r.root)
				}
			}
		}
		tell(part.name, s, faults || part.name != "held out")
	}
	return nil
}

func tell(name string, s plays.Score, faults bool) {
	fmt.Printf("%s: %d plays\n", name, s.Plays)
	fmt.Printf("  %-8s %9s %7s   %s\n", "", "precision", "recall", "files right, taken, there")
	for _, k := range []footprint.Kind{footprint.Save, footprint.Config, footprint.Capture} {
		fmt.Printf("  %-8s %9.3f %7.3f   %d, %d, %d\n", k, s.Precision(k), s.Recall(k), s.Right[k], s.Taken[k], s.Are[k])
	}
	fmt.Printf("  locations exactly right in %d of %d plays; %d of %d right, %d proposed\n", s.Proposed, s.Plays, s.Locations[0], s.Locations[2], s.Locations[1])
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
