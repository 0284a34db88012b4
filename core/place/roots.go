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
	r := Roots{VarGames: "/var/games"}
	home := env["HOME"]
	absolute := func(name, byDefault string) string {
		if v := env[name]; strings.HasPrefix(v, "/") {
			return path.Clean(v)
		}
		if byDefault == "" || !strings.HasPrefix(home, "/") {
			return ""
		}
		return path.Join(home, byDefault)
	}
	for _, x := range []struct {
		anchor        Anchor
		variable, sub string
	}{
		{Home, "HOME", ""},
		{XDGData, "XDG_DATA_HOME", ".local/share"},
		{XDGConfig, "XDG_CONFIG_HOME", ".config"},
		{XDGState, "XDG_STATE_HOME", ".local/state"},
		{XDGCache, "XDG_CACHE_HOME", ".cache"},
		{Documents, "XDG_DOCUMENTS_DIR", "Documents"},
	} {
		if p := absolute(x.variable, x.sub); p != "" && p != "/" {
			r[x.anchor] = p
		}
	}
	return r
}

// LinuxVariables are the variables that LinuxRoots reads.
var LinuxVariables = []string{"HOME", "XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME", "XDG_DOCUMENTS_DIR"}

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
