//go:build linux

// Command realgames plays open-source games from Debian's packages by keys, under
// observation, and holds what Endroit proposes against what is known of each game.
//
// Each game has a folder here with game.yaml, which says what to install, what the truth is and
// where that is written, and drive, which plays it. Two people play: the draft is made from the
// first one's runs, and must find the files of both.
package main

import (
	"context"
	"encoding/json"
	"endroit/core/draft"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"syscall"
	"time"

	"github.com/goccy/go-yaml"
)

// game is what is known of a game before anything is observed.
type game struct {
	Name     string   `yaml:"-"`
	Title    string   `yaml:"title"`
	Packages []string `yaml:"packages"`
	Source   string   `yaml:"source"`   // where the truth stands
	Window   bool     `yaml:"window"`   // it is no program for a terminal
	Sessions int      `yaml:"sessions"` // how often each person plays
	// Needs are the files that have to be reached, and May those that do no harm: globs below the
	// home or from the root (a last part ** is everything below), in which $PLAYER is the name that the person plays under.
	Needs map[string][]string `yaml:"needs"` // by what they hold: save, config, or either
	May   []string            `yaml:"may"`
	// Spare are those of Needs that other files make up for.
	Spare []string `yaml:"spare"`
}

// person is somebody who plays.
type person struct{ account, player, home string }

// drivesFor is how long all sessions of one person may take.
const drivesFor = 5 * time.Minute

func main() {
	ctx := context.Background()
	if len(os.Args) == 5 && os.Args[1] == "state" {
		fmt.Println(state(os.Args[2], os.Args[3], os.Args[4]))
		return
	}
	if err := run(ctx, os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "realgames:", err)
		os.Exit(1)
	}
}

func run(ctx context.Context, names []string) error {
	if os.Geteuid() != 0 {
		return errors.New("it makes two accounts to play with, and removes them afterwards; run it as root")
	}
	here, err := filepath.Abs("realgames")
	if err != nil {
		return err
	}
	games, err := read(here, names)
	if err != nil {
		return err
	}
	work, err := os.MkdirTemp("", "endroit-realgames-")
	if err != nil {
		return err
	}
	if os.Getenv("PLAY_KEEP") == "" {
		defer os.RemoveAll(work)
	}
	if err := share(work); err != nil {
		return err
	}
	passed, answered, questions, files := 0, 0, 0, tally{}
	var experiments outcome
	var findings []learned
	var broken []string
	for _, g := range games {
		r, err := play(ctx, here, work, g)
		if err != nil { // the others are played all the same
			fmt.Printf("%s: %v\n\n", g.Name, err)
			broken = append(broken, g.Name)
			continue
		}
		files.add(r.first)
		files.add(r.second)
		if r.second.right() {
			passed++
		}
		if r.answered.right() {
			answered++
		}
		questions += r.questions
		findings = append(findings, r.learned...)
		experiments.add(r.experiments)
		fmt.Println()
	}
	fmt.Printf("files of both people: precision %.2f, recall %.2f\n", files.precision(), files.recall())
	fmt.Printf("the first person's draft, unedited, reaches what the second needs and nothing else: %d of %d games\n", passed, len(games))
	fmt.Printf("the same with %d questions answered truly: %d of %d games\n", questions, answered, len(games))
	if len(names) == 0 && len(broken) == 0 {
		if err := keepFindings(filepath.Join(here, "findings.json"), findings); err != nil {
			return err
		}
	}
	fmt.Printf("%d passed, %d failed\n", passed, len(games)-passed)
	fmt.Printf(
		"experiments: %d locations proven rightly, %d wrongly, %d not decided\n", experiments.right, experiments.wrong, experiments.unknown,
	)
	if experiments.wrong > 0 {
		return errors.New("an experiment proved what is not so")
	}
	if len(broken) > 0 {
		return fmt.Errorf("could not be played to the end: %s", strings.Join(broken, ", "))
	}
	if passed < len(games) {
		return errors.New("not all is right")
	}
	return nil
}

