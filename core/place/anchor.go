package place

import (
	"fmt"
	"strings"
)

// Anchor is the name of a folder that every machine has in a place of its own.
type Anchor string

// The anchors of this version. Install and AccountData depend on the installed
// edition and its launcher, all others on the machine and the person alone.
const (
	Home                  Anchor = "home"
	Documents             Anchor = "documents"
	SavedGames            Anchor = "saved-games"
	RoamingAppData        Anchor = "roaming-app-data"
	LocalAppData          Anchor = "local-app-data"
	LocalLowAppData       Anchor = "local-low-app-data"
	PublicDocuments       Anchor = "public-documents"
	ProgramData           Anchor = "program-data"
	XDGData               Anchor = "xdg-data"
	XDGConfig             Anchor = "xdg-config"
	XDGState              Anchor = "xdg-state"
	XDGCache              Anchor = "xdg-cache"
	MacApplicationSupport Anchor = "mac-application-support"
	MacPreferences        Anchor = "mac-preferences"
	MacContainers         Anchor = "mac-containers"
	VarGames              Anchor = "var-games"
	Install               Anchor = "install"
	AccountData           Anchor = "account-data"
	PrefixDrive           Anchor = "prefix-drive"
	Registry              Anchor = "registry"
)

// Definition says what an anchor is on each platform.
type Definition struct {
	Anchor Anchor
	// Linux, Windows and Mac hold the definition in the platform's own terms;
	// empty where the platform has no such folder. Windows also speaks for a
	// compatibility prefix.
	Linux, Windows, Mac string
	// Source is the document that the definitions come from.
	Source string
	// Shared is true where many titles keep files side by side, so that the
	// first segment of a pattern has to single one out.
	Shared bool
	// FoldCase is true where names compare without regard to case on every host.
	FoldCase bool
	// below gives the anchors that usually contain this one and the usual way
	// down, as a pattern: "home:AppData/Roaming".
	below []string
}

const (
	xdgBase      = "XDG Base Directory Specification 0.8"
	knownFolders = "Windows Known Folders (KNOWNFOLDERID)"
	appleGuide   = "Apple File System Programming Guide"
)

// Definitions lists every anchor once, in the order in which Roots prefers
// them where two name the same folder.
var Definitions = []Definition{
	{
		Anchor:  Install,
		Linux:   "the installed edition's folder",
		Windows: "the installed edition's folder",
		Mac:     "the installed edition's folder",
		Source:  "the launcher's sheet, or the person",
	},
	{
		Anchor:  AccountData,
		Linux:   "the launcher's folder for one account",
		Windows: "the launcher's folder for one account",
		Mac:     "the launcher's folder for one account",
		Source:  "the launcher's sheet",
	},
	{
		Anchor: XDGData,
		Linux:  "$XDG_DATA_HOME, or $HOME/.local/share",
		Source: xdgBase,
		Shared: true,
		below:  []string{"home:.local/share"},
	},
	{
		Anchor: XDGConfig,
		Linux:  "$XDG_CONFIG_HOME, or $HOME/.config",
		Source: xdgBase,
		Shared: true,
		below:  []string{"home:.config"},
	},
	{
		Anchor: XDGState,
		Linux:  "$XDG_STATE_HOME, or $HOME/.local/state",
		Source: xdgBase,
		Shared: true,
		below:  []string{"home:.local/state"},
	},
	{
		Anchor: XDGCache,
		Linux:  "$XDG_CACHE_HOME, or $HOME/.cache",
		Source: xdgBase,
		Shared: true,
		below:  []string{"home:.cache"},
	},
	{
		Anchor:  SavedGames,
		Windows: "FOLDERID_SavedGames, by default %USERPROFILE%\\Saved Games",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		below: []string{"home:Saved Games", "prefix-drive:users/*/Saved Games"},
	},
	{
		Anchor:  RoamingAppData,
		Windows: "FOLDERID_RoamingAppData, by default %APPDATA%",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		below: []string{"home:AppData/Roaming", "prefix-drive:users/*/AppData/Roaming"},
	},
	{
		Anchor:  LocalLowAppData,
		Windows: "FOLDERID_LocalAppDataLow, by default %USERPROFILE%\\AppData\\LocalLow",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		below: []string{"home:AppData/LocalLow", "prefix-drive:users/*/AppData/LocalLow"},
	},
	{
		Anchor:  LocalAppData,
		Windows: "FOLDERID_LocalAppData, by default %LOCALAPPDATA%",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		below: []string{"home:AppData/Local", "prefix-drive:users/*/AppData/Local"},
	},
	{
		Anchor:  PublicDocuments,
		Windows: "FOLDERID_PublicDocuments, by default %PUBLIC%\\Documents",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		below: []string{"prefix-drive:users/Public/Documents"},
	},
	{
		Anchor:  ProgramData,
		Windows: "FOLDERID_ProgramData, by default %ALLUSERSPROFILE%",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		below: []string{"prefix-drive:ProgramData"},
	},
	{
		Anchor: MacContainers,
		Mac:    "~/Library/Containers",
		Source: appleGuide,
		Shared: true,
		below:  []string{"home:Library/Containers"},
	},
	{
		Anchor: MacApplicationSupport,
		Mac:    "~/Library/Application Support",
		Source: appleGuide,
		Shared: true,
		below:  []string{"home:Library/Application Support"},
	},
	{
		Anchor: MacPreferences,
		Mac:    "~/Library/Preferences",
		Source: appleGuide,
		Shared: true,
		below:  []string{"home:Library/Preferences"},
	},
	{Anchor: VarGames, Linux: "/var/games", Source: "Filesystem Hierarchy Standard 3.0", Shared: true},
	{
		Anchor:  Documents,
		Linux:   "XDG_DOCUMENTS_DIR of user-dirs.dirs, or $HOME/Documents",
		Windows: "FOLDERID_Documents, by default %USERPROFILE%\\Documents",
		Mac:     "~/Documents",
		Source:  knownFolders + "; xdg-user-dirs",
		Shared:  true,
		below:   []string{"home:Documents", "prefix-drive:users/*/Documents"},
	},
	{
		Anchor:  Home,
		Linux:   "$HOME",
		Windows: "FOLDERID_Profile, by default %USERPROFILE%",
		Mac:     "~",
		Source:  xdgBase + "; " + knownFolders + "; " + appleGuide,
		Shared:  true,
		below:   []string{"prefix-drive:users/*"},
	},
	{
		Anchor:  PrefixDrive,
		Windows: "C: inside a prefix, or the system drive",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
	},
	{
		Anchor:  Registry,
		Windows: "the registry; the first segment is the root key's full name",
		Source:  "Windows registry hives",
		Shared:  true, FoldCase: true,
	},
}

var byAnchor = func() map[Anchor]Definition {
	m := make(map[Anchor]Definition, len(Definitions))
	for _, d := range Definitions {
		m[d.Anchor] = d
	}
	return m
}()

// Define returns what the anchor means; ok is false if there is no such anchor.
func Define(a Anchor) (d Definition, ok bool) {
	d, ok = byAnchor[a]
	return d, ok
}

func anchorNames() string {
	names := make([]string, len(Definitions))
	for i, d := range Definitions {
		names[i] = string(d.Anchor)
	}
	return strings.Join(names, ", ")
}

func unknownAnchor(name string) error {
	return fmt.Errorf("there is no anchor %q; the anchors are %s", name, anchorNames())
}
