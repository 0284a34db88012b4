//go:build linux

package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"time"

	"endroit/core/origin"
)

// The installation that is searched for names.
const (
	sourceFiles = 100
	sourceBytes = 50 << 20 // of each
	sourceLimit = 10 * time.Second
)

// sources measures the search for where names come from over an installation of 5 GB that is
// in the memory of the system already: half of it text as in programs, half of it bytes of
// little order. Names that are nowhere make it read everything.
func sources(rounds int) error {
	folder, err := os.MkdirTemp("", "endroit-bench-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	r := rand.New(rand.NewPCG(1, 2))
	words := [...]string{"open", "level", "sprite", "%s/slot%d.sav", "error: ", "texture", "the ", "sound/", "\x00", "\x00\x01", "player"}
	data := make([]byte, 0, sourceBytes)
	for len(data) < sourceBytes/2 {
		data = append(data, words[r.IntN(len(words))]...)
	}
	for len(data) < sourceBytes {
		data = append(data, byte(r.IntN(64)))
	}
	var files []origin.File
	for i := range sourceFiles {
		path := filepath.Join(folder, fmt.Sprintf("part%03d.pack", i))
		if err := os.WriteFile(path, data, 0o600); err != nil {
			return err
		}
		files = append(files, origin.File{
			Path: path, Rank: origin.Asset, Size: int64(len(data)),
			Open: func() (origin.Handle, error) { return os.Open(path) },
		})
	}
	names := []string{
		"Mira Oakes.json", "keepers", "ANNA.sav", "quick-a", "8f14e45f-ceea-467a-9b1c", "lantern.ini", "world_Copperfen",
		"chronicle.dat",
	}
	var took []time.Duration
	for range max(rounds/2, 1) {
		start := time.Now()
		found, err := origin.Search(context.Background(), origin.Words(names), files, origin.Budget{})
		if err != nil {
			return err
		}
		if found.Files != sourceFiles {
			return fmt.Errorf("%d of %d files were searched", found.Files, sourceFiles)
		}
		took = append(took, time.Since(start))
	}
	fmt.Printf(
		"where names come from, over %d files of %d MB, in the memory of the system: %.1f s, %.0f MB/s (limit %.0f s)\n",
		sourceFiles, sourceBytes>>20, median(took).Seconds(),
		float64(sourceFiles*sourceBytes)/1e6/median(took).Seconds(), sourceLimit.Seconds(),
	)
	return nil
}
