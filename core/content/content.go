// Package content tells facts about bytes.
//
//	content.Looks(head) // "SQLite database", "text, INI", "bytes"
package content

import (
	"bytes"
	"encoding/json"
	"regexp"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"
)

// HeadSize is how many bytes from a file's beginning Looks wants.
const HeadSize = 4096

// The answers of Looks that others decide on. A text that names a token begins with what
// kind of text it is: see NamesToken.
const (
	Empty    = "empty"
	Text     = "text"
	Bytes    = "bytes"
	Settings = Text + ", settings by name"

	withToken = ", with a token"
)

// heads are the headers known, each from the format's own specification.
var heads = []struct {
	at    int
	magic string
	looks string
}{
	{0, "SQLite format 3\x00", "SQLite database"}, // sqlite.org/fileformat
	{0, "\x7fELF", "ELF program or library"},      // System V ABI
	{0, "MZ", "Windows program or library"},       // PE format
	{0, "\x89PNG\r\n\x1a\n", "PNG picture"},       // W3C PNG
	{0, "\xff\xd8\xff", "JPEG picture"},           // ITU T.81
	{0, "GIF8", "GIF picture"},                    // GIF89a
	{0, "BM", "bitmap picture"},                   // Windows BITMAPFILEHEADER
	{0, "DDS ", "DDS texture"},                    // Direct3D
	{0, "OggS", "Ogg sound"},                      // RFC 3533
	{0, "fLaC", "FLAC sound"},                     // RFC 9639
	{0, "ID3", "MP3 sound"},                       // ID3v2
	{8, "WAVE", "WAVE sound"},                     // RIFF
	{0, "PK\x03\x04", "ZIP archive"},              // PKWARE APPNOTE
	{0, "\x1f\x8b", "gzip data"},                  // RFC 1952
	{0, "\x28\xb5\x2f\xfd", "zstd data"},          // RFC 8878
	{0, "\xfd7zXZ\x00", "xz data"},                // xz file format
	{0, "BZh", "bzip2 data"},                      //
	{0, "\x04\x22\x4d\x18", "LZ4 data"},           // LZ4 frame format
	{0, "\x78\x9c", "zlib data"},                  // RFC 1950
	{0, "\x78\xda", "zlib data"},                  //
	{0, "bplist00", "binary property list"},       // Apple CoreFoundation
	{0, "\x00\x01\x00\x00\x00", "TrueType font"},  // OpenType
	{0, "OTTO", "OpenType font"},                  //
	{0, "wOF2", "WOFF2 font"},                     // W3C
	{257, "ustar", "tar archive"},                 // POSIX
}

// Looks says in a few words what a file looks like from its first bytes, at
// most HeadSize of them: a known format, a kind of text, Empty or Bytes. Every
// kind of text begins with the word Text.
func Looks(head []byte) string {
	if len(head) == 0 {
		return Empty
	}
	for _, h := range heads {
		if len(head) >= h.at+len(h.magic) && string(head[h.at:h.at+len(h.magic)]) == h.magic {
			if len(h.magic) > 2 || !isText(head) {
				return h.looks
			}
		}
	}
	if !isText(head) {
		return Bytes
	}
	looks := textLooks(head)
	if tokenIn(head) {
		looks += withToken
	}
	return looks
}

// NamesToken reports whether an answer of Looks says that a text has, beside a name for it,
// a token, a password or the like, which lets whoever reads it in somewhere.
func NamesToken(looks string) bool { return strings.HasSuffix(looks, withToken) }

// IsSettings reports whether an answer of Looks says that a text is names with values.
func IsSettings(looks string) bool { return strings.TrimSuffix(looks, withToken) == Settings }

// tokenIn looks for the name of something that lets people in, with a value behind it that is
// neither a number nor a choice: games have tokens to collect, too.
func tokenIn(head []byte) bool {
	head = bytes.ToLower(head)
	if !slices.ContainsFunc(tokenWords, func(w string) bool { return bytes.Contains(head, []byte(w)) }) {
		return false
	}
	for _, m := range tokenValue().FindAllSubmatch(head, -1) {
		value := string(m[1])
		if strings.ContainsFunc(value, unicode.IsLetter) && !slices.Contains(choices, value) {
			return true
		}
	}
	return false
}

