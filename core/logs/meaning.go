package logs

import (
	"path"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"time"
	"unicode"

	"endroit/core/place"
	"endroit/core/trace"
)

// Open is an operation that its flags tell more of.
const Open trace.Op = "open"

// words are the operations that are known by name: the calls of Unix and Windows, as their
// public interfaces spell them, and plain English.
var words = sync.OnceValue(func() map[string]trace.Op {
	m := map[string]trace.Op{}
	for op, list := range map[trace.Op]string{
		Open:               "open openat openat2 opened createfile openfile",
		trace.Read:         "read readfile readfilescatter pread preadv readv mmap loaded",
		trace.Create:       "create created creat new made mknod mknodat copyfile",
		trace.Replace:      "replace replaced replacefile overwrite overwritten",
		trace.Update:       "write written update updated modify modified saved writefile writefilegather pwrite pwritev writev",
		trace.Append:       "append appended",
		trace.Truncate:     "truncate truncated ftruncate setendoffile",
		trace.Rename:       "rename renamed renameat renameat2 move moved movefile movefilewithprogress",
		trace.Link:         "link linkat createhardlink",
		trace.Remove:       "remove removed delete deleted erased unlink unlinkat deletefile regdeletevalue regdeletekeyvalue deletevaluekey",
		trace.MakeFolder:   "mkdir mkdirat createdirectory",
		trace.RemoveFolder: "rmdir removedirectory regdeletekey regdeletetree deletekey",
		trace.List:         "list listed getdents readdir opendir findfirstfile findnextfile querydirectoryfile",
		trace.Run:          "execute executed exec execve execveat run started createprocess",
		trace.Missed:       "missed",
		trace.Changed:      "changed change regsetvalue regsetkeyvalue setvaluekey",
		Ignore: "close closed closehandle stat fstat lstat newfstatat statx access faccessat readlink ioctl fcntl dup dup2 fsync " +
			"lseek chmod chown " +
			"utimensat munmap connect send receive lockfile unlockfile flushfilebuffers getfileattributes setfileattributes getfilesize " +
			"regopenkey regcreatekey regclosekey regqueryvalue regenumkey regenumvalue regflushkey queryvaluekey openkey createkey enumeratekey " +
			"queryinformationfile setinformationfile flushbuffersfile",
	} {
		for word := range strings.FieldsSeq(list) {
			m[word] = op
		}
	}
	return m
})

// affixes are what systems put around the name of a call: NtReadFile, CreateFileW,
// RegSetValueExA, pread64, open_nocancel.
var affixes = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`^(?:nt|zw)?(.+?)(?:nocancel)?(?:transacted)?(?:ex)?(?:64|2|w|a)?$`)
})

// stems tell what several words of plain English mean, by what is in them: "file was
// deleted". The first that matches counts.
var stems = sync.OnceValue(func() (list []stem) {
	for _, s := range []struct {
		in string
		op trace.Op
	}{
		{`^(quer|get|clos|flush|lock|unlock|check|ask)`, Ignore},
		{`renam|moved?to|^mov`, trace.Rename},
		{`hardlink`, trace.Link},
		{`(delet|remov|eras).*(folder|director)|(folder|director).*(delet|remov|eras)`, trace.RemoveFolder},
		{`delet|unlink|remov|eras`, trace.Remove},
		{`truncat|shorten`, trace.Truncate},
		{`append`, trace.Append},
		{`overwrit|replac`, trace.Replace},
		{`writ|modif|updat|saving|saved`, trace.Update},
		{`(creat|made|new).*(folder|director)|(folder|director).*(creat|made)`, trace.MakeFolder},
		{`(folder|director).*(list|read)|list.*(folder|director)`, trace.List},
		{`creat|made|new`, trace.Create},
		{`open`, Open},
		{`read`, trace.Read},
	} {
		list = append(list, stem{regexp.MustCompile(s.in), s.op})
	}
	return list
})

type stem struct {
	in *regexp.Regexp
	op trace.Op
}

// meaning finds what an operation's word means: what the person gave, then what is known by name,
// then by what is in it.
func (p *Plan) meaning(word string) (trace.Op, bool) {
	id := lettersAndDigits(word)
	if op, ok := p.table[id]; ok {
		return op, true
	}
	if m := affixes().FindStringSubmatch(id); m != nil {
		if op, ok := p.table[m[1]]; ok {
			return op, true
		}
	}
	for _, s := range stems() {
		if id != "" && s.in.MatchString(id) {
			return s.op, true
		}
	}
	return "", false
}

