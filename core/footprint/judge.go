package footprint

import (
	"fmt"
	"math"
	"path"
	"regexp"
	"slices"
	"strings"
	"sync"
	"time"

	"endroit/core/content"
	"endroit/core/place"
	"endroit/core/trace"
)

// view is a file as the features look at it.
type view struct {
	*record
	b      *builder
	state  trace.State // at the end
	base   string      // the name in lower case
	ext    string
	anchor place.Anchor
	names  []string // below the anchor
	placed bool
	near   []string
}

// place finds the anchor that the file lies below.
func (v *view) place() {
	if v.file.IsKey() {
		if l, err := place.ParseAny(v.file.Path); err == nil {
			v.anchor, v.names, v.placed = l.Anchor, l.Names(), true
		}
		return
	}
	roots := v.b.rootsOf(v.process)
	if v.b.h.OS == "windows" {
		v.anchor, v.names, v.placed = roots.PlaceFold(v.file.Path)
		return
	}
	v.anchor, v.names, v.placed = roots.Place(v.file.Path)
	if !v.placed && v.reached != "" {
		v.anchor, v.names, v.placed = roots.Place(v.reached) // a link in the place leads to it
	}
}

// feature is one piece of evidence. Its test returns the reason in words that a
// person can check, empty where the feature does not apply. The weight adds to
// the logarithm of the kind's odds; a negative one speaks against the kind.
type feature struct {
	kind   Kind
	weight float64
	test   func(*view) string
}

// features is the whole of the judgement. Standards and names are evidence, not
// proof: what was done to a file weighs most.
var features = []feature{
	{System, 6, (*view).systemPath},
	{System, 8, (*view).desktopFile},
	{System, 8, (*view).windowsKey},
	{System, 8, (*view).sessionKey},
	{System, 2, (*view).writtenByOthers},
	{Config, -7, (*view).writtenByOthers},
	{Config, 4, (*view).programKey},
	{Asset, 5, (*view).neverWrittenInInstall},
	{Asset, 5, (*view).neverWrittenShared},
	{Asset, 2, (*view).neverWrittenMedia},
	{Temp, 12, (*view).becameAnother},
	{Temp, 5, (*view).writtenAndRemoved},
	{Temp, 3, (*view).temporaryFolder},
	{Temp, 2, (*view).temporaryName},
	{Lock, 5, (*view).lockName},
	{Lock, 2, (*view).emptyAndRemoved},
	{Cache, 5, (*view).cacheFolder},
	{Save, -4, (*view).cacheFolder},
	{Config, -4, (*view).cacheFolder},
	{Capture, -4, (*view).cacheFolder},
	{Cache, 4, (*view).cacheName},
	{Cache, 5, (*view).compiledCode},
	{Save, -4, (*view).compiledCode},
	{Config, -4, (*view).compiledCode},
	{Cache, 7, (*view).madeFromAsset},
	{Save, -7, (*view).madeFromAsset},
	{Config, -5, (*view).madeFromAsset},
	{Save, -2, (*view).cacheName},
	{Capture, -4, (*view).cacheName},
	{Capture, -6, (*view).thumbnailFolder},
	{Cache, 4, (*view).thumbnailFolder},
	{Asset, 5, (*view).fetchedFolder},
	{Save, -2, (*view).fetchedFolder},
	{Log, 4, (*view).logName},
	{Log, 4, (*view).crashReport},
	{Log, 2, (*view).logFolder},
	{Log, 2.5, (*view).appendedAtTheEnd},
	{Log, 3, (*view).grewWhileOpen},
	{Log, 3, (*view).openedOften},
	{Log, -1.5, (*view).readWithContent},
	{Config, 3, (*view).configName},
	{Config, 1.5, (*view).settingName},
	{Config, 3, (*view).rcName},
	{Config, 1.5, (*view).dotFile},
	{Config, 2, (*view).configExtension},
	{Config, 2, (*view).configFolder},
	{Config, 1.5, (*view).settingsInside},
	{Config, 2.5, (*view).writtenNearSetting},
	{Config, 1.5, (*view).writtenThenAlone},
	{Config, 1, (*view).readFirst},
	{Save, 3, (*view).saveName},
	{Save, 1.5, (*view).progressName},
	{Save, 2, (*view).saveExtension},
	{Save, 2.5, (*view).saveFolder},
	{Save, 3, (*view).writtenNearSaved},
	{Save, 1, (*view).writtenNearExit},
	{Save, 1.5, (*view).replacedThroughTemporary},
	{Save, 1.5, (*view).readFirst},
	{Save, 1, (*view).bytesInside},
	{Save, 1, (*view).dataFolder},
	{Save, 1.5, (*view).keepsOldContent},
	{Save, -3, (*view).openedOften},
	{Save, -1.5, (*view).writtenAtAnyTime},
	{Save, -2, (*view).writtenAtTheStartAlone},
	{Config, -3, (*view).openedOften},
	{Save, -6, (*view).goneAfterwards},
	{Config, -6, (*view).goneAfterwards},
	{Save, -6, (*view).credentialName},
	{Config, -6, (*view).credentialName},
	{Save, -7, (*view).writtenByOthers},
	{Capture, -7, (*view).writtenByOthers},
	{Config, -0.5, (*view).writtenByAService},
	{Save, -0.5, (*view).writtenByAService},
	{Save, -2, (*view).programKey},
	{Log, 2.5, (*view).onlyForward},
	{Save, 1, (*view).rewrittenInPlace},
	{Save, -3, (*view).neverWritten},
	{Config, -1.5, (*view).neverWritten},
	{Capture, 6, (*view).pictureMade},
	{Capture, 5, (*view).pictureFolder},
	{Save, -2, (*view).pictureFolder},
	{Capture, 4, (*view).recordingExtension},
}

