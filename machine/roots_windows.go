package machine

import (
	"fmt"
	"os"
	"path/filepath"

	"golang.org/x/sys/windows"

	"endroit/core/place"
)

// windowsFolders are the known folders that anchors stand for
// (SHGetKnownFolderPath; Windows Known Folders).
var windowsFolders = map[place.Anchor]*windows.KNOWNFOLDERID{
	place.Home:            windows.FOLDERID_Profile,
	place.Documents:       windows.FOLDERID_Documents,
	place.SavedGames:      windows.FOLDERID_SavedGames,
	place.RoamingAppData:  windows.FOLDERID_RoamingAppData,
	place.LocalAppData:    windows.FOLDERID_LocalAppData,
	place.LocalLowAppData: windows.FOLDERID_LocalAppDataLow,
	place.PublicDocuments: windows.FOLDERID_PublicDocuments,
	place.ProgramData:     windows.FOLDERID_ProgramData,
}

// Roots says where the anchors lie for this user, by the Known Folder calls,
// wherever somebody moved them. The installation's and the account's folder are
// not among them.
func Roots() (place.Roots, error) {
	roots := place.Roots{}
	for anchor, id := range windowsFolders {
		// A folder that was not made yet has its path all the same.
		path, err := windows.KnownFolderPath(id, windows.KF_FLAG_DONT_VERIFY)
		if err != nil {
			return nil, fmt.Errorf("ask Windows for the folder %s: %w", anchor, err)
		}
		roots[anchor] = filepath.ToSlash(path)
	}
	if drive := os.Getenv("SystemDrive"); drive != "" {
		roots[place.PrefixDrive] = drive + "/"
	}
	return roots, nil
}
