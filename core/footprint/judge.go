package footprint

import (
	"cmp"
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

func (v *view) writesSeen() bool { return v.writes > 0 || len(v.sizes) > 0 || v.positions > 0 }

func (v *view) neverWritten() *Facts {
	switch {
	case v.writesSeen():
		return nil
	case v.unused > 0:
		return count(v.unused)
	}
	return holds()
}

var systemRoots = []string{
	"/proc/", "/sys/", "/dev/", "/etc/", "/usr/lib", "/lib", "/run/", "/var/lib/", "/var/cache/",
	"/usr/local/lib", "/boot/", "/snap/", "/usr/bin/", "/bin/", "/usr/sbin/", "/sbin/",
}

func (v *view) inInstall() bool { return v.placed && v.anchor == place.Install }

func (v *view) systemPath() *Facts {
	if v.inInstall() {
		return nil
	}
	if v.b.prefix.isHive(v.file.Path) {
		return inCase("hive", "")
	}
	if v.b.prefix.isWindows(v.file.Path) {
		return inCase("prefix", "")
	}
	if v.b.prefix != nil && (v.base == "desktop.ini" || v.base == "thumbs.db") {
		return inCase("view", "")
	}
	if v.b.h.OS == "windows" && systemPaths().windowsFolder.MatchString(v.file.Path) {
		return inCase("windows", "")
	}
	for _, root := range systemRoots {
		if strings.HasPrefix(v.file.Path, root) {
			return word(strings.TrimSuffix(root, "/"))
		}
	}
	if strings.HasPrefix(v.file.Path, "/usr/share/") && !v.writesSeen() && !strings.Contains(v.file.Path, "/games/") &&
		!v.ownName() {
		return inCase("share", "")
	}
	return nil
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

func (v *view) desktopFile() *Facts {
	if !v.placed {
		return nil
	}
	for _, n := range desktopNames[v.anchor] {
		if v.names[0] == n {
			return word(n)
		}
	}
	return nil
}

func (v *view) neverWrittenInInstall() *Facts {
	if v.writesSeen() || !v.inInstall() {
		return nil
	}
	return holds()
}

func (v *view) neverWrittenShared() *Facts {
	p := v.file.Path
	if v.writesSeen() ||
		!(strings.HasPrefix(p, "/usr/") && (strings.Contains(p, "/games/") || v.ownName()) || strings.HasPrefix(p, "/opt/")) {
		return nil
	}
	return holds()
}

func (v *view) neverWrittenMedia() *Facts {
	if v.writesSeen() || !CameAlong(v.state.Looks) {
		return nil
	}
	return word(v.state.Looks)
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

func (v *view) becameAnother() *Facts {
	if v.becomes == nil || !v.removed {
		return nil
	}
	return word(path.Base(v.becomes.file.Path))
}

func (v *view) writtenAndRemoved() *Facts {
	if !v.created || !v.removed || v.becomes != nil || v.state.Is == trace.IsFile {
		return nil
	}
	return when(v.removedAt)
}

func (v *view) temporaryFolder() *Facts {
	if name := systemPaths().windowsTemp.FindString(v.file.Path); name != "" && (v.writesSeen() || v.removed) {
		return inCase("windows", "")
	}
	for _, t := range []string{"/tmp/", "/var/tmp/"} {
		if strings.HasPrefix(v.file.Path, t) && !v.placed && (v.writesSeen() || v.removed) {
			return word(strings.TrimSuffix(t, "/"))
		}
	}
	return nil
}

func (v *view) temporaryName() *Facts {
	if v.ext == ".part" || strings.HasPrefix(v.base, "tmp") || wordShapes().temporaryWords.MatchString(v.base) {
		return holds()
	}
	return nil
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

func (v *view) sessionKey() *Facts {
	if systemPaths().sessionKeys.MatchString(v.keyText()) {
		return holds()
	}
	return nil
}

func (v *view) windowsKey() *Facts {
	if m := systemPaths().windowsKeys.FindString(v.keyText()); m != "" {
		return word(strings.TrimSuffix(strings.TrimPrefix(m, "registry:"), "/"))
	}
	return nil
}

func (v *view) programKey() *Facts {
	if text := v.keyText(); systemPaths().softwareKeys.MatchString(text) && !systemPaths().windowsKeys.MatchString(text) {
		return holds()
	}
	return nil
}

// On a desktop other programs write all the time. What nobody that was observed wrote
// counts for the title only where a folder or the file is called like it.
func (v *view) writtenByOthers() *Facts {
	if v.unobserved && v.writes == 0 && !v.ownName() {
		return holds()
	}
	return nil
}

func (v *view) writtenByAService() *Facts {
	if v.unobserved && v.writes == 0 && v.ownName() {
		return holds()
	}
	return nil
}

// onlyForward holds for a file that stayed open and of which each look found more.
func (v *view) onlyForward() *Facts {
	if v.positions >= 3 && v.rewound == 0 && v.positions > v.writes && strings.HasPrefix(v.state.Looks, content.Text) {
		return count(v.positions)
	}
	return nil
}

func (v *view) rewrittenInPlace() *Facts {
	if v.rewound > 0 {
		return count(v.rewound)
	}
	return nil
}

func (v *view) lockName() *Facts {
	if strings.HasSuffix(v.base, ".lock") || strings.HasSuffix(v.base, ".lck") || strings.HasSuffix(v.base, ".pid") ||
		v.base == "lock" ||
		v.base == "lockfile" {
		return holds()
	}
	return nil
}

func (v *view) emptyAndRemoved() *Facts {
	if !v.created || !v.removed || v.becomes != nil || v.state.Size != 0 {
		return nil
	}
	for _, size := range v.sizes {
		if size > 0 {
			return nil
		}
	}
	return holds()
}

func (v *view) cacheFolder() *Facts {
	if v.placed && v.anchor == place.XDGCache {
		return inCase("caches", "")
	}
	if name := v.folderLike(wordShapes().cacheWords); name != "" {
		return word(name)
	}
	return nil
}

// wordShapes are the words in names that the rules go by.
type wordPatterns struct {
	cacheWords, cacheNames, thumbnailWords, crashWords, crashFolders, temporaryWords *regexp.Regexp
	settingWords, credentialNames, fetchedWords                                      *regexp.Regexp
	logWords, saveWords, progressWords, rcNames, pictureWords, configWords           *regexp.Regexp
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
	p.temporaryWords = regexp.MustCompile(whole(`te?mp temporary`))
	p.crashFolders = regexp.MustCompile(`^crash[-_ ]?(report|pad|handl|dump|send|up)[a-z ]*$`)
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
func (v *view) credentialName() *Facts {
	if m := wordShapes().credentialNames.FindStringSubmatch(v.base); m != nil {
		return word(m[2])
	}
	return nil
}

// nameIn is the word of a name that a pattern finds, without what parts it from others.
func nameIn(words *regexp.Regexp, base string) string {
	return strings.Trim(words.FindString(base), "._- 0123456789")
}

func (v *view) cacheName() *Facts {
	if m := nameIn(wordShapes().cacheNames, v.base); m != "" {
		return word(m)
	}
	return nil
}

// thumbnailFolder holds for small pictures that a program made to show its own levels or
// saves by: it makes them again.
func (v *view) thumbnailFolder() *Facts {
	if name := v.folderLike(wordShapes().thumbnailWords); name != "" && v.created {
		return word(name)
	}
	return nil
}

// fetchedFolder holds for what the run brought in from elsewhere, or unpacked.
func (v *view) fetchedFolder() *Facts {
	if name := v.folderLike(wordShapes().fetchedWords); name != "" && v.created {
		return word(name)
	}
	return nil
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

func (v *view) logName() *Facts {
	if v.ext == ".log" || strings.HasPrefix(v.base, "log.") || strings.Contains(v.base, ".log.") {
		return holds()
	}
	return nil
}

// crashExtensions are those of what is left of a program that ended badly.
var crashExtensions = []string{".dmp", ".mdmp", ".stackdump", ".crash", ".core"}

// crashReport holds for what is written when a program ends badly, for its makers: the game
// itself never reads it.
func (v *view) crashReport() *Facts {
	switch m := nameIn(wordShapes().crashWords, v.base); {
	case v.reads > 0 || !v.writesSeen():
		return nil
	case slices.Contains(crashExtensions, v.ext):
		return inCase("extension", v.ext)
	case m != "":
		return word(m)
	}
	return nil
}

// crashFolder holds for what the part of a program keeps that reports crashes.
func (v *view) crashFolder() *Facts {
	if name := v.folderLike(wordShapes().crashFolders); name != "" && v.writesSeen() {
		return word(name)
	}
	return nil
}

// codeExtensions are those of scripts and shaders that were compiled. The sources came with
// the game, so they can be made again.
var codeExtensions = []string{".pyc", ".pyo", ".luac", ".elc", ".jsc", ".qmlc", ".spv", ".cso", ".dxbc", ".dxil", ".metallib", ".beam"}

func (v *view) compiledCode() *Facts {
	if v.writesSeen() && slices.Contains(codeExtensions, v.ext) {
		return word(v.ext)
	}
	return nil
}

// settingName holds for names that settings often have, and other things too.
func (v *view) settingName() *Facts {
	if m := nameIn(wordShapes().settingWords, v.base); m != "" && v.writesSeen() && v.configName() == nil && v.saveName() == nil {
		return word(m)
	}
	return nil
}

func (v *view) logFolder() *Facts {
	if name := v.folderLike(wordShapes().logWords); name != "" {
		return word(name)
	}
	return nil
}

func (v *view) appendedAtTheEnd() *Facts {
	if v.appends > 0 && v.appends >= v.writes-v.creates {
		return count(v.appends)
	}
	return nil
}

// manyOpenings is how many openings at the end are more than progress needs.
const manyOpenings = 10

func (v *view) openedOften() *Facts {
	if v.appends >= manyOpenings && v.appendedAtTheEnd() != nil {
		return count(v.appends)
	}
	return nil
}

// oftenFrom is how many times of writing show whether they go with what was marked.
const oftenFrom = 10

// writtenAtAnyTime holds for a file that was written again and again, seldom when
// something was saved.
func (v *view) writtenAtAnyTime() *Facts {
	if len(v.writeTimes) < oftenFrom || !slices.ContainsFunc(v.b.fp.Cues, func(c trace.Cue) bool { return c.Word == "saved" }) {
		return nil
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
		return nil
	}
	return &Facts{Count: near, Of: len(v.writeTimes)}
}

func (v *view) grows() bool {
	for i := 1; i < len(v.sizes); i++ {
		if v.sizes[i] <= v.sizes[i-1] {
			return false
		}
	}
	return len(v.sizes) >= 3
}

func (v *view) grewWhileOpen() *Facts {
	if v.grows() && len(v.sizes) > 2*v.writes && strings.HasPrefix(v.state.Looks, content.Text) {
		return count(len(v.sizes))
	}
	return nil
}

// readWithContent holds for a file that the program read what it had kept of: few programs
// read their own logs.
func (v *view) readWithContent() *Facts {
	likeLog := v.appendedAtTheEnd() != nil || v.grewWhileOpen() != nil || v.onlyForward() != nil
	if v.reads == 0 || !likeLog || v.logName() != nil {
		return nil
	}
	return holds()
}

func (v *view) configName() *Facts {
	if m := wordShapes().configWords.FindString(v.base); m != "" {
		return word(m)
	}
	return nil
}

var configExtensions = []string{".ini", ".cfg", ".conf", ".config", ".toml", ".prefs", ".properties", ".rc"}

func (v *view) configExtension() *Facts {
	for _, e := range configExtensions {
		if v.ext == e {
			return word(e)
		}
	}
	return nil
}

func (v *view) configFolder() *Facts {
	if v.placed && v.anchor == place.XDGConfig {
		return holds()
	}
	return nil
}

func (v *view) settingsInside() *Facts {
	if content.IsSettings(v.state.Looks) {
		return holds()
	}
	return nil
}

func (v *view) writtenNearSetting() *Facts { return v.writtenNear("changed-setting") }
func (v *view) writtenNearSaved() *Facts   { return v.writtenNear("saved") }

// writtenThenAlone holds for a file that was written when a setting was changed, and at
// no other time.
func (v *view) writtenThenAlone() *Facts {
	if len(v.near) != 1 || v.near[0] != "changed-setting" || len(v.writeTimes) == 0 {
		return nil
	}
	for _, t := range v.writeTimes {
		near := false
		for _, c := range v.b.fp.Cues {
			near = near || c.Word == "changed-setting" && t > c.At-cueBefore && t <= c.At+cueAfter
		}
		if !near {
			return nil
		}
	}
	return holds()
}

func (v *view) writtenNear(cue string) *Facts {
	if !slices.Contains(v.near, cue) {
		return nil
	}
	after, gap := time.Duration(0), time.Duration(math.MaxInt64)
	for _, c := range v.b.fp.Cues {
		if c.Word != cue {
			continue
		}
		for _, t := range v.writeTimes {
			if d := (c.At - t).Abs(); d < gap {
				after, gap = t-c.At, d
			}
		}
	}
	if gap < 50*time.Millisecond {
		after = 0
	}
	return &Facts{Word: cue, At: after}
}

// exitNear is how close to the end a write says something, exitShare the part of
// a short run that it may be.
const (
	exitNear  = 3 * time.Second
	exitShare = 5
)

func (v *view) writtenNearExit() *Facts {
	n, end := len(v.writeTimes), cmp.Or(v.b.gameEnd, v.b.exit)
	if n == 0 || v.writeTimes[n-1] > end+time.Second || end < v.b.exit && v.writeTimes[n-1] > end {
		return nil // what a launcher writes as it ends itself is not the game's
	}
	before := max(0, end-v.writeTimes[n-1])
	switch {
	case before >= min(exitNear, v.b.exit/exitShare):
		return nil
	case before < 50*time.Millisecond:
		return when(0)
	}
	return when(before)
}

func (v *view) readFirst() *Facts {
	if v.reads == 0 || !v.writesSeen() || len(v.writeTimes) == 0 || v.firstRead >= v.writeTimes[0] {
		return nil
	}
	return when(v.firstRead)
}

func (v *view) saveName() *Facts {
	if m := nameIn(wordShapes().saveWords, v.base); m != "" && v.logName() == nil {
		return word(m)
	}
	return nil
}

// progressName holds for names that progress often has, and other things too.
func (v *view) progressName() *Facts {
	if !v.writesSeen() || v.saveName() != nil || v.logName() != nil {
		return nil
	}
	if m := nameIn(wordShapes().progressWords, v.base); m != "" {
		return word(m)
	}
	if name := v.folderLike(wordShapes().progressWords); name != "" && v.saveFolder() == nil {
		return inCase("folder", name)
	}
	return nil
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
func (v *view) writtenAtTheStartAlone() *Facts {
	if len(v.writeTimes) == 0 {
		return nil
	}
	ready, said := min(starting, v.b.exit/startShare), ""
	for _, c := range v.b.fp.Cues {
		if reading[c.Word] {
			if ready = min(c.At, readyBy); ready == c.At {
				said = c.Word
			}
			break
		}
	}
	if last := v.writeTimes[len(v.writeTimes)-1]; last < ready && v.b.exit > 2*ready {
		return &Facts{At: last, Word: said}
	}
	return nil
}

func (v *view) rcName() *Facts {
	stem, _, _ := strings.Cut(strings.TrimPrefix(v.base, "."), ".") // .tidewrackrc.xml too
	if wordShapes().rcNames.MatchString(stem) && v.writesSeen() {
		return holds()
	}
	return nil
}

// dotFile holds for a hidden file right in the home that is called like the program: by
// custom its settings, unless it is called a save or scores.
func (v *view) dotFile() *Facts {
	name, hidden := strings.CutPrefix(v.base, ".")
	if !hidden || !v.placed || v.anchor != place.Home || len(v.names) != 1 || !v.writesSeen() {
		return nil
	}
	for _, p := range []string{v.b.h.Title, path.Base(v.b.processes[v.process].Exe)} {
		if o := lettersAndDigits(p); len(o) >= 3 && lettersAndDigits(name) == o {
			return holds()
		}
	}
	return nil
}

var saveExtensions = []string{".sav", ".save", ".savegame", ".profile", ".slot", ".score", ".scores", ".hi"}

func (v *view) saveExtension() *Facts {
	for _, e := range saveExtensions {
		if v.ext == e {
			return word(e)
		}
	}
	return nil
}

func (v *view) saveFolder() *Facts {
	if name := v.folderLike(wordShapes().saveWords); name != "" {
		return word(name)
	}
	return nil
}

func (v *view) replacedThroughTemporary() *Facts {
	if v.via == nil {
		return nil
	}
	return word(path.Base(v.via.file.Path))
}

func (v *view) bytesInside() *Facts {
	if !v.writesSeen() {
		return nil
	}
	switch v.state.Looks {
	case content.Bytes, "SQLite database", "gzip data", "zlib data", "zstd data", "LZ4 data":
		return word(v.state.Looks)
	}
	return nil
}

func (v *view) dataFolder() *Facts {
	if v.writesSeen() && v.placed && (v.anchor == place.XDGData || v.anchor == place.XDGState || v.anchor == place.VarGames) {
		return word(string(v.anchor))
	}
	return nil
}

func (v *view) keepsOldContent() *Facts {
	if v.backupOf == nil {
		return nil
	}
	return word(path.Base(v.backupOf.file.Path))
}

func (v *view) pictureMade() *Facts {
	if v.created && strings.Contains(v.state.Looks, "picture") {
		return word(v.state.Looks)
	}
	return nil
}

func (v *view) pictureFolder() *Facts {
	if name := v.folderLike(wordShapes().pictureWords); name != "" && v.writesSeen() {
		return word(name)
	}
	return nil
}

var recordingExtensions = []string{
	".replay", ".rpl", ".dem", ".demo", ".rec", ".ghost", ".mp4", ".webm", ".mkv", ".avi", ".ogv", ".gif",
}

func (v *view) recordingExtension() *Facts {
	for _, e := range recordingExtensions {
		if v.ext == e && v.writesSeen() {
			return word(e)
		}
	}
	return nil
}

func (v *view) goneAfterwards() *Facts {
	if v.state.Is == trace.IsAbsent {
		return holds()
	}
	return nil
}
