//go:build linux

package main

import (
	"fmt"
	"os"
	"path/filepath"
	"time"
)

// The limits of what an experiment adds to the game's own starts.
const (
	proofClones = 3.0 // s, for 2 GB where the file system makes clones
	proofPlain  = 1.3 // to taking the copy, where it does not
)

// proofOfMany measures what an experiment with 2 GB of progress takes beyond the game's own
// starts, which last no time here: as a ratio to taking a copy and reading it again, in the
// same run. The progress is in many small files, in fewer, and in few large ones.
func proofOfMany(programs string, rounds int) error {
	for _, files := range []int{copiedFiles, copiedFiles / 10, copiedFiles / 100} {
		if err := proofOf(programs, rounds, files); err != nil {
			return err
		}
	}
	return nil
}

func proofOf(programs string, rounds, files int) error {
	endroit, err := filepath.Abs(filepath.Join(programs, "endroit"))
	if err != nil {
		return err
	}
	folder, err := os.MkdirTemp(os.Getenv("ENDROIT_BENCH_FOLDER"), "endroit-bench-proof-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	home := filepath.Join(folder, "home")
	game, draft := filepath.Join(home, ".local", "share", "tarn"), filepath.Join(folder, "tarn.draft.yaml")
	if err := os.MkdirAll(game, 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(draft, []byte(copiedDraft), 0o600); err != nil {
		return err
	}
	if err := playFiles(game, 0, files, copiedFiles*copiedBytes/files); err != nil {
		return err
	}
	time.Sleep(2 * time.Second)
	var copied, led []time.Duration
	var memory int64
	for range rounds {
		forget := func() {
			_ = os.RemoveAll(filepath.Join(home, ".local", "share", "endroit"))
			_ = os.RemoveAll(filepath.Join(folder, "copies"))
		}
		forget()
		to := filepath.Join(folder, "copies")
		d, _, _, err := measure(home, "sh", "-c", fmt.Sprintf(
			"%q copy %q --to %q --yes --json >/dev/null && %q copies --in %q --check --json >/dev/null", endroit, draft, to, endroit, to,
		))
		if err != nil {
			return err
		}
		copied = append(copied, d)
		forget()
		d, used, _, err := measure(
			home, endroit, "prove", draft, "--yes", "--although", "observed", "--although", "wide", "--settle", "0s", "--quiet", "1ms",
			"--answer", "new", "--answer", "progress", "--json", "--",
			"sh", "-c", "cat $HOME/.local/share/tarn/region0/r.0.dat >/dev/null 2>&1; true",
		)
		if err != nil {
			return err
		}
		led, memory = append(led, d), max(memory, used)
	}
	fmt.Printf(
		"\nAn experiment with %d files, %.1f GB, beyond the game's own two starts: %.1f s; taking a copy and reading it again: %.1f s; "+
			"ratio %.2f (limit: %.1f; with clones %.0f s), %d MB\n",
		files, copiedFiles*copiedBytes/1e9, median(led).Seconds(), median(copied).Seconds(), ratio(led, copied), proofPlain,
		proofClones, memory>>20,
	)
	return nil
}
