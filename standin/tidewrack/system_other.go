//go:build !windows

package main

import (
	"errors"
	"os"
	"path/filepath"
	"sort"
	"strings"
)

func folders() (data, config, cache string) {
	return folder("XDG_DATA_HOME", ".local/share"), folder("XDG_CONFIG_HOME", ".config"), folder("XDG_CACHE_HOME", ".cache")
}

func folder(variable, byDefault string) string {
	if v := os.Getenv(variable); filepath.IsAbs(v) {
		return filepath.Join(v, "tidewrack")
	}
	return filepath.Join(os.Getenv("HOME"), byDefault, "tidewrack")
}

func (g *game) readSettings() error {
	b, err := os.ReadFile(filepath.Join(g.config, "settings.ini"))
	if errors.Is(err, os.ErrNotExist) {
		return g.writeSettings()
	}
	for line := range strings.Lines(string(b)) {
		if name, value, found := strings.Cut(strings.TrimSpace(line), "="); found {
			g.settings[name] = value
		}
	}
	return err
}

func (g *game) writeSettings() error {
	var names []string
	for n := range g.settings {
		names = append(names, n)
	}
	sort.Strings(names)
	text := "[tidewrack]\n"
	for _, n := range names {
		text += n + "=" + g.settings[n] + "\n"
	}
	return os.WriteFile(filepath.Join(g.config, "settings.ini"), []byte(text), 0o644)
}
