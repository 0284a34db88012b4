package footprint

import (
	"path"
	"slices"
	"strings"

	"endroit/core/trace"
)

// inPrefix brings the paths that programs in a prefix open to one spelling: they
// go by the prefix's links for drives (dosdevices/c:) and for known folders.
type inPrefix struct {
	folder string
	drives map[string]string // by letter, in lowercase
	links  []link            // the longest first
}

// link is a known folder by its way through a drive, and where it is.
type link struct{ from, to string }

func newInPrefix(p *trace.Prefix) *inPrefix {
	if p == nil {
		return nil
	}
	in := &inPrefix{folder: path.Clean(p.Folder), drives: map[string]string{}}
	in.drives["c:"] = in.folder + "/drive_c"
	for letter, folder := range p.Drives {
		in.drives[strings.ToLower(letter)] = path.Clean(folder)
	}
	for anchor, inside := range p.Inside {
		letter, rest, ok := strings.Cut(inside, `\`)
		drive := in.drives[strings.ToLower(letter)]
		if !ok || drive == "" || rest == "" || p.Roots[anchor] == "" {
			continue
		}
		from, to := path.Join(drive, strings.ReplaceAll(rest, `\`, "/")), path.Clean(p.Roots[anchor])
		if !strings.EqualFold(from, to) {
			in.links = append(in.links, link{from, to})
		}
	}
	slices.SortFunc(in.links, func(a, b link) int {
		if len(a.from) != len(b.from) {
			return len(b.from) - len(a.from)
		}
		return strings.Compare(a.from, b.from)
	})
	return in
}

// host is a path as the machine has it.
func (in *inPrefix) host(name string) string {
	if in == nil {
		return name
	}
	if rest, ok := strings.CutPrefix(name, in.folder+"/dosdevices/"); ok {
		letter, rest, _ := strings.Cut(rest, "/")
		if drive := in.drives[strings.ToLower(letter)]; drive != "" {
			name = path.Join(drive, rest)
		}
	}
	for _, l := range in.links {
		if len(name) >= len(l.from) && strings.EqualFold(name[:len(l.from)], l.from) &&
			(len(name) == len(l.from) || name[len(l.from)] == '/') {
			return l.to + name[len(l.from):]
		}
	}
	return name
}

// hives are the files in which a prefix keeps its registry.
var hives = []string{"system.reg", "user.reg", "userdef.reg"}

// isHive reports whether a file is the prefix's registry: what programs keep there
// is in its keys.
func (in *inPrefix) isHive(name string) bool {
	return in != nil && path.Dir(name) == in.folder && slices.Contains(hives, path.Base(name))
}

// isWindows reports whether a file lies in the folder of Windows itself.
func (in *inPrefix) isWindows(name string) bool {
	const windows = "/windows/"
	if in == nil {
		return false
	}
	rest, ok := strings.CutPrefix(name, in.drives["c:"])
	return ok && len(rest) > len(windows) && strings.EqualFold(rest[:len(windows)], windows)
}

// inside is a file's path as the programs in the prefix see it, with a drive's letter:
// by its known folder, or else by the drive that lies closest above it; empty if none
// does.
func (in *inPrefix) inside(v *view, known map[string]string) string {
	if folder := known[string(v.anchor)]; v.placed && folder != "" {
		return strings.TrimSuffix(folder, `\`) + `\` + strings.Join(v.names, `\`)
	}
	best, top := "", ""
	for letter, folder := range in.drives {
		if rest, ok := strings.CutPrefix(v.file.Path, strings.TrimSuffix(folder, "/")+"/"); ok &&
			(best == "" || len(folder) > len(top) || len(folder) == len(top) && letter < best[:2]) {
			best, top = letter+"/"+rest, folder
		}
	}
	if best == "" {
		return ""
	}
	return strings.ToUpper(best[:1]) + strings.ReplaceAll(best[1:], "/", `\`)
}
