//go:build linux

package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	_ "image/png" // what the games are seen by
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"endroit/core/proof"
)

// outcome counts what experiments found of locations, held against the truth.
type outcome struct{ right, wrong, unknown int }

func (o *outcome) add(x outcome) {
	o.right, o.wrong, o.unknown = o.right+x.right, o.wrong+x.wrong, o.unknown+x.unknown
}

// provesFor is how long the experiment with one game may take.
const provesFor = 6 * time.Minute

// provesBoth has the draft's locations of progress, then those of settings, proven.
func provesBoth(ctx context.Context, here, work, draft string, g game, p person) (o outcome, err error) {
	for _, holds := range []string{"progress", "settings"} {
		one, err := prove(ctx, here, work, draft, holds, g, p)
		if err != nil {
			return o, err
		}
		o.add(one)
	}
	return o, nil
}

// prove has the draft's locations of progress, or of settings, proven without a person: what
// the game shows at each start is compared with what it shows to somebody who has played, and
// to somebody who has not.
func prove(ctx context.Context, here, work, draft, holds string, g game, p person) (o outcome, err error) {
	ctx, cancel := context.WithTimeout(ctx, provesFor)
	defer cancel()
	drive := filepath.Join(here, g.Name, "drive")
	if holds == "settings" {
		if text, err := os.ReadFile(drive); err != nil || !strings.Contains(string(text), "look_settings") {
			fmt.Println("  experiment: not led: its drive does not say where its settings show")
			return o, err
		}
	}
	newcomer := person{account: "endroit-lars", player: p.player}
	forget, err := account(ctx, work, &newcomer)
	if err != nil {
		return o, err
	}
	defer forget()
	var known []string
	for _, who := range []person{p, newcomer} {
		for _, shot := range []string{"1", "2"} { // two of each: what differs by chance shows
			to := filepath.Join(work, "shared", strings.Join([]string{g.Name, holds, who.account, shot}, "-"))
			// A newcomer has default settings at the second start, and still no progress.
			seen, err := lookOnce(ctx, work, drive, holds, to, who, who.account == p.account || holds == "settings")
			if err != nil {
				fmt.Println("  experiment: not led: its state could not be looked at:", err)
				return o, nil
			}
			known = append(known, seen)
		}
	}
	played, not := known[0]+","+known[1], known[2]+","+known[3]
	if state(known[0], not, known[1]) != string(proof.Progress) || state(known[1], not, known[0]) != string(proof.Progress) {
		fmt.Printf("  experiment: not led: one cannot see at its start whether anybody has %s\n",
			map[string]string{"progress": "played", "settings": "set anything"}[holds])
		return o, nil
	}
	ask := fmt.Sprintf("%s state %s %s %s", filepath.Join(work, "realgames"), played, not, p.home)
	c := as(ctx, p, work, filepath.Join(work, "endroit"), "prove", draft, "--yes", "--although", "observed", "--although", "wide",
		"--holds", holds, "--settle", "200ms", "--quiet", "10ms", "--json", "--ask", ask, "--", drive, p.home)
	c.Env = append(c.Env, "PHASE=look", "LOOK_AT="+holds)
	out, err := c.Output()
	var exit *exec.ExitError
	if err != nil && !(errors.As(err, &exit) && (exit.ExitCode() == 7 || exit.ExitCode() == 3)) {
		return o, fmt.Errorf("prove: %w", err)
	}
	if len(out) == 0 || exit != nil && exit.ExitCode() == 3 {
		fmt.Printf("  experiment: not led: no location of %s was proposed\n", holds)
		return o, nil
	}
	var led proof.Proof
	if err := json.Unmarshal(out, &led); err != nil {
		return o, fmt.Errorf("prove: %w: %s", err, out)
	}
	found, err := findings(ctx, work, draft, p)
	if err != nil {
		return o, err
	}
	return judged(g, p, holds, &led, found)
}

// lookOnce starts the game as a person, and keeps what it shows as a file whose name begins
// with to. What the start changed at home is taken back if it is asked for: a game can use up
// its save. No right comes from the program's file, as none does under observation.
func lookOnce(ctx context.Context, work, drive, holds, to string, who person, takeBack bool) (seen string, err error) {
	if takeBack {
		aside := to + ".home"
		if out, err := exec.CommandContext(ctx, "cp", "-a", who.home, aside).CombinedOutput(); err != nil {
			return "", fmt.Errorf("%w: %s", err, out)
		}
		defer func() {
			_ = exec.Command("pkill", "-KILL", "-u", who.account).Run()
			err = errors.Join(err, os.RemoveAll(who.home), os.Rename(aside, who.home))
		}()
	}
	c := as(ctx, who, work, "setpriv", "--no-new-privs", drive, who.home)
	c.Env = append(c.Env, "PHASE=look", "LOOK_AT="+holds)
	if err := c.Run(); err != nil {
		return "", err
	}
	from, err := seenIn(who.home)
	if err != nil {
		return "", err
	}
	data, err := os.ReadFile(from)
	if err != nil {
		return "", err
	}
	return to + filepath.Ext(from), os.WriteFile(to+filepath.Ext(from), data, 0o644)
}

