package main

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"

	"endroit/machine"
	"endroit/standin/launchers"
	"endroit/standin/wine"
	"endroit/standin/world"
)

// walk goes the whole way on the stand-in game, printing each command before
// its output.
type walk struct {
	*demo
	ctx  context.Context
	home string // of the person who types
	// cues is where the walk's trace listens for cues: not where those of other
	// traces on this machine do. Its path is short, as sockets want it.
	cues   string
	prefix <-chan made // for whom has titles in a prefix
}

// as changes who types.
func (w *walk) as(name, about string) error {
	w.home = filepath.Join(w.folder, "homes", name)
	fmt.Printf("\n== %s, %s\n", name, about)
	return os.MkdirAll(w.home, 0o755)
}

func (w *walk) all() error {
	if err := os.RemoveAll(filepath.Join(w.folder, "homes")); err != nil {
		return err
	}
	var err error
	if w.cues, err = os.MkdirTemp("", "endroit-walk-"); err != nil {
		return err
	}
	defer os.RemoveAll(w.cues)
	if err := os.RemoveAll(filepath.Join(w.folder, "disks")); err != nil {
		return err
	}
	for _, step := range []func() error{w.contributor, w.reviewer, w.reuser} {
		if err := step(); err != nil {
			return err
		}
	}
	return nil
}

func (w *walk) contributor() error {
	if err := w.as("mira", "a contributor, runs the game under observation"); err != nil {
		return err
	}
	if err := launchers.Quayside(w.home, w.disk()); err != nil {
		return err
	}
	if err := w.install(); err != nil {
		return err
	}
	for _, args := range []string{
		"fetch --service http://" + w.address + " --root " + w.root(), "identify https://quayside.example/title/418820/",
	} {
		if _, err := w.endroit(args, nil); err != nil {
			return err
		}
	}
	if err := w.playTraced(); err != nil {
		return err
	}
	for _, args := range []string{"footprint tidewrack.trace", "propose tidewrack.trace"} {
		if _, err := w.endroit(args, nil); err != nil {
			return err
		}
	}
	return w.submit()
}

// disk is the second disk of the person who types.
func (w *walk) disk() string { return filepath.Join(w.folder, "disks", filepath.Base(w.home)) }

func (w *walk) submit() error {
	if err := w.signIn("mira"); err != nil {
		return err
	}
	_, err := w.endroit("submit tidewrack.draft.yaml --yes", nil)
	return err
}

func (w *walk) signIn(name string) error {
	for _, p := range world.People {
		if p.Name == name {
			_, err := w.endroit(
				fmt.Sprintf("login %s --service http://%s --password-stdin", name, w.address),
				strings.NewReader(p.Password+"\n"),
			)
			return err
		}
	}
	return fmt.Errorf("the demo has no account %s", name)
}

var sentNumber = regexp.MustCompile(`(?m)^\s*(\d+)\s+Tidewrack\b`)

func (w *walk) reviewer() error {
	if err := w.as(world.Reviewer, "a reviewer, decides on what others submitted"); err != nil {
		return err
	}
	if err := w.signIn(world.Reviewer); err != nil {
		return err
	}
	list, err := w.endroit("review list", nil)
	if err != nil {
		return err
	}
	found := sentNumber.FindStringSubmatch(list)
	if found == nil {
		return errors.New("the contribution is not in the list")
	}
	_, err = w.endroit("review accept "+found[1]+" --yes", nil)
	return err
}

func (w *walk) reuser() error {
	if err := w.as("tobin", "somebody else, who plays titles of three launchers and asks where their files are"); err != nil {
		return err
	}
	if err := w.settle(); err != nil {
		return err
	}
	for _, args := range []string{
		"fetch --service http://" + w.address + " --root " + w.root(), "machine", "locate Tidewrack", "locate ninefold-orchard", "locate --all",
	} {
		if _, err := w.endroit(args, nil); err != nil {
			return err
		}
	}
	return nil
}

