package machine

import (
	"os"
	"path/filepath"

	"endroit/core/place"
)

// Sandbox is a sandboxed application's own set of folders: Flatpak gives each
// application ~/.var/app/ID with data, config, cache and .local/state in the
// places of the XDG base directories.
type Sandbox struct {
	ID    string
	Roots place.Roots
}

// Sandboxes lists those of the person whose home this is, by ID.
func Sandboxes(home string) []Sandbox {
	top := filepath.Join(home, ".var", "app")
	entries, err := os.ReadDir(top)
	if err != nil {
		return nil // there are none
	}
	var out []Sandbox
	for _, e := range entries {
		if !e.IsDir() {
			continue
		}
		own := filepath.Join(top, e.Name())
		out = append(out, Sandbox{e.Name(), place.SandboxRoots(own)})
	}
	return out
}
