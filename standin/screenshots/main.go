// Command screenshots takes the pictures of docs/screenshots from the
// demo's data: the console's pages in Chromium and the commands in a terminal.
//
//	screenshots -programs bin -out docs/screenshots
package main

import (
	"bufio"
	"context"
	"errors"
	"flag"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"time"

	"github.com/chromedp/chromedp"

	"endroit/client"
	"endroit/standin/browser"
	"endroit/standin/world"
)

const address = "127.0.0.1:8418"

func main() {
	programs := flag.String("programs", "bin", "the folder with endroit and the stand-in games")
	out := flag.String("out", "docs/screenshots", "where the pictures go")
	only := flag.String("only", "", "take only pictures whose name holds this")
	flag.Parse()
	if err := run(*programs, *out, *only); err != nil {
		fmt.Fprintln(os.Stderr, "screenshots:", err)
		os.Exit(1)
	}
}

func run(programs, out, only string) error {
	ctx, cancel := context.WithTimeout(context.Background(), 5*time.Minute)
	defer cancel()
	folder, err := os.MkdirTemp("/tmp", "demo-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	if err := os.Chmod(folder, 0o755); err != nil { // PostgreSQL runs as somebody else
		return err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	demo := exec.CommandContext(
		ctx, filepath.Join(programs, "demo"), "-programs", programs, "-folder", folder, "-address", address,
	)
	demo.Cancel = func() error { return demo.Process.Signal(os.Interrupt) }
	demo.Stderr = os.Stderr
	said, err := demo.StdoutPipe()
	if err != nil {
		return err
	}
	if err := demo.Start(); err != nil {
		return err
	}
	defer func() {
		_ = demo.Process.Signal(os.Interrupt)
		_ = demo.Wait()
	}()
	lines := bufio.NewScanner(said)
	for lines.Scan() && !strings.HasPrefix(lines.Text(), "Ctrl-C") {
	}
	if err := lines.Err(); err != nil {
		return err
	}
	if err := pages(ctx, out, only); err != nil {
		return err
	}
	if err := bench(ctx, programs, folder, out, only); err != nil {
		return err
	}
	return commands(ctx, programs, folder, out, only)
}

// bench takes the picture of the workbench, of mira's trace on her own machine.
func bench(ctx context.Context, programs, folder, out, only string) error {
	const name = "workbench"
	if only != "" && !strings.Contains(name, only) {
		return nil
	}
	program, err := filepath.Abs(filepath.Join(programs, "endroit"))
	if err != nil {
		return err
	}
	home := filepath.Join(folder, "homes", "mira")
	c := exec.CommandContext(ctx, program, "workbench", "tidewrack.trace", "--draft", "workbench.draft.yaml", "--no-browser")
	c.Dir, c.Env, c.Stderr = home, []string{"HOME=" + home, "PATH=" + os.Getenv("PATH")}, os.Stderr
	address, end, err := browser.Workbench(c)
	if err != nil {
		return err
	}
	defer end()
	ctx, stop, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer stop()
	return picture(ctx, page{name: name, path: address, height: 1160, wait: ".covers"}, filepath.Join(out, name+".png"))
}

// page is one picture of the console.
type page struct {
	name, path string
	as         string // who is signed in, nobody if empty
	dark       bool
	width      int64
	height     int64  // 800 if 0
	wait       string // what has to be there
	click      string // what is opened first
}

var consolePages = []page{
	{name: "titles", path: "/titles", wait: "tbody a"},
	{name: "search", path: "/titles?q=tidew", wait: ".answer .row"},
	{name: "title", path: "/titles/Tidewrack", wait: ".row", click: ".more"},
	{name: "launchers", path: "/launchers", wait: "tbody a"},
	{name: "launcher", path: "/launchers/quayside", wait: "h1"},
	{name: "reviews", path: "/reviews", as: world.Reviewer, wait: "tbody a"},
	{name: "contribution", path: "/reviews/8", as: world.Reviewer, wait: "tbody tr"},
	{name: "experiment", path: "/reviews/25", as: world.Reviewer, wait: "#steps"},
	{name: "revisions", path: "/revisions", wait: "tbody tr"},
}

func pages(ctx context.Context, out, only string) error {
	ctx, stop, err := browser.Start(ctx)
	if err != nil {
		return err
	}
	defer stop()
	signedIn := ""
	for _, p := range consolePages {
		if only != "" && !strings.Contains(p.name, only) {
			continue
		}
		if p.as != signedIn {
			if err := signIn(ctx, p.as); err != nil {
				return fmt.Errorf("picture %s: sign in: %w", p.name, err)
			}
			signedIn = p.as
		}
		if err := picture(ctx, p, filepath.Join(out, p.name+".png")); err != nil {
			return fmt.Errorf("picture %s: %w", p.name, err)
		}
	}
	return nil
}

func signIn(ctx context.Context, name string) error {
	if name == "" {
		return chromedp.Do(ctx, chromedp.Click(chromedp.CSS(".leave")), chromedp.WaitNotPresent(chromedp.CSS(".who")))
	}
	for _, p := range world.People {
		if p.Name == name {
			return chromedp.Do(
				ctx, chromedp.Navigate("http://"+address+"/sign-in"),
				chromedp.WaitVisible(chromedp.CSS("input[name=name]")),
				chromedp.SendKeys(chromedp.CSS("input[name=name]"), p.Name),
				chromedp.SendKeys(chromedp.CSS("input[name=password]"), p.Password+"\r"),
				chromedp.WaitVisible(chromedp.CSS(".who")),
			)
		}
	}
	return errors.New("the demo has no such account")
}

func picture(ctx context.Context, p page, file string) error {
	ctx, cancel := context.WithTimeout(ctx, 30*time.Second)
	defer cancel()
	width := p.width
	if width == 0 {
		width = 1280
	}
	height := p.height
	if height == 0 {
		height = 800
	}
	if err := browser.SetView(ctx, width, height, p.dark); err != nil {
		return err
	}
	at := p.path
	if name, ok := strings.CutPrefix(at, "/titles/"); ok { // ids are opaque
		id, err := titleID(ctx, name)
		if err != nil {
			return err
		}
		at = "/titles/" + id
	}
	if strings.HasPrefix(at, "/") {
		at = "http://" + address + at
	}
	if err := chromedp.Do(ctx, chromedp.Navigate(at), chromedp.WaitVisible(chromedp.CSS(p.wait))); err != nil {
		return err
	}
	if p.click != "" {
		if err := chromedp.Do(ctx, chromedp.Click(chromedp.CSS(p.click))); err != nil {
			return err
		}
	}
	if _, err := chromedp.Run(ctx, chromedp.Poll[bool](`document.fonts.status === 'loaded'`)); err != nil {
		return err
	}
	if err := chromedp.Do(ctx, chromedp.Sleep(400*time.Millisecond)); err != nil {
		return err
	}
	shot, err := chromedp.Run(ctx, chromedp.CaptureScreenshot())
	if err != nil {
		return err
	}
	return os.WriteFile(file, shot, 0o644)
}

// titleID is the id of the demo's title of a name.
func titleID(ctx context.Context, name string) (string, error) {
	c, err := client.New("http://"+address, "")
	if err != nil {
		return "", err
	}
	page, err := c.Titles(ctx, name, "")
	if err != nil || len(page.Items) == 0 {
		return "", fmt.Errorf("the demo has no title %s (%w)", name, err)
	}
	return page.Items[0].ID, nil
}