// read reads the games that are named, or all.
func read(here string, names []string) (list []game, err error) {
	found, err := filepath.Glob(filepath.Join(here, "*", "game.yaml"))
	if err != nil {
		return nil, err
	}
	for _, path := range found {
		name := filepath.Base(filepath.Dir(path))
		if len(names) > 0 && !slices.Contains(names, name) {
			continue
		}
		text, err := os.ReadFile(path)
		if err != nil {
			return nil, err
		}
		g := game{Name: name}
		if err := yaml.UnmarshalWithOptions(text, &g, yaml.Strict()); err != nil {
			return nil, fmt.Errorf("%s: %w", path, err)
		}
		list = append(list, g)
	}
	if len(list) == 0 {
		return nil, fmt.Errorf("no game of that name is in %s", here)
	}
	return list, nil
}

// share makes the folder that both accounts use.
func share(work string) error {
	if err := os.Chmod(work, 0o755); err != nil {
		return err
	}
	self, err := os.Executable()
	if err != nil {
		return err
	}
	for name, from := range map[string]string{"endroit": "bin/endroit", "realgames": self} {
		program, err := os.ReadFile(from)
		if err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(work, name), program, 0o755); err != nil {
			return err
		}
	}
	shared := filepath.Join(work, "shared")
	if err := os.Mkdir(shared, 0o777); err != nil {
		return err
	}
	return os.Chmod(shared, 0o777|os.ModeSticky)
}

// result is what came out for each person.
type result struct {
	first, second tally
	answered      tally // the second, with the first's questions answered truly
	questions     int
	learned       []learned
	experiments   outcome
}

func play(ctx context.Context, here, work string, g game) (r result, err error) {
	fmt.Printf("== %s: %s\n", g.Name, g.Source)
	need := exec.CommandContext(ctx, "tools/need", packages(g)...)
	need.Stderr = os.Stderr
	if err := need.Run(); err != nil {
		return r, err
	}
	people := []person{{account: "endroit-mira", player: "Mira"}, {account: "endroit-tove", player: "Brandr"}}
	for i := range people {
		forget, err := account(ctx, work, &people[i])
		if err != nil {
			return r, err
		}
		defer forget()
	}
	traces := map[string][]string{}
	for _, p := range people {
		list, err := drive(ctx, here, work, g, p)
		if err != nil {
			return r, err
		}
		traces[p.account] = list
	}
	draft := filepath.Join(work, "shared", g.Name+".draft.yaml")
	propose := []string{filepath.Join(work, "endroit"), "propose", "--out", draft, "--json"}
	made := as(ctx, people[0], work, append(propose, traces[people[0].account]...)...)
	made.Stderr = nil
	out, err := made.Output()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		fmt.Printf("  proposed: nothing (%s)\n", strings.TrimSpace(string(exit.Stderr)))
	} else if err != nil {
		return r, err
	}
	if err := os.Chmod(draft, 0o644); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return r, err
	}
	locations, questions, err := locationsOf(out)
	if err != nil {
		return r, err
	}
	seen, err := footprints(ctx, work, people[0], traces[people[0].account])
	if err != nil {
		return r, err
	}
	if r.learned, err = labelled(g, people[0], seen); err != nil {
		return r, err
	}
	r.questions = len(questions)
	for _, l := range locations {
		fmt.Println("  proposed:", l)
	}
	for _, q := range questions {
		fmt.Println("  asked:", q.Ask)
	}
	if r.first, err = tried(ctx, work, draft, g, people[0], len(locations) > 0); err != nil {
		return r, err
	}
	if r.second, err = tried(ctx, work, draft, g, people[1], len(locations) > 0); err != nil {
		return r, err
	}
	if len(locations) > 0 {
		if r.experiments, err = provesBoth(ctx, here, work, draft, g, people[0]); err != nil {
			return r, err
		}
	}
	if r.answered = r.second; len(questions) > 0 {
		answers, err := answersTo(questions, g, people[0], seen)
		if err != nil {
			return r, err
		}
		c := as(ctx, people[0], work, append([]string{filepath.Join(work, "endroit"), "answer", draft}, answers...)...)
		if out, err := c.Output(); err != nil {
			return r, fmt.Errorf("answer %q: %w: %s", answers, err, out)
		}
		if err := os.Chmod(draft, 0o644); err != nil {
			return r, err
		}
		fmt.Println("  answered:", strings.Join(answers, ", "))
		if r.answered, err = tried(ctx, work, draft, g, people[1], len(locations) > 0); err != nil {
			return r, err
		}
	}
	_ = os.Remove(draft)
	return r, nil
}

