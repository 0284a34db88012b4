package locate

import (
	"context"
	"maps"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"

	"endroit/core/manifest"
	"endroit/core/place"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/machine"
)

// called reports whether a title has a name, given plain.
func called(t *manifest.Title, plain string) bool {
	return slices.ContainsFunc(t.AllNames(), func(n string) bool { return manifest.Plain(n) == plain })
}

// installed are the editions of a variant that are there. One without a reference
// is told by its title.
func (h *Resolver) installed(t *manifest.Title, v manifest.Variant, forWindows bool) (out []sheet.Installed) {
	var own []int
	for _, n := range t.AllNames() {
		own = append(own, h.byTitle[manifest.Plain(n)]...)
	}
	among := own
	if v.Ref != "" {
		among = h.byRef[v.Ref]
	}
	for _, i := range among {
		e := h.survey.Installed[i]
		if v.Store != "" && e.Store != v.Store {
			continue
		}
		if v.Store == "" && e.Store != "" && !slices.Contains(own, i) {
			continue
		}
		if forWindows && e.Prefix == "" && machine.System() != "windows" || !forWindows && e.System != machine.System() {
			continue
		}
		if v.Launcher != "" && !slices.Contains(e.Starters(), v.Launcher) && e.Launcher != "" {
			continue // another launcher's way is not here
		}
		out = append(out, e)
	}
	return out
}

// native looks a variant up in every installed edition, unless the person named
// the installation, and where a sandboxed one has left something.
func (h *Resolver) native(ctx context.Context, t *manifest.Title, v manifest.Variant) (out []Variant) {
	editions := h.installed(t, v, false)
	if len(editions) == 0 || h.Install != "" {
		roots := with(h.roots, h.Install, "")
		found := h.variant(ctx, v, roots, nil)
		found.Install = h.Install
		out = append(out, found)
	} else {
		for _, e := range editions {
			out = append(out, h.edition(ctx, v, e)...)
		}
	}
	for _, s := range h.sandboxes {
		if in := h.variant(ctx, v, s.Roots, nil); in.HasFiles() {
			in.Sandbox = s.ID
			in.Locations = slices.DeleteFunc(in.Locations, func(l Location) bool { return l.Error != "" }) // no folder of its own
			out = append(out, in)
		}
	}
	return out
}

// holding are a variant's locations for which something holds.
func holding(v manifest.Variant, does func(manifest.Location) bool) []manifest.Location {
	return slices.DeleteFunc(slices.Clone(v.Locations), func(l manifest.Location) bool { return !does(l) })
}

// with are the roots, and where an edition's own anchors lie.
func with(roots place.Roots, install, account string) place.Roots {
	out := make(place.Roots, len(roots)+2)
	maps.Copy(out, roots)
	for a, folder := range map[place.Anchor]string{place.Install: install, place.AccountData: account} {
		if folder != "" {
			out[a] = folder
		}
	}
	return out
}

// edition looks a native variant up for an installed edition. Each account that
// exists has a folder of its own; the one in use comes first, and the others add
// only what lies there.
func (h *Resolver) edition(ctx context.Context, v manifest.Variant, e sheet.Installed) (out []Variant) {
	v.Locations = holding(v, func(l manifest.Location) bool { return l.Versions.Includes(e.Version) })
	for _, part := range perAccount(v, e.Accounts) {
		roots := with(h.roots, e.Folder, part.folder)
		found := h.variant(ctx, part.variant, roots, e.Accounts)
		found.Account = part.account
		out = append(out, tell(found, e))
	}
	return out
}

// tell fills in what is known of the edition.
func tell(found Variant, e sheet.Installed) Variant {
	found.Install, found.Version, found.StartedBy = e.Folder, e.Version, strings.Join(e.Starters(), ", ")
	found.Cloud = e.Cloud
	sayCloud(&found, e.CloudFolders)
	found.CloudFolders = e.CloudFolders
	for i := range found.Locations {
		l := &found.Locations[i]
		l.Stands = l.Stands.For(e.Version)
		l.Standing, l.Reason = l.Stands.Standing, l.Stands.Reason
	}
	if a := found.Absence; a != nil {
		a.Stands = a.Stands.For(e.Version)
		a.Standing, a.Reason = a.Stands.Standing, a.Stands.Reason
	}
	return found
}

// sayCloud fills in which locations the launcher keeps cloud copies of, by the folders that
// its own files name. A location that finds nothing is judged by its folder.
func sayCloud(v *Variant, folders []string) {
	for i := range v.Locations {
		l := &v.Locations[i]
		if len(folders) == 0 || l.Folder == "" {
			continue
		}
		covered, all := 0, max(len(l.Files), 1)
		for _, f := range l.Files {
			if within(folders, f.Path) {
				covered++
			}
		}
		if len(l.Files) == 0 && within(folders, l.Folder) {
			covered = 1
		}
		switch covered {
		case all:
			l.CloudLists = standing.Kept
		case 0:
			l.CloudLists = standing.NotKept
		default:
			l.CloudLists = "part"
		}
	}
}

// CloudHas reports whether the launcher's own files list a file for its cloud.
func (v *Variant) CloudHas(path string) bool { return within(v.CloudFolders, path) }

// CloudPlaces are the folders and files that the launcher's own files list for its cloud, as
// places, and those that lie below no anchor.
func (v *Variant) CloudPlaces() (out []place.Location, without []string) {
	for _, folder := range v.CloudFolders {
		found := false
		for _, l := range v.Locations {
			find := l.roots.Place
			if l.fold {
				find = l.roots.PlaceFold
			}
			anchor, names, ok := find(strings.TrimSuffix(folder, "/"))
			if !ok {
				continue
			}
			info, err := os.Stat(folder)
			at := place.Of(anchor, names, err != nil || info.IsDir())
			if !slices.ContainsFunc(out, func(o place.Location) bool { return o.String() == at.String() }) {
				out = append(out, at)
			}
			found = true
			break
		}
		if !found {
			without = append(without, folder)
		}
	}
	return out, without
}

// within reports whether a path is one of the folders, or lies in one.
func within(folders []string, path string) bool {
	same := func(s string) string {
		if s = filepath.ToSlash(s); runtime.GOOS == "windows" {
			return strings.ToLower(s)
		}
		return s
	}
	path = same(path)
	return slices.ContainsFunc(folders, func(folder string) bool {
		rest, inside := strings.CutPrefix(path, strings.TrimSuffix(same(folder), "/"))
		return inside && (rest == "" || rest[0] == '/')
	})
}

// accountPart is what of a variant is looked up for one account.
type accountPart struct {
	variant         manifest.Variant
	account, folder string
}

// perAccount divides a variant: all for the first account, and for each other
// what lies in the launcher's folder for it.
func perAccount(v manifest.Variant, accounts []sheet.Account) (out []accountPart) {
	var inAccount []manifest.Location
	for _, l := range v.Locations {
		if strings.HasPrefix(l.At, string(place.AccountData)+":") {
			inAccount = append(inAccount, l)
		}
	}
	out = append(out, accountPart{variant: v})
	if len(inAccount) == 0 {
		return out
	}
	first := true
	for _, a := range accounts {
		if a.Folder == "" {
			continue // it has no folder yet
		}
		name := a.ID
		if a.Name != "" {
			name += " (" + a.Name + ")"
		}
		if a.InUse {
			name += ", in use"
		}
		if first {
			out[0].account, out[0].folder, first = name, a.Folder, false
			continue
		}
		part := v
		part.Locations = inAccount
		out = append(out, accountPart{part, name, a.Folder})
	}
	return out
}
