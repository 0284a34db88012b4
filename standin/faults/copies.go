//go:build linux

package main

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"endroit/core/hive"
	"endroit/core/regtext"
	"endroit/registry"
	"errors"
	"fmt"
	"io/fs"
	"maps"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// Copies are played on a title of one's own draft: each round the game changes its files,
// or not, one command changes them too and is killed at a random moment, or meets a disk
// that fails. Afterwards each file has one of the two contents that it may have, and after
// the next start all files together are those before, or those after.

// copyGround is a person's home with a title in it.
type copyGround struct {
	programs, folder, home, game string
	prefixes                     [2]string
	faulty                       *faulty
	spent                        map[string]time.Duration // by each command, the last time that it was left alone
	disturbances                 int                      // kills, and disks that failed
	Seen                         map[string]int           // what was seen, for the report
}

// tarnDraft is the draft of the title.
const tarnDraft = `format: endroit/draft/1
title: Tarn
os: linux
runtime: native
locations:
  - at: xdg-data:tarn/
    holds: save
    seen: ["xdg-data:tarn/keepers/Anna.sav (new, 9 B)"]
  - at: xdg-config:tarn/tarn.ini
    holds: config
`

// windowsDraft is that of its build for Windows, which is here in two prefixes.
const windowsDraft = `format: endroit/draft/1
title: Tarn
os: windows
runtime: native
locations:
  - at: roaming-app-data:Tarn/
    holds: save
  - at: registry:HKEY_CURRENT_USER/Software/Tarn/
    holds: config
`

// files by their paths below the home, each with its digest.
type content map[string]string

// RunCopies kills so often, half of the rounds on a file system that fails too where one can
// be mounted, and reports what was seen. The error says what was wrong.
func RunCopies(ctx context.Context, programs string, kills int) (map[string]int, error) {
	programs, err := filepath.Abs(programs)
	if err != nil {
		return nil, err
	}
	total := map[string]int{}
	for _, broken := range []bool{false, true} {
		seen, err := runCopies(ctx, programs, kills/2, broken)
		for k, n := range seen {
			total[k] += n
		}
		if err != nil {
			return total, err
		}
	}
	return total, nil
}

func runCopies(ctx context.Context, programs string, kills int, broken bool) (map[string]int, error) {
	folder, err := os.MkdirTemp("", "endroit-copy-faults-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	g := &copyGround{
		programs: programs, folder: folder, home: filepath.Join(folder, "home"), spent: map[string]time.Duration{}, Seen: map[string]int{},
	}
	g.game = filepath.Join(g.home, ".local", "share", "tarn")
	for _, dir := range []string{g.game, filepath.Join(g.home, ".config", "tarn"), filepath.Join(folder, "behind")} {
		if err := os.MkdirAll(dir, 0o755); err != nil {
			return nil, err
		}
	}
	for name, text := range map[string]string{"tarn": tarnDraft, "windows": windowsDraft} {
		if err := os.WriteFile(filepath.Join(folder, name+".draft.yaml"), []byte(text), 0o600); err != nil {
			return nil, err
		}
	}
	for i, name := range []string{"first", "second"} {
		g.prefixes[i] = filepath.Join(folder, name)
		if err := os.MkdirAll(roaming(g.prefixes[i]), 0o755); err != nil {
			return nil, err
		}
		hive := []byte("WINE REGISTRY Version 2\n\n[Software\\\\Other] 1\n")
		if err := os.WriteFile(filepath.Join(g.prefixes[i], "user.reg"), hive, 0o600); err != nil {
			return nil, err
		}
	}
	if broken {
		if g.faulty, err = mountFaulty(filepath.Join(folder, "behind"), g.game); err != nil {
			g.Seen["no file system that fails could be mounted here"] = 1
			g.faulty = nil
		} else {
			defer g.unmount()
		}
	}
	g.play(30)
	for range 2 {
		if _, err := g.endroit(ctx, "copy", "--yes", "--always", "--quiet", "10ms"); err != nil {
			return nil, err
		}
		g.play(12)
	}
	for round := 0; g.disturbances < kills; round++ { // a command that has nothing to do is no round
		if err := g.copyRound(ctx, broken && round%2 == 0); err != nil {
			return g.Seen, fmt.Errorf("round %d: %w", round+1, err)
		}
	}
	if out, err := g.endroit(ctx, "copies", "--check"); err != nil {
		return g.Seen, fmt.Errorf("a copy is damaged: %w\n%s", err, out)
	}
	return g.Seen, nil
}

