// Command quayside is the stand-in launcher's program: it starts a title, and brings its
// files and the cloud's together before and after.
//
//	quayside set on|off REF on|off FOLDER       the switches for cloud copies
//	quayside start                              the launcher's own start
//	quayside play REF [local|cloud] -- COMMAND  play, with the answer to a conflict
//	quayside lay LIBRARY REF NAME FOLDER FILE…  install a title, with these files
//	quayside move REF LIBRARY                   move it; to another library than its own without what it did not lay out
//	quayside repair|reinstall REF               make its files what they were; remove and install it
//	quayside rebuild REF PREFIX                 make its prefix again, without what was in it
//
// QUAYSIDE_SERVER is the folder that stands for its service.
package main

import (
	"errors"
	"fmt"
	"os"
	"os/exec"
	"slices"

	"endroit/standin/cloud"
	"endroit/standin/launchers"
)

// operation does what a person does with an installation.
func operation(home string, args []string) error {
	at := launchers.Laid{Home: home, Ref: args[1]}
	switch {
	case len(args) >= 5 && args[0] == "lay":
		files := map[string]string{}
		for _, name := range args[5:] {
			files[name] = "as it was laid out\n"
		}
		return launchers.Laid{Home: home, Ref: args[2]}.Lay(args[1], args[3], "2.3", args[4], files)
	case len(args) == 3 && args[0] == "move":
		return at.Move(args[2])
	case len(args) == 2 && args[0] == "repair":
		return at.Repair()
	case len(args) == 2 && args[0] == "reinstall":
		return at.Reinstall()
	case len(args) == 3 && args[0] == "rebuild":
		return at.Rebuild(args[2])
	}
	return errUsage
}

func main() {
	home, err := os.UserHomeDir()
	operations := []string{"lay", "move", "repair", "reinstall", "rebuild"}
	if args := os.Args[1:]; err == nil && len(args) >= 2 && slices.Contains(operations, args[0]) {
		err = operation(home, args)
	} else if err == nil {
		err = run(cloud.Cloud{Home: launchers.QuaysideHome(home), Server: os.Getenv("QUAYSIDE_SERVER")}, os.Args[1:])
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "quayside:", err)
		os.Exit(1)
	}
}

var errUsage = errors.New("usage: see the command's documentation: quayside set, start, play, lay, move, repair, reinstall, rebuild")

func run(c cloud.Cloud, args []string) error {
	switch {
	case len(args) == 5 && args[0] == "set":
		return c.Set(args[1] == "on", []cloud.Title{{Ref: args[2], On: args[3] == "on", Folder: args[4]}})
	case len(args) == 1 && args[0] == "start":
		return c.Start()
	case len(args) >= 4 && args[0] == "play":
		return play(c, args[1], args[2:])
	}
	return errUsage
}

func play(c cloud.Cloud, ref string, args []string) error {
	var ask func() cloud.Choice
	if args[0] != "--" {
		answer := cloud.Choice(args[0])
		ask, args = func() cloud.Choice { return answer }, args[1:]
	}
	if len(args) < 2 || args[0] != "--" {
		return errUsage
	}
	did, err := c.Sync(ref, ask)
	if err != nil {
		return err
	}
	fmt.Println("before:", did)
	game := exec.Command(args[1], args[2:]...)
	game.Stdin, game.Stdout, game.Stderr = os.Stdin, os.Stdout, os.Stderr
	if err := game.Run(); err != nil {
		return err
	}
	if did, err = c.Sync(ref, ask); err != nil {
		return err
	}
	fmt.Println("after:", did)
	return nil
}