var (
	tokenWords = []string{
		"token", "password", "passwd", "secret", "cookie", "credential", "apikey", "api_key", "api-key", "private_key", "privatekey",
	}
	choices = []string{"true", "false", "null", "none", "nil", "yes", "no", "on", "off", "default", "auto", "string", "int"}
)

var tokenValue = sync.OnceValue(func() *regexp.Regexp {
	return regexp.MustCompile(`(?:` + strings.Join(tokenWords, "|") + `)["']?\s{0,4}[=:>]\s{0,4}["']?([0-9a-z+/=_.-]{3,})`)
})

func textLooks(head []byte) string {
	t := strings.TrimSpace(string(bytes.TrimPrefix(head, []byte("\xef\xbb\xbf"))))
	switch {
	case strings.HasPrefix(t, "<?xml") || strings.HasPrefix(t, "<plist"):
		return Text + ", XML"
	case strings.HasPrefix(t, "{") || strings.HasPrefix(t, "["):
		if len(head) < HeadSize && json.Valid([]byte(t)) || len(head) >= HeadSize && strings.HasPrefix(t, `{"`) {
			return Text + ", JSON"
		}
	}
	like := iniLine
	if comment(t) {
		like = func(line string) bool { return iniLine(line) || optionLine(line) }
	}
	if share(t, like) >= 0.9 {
		return Settings
	}
	return Text
}

// Known reports whether a text is one of the answers of Looks.
func Known(looks string) bool {
	switch strings.TrimSuffix(looks, withToken) {
	case Text, Text + ", XML", Text + ", JSON", Settings:
		return true
	}
	switch looks {
	case Empty, Bytes:
		return true
	}
	for _, h := range heads {
		if h.looks == looks {
			return true
		}
	}
	return false
}

// isText holds for UTF-8, possibly cut in its last character, without control
// characters other than white space.
func isText(head []byte) bool {
	for i := 0; i < len(head); {
		r, n := utf8.DecodeRune(head[i:])
		if r == utf8.RuneError && n == 1 {
			return len(head) >= HeadSize && len(head)-i < utf8.UTFMax && !utf8.FullRune(head[i:])
		}
		if r < ' ' && !strings.ContainsRune("\t\n\r\f\x1b", r) || r == 0x7f {
			return false
		}
		i += n
	}
	return true
}

// share is the share of the lines that are not blank for which ok holds.
func share(text string, ok func(string) bool) float64 {
	var all, good int
	for line := range strings.Lines(text) {
		if line = strings.TrimSpace(line); line == "" {
			continue
		}
		all++
		if ok(line) {
			good++
		}
	}
	if all == 0 {
		return 0
	}
	return float64(good) / float64(all)
}

// comment holds for a line that a program wrote for people to read.
func comment(line string) bool {
	return line != "" && (line[0] == '#' || line[0] == ';') || strings.HasPrefix(line, "//") || strings.HasPrefix(line, "--")
}

// optionLine holds for a name and a value with nothing but space between: full_screen 0. Tables
// of scores look alike; they do not begin with a comment.
func optionLine(line string) bool {
	name, value, found := strings.Cut(line, " ")
	return found && value != "" && strings.Trim(strings.ToLower(name), "abcdefghijklmnopqrstuvwxyz0123456789_-.") == ""
}

// iniLine holds for a section, a comment, a name with a value, and the brackets that close
// what settings written as a script hold.
func iniLine(line string) bool {
	if line[0] == '[' && strings.HasSuffix(line, "]") || comment(line) || strings.Trim(line, "{}()[],;") == "" {
		return true
	}
	name, _, found := strings.Cut(line, "=")
	if !found {
		name, _, found = strings.Cut(line, ":")
	}
	return found && name != "" && len(name) < 64 && len(strings.Fields(name)) <= 3
}
