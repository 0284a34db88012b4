//go:build amd64 || arm64

package companion

import "os"

// The names under which the program starts itself again.
const (
	launcherName = "endroit-launcher"
	keeperName   = "endroit-keeper"
)

// self is this program, however it was started.
const self = "/proc/self/exe"

func init() {
	if len(os.Args) == 0 {
		return
	}
	switch os.Args[0] {
	case launcherName:
		os.Exit(launch(os.Args[1:]))
	case keeperName:
		os.Exit(keep(os.Args[1:]))
	}
}