// lettersAndDigits is how words of logs are compared: letters and digits alone, in lowercase.
func lettersAndDigits(text string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsLetter(r) || unicode.IsDigit(r) {
			return unicode.ToLower(r)
		}
		return -1
	}, text)
}

// flagWords tell of an opening's flags what it was for.
var flagWords = sync.OnceValue(func() (p struct{ forWriting, forAppend, emptied, made, folder *regexp.Regexp }) {
	p.forWriting = regexp.MustCompile(
		`(?i)O_WRONLY|O_RDWR|GENERIC_(WRITE|ALL)|FILE_WRITE_DATA|\bwrit(e|ing)\b|"?[rwa]\+|\bmode[=:] ?[wa]`,
	)
	p.forAppend = regexp.MustCompile(`(?i)O_APPEND|FILE_APPEND_DATA|\bappend`)
	p.emptied = regexp.MustCompile(`(?i)O_TRUNC|overwrite|supersede|truncate_existing|create_always`)
	p.made = regexp.MustCompile(`(?i)O_CREAT\b.*O_EXCL|O_EXCL.*O_CREAT|create_new|\bcreated\b`)
	p.folder = regexp.MustCompile(`(?i)O_DIRECTORY|FILE_DIRECTORY_FILE`)
	return p
})

// opened is what an opening did, as far as its flags tell; without them it read.
func opened(detail string) trace.Op {
	switch {
	case flagWords().made.MatchString(detail):
		return trace.Create
	case flagWords().emptied.MatchString(detail):
		return trace.Replace
	case flagWords().folder.MatchString(detail):
		return trace.List
	case flagWords().forAppend.MatchString(detail) &&
		!flagWords().forWriting.MatchString(flagWords().forAppend.ReplaceAllString(detail, "")):
		return trace.Append
	case flagWords().forWriting.MatchString(detail):
		return trace.Update
	}
	return trace.Read
}

type result int

const (
	fine result = iota
	absent
	failed
)

// resultWords tell how a call ended.
var resultWords = sync.OnceValue(func() (p struct{ absentResult, fineResult *regexp.Regexp }) {
	p.absentResult = regexp.MustCompile(`(?i)not[ _]?found|no[ _]such|ENOENT|ENOTDIR|does not exist|0xC0000034|0xC000003A`)
	p.fineResult = regexp.MustCompile(
		`(?i)^(|0|0x0+|[0-9]+|-?|success(ful(ly)?)?|succeeded|ok|fine|yes|true|done|(STATUS|ERROR)_` +
			`(SUCCESS|BUFFER_OVERFLOW|NO_MORE_FILES|END_OF_FILE|HANDLE_EOF|REPARSE|MORE_DATA))$`,
	)
	return p
})

// outcome reads a result: a number that is not negative is a call's own, such as a
// descriptor.
func outcome(text string) result {
	switch {
	case resultWords().absentResult.MatchString(text):
		return absent
	case resultWords().fineResult.MatchString(text):
		return fine
	}
	return failed
}

// clock reads times. Those without a day count from a day, and go on past midnight.
type clock struct {
	day  time.Time
	last time.Time
}

func newClock(day time.Time) *clock {
	if day.IsZero() {
		day = time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)
	}
	return &clock{day: time.Date(day.Year(), day.Month(), day.Day(), 0, 0, 0, 0, time.UTC)}
}

var (
	wholeTimes = []string{
		time.RFC3339Nano, "2006-01-02 15:04:05.999999999", "2006-01-02T15:04:05.999999999",
		"2006/01/02 15:04:05.999999999", "02.01.2006 15:04:05.999999999", "1/2/2006 3:04:05.999999999 PM",
		"1/2/2006 15:04:05.999999999", "2006-01-02 15:04:05.999999999 -0700",
	}
	dayTimes = []string{"15:04:05.999999999", "3:04:05.999999999 PM"}
)

