package place

import (
	"cmp"
	"path"
	"strings"
)

// Form is a location in the way that one program wants it pasted.
type Form struct {
	For  string `json:"for"` // where it can be pasted
	Text string `json:"text"`
}

// On gives what the anchor is on a system; a prefix counts as Windows.
func (d Definition) On(os, runtime string) string {
	switch {
	case os == "windows" || runtime == "prefix":
		return d.Windows
	case os == "macos":
		return d.Mac
	}
	return d.Linux
}

// shellFolder writes the folder for a POSIX shell; empty where a shell cannot find it.
func (d Definition) shellFolder() string {
	switch {
	case d.Fixed != "":
		return d.Fixed
	case d.Anchor == Home:
		return `"$HOME"`
	case d.Variable != "" && !d.InUserDirs:
		return `"${` + d.Variable + `:-$HOME/` + d.InHome + `}"`
	}
	if below := cmp.Or(d.InHome, d.InMacHome); below != "" {
		return joinShell(`"$HOME"`, strings.Split(below, "/"))
	}
	return ""
}

// usualFolder is where the folder lies on a system unless somebody moved it, as people
// write it.
func (d Definition) usualFolder(os, runtime string) string {
	below := d.InHome
	switch {
	case os == "windows" || runtime == "prefix":
		return d.Percent
	case os == "macos":
		below = d.InMacHome
	case d.Fixed != "":
		return d.Fixed
	}
	if below == "" {
		return ""
	}
	return path.Join("~", below)
}

// Where a form can be pasted.
const (
	ForFileManager = "Windows' file manager"
	ForPowerShell  = "PowerShell"
	ForShell       = "a shell"
	ForPrograms    = "programs in the prefix"
	ForRegistry    = "the registry editor"
)

// Inside is what is known of a compatibility prefix before one has it: where it
// lies, as a POSIX shell takes it, and the user's name inside. Both may be empty.
type Inside struct{ Prefix, User string }

