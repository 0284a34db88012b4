package machine

import (
	"os"
	"path/filepath"
	"strings"

	"endroit/core/place"
	"endroit/core/trace"
)

// Watched is a folder in which a game could keep something.
type Watched struct {
	Folder string
	Depth  int  // how many levels below it count; 0 for all
	Own    bool // it is the game's own, so that nothing else writes there
}

// How far folders that hold much else are watched.
const (
	documentsDepth = 4
	homeDepth      = 2
	movedOutDepth  = 3 // of a prefix's folder that lies outside of it
)

// FoldersToWatch lists the folders in which a run could keep something: the installation,
// prefix and account that its header names, and without a prefix those of this person's
// where games keep things. Those that do not exist are left out.
func FoldersToWatch(header trace.Header, roots place.Roots) (list []Watched) {
	add := func(folder string, depth int, own bool) {
		full, err := filepath.Abs(folder)
		if folder == "" || err != nil {
			return
		}
		if info, err := os.Stat(full); err != nil || !info.IsDir() {
			return
		}
		if resolved, err := filepath.EvalSymlinks(full); err == nil {
			full = resolved
		}
		for _, w := range list {
			if w.Folder == full && (w.Depth == 0 || w.Depth == depth) {
				return
			}
		}
		list = append(list, Watched{full, depth, own})
	}
	add(header.Install, 0, true)
	if p := header.Prefix; p != nil {
		add(filepath.Join(p.Folder, "drive_c", "users"), 0, true)
		add(filepath.Join(p.Folder, "drive_c", "ProgramData"), 0, true)
		for _, folder := range p.Roots {
			if !strings.HasPrefix(folder, p.Folder+"/") {
				add(folder, movedOutDepth, false) // such as the person's own documents
			}
		}
	}
	if header.Account != nil {
		add(header.Account.Folder, 0, true)
	}
	if header.Prefix == nil {
		for _, d := range place.Definitions {
			if d.Keeps {
				add(roots[d.Anchor], 0, false)
			}
		}
		add(roots[place.Documents], documentsDepth, false)
		add(roots[place.Home], homeDepth, false)
	}
	return list
}
