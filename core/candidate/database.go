package candidate

import (
	"slices"
	"strings"

	"endroit/core/footprint"
	"endroit/core/place"
	"endroit/core/trace"
)

// journalEndings are behind a database's name where SQLite keeps what it has not written
// into the database yet (sqlite.org, "Temporary Files Used By SQLite"). Without them a copy
// of the database lacks what was written last.
var journalEndings = []string{"-journal", "-wal", "-shm"}

// databases finds the journals among a footprint's files, and the databases of interest
// that they belong to, by place, if a copy needs them.
func databases(f *footprint.Footprint) (journals, of map[string]bool) {
	journals, of = map[string]bool{}, map[string]bool{}
	interest := map[string]bool{}
	for _, x := range f.Files {
		if x.Place != "" && x.Kind.OfInterest() && x.Confidence >= MinConfidence {
			interest[x.Place] = true
		}
	}
	for _, x := range f.Files {
		for _, end := range journalEndings {
			if main, ok := strings.CutSuffix(x.Place, end); ok && interest[main] {
				journals[x.Place] = true
				// One for rolling back is gone once all is written.
				of[main] = of[main] || end != "-journal" || x.After.Is == trace.IsFile
			}
		}
	}
	return journals, of
}

// withEnd puts a star behind a location's last name.
func withEnd(l place.Location) place.Location {
	n := len(l.Pattern.Segments)
	last := l.Pattern.Segments[n-1]
	if last[len(last)-1].Kind == place.Any {
		return l
	}
	l.Pattern.Segments = append(slices.Clone(l.Pattern.Segments[:n-1]), append(slices.Clone(last), place.Part{Kind: place.Any}))
	return l
}