// roaming is the folder of the game in a prefix.
func roaming(prefix string) string {
	return filepath.Join(prefix, "drive_c", "users", "player", "AppData", "Roaming", "Tarn")
}

// key is the game's registry key in a prefix.
func key(prefix string) registry.Key {
	return registry.Key{Prefix: prefix, Path: `HKEY_CURRENT_USER\Software\Tarn`}
}

// playWindows is the part of the build for Windows.
func (g *copyGround) playWindows(ctx context.Context) error {
	for i := range rand.IntN(6) {
		data := make([]byte, 100+rand.IntN(20_000))
		data[0], data[1] = byte(rand.IntN(256)), byte(i)
		if err := os.WriteFile(filepath.Join(roaming(g.prefixes[0]), fmt.Sprintf("slot%d.sav", i)), data, 0o644); err != nil {
			return err
		}
	}
	return registry.Write(ctx, key(g.prefixes[0]), []hive.Branch{
		{Values: []hive.Raw{{Name: "Volume", Kind: hive.DWord, Data: []byte{byte(rand.IntN(100)), 0, 0, 0}}}},
	})
}

func (g *copyGround) unmount() {
	_ = g.faulty.server.Unmount()
	_ = syscall.Unmount(g.game, syscall.MNT_DETACH)
}

// play is the game's part: it writes some of its files.
func (g *copyGround) play(n int) {
	for range n {
		name := filepath.Join(g.game, "world", strconv.Itoa(rand.IntN(4)), fmt.Sprintf("region-%d.dat", rand.IntN(8)))
		_ = os.MkdirAll(filepath.Dir(name), 0o755)
		if rand.IntN(6) == 0 {
			_ = os.Remove(name)
			continue
		}
		data := make([]byte, 200+rand.IntN(60_000))
		for i := range min(len(data), 64) {
			data[i] = byte(rand.IntN(256))
		}
		_ = os.WriteFile(name, data, 0o644)
	}
	_ = os.WriteFile(filepath.Join(g.home, ".config", "tarn", "tarn.ini"), fmt.Appendf(nil, "volume=%d\n", rand.IntN(100)), 0o644)
}

