package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"endroit/standin/launchers"
	"endroit/standin/wine"
)

// prefix is one that Wine makes, with Larder's title installed in it as its
// installer leaves it. It takes a while, so it is kept for the next demo.
func (d *demo) prefix(ctx context.Context) (wine.Prefix, error) {
	p := wine.Prefix{Folder: filepath.Join(d.folder, "wine"), Home: filepath.Join(d.folder, "wine-home")}
	if _, err := os.Stat(p.Folder); err == nil {
		return p, nil
	}
	fresh := wine.Prefix{Folder: p.Folder + ".new", Home: p.Home}
	if err := os.RemoveAll(fresh.Folder); err != nil { // left by a demo that was interrupted
		return p, err
	}
	if err := fresh.Make(ctx); err != nil {
		return p, err
	}
	entry := filepath.Join(fresh.Folder, "entry.reg")
	if err := os.WriteFile(entry, []byte(registryFile()), 0o644); err != nil {
		return p, err
	}
	if _, err := fresh.Run(ctx, "reg", "import", entry); err != nil {
		return p, fmt.Errorf("write the installer's entry: %w", err)
	}
	if err := fresh.Rest(ctx); err != nil {
		return p, err
	}
	if err := os.Remove(entry); err != nil {
		return p, err
	}
	return p, os.Rename(fresh.Folder, p.Folder)
}

// registryFile is Larder's entry as Windows' own registry tool reads it.
func registryFile() string {
	text := "REGEDIT4\r\n\r\n[HKEY_LOCAL_MACHINE\\" + launchers.LarderKey + "]\r\n"
	for _, v := range launchers.LarderValues {
		text += fmt.Sprintf("\"%s\"=\"%s\"\r\n", v[0], strings.ReplaceAll(v[1], `\`, `\\`))
	}
	return text
}
