package plays

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"endroit/core/footprint"
	"endroit/core/trace"
)

// Pace is how many times as fast as told a play is played on real files. The times of the
// trace are stretched again.
const Pace = 30

// at is where a short form lies in a home.
func at(root, short string) string {
	name := path(short)
	if rest, ok := strings.CutPrefix(name, home); ok {
		return root + rest
	}
	return name
}

// disk plays on real files below a home.
type disk struct {
	root  string
	setUp bool // only what is there before the run is made
	start time.Time
	mark  func(word string) error
	open  map[string]*os.File
	keys  map[string]string
}

// own reports whether a file is the play's to make: the system's are there or not.
func (d *disk) own(short string) bool { return !strings.HasPrefix(short, "sys:") }

func (d *disk) has(short string, data []byte) error {
	if !d.setUp || !d.own(short) || strings.HasPrefix(short, "registry:") {
		return nil
	}
	name := at(d.root, short)
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	if err := os.WriteFile(name, data, 0o644); err != nil {
		return err
	}
	before := time.Now().Add(-time.Hour)
	return os.Chtimes(name, before, before)
}

func (d *disk) wait(second float64) {
	if !d.setUp {
		time.Sleep(time.Until(d.start.Add(time.Duration(second * float64(time.Second) / Pace))))
	}
}

func (d *disk) cue(word string) error {
	if d.setUp {
		return nil
	}
	return d.mark(word)
}

func (d *disk) read(short string) {
	if !d.setUp {
		_, _ = os.ReadFile(at(d.root, short)) // one that is not there is looked for all the same
	}
}

func (d *disk) write(short string, flag int, data []byte) error {
	if d.setUp || !d.own(short) {
		return nil
	}
	name := at(d.root, short)
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	f, err := os.OpenFile(name, os.O_WRONLY|os.O_CREATE|flag, 0o644)
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	return errors.Join(err, f.Close())
}

func (d *disk) grow(short, text string) error {
	if d.setUp {
		return nil
	}
	f := d.open[short]
	if f == nil {
		var err error
		if f, err = os.OpenFile(at(d.root, short), os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o644); err != nil {
			return err
		}
		d.open[short] = f
	}
	_, err := f.WriteString(text)
	return err
}

func (d *disk) rename(from, to string) error {
	if d.setUp {
		return nil
	}
	name := at(d.root, to)
	if err := os.MkdirAll(filepath.Dir(name), 0o755); err != nil {
		return err
	}
	return os.Rename(at(d.root, from), name)
}

func (d *disk) remove(short string) error {
	if d.setUp {
		return nil
	}
	return os.Remove(at(d.root, short))
}

// hives are the files of a prefix's registry, with the roots that they are of.
var hives = map[string]string{"HKEY_LOCAL_MACHINE": "system.reg", "HKEY_CURRENT_USER": "user.reg"}

// set changes a key as Wine's server does: it rewrites the hive.
func (d *disk) set(key, text string) error {
	if d.setUp {
		return nil
	}
	root, rest, _ := strings.Cut(strings.TrimSuffix(strings.TrimPrefix(key, "registry:"), "/"), "/")
	d.keys[root+"/"+rest] = text
	return d.hive(root)
}

// hive writes one hive whole, through another name.
func (d *disk) hive(root string) error {
	var b strings.Builder
	of := map[string]string{"HKEY_LOCAL_MACHINE": `Machine`, "HKEY_CURRENT_USER": `User\\S-1-5-21-0-0-0-1000`}[root]
	fmt.Fprintf(&b, "WINE REGISTRY Version 2\n;; All keys relative to REGISTRY\\\\%s\n\n#arch=win64\n\n", of)
	if root == "HKEY_LOCAL_MACHINE" {
		b.WriteString("[Software\\\\Microsoft\\\\Windows NT\\\\CurrentVersion\\\\ProfileList\\\\S-1-5-21-0-0-0-1000] 1795576273\n\"ProfileImagePath\"=\"C:\\\\users\\\\player\"\n\n")
	}
	for _, k := range slices.Sorted(func(yield func(string) bool) {
		for k := range d.keys {
			if !yield(k) {
				return
			}
		}
	}) {
		if rest, ok := strings.CutPrefix(k, root+"/"); ok {
			name, value, _ := strings.Cut(d.keys[k], "=")
			fmt.Fprintf(&b, "[%s] 1795576273\n%q=%q\n\n", strings.ReplaceAll(rest, "/", `\\`), name, value)
		}
	}
	file := at(d.root, "home:") + strings.TrimPrefix(prefix, home+"/") + "/" + hives[root]
	if err := os.WriteFile(file+".new", []byte(b.String()), 0o644); err != nil {
		return err
	}
	return os.Rename(file+".new", file)
}

// Perform plays on real files, as the game of an installation: it is what the program
// under observation does. The words of cues go to out, and each is answered by a line.
func (p Play) Perform(root string, in io.Reader, out io.Writer) error {
	answers := bufio.NewScanner(in)
	d := &disk{root: root, start: time.Now(), open: map[string]*os.File{}, keys: map[string]string{}, mark: func(word string) error {
		if _, err := fmt.Fprintln(out, word); err != nil {
			return err
		}
		if !answers.Scan() {
			return errors.New("the cue was not answered")
		}
		return nil
	}}
	return p.on(d)
}

func (p Play) on(d *disk) error {
	g := &Game{disk: d}
	g.noise(p.Windows)
	p.Play(g)
	for _, f := range d.open {
		g.fail(f.Close())
	}
	return g.err
}

