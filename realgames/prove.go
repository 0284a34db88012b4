//go:build linux

package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"image"
	_ "image/png" // what the games are seen by
	"maps"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"endroit/core/draft"
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

// kindOf is what a location holds, by what is proven.
var kindOf = map[string]string{"progress": draft.Save, "settings": draft.Config}

// prove has the draft's locations of progress, or of settings, proven without a person: what
// the game shows at each start is compared with what it shows to somebody who has played, and
// to somebody who has not.
func prove(ctx context.Context, here, work, from, holds string, g game, p person) (o outcome, err error) {
	ctx, cancel := context.WithTimeout(ctx, provesFor)
	defer cancel()
	drive := filepath.Join(here, g.Name, "drive")
	found, err := findings(ctx, work, from, p)
	if err != nil {
		return o, err
	}
	notLed := func(why string) (outcome, error) { // what is proposed all the same is not decided
		for _, x := range found {
			if x.Holds == kindOf[holds] && len(x.Files) > 0 {
				fmt.Printf("  experiment: %s: not decided: %s\n", x.At, why)
				o.unknown++
			}
		}
		return o, nil
	}
	if holds == "settings" {
		if text, err := os.ReadFile(drive); err != nil || !strings.Contains(string(text), "look_settings") {
			return notLed("its drive does not say where its settings show")
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
			// A newcomer has default settings at the second start, and still no progress: also where the
			// game, as it was ended, had time to save.
			if who.account != p.account && holds == "progress" {
				if err := forgetProgress(g, who); err != nil {
					return o, err
				}
			}
			seen, err := lookOnce(ctx, work, drive, holds, to, who, who.account == p.account || holds == "settings")
			if err != nil {
				return notLed("its state could not be looked at: " + err.Error())
			}
			known = append(known, seen)
		}
	}
	played, not := known[0]+","+known[1], known[2]+","+known[3]
	if m, err := told(known[:2], known[2:]); err != nil || m.weight() < least {
		did := map[string]string{"progress": "played", "settings": "set anything"}[holds]
		return notLed("one cannot see at its start whether anybody has " + did)
	}
	ask := fmt.Sprintf("%s state %s %s %s", filepath.Join(work, "realgames"), played, not, p.home)
	c := as(ctx, p, work, filepath.Join(work, "endroit"), "prove", from, "--yes", "--although", "observed", "--although", "wide",
		"--holds", holds, "--settle", "200ms", "--quiet", "10ms", "--json", "--ask", ask, "--", drive, p.home)
	c.Env = append(c.Env, "PHASE=look", "LOOK_AT="+holds)
	out, err := c.Output()
	var exit *exec.ExitError
	if err != nil && !(errors.As(err, &exit) && (exit.ExitCode() == 7 || exit.ExitCode() == 3)) {
		return o, fmt.Errorf("prove: %w", err)
	}
	if len(out) == 0 || exit != nil && exit.ExitCode() == 3 {
		return notLed("nothing was led")
	}
	var led proof.Proof
	if err := json.Unmarshal(out, &led); err != nil {
		return o, fmt.Errorf("prove: %w: %s", err, out)
	}
	return judged(g, p, holds, &led, found)
}

// forgetProgress removes what a person has of a game's progress at home.
func forgetProgress(g game, p person) error {
	for _, glob := range g.Needs[draft.Save] {
		list, err := below(p, glob)
		if err != nil {
			return err
		}
		for _, path := range list {
			if !strings.HasPrefix(path, p.home+"/") {
				continue // others have it too
			}
			if err := os.Remove(path); err != nil {
				return err
			}
		}
	}
	return nil
}

