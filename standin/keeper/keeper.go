// Package keeper is a stand-in game with as many ways to keep progress as there are plays:
// in two files of which both are needed, in either of two, in one that makes another again,
// on a server, in nothing at all. Each play has the truth, which only the tests know.
//
//	p, _ := keeper.Find("both")
//	state, err := p.Play(home)
package keeper

import (
	"cmp"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"endroit/core/proof"
)

// Refused is the state of a game that does not take its files.
const Refused = proof.Failed

// Location is one of a play's draft, with what an experiment has to find of it.
type Location struct {
	At, Holds string
	Want      proof.Result
	Enough    bool
}

// Play is one way to keep progress.
type Play struct {
	Name      string
	Says      string
	Locations []Location
	Aim       proof.Aim
	// Needed are the files that a search has to find: below the game's folder.
	Needed []string
	// Nothing says that nothing is kept on the machine.
	Nothing bool
	// Holds is what is proven; progress where it is empty.
	Holds string

	files func() map[string]string
	game  func(d dir) proof.Answer
}

// dir is the folder that the game keeps its files in.
type dir string

func (d dir) read(name string) string {
	data, err := os.ReadFile(filepath.Join(string(d), name))
	if err != nil {
		return ""
	}
	return string(data)
}

func (d dir) write(name, text string) {
	path := filepath.Join(string(d), name)
	_ = os.MkdirAll(filepath.Dir(path), 0o755)
	part := path + ".part"
	if os.WriteFile(part, []byte(text), 0o644) == nil {
		_ = os.Rename(part, path)
	}
}

// server is where the game's own service keeps things: in no place of the person's.
func (d dir) server() dir {
	return dir(filepath.Join(filepath.Dir(filepath.Dir(filepath.Dir(filepath.Dir(string(d))))), "server"))
}

// Folder is where the game keeps its files in a home.
func Folder(home string) string { return filepath.Join(home, ".local", "share", "keeper") }

// Prepare makes a home in which the game was played.
func (p Play) Prepare(home string) error {
	d := dir(Folder(home))
	for name, text := range p.files() {
		to := d
		if rest, online := strings.CutPrefix(name, "server:"); online {
			to, name = d.server(), rest
		}
		to.write(name, text)
		if to.read(name) != text {
			return fmt.Errorf("%s could not be written", name)
		}
	}
	past := time.Now().Add(-time.Hour)
	return filepath.WalkDir(string(d), func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		at := past
		if strings.Contains(path, "last") { // what was saved last
			at = past.Add(30 * time.Minute)
		}
		return os.Chtimes(path, at, at)
	})
}

// Play plays the game once, until it shows what it has, and gives what it shows.
func (p Play) Play(home string) proof.Answer {
	d := dir(Folder(home))
	_ = os.MkdirAll(string(d), 0o755)
	return p.game(d)
}

// Find is the play of a name.
func Find(name string) (Play, error) {
	i := slices.IndexFunc(All, func(p Play) bool { return p.Name == name })
	if i < 0 {
		return Play{}, errors.New("there is no such play: " + name)
	}
	return All[i], nil
}

func at(name, holds string, want proof.Result) Location {
	return Location{At: "xdg-data:keeper/" + name, Holds: holds, Want: want}
}

func enough(l Location) Location { l.Enough = true; return l }

func state(progress bool) proof.Answer {
	if progress {
		return proof.Progress
	}
	return proof.NewGame
}

// inFile is a game that keeps its progress in one file.
func inFile(name string) func(dir) proof.Answer {
	return func(d dir) proof.Answer {
		was := d.read(name)
		if was == "" {
			d.write(name, "level 1")
		}
		return state(was == "level 7")
	}
}

func files(pairs ...string) func() map[string]string {
	return func() map[string]string {
		out := map[string]string{}
		for i := 0; i < len(pairs); i += 2 {
			out[pairs[i]] = pairs[i+1]
		}
		return out
	}
}

// numbered are many files alike.
func numbered(n int, more ...string) func() map[string]string {
	return func() map[string]string {
		out := files(more...)()
		for i := range n {
			out[fmt.Sprintf("world/region%02d.dat", i)] = fmt.Sprint("region ", i)
		}
		return out
	}
}

const (
	save   = "save"
	config = "config"
)