// state reads all files of the game.
func (g *copyGround) state() (content, error) {
	out := content{}
	for _, prefix := range g.prefixes {
		tree, _, err := registry.Read(context.Background(), key(prefix))
		if err != nil {
			return nil, err
		}
		if len(tree) == 0 {
			continue
		}
		text, err := regtext.Text(key(prefix).Path, tree)
		if err != nil {
			return nil, err
		}
		sum := sha256.Sum256(text)
		out[key(prefix).String()] = hex.EncodeToString(sum[:])
	}
	for _, top := range []string{g.game, filepath.Join(g.home, ".config", "tarn"), roaming(g.prefixes[0]), roaming(g.prefixes[1])} {
		err := filepath.WalkDir(top, func(path string, e fs.DirEntry, err error) error {
			if err != nil || e.IsDir() {
				return err
			}
			data, err := os.ReadFile(path)
			if err != nil {
				return err
			}
			sum := sha256.Sum256(data)
			out[path] = hex.EncodeToString(sum[:])
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return out, nil
}

// command is endroit, as this person.
func (g *copyGround) command(ctx context.Context, args ...string) *exec.Cmd {
	switch args[0] {
	case "copy", "clear", "switch", "keep":
		args = slices.Insert(slices.Clone(args), 1, filepath.Join(g.folder, "tarn.draft.yaml"))
	case "carry":
		args = append(
			slices.Insert(slices.Clone(args), 1, filepath.Join(g.folder, "windows.draft.yaml")), "--from", g.prefixes[0], "--to", g.prefixes[1],
			"--prefix", g.prefixes[0], "--prefix", g.prefixes[1], "--holds", "save", "--holds", "config",
		)
	case "putback":
		args = append(slices.Clone(args), "--draft", filepath.Join(g.folder, "tarn.draft.yaml"))
	}
	c := exec.CommandContext(ctx, filepath.Join(g.programs, "endroit"), args...)
	c.Env = []string{"HOME=" + g.home, "PATH=" + os.Getenv("PATH"), "TMPDIR=" + g.folder}
	return c
}

func (g *copyGround) endroit(ctx context.Context, args ...string) ([]byte, error) {
	var out, problems bytes.Buffer
	c := g.command(ctx, args...)
	c.Stdout, c.Stderr = &out, &problems
	if err := c.Run(); err != nil {
		return out.Bytes(), fmt.Errorf("endroit %s: %w: %s", strings.Join(args, " "), err, problems.Bytes())
	}
	return out.Bytes(), nil
}

// draw draws a command that changes files, or takes a copy.
func (g *copyGround) draw(ctx context.Context) ([]string, error) {
	agreed := []string{"--yes", "--although", "observed", "--although", "newer", "--although", "changed", "--json"}
	copying := append(slices.Clone(agreed), "--quiet", "10ms") // or most kills would meet it waiting
	switch rand.IntN(12) {
	case 0, 1:
		return []string{"copy", "--always", "--yes", "--json", "--quiet", "10ms"}, nil
	case 2:
		return append([]string{"clear"}, copying...), nil
	case 3, 4:
		return append([]string{"switch", []string{"red", "green", "blue"}[rand.IntN(3)]}, copying...), nil
	case 10, 11:
		return append([]string{"carry"}, copying...), g.playWindows(ctx)
	case 5:
		return []string{"keep", "--quiet", "20ms", "--at-most", "4", "--json"}, nil
	case 6, 7:
		return append([]string{"undo"}, agreed...), nil
	}
	raw, err := g.endroit(ctx, "copies", "--json")
	if err != nil {
		return nil, err
	}
	var list struct{ Copies []struct{ ID string } }
	if err := json.Unmarshal(raw, &list); err != nil {
		return nil, err
	}
	newest := list.Copies[:min(len(list.Copies), 12)]
	return append([]string{"putback", newest[rand.IntN(len(newest))].ID}, agreed...), nil
}

// expected is what a command will make of the files, as it says itself; ok is false if it
// has nothing to do.
func (g *copyGround) expected(ctx context.Context, command []string, before content) (after content, ok bool, err error) {
	if command[0] == "copy" || command[0] == "keep" {
		return before, true, nil
	}
	raw, err := g.endroit(ctx, append(slices.Clone(command), "--dry-run")...)
	if err != nil {
		return nil, false, nil // it is refused: there is nothing to undo, the set is in place
	}
	var plan struct {
		Steps []struct {
			Path  string
			After struct{ Kind, Digest string }
		}
	}
	if err := json.Unmarshal(raw, &plan); err != nil {
		return nil, false, err
	}
	after = maps.Clone(before)
	for _, s := range plan.Steps {
		if s.After.Kind == "" {
			delete(after, s.Path)
		} else {
			after[s.Path] = s.After.Digest
		}
	}
	return after, true, nil
}

// copyRound plays one command, which is killed, or meets a disk that fails.
func (g *copyGround) copyRound(ctx context.Context, failing bool) error {
	if rand.IntN(2) == 0 {
		g.play(1 + rand.IntN(10))
	}
	command, err := g.draw(ctx)
	if err != nil {
		return err
	}
	before, err := g.state()
	if err != nil {
		return err
	}
	after, ok, err := g.expected(ctx, command, before)
	if err != nil || !ok {
		return err
	}
	what := strings.Join(command[:min(2, len(command))], " ")
	how, err := g.disturbed(ctx, command, failing)
	if err != nil {
		return err
	}
	g.Seen[command[0]+" "+how]++
	if how != "ended" {
		g.disturbances++
	}
	is, err := g.state()
	if err != nil {
		return err
	}
	if err := permitted(is, before, after); err != nil {
		return fmt.Errorf("%s (%s): %w", what, how, err)
	}
	raw, err := g.endroit(ctx, "undo", "--list", "--json")
	if err != nil {
		return fmt.Errorf("%s (%s), the next start: %w", what, how, err)
	}
	var list struct{ Ended []struct{ State string } }
	if err := json.Unmarshal(raw, &list); err != nil {
		return err
	}
	for _, e := range list.Ended {
		g.Seen["then "+e.State]++
		if e.State != "done" && e.State != "taken back" {
			return fmt.Errorf("%s (%s): the next start did not end it: %s", what, how, raw)
		}
	}
	if is, err = g.state(); err != nil {
		return err
	}
	switch {
	case maps.Equal(is, before), maps.Equal(is, after):
	default:
		return fmt.Errorf(
			"%s (%s): after the next start the files are neither those before nor those after: %s", what, how,
			differing(is, before, after),
		)
	}
	if how == "ended" && !maps.Equal(is, after) {
		return fmt.Errorf("%s was done, and the files are not those that it said", what)
	}
	return nil
}

// permitted is an error if a file has neither of its two contents. A file of the program's
// own, which is prepared beside, is permitted until the next start.
func permitted(is, before, after content) error {
	for path, digest := range is {
		if strings.HasPrefix(filepath.Base(path), ".endroit-") {
			continue
		}
		if digest != before[path] && digest != after[path] {
			return fmt.Errorf("%s has a content that it must not have", path)
		}
	}
	for path := range before {
		if _, there := is[path]; !there && after[path] != "" {
			return fmt.Errorf("%s is gone", path)
		}
	}
	return nil
}

func differing(is, before, after content) string {
	var out []string
	for path, digest := range is {
		if digest != before[path] || digest != after[path] {
			out = append(out, fmt.Sprintf("%s %.6s (%.6s, %.6s)", filepath.Base(path), digest, before[path], after[path]))
		}
	}
	slices.Sort(out)
	return strings.Join(out[:min(len(out), 8)], "; ")
}

// disturbed runs a command and kills it at a random moment of its usual time, or lets changes
// of the disk fail meanwhile.
func (g *copyGround) disturbed(ctx context.Context, command []string, failing bool) (how string, err error) {
	var problems bytes.Buffer
	c := g.command(ctx, command...)
	c.Stderr = &problems
	if failing && g.faulty != nil {
		g.faulty.oneIn.Store(int64(5 + rand.IntN(200)))
		defer g.faulty.oneIn.Store(0)
	}
	started := time.Now()
	if err := c.Start(); err != nil {
		return "", err
	}
	usual := max(g.spent[command[0]], 20*time.Millisecond)
	if command[0] == "keep" { // it does not end by itself
		usual, failing = 200*time.Millisecond, false
	}
	if !failing || rand.IntN(4) == 0 {
		kill := time.AfterFunc(usual/8+time.Duration(rand.Int64N(int64(usual))), func() { _ = c.Process.Kill() })
		defer kill.Stop()
	}
	err = c.Wait()
	var exit *exec.ExitError
	switch {
	case err == nil:
		g.spent[command[0]] = time.Since(started)
		return "ended", nil
	case errors.As(err, &exit) && exit.Sys().(syscall.WaitStatus).Signaled():
		return "killed", nil
	case failing:
		return "failed", nil
	}
	return "", fmt.Errorf("endroit %s: %w: %s", strings.Join(command, " "), err, problems.Bytes())
}
