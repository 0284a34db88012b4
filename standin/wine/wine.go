// Package wine makes real prefixes with Debian's Wine and runs programs in them,
// without a display.
//
//	p := wine.Prefix{Folder: folder, Home: home}
//	err := p.Make(ctx)
//	out, err := p.Run(ctx, "reg", "query", `HKCU\Software`)
package wine

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
)

// Prefix is one of somebody whose home it links to: their documents are the
// inner user's documents too.
type Prefix struct{ Folder, Home string }

// run runs one of Wine's programs: no display, and without the parts that would be
// fetched from elsewhere.
func (p Prefix) run(ctx context.Context, program string, args ...string) (string, error) {
	c := exec.CommandContext(ctx, program, args...)
	c.Env = append(
		os.Environ(), "HOME="+p.Home, "WINEPREFIX="+p.Folder, "WINEDLLOVERRIDES=mscoree,mshtml=",
		"WINEDEBUG=-all", "DISPLAY=",
	)
	out, err := c.Output()
	var exit *exec.ExitError
	if errors.As(err, &exit) {
		err = fmt.Errorf("%s %s: %w: %s%s", program, strings.Join(args, " "), err, out, exit.Stderr)
	}
	return string(out), err
}

// Make makes the prefix, in about ten seconds.
func (p Prefix) Make(ctx context.Context) error {
	for _, folder := range []string{p.Folder, p.Home} {
		if err := os.MkdirAll(folder, 0o755); err != nil {
			return err
		}
	}
	if _, err := p.run(ctx, "wineboot", "-i"); err != nil {
		return fmt.Errorf("make a prefix: %w", err)
	}
	return p.Rest(ctx)
}

// Rest waits until nothing runs in the prefix and its registry is written.
func (p Prefix) Rest(ctx context.Context) error {
	_, err := p.run(ctx, "wineserver", "-w")
	return err
}

// Run runs a program in the prefix and returns what it printed.
func (p Prefix) Run(ctx context.Context, program string, args ...string) (string, error) {
	return p.run(ctx, "wine", append([]string{program}, args...)...)
}

// End ends all that runs in the prefix.
func (p Prefix) End(ctx context.Context) {
	_, _ = p.run(ctx, "wineserver", "-k") // it fails if nothing runs
}

// Copy makes another prefix like this one, for somebody else. Windows' own files
// are linked, as they are large and nobody changes them; all else is copied.
func (p Prefix) Copy(to Prefix) error {
	return filepath.WalkDir(p.Folder, func(path string, e fs.DirEntry, err error) error {
		if err != nil {
			return err
		}
		name, err := filepath.Rel(p.Folder, path)
		if err != nil {
			return err
		}
		target := filepath.Join(to.Folder, name)
		switch {
		case e.IsDir():
			return os.MkdirAll(target, 0o755)
		case e.Type()&fs.ModeSymlink != 0:
			link, err := os.Readlink(path)
			if err != nil {
				return err
			}
			if below, ok := strings.CutPrefix(link, p.Home); ok && (below == "" || below[0] == filepath.Separator) {
				link = to.Home + below
			}
			return os.Symlink(link, target)
		case strings.HasPrefix(name, filepath.Join("drive_c", "windows")+string(filepath.Separator)):
			return os.Link(path, target)
		case !e.Type().IsRegular():
			return nil // the server's socket
		}
		data, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		return os.WriteFile(target, data, 0o644)
	})
}