// unknownPoints is how many points a kind needs to be as likely as Unknown.
const unknownPoints = 2.0

// evidence is what applies to the file, for and against every kind.
func (v *view) evidence() (list []Evidence) {
	for _, f := range features {
		if text := f.test(v); text != "" {
			list = append(list, Evidence{f.kind, f.weight, text})
		}
	}
	return list
}

func odds(points float64) float64 { return math.Exp(points) }

// weigh adds the evidence up for each kind that any is of, and the odds of all.
func weigh(list []Evidence) (points map[Kind]float64, sum float64) {
	points = map[Kind]float64{Unknown: unknownPoints}
	for _, e := range list {
		points[e.Kind] += e.Weight
	}
	for _, k := range Kinds { // in one order, so that the sum is one number
		if p, ok := points[k]; ok {
			sum += odds(p)
		}
	}
	return points, sum
}

// Decide finds the likeliest kind. The confidence is the kind's share of the odds of
// all kinds; the reasons are those for the kind, the weightiest first.
func Decide(list []Evidence) (Kind, float64, []string) {
	points, sum := weigh(list)
	best := Unknown
	for _, k := range Kinds {
		if p, ok := points[k]; ok && p > points[best] {
			best = k
		}
	}
	own := slices.DeleteFunc(slices.Clone(list), func(e Evidence) bool { return e.Kind != best })
	slices.SortStableFunc(own, func(a, b Evidence) int { return compareDown(a.Weight, b.Weight) })
	texts := []string{}
	for _, e := range own {
		if e.Weight < 0 {
			e.Text = "against it: " + e.Text
		}
		texts = append(texts, e.Text)
	}
	if best == Unknown {
		texts = append(texts, "no observation points clearly to one kind")
	}
	// Nothing that was only seen is certain.
	return best, min(math.Round(100*odds(points[best])/sum)/100, 0.99), texts
}

func (v *view) writesSeen() bool { return v.writes > 0 || len(v.sizes) > 0 || v.positions > 0 }

func (v *view) neverWritten() string {
	switch {
	case v.writesSeen():
		return ""
	case v.unused > 0:
		return fmt.Sprintf("it was opened for writing %s, but not written", times(v.unused))
	}
	return "it was never written in this run"
}

var systemRoots = []string{
	"/proc/", "/sys/", "/dev/", "/etc/", "/usr/lib", "/lib", "/run/", "/var/lib/", "/var/cache/",
	"/usr/local/lib", "/boot/", "/snap/", "/usr/bin/", "/bin/", "/usr/sbin/", "/sbin/",
}

func (v *view) inInstall() bool { return v.placed && v.anchor == place.Install }

func (v *view) systemPath() string {
	if v.inInstall() {
		return ""
	}
	if v.b.prefix.isHive(v.file.Path) {
		return "it is the prefix's registry file; what programs keep is in its keys"
	}
	if v.b.prefix.isWindows(v.file.Path) {
		return "it is one of Windows' own files in the prefix"
	}
	if v.b.prefix != nil && (v.base == "desktop.ini" || v.base == "thumbs.db") {
		return "Windows keeps how the folder is shown in it"
	}
	if v.b.h.OS == "windows" && systemPaths().windowsFolder.MatchString(v.file.Path) {
		return "it is one of Windows' own files"
	}
	for _, root := range systemRoots {
		if strings.HasPrefix(v.file.Path, root) {
			return "it lies in " + strings.TrimSuffix(root, "/") + ", which belongs to the operating system"
		}
	}
	if strings.HasPrefix(v.file.Path, "/usr/share/") && !v.writesSeen() && !strings.Contains(v.file.Path, "/games/") &&
		!v.ownName() {
		return "it lies in /usr/share and was never written"
	}
	return ""
}

