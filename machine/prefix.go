package machine

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"endroit/core/hive"
	"endroit/core/place"
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

	machine, user *hive.Hive // nil if not there
	profile       string     // the user's home, as the programs inside see it
}

// ErrNoPrefix says that a folder is no prefix.
var ErrNoPrefix = errors.New("not a compatibility prefix")

// knownFolders are where Windows looks a known folder up, and where it is unless
// somebody moved it (Windows Known Folders). The value's name stands below
// Explorer\User Shell Folders, and as a copy below Explorer\Shell Folders.
var knownFolders = []struct {
	anchor    place.Anchor
	everybody bool // in the machine's hive, not the user's
	value     string
	byDefault string
}{
	{place.Documents, false, "Personal", `%USERPROFILE%\Documents`},
	{place.SavedGames, false, "{4C5C32FF-BB9D-43B0-B5B4-2D72E54EAAA4}", `%USERPROFILE%\Saved Games`},
	{place.RoamingAppData, false, "AppData", `%USERPROFILE%\AppData\Roaming`},
	{place.LocalAppData, false, "Local AppData", `%USERPROFILE%\AppData\Local`},
	{place.LocalLowAppData, false, "{A520A1A4-1780-4FF6-BD18-167343C5AF16}", `%USERPROFILE%\AppData\LocalLow`},
	{place.PublicDocuments, true, "Common Documents", `%PUBLIC%\Documents`},
	{place.ProgramData, true, "Common AppData", `%PROGRAMDATA%`},
}

const explorer = `Software\Microsoft\Windows\CurrentVersion\Explorer\`

// OpenPrefix reads a prefix: the folder that holds drive_c. It returns an error
// that wraps ErrNoPrefix if it is none. A hive that is missing or broken is
// noted, and the usual places count.
func OpenPrefix(folder string) (*Prefix, error) {
	folder, err := filepath.Abs(folder)
	if err != nil {
		return nil, err
	}
	if info, err := os.Stat(filepath.Join(folder, "drive_c")); err != nil || !info.IsDir() {
		return nil, fmt.Errorf("%s: %w: it holds no drive_c; name the folder that holds drive_c and dosdevices", folder, ErrNoPrefix)
	}
	p := &Prefix{Folder: folder, Roots: place.Roots{}, Windows: map[place.Anchor]string{}}
	p.machine = p.hive("system.reg")
	p.user = p.hive("user.reg")
	p.findUser()
	p.root(place.PrefixDrive, `C:\`)
	p.root(place.Home, p.profile)
	for _, k := range knownFolders {
		p.root(k.anchor, p.knownFolder(k.everybody, k.value, k.byDefault))
	}
	return p, nil
}

func (p *Prefix) note(format string, args ...any) {
	p.Notes = append(p.Notes, fmt.Sprintf(format, args...))
}

func (p *Prefix) hive(name string) *hive.Hive {
	path := filepath.Join(p.Folder, name)
	info, err := os.Stat(path)
	var data []byte
	if err == nil && info.Size() > hive.MaxBytes {
		err = fmt.Errorf("it has %d bytes", info.Size())
	}
	if err == nil {
		data, err = os.ReadFile(path)
	}
	var h *hive.Hive
	if err == nil {
		h, err = hive.Parse(data)
	}
	if errors.Is(err, fs.ErrNotExist) {
		err = errors.New("it is not there")
	}
	if err != nil {
		p.note("%s could not be read (%v): the usual places are taken", name, err)
	}
	return h
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
			p.note("no user has a home inside")
			return
		case 1:
		default:
			p.note("several users have a home inside (%s); the first is taken", strings.Join(names, ", "))
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
	public, programData := `C:\users\Public`, `C:\ProgramData`
	if p.machine != nil {
		if v, ok := p.machine.Text(profileList, "Public"); ok {
			public = v
		}
		if v, ok := p.machine.Text(profileList, "ProgramData"); ok {
			programData = v
		}
	}
	for name, value := range map[string]string{"%USERPROFILE%": p.profile, "%PUBLIC%": public, "%PROGRAMDATA%": programData, "%ALLUSERSPROFILE%": programData, "%SYSTEMDRIVE%": "C:"} {
		if len(text) >= len(name) && strings.EqualFold(text[:len(name)], name) {
			if value == "" {
				return ""
			}
			text = value + text[len(name):]
		}
	}
	if strings.Contains(text, "%") {
		return ""
	}
	return text
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
		p.note("%s is %s inside, which is this machine's whole file system: it is left out", anchor, windows)
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
	at, err := filepath.EvalSymlinks(filepath.Join(p.Folder, "dosdevices", drive))
	if err != nil && drive == "c:" {
		at, err = filepath.EvalSymlinks(filepath.Join(p.Folder, "drive_c"))
	}
	if err != nil {
		return "", fmt.Errorf("there is no drive %s", strings.ToUpper(drive))
	}
	names := strings.FieldsFunc(windows[2:], func(r rune) bool { return r == '\\' || r == '/' })
	for i, name := range names {
		if name == "." || name == ".." {
			return "", fmt.Errorf("%q climbs", windows)
		}
		found, ok := anyCase(at, name)
		if !ok {
			return filepath.Join(append([]string{at}, names[i:]...)...), nil
		}
		if at, err = filepath.EvalSymlinks(filepath.Join(at, found)); err != nil {
			return "", fmt.Errorf("%q: %w", windows, err)
		}
	}
	return at, nil
}

// anyCase finds a name in a folder as it stands there: the same, else the first
// that differs in case alone. Asking for the name itself would not tell, where
// the file system takes any case.
func anyCase(folder, name string) (string, bool) {
	entries, err := os.ReadDir(folder)
	if err != nil {
		return "", false
	}
	i := slices.IndexFunc(entries, func(e os.DirEntry) bool { return e.Name() == name })
	if i < 0 {
		i = slices.IndexFunc(entries, func(e os.DirEntry) bool { return strings.EqualFold(e.Name(), name) })
	}
	if i < 0 {
		return "", false
	}
	return entries[i].Name(), true
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

// HasKey reports whether the registry holds a location's key, by its names
// below the anchor, and how many values it has.
func (p *Prefix) HasKey(names []string) (values int, found bool, err error) {
	if len(names) == 0 {
		return 0, false, errors.New("no key is named")
	}
	h := p.user
	if strings.EqualFold(names[0], "HKEY_LOCAL_MACHINE") {
		h = p.machine
	}
	if h == nil {
		return 0, false, errors.New("the prefix's registry could not be read")
	}
	path := strings.Join(names[1:], `\`)
	if k := h.Key(path); k != nil {
		return len(k.Values), true, nil
	}
	// A key that only has keys below it has no entry of its own.
	for i := range h.Keys {
		if len(h.Keys[i].Path) > len(path) && strings.EqualFold(h.Keys[i].Path[:len(path)], path) && h.Keys[i].Path[len(path)] == '\\' {
			return 0, true, nil
		}
	}
	return 0, false, nil
}
