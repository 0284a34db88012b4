package launchers

import (
	"encoding/json"
	"fmt"
	"os"
	"path/filepath"
	"regexp"
)

// Laid is a title as Quayside has it: what it laid out is known to it, all else in the
// folder is not. Its operations make the mistakes that launchers' operations make.
type Laid struct {
	Home string // of the person
	Ref  string
}

// laid is what the launcher keeps of a title beside its entry.
type laid struct {
	Name, Version, Folder string
	Files                 map[string]string
}

// Lay installs a title in a library.
func (l Laid) Lay(library, name, version, folder string, files map[string]string) error {
	if err := l.enter(library, laid{name, version, folder, files}); err != nil {
		return err
	}
	return tree(filepath.Join(library, "installed", folder), files)
}

// library is where the title is, and what is kept of it.
func (l Laid) library() (string, laid, error) {
	list, err := os.ReadFile(filepath.Join(QuaysideHome(l.Home), "settings", "libraries.qk"))
	if err != nil {
		return "", laid{}, err
	}
	for _, m := range regexp.MustCompile(`"path"\t("[^\n]*")`).FindAllStringSubmatch(string(list), -1) {
		var folder string
		if err := json.Unmarshal([]byte(m[1]), &folder); err != nil {
			return "", laid{}, err
		}
		data, err := os.ReadFile(filepath.Join(folder, "titles", l.Ref+".files"))
		if err != nil {
			continue
		}
		var x laid
		err = json.Unmarshal(data, &x)
		return folder, x, err
	}
	return "", laid{}, fmt.Errorf("no library has the title %s", l.Ref)
}

// Move moves a title to another library. To the launcher's own everything is moved; to any
// other only what it laid out is, and the rest is removed with the old folder.
func (l Laid) Move(to string) error {
	from, x, err := l.library()
	if err != nil || from == to {
		return err
	}
	old, now := filepath.Join(from, "installed", x.Folder), filepath.Join(to, "installed", x.Folder)
	if to == QuaysideHome(l.Home) {
		if err := os.CopyFS(now, os.DirFS(old)); err != nil {
			return err
		}
	}
	if err := l.remove(from, x); err != nil {
		return err
	}
	if to == QuaysideHome(l.Home) {
		return l.enter(to, x)
	}
	return l.Lay(to, x.Name, x.Version, x.Folder, x.Files)
}

// Uninstall removes a title, with all that is in its folder, and its prefix.
func (l Laid) Uninstall() error {
	from, x, err := l.library()
	if err != nil {
		return err
	}
	return l.remove(from, x)
}

func (l Laid) remove(library string, x laid) error {
	for _, name := range []string{
		filepath.Join("installed", x.Folder), filepath.Join("prefixes", l.Ref),
		filepath.Join("titles", l.Ref+".entry"), filepath.Join("titles", l.Ref+".files"),
	} {
		if err := os.RemoveAll(filepath.Join(library, name)); err != nil {
			return err
		}
	}
	return nil
}

// Reinstall removes a title and lays it out again.
func (l Laid) Reinstall() error {
	library, x, err := l.library()
	if err == nil {
		err = l.remove(library, x)
	}
	if err != nil {
		return err
	}
	return l.Lay(library, x.Name, x.Version, x.Folder, x.Files)
}

// Repair makes what it laid out what it was: settings that the game keeps in such a file
// are lost.
func (l Laid) Repair() error {
	library, x, err := l.library()
	if err != nil {
		return err
	}
	return tree(filepath.Join(library, "installed", x.Folder), x.Files)
}

// Rebuild makes a title's prefix again, without anything that was in it.
func (l Laid) Rebuild(prefix string) error {
	if err := os.RemoveAll(prefix); err != nil {
		return err
	}
	return tree(prefix, map[string]string{
		"system.reg": machineHive("player"), "user.reg": userHive, "drive_c/windows/.keep": "",
	})
}

func (l Laid) enter(library string, x laid) error {
	kept, err := json.Marshal(x)
	if err != nil {
		return err
	}
	return tree(library, map[string]string{
		"titles/" + l.Ref + ".entry": entry(l.Ref, x.Name, x.Version, x.Folder),
		"titles/" + l.Ref + ".files": string(kept),
	})
}
