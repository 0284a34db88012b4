package copyplan

import (
	"strings"

	"endroit/core/filename"
)

// Target is where a step's file would lie on a machine.
type Target struct {
	Place string
	Path  string   // on the disk
	Names []string // below the anchor's folder
}

// Impossible is a name that a machine cannot have.
type Impossible struct {
	Place string `json:"place"`
	Why   string `json:"why"`
}

// CheckNames finds what of the targets a machine with these rules cannot have: impossible
// names, paths that are too long, and names that it takes for one. It is asked before
// anything is touched.
func CheckNames(targets []Target, rules filename.Rules) (out []Impossible) {
	files, spelled := map[string]string{}, map[string]string{}
	for _, t := range targets {
		why := rules.TooLong(t.Path)
		for _, name := range t.Names {
			if why == "" {
				why = rules.Refuses(name)
			}
		}
		if why == "" {
			why = clash(t, rules, files, spelled)
		}
		if why != "" {
			out = append(out, Impossible{t.Place, why})
		}
	}
	return out
}

// clash says with what a target would be mixed up. files are the targets so far, spelled
// the spellings of the folders on the way to them, both by their folded paths.
func clash(t Target, rules filename.Rules, files, spelled map[string]string) string {
	key := rules.Key(t.Path)
	if other, twice := files[key]; twice {
		return "to " + rules.Name + " it is the same file as " + other
	}
	files[key] = t.Place
	top := strings.TrimSuffix(t.Path, strings.Join(t.Names, "/"))
	for i := 1; i < len(t.Names); i++ {
		folder := top + strings.Join(t.Names[:i], "/")
		key := rules.Key(folder)
		if other, ok := files[key]; ok {
			return "its folder is a file: " + other
		}
		if other, ok := spelled[key]; ok && other != folder {
			return "to " + rules.Name + " its folder is the same as " + other
		}
		spelled[key] = folder
	}
	if _, isFolder := spelled[key]; isFolder {
		return "it is a folder too"
	}
	return ""
}
