// Package cloud is the stand-in launcher's cloud: it keeps copies of titles' files on a
// server, which is a folder, and puts them back at the launcher's start and at the game's.
// It makes the mistakes that launchers' clouds make.
//
//	c := cloud.Cloud{Home: launchers.QuaysideHome(home), Server: server}
//	asked, err := c.Sync("418820", nil)
package cloud

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"os"
	"path/filepath"
	"slices"
)

// Cloud is a launcher's cloud.
type Cloud struct {
	Home   string // the launcher's
	Server string // the folder that stands for the service
}

// Title is a title whose files are kept.
type Title struct {
	Ref    string
	Folder string // its files, with all below
	On     bool
}

// Set writes the launcher's settings: whether copies are kept at all, and for which titles.
func (c Cloud) Set(on bool, titles []Title) error {
	text := fmt.Sprintf("\"cloud\"\n{\n\t\"keep-copies\"\t\"%d\"\n\t\"titles\"\n\t{\n", digit(on))
	for _, t := range titles {
		text += fmt.Sprintf("\t\t%q { \"reference\" %q \"copies\" \"%d\" \"folder\" %q }\n", t.Ref, t.Ref, digit(t.On), t.Folder)
	}
	file := filepath.Join(c.Home, "settings", "cloud.qk")
	if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(file, []byte(text+"\t}\n}\n"), 0o644); err != nil {
		return err
	}
	data, err := json.Marshal(settings{on, titles})
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(c.Home, "cloud.json"), data, 0o644)
}

// settings are what Set was told, as the launcher itself keeps it.
type settings struct {
	On     bool
	Titles []Title
}

func digit(on bool) int {
	if on {
		return 1
	}
	return 0
}

func (c Cloud) settings() (s settings, err error) {
	data, err := os.ReadFile(filepath.Join(c.Home, "cloud.json"))
	if err == nil {
		err = json.Unmarshal(data, &s)
	}
	return s, err
}

// Choice is what a person answers where both sides were changed.
type Choice string

// The answers.
const (
	Local  Choice = "local"
	Remote Choice = "cloud"
)

// ErrAsked says that both sides were changed, and nobody answered.
var ErrAsked = errors.New("your files and the cloud's were both changed; which are to be kept?")

// side is the files of one side, each with its digest.
type side map[string]string

func read(folder string) (side, error) {
	out := side{}
	err := filepath.WalkDir(folder, func(path string, e fs.DirEntry, err error) error {
		if errors.Is(err, fs.ErrNotExist) && path == folder {
			return fs.SkipAll
		}
		if err != nil || e.IsDir() {
			return err
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		name, err := filepath.Rel(folder, path)
		sum := sha256.Sum256(data)
		out[filepath.ToSlash(name)] = hex.EncodeToString(sum[:])
		return err
	})
	return out, err
}

// Start is the launcher's start: every title whose copies are kept is brought up to date.
func (c Cloud) Start() error {
	s, err := c.settings()
	if err != nil || !s.On {
		return err
	}
	for _, t := range s.Titles {
		if t.On {
			if _, err := c.Sync(t.Ref, nil); err != nil {
				return err
			}
		}
	}
	return nil
}

// Sync brings a title's files and the cloud's together, and says what it did. Files that are
// gone here are put back: to the cloud, somebody has lost them. Where both sides were changed
// it asks.
func (c Cloud) Sync(ref string, ask func() Choice) (did string, err error) {
	s, err := c.settings()
	if err != nil {
		return "", err
	}
	i := slices.IndexFunc(s.Titles, func(t Title) bool { return t.Ref == ref })
	if !s.On || i < 0 || !s.Titles[i].On {
		return "off", nil
	}
	server := filepath.Join(c.Server, ref)
	here, err := read(s.Titles[i].Folder)
	if err != nil {
		return "", err
	}
	there, err := read(server)
	if err != nil {
		return "", err
	}
	last := side{}
	if data, err := os.ReadFile(filepath.Join(c.Home, "cloud-"+ref+".json")); err == nil {
		if err := json.Unmarshal(data, &last); err != nil {
			return "", err
		}
	}
	changedHere, changedThere := !maps.Equal(here, last) && len(here) > 0, !maps.Equal(there, last)
	did = "nothing"
	switch {
	case maps.Equal(here, there):
	case changedHere && changedThere && len(there) > 0:
		if ask == nil {
			return "", ErrAsked
		}
		if ask() == Remote {
			did, err = "put back", mirror(server, s.Titles[i].Folder)
		} else {
			did, err = "uploaded", mirror(s.Titles[i].Folder, server)
		}
	case len(here) == 0 || changedThere:
		did, err = "put back", mirror(server, s.Titles[i].Folder)
	default:
		did, err = "uploaded", mirror(s.Titles[i].Folder, server)
	}
	if err != nil {
		return "", err
	}
	now, err := read(server)
	if err != nil {
		return "", err
	}
	data, err := json.Marshal(now)
	if err != nil {
		return "", err
	}
	return did, os.WriteFile(filepath.Join(c.Home, "cloud-"+ref+".json"), data, 0o644)
}

// mirror makes one folder like another.
func mirror(from, to string) error {
	was, err := read(to)
	if err != nil {
		return err
	}
	is, err := read(from)
	if err != nil {
		return err
	}
	for name := range was {
		if _, stays := is[name]; !stays {
			if err := os.Remove(filepath.Join(to, name)); err != nil {
				return err
			}
		}
	}
	for name := range is {
		data, err := os.ReadFile(filepath.Join(from, name))
		if err != nil {
			return err
		}
		if err := os.MkdirAll(filepath.Dir(filepath.Join(to, name)), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(to, name), data, 0o644); err != nil {
			return err
		}
	}
	return nil
}
