// Package standing says what the evidence for a location amounts to.
//
//	word, reason := standing.Of(evidence)
package standing

import (
	"fmt"
	"sort"
	"strings"
	"time"
)

// Standing is what the evidence amounts to, in a word.
type Standing string

// The standings that observations alone can give.
const (
	Observed  Standing = "observed"  // one person saw it
	Confirmed Standing = "confirmed" // several persons saw it, each for themselves
)

// Evidence is one accepted contribution that saw the location.
type Evidence struct {
	Contribution int       `json:"contribution"`
	By           string    `json:"by"`
	ReviewedBy   string    `json:"reviewed_by"`
	Accepted     time.Time `json:"accepted"`
	Version      string    `json:"version,omitempty"` // the edition's version that was run
	Observer     string    `json:"observer"`
}

// Of gives the standing of a location and the reason for it. There is none without
// evidence.
func Of(evidence []Evidence) (Standing, string) {
	return of(
		evidence, "not observed", "%s observed it in a traced run; nobody else has yet",
		"%s observed it independently in traced runs",
	)
}

// OfSheet gives the standing of a launcher's sheet and the reason for it.
func OfSheet(evidence []Evidence) (Standing, string) {
	return of(
		evidence, "nobody has tried it", "%s tried it against an installed launcher; nobody else has yet",
		"%s tried it independently against installed launchers",
	)
}

func of(evidence []Evidence, nobody, one, several string) (Standing, string) {
	people := map[string]bool{}
	var names []string
	for _, e := range evidence {
		if !people[e.By] {
			people[e.By] = true
			names = append(names, e.By)
		}
	}
	sort.Strings(names)
	switch len(names) {
	case 0:
		return "", nobody
	case 1:
		return Observed, fmt.Sprintf(one, names[0])
	}
	return Confirmed, fmt.Sprintf(several, strings.Join(names, ", "))
}
