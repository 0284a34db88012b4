// Command accuracy says how well the judgement does on the collection of plays: by kind,
// and for the locations. A third is held out of tuning and told apart.
package main

import (
	"fmt"
	"os"
	"slices"

	"endroit/core/footprint"
	"endroit/standin/plays"
)

func main() {
	for _, part := range []struct {
		name   string
		choose func(i int) bool
	}{
		{"for tuning", func(i int) bool { return !plays.HeldOut(i) }},
		{"held out", plays.HeldOut},
	} {
		s, err := plays.Run(part.choose)
		if err != nil {
			fmt.Fprintln(os.Stderr, "accuracy:", err)
			os.Exit(1)
		}
		fmt.Printf("%s: %d plays\n", part.name, s.Plays)
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
		if part.name != "held out" || len(os.Args) > 1 {
			for _, f := range s.Faults {
				fmt.Println("    " + f)
			}
		}
	}
}
