package machine

import (
	"fmt"
	"os"
	"path/filepath"

	"golang.org/x/sys/windows"

	"endroit/core/place"
)

// Roots says where the anchors lie for this user, by the Known Folder calls,
// wherever somebody moved them. The installation's and the account's folder are
// not among them.
func Roots() (place.Roots, error) {
	roots := place.Roots{}
	for _, d := range place.Definitions {
		if d.Folder == "" {
			continue
		}
		id, err := windows.GUIDFromString(d.Folder)
		if err != nil {
			return nil, fmt.Errorf("the id of the folder %s: %w", d.Anchor, err)
		}
		// A folder that was not made yet has its path all the same.
		path, err := windows.KnownFolderPath((*windows.KNOWNFOLDERID)(&id), windows.KF_FLAG_DONT_VERIFY)
		if err != nil {
			return nil, fmt.Errorf("ask Windows for the folder %s: %w", d.Anchor, err)
		}
		roots[d.Anchor] = filepath.ToSlash(path)
	}
	if drive := os.Getenv("SystemDrive"); drive != "" {
		roots[place.PrefixDrive] = drive + "/"
	}
	return roots, nil
}
