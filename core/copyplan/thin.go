package copyplan

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"time"
)

// Rule says which copies that were taken over time are kept.
type Rule struct {
	AtMost int           // so many of the newest; 0 for no bound
	For    time.Duration // none that is older; 0 for no bound
}

// String says the rule in words.
func (r Rule) String() string {
	var parts []string
	if r.AtMost > 0 {
		parts = append(parts, fmt.Sprintf("the newest %d", r.AtMost))
	}
	if r.For > 0 {
		days := int(r.For.Hours() / 24)
		if r.For%(24*time.Hour) == 0 && days > 0 {
			parts = append(parts, fmt.Sprintf("those of the last %d days", days))
		} else {
			parts = append(parts, fmt.Sprintf("those of the last %s", r.For))
		}
	}
	if len(parts) == 0 {
		return "keeps all copies"
	}
	return "keeps " + strings.Join(parts, ", of ") + ", and always the last one"
}

// Aged is a copy with when it was taken.
type Aged struct {
	ID    string
	Taken time.Time
}

// Thin says which copies go, the oldest first. The newest never does, nor does one from
// the future: then a clock was wrong, and ages tell nothing.
func Thin(copies []Aged, rule Rule, now time.Time) (goes []Aged) {
	byAge := slices.Clone(copies)
	slices.SortStableFunc(byAge, func(a, b Aged) int {
		return cmp.Or(b.Taken.Compare(a.Taken), cmp.Compare(b.ID, a.ID))
	})
	kept := 0
	for i, c := range byAge {
		future := c.Taken.After(now)
		old := rule.For > 0 && now.Sub(c.Taken) > rule.For
		many := rule.AtMost > 0 && kept >= rule.AtMost
		if i > 0 && !future && (old || many) {
			goes = append(goes, c)
			continue
		}
		kept++
	}
	slices.Reverse(goes)
	return goes
}
