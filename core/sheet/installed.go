package sheet

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
)

// Installed is an edition that is there, with what is known of the launcher that
// laid it out.
type Installed struct {
	Edition
	System string `json:"system"` // whose build it is: linux, windows or macos
	// Launcher laid it out and starts it; empty for a plain installer's.
	Launcher     string    `json:"launcher,omitempty"`
	LauncherName string    `json:"launcher_name,omitempty"`
	StartedBy    []string  `json:"started_by"` // ids of other launchers that start it too
	Accounts     []Account `json:"accounts"`
	Cloud        *bool     `json:"cloud,omitempty"`
	// CloudFolders are the folders and files of which the launcher says that it keeps cloud
	// copies; none where it does not say of which.
	CloudFolders []string `json:"cloud_folders,omitempty"`
}

// Label names an edition by its store, reference and version: quayside 418820 version 1.2.
func (e Edition) Label() string {
	return strings.TrimSpace(strings.TrimSpace(e.Store+" "+e.Ref) + " version " + cmp.Or(e.Version, "unknown"))
}

// Starters are all launchers that start it, its own first.
func (i Installed) Starters() (ids []string) {
	if i.Launcher != "" {
		ids = append(ids, i.Launcher)
	}
	return append(ids, i.StartedBy...)
}

func (f Found) installed(e Edition) Installed {
	i := Installed{Edition: e, System: f.System, StartedBy: []string{}, Accounts: f.Accounts, Cloud: f.Cloud}
	if on, said := f.CloudTitles[e.Ref]; said && (f.Cloud == nil || *f.Cloud) {
		i.Cloud = &on // a launcher that keeps none keeps none of single titles
	}
	if i.Cloud != nil && *i.Cloud {
		i.CloudFolders = f.CloudFolders[e.Ref]
	}
	if f.Home != "" {
		i.Launcher, i.LauncherName = f.Launcher, f.Name
	}
	if f.Prefix != "" {
		i.Prefix = f.Prefix
	}
	return i
}

// MissingEditions gathers the editions that are listed and not there: on a disk that is not
// plugged in, or removed behind their launcher's back. MissingEditions says which.
func MissingEditions(found []Found) (all []Installed) {
	for _, f := range found {
		for _, lib := range f.Libraries {
			for _, e := range lib.Editions {
				if e.Missing != "" {
					all = append(all, f.installed(e))
				}
			}
		}
	}
	return all
}

// Join gathers the editions that are there from what all sheets found, and finds
// out which launchers start them: one that hands over to another starts the
// other's editions, which stay the other's. The notes say what was problem: a title
// that is started and not there, launchers that hand over in a circle.
func Join(found []Found) (all []Installed, notes []Note) {
	at := map[string][]int{} // by launcher and reference
	for _, f := range found {
		for _, lib := range f.Libraries {
			for _, e := range lib.Editions {
				if e.Missing != "" {
					continue
				}
				i := f.installed(e)
				at[f.Launcher+" "+e.Ref] = append(at[f.Launcher+" "+e.Ref], len(all))
				all = append(all, i)
			}
		}
	}
	handed := map[string]Started{}
	for _, f := range found {
		for _, s := range f.Starts {
			handed[f.Launcher+" "+s.Ref] = s
		}
	}
	for _, f := range found {
		for _, s := range f.Starts {
			where, way := follow(f.Launcher, s, handed, at)
			switch {
			case len(where) > 0:
				for _, i := range where {
					if !slices.Contains(all[i].StartedBy, f.Launcher) {
						all[i].StartedBy = append(all[i].StartedBy, f.Launcher)
					}
				}
			case len(way) > 1 && way[0] == way[len(way)-1]:
				notes = append(notes, Note{
					s.Where,
					fmt.Sprintf(
						"%s is handed over in a circle (%s): no launcher installs it", s.Ref,
						strings.Join(way, ", then "),
					),
				})
			default:
				notes = append(
					notes,
					Note{s.Where, fmt.Sprintf("%s starts %s of %s, which is not installed", f.Name, s.Ref, way[len(way)-1])},
				)
			}
		}
	}
	return all, notes
}

// follow goes from launcher to launcher until one has the title installed. way
// is whom it passed; in a circle it ends where it began.
func follow(from string, s Started, handed map[string]Started, at map[string][]int) (where []int, way []string) {
	way = []string{from}
	passed := map[string]bool{from: true}
	for {
		way = append(way, s.Launcher)
		if where = at[s.Launcher+" "+s.Ref]; len(where) > 0 {
			return where, way
		}
		next, ok := handed[s.Launcher+" "+s.Ref]
		if passed[s.Launcher] {
			return nil, way[max(0, slices.Index(way, s.Launcher)):]
		}
		if !ok {
			return nil, way
		}
		passed[s.Launcher] = true
		s = next
	}
}