// desktopNames are what desktops and libraries keep for themselves in the
// person's folders: the first name below the anchor.
var desktopNames = map[place.Anchor][]string{
	place.Home: {
		".Xauthority", ".ICEauthority", ".Xdefaults", ".pulse", ".pulse-cookie", ".terminfo", ".inputrc",
		".profile", ".bashrc", ".drirc", ".asoundrc", ".fonts", ".fonts.conf", ".icons", ".themes", ".nv",
		".dbus", ".gtkrc-2.0",
	},
	place.XDGConfig: {
		"pulse", "dconf", "fontconfig", "gtk-2.0", "gtk-3.0", "gtk-4.0", "user-dirs.dirs", "user-dirs.locale",
		"mimeapps.list", "kdeglobals", "ibus", "pipewire", "alsa", "Trolltech.conf", "vulkan",
	},
	place.XDGData: {
		"mime", "applications", "icons", "fonts", "themes", "recently-used.xbel", "gvfs-metadata", "vulkan",
		"glib-2.0",
	},
	place.RoamingAppData: {"Microsoft"},
	place.LocalAppData:   {"Microsoft", "Packages", "CrashDumps", "D3DSCache", "NVIDIA"},
	place.XDGState:       {"wireplumber", "pipewire"},
	place.XDGCache:       {"mesa_shader_cache", "mesa_shader_cache_db", "nvidia", "fontconfig", "gstreamer-1.0"},
}

func (v *view) desktopFile() string {
	if !v.placed {
		return ""
	}
	for _, n := range desktopNames[v.anchor] {
		if v.names[0] == n {
			return n + " belongs to the desktop, not to a title"
		}
	}
	return ""
}

func (v *view) neverWrittenInInstall() string {
	if v.writesSeen() || !v.inInstall() {
		return ""
	}
	return "it came with the installation and was never written"
}

func (v *view) neverWrittenShared() string {
	p := v.file.Path
	if v.writesSeen() ||
		!(strings.HasPrefix(p, "/usr/") && (strings.Contains(p, "/games/") || v.ownName()) || strings.HasPrefix(p, "/opt/")) {
		return ""
	}
	return "it lies in a folder for installed programs and was never written"
}

func (v *view) neverWrittenMedia() string {
	if v.writesSeen() || !CameAlong(v.state.Looks) {
		return ""
	}
	return "it looks like a " + v.state.Looks + " and was never written"
}

// CameAlong reports whether content looks like what comes with a program, by what
// content.Looks says of it: pictures, sounds, fonts, programs.
func CameAlong(looks string) bool {
	return strings.Contains(looks, "picture") || strings.Contains(looks, "sound") || strings.Contains(looks, "font") ||
		strings.Contains(looks, "texture") ||
		strings.Contains(looks, "program")
}

// ownName holds if a folder on the way, or the file, is called like the title
// or like the program that used it.
func (v *view) ownName() bool {
	own := []string{lettersAndDigits(v.b.h.Title)}
	if p := v.b.processes[v.process]; p.Exe != "" {
		own = append(own, lettersAndDigits(path.Base(p.Exe)))
	}
	for _, name := range strings.Split(v.file.Path, "/") {
		s := lettersAndDigits(name)
		for _, o := range own {
			if len(o) >= 3 && strings.Contains(s, o) {
				return true
			}
		}
	}
	return false
}

func lettersAndDigits(s string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' {
			return r
		}
		return -1
	}, strings.ToLower(s))
}

func (v *view) becameAnother() string {
	if v.becomes == nil || !v.removed {
		return ""
	}
	return "it was written and then renamed to " + path.Base(v.becomes.file.Path)
}

func (v *view) writtenAndRemoved() string {
	if !v.created || !v.removed || v.becomes != nil || v.state.Is == trace.IsFile {
		return ""
	}
	return fmt.Sprintf("it was made in this run and removed again at %s", clock(v.removedAt))
}

func (v *view) temporaryFolder() string {
	if name := systemPaths().windowsTemp.FindString(v.file.Path); name != "" && (v.writesSeen() || v.removed) {
		return "it lies in Windows' folder for temporary files"
	}
	for _, t := range []string{"/tmp/", "/var/tmp/"} {
		if strings.HasPrefix(v.file.Path, t) && !v.placed && (v.writesSeen() || v.removed) {
			return "it lies in " + strings.TrimSuffix(t, "/")
		}
	}
	return ""
}