func (c *clock) read(text string) (time.Time, bool) {
	text = strings.TrimSpace(text)
	if text == "" {
		return time.Time{}, false
	}
	if t, ok := c.number(text); ok {
		return t, true
	}
	point := text
	if i := strings.LastIndexByte(text, ','); i > 0 && i+1 < len(text) && text[i+1] >= '0' && text[i+1] <= '9' {
		point = text[:i] + "." + text[i+1:] // a decimal comma
	}
	for _, layout := range wholeTimes {
		if t, err := time.Parse(layout, point); err == nil {
			return t, true
		}
	}
	for _, layout := range dayTimes {
		if t, err := time.Parse(layout, point); err == nil {
			midnight := time.Date(t.Year(), t.Month(), t.Day(), 0, 0, 0, 0, t.Location())
			t = c.day.Add(t.Sub(midnight))
			if !c.last.IsZero() && c.last.Sub(t) > 12*time.Hour {
				c.day = c.day.AddDate(0, 0, 1)
				t = t.AddDate(0, 0, 1)
			}
			c.last = t
			return t, true
		}
	}
	return time.Time{}, false
}

// number reads seconds since the start or since 1970, or smaller parts of a second
// since then, by how large it is.
func (c *clock) number(text string) (time.Time, bool) {
	f, err := strconv.ParseFloat(text, 64)
	if err != nil || f < 0 || f > 1e19 {
		return time.Time{}, false
	}
	whole, part, _ := strings.Cut(text, ".")
	n, err := strconv.ParseInt(whole, 10, 64)
	if err != nil {
		return time.Time{}, false
	}
	switch {
	case f < 1e8: // since the start
		return c.day.Add(time.Duration(f * float64(time.Second))), true
	case f < 1e11:
		nanos, _ := strconv.ParseInt((part + "000000000")[:9], 10, 64)
		return time.Unix(n, nanos).UTC(), true
	case f < 1e14:
		return time.UnixMilli(n).UTC(), true
	case f < 1e17:
		return time.UnixMicro(n).UTC(), true
	}
	return time.Unix(0, n).UTC(), true
}

func number(text string) int {
	n, err := strconv.ParseInt(text, 0, 32)
	if err != nil || n < 0 {
		return 0
	}
	return int(n)
}

