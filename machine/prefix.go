package machine

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"endroit/core/hive"
	"endroit/core/place"
	"endroit/core/sheet"
)

// Prefix is a compatibility prefix: a folder that holds a simulated C: drive and
// a registry.
type Prefix struct {
	Folder string
	User   string // the name of the user inside, as its home is called
	// Roots says where the anchors lie, as folders of this machine; Windows says
	// the same as the programs inside see it.
	Roots   place.Roots
	Windows map[place.Anchor]string
	// Notes are what was odd, in words: a hive that could not be read, a folder
	// that was taken by default.
	Notes []string

	machine, user *hive.Hive // nil if not there; they have what lies below keys
	keys          []string
	profile       string // the user's home, as the programs inside see it
	given         string // the user's name as the launcher's sheet says
	memory        *memory

	// What was seen while the prefix is opened; nil from then on, as what is there
	// may change.
	links    *links
	listings *listings
	ways     map[string]string // what steps of a path led to
}

// ErrNoPrefix says that a folder is no prefix.
var ErrNoPrefix = errors.New("not a compatibility prefix")

// byDefault is where a prefix has a known folder unless somebody moved it.
func byDefault(d place.Definition) string {
	for _, x := range [][2]string{{`users\%`, "%USERPROFILE%"}, {`users\Public`, "%PUBLIC%"}, {"ProgramData", "%PROGRAMDATA%"}} {
		if rest, ok := strings.CutPrefix(d.OnDrive, x[0]); ok {
			return x[1] + rest
		}
	}
	return ""
}