func (v *view) temporaryName() string {
	if strings.HasSuffix(v.base, ".tmp") || strings.HasSuffix(v.base, ".temp") || strings.HasSuffix(v.base, ".part") ||
		strings.HasPrefix(v.base, "tmp") {
		return "its name is one for temporary files"
	}
	return ""
}

// systemPaths are what belongs to Windows, in paths and in the registry.
type systemPatterns struct {
	windowsFolder, windowsTemp, windowsKeys, sessionKeys, softwareKeys *regexp.Regexp
}

var systemPaths = sync.OnceValue(func() (p systemPatterns) {
	p.windowsFolder = regexp.MustCompile(
		`(?i)^[a-z]:/(windows|\$recycle\.bin|system volume information|programdata/microsoft|program files/windowsapps)/`,
	)
	p.windowsTemp = regexp.MustCompile(`(?i)/appdata/local/temp/`)
	p.windowsKeys = regexp.MustCompile(
		`(?i)^registry:(HKEY_USERS|HKEY_CURRENT_CONFIG|HKEY_CLASSES_ROOT` +
			`|HKEY_LOCAL_MACHINE/(System|Hardware|Security|SAM` +
			`|Software/(Wow6432Node/)?(Microsoft|Classes|Wine|Clients|Policies|RegisteredApplications|ODBC))` +
			`|HKEY_CURRENT_USER/(AppEvents|Console|Control Panel|Environment|EUDC|Identities|Keyboard Layout|Network|Printers|System` +
			`|Software/(Wow6432Node/)?(Microsoft|Classes|Wine|Clients|Policies)))/`,
	)
	p.sessionKeys = regexp.MustCompile(
		`(?i)^registry:HKEY_(CURRENT_USER|USERS/[^/]+)/(Volatile Environment|SessionInformation|Software/Wine/(Temporary|Fonts/Cache))`,
	)
	p.softwareKeys = regexp.MustCompile(`(?i)^registry:HKEY_(CURRENT_USER|LOCAL_MACHINE)/Software/(Wow6432Node/)?[^/]+/`)
	return p
})

// keyText is a key's location as it reads, without percent signs.
func (v *view) keyText() string {
	if !v.file.IsKey() {
		return ""
	}
	return "registry:" + strings.Join(v.names, "/") + "/"
}

func (v *view) sessionKey() string {
	if systemPaths().sessionKeys.MatchString(v.keyText()) {
		return "Windows keeps this key for one session only and creates it again"
	}
	return ""
}

func (v *view) windowsKey() string {
	if m := systemPaths().windowsKeys.FindString(v.keyText()); m != "" {
		return "keys in " + strings.TrimSuffix(strings.TrimPrefix(m, "registry:"), "/") + " belong to Windows or to what runs it"
	}
	return ""
}

func (v *view) programKey() string {
	if text := v.keyText(); systemPaths().softwareKeys.MatchString(text) && !systemPaths().windowsKeys.MatchString(text) {
		return "it is a key of a program's own in the registry, where settings are kept"
	}
	return ""
}

// On a desktop other programs write all the time. What nobody that was observed wrote
// counts for the title only where a folder or the file is called like it.
func (v *view) writtenByOthers() string {
	if v.unobserved && v.writes == 0 && !v.ownName() {
		return trace.Unobserved + ", and its name is not the title's: another program may have done so for itself"
	}
	return ""
}

func (v *view) writtenByAService() string {
	if v.unobserved && v.writes == 0 && v.ownName() {
		return trace.Unobserved + ": another program may have, on the game's behalf"
	}
	return ""
}

// onlyForward holds for a file that stayed open and of which each look found more.
func (v *view) onlyForward() string {
	if v.positions >= 3 && v.rewound == 0 && v.positions > v.writes && strings.HasPrefix(v.state.Looks, content.Text) {
		return fmt.Sprintf("it stayed open and grew (%s)", times(v.positions))
	}
	return ""
}

func (v *view) rewrittenInPlace() string {
	if v.rewound > 0 {
		return fmt.Sprintf("it stayed open and was rewritten from an earlier position (%s)", times(v.rewound))
	}
	return ""
}

func (v *view) lockName() string {
	if strings.HasSuffix(v.base, ".lock") || strings.HasSuffix(v.base, ".lck") || strings.HasSuffix(v.base, ".pid") ||
		v.base == "lock" ||
		v.base == "lockfile" {
		return "its name is one for locks"
	}
	return ""
}