// settle installs all launchers and a prefix that Wine made, and lays out saves
// that were made without anybody watching.
func (w *walk) settle() error {
	if len(w.prefix) == 0 {
		say("Wine makes a prefix for him; the first time takes a while")
	}
	m := <-w.prefix
	if m.err != nil {
		return m.err
	}
	own := wine.Prefix{Folder: filepath.Join(w.home, ".wine"), Home: w.home}
	if err := m.prefix.Copy(own); err != nil {
		return err
	}
	inside, err := machine.OpenPrefix(context.Background(), own.Folder)
	if err != nil {
		return err
	}
	for _, err := range []error{
		launchers.Quayside(w.home, w.disk()), launchers.Brasslight(w.home, w.disk()),
		launchers.LarderFiles(w.home, inside.User), w.install(),
	} {
		if err != nil {
			return err
		}
	}
	// His saves, copied from an old machine; the settings stayed behind.
	game := w.command(tidewrack, "-pace", "free", "-")
	game.Stdin = strings.NewReader("play 700\nsave 1\nplay 500\nsave 3\nquit\n")
	if out, err := game.CombinedOutput(); err != nil {
		return fmt.Errorf("the stand-in game: %w: %s", err, out)
	}
	return os.RemoveAll(filepath.Join(w.home, ".config", "tidewrack"))
}

// tidewrack is where Quayside has the stand-in game, in a home.
const tidewrack = ".local/share/quayside/installed/Tidewrack/tidewrack"

// install puts the stand-in game where the launcher lists it: its program and a
// pack file.
func (w *walk) install() error {
	file := filepath.Join(w.home, tidewrack)
	data := filepath.Join(filepath.Dir(file), "data")
	if err := os.MkdirAll(data, 0o755); err != nil {
		return err
	}
	program, err := os.ReadFile(filepath.Join(w.programs, "tidewrack"))
	if err != nil {
		return fmt.Errorf("%w; make build makes it", err)
	}
	if err := os.WriteFile(file, program, 0o755); err != nil {
		return err
	}
	if err := os.Chmod(file, 0o755); err != nil { // there was a file already
		return err
	}
	return os.WriteFile(filepath.Join(data, "world.pak"), bytes.Repeat([]byte("TIDEPACK"), 2<<20/8), 0o644)
}

// command prepares a program as the person at home would run it.
func (w *walk) command(name string, args ...string) *exec.Cmd {
	path := filepath.Join(w.programs, name)
	if strings.Contains(name, "/") {
		path = filepath.Join(w.home, name)
	}
	c := exec.CommandContext(w.ctx, path, args...)
	c.Cancel = func() error { return c.Process.Signal(os.Interrupt) }
	c.Dir = w.home
	c.Env = []string{
		"HOME=" + w.home,
		"PATH=" + w.programs + ":" + os.Getenv("PATH"),
		"TERM=" + os.Getenv("TERM"),
		"TZ=" + os.Getenv("TZ"),
		"XDG_RUNTIME_DIR=" + w.cues,
	}
	return c
}

// endroit prints a command, runs it, prints what it says and returns that.
func (w *walk) endroit(args string, in io.Reader) (string, error) {
	fmt.Printf("\n$ endroit %s\n", args)
	c := w.command("endroit", strings.Fields(args)...)
	var out bytes.Buffer
	c.Stdin, c.Stdout, c.Stderr = in, io.MultiWriter(os.Stdout, &out), os.Stdout
	if err := c.Run(); err != nil {
		return "", fmt.Errorf("endroit %s: %w", args, err)
	}
	return out.String(), nil
}

// played is what is done in the game, and the cue that marks it from another
// terminal.
var played = []struct{ line, cue string }{
	{"play 45", "ready"}, {"save 1", ""}, {"play 30", ""}, {"save 2", "saved"}, {"play 60", ""},
	{"set volume 55", "changed-setting"},
	{"shot", ""},
	{"play 45", ""},
	{"quit", ""},
}

// playTraced plays the game under observation by its script commands, marking
// cues as a person in a second terminal would.
func (w *walk) playTraced() error {
	args := []string{"trace", "--title", "Tidewrack", "--out", "tidewrack.trace", "--", tidewrack, "-"}
	fmt.Printf("\n$ endroit %s\n", strings.Join(args, " "))
	c := w.command("endroit", args...)
	in, err := c.StdinPipe()
	if err != nil {
		return err
	}
	out, err := c.StdoutPipe()
	if err != nil {
		return err
	}
	c.Stderr = os.Stdout
	if err := c.Start(); err != nil {
		return err
	}
	said := bufio.NewScanner(out)
	for _, p := range played {
		if _, err := io.WriteString(in, p.line+"\n"); err != nil {
			return err
		}
		if !said.Scan() {
			break
		}
		fmt.Println(said.Text())
		if p.cue != "" {
			if _, err := w.endroit("cue "+p.cue, nil); err != nil {
				return err
			}
			fmt.Println()
		}
	}
	_ = in.Close()
	_, _ = io.Copy(os.Stdout, out)
	return c.Wait()
}
