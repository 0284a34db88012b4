package place

import (
	"fmt"
	"slices"
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

// Definition is all that is known of an anchor: what it is on each platform, where that
// usually is, and by what means a program finds out.
type Definition struct {
	Anchor Anchor
	// Linux, Windows and Mac hold the definition in the platform's own terms; empty where
	// the platform has no such folder. Windows also speaks for a compatibility prefix.
	Linux, Windows, Mac string
	// Source is the document that the definitions come from.
	Source string
	// Shared is true where many titles keep files side by side, so that the first segment
	// of a pattern has to single one out.
	Shared bool
	// Keeps is true where programs keep what is theirs and little else lies, so that the
	// folder can be watched as a whole.
	Keeps bool
	// FoldCase is true where names compare without regard to case on every host.
	FoldCase bool

	// Variable names the folder on Linux. InUserDirs says that it stands in user-dirs.dirs
	// instead of the environment (xdg-user-dirs), so that no shell has it.
	Variable   string
	InUserDirs bool
	// InHome is where the folder is below a person's home on Linux, unless Variable says
	// otherwise; "." is the home itself. Fixed is where it is for everybody.
	InHome, Fixed string
	// InMacHome is where it is below a person's home on macOS.
	InMacHome string
	// InSandbox is where it is below a sandboxed application's own folder (Flatpak,
	// ~/.var/app/ID).
	InSandbox string
	// Percent is how it is written for Windows' file manager, with a variable.
	Percent string
	// OnDrive is where it is on C: unless somebody moved it, with % for the user's name;
	// "." is the drive itself.
	OnDrive string
	// Folder is the known folder's id (KNOWNFOLDERID). A prefix's registry has it under
	// Value, below Explorer\User Shell Folders and Shell Folders; EveryUser says that it
	// stands in the machine's hive.
	Folder, Value string
	EveryUser     bool
}

// usually lists the anchors that usually contain this one, with the way down, as locations:
// "home:AppData/Roaming".
func (d Definition) usually() (all []string) {
	add := func(text string) {
		if !slices.Contains(all, text) {
			all = append(all, text)
		}
	}
	for _, below := range []string{d.InHome, d.InMacHome} {
		if below != "" && below != "." {
			add("home:" + below)
		}
	}
	if d.OnDrive != "" && d.OnDrive != "." {
		drive := strings.ReplaceAll(d.OnDrive, `\`, "/")
		if below, ok := strings.CutPrefix(drive, "users/%/"); ok {
			add("home:" + below)
		}
		add("prefix-drive:" + strings.Replace(drive, "%", "*", 1))
	}
	return all
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
		Anchor:   XDGData,
		Linux:    "$XDG_DATA_HOME, or $HOME/.local/share",
		Source:   xdgBase,
		Shared:   true,
		Keeps:    true,
		Variable: "XDG_DATA_HOME", InHome: ".local/share", InSandbox: "data",
	},
	{
		Anchor:   XDGConfig,
		Linux:    "$XDG_CONFIG_HOME, or $HOME/.config",
		Source:   xdgBase,
		Shared:   true,
		Keeps:    true,
		Variable: "XDG_CONFIG_HOME", InHome: ".config", InSandbox: "config",
	},
	{
		Anchor:   XDGState,
		Linux:    "$XDG_STATE_HOME, or $HOME/.local/state",
		Source:   xdgBase,
		Shared:   true,
		Keeps:    true,
		Variable: "XDG_STATE_HOME", InHome: ".local/state", InSandbox: ".local/state",
	},
	{
		Anchor:   XDGCache,
		Linux:    "$XDG_CACHE_HOME, or $HOME/.cache",
		Source:   xdgBase,
		Shared:   true,
		Variable: "XDG_CACHE_HOME", InHome: ".cache", InSandbox: "cache",
	},
	{
		Anchor:  SavedGames,
		Windows: "FOLDERID_SavedGames, by default %USERPROFILE%\\Saved Games",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		Keeps:   true,
		Percent: `%USERPROFILE%\Saved Games`, OnDrive: `users\%\Saved Games`,
		Folder: "{4C5C32FF-BB9D-43B0-B5B4-2D72E54EAAA4}", Value: "{4C5C32FF-BB9D-43B0-B5B4-2D72E54EAAA4}",
	},
	{
		Anchor:  RoamingAppData,
		Windows: "FOLDERID_RoamingAppData, by default %APPDATA%",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		Keeps:   true,
		Percent: "%APPDATA%", OnDrive: `users\%\AppData\Roaming`,
		Folder: "{3EB685DB-65F9-4CF6-A03A-E3EF65729F3D}", Value: "AppData",
	},
	{
		Anchor:  LocalLowAppData,
		Windows: "FOLDERID_LocalAppDataLow, by default %USERPROFILE%\\AppData\\LocalLow",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		Keeps:   true,
		Percent: `%USERPROFILE%\AppData\LocalLow`, OnDrive: `users\%\AppData\LocalLow`,
		Folder: "{A520A1A4-1780-4FF6-BD18-167343C5AF16}", Value: "{A520A1A4-1780-4FF6-BD18-167343C5AF16}",
	},
	{
		Anchor:  LocalAppData,
		Windows: "FOLDERID_LocalAppData, by default %LOCALAPPDATA%",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		Keeps:   true,
		Percent: "%LOCALAPPDATA%", OnDrive: `users\%\AppData\Local`,
		Folder: "{F1B32785-6FBA-4FCF-9D55-7B8E7F157091}", Value: "Local AppData",
	},
	{
		Anchor:  PublicDocuments,
		Windows: "FOLDERID_PublicDocuments, by default %PUBLIC%\\Documents",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		Percent: `%PUBLIC%\Documents`, OnDrive: `users\Public\Documents`,
		Folder: "{ED4824AF-DCE4-45A8-81E2-FC7965083634}", Value: "Common Documents", EveryUser: true,
	},
	{
		Anchor:  ProgramData,
		Windows: "FOLDERID_ProgramData, by default %ALLUSERSPROFILE%",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		Percent: "%ALLUSERSPROFILE%", OnDrive: "ProgramData",
		Folder: "{62AB5D82-FDC1-4DC3-A9DD-070D1D495D97}", Value: "Common AppData", EveryUser: true,
	},
	{
		Anchor:    MacContainers,
		Mac:       "~/Library/Containers",
		Source:    appleGuide,
		Shared:    true,
		InMacHome: "Library/Containers",
	},
	{
		Anchor:    MacApplicationSupport,
		Mac:       "~/Library/Application Support",
		Source:    appleGuide,
		Shared:    true,
		Keeps:     true,
		InMacHome: "Library/Application Support",
	},
	{
		Anchor:    MacPreferences,
		Mac:       "~/Library/Preferences",
		Source:    appleGuide,
		Shared:    true,
		Keeps:     true,
		InMacHome: "Library/Preferences",
	},
	{
		Anchor: VarGames,
		Linux:  "/var/games",
		Source: "Filesystem Hierarchy Standard 3.0",
		Shared: true,
		Keeps:  true,
		Fixed:  "/var/games",
	},
	{
		Anchor:   Documents,
		Linux:    "XDG_DOCUMENTS_DIR of user-dirs.dirs, or $HOME/Documents",
		Windows:  "FOLDERID_Documents, by default %USERPROFILE%\\Documents",
		Mac:      "~/Documents",
		Source:   knownFolders + "; xdg-user-dirs",
		Shared:   true,
		Variable: "XDG_DOCUMENTS_DIR", InUserDirs: true, InHome: "Documents", InMacHome: "Documents",
		Percent: `%USERPROFILE%\Documents`, OnDrive: `users\%\Documents`,
		Folder: "{FDD39AD0-238F-46AF-ADB4-6C85480369C7}", Value: "Personal",
	},
	{
		Anchor:   Home,
		Linux:    "$HOME",
		Windows:  "FOLDERID_Profile, by default %USERPROFILE%",
		Mac:      "~",
		Source:   xdgBase + "; " + knownFolders + "; " + appleGuide,
		Shared:   true,
		Variable: "HOME", InHome: ".", InMacHome: ".",
		Percent: "%USERPROFILE%", OnDrive: `users\%`,
		Folder: "{5E6C858F-0E22-4760-9AFE-EA3317B67173}",
	},
	{
		Anchor:  PrefixDrive,
		Windows: "C: inside a prefix, or the system drive",
		Source:  knownFolders,
		Shared:  true, FoldCase: true,
		Percent: "%SystemDrive%", OnDrive: ".",
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