func (v *view) emptyAndRemoved() string {
	if !v.created || !v.removed || v.becomes != nil || v.state.Size != 0 {
		return ""
	}
	for _, size := range v.sizes {
		if size > 0 {
			return ""
		}
	}
	return "it stayed empty and was removed"
}

func (v *view) cacheFolder() string {
	if v.placed && v.anchor == place.XDGCache {
		return "it lies in the folder for caches (XDG_CACHE_HOME)"
	}
	if name := v.folderLike(wordShapes().cacheWords); name != "" {
		return "it lies in a folder called " + name
	}
	return ""
}

// wordShapes are the words in names that the rules go by.
type wordPatterns struct {
	cacheWords, cacheNames, thumbnailWords, crashWords, settingWords, credentialNames, fetchedWords *regexp.Regexp
	logWords, saveWords, progressWords, rcNames, pictureWords, configWords                          *regexp.Regexp
}

// whole matches a word that stands by itself in a name in lower case, and ending also one
// that another runs into: greedscores.
func whole(words string) string { return `(^|[^a-z])` + ending(words) }
func ending(words string) string {
	return `(` + strings.Join(strings.Fields(words), "|") + `)([^a-z]|$)`
}

// folders matches the whole name of a folder in lower case.
func folders(words string) string { return `^(` + strings.Join(strings.Fields(words), "|") + `)$` }

var wordShapes = sync.OnceValue(func() (p wordPatterns) {
	p.cacheWords = regexp.MustCompile(`cache|shader`)
	p.cacheNames = regexp.MustCompile(
		whole(`cached? caches shaders? pipelines? thumbs? thumbnails?`) + `|` + ending(`cache`),
	)
	p.credentialNames = regexp.MustCompile(whole(
		`tokens? cookies? credentials? secrets? passwords? passwd oauth auth logins? api[-_]?keys? private[-_]?keys?`,
	))
	p.fetchedWords = regexp.MustCompile(folders(
		`downloads? downloaded updates? patch(es)? dlcs? packages? bundles? unpacked extracted
		site-packages dist-packages node_modules`,
	))
	p.crashWords = regexp.MustCompile(whole(`crash(ed|es|dumps?|reports?)? minidumps? coredumps? stacktraces? tracebacks?`))
	p.settingWords = regexp.MustCompile(whole(
		`keys keymaps? hotkeys? macros? inputs? joysticks? gamepads?
		window display graphics video audio sound volume language locale`,
	))
	p.thumbnailWords = regexp.MustCompile(`^` + ending(`thumbs? thumbnails? previews?`))
	p.logWords = regexp.MustCompile(folders(`logs? crash(es|dumps|reports)? diagnostics`))
	p.saveWords = regexp.MustCompile(
		whole(
			`sav(e|es|ed|egames?|ings?)? slots? profiles? progress hi-?scores? highscores?
			achievements? autosaves? quicksaves? checkpoints? careers? campaigns?`,
		) + `|savegame|autosave|` + ending(`scores?`),
	)
	p.progressWords = regexp.MustCompile(
		whole(
			`worlds? chars? heroes hero players? history records? stats trophies unlocks unlocked
			stor(y|ies) towns? cit(y|ies) games? adventures? quests? fame best rankings? leaderboards? continue resume`,
		) + `|` + ending(`history records progress characters? campaigns? statistics hi(gh)?scr hscr`) + `|^\.?` + ending(`state`),
	)
	p.rcNames = regexp.MustCompile(`^\.?([a-z0-9_+-]{2,})?rc([-_.][0-9.]+)?$`)
	p.pictureWords = regexp.MustCompile(folders(
		`pictures? screenshots? screens shots? photos? captures? replays? recordings? demos? clips? movies? videos? ghosts?`,
	))
	p.configWords = regexp.MustCompile(`config|settings?|options?|prefs?|preferences|keybind|bindings|controls`)
	return p
})

// What lets a person in is neither progress nor settings, wherever it lies: nobody may be
// led to copy it, or to let it be overwritten.
func (v *view) credentialName() string {
	if m := wordShapes().credentialNames.FindStringSubmatch(v.base); m != nil {
		return fmt.Sprintf("its name contains %q: credentials are neither progress nor settings", m[2])
	}
	return ""
}

// nameIn is the word of a name that a pattern finds, without what parts it from others.
func nameIn(words *regexp.Regexp, base string) string {
	return strings.Trim(words.FindString(base), "._- 0123456789")
}

func (v *view) cacheName() string {
	if m := nameIn(wordShapes().cacheNames, v.base); m != "" {
		return fmt.Sprintf("its name contains %q", m)
	}
	return ""
}