func packages(g game) (list []string) {
	for _, name := range g.Packages {
		list = append(list, "package:"+name)
	}
	return list
}

// account makes an account with a home of its own; forget removes both.
func account(ctx context.Context, work string, p *person) (forget func(), err error) {
	p.home = filepath.Join(work, p.account)
	remove := func() {
		_ = exec.Command("pkill", "-KILL", "-u", p.account).Run()
		time.Sleep(200 * time.Millisecond)
		_ = exec.Command("userdel", "-r", p.account).Run()
	}
	if _, err := user.Lookup(p.account); err == nil {
		remove()
	}
	add := exec.CommandContext(ctx, "useradd", "-m", "-d", p.home, "-s", "/bin/sh", p.account)
	if out, err := add.CombinedOutput(); err != nil {
		return nil, fmt.Errorf("make the account %s: %w: %s", p.account, err, out)
	}
	return remove, nil
}

// as runs a command as the person, at home.
func as(ctx context.Context, p person, work string, command ...string) *exec.Cmd {
	c := exec.CommandContext(ctx, "runuser", append([]string{"-u", p.account, "--"}, command...)...)
	c.Dir = p.home
	c.Env = []string{
		"HOME=" + p.home, "USER=" + p.account, "LOGNAME=" + p.account, "PLAYER=" + p.player, "LANG=C.UTF-8", "TERM=xterm",
		"PATH=" + work + ":/usr/local/bin:/usr/bin:/bin:/usr/games",
	}
	if keep := os.Getenv("PLAY_CAP"); keep != "" {
		c.Env = append(c.Env, "PLAY_CAP="+keep)
	}
	c.Stderr = os.Stderr
	c.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	c.Cancel = func() error { return syscall.Kill(-c.Process.Pid, syscall.SIGTERM) }
	c.WaitDelay = 10 * time.Second
	return c
}

// drive plays the game's sessions, each under observation, and returns the traces.
func drive(ctx context.Context, here, work string, g game, p person) (traces []string, err error) {
	ctx, cancel := context.WithTimeout(ctx, drivesFor)
	defer cancel()
	for session := 1; session <= max(g.Sessions, 1); session++ {
		name := filepath.Join(work, "shared", fmt.Sprintf("%s-%s-%d.trace", g.Name, p.account, session))
		command := []string{
			filepath.Join(here, g.Name, "drive"), p.home,
			filepath.Join(work, "endroit"), "trace", "--quiet", "--title", g.Title, "--out", name, "--",
		}
		c := as(ctx, p, work, command...)
		c.Env = append(c.Env, "PHASE="+strconv.Itoa(session))
		if err := c.Run(); err != nil {
			return nil, fmt.Errorf("%s, session %d: %w", p.account, session, err)
		}
		traces = append(traces, name)
	}
	return traces, nil
}

// locationsOf reads what was proposed.
func locationsOf(out []byte) (locations []string, questions []draft.Question, err error) {
	if len(out) == 0 {
		return nil, nil, nil
	}
	var d struct {
		Locations []struct{ At, Holds string }
		Questions []draft.Question
	}
	if err := json.Unmarshal(out, &d); err != nil {
		return nil, nil, err
	}
	for _, l := range d.Locations {
		locations = append(locations, l.Holds+" "+l.At)
	}
	return locations, d.Questions, nil
}

