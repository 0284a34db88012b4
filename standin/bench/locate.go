//go:build linux

package main

import (
	"context"
	"encoding/json"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"endroit/core/draft"
	"endroit/core/manifest"
	"endroit/core/record"
	"endroit/core/sheet"
	"endroit/core/standing"
	"endroit/core/trace"
	"endroit/localmanifest"
	"endroit/published/publishedtest"
	"endroit/standin/launchers"
)

// The machine that everything is located on.
const (
	homeFiles     = 300_000
	nativeCopies  = 320
	prefixCopies  = 80 // each with a prefix of its own
	slotsOfTitle  = 12
	locateLimit   = 2.0 // to reading the folders of the answer
	locateMemory  = 300 // MB
	locateRounds  = 21  // at least: a round is short
	otherPrograms = 300 // that have folders where titles have theirs
)

// manifestSizes are how many titles the manifest has, three locations each.
var manifestSizes = []int{1_000, 10_000, 100_000}

// spread is how far the numbers of installed titles are apart: they stand all over
// a manifest, whatever its size.
const spread = 250

func titleNumber(edition int) int { return edition * spread }

// titleNumbers are the numbers of a manifest's titles: those that are installed
// and so many others.
func titleNumbers(titles int) (numbers []int) {
	for e := range nativeCopies + prefixCopies {
		numbers = append(numbers, titleNumber(e))
	}
	for n := 0; len(numbers) < titles; n++ {
		if n%spread != 0 {
			numbers = append(numbers, n)
		}
	}
	slices.Sort(numbers) // as a manifest has them
	return numbers
}

func titleName(n int) string { return fmt.Sprintf("Made Up Title %06d", n) }

func inPrefix(edition int) bool { return edition >= nativeCopies }

// locations are a title's three.
func locations(n int, windows bool) []draft.Location {
	name := titleName(n)
	if windows {
		return []draft.Location{
			{At: "saved-games:" + name + "/slot{slot}.sav", Holds: draft.Save},
			{At: "local-app-data:" + name + "/settings.ini", Holds: draft.Config},
			{At: "roaming-app-data:" + name + "/profile.bin", Holds: draft.Save},
		}
	}
	id := manifest.Plain(name)
	return []draft.Location{
		{At: "xdg-data:" + id + "/slots/slot{slot}.sav", Holds: draft.Save},
		{At: "xdg-config:" + id + "/settings.ini", Holds: draft.Config},
		{At: "xdg-data:" + id + "/profile.bin", Holds: draft.Save},
	}
}

// keepManifest makes a manifest of a size and keeps it in a home, without its
// index.
func keepManifest(home, size string) error {
	titles, err := strconv.Atoi(size)
	if err != nil {
		return err
	}
	windows := map[int]bool{}
	for e := nativeCopies; e < nativeCopies+prefixCopies; e++ {
		windows[titleNumber(e)] = true
	}
	var all []manifest.Title
	seen := standing.Evidence{Contribution: 1, Person: "mira", Accepted: time.Now(), Observer: "seccomp"}
	for _, n := range titleNumbers(titles) {
		d := &draft.Draft{
			Title:     titleName(n),
			Edition:   &trace.Edition{Store: "quayside", Ref: fmt.Sprint(1_000_000 + n)},
			Launcher:  "quayside",
			OS:        "linux",
			Runtime:   "native",
			Locations: locations(n, windows[n]),
		}
		if windows[n] {
			d.Runtime = "prefix"
		}
		t, err := (&record.Title{ID: publishedtest.ID(d.Title), Name: d.Title}).Observe(d, seen)
		if err != nil {
			return err
		}
		published, _ := t.Published(time.Now())
		all = append(all, published)
	}
	quayside, err := sheet.Parse(launchers.QuaysideSheet)
	if err != nil {
		return err
	}
	launcher, err := (*record.Sheet)(nil).Try(quayside, seen)
	if err != nil {
		return err
	}
	news, err := publishedtest.News(1, all, []manifest.Sheet{launcher.Published(time.Now())})
	if err != nil {
		return err
	}
	folder := filepath.Join(home, ".local", "share", "endroit", "manifest")
	if err := os.RemoveAll(folder); err != nil {
		return err
	}
	_, err = localmanifest.Fetch(context.Background(), folder, news, localmanifest.Options{})
	return err
}