// thumbnailFolder holds for small pictures that a program made to show its own levels or
// saves by: it makes them again.
func (v *view) thumbnailFolder() string {
	if name := v.folderLike(wordShapes().thumbnailWords); name != "" && v.created {
		return "it was created in a folder called " + name
	}
	return ""
}

// fetchedFolder holds for what the run brought in from elsewhere, or unpacked.
func (v *view) fetchedFolder() string {
	if name := v.folderLike(wordShapes().fetchedWords); name != "" && v.created {
		return "it was created in a folder called " + name
	}
	return ""
}

// folderLike returns the first folder below the anchor whose name fits.
func (v *view) folderLike(words *regexp.Regexp) string {
	if !v.placed {
		return ""
	}
	for _, n := range v.names[:len(v.names)-1] {
		if words.MatchString(strings.ToLower(n)) {
			return n
		}
	}
	return ""
}

func (v *view) logName() string {
	if v.ext == ".log" || strings.HasPrefix(v.base, "log.") || strings.Contains(v.base, ".log.") {
		return "its name is one for logs"
	}
	return ""
}

// crashExtensions are those of what is left of a program that ended badly.
var crashExtensions = []string{".dmp", ".mdmp", ".stackdump", ".crash", ".core"}

// crashReport holds for what is written when a program ends badly, for its makers: the game
// itself never reads it.
func (v *view) crashReport() string {
	switch m := nameIn(wordShapes().crashWords, v.base); {
	case v.reads > 0 || !v.writesSeen():
		return ""
	case slices.Contains(crashExtensions, v.ext):
		return "its extension " + v.ext + " is one for reports of crashes"
	case m != "":
		return fmt.Sprintf("its name contains %q, and the program never read it", m)
	}
	return ""
}

// codeExtensions are those of scripts and shaders that were compiled. The sources came with
// the game, so they can be made again.
var codeExtensions = []string{".pyc", ".pyo", ".luac", ".elc", ".jsc", ".qmlc", ".spv", ".cso", ".dxbc", ".dxil", ".metallib", ".beam"}

func (v *view) compiledCode() string {
	if v.writesSeen() && slices.Contains(codeExtensions, v.ext) {
		return "its extension " + v.ext + " is one for compiled code, which can be made again"
	}
	return ""
}

// settingName holds for names that settings often have, and other things too.
func (v *view) settingName() string {
	if m := nameIn(wordShapes().settingWords, v.base); m != "" && v.writesSeen() && v.configName() == "" && v.saveName() == "" {
		return fmt.Sprintf("its name contains %q", m)
	}
	return ""
}

func (v *view) logFolder() string {
	if name := v.folderLike(wordShapes().logWords); name != "" {
		return "it lies in a folder called " + name
	}
	return ""
}

func (v *view) appendedAtTheEnd() string {
	if n := v.ops[trace.Append]; n > 0 || v.ops[trace.Create] > 0 && v.grows() {
		if n > 0 && n >= v.writes-v.ops[trace.Create] {
			return fmt.Sprintf("it was only appended to (%s)", times(n))
		}
	}
	return ""
}

// manyOpenings is how many openings at the end are more than progress needs.
const manyOpenings = 10

func (v *view) openedOften() string {
	if n := v.ops[trace.Append]; n >= manyOpenings && v.appendedAtTheEnd() != "" {
		return fmt.Sprintf("it was appended to %s", times(n))
	}
	return ""
}

// oftenFrom is how many times of writing show whether they go with what was marked.
const oftenFrom = 10

// writtenAtAnyTime holds for a file that was written again and again, seldom when
// something was saved.
func (v *view) writtenAtAnyTime() string {
	if len(v.writeTimes) < oftenFrom || !slices.ContainsFunc(v.b.fp.Cues, func(c trace.Cue) bool { return c.Word == "saved" }) {
		return ""
	}
	near := 0
	for _, t := range v.writeTimes {
		if slices.ContainsFunc(v.b.fp.Cues, func(c trace.Cue) bool {
			return c.Word == "saved" && t > c.At-cueBefore && t <= c.At+cueAfter
		}) {
			near++
		}
	}
	if 5*near > len(v.writeTimes) {
		return ""
	}
	return fmt.Sprintf("%[2]d of its %[1]d writes are near the cue saved", len(v.writeTimes), near)
}

func (v *view) grows() bool {
	for i := 1; i < len(v.sizes); i++ {
		if v.sizes[i] <= v.sizes[i-1] {
			return false
		}
	}
	return len(v.sizes) >= 3
}

func (v *view) grewWhileOpen() string {
	if v.grows() && len(v.sizes) > 2*v.writes && strings.HasPrefix(v.state.Looks, content.Text) {
		return fmt.Sprintf("it stayed open and kept growing (%s)", times(len(v.sizes)))
	}
	return ""
}

