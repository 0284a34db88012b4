//go:build linux

package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"syscall"
	"time"
)

// The title whose files are copied, and the limits.
const (
	copiedFiles   = 20_000
	copiedBytes   = 100_000 // of each: 2 GB together
	copiedFolders = 200
	changedShare  = 100 // one file in so many changes
	copyLimit     = 1.2 // to cp -a and a pass of sha256sum
	againLimit    = 0.1 // of the first copy
	putbackLimit  = 1.3 // to cp -a
	copyMemory    = 200 // MB
	copyAllLimit  = 3.0 // to locate --all
)

const copiedDraft = `format: endroit/draft/1
title: Tarn
os: linux
runtime: native
locations:
  - at: xdg-data:tarn/
    holds: save
    seen: ["xdg-data:tarn/keepers/Anna.sav (new, 9 B)"]
`

// copiesOfMany measures copying and putting back as ratios to what ordinary tools take in the
// same run. Caches are warm on both sides.
func copiesOfMany(programs string, rounds int) error {
	endroit, err := filepath.Abs(filepath.Join(programs, "endroit"))
	if err != nil {
		return err
	}
	folder, err := os.MkdirTemp("", "endroit-bench-copies-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	home := filepath.Join(folder, "home")
	game := filepath.Join(home, ".local", "share", "tarn")
	draftFile := filepath.Join(folder, "tarn.draft.yaml")
	if err := os.MkdirAll(game, 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(draftFile, []byte(copiedDraft), 0o600); err != nil {
		return err
	}
	if err := playFiles(game, 0, copiedFiles, copiedBytes); err != nil {
		return err
	}
	b := copyBench{endroit, folder, home, game, draftFile}
	fmt.Printf("\nCopies of %d files, %.1f GB; medians of %d rounds, caches warm\n\n", copiedFiles, copiedFiles*copiedBytes/1e9, rounds)
	fmt.Printf("%-44s %12s %12s %8s %8s %10s\n", "", "tools", "endroit", "ratio", "limit", "memory")
	if err := b.run(rounds); err != nil {
		return err
	}
	return b.noticed(rounds)
}

// noticeLimit is within what time a save of 10 MB is noticed and copied.
const (
	noticeLimit = 2.0 // s
	noticeBytes = 10_000_000
)

// noticed measures how long after a save of 10 MB has ended its copy is whole.
func (b copyBench) noticed(rounds int) error {
	if err := os.RemoveAll(b.game); err != nil {
		return err
	}
	if err := os.MkdirAll(b.game, 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(b.game, "first.dat"), []byte("first"), 0o644); err != nil {
		return err
	}
	to := filepath.Join(b.folder, "kept")
	keep := exec.Command(b.endroit, "keep", b.draft, "--to", to)
	keep.Env = []string{"HOME=" + b.home, "PATH=" + os.Getenv("PATH")}
	if err := keep.Start(); err != nil {
		return err
	}
	defer func() {
		_ = keep.Process.Signal(os.Interrupt)
		_ = keep.Wait()
	}()
	copied := func(name string) error {
		for range 20_000 {
			if found, _ := filepath.Glob(filepath.Join(to, "Tarn", "*", "xdg-data", "tarn", name)); len(found) > 0 {
				return nil
			}
			time.Sleep(time.Millisecond)
		}
		return errors.New("keep took no copy")
	}
	if err := copied("first.dat"); err != nil {
		return err
	}
	var took []time.Duration
	for i := range rounds {
		name := fmt.Sprintf("save%d.dat", i)
		if err := os.WriteFile(filepath.Join(b.game, name), make([]byte, noticeBytes), 0o644); err != nil {
			return err
		}
		saved := time.Now()
		if err := copied(name); err != nil {
			return err
		}
		took = append(took, time.Since(saved))
	}
	fmt.Printf("\nFrom a save of 10 MB to its finished copy, by keep: %.2f s (limit: %.1f)\n", median(took).Seconds(), noticeLimit)
	return nil
}

// copyAllUnchanged measures copying all titles where nothing has changed, as a ratio to
// locating them.
func copyAllUnchanged(programs string) error {
	self, err := os.Executable()
	if err != nil {
		return err
	}
	endroit, err := filepath.Abs(filepath.Join(programs, "endroit"))
	if err != nil {
		return err
	}
	home, err := os.MkdirTemp("", "endroit-bench-home-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(home)
	if err := layOut(home); err != nil {
		return err
	}
	if _, _, _, err := measure(home, self, "keep", home, "10000"); err != nil {
		return err
	}
	for range 2 { // the first copies, and then all is known
		if _, _, _, err := measure(home, endroit, "copy", "--all"); err != nil {
			return err
		}
		time.Sleep(4 * time.Second)
	}
	var located, copied []time.Duration
	var memory int64
	for range 9 {
		d, _, _, err := measure(home, endroit, "locate", "--all")
		if err != nil {
			return err
		}
		located = append(located, d)
		d, used, _, err := measure(home, endroit, "copy", "--all")
		if err != nil {
			return err
		}
		copied, memory = append(copied, d), max(memory, used)
	}
	fmt.Printf(
		"\ncopy --all with nothing changed, %d titles of 10,000: %.0f ms; locate --all %.0f ms; ratio %.2f (limit: %.1f), %d MB\n",
		nativeCopies+prefixCopies, median(copied).Seconds()*1000, median(located).Seconds()*1000,
		ratio(copied, located), copyAllLimit, memory>>20,
	)
	return nil
}

func playFiles(game string, from, n, size int) error {
	data := make([]byte, size)
	source := rand.NewPCG(uint64(from), uint64(time.Now().UnixNano()))
	for i := from; i < from+n; i++ {
		for j := 0; j+8 <= len(data); j += 8 {
			v := source.Uint64()
			for k := range 8 {
				data[j+k] = byte(v >> (8 * k))
			}
		}
		name := filepath.Join(game, fmt.Sprintf("region%d", i%copiedFolders), fmt.Sprintf("r.%d.dat", i))
		if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
			return err
		}
		if err := os.WriteFile(name, data, 0o644); err != nil {
			return err
		}
	}
	return nil
}

type copyBench struct{ endroit, folder, home, game, draft string }

// shell runs a command line and gives its time.
func (b copyBench) shell(line string) (time.Duration, error) {
	syscall.Sync() // what others wrote is not to be waited for
	d, _, _, err := measure(b.home, "sh", "-c", line)
	return d, err
}

func (b copyBench) run(rounds int) error {
	type row struct {
		name   string
		limit  float64
		tools  []time.Duration
		own    []time.Duration
		memory int64
	}
	first, synced := &row{name: "a first copy: cp -a and sha256sum", limit: copyLimit}, &row{name: "the same, cp -a with sync -f"}
	second := &row{name: "a copy after 1 % changed: the first", limit: againLimit}
	back, backSynced := &row{name: "putting back: cp -a", limit: putbackLimit}, &row{name: "the same, cp -a with sync -f"}
	over, overSynced := &row{name: "putting back over other files: cp -a", limit: putbackLimit}, &row{name: "the same, cp -a with sync -f"}
	plain := filepath.Join(b.folder, "plain")
	copyTools := fmt.Sprintf("cp -a %s %s && find %s -type f -print0 | xargs -0 sha256sum >/dev/null", b.game, plain, b.game)
	agreed := []string{"--yes", "--although", "wide", "--although", "observed", "--although", "newer", "--draft", b.draft, "--json"}
	for round := range rounds {
		to := filepath.Join(b.folder, "copies"+strconv.Itoa(round))
		seen := filepath.Join(b.home, ".local", "share", "endroit", "seen-files.json")
		_ = os.Remove(seen)
		own := func(r *row, args ...string) ([]byte, error) {
			syscall.Sync()
			d, memory, out, err := measure(b.home, append([]string{b.endroit}, args...)...)
			r.own, r.memory = append(r.own, d), max(r.memory, memory)
			return out, err
		}
		tools := func(r *row, line string) error {
			d, err := b.shell(line)
			r.tools = append(r.tools, d)
			return err
		}
		if err := tools(first, copyTools); err != nil {
			return err
		}
		_ = os.RemoveAll(plain)
		if err := tools(synced, copyTools+" && sync -f "+plain); err != nil {
			return err
		}
		out, err := own(first, "copy", b.draft, "--to", to, "--yes", "--json")
		if err != nil {
			return err
		}
		synced.own = first.own
		var taken struct{ Copies []struct{ ID, Path string } }
		if err := json.Unmarshal(out, &taken); err != nil {
			return err
		}
		// What changes, and that all else is old enough to be known without reading.
		time.Sleep(4 * time.Second)
		if err := playFiles(b.game, round*copiedFiles/changedShare%copiedFiles, copiedFiles/changedShare, copiedBytes); err != nil {
			return err
		}
		time.Sleep(1200 * time.Millisecond) // what changed within the last second is waited for
		if _, err := own(second, "copy", b.draft, "--to", to, "--yes", "--json"); err != nil {
			return err
		}
		second.tools = first.own
		// Back into an emptied folder, and over other contents of the same sizes.
		for _, x := range []struct{ plain, synced *row }{{back, backSynced}, {over, overSynced}} {
			empty := func() error { return nil }
			if x.plain == back {
				empty = func() error {
					err := os.RemoveAll(b.game)
					return err
				}
			} else if err := playFiles(b.game, 0, copiedFiles, copiedBytes); err != nil {
				return err
			}
			for _, line := range []struct {
				r    *row
				text string
			}{{x.plain, ""}, {x.synced, " && sync -f " + b.game}} {
				if err := empty(); err != nil {
					return err
				}
				if err := tools(line.r, fmt.Sprintf("mkdir -p %s && cp -a %s/. %s%s", b.game, plain, b.game, line.text)); err != nil {
					return err
				}
			}
			if x.plain == back {
				if err := os.RemoveAll(b.game); err != nil {
					return err
				}
			} else if err := playFiles(b.game, 0, copiedFiles, copiedBytes); err != nil {
				return err
			}
			if _, err := own(x.plain, append([]string{"putback", taken.Copies[0].ID}, agreed...)...); err != nil {
				return err
			}
			x.synced.own = x.plain.own
		}
		_ = os.RemoveAll(plain)
		_ = os.RemoveAll(to)
		_ = os.RemoveAll(filepath.Join(b.home, ".local", "share", "endroit"))
	}
	for _, r := range []*row{first, synced, second, back, backSynced, over, overSynced} {
		limit, memory := "", ""
		if r.limit > 0 {
			limit, memory = fmt.Sprintf("%.2f", r.limit), fmt.Sprintf("%d MB", r.memory>>20)
		}
		fmt.Printf(
			"%-44s %10.2f s %10.2f s %8.2f %8s %10s\n", r.name, median(r.tools).Seconds(), median(r.own).Seconds(),
			ratio(r.own, r.tools), limit, memory,
		)
	}
	fmt.Printf("\nlimit of memory: %d MB. endroit brings what it writes onto the disk, cp does not\n", copyMemory)
	return nil
}