// layOut makes a home with its files, and a launcher with its copies.
func layOut(home string) error {
	written := 0
	file := func(name, text string) error {
		written++
		name = filepath.Join(home, name)
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			return err
		}
		return os.WriteFile(name, []byte(text), 0o644)
	}
	hive := "WINE REGISTRY Version 2\n;; All keys relative to REGISTRY\\\\Machine\n\n" + strings.Repeat(
		"[Software\\\\Classes\\\\Interface\\\\{00000000-0000-0000-C000-000000000046}] 1795576273\n"+
			"#time=1dc5d3a\n@=\"IUnknown\"\n\"Threading\"=\"Both\"\n\n",
		20_000,
	) +
		"[Software\\\\Microsoft\\\\Windows NT\\\\CurrentVersion\\\\ProfileList\\\\S-1-5-21-0-0-0-1000] 1795576273\n" +
		"\"ProfileImagePath\"=\"C:\\\\users\\\\player\"\n"
	const top = ".local/share/quayside/"
	for e := range nativeCopies + prefixCopies {
		n := titleNumber(e)
		ref := fmt.Sprint(1_000_000 + n)
		files := map[string]string{
			top + "titles/" + ref + ".entry": fmt.Sprintf(
				"\"entry\"\n{\n\t\"reference\"\t%q\n\t\"name\"\t%q\n\t\"version\"\t\"1.0\"\n\t\"folder\"\t%q\n}\n",
				ref, titleName(n), ref,
			),
			top + "installed/" + ref + "/game.bin": "game",
		}
		roots := map[string]string{"xdg-data": ".local/share", "xdg-config": ".config"}
		if inPrefix(e) {
			prefix := top + "prefixes/" + ref
			user := prefix + "/drive_c/users/player/"
			roots = map[string]string{
				"saved-games":      user + "Saved Games",
				"local-app-data":   user + "AppData/Local",
				"roaming-app-data": user + "AppData/Roaming",
			}
			files[prefix+"/system.reg"] = hive
			files[prefix+"/user.reg"] = "WINE REGISTRY Version 2\n;; All keys relative to REGISTRY\\\\User\\\\S-1-5-21-0-0-0-1000\n\n"
		}
		for _, l := range locations(n, inPrefix(e)) {
			anchor, rest, _ := strings.Cut(l.At, ":")
			for slot := range slotsOfTitle {
				files[roots[anchor]+"/"+strings.ReplaceAll(rest, "{slot}", fmt.Sprint(slot))] = "a save"
			}
		}
		for name, text := range files {
			if err := file(name, text); err != nil {
				return err
			}
		}
	}
	for i := range otherPrograms {
		for _, name := range []string{".local/share/program%d/state", ".config/program%d/settings", ".cache/program%d/cached"} {
			if err := file(fmt.Sprintf(name, i), "x"); err != nil {
				return err
			}
		}
	}
	const each = 500
	for i := 0; written < homeFiles; i++ {
		folder := filepath.Join(home, "Pictures", fmt.Sprint("folder", i))
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return err
		}
		for j := range min(each, homeFiles-written) {
			if err := os.WriteFile(filepath.Join(folder, fmt.Sprint("picture", j, ".png")), nil, 0o644); err != nil {
				return err
			}
			written++
		}
	}
	return nil
}

// answer is what of locate's answer counts here.
type answer struct {
	Titles []struct {
		Variants []struct {
			Locations []struct {
				Files []struct {
					Path string `json:"path"`
				} `json:"files"`
			} `json:"locations"`
		} `json:"variants"`
	} `json:"titles"`
}

// folders are those that the answer lists, and how many files it has.
func (a answer) folders() (list []string, files int) {
	for _, t := range a.Titles {
		for _, v := range t.Variants {
			for _, l := range v.Locations {
				files += len(l.Files)
				for _, f := range l.Files {
					list = append(list, filepath.Dir(f.Path))
				}
			}
		}
	}
	slices.Sort(list)
	return slices.Compact(list), files
}