// finding is what one location of the draft finds.
type finding struct {
	At, Holds string
	Files     []struct{ Path string }
}

// findings are what the locations of the draft find at a person's home.
func findings(ctx context.Context, work, draft string, p person) ([]finding, error) {
	out, err := as(ctx, p, work, filepath.Join(work, "endroit"), "try", draft, "--json").Output()
	var exit *exec.ExitError
	if err != nil && (!errors.As(err, &exit) || len(out) == 0) {
		return nil, fmt.Errorf("try the draft: %w", err)
	}
	var trial struct{ Locations []finding }
	err = json.Unmarshal(out, &trial)
	return trial.Locations, err
}

// judged holds what an experiment found against the truth: a location that is needed has to
// hold a file of progress, or of settings, and these are not kept elsewhere.
func judged(g game, p person, holds string, led *proof.Proof, found []finding) (o outcome, err error) {
	needed, _, err := truth(g, p)
	if err != nil {
		return o, err
	}
	what := map[string]string{"progress": "save", "settings": "config"}[holds]
	elsewhere := len(led.Rounds) > 0 && led.Rounds[0].Answer == proof.Progress // with all of it away
	for _, l := range led.Locations {
		verdict, holdsOne := "rightly", false
		for _, x := range found {
			for _, f := range x.Files {
				holdsOne = holdsOne || x.At == l.At && (needed[f.Path] == what || needed[f.Path] == "either")
			}
		}
		switch {
		case l.Result == proof.Undecided:
			o.unknown++
			verdict = "not decided"
		case l.Result == proof.NotNeeded && elsewhere && holdsOne, l.Result != proof.NotNeeded && !holdsOne:
			o.wrong++
			verdict = "WRONGLY"
		default:
			o.right++
		}
		fmt.Printf("  experiment: %s: %s, %s (%s; %d starts)\n", l.At, l.Result, verdict, l.Why, len(led.Rounds))
	}
	return o, nil
}

// seenIn is what the game's start was seen by.
func seenIn(home string) (string, error) {
	for _, name := range []string{"look.txt", "look.png"} {
		if _, err := os.Stat(filepath.Join(home, name)); err == nil {
			return filepath.Join(home, name), nil
		}
	}
	return "", errors.New("its start left no picture")
}

// least is how far two screens have to be apart to say anything: of a picture of 1024 by 768
// points some 80, less than a short word has.
const least = 1e-4

// state says what the game showed, by pictures of one who has played and of one who has not,
// each a list; is is a picture, or the home in which it is.
func state(played, not, is string) string {
	if info, err := os.Stat(is); err == nil && info.IsDir() {
		if is, err = seenIn(is); err != nil {
			return string(proof.Failed)
		}
	}
	nearest := func(list string) (best float64) {
		best = 1
		for _, other := range strings.Split(list, ",") {
			best = min(best, apart(other, is))
		}
		return best
	}
	a, b := nearest(played), nearest(not)
	switch { // clearly nearer to the one than to the other
	case a < 0.7*b && b-a > least:
		return string(proof.Progress)
	case b < 0.7*a && a-b > least:
		return string(proof.NewGame)
	}
	return string(proof.Unsure)
}

// apart is how different two pictures, or screens of text, are: from 0 to 1.
func apart(a, b string) float64 {
	if filepath.Ext(a) == ".txt" {
		return textsApart(a, b)
	}
	x, err := picture(a)
	if err != nil {
		return 1
	}
	y, err := picture(b)
	if err != nil || x.Bounds() != y.Bounds() {
		return 1
	}
	differ, all := 0, 0
	for py := x.Bounds().Min.Y; py < x.Bounds().Max.Y; py++ {
		for px := x.Bounds().Min.X; px < x.Bounds().Max.X; px++ {
			all++
			r1, g1, b1, _ := x.At(px, py).RGBA()
			r2, g2, b2, _ := y.At(px, py).RGBA()
			if far(r1, r2) || far(g1, g2) || far(b1, b2) {
				differ++
			}
		}
	}
	return float64(differ) / float64(max(all, 1))
}

func far(a, b uint32) bool { return max(a, b)-min(a, b) > 0x1800 }

func picture(name string) (image.Image, error) {
	f, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	img, _, err := image.Decode(f)
	return img, err
}

func textsApart(a, b string) float64 {
	x, err := os.ReadFile(a)
	if err != nil {
		return 1
	}
	y, err := os.ReadFile(b)
	if err != nil {
		return 1
	}
	count := map[string]int{} // of words: how lines are broken says nothing
	for _, w := range strings.Fields(string(x)) {
		count[w]++
	}
	both, all := 0, len(strings.Fields(string(x)))
	for _, w := range strings.Fields(string(y)) {
		if count[w] > 0 {
			count[w]--
			both++
			continue
		}
		all++
	}
	return 1 - float64(both)/float64(max(all, 1))
}