// readWithContent holds for a file that the program read what it had kept of: few programs
// read their own logs.
func (v *view) readWithContent() string {
	likeLog := v.appendedAtTheEnd() != "" || v.grewWhileOpen() != "" || v.onlyForward() != ""
	if v.reads == 0 || !likeLog || v.logName() != "" {
		return ""
	}
	return "the program read it, which few do with a log"
}

func (v *view) configName() string {
	if m := wordShapes().configWords.FindString(v.base); m != "" {
		return fmt.Sprintf("its name contains %q", m)
	}
	return ""
}

var configExtensions = []string{".ini", ".cfg", ".conf", ".config", ".toml", ".prefs", ".properties", ".rc"}

func (v *view) configExtension() string {
	for _, e := range configExtensions {
		if v.ext == e {
			return "its extension " + e + " is one for settings"
		}
	}
	return ""
}

func (v *view) configFolder() string {
	if v.placed && v.anchor == place.XDGConfig {
		return "it lies in the folder for settings (XDG_CONFIG_HOME)"
	}
	return ""
}

func (v *view) settingsInside() string {
	if v.state.Looks == content.Text+", settings by name" {
		return "its content is names with values"
	}
	return ""
}

func (v *view) writtenNearSetting() string { return v.writtenNear("changed-setting") }
func (v *view) writtenNearSaved() string   { return v.writtenNear("saved") }

// writtenThenAlone holds for a file that was written when a setting was changed, and at
// no other time.
func (v *view) writtenThenAlone() string {
	if len(v.near) != 1 || v.near[0] != "changed-setting" || len(v.writeTimes) == 0 {
		return ""
	}
	for _, t := range v.writeTimes {
		near := false
		for _, c := range v.b.fp.Cues {
			near = near || c.Word == "changed-setting" && t > c.At-cueBefore && t <= c.At+cueAfter
		}
		if !near {
			return ""
		}
	}
	return "it was written only then"
}

func (v *view) writtenNear(word string) string {
	if !slices.Contains(v.near, word) {
		return ""
	}
	best, gap := time.Duration(0), time.Duration(math.MaxInt64)
	for _, c := range v.b.fp.Cues {
		if c.Word != word {
			continue
		}
		for _, t := range v.writeTimes {
			if d := (c.At - t).Abs(); d < gap {
				best, gap = c.At-t, d
			}
		}
	}
	if gap < 50*time.Millisecond {
		return "it was written at the cue " + word
	}
	if best < 0 {
		return fmt.Sprintf("it was written %s after the cue %s", clock(-best), word)
	}
	return fmt.Sprintf("it was written %s before the cue %s", clock(best), word)
}

// exitNear is how close to the end a write says something, exitShare the part of
// a short run that it may be.
const (
	exitNear  = 3 * time.Second
	exitShare = 5
)

func (v *view) writtenNearExit() string {
	n := len(v.writeTimes)
	if n == 0 || v.writeTimes[n-1] > v.b.exit+time.Second {
		return ""
	}
	before := max(0, v.b.exit-v.writeTimes[n-1])
	switch {
	case before >= min(exitNear, v.b.exit/exitShare):
		return ""
	case before < 50*time.Millisecond:
		return "it was written as the program ended"
	}
	return fmt.Sprintf("it was last written %s before the program ended", clock(before))
}

func (v *view) readFirst() string {
	if v.reads == 0 || !v.writesSeen() || len(v.writeTimes) == 0 || v.firstRead >= v.writeTimes[0] {
		return ""
	}
	return fmt.Sprintf("it was read at %s and written later", clock(v.firstRead))
}

func (v *view) saveName() string {
	if m := nameIn(wordShapes().saveWords, v.base); m != "" && v.logName() == "" {
		return fmt.Sprintf("its name contains %q", m)
	}
	return ""
}

// progressName holds for names that progress often has, and other things too.
func (v *view) progressName() string {
	if !v.writesSeen() || v.saveName() != "" || v.logName() != "" {
		return ""
	}
	if m := nameIn(wordShapes().progressWords, v.base); m != "" {
		return fmt.Sprintf("its name contains %q", m)
	}
	if name := v.folderLike(wordShapes().progressWords); name != "" && v.saveFolder() == "" {
		return "it lies in a folder called " + name
	}
	return ""
}

// starting is how long a run that nobody marked takes to start, at most, and startShare
// the part of it that this may be. Who marks late has played already: readyBy.
const (
	starting   = 10 * time.Second
	startShare = 10
	readyBy    = 30 * time.Second
)

