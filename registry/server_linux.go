package registry

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"endroit/core/hive"
	"endroit/core/regtext"
	"endroit/machine"
	"endroit/safefile"
)

// errServerEnded says that nothing runs in a prefix any more.
var errServerEnded = errors.New("nothing runs in the prefix any more")

// editorTime is how long Wine's registry editor may take.
const editorTime = time.Minute

// throughServer reads a key by Wine's own registry editor, which asks the prefix's server, or
// makes it what a tree says.
func throughServer(ctx context.Context, k Key, tree []hive.Branch, write bool) ([]hive.Branch, error) {
	pid := machine.PrefixServer(k.Prefix)
	if pid == 0 {
		return nil, errServerEnded
	}
	loader, environment, err := loaderOf(pid, k.Prefix)
	if err != nil {
		return nil, err
	}
	ctx, cancel := context.WithTimeout(ctx, editorTime)
	defer cancel()
	// The programs inside see it as C:\.
	folder, err := os.MkdirTemp(filepath.Join(k.Prefix, "drive_c"), "endroit-")
	if err != nil {
		return nil, err
	}
	defer os.RemoveAll(folder)
	file, inside := filepath.Join(folder, "key.reg"), `C:\`+filepath.Base(folder)+`\key.reg`
	args := []string{"regedit", "/E", inside, k.Path}
	if write {
		text, err := regtext.Replacing(k.Path, tree)
		if err != nil {
			return nil, err
		}
		if err := os.WriteFile(file, text, 0o600); err != nil {
			return nil, err
		}
		args = []string{"regedit", "/S", inside}
	}
	c := exec.CommandContext(ctx, loader, args...)
	c.Env, c.WaitDelay = environment, 5*time.Second
	var says bytes.Buffer
	c.Stdout, c.Stderr = &says, &says
	ran := c.Run()
	if ctx.Err() != nil {
		return nil, fmt.Errorf("%s %s did not end: %w", loader, args[0], ctx.Err())
	}
	if write {
		if ran != nil {
			return nil, fmt.Errorf("%s %s: %w: %.200q", loader, strings.Join(args, " "), ran, says.String())
		}
		return nil, nil
	}
	text, err := safefile.Read(file, regtext.MaxBytes)
	if errors.Is(err, os.ErrNotExist) {
		// The editor writes no file for a key that is not there, as for whatever else fails:
		// the root key tells them apart.
		root, _, _ := strings.Cut(k.Path, `\`)
		if out, err := run(ctx, loader, environment, "reg", "query", root); err != nil {
			return nil, fmt.Errorf("%s reg query %s: %w: %.200q", loader, root, err, out)
		}
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return regtext.Parse(text, k.Path)
}

func run(ctx context.Context, loader string, environment []string, args ...string) (string, error) {
	c := exec.CommandContext(ctx, loader, args...)
	c.Env, c.WaitDelay = environment, 5*time.Second
	out, err := c.CombinedOutput()
	return string(out), err
}

// loaderOf finds the program that starts Windows' programs for a prefix's server: of the same
// Wine, in the same environment.
func loaderOf(server int, prefix string) (loader string, environment []string, err error) {
	at := filepath.Join("/proc", strconv.Itoa(server))
	exe, err := os.Readlink(filepath.Join(at, "exe"))
	if err != nil {
		return "", nil, fmt.Errorf("the prefix's server (process %d) cannot be asked: %w", server, err)
	}
	environment = os.Environ()
	if data, err := os.ReadFile(filepath.Join(at, "environ")); err == nil && len(data) > 0 {
		environment = strings.Split(strings.TrimRight(string(data), "\x00"), "\x00")
	}
	environment = slices.DeleteFunc(environment, func(e string) bool {
		name, _, _ := strings.Cut(e, "=")
		return name == "WINEPREFIX" || name == "WINEDEBUG" || name == "WINESERVERSOCKET" || name == "WINELOADERNOEXEC"
	})
	environment = append(environment, "WINEPREFIX="+prefix, "WINEDEBUG=-all")
	folder := filepath.Dir(exe)
	for _, name := range []string{
		filepath.Join(folder, "wine64"), filepath.Join(folder, "wine"), filepath.Join(folder, "..", "bin", "wine64"),
		filepath.Join(folder, "..", "bin", "wine"),
	} {
		if info, err := os.Stat(name); err == nil && info.Mode().IsRegular() && info.Mode()&0o111 != 0 {
			return name, environment, nil
		}
	}
	if name, err := exec.LookPath("wine"); err == nil {
		return name, environment, nil
	}
	return "", nil, fmt.Errorf("the program wine was not found beside %s; end what runs in the prefix, and try again", exe)
}