func base(name string) string { return path.Base(strings.ReplaceAll(name, `\`, "/")) }

var (
	roots = map[string]string{
		"HKCU":             "HKEY_CURRENT_USER",
		"HKLM":             "HKEY_LOCAL_MACHINE",
		"HKU":              "HKEY_USERS",
		"HKCR":             "HKEY_CLASSES_ROOT",
		`REGISTRY\MACHINE`: "HKEY_LOCAL_MACHINE",
		`REGISTRY\USER`:    "HKEY_USERS",
	}
)

// pathShapes are how paths begin, and where a second one stands in the details.
var pathShapes = sync.OnceValue(func() (p struct{ drivePath, windowsHome, unixHome, keyPath, pathIn *regexp.Regexp }) {
	p.drivePath = regexp.MustCompile(`^[A-Za-z]:[\\/]`)
	p.windowsHome = regexp.MustCompile(`(?i)^[a-z]:[\\/](?:users|documents and settings)[\\/]([^\\/]+)[\\/]`)
	p.unixHome = regexp.MustCompile(`^(/home/([^/]+)|/Users/([^/]+)|/root)/`)
	p.keyPath = regexp.MustCompile(`(?i)^\\?(HKCU|HKLM|HKU|HKCR|HKEY_[A-Z_]+|REGISTRY\\(?:MACHINE|USER))\\`)
	p.pathIn = regexp.MustCompile(`(?i)(?:file ?name|new ?name|to|target|destination)[:=] ?"?((?:[a-z]:\\|\\\\|/)[^",;]+)`)
	return p
})

// path is a path as a trace has it, or why it has none.
func (t *writing) path(text string) (clean, why string) {
	text = strings.Trim(text, `"`)
	if text == "" {
		return "", "it has no path"
	}
	if m := pathShapes().keyPath.FindStringSubmatch(text); m != nil {
		root := strings.ToUpper(m[1])
		if whole := roots[root]; whole != "" {
			root = whole
		}
		rest := strings.Trim(text[len(m[0]):], `\`)
		if rest == "" || strings.Contains(rest, `\\`) {
			return "", "it is not a registry key"
		}
		return "registry:" + place.Of(place.Registry, strings.Split(root+`\`+rest, `\`), false).Pattern.String(), ""
	}
	windows := t.p.Header.OS == "windows"
	for _, prefix := range []string{`\\?\`, `\??\`, `\\.\`} {
		text = strings.TrimPrefix(text, prefix)
	}
	switch {
	case windows && pathShapes().drivePath.MatchString(text):
		text = strings.ToUpper(text[:1]) + text[1:2] + path.Clean("/"+strings.ReplaceAll(text[2:], `\`, "/"))
	case windows && strings.HasPrefix(text, `\\`):
		text = "/" + path.Clean("/"+strings.ReplaceAll(text[2:], `\`, "/"))
	case !windows && strings.HasPrefix(text, "/"):
		text = path.Clean(text)
	case windows && strings.HasPrefix(text, `\Device\`):
		return "", "its path begins with a device instead of a drive"
	default:
		return "", "its path is not absolute"
	}
	if !trace.IsPath(text, t.p.Header.OS) {
		return "", "its path is invalid"
	}
	return text, ""
}

// second is the other path of a renaming: in a column of its own or in the details.
func (t *writing) second(r row) (clean, why string) {
	text := r.get(t.p.Columns[Second])
	if text == "" {
		detail := r.get(t.p.Columns[More])
		if m := pathShapes().pathIn.FindStringSubmatch(detail); m != nil {
			text = strings.TrimSpace(m[1])
		} else if pathShapes().drivePath.MatchString(detail) || strings.HasPrefix(detail, "/") {
			text = detail
		}
	}
	if text == "" {
		return "", "the second path is missing"
	}
	return t.path(text)
}

// registry splits the path of a value from its key's. Logs name a value behind its
// key; a key that is made or removed stands for itself.
func registry(text string, op trace.Op) (key, value string, ok bool) {
	if !strings.HasPrefix(text, "registry:") {
		return "", "", false
	}
	if op == trace.Changed || op == trace.Remove || op.Writes() {
		if i := strings.LastIndexByte(text, '/'); strings.Count(text, "/") > 2 {
			return text[:i+1], text[i+1:], true
		}
	}
	return text + "/", "", true
}

// guess gathers whose machine a log is of.
type guess struct {
	windows, unix int
	homes         map[string]int
}

func (g *guess) saw(text string) {
	text = strings.Trim(text, `"`)
	text = strings.TrimPrefix(text, `\\?\`)
	switch {
	case pathShapes().drivePath.MatchString(text):
		g.windows++
		if m := pathShapes().windowsHome.FindStringSubmatch(text); m != nil && !shared[strings.ToLower(m[1])] {
			g.home(strings.ToUpper(text[:1]) + strings.ReplaceAll(text[1:len(m[0])-1], `\`, "/"))
		}
	case strings.HasPrefix(text, "/"):
		g.unix++
		if m := pathShapes().unixHome.FindStringSubmatch(text); m != nil {
			g.home(m[1])
		}
	}
}

var shared = map[string]bool{"public": true, "default": true, "all users": true, "default user": true}

func (g *guess) home(folder string) {
	if len(g.homes) < 1000 || g.homes[folder] > 0 {
		g.homes[folder]++
	}
}

// header says what is known of the run.
func (p *Plan) header(g guess) {
	h := p.o.Header
	h.Runtime, h.Observer = "native", trace.ByLog
	h.OS = "linux"
	if g.windows > g.unix {
		h.OS = "windows"
	}
	home := ""
	for folder, n := range g.homes {
		if n > g.homes[home] || n == g.homes[home] && (home == "" || folder < home) {
			home = folder
		}
	}
	if h.OS == "linux" && strings.HasPrefix(home, "/Users/") {
		h.OS = "macos"
	}
	h.Env = map[string]string{}
	if home != "" {
		h.User = path.Base(home)
		switch h.OS {
		case "linux":
			h.Env["HOME"] = home
		case "macos":
			h.Roots = map[string]string{
				"home":                    home,
				"documents":               home + "/Documents",
				"mac-application-support": home + "/Library/Application Support",
				"mac-preferences":         home + "/Library/Preferences",
				"mac-containers":          home + "/Library/Containers",
			}
		case "windows":
			drive := home[:2]
			h.Roots = map[string]string{
				"home":               home,
				"documents":          home + "/Documents",
				"saved-games":        home + "/Saved Games",
				"roaming-app-data":   home + "/AppData/Roaming",
				"local-app-data":     home + "/AppData/Local",
				"local-low-app-data": home + "/AppData/LocalLow",
				"public-documents":   drive + "/Users/Public/Documents",
				"program-data":       drive + "/ProgramData",
				"prefix-drive":       drive + "/",
			}
		}
	}
	if p.start.IsZero() {
		p.start = p.o.Date
	}
	h.Started = p.start.UTC()
	p.Header = h
}