// readFolders reads just the folders whose names are in a file: each file's size
// and time.
func readFolders(list string) error {
	text, err := os.ReadFile(list)
	if err != nil {
		return err
	}
	for _, folder := range strings.Split(strings.TrimSpace(string(text)), "\n") {
		entries, err := os.ReadDir(folder)
		if err != nil {
			return err
		}
		for _, e := range entries {
			if _, err := e.Info(); err != nil {
				return err
			}
		}
	}
	return nil
}

// measure runs a command and gives its time and its memory in bytes.
func measure(home string, command ...string) (time.Duration, int64, []byte, error) {
	c := exec.Command(command[0], command[1:]...)
	c.Env = []string{"HOME=" + home, "PATH=" + os.Getenv("PATH")}
	start := time.Now()
	out, err := c.Output()
	if err != nil {
		return 0, 0, nil, fmt.Errorf("%s: %w", strings.Join(command, " "), err)
	}
	return time.Since(start), c.ProcessState.SysUsage().(*syscall.Rusage).Maxrss << 10, out, nil
}

// locateAll measures locating everything that is present, as a ratio to reading
// the folders that the answer lists.
func locateAll(programs string, rounds int) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	endroit, err := filepath.Abs(filepath.Join(programs, "endroit"))
	if err != nil {
		return err
	}
	fmt.Printf(
		"\nendroit locate --all, %d installed editions, %d of them in prefixes, a home of %d files\n\n",
		nativeCopies+prefixCopies, prefixCopies, homeFiles,
	)
	fmt.Printf(
		"%-18s %10s %12s %10s %8s %8s %10s %12s\n", "titles", "files", "those read", "located", "ratio",
		"limit", "memory", "first run",
	)
	home, err := os.MkdirTemp("", "endroit-bench-home-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(home)
	if err := layOut(home); err != nil {
		return err
	}
	for _, titles := range manifestSizes {
		if err := locateAmong(self, endroit, home, titles, rounds); err != nil {
			return err
		}
	}
	fmt.Printf("\nlimit of memory: %d MB\n", locateMemory)
	return nil
}

func locateAmong(self, endroit, home string, titles, rounds int) error {
	// In a process of its own: one that a large process starts counts as large.
	if _, _, _, err := measure(home, self, "keep", home, strconv.Itoa(titles)); err != nil {
		return err
	}
	syscall.Sync() // writing it to the disk would go on while others are measured
	// The first run reads the hives of the prefixes; what matters of them is
	// remembered.
	if err := os.RemoveAll(filepath.Join(home, ".cache", "endroit")); err != nil {
		return err
	}
	first, _, out, err := measure(home, endroit, "locate", "--all", "--json")
	if err != nil {
		return err
	}
	var a answer
	if err := json.Unmarshal(out, &a); err != nil {
		return err
	}
	folders, files := a.folders()
	if want := (nativeCopies + prefixCopies) * (slotsOfTitle + 2); files != want {
		return fmt.Errorf("%d files were located among %d titles; %d are there", files, titles, want)
	}
	list := filepath.Join(home, "folders")
	if err := os.WriteFile(list, []byte(strings.Join(folders, "\n")), 0o600); err != nil {
		return err
	}
	var plain, located []time.Duration
	memory := int64(0)
	for range max(rounds, locateRounds) {
		took, most, _, err := measure(home, endroit, "locate", "--all")
		if err != nil {
			return err
		}
		located, memory = append(located, took), max(memory, most)
		if took, _, _, err = measure(home, self, "folders", list); err != nil {
			return err
		}
		plain = append(plain, took)
	}
	ratio := float64(median(located)) / float64(median(plain))
	fmt.Printf(
		"%-18d %10d %12s %10s %8.2f %8.2f %7d MB %12s\n", titles, files,
		median(plain).Round(100*time.Microsecond), median(located).Round(100*time.Microsecond), ratio,
		locateLimit, memory/1_000_000, first.Round(time.Millisecond),
	)
	return nil
}
