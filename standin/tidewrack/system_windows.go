package main

import (
	"errors"
	"os"
	"path/filepath"

	"golang.org/x/sys/windows/registry"
)

func folders() (data, config, cache string) {
	local := filepath.Join(os.Getenv("LOCALAPPDATA"), "Tidewrack")
	return filepath.Join(os.Getenv("APPDATA"), "Tidewrack"), local, filepath.Join(local, "cache")
}

const settingsKey = `Software\Tidewrack`

func (g *game) readSettings() error {
	k, err := registry.OpenKey(registry.CURRENT_USER, settingsKey, registry.READ)
	if errors.Is(err, registry.ErrNotExist) {
		return g.writeSettings()
	}
	if err != nil {
		return err
	}
	defer k.Close()
	names, err := k.ReadValueNames(-1)
	if err != nil {
		return err
	}
	for _, n := range names {
		if value, _, err := k.GetStringValue(n); err == nil {
			g.settings[n] = value
		}
	}
	return nil
}

func (g *game) writeSettings() error {
	k, _, err := registry.CreateKey(registry.CURRENT_USER, settingsKey, registry.WRITE)
	if err != nil {
		return err
	}
	defer k.Close()
	for name, value := range g.settings {
		if err := k.SetStringValue(name, value); err != nil {
			return err
		}
	}
	return nil
}