// folderKeys are the keys that say where folders lie.
var folderKeys = []string{
	profileList,
	"Volatile Environment",
	strings.TrimSuffix(explorer, `\`) + `\User Shell Folders`,
	strings.TrimSuffix(explorer, `\`) + `\Shell Folders`,
}

const explorer = `Software\Microsoft\Windows\CurrentVersion\Explorer\`

// OpenPrefix reads a prefix: the folder that holds drive_c. It returns an error
// that wraps ErrNoPrefix if it is none. A hive that is missing or broken is
// noted, and the usual places count.
func OpenPrefix(ctx context.Context, folder string) (*Prefix, error) {
	return OpenPrefixOf(ctx, folder, "")
}

// OpenPrefixOf is OpenPrefix for a prefix whose launcher calls the user inside by
// this name, which counts where the registry does not say; it may be empty. The
// registry keys that will be asked for, as paths below their roots, are read along.
func OpenPrefixOf(ctx context.Context, folder, user string, keys ...string) (*Prefix, error) {
	return openPrefix(ctx, Disk{links: &links{}, listings: &listings{}}, nil, folder, user, wantedKeys(keys))
}

// wantedKeys are the keys that are read of a prefix's hives.
func wantedKeys(more []string) []string { return append(slices.Clone(folderKeys), more...) }

func openPrefix(ctx context.Context, d Disk, m *memory, folder, user string, keys []string) (*Prefix, error) {
	folder, err := filepath.Abs(folder)
	if err != nil {
		return nil, err
	}
	if err := d.There(filepath.Join(folder, "drive_c")); err != nil {
		return nil, fmt.Errorf(
			"%s: %w: it contains no drive_c; name the folder that contains drive_c and dosdevices", folder,
			ErrNoPrefix,
		)
	}
	p := &Prefix{
		Folder:   folder,
		Roots:    place.Roots{},
		Windows:  map[place.Anchor]string{},
		given:    user,
		keys:     keys,
		memory:   m,
		links:    d.links,
		listings: d.listings,
		ways:     map[string]string{},
	}
	for name, h := range map[string]**hive.Hive{"system.reg": &p.machine, "user.reg": &p.user} {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		if *h, err = p.hive(name, p.keys...); err != nil {
			p.note("%s could not be read (%v): the default folders are used", name, err)
		}
	}
	slices.Sort(p.Notes)
	p.findUser()
	p.root(place.PrefixDrive, `C:\`)
	p.root(place.Home, p.profile)
	for _, d := range place.Definitions {
		if d.Value != "" {
			p.root(d.Anchor, p.knownFolder(d.EveryUser, d.Value, byDefault(d)))
		}
	}
	p.links, p.listings, p.ways = nil, nil, nil
	return p, nil
}

func (p *Prefix) note(format string, args ...any) {
	p.Notes = append(p.Notes, fmt.Sprintf(format, args...))
}

// hive reads the keys with these paths and those below them.
func (p *Prefix) hive(name string, paths ...string) (*hive.Hive, error) {
	path := filepath.Join(p.Folder, name)
	if h := p.memory.hive(path, paths); h != nil {
		return h, nil
	}
	var info fs.FileInfo
	data, err := steadily(func() (r reading, err error) {
		if info, err = os.Stat(path); err != nil {
			return r, err
		}
		if info.Size() > hive.MaxBytes {
			return r, fmt.Errorf("it has %d bytes", info.Size())
		}
		if !info.Mode().IsRegular() {
			return r, errNoFile
		}
		f, err := os.Open(path)
		if err != nil {
			return r, err
		}
		defer f.Close()
		r, err = readBetween(f, hive.MaxBytes, func() (fs.FileInfo, error) { return os.Stat(path) })
		info = r.after
		return r, err
	})
	if errors.Is(err, fs.ErrNotExist) {
		return nil, errors.New("it does not exist")
	}
	if err != nil {
		return nil, err
	}
	h, err := hive.ParseBelow(data, paths...)
	if err == nil {
		p.memory.keep(path, info, paths, h)
	}
	return h, err
}

const profileList = `Software\Microsoft\Windows NT\CurrentVersion\ProfileList`

// findUser finds the user's home inside: by the list of profiles, else what a
// session noted last, else the only folder below users.
func (p *Prefix) findUser() {
	if p.user != nil && p.machine != nil {
		id := p.user.Root[strings.LastIndexByte(p.user.Root, '\\')+1:]
		p.profile, _ = p.machine.Text(profileList+`\`+id, "ProfileImagePath")
	}
	if p.profile == "" && p.user != nil {
		p.profile, _ = p.user.Text("Volatile Environment", "USERPROFILE")
	}
	if p.profile == "" && p.given != "" {
		if e, ok := p.find(filepath.Join(p.Folder, "drive_c", "users"), p.given); ok {
			p.profile = `C:\users\` + e.name
		}
	}
	if p.profile == "" {
		entries, _ := os.ReadDir(filepath.Join(p.Folder, "drive_c", "users"))
		var names []string
		for _, e := range entries {
			if !strings.EqualFold(e.Name(), "Public") {
				names = append(names, e.Name())
			}
		}
		switch len(names) {
		case 0:
			p.note("no user has a home folder inside")
			return
		case 1:
		default:
			p.note("several users have a home folder inside (%s); the first is used", strings.Join(names, ", "))
		}
		p.profile = `C:\users\` + names[0]
	}
	p.User = p.profile[strings.LastIndexByte(p.profile, '\\')+1:]
}

func (p *Prefix) knownFolder(everybody bool, value, byDefault string) string {
	h := p.user
	if everybody {
		h = p.machine
	}
	if h != nil {
		for _, key := range []string{"User Shell Folders", "Shell Folders"} {
			if text, ok := h.Text(explorer+key, value); ok && text != "" {
				return p.expand(text)
			}
		}
	}
	return p.expand(byDefault)
}

// expand replaces the variables that shell folders are written with; empty if
// one is not known.
func (p *Prefix) expand(text string) string {
	for range maxExpanded {
		name, rest, found := strings.Cut(strings.TrimPrefix(text, "%"), "%")
		if !strings.HasPrefix(text, "%") || !found {
			break
		}
		value := ""
		switch strings.ToUpper(name) {
		case "USERPROFILE":
			value = p.profile
		case "PUBLIC":
			value = p.listed("Public", `C:\users\Public`)
		case "PROGRAMDATA", "ALLUSERSPROFILE":
			value = p.listed("ProgramData", `C:\ProgramData`)
		case "SYSTEMDRIVE":
			value = "C:"
		}
		if value == "" {
			return ""
		}
		text = value + rest
	}
	if strings.Contains(text, "%") {
		return ""
	}
	return text
}

// maxExpanded is how often a text may begin with a variable whose value begins with
// another.
const maxExpanded = 3

// listed is a folder that the list of profiles names.
func (p *Prefix) listed(name, byDefault string) string {
	if p.machine != nil {
		if v, ok := p.machine.Text(profileList, name); ok {
			return v
		}
	}
	return byDefault
}

func (p *Prefix) root(anchor place.Anchor, windows string) {
	if windows == "" {
		return
	}
	host, err := p.HostPath(windows)
	if err != nil {
		p.note("%s is %s inside, which cannot be followed: %v", anchor, windows, err)
		return
	}
	if host == "/" {
		p.note("%s is %s inside, which is this machine's whole file system: it is skipped", anchor, windows)
		return
	}
	p.Roots[anchor], p.Windows[anchor] = host, strings.TrimRight(windows, `\`)
}

// HostPath finds the folder or file of this machine that a Windows path means
// inside the prefix. Names are found without regard to case; those that are not
// there stay as they are written. Links are followed, also out of the prefix, as
// the programs inside do: a documents folder is often the person's own.
func (p *Prefix) HostPath(windows string) (string, error) {
	if len(windows) < 2 || windows[1] != ':' {
		return "", fmt.Errorf("%q does not begin with a drive's letter", windows)
	}
	drive := strings.ToLower(windows[:2])
	at, known := p.ways[drive]
	if !known {
		var err error
		at, err = p.links.follow(filepath.Join(p.Folder, "dosdevices", drive))
		if err != nil && drive == "c:" {
			at, err = p.links.follow(filepath.Join(p.Folder, "drive_c"))
		}
		if err != nil {
			return "", fmt.Errorf("there is no drive %s", strings.ToUpper(drive))
		}
		if p.ways != nil {
			p.ways[drive] = at
		}
	}
	end := len(drive)
	for known := len(windows); known > end; known = strings.LastIndexAny(windows[:known], `\/`) {
		if way, ok := p.ways[windows[:known]]; ok { // most of the way was gone before
			at, end = way, known
		}
	}
	for end < len(windows) {
		name := windows[end:]
		if name[0] == '\\' || name[0] == '/' {
			end++
			continue
		}
		if n := strings.IndexAny(name, `\/`); n >= 0 {
			name = name[:n]
		}
		if name == "." || name == ".." {
			return "", fmt.Errorf("%q climbs", windows)
		}
		found, ok := p.find(at, name)
		if !ok {
			rest, err := namesOf(windows[end:])
			if err != nil {
				return "", fmt.Errorf("%q %w", windows, err)
			}
			return filepath.Join(append([]string{at}, rest...)...), nil
		}
		var err error
		if at, err = p.behind(at, found); err != nil {
			return "", fmt.Errorf("%q: %w", windows, err)
		}
		if end += len(name); p.ways != nil {
			p.ways[windows[:end]] = at
		}
	}
	return at, nil
}

// namesOf takes the names of a Windows path apart.
func namesOf(windows string) ([]string, error) {
	names := strings.FieldsFunc(windows, func(r rune) bool { return r == '\\' || r == '/' })
	if slices.Contains(names, ".") || slices.Contains(names, "..") {
		return nil, errors.New("climbs")
	}
	return names, nil
}

// behind follows a name in a folder if it is a link; the folder's path has none.
func (p *Prefix) behind(folder string, e entry) (string, error) {
	path := strings.TrimSuffix(folder, "/") + "/" + e.name
	if e.kind&(fs.ModeSymlink|fs.ModeIrregular) == 0 {
		return path, nil
	}
	return p.links.follow(path)
}

// find finds a name in a folder as it stands there.
func (p *Prefix) find(folder, name string) (entry, bool) {
	entries, _ := p.listings.list(folder)
	found, _ := anyCase(entries, name)
	return found, found.name != ""
}

// anyCase finds a name among those of a folder: the same, else the first that
// differs in case alone. others counts those that it could have been too. Asking for
// the name itself would not tell, where the file system takes any case.
func anyCase(entries []entry, name string) (found entry, others int) {
	fit := 0
	for _, e := range entries {
		switch {
		case e.name == name:
			found = e
			fit++
		case strings.EqualFold(e.name, name):
			if found.name == "" || found.name != name && e.name < found.name {
				found = e
			}
			fit++
		}
	}
	return found, max(0, fit-1)
}

// Drives are the drives by letter (c:), as folders of this machine; those that
// lead nowhere are left out.
func (p *Prefix) Drives() map[string]string {
	all := map[string]string{}
	entries, _ := os.ReadDir(filepath.Join(p.Folder, "dosdevices"))
	for _, e := range entries {
		name := strings.ToLower(e.Name())
		if len(name) != 2 || name[1] != ':' || name[0] < 'a' || name[0] > 'z' {
			continue // a port, or a device
		}
		if resolved, err := filepath.EvalSymlinks(filepath.Join(p.Folder, "dosdevices", e.Name())); err == nil {
			all[name] = resolved
		}
	}
	return all
}

// WindowsPath writes a file that a location found below its anchor as the
// programs inside see it.
func (p *Prefix) WindowsPath(anchor place.Anchor, host string) string {
	top, inside := p.Roots[anchor], p.Windows[anchor]
	if top == "" || host != top && !strings.HasPrefix(host, top+"/") {
		return ""
	}
	return inside + strings.ReplaceAll(strings.TrimPrefix(host, top), "/", `\`)
}

// Inside writes a file of the drive C: as the programs inside see it; empty
// if it does not lie there.
func (p *Prefix) Inside(host string) string {
	top := p.Roots[place.PrefixDrive]
	if resolved, err := filepath.EvalSymlinks(host); err == nil {
		host = resolved
	}
	if top == "" || !strings.HasPrefix(host, top+"/") {
		return ""
	}
	return `C:` + strings.ReplaceAll(strings.TrimPrefix(host, top), "/", `\`)
}

// Expand replaces the variable that a path inside begins with, %APPDATA%, as it is
// unless somebody moved the folder that the registry names; empty if the variable
// is not known.
func (p *Prefix) Expand(text string) string {
	for name, value := range map[string]string{"%APPDATA%": `%USERPROFILE%\AppData\Roaming`, "%LOCALAPPDATA%": `%USERPROFILE%\AppData\Local`} {
		if rest, ok := strings.CutPrefix(text, name); ok {
			text = value + rest
		}
	}
	return strings.TrimRight(p.expand(text), `\`)
}

// HasKey reports whether the registry holds a location's key, by its names
// below the anchor, and how many values it has.
func (p *Prefix) HasKey(names []string) (values int, found bool, err error) {
	h, path, err := p.hiveOf(names)
	if err != nil {
		return 0, false, err
	}
	if k := h.Key(path); k != nil {
		return len(k.Values), true, nil
	}
	// A key that only has keys below it has no entry of its own.
	return 0, slices.ContainsFunc(h.Keys, func(k hive.Key) bool { return below(k.Path, path) }), nil
}

func below(path, top string) bool {
	return len(path) > len(top) && strings.EqualFold(path[:len(top)], top) && path[len(top)] == '\\'
}

// hiveOf reads the hive that a key lies in, as far as the key and those below it.
func (p *Prefix) hiveOf(names []string) (h *hive.Hive, path string, err error) {
	if len(names) < 2 {
		return nil, "", errors.New("no key is named")
	}
	path = strings.Join(names[1:], `\`)
	name := hiveFile(names[0])
	if slices.ContainsFunc(p.keys, func(k string) bool { return strings.EqualFold(k, path) || below(path, k) }) {
		if h = map[string]*hive.Hive{"system.reg": p.machine, "user.reg": p.user}[name]; h != nil {
			return h, path, nil
		}
	}
	if h, err = p.hive(name, path); err != nil {
		return nil, "", fmt.Errorf("the prefix's registry could not be read: %s: %w", name, err)
	}
	return h, path, nil
}

// hiveFile is the file of a prefix that keeps a root key.
func hiveFile(root string) string {
	if strings.EqualFold(root, "HKEY_LOCAL_MACHINE") {
		return "system.reg"
	}
	return "user.reg"
}

// key reads a key for a sheet: keys within keys, values under #values.
func (p *Prefix) key(names []string) (any, error) {
	h, path, err := p.hiveOf(names)
	if err != nil {
		return nil, err
	}
	top := map[string]any{}
	found := false
	for i := range h.Keys {
		k := &h.Keys[i]
		if !strings.EqualFold(k.Path, path) && !below(k.Path, path) {
			continue
		}
		found = true
		at := top
		if len(k.Path) > len(path) {
			for _, n := range strings.Split(k.Path[len(path)+1:], `\`) {
				next, ok := at[n].(map[string]any)
				if !ok {
					next = map[string]any{}
					at[n] = next
				}
				at = next
			}
		}
		at["#values"] = sheet.KeyValues(k)
	}
	if !found {
		return nil, sheet.ErrNotThere
	}
	return top, nil
}
