// Command game plays the stand-in game, which keeps its progress as a play says, and writes
// what it shows into keeper.state in the home: new, progress, part or failed.
//
//	game PLAY
package main

import (
	"fmt"
	"os"
	"path/filepath"

	"endroit/standin/keeper"
)

func main() {
	if err := run(); err != nil {
		fmt.Fprintln(os.Stderr, "keeper:", err)
		os.Exit(1)
	}
}

func run() error {
	if len(os.Args) != 2 {
		return fmt.Errorf("usage: keeper PLAY")
	}
	p, err := keeper.Find(os.Args[1])
	if err != nil {
		return err
	}
	home, err := os.UserHomeDir()
	if err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(home, "keeper.state"), []byte(p.Play(home)+"\n"), 0o644)
}