// lookOnce starts the game as a person, and keeps what it shows as a file whose name begins
// with to. What the start changed at home is taken back if it is asked for: a game can use up
// its save.
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
	// Observed as the starts of the experiment are: it takes as long, and no right comes from the
	// program's file.
	trace := to + ".trace"
	defer os.RemoveAll(trace + ".versions")
	defer os.Remove(trace)
	c := as(ctx, who, work, filepath.Join(work, "endroit"), "trace", "--quiet", "--title", "look", "--out", trace, "--", drive, who.home)
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
// hold a file of progress, or of settings, and one that is not holds none for which no other
// makes up.
func judged(g game, p person, holds string, led *proof.Proof, found []finding) (o outcome, err error) {
	needed, _, err := truth(g, p)
	if err != nil {
		return o, err
	}
	spare := map[string]bool{}
	for _, glob := range g.Spare {
		list, err := below(p, glob)
		if err != nil {
			return o, err
		}
		for _, path := range list {
			spare[path] = true
		}
	}
	what := kindOf[holds]
	elsewhere := len(led.Rounds) > 0 && led.Rounds[0].Answer == proof.Progress // with all of it away
	for _, l := range led.Locations {
		verdict, holdsOne, holdsOnly := "rightly", false, false
		for _, x := range found {
			for _, f := range x.Files {
				if x.At == l.At {
					holdsOne = holdsOne || needed[f.Path] == what || needed[f.Path] == "either"
					holdsOnly = holdsOnly || needed[f.Path] == what && !spare[f.Path]
				}
			}
		}
		switch {
		case l.Result == proof.Undecided:
			o.unknown++
			verdict = "not decided"
		case l.Result == proof.NotNeeded && (elsewhere && holdsOne || holdsOnly), l.Result != proof.NotNeeded && !holdsOne:
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

// least is how much of a screen has to tell the two apart: of a picture of 1024 by 768 points
// some 80, less than a short word has.
const least = 1e-4

// marks are what tells a screen of one who has played from one of somebody who has not: as is
// how much of it is as with the one, and as with the other, of one screen.
type marks interface {
	weight() float64
	as(screen string) (played, not float64)
}

// told finds the marks, by two screens of each.
func told(played, not []string) (marks, error) {
	if filepath.Ext(played[0]) == ".txt" {
		return toldByWords(played, not)
	}
	return toldByPoints(played, not)
}

// The shares of the marks by which a state is told.
const (
	nearlyAll = 0.8
	quarter   = 0.25
	some      = 0.05
)

// state says what the game showed, by screens of one who has played and of one who has not,
// each a list; is is a screen, or the home in which it is.
func state(played, not, is string) string {
	if _, err := os.Stat(filepath.Join(is, "look.refused")); err == nil {
		return string(proof.Failed)
	}
	if info, err := os.Stat(is); err == nil && info.IsDir() {
		if is, err = seenIn(is); err != nil {
			return string(proof.Failed)
		}
	}
	m, err := told(strings.Split(played, ","), strings.Split(not, ","))
	if err != nil || m.weight() < least {
		return string(proof.Unsure)
	}
	switch a, b := m.as(is); {
	case a >= nearlyAll && b < some:
		return string(proof.Progress)
	case b >= nearlyAll && a < some:
		return string(proof.NewGame)
	case a >= some && a+b >= nearlyAll, a >= quarter:
		return string(proof.Part)
	}
	return string(proof.Unsure)
}

// points are the points of a picture that are the same in both of one kind, the same in both
// of the other, and not the same in the two.
type points struct {
	played, not image.Image
	at          []image.Point
}

func (p points) weight() float64 {
	size := p.played.Bounds().Size()
	return float64(len(p.at)) / float64(max(size.X*size.Y, 1))
}

func (p points) as(screen string) (played, not float64) {
	is, err := picture(screen)
	if err != nil || is.Bounds() != p.played.Bounds() {
		return 0, 0
	}
	for _, at := range p.at {
		switch {
		case alike(is, p.played, at):
			played++
		case alike(is, p.not, at):
			not++
		}
	}
	all := float64(max(len(p.at), 1))
	return played / all, not / all
}

func toldByPoints(played, not []string) (marks, error) {
	var all []image.Image
	for _, name := range append(slices.Clone(played), not...) {
		x, err := picture(name)
		if err != nil {
			return nil, err
		}
		if len(all) > 0 && x.Bounds() != all[0].Bounds() {
			return nil, fmt.Errorf("%s: it has another size", name)
		}
		all = append(all, x)
	}
	p := points{played: all[0], not: all[len(played)]}
	same := func(of []image.Image, at image.Point) bool {
		return !slices.ContainsFunc(of[1:], func(x image.Image) bool { return !alike(x, of[0], at) })
	}
	for y := all[0].Bounds().Min.Y; y < all[0].Bounds().Max.Y; y++ {
		for x := all[0].Bounds().Min.X; x < all[0].Bounds().Max.X; x++ {
			at := image.Pt(x, y)
			if !alike(p.played, p.not, at) && same(all[:len(played)], at) && same(all[len(played):], at) {
				p.at = append(p.at, at)
			}
		}
	}
	return p, nil
}

// alike reports whether two pictures are the same at a point, but for slight differences.
func alike(a, b image.Image, at image.Point) bool {
	r1, g1, b1, _ := a.At(at.X, at.Y).RGBA()
	r2, g2, b2, _ := b.At(at.X, at.Y).RGBA()
	return !far(r1, r2) && !far(g1, g2) && !far(b1, b2)
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

// vocabulary are the words that a screen of the one kind has more often than any of the other:
// how lines are broken says nothing.
type vocabulary struct {
	played, not map[string][2]int // how often it is there at most without, and at least with
	words       int               // of a screen
}

func (v vocabulary) weight() float64 {
	n := 0
	for _, of := range []map[string][2]int{v.played, v.not} {
		for _, r := range of {
			n += r[1] - r[0]
		}
	}
	return float64(n) / float64(max(v.words, 1))
}

func (v vocabulary) as(screen string) (played, not float64) {
	is, err := wordsOf(screen)
	if err != nil {
		return 0, 0
	}
	there := func(of map[string][2]int) (with, without float64) {
		for w, r := range of {
			n := min(max(is[w]-r[0], 0), r[1]-r[0])
			with, without = with+float64(n), without+float64(r[1]-r[0]-n)
		}
		return with, without
	}
	a, b := there(v.played)
	c, d := there(v.not)
	all := max(a+b+c+d, 1)
	return (a + d) / all, (b + c) / all
}

func toldByWords(played, not []string) (marks, error) {
	most, least := map[bool]map[string]int{}, map[bool]map[string]int{}
	v := vocabulary{played: map[string][2]int{}, not: map[string][2]int{}}
	for _, has := range []bool{true, false} {
		names := not
		if has {
			names = played
		}
		for i, name := range names {
			count, err := wordsOf(name)
			if err != nil {
				return nil, err
			}
			n := 0
			for _, c := range count {
				n += c
			}
			v.words = max(v.words, n)
			if i == 0 {
				most[has], least[has] = maps.Clone(count), maps.Clone(count)
			}
			for w, c := range count {
				most[has][w] = max(most[has][w], c)
			}
			for w, c := range least[has] {
				least[has][w] = min(c, count[w])
			}
		}
	}
	for has, into := range map[bool]map[string][2]int{true: v.played, false: v.not} {
		for w, c := range least[has] {
			if other := most[!has][w]; c > other {
				into[w] = [2]int{other, c}
			}
		}
	}
	return v, nil
}

func wordsOf(name string) (map[string]int, error) {
	text, err := os.ReadFile(name)
	if err != nil {
		return nil, err
	}
	count := map[string]int{}
	for _, w := range strings.Fields(string(text)) {
		count[w]++
	}
	return count, nil
}
