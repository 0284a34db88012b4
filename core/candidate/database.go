package candidate

import (
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"

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
	interest, there := map[string]bool{}, map[string]int{}
	for i, x := range f.Files {
		if x.Place != "" {
			there[x.Place] = i + 1
			interest[x.Place] = x.Sure()
		}
	}
	for _, x := range f.Files {
		for _, end := range journalEndings {
			main, ok := strings.CutSuffix(x.Place, end)
			if i := there[main]; ok && i > 0 && !interest[main] && interest[x.Place] {
				// What was written is still in the journal alone: the database was only read.
				f.Files[i-1].Kind, f.Files[i-1].Confidence = x.Kind, x.Confidence
				interest[main] = true
			}
			if ok && interest[main] {
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

// A store keeps its content in a set of files in one folder that only together are anything:
// numbered tables and logs, and what says which of them count (LevelDB's impl.md; its
// descendants do the same).
type store struct {
	files []footprint.File
	holds footprint.Kind // Unknown if that could not be decided
}

// storeFiles are the names in such a folder, and manifests those by which it is recognised.
var (
	storeFiles = sync.OnceValue(func() *regexp.Regexp {
		return regexp.MustCompile(`^(CURRENT|IDENTITY|LOCK|LOG(\.old(\.[0-9]+)?)?|(MANIFEST|OPTIONS)-[0-9]+|[0-9]+\.(log|ldb|sst|dbtmp|blob))$`)
	})
	storeManifest = sync.OnceValue(func() *regexp.Regexp { return regexp.MustCompile(`^MANIFEST-[0-9]+$`) })
)

// stores finds them among a footprint's files, by the place of the folder.
func stores(f *footprint.Footprint) map[string]*store {
	current, manifest, all := map[string]bool{}, map[string]bool{}, map[string]*store{}
	for _, x := range f.Files {
		folder, name := path.Split(x.Place)
		if folder == "" || !x.Written() && x.Reads == 0 || !storeFiles().MatchString(name) {
			continue
		}
		current[folder] = current[folder] || name == "CURRENT"
		manifest[folder] = manifest[folder] || storeManifest().MatchString(name)
		if all[folder] == nil {
			all[folder] = &store{holds: footprint.Unknown}
		}
		all[folder].files = append(all[folder].files, x)
	}
	for folder, s := range all {
		s.decide()
		if !current[folder] || !manifest[folder] || s.holds == footprint.Cache {
			delete(all, folder)
		}
	}
	return all
}

// decide finds what the store holds from what its files were taken for, each alone. That
// they are logs and locks says nothing: these are how it works.
func (s *store) decide() {
	written, cached := false, 0
	for _, x := range s.files {
		written = written || x.Written()
		switch {
		case x.Kind == footprint.Cache:
			cached++
		case x.Kind == footprint.Save && x.Confidence >= footprint.SureFrom, x.Written() && slices.Contains(x.Near, "saved"):
			s.holds = footprint.Save
		case x.Kind == footprint.Config && x.Confidence >= footprint.SureFrom && s.holds == footprint.Unknown:
			s.holds = footprint.Config
		}
	}
	if 2*cached > len(s.files) || !written {
		s.holds = footprint.Cache
	}
}

// places are the locations of its files.
func (s *store) places() (list []place.Location) {
	for _, x := range s.files {
		if l, err := place.ParseAny(x.Place); err == nil {
			list = append(list, l)
		}
	}
	return list
}