// All are the plays.
var All = []Play{
	{
		Name: "one", Says: "progress in one file", Locations: []Location{at("hero.sav", save, proof.Needed)},
		files: files("hero.sav", "level 7"),
		game:  inFile("hero.sav"),
	},
	{
		Name: "both", Says: "progress in two files of which both are needed",
		Locations: []Location{at("purse", save, proof.NotEnough), at("map", save, proof.NotEnough)},
		files:     files("purse", "gold 7", "map", "here"),
		game: func(d dir) proof.Answer {
			purse, place := d.read("purse"), d.read("map")
			if purse == "" || place == "" {
				d.write("purse", "gold 0")
				d.write("map", "start")
			}
			return state(purse == "gold 7" && place == "here")
		},
	},
	{
		Name: "either", Says: "either of two files suffices",
		Locations: []Location{enough(at("a.sav", save, proof.NotNeeded)), enough(at("b.sav", save, proof.NotNeeded))},
		files:     files("a.sav", "level 7", "b.sav", "level 7"),
		game: func(d dir) proof.Answer {
			best := max(d.read("a.sav"), d.read("b.sav"))
			if best == "" {
				best = "level 1"
			}
			d.write("a.sav", best)
			d.write("b.sav", best)
			return state(best == "level 7")
		},
	},
	{
		Name: "again", Says: "a file that is made again from another",
		Locations: []Location{at("hero.sav", save, proof.Needed), at("hero.idx", save, proof.NotNeeded)},
		files:     files("hero.sav", "level 7", "hero.idx", "index of level 7"),
		game: func(d dir) proof.Answer {
			was := d.read("hero.sav")
			d.read("hero.idx")
			if was == "" {
				was = "level 1"
				d.write("hero.sav", was)
			}
			d.write("hero.idx", "index of "+was)
			return state(was == "level 7")
		},
	},
	{
		Name: "online", Says: "a save that an online part brings back",
		Locations: []Location{at("hero.sav", save, proof.NotNeeded)},
		files:     files("hero.sav", "level 7", "server:hero", "level 7"),
		game: func(d dir) proof.Answer {
			was := d.read("hero.sav")
			if was == "" {
				was = d.server().read("hero")
				d.write("hero.sav", was)
			}
			return state(was == "level 7")
		},
	},
	{
		Name: "looks", Says: "settings that look like progress",
		Locations: []Location{at("profile.sav", save, proof.NotNeeded), at("world.dat", save, proof.Needed)},
		files:     files("profile.sav", "volume 30", "world.dat", "level 7"),
		game: func(d dir) proof.Answer {
			if d.read("profile.sav") == "" {
				d.write("profile.sav", "volume 100")
			}
			was := d.read("world.dat")
			if was == "" {
				d.write("world.dat", "level 1")
			}
			return state(was == "level 7")
		},
	},
	{
		Name: "settings", Says: "settings, and nothing else is asked for", Holds: config,
		Locations: []Location{at("options.ini", config, proof.Needed)},
		files:     files("options.ini", "volume 30", "hero.sav", "level 7"),
		game: func(d dir) proof.Answer {
			was := d.read("options.ini")
			if was == "" {
				d.write("options.ini", "volume 100")
			}
			return state(was == "volume 30")
		},
	},
	{
		Name: "older", Says: "a game that refuses its files where a version was raised meanwhile",
		Locations: []Location{at("hero.sav", save, proof.Undecided)},
		files:     files("hero.sav", "v1 level 7", "server:version", "v1"),
		game: func(d dir) proof.Answer {
			was := d.read("hero.sav")
			if was == "" { // a new game, which the service notes as of the newer version
				d.server().write("version", "v2")
				d.write("hero.sav", "v2 level 1")
				return proof.NewGame
			}
			if !strings.HasPrefix(was, d.server().read("version")) {
				return Refused
			}
			return state(was == "v1 level 7")
		},
	},
	{
		Name: "times", Says: "a game that takes its file only with the time that it noted",
		Locations: []Location{at("hero.sav", save, proof.NotEnough), at("noted", save, proof.NotEnough)},
		files:     files("hero.sav", "level 7", "noted", ""),
		game: func(d dir) proof.Answer {
			info, err := os.Stat(filepath.Join(string(d), "hero.sav"))
			noted := d.read("noted")
			if err == nil && noted == "" && d.read("first") == "" { // it was prepared just now
				d.write("first", "done")
				d.write("noted", info.ModTime().UTC().Format(time.RFC3339Nano))
				return proof.Progress
			}
			if err != nil || noted != info.ModTime().UTC().Format(time.RFC3339Nano) {
				d.write("hero.sav", "level 1")
				return proof.NewGame
			}
			return state(d.read("hero.sav") == "level 7")
		},
	},
	{
		Name: "kinds", Says: "progress of two kinds, each in a file of its own",
		Locations: []Location{at("slot1.sav", save, proof.Needed), at("records.dat", save, proof.Needed)},
		files:     files("slot1.sav", "level 7", "records.dat", "12 of 40"),
		game: func(d dir) proof.Answer {
			level, records := d.read("slot1.sav") == "level 7", d.read("records.dat") == "12 of 40"
			if !records {
				d.write("records.dat", "0 of 40")
			}
			if level != records {
				return proof.Part
			}
			return state(level)
		},
	},
	{
		Name: "loaded", Says: "a save of its own name, which the game reads when somebody loads it, beside one with which it goes on",
		Locations: []Location{at("auto.sav", save, proof.Needed), at("harbour.sav", save, proof.Undecided)},
		files:     files("auto.sav", "level 7", "harbour.sav", "level 6"),
		game: func(d dir) proof.Answer {
			_, _ = os.ReadDir(string(d)) // what could be loaded is listed, and nobody loads it
			going := d.read("auto.sav") == "level 7"
			d.write("auto.sav", map[bool]string{true: "level 7", false: "level 1"}[going])
			return state(going)
		},
	},
	{
		Name: "renamed", Says: "a save that the game renames, reads by that name and writes as it ends",
		Locations: []Location{at("auto.sav", save, proof.Needed)},
		files:     files("auto.sav", "level 7"),
		game: func(d dir) proof.Answer {
			_ = os.Rename(filepath.Join(string(d), "auto.sav"), filepath.Join(string(d), "loading.tmp"))
			was := d.read("loading.tmp")
			_ = os.Remove(filepath.Join(string(d), "loading.tmp"))
			d.write("auto.sav", cmp.Or(was, "level 1"))
			return state(was == "level 7")
		},
	},
	{
		Name: "links", Says: "a number of links that has to hold",
		Locations: []Location{at("slots/", save, proof.Needed)},
		files:     files("slots/one.sav", "level 7", "slots/two.sav", "level 3"),
		game: func(d dir) proof.Answer {
			list, _ := os.ReadDir(filepath.Join(string(d), "slots"))
			was := d.read("slots/one.sav")
			if was == "" {
				d.write("slots/one.sav", "level 1")
			}
			return state(was == "level 7" && len(list) == 2)
		},
	},
	{
		Name: "nothing", Says: "nothing local at all", Aim: proof.Nothing, Nothing: true,
		files: files("session", "abc", "profile", "level 7", "server:hero", "level 7"),
		game: func(d dir) proof.Answer {
			d.read("session")
			d.write("session", "new "+d.read("session")[:min(3, len(d.read("session")))])
			d.write("profile", d.server().read("hero"))
			return state(d.server().read("hero") == "level 7")
		},
	},
	{
		Name: "search", Says: "one of forty files, which it reads at its start", Aim: proof.Which, Needed: []string{"world/last.dat"},
		Locations: []Location{at("world/", save, "")}, files: numbered(39, "world/last.dat", "level 7"),
		game: inFile("world/last.dat"),
	},
	{
		Name: "search-two", Says: "two of forty files, of one save", Aim: proof.Which, Needed: []string{"world/last.dat", "world/last.idx"},
		Locations: []Location{at("world/", save, "")}, files: numbered(38, "world/last.dat", "level 7", "world/last.idx", "7"),
		game: func(d dir) proof.Answer {
			was, index := d.read("world/last.dat"), d.read("world/last.idx")
			if was == "" {
				d.write("world/last.dat", "level 1")
			}
			return state(was == "level 7" && index == "7")
		},
	},
	{
		Name: "search-old", Says: "one of thirty files, which was not written last", Aim: proof.Which, Needed: []string{"world/region11.dat"},
		Locations: []Location{at("world/", save, "")}, files: numbered(29, "world/last.dat", "a picture"),
		game: func(d dir) proof.Answer {
			for i := range 29 {
				d.read(fmt.Sprintf("world/region%02d.dat", i))
			}
			return state(d.read("world/region11.dat") == "region 11")
		},
	},
	{
		Name: "search-far", Says: "two of twenty-four files, far apart", Aim: proof.Which,
		Needed: []string{"world/region02.dat", "world/region19.dat"}, Locations: []Location{at("world/", save, "")},
		files: numbered(23, "world/last.dat", "a picture"),
		game: func(d dir) proof.Answer {
			d.read("world/last.dat")
			return state(d.read("world/region02.dat") == "region 2" && d.read("world/region19.dat") == "region 19")
		},
	},
	{
		Name: "search-copy", Says: "one of twenty files, of which a copy was made later", Aim: proof.Which, Needed: []string{"world/main.dat"},
		Locations: []Location{at("world/", save, "")}, files: numbered(18, "world/last.bak", "level 7", "world/main.dat", "level 7"),
		game: func(d dir) proof.Answer {
			for i := range 18 {
				d.read(fmt.Sprintf("world/region%02d.dat", i))
			}
			d.read("world/last.bak")
			return state(d.read("world/main.dat") == "level 7")
		},
	},
	{
		Name: "search-backup", Says: "one of twenty files, with a backup that is as good", Aim: proof.Which, Needed: []string{"world/last.dat"},
		Locations: []Location{at("world/", save, "")}, files: numbered(18, "world/last.dat", "level 7", "world/backup", "level 7"),
		game: func(d dir) proof.Answer {
			was := d.read("world/last.dat")
			if was == "" {
				was = d.read("world/backup")
			}
			return state(was == "level 7")
		},
	},
}
