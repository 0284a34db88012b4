package copyplan

import (
	"cmp"
	"slices"
	"time"
)

// Stretch is a time of a run in which files of progress were written.
type Stretch struct{ From, To time.Duration }

// The bounds of how long files have to be quiet before a save counts as over.
const (
	LeastQuiet = 500 * time.Millisecond
	UsualQuiet = time.Second // where nothing is known
	MostQuiet  = 10 * time.Second
)

// nearSave is how far before and after the moment that a person marked as saved its writing
// is looked for.
const (
	beforeSaved = 20 * time.Second
	afterSaved  = 10 * time.Second
)

// Quiet says how long files have to be quiet before a save is over, by earlier runs: longer
// than every pause that the game made within one. saved are the moments that a person marked
// as saved; where there are none, all writing counts. known is false where the runs tell
// nothing.
func Quiet(writes []Stretch, saved []time.Duration) (quiet time.Duration, known bool) {
	sorted := slices.Clone(writes)
	slices.SortFunc(sorted, func(a, b Stretch) int { return cmp.Or(cmp.Compare(a.From, b.From), cmp.Compare(a.To, b.To)) })
	if len(saved) > 0 {
		sorted = slices.DeleteFunc(sorted, func(s Stretch) bool {
			return !slices.ContainsFunc(saved, func(at time.Duration) bool {
				return s.To >= at-beforeSaved && s.From <= at+afterSaved
			})
		})
	}
	if len(sorted) == 0 {
		return UsualQuiet, false
	}
	longest, end := time.Duration(0), sorted[0].To
	for _, s := range sorted[1:] {
		if pause := s.From - end; pause > longest && pause < MostQuiet {
			longest = pause
		}
		end = max(end, s.To)
	}
	return min(max(longest+longest/2, LeastQuiet), MostQuiet), true
}
