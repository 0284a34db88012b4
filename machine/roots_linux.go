package machine

import (
	"os"
	"path/filepath"

	"endroit/core/place"
	"endroit/safefile"
)

// Roots says where the anchors lie for this user, by the environment and
// user-dirs.dirs. The installation's and the account's folder are not among
// them.
func Roots() (place.Roots, error) {
	env := map[string]string{}
	for _, name := range place.LinuxVariables {
		env[name] = os.Getenv(name)
	}
	if env["HOME"] == "" {
		home, err := os.UserHomeDir()
		if err != nil {
			return nil, err
		}
		env["HOME"] = home
	}
	if env["XDG_DOCUMENTS_DIR"] == "" {
		config := place.LinuxRoots(env)[place.XDGConfig]
		if text, err := safefile.Read(filepath.Join(config, "user-dirs.dirs"), 1<<20); err == nil {
			env["XDG_DOCUMENTS_DIR"] = userDirs(string(text), env["HOME"])
		}
	}
	return place.LinuxRoots(env), nil
}