// Real has a program play under observation by endroit, in a home of its own below a
// folder, and boils the trace down. game is the program that calls Perform; it gets the
// play's name and the home.
func (p Play) Real(ctx context.Context, endroit, game, folder string) (fp *footprint.Footprint, root string, err error) {
	root = filepath.Join(folder, "home")
	installed, name := at(root, "inst:"), "tidewrack"
	if p.Windows {
		installed, name = at(root, "pinst:"), "fen"
	}
	for _, f := range []string{root, installed, at(root, "win:"), filepath.Join(folder, "run")} {
		if err := os.MkdirAll(f, 0o700); err != nil {
			return nil, "", err
		}
	}
	d := &disk{root: root, setUp: true, keys: map[string]string{}}
	for hive := range hives {
		if err := d.hive(hive); err != nil {
			return nil, "", err
		}
	}
	if err := p.on(d); err != nil {
		return nil, "", err
	}
	program := filepath.Join(installed, name)
	if err := copyProgram(game, program); err != nil {
		return nil, "", err
	}
	file := filepath.Join(folder, "play.trace")
	args := []string{"trace", "--quiet", "--title", p.Title, "--install", installed, "--out", file}
	if p.Title == "" {
		args[3] = "Tidewrack"
	}
	if p.Ref != "" {
		args = append(args, "--edition", "quayside:"+p.Ref)
	}
	if p.Windows {
		args = append(args, "--prefix", filepath.Join(root, strings.TrimPrefix(prefix, home)))
	} else {
		args = append(args, "--native")
	}
	env := []string{"HOME=" + root, "PATH=" + os.Getenv("PATH"), "XDG_RUNTIME_DIR=" + filepath.Join(folder, "run")}
	c := exec.CommandContext(ctx, endroit, append(args, "--", program, "play", p.Name, root)...)
	c.Env, c.Dir = env, installed
	if err := played(ctx, c, endroit); err != nil {
		return nil, "", fmt.Errorf("play %s: %w", p.Name, err)
	}
	fp, err = p.stretched(file, root)
	return fp, root, err
}

// played runs the observed program, and marks the cues that it asks for.
func played(ctx context.Context, c *exec.Cmd, endroit string) error {
	in, err := c.StdinPipe()
	if err != nil {
		return err
	}
	out, err := c.StdoutPipe()
	if err != nil {
		return err
	}
	var said strings.Builder
	c.Stderr = &said
	if err := c.Start(); err != nil {
		return err
	}
	var failed error
	for words := bufio.NewScanner(out); words.Scan(); {
		cue := exec.CommandContext(ctx, endroit, "cue", words.Text())
		cue.Env = c.Env
		if text, err := cue.CombinedOutput(); err != nil && failed == nil {
			failed = fmt.Errorf("mark %s: %w: %s", words.Text(), err, text)
		}
		_, _ = io.WriteString(in, "\n")
	}
	if err := c.Wait(); err != nil {
		return fmt.Errorf("%w: %s", err, said.String())
	}
	return failed
}

func copyProgram(from, to string) error {
	if err := os.Link(from, to); err == nil {
		return nil
	}
	data, err := os.ReadFile(from)
	if err != nil {
		return err
	}
	return os.WriteFile(to, data, 0o755)
}

// stretched boils a trace down with the times that the play tells of, and as that of mira
// with the launcher's account.
func (p Play) stretched(file, root string) (*footprint.Footprint, error) {
	f, err := os.Open(file)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	r, err := trace.NewReader(f, trace.DefaultLimits)
	if err != nil {
		return nil, err
	}
	h := r.Header
	h.Account = &trace.Account{Folder: at(root, "acc:")}
	p.sign(&h)
	pr, pw := io.Pipe()
	go func() { pw.CloseWithError(stretch(r, h, pw)) }()
	defer pr.Close()
	slow, err := trace.NewReader(pr, trace.DefaultLimits)
	if err != nil {
		return nil, err
	}
	return footprint.FromTrace(slow)
}

func stretch(r *trace.Reader, h trace.Header, to io.Writer) error {
	w, err := trace.NewWriter(to, h)
	if err != nil {
		return err
	}
	last := time.Duration(0)
	longer := func(t *time.Duration) {
		*t *= Pace
		last = max(last, *t)
	}
	for line, err := range r.Lines() {
		if err != nil {
			return err
		}
		switch {
		case line.File != nil:
			err = w.File(line.File)
		case line.Process != nil:
			longer(&line.Process.At)
			err = w.Process(line.Process)
		case line.Event != nil:
			longer(&line.Event.At)
			err = w.Event(*line.Event)
		case line.Known != nil:
			err = w.Known(*line.Known)
		case line.After != nil:
			err = w.After(*line.After)
		case line.Exit != nil:
			longer(&line.Exit.At)
			err = w.Exit(*line.Exit)
		case line.Cue != nil:
			longer(&line.Cue.At)
			err = w.Cue(*line.Cue)
		case line.Gap != nil:
			longer(&line.Gap.At)
			err = w.Gap(*line.Gap)
		case line.End != nil:
			longer(&line.End.At)
		}
		if err != nil {
			return err
		}
	}
	_, err = w.Close(last)
	return err
}

// ByName finds a play.
func ByName(name string) (Play, error) {
	for _, p := range All() {
		if p.Name == name {
			return p, nil
		}
	}
	return Play{}, fmt.Errorf("%s: %w", name, fs.ErrNotExist)
}