// tally counts files: those that had to be reached and were, those that were not, and those
// that were reached and hold nothing of the kind.
type tally struct {
	hit            int
	missed, beyond []string
}

func (t tally) right() bool { return len(t.missed) == 0 && len(t.beyond) == 0 }

func (t *tally) add(o tally) {
	t.hit += o.hit
	t.missed = append(t.missed, o.missed...)
	t.beyond = append(t.beyond, o.beyond...)
}

func (t tally) recall() float64    { return portion(t.hit, len(t.missed)) }
func (t tally) precision() float64 { return portion(t.hit, len(t.beyond)) }

func portion(good, bad int) float64 {
	if good+bad == 0 {
		return 1
	}
	return float64(good) / float64(good+bad)
}

// tried matches the draft against the person's home, and holds what is found against the truth.
func tried(ctx context.Context, work, draft string, g game, p person, proposed bool) (t tally, err error) {
	found := map[string]string{} // path to what it holds
	if proposed {
		list, err := findings(ctx, work, draft, p)
		if err != nil {
			return t, err
		}
		for _, l := range list {
			for _, f := range l.Files {
				found[f.Path] = l.Holds
			}
		}
	}
	needed, harmless, err := truth(g, p)
	if err != nil {
		return t, err
	}
	for path, holds := range needed {
		if found[path] == holds || holds == "either" && found[path] != "" {
			t.hit++
			continue
		}
		t.missed = append(t.missed, fmt.Sprintf("%s (%s) was taken for %s", path, holds, orNothing(found[path])))
	}
	for path, holds := range found {
		if needed[path] == "" && !harmless[path] {
			t.beyond = append(t.beyond, fmt.Sprintf("%s was taken for %s", path, holds))
		}
	}
	slices.Sort(t.missed)
	slices.Sort(t.beyond)
	verdict := "right"
	if !t.right() {
		verdict = "WRONG"
	}
	fmt.Printf("  %s of %s: %d reached, %d missed, %d beyond\n", verdict, p.account, t.hit, len(t.missed), len(t.beyond))
	for _, text := range slices.Concat(t.missed, t.beyond) {
		fmt.Println("   ", text)
	}
	return t, nil
}

// truth is what files of a person hold that have to be reached, and which do no harm.
func truth(g game, p person) (needed map[string]string, harmless map[string]bool, err error) {
	needed, harmless = map[string]string{}, map[string]bool{}
	for holds, globs := range g.Needs {
		for _, glob := range globs {
			list, err := below(p, glob)
			if err != nil {
				return nil, nil, err
			}
			if len(list) == 0 {
				return nil, nil, fmt.Errorf("%s has no %s: the drive did not play as it should", p.home, glob)
			}
			for _, path := range list {
				needed[path] = holds
			}
		}
	}
	for _, glob := range g.May {
		list, err := below(p, glob)
		if err != nil {
			return nil, nil, err
		}
		for _, path := range list {
			harmless[path] = true
		}
	}
	return needed, harmless, nil
}

func orNothing(holds string) string {
	if holds == "" {
		return "nothing"
	}
	return holds
}

// below lists the files of a person that a glob of the truth matches.
func below(p person, glob string) (list []string, err error) {
	glob = strings.ReplaceAll(glob, "$PLAYER", p.player)
	if !strings.HasPrefix(glob, "/") {
		glob = filepath.Join(p.home, glob)
	}
	folder, all := strings.CutSuffix(glob, "/**")
	matches, err := filepath.Glob(folder)
	if err != nil {
		return nil, err
	}
	for _, path := range matches {
		err := filepath.WalkDir(path, func(path string, e fs.DirEntry, err error) error {
			switch {
			case err != nil:
				return err
			case e.Type().IsRegular():
				list = append(list, path)
			case e.IsDir() && !all:
				return fs.SkipDir
			}
			return nil
		})
		if err != nil {
			return nil, err
		}
	}
	return list, nil
}
