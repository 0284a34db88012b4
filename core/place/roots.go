package place

import (
	"path"
	"strings"
)

// Roots says where anchors lie on one machine for one person: absolute paths
// with / between names, by anchor.
type Roots map[Anchor]string

// LinuxRoots derives the anchors of a Linux process from its environment, as
// the XDG Base Directory Specification says: a variable that is unset, empty or
// relative counts as not set. Without HOME there are only the fixed folders.
func LinuxRoots(env map[string]string) Roots {
	r := Roots{}
	home := env["HOME"]
	for _, d := range Definitions {
		folder := d.Fixed
		switch v := env[d.Variable]; {
		case d.Fixed != "":
		case d.InHome == "":
			continue
		case strings.HasPrefix(v, "/"):
			folder = path.Clean(v)
		case strings.HasPrefix(home, "/"):
			folder = path.Join(home, d.InHome)
		}
		if folder != "" && folder != "/" {
			r[d.Anchor] = folder
		}
	}
	return r
}

// MacRoots gives the anchors below a person's home on macOS.
func MacRoots(home string) Roots {
	r := Roots{}
	for _, d := range Definitions {
		if d.InMacHome != "" {
			r[d.Anchor] = path.Join(home, d.InMacHome)
		}
	}
	return r
}

// SandboxRoots gives the anchors below a sandboxed application's own folder.
func SandboxRoots(folder string) Roots {
	r := Roots{}
	for _, d := range Definitions {
		if d.InSandbox != "" {
			r[d.Anchor] = path.Join(folder, d.InSandbox)
		}
	}
	return r
}

// LinuxVariables are the variables that LinuxRoots reads.
var LinuxVariables = func() (names []string) {
	for _, d := range Definitions {
		if d.Variable != "" {
			names = append(names, d.Variable)
		}
	}
	return names
}()

// Place finds the anchor that lies closest above an absolute path, and the
// names below it. Where two anchors are the same folder the earlier in
// Definitions wins. ok is false if the path is below none, or is an anchor.
func (r Roots) Place(file string) (a Anchor, names []string, ok bool) {
	return r.place(file, false)
}

// PlaceFold is Place on a system that takes uppercase and lowercase letters for the same.
func (r Roots) PlaceFold(file string) (a Anchor, names []string, ok bool) {
	return r.place(file, true)
}

func (r Roots) place(file string, fold bool) (a Anchor, names []string, ok bool) {
	best := ""
	for _, d := range Definitions {
		root := r[d.Anchor]
		if root == "" || len(root) <= len(best) || len(file) <= len(root) || file[len(root)] != '/' {
			continue
		}
		if top := file[:len(root)]; top != root && !(fold && strings.EqualFold(top, root)) {
			continue
		}
		best, a = root, d.Anchor
	}
	if best == "" || len(file) == len(best)+1 {
		return "", nil, false
	}
	return a, strings.Split(file[len(best)+1:], "/"), true
}