// writtenAtTheStartAlone holds for what was made ready while the program started, and not
// touched by anything that was played.
func (v *view) writtenAtTheStartAlone() string {
	if len(v.writeTimes) == 0 {
		return ""
	}
	ready, said := min(starting, v.b.exit/startShare), ""
	for _, c := range v.b.fp.Cues {
		if reading[c.Word] {
			if ready = min(c.At, readyBy); ready == c.At {
				said = " (the cue " + c.Word + ")"
			}
			break
		}
	}
	if last := v.writeTimes[len(v.writeTimes)-1]; last < ready && v.b.exit > 2*ready {
		return fmt.Sprintf("it was last written at %s, before the game was ready%s", clock(last), said)
	}
	return ""
}

func (v *view) rcName() string {
	stem, _, _ := strings.Cut(strings.TrimPrefix(v.base, "."), ".") // .tidewrackrc.xml too
	if wordShapes().rcNames.MatchString(stem) && v.writesSeen() {
		return "its name ends in rc, as those of settings files do"
	}
	return ""
}

// dotFile holds for a hidden file right in the home that is called like the program: by
// custom its settings, unless it is called a save or scores.
func (v *view) dotFile() string {
	name, hidden := strings.CutPrefix(v.base, ".")
	if !hidden || !v.placed || v.anchor != place.Home || len(v.names) != 1 || !v.writesSeen() {
		return ""
	}
	for _, p := range []string{v.b.h.Title, path.Base(v.b.processes[v.process].Exe)} {
		if o := lettersAndDigits(p); len(o) >= 3 && lettersAndDigits(name) == o {
			return "it is a hidden file in the home, called like the program"
		}
	}
	return ""
}

var saveExtensions = []string{".sav", ".save", ".savegame", ".profile", ".slot", ".score", ".scores", ".hi"}

func (v *view) saveExtension() string {
	for _, e := range saveExtensions {
		if v.ext == e {
			return "its extension " + e + " is one for progress"
		}
	}
	return ""
}

func (v *view) saveFolder() string {
	if name := v.folderLike(wordShapes().saveWords); name != "" {
		return "it lies in a folder called " + name
	}
	return ""
}

func (v *view) replacedThroughTemporary() string {
	if v.via == nil {
		return ""
	}
	return "it was written under the temporary name " + path.Base(v.via.file.Path) + " and renamed into place"
}

func (v *view) bytesInside() string {
	if !v.writesSeen() {
		return ""
	}
	switch v.state.Looks {
	case content.Bytes, "SQLite database", "gzip data", "zlib data", "zstd data", "LZ4 data":
		if v.state.Looks == content.Bytes {
			return "its content is binary"
		}
		return "its content looks like: " + v.state.Looks
	}
	return ""
}

func (v *view) dataFolder() string {
	if v.writesSeen() && v.placed && (v.anchor == place.XDGData || v.anchor == place.XDGState || v.anchor == place.VarGames) {
		return "it lies in a folder for program data (" + string(v.anchor) + ")"
	}
	return ""
}

func (v *view) keepsOldContent() string {
	if v.backupOf == nil {
		return ""
	}
	return "it has the previous content of " + path.Base(v.backupOf.file.Path)
}

func (v *view) pictureMade() string {
	if v.created && strings.Contains(v.state.Looks, "picture") {
		return "it is a " + v.state.Looks + " made in this run"
	}
	return ""
}

func (v *view) pictureFolder() string {
	if name := v.folderLike(wordShapes().pictureWords); name != "" && v.writesSeen() {
		return "it lies in a folder called " + name
	}
	return ""
}

var recordingExtensions = []string{
	".replay", ".rpl", ".dem", ".demo", ".rec", ".ghost", ".mp4", ".webm", ".mkv", ".avi", ".ogv", ".gif",
}

func (v *view) recordingExtension() string {
	for _, e := range recordingExtensions {
		if v.ext == e && v.writesSeen() {
			return "its extension " + e + " is one for recordings"
		}
	}
	return ""
}

func (v *view) goneAfterwards() string {
	if v.state.Is == trace.IsAbsent {
		return "it was gone at the end"
	}
	return ""
}

// clock writes a time in the run.
func clock(d time.Duration) string {
	switch {
	case d < 10*time.Second:
		return fmt.Sprintf("%.1f s", d.Seconds())
	case d < 10*time.Minute:
		return fmt.Sprintf("%.0f s", d.Seconds())
	}
	return fmt.Sprintf("%.0f min", d.Minutes())
}

func times(n int) string {
	switch n {
	case 1:
		return "once"
	case 2:
		return "twice"
	}
	return fmt.Sprintf("%d times", n)
}