// Forms writes the folder above the first variable part in the ways that can be
// pasted on a system. Where the anchor depends on the installation there are
// none.
func (l Location) Forms(os, runtime string) []Form {
	if runtime == "prefix" {
		return l.FormsIn(Inside{})
	}
	names := l.fixed()
	forms := []Form{}
	if os == "windows" {
		if l.Anchor == Registry {
			return append(forms, Form{ForRegistry, strings.Join(names, `\`)})
		}
		if top := byAnchor[l.Anchor].Percent; top != "" {
			path := strings.Join(append([]string{top}, names...), `\`)
			forms = append(forms, Form{ForFileManager, path}, Form{ForPowerShell, PowerShellQuote(path)})
		}
		return forms
	}
	if top := byAnchor[l.Anchor].shellFolder(); top != "" {
		forms = append(forms, Form{ForShell, joinShell(top, names)})
	}
	return forms
}

// FormsIn writes the folder above the first variable part in the ways that can be
// pasted where a Windows build runs in a prefix: inside it, and from outside.
func (l Location) FormsIn(in Inside) []Form {
	names := l.fixed()
	forms := []Form{}
	if l.Anchor == Registry {
		return append(forms, Form{ForRegistry, strings.Join(names, `\`)})
	}
	if top := byAnchor[l.Anchor].Percent; top != "" {
		forms = append(forms, Form{ForFileManager, strings.Join(append([]string{top}, names...), `\`)})
	}
	drive := byAnchor[l.Anchor].OnDrive
	if drive == "" || in.User == "" && strings.Contains(drive, "%") {
		return forms
	}
	drive = strings.TrimPrefix(drive, ".")
	drive = strings.Replace(drive, "%", in.User, 1)
	forms = append(
		forms,
		Form{ForPrograms, strings.Join(append([]string{strings.TrimSuffix("C:\\"+drive, `\`)}, names...), `\`)},
	)
	if in.Prefix != "" {
		inside := names
		if drive != "" {
			inside = append(strings.Split(drive, `\`), names...)
		}
		forms = append(forms, Form{ForShell, joinShell(in.Prefix+"/drive_c", inside)})
	}
	return forms
}

// fixed is the names before the first variable part; of a pattern of files in one
// folder, without the file.
func (l Location) fixed() (names []string) {
	for i, s := range l.Pattern.Segments {
		if !s.literal() || i == len(l.Pattern.Segments)-1 && !l.Pattern.Folder && len(l.Pattern.Segments) > 1 && !l.Exact() {
			break
		}
		names = append(names, s[0].Text)
	}
	return names
}

// ShellRoot writes an exact folder for a POSIX shell; empty where the anchor
// depends on the installation.
func (l Location) ShellRoot() string {
	if top := byAnchor[l.Anchor].shellFolder(); top != "" {
		return joinShell(top, l.fixed())
	}
	return ""
}

func joinShell(top string, names []string) string {
	for _, n := range names {
		top += "/" + ShellQuote(n)
	}
	return top
}

// WindowsVariable is how an anchor is written for Windows' file manager, with a
// variable: %APPDATA%. Empty where there is no such way.
func WindowsVariable(a Anchor) string { return byAnchor[a].Percent }

// PowerShell takes typographic quotes for quotes, too (about_Quoting_Rules).
var (
	inDoubleQuotes = strings.NewReplacer("`", "``", "$", "`$", `"`, "`\"", "“", "`“", "”", "`”", "„", "`„")
	inSingleQuotes = strings.NewReplacer("'", "''", "‘", "‘‘", "’", "’’", "‚", "‚‚", "‛", "‛‛")
)

// PowerShellQuote writes a path with %VARIABLES% for PowerShell.
func PowerShellQuote(path string) string {
	if rest, ok := strings.CutPrefix(path, "%"); ok {
		if name, rest, ok := strings.Cut(rest, "%"); ok {
			return `"$env:` + name + inDoubleQuotes.Replace(rest) + `"`
		}
	}
	return "'" + inSingleQuotes.Replace(path) + "'"
}

// Usual writes the whole location, variable parts too, where it usually lies on
// a system, for reading: "~/.local/share/tidewrack/slots/*.sav". It is empty
// where the anchor depends on the installation.
func (l Location) Usual(os, runtime string) string {
	top, separator := byAnchor[l.Anchor].usualFolder(os, runtime), "/"
	if os == "windows" || runtime == "prefix" {
		separator = `\`
	}
	if top == "" {
		return ""
	}
	text := top
	for _, s := range l.Pattern.Segments {
		text += separator
		for _, p := range s {
			if p.Kind == Literal && !strings.ContainsFunc(p.Text, func(r rune) bool { return special(r, 3) }) {
				text += p.Text // as it is on the disk, not percent-encoded
			} else {
				text += Segment{p}.String()
			}
		}
	}
	if l.Pattern.Folder {
		text += separator
	}
	return text
}

// Exact reports whether the location is one file or folder, without a variable
// part.
func (l Location) Exact() bool {
	for _, s := range l.Pattern.Segments {
		if !s.literal() {
			return false
		}
	}
	return true
}

// ShellQuote writes a text so that a POSIX shell reads it as one word. What a
// terminal would not show goes into $'…', which bash, zsh and ksh read.
func ShellQuote(text string) string {
	plain := text != ""
	odd := false
	for i, r := range text {
		switch {
		case r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9':
			continue
		case r == '/' || r == '-' || r == '.' || r == '_' || r == ':' || r == '@' || r == '%' || r == '+' || r == ',' || r == '=':
			continue
		}
		plain = false
		if r == '\uFFFD' && !strings.HasPrefix(text[i:], "\uFFFD") || special(r, 3) && !strings.ContainsRune(`%*?{}/\`, r) {
			odd = true
		}
	}
	switch {
	case plain:
		return text
	case !odd:
		return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'"
	}
	var b strings.Builder
	b.WriteString("$'")
	for i := 0; i < len(text); i++ {
		switch c := text[i]; {
		case c == '\'' || c == '\\':
			b.WriteByte('\\')
			b.WriteByte(c)
		case c < 0x20 || c >= 0x7f:
			b.WriteString(`\x`)
			b.WriteByte(hexDigits[c>>4])
			b.WriteByte(hexDigits[c&15])
		default:
			b.WriteByte(c)
		}
	}
	return b.String() + "'"
}
