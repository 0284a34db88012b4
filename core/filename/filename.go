// Package filename says which names a system can give to files, which of them it takes for
// one, and how a name is written so that every system can have it.
//
//	reason := filename.Windows.Refuses("aux.sav")
//
// The rules are those of "Naming Files, Paths, and Namespaces" in Microsoft's
// documentation of Windows, of Linux's path_resolution(7), and of the file systems FAT and
// APFS.
package filename

import (
	"fmt"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"

	"endroit/core/words"
)

// Rules are what a system, or a file system, asks of names.
type Rules struct {
	Name      string
	Forbidden string // characters beside the slash and NUL
	Controls  bool   // control characters are allowed
	Devices   bool   // names of devices are not
	Trailing  string // characters that a name may not end in
	Unicode   bool   // names are Unicode, not bytes
	Folds     bool   // names that differ in case alone are one
	Longest   int    // of a name: bytes, or with Unicode UTF-16 units
	Path      int    // of a whole path, in the same unit
}

// The rules of systems.
var (
	Linux   = Rules{Name: "Linux", Controls: true, Longest: 255, Path: 4095}
	Mac     = Rules{Name: "macOS", Forbidden: ":", Controls: true, Unicode: true, Folds: true, Longest: 255, Path: 1023}
	Windows = Rules{
		Name: "Windows", Forbidden: `<>:"\|?*`, Devices: true, Trailing: ". ", Unicode: true, Folds: true, Longest: 255, Path: 259,
	}
)

// Of gives the rules of a system in the manifest's words; those of Windows hold inside a
// prefix too.
func Of(system string) Rules {
	switch system {
	case "windows":
		return Windows
	case "macos":
		return Mac
	}
	return Linux
}

// Refuses says why a name is impossible; empty if it is not.
func (r Rules) Refuses(name string) string {
	switch {
	case name == "" || name == "." || name == "..":
		return fmt.Sprintf("%q is no name of a file", name)
	case strings.ContainsAny(name, "/\x00"):
		return "it contains a slash or NUL"
	case r.Unicode && !utf8.ValidString(name):
		return fmt.Sprintf("%s has only names in Unicode, and it is not UTF-8", r.Name)
	}
	if i := strings.IndexAny(name, r.Forbidden); r.Forbidden != "" && i >= 0 {
		return fmt.Sprintf("%s has no names with %q", r.Name, name[i])
	}
	if !r.Controls && strings.ContainsFunc(name, func(c rune) bool { return c < ' ' }) {
		return fmt.Sprintf("%s has no names with control characters", r.Name)
	}
	if last := name[len(name)-1:]; r.Trailing != "" && strings.Contains(r.Trailing, last) {
		return fmt.Sprintf("%s drops %q from the end of a name", r.Name, last)
	}
	if r.Devices && IsDevice(name) {
		return fmt.Sprintf("%s keeps the name for a device", r.Name)
	}
	if n := r.length(name); n > r.Longest {
		return fmt.Sprintf("%s has names of up to %d characters, and it has %d", r.Name, r.Longest, n)
	}
	return ""
}

// TooLong says that a whole path is too long; empty if it is not.
func (r Rules) TooLong(path string) string {
	if n := r.length(path); n > r.Path {
		return fmt.Sprintf("%s has paths of up to %d characters for most programs, and it has %d", r.Name, r.Path, n)
	}
	return ""
}

func (r Rules) length(text string) int {
	if !r.Unicode {
		return len(text)
	}
	n := 0
	for _, c := range text {
		if n++; c > 0xFFFF {
			n++
		}
	}
	return n
}

// Key brings the names that the rules take for one to one text.
func (r Rules) Key(name string) string {
	if !r.Folds {
		return name
	}
	return Fold(name)
}

// Fold brings names that some system takes for one to one text: those that differ in case,
// or in how accents are composed.
func Fold(name string) string {
	for i := range len(name) {
		if name[i] >= utf8.RuneSelf {
			return norm.NFC.String(cases.Fold().String(norm.NFC.String(name)))
		}
	}
	return strings.ToLower(name)
}

// IsDevice reports whether Windows takes a name for a device's, whatever its ending.
func IsDevice(name string) bool {
	base, _, _ := strings.Cut(name, ".")
	base = strings.ToUpper(strings.TrimRight(base, " "))
	switch base {
	case "CON", "PRN", "AUX", "NUL", "CONIN$", "CONOUT$":
		return true
	}
	for _, port := range []string{"COM", "LPT"} {
		if digit, ok := strings.CutPrefix(base, port); ok {
			return digit != "" && strings.Contains("0123456789¹²³", digit) && utf8.RuneCountInString(digit) == 1
		}
	}
	return false
}

// MaxPortable is how long a portable name is at most, in bytes; encrypted file systems of
// Linux have no longer ones than 143.
const MaxPortable = 120

// impossible says of a character that some system has no names with it, or that it does
// not show as itself.
func impossible(c rune) bool {
	return c < ' ' || c == 0x7f || strings.ContainsRune(`<>:"/\|?*`, c) || words.Hidden(c) && c != ' '
}

// IsPortable reports whether every system can have a name.
func IsPortable(name string) bool {
	return name != "" && len(name) <= MaxPortable && utf8.ValidString(name) && !strings.ContainsFunc(name, impossible) &&
		strings.TrimRight(name, " .") == name && name[0] != ' ' && name[0] != '~' && !IsDevice(name)
}

// Portable writes a name so that every system can have it: what one of them cannot is
// percent-encoded, and so is the percent sign. Of one that is too long the beginning stays.
func Portable(name string) string {
	var b strings.Builder
	for i := 0; i < len(name); {
		c, size := utf8.DecodeRuneInString(name[i:])
		last := i+size == len(name)
		if c == utf8.RuneError && size == 1 || c == '%' || impossible(c) ||
			last && (c == '.' || c == ' ') || i == 0 && (c == ' ' || c == '~') {
			for _, byte := range []byte(name[i : i+size]) {
				fmt.Fprintf(&b, "%%%02X", byte)
			}
		} else {
			b.WriteString(name[i : i+size])
		}
		i += size
	}
	out := b.String()
	if IsDevice(out) {
		out = fmt.Sprintf("%%%02X%s", out[0], out[1:])
	}
	if len(out) > MaxPortable {
		cut := MaxPortable
		for !utf8.RuneStart(out[cut]) {
			cut--
		}
		out = strings.TrimRight(out[:cut], ". ")
	}
	if out == "" {
		return "%"
	}
	return out
}
