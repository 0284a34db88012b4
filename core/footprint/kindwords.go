package footprint

import "endroit/core/phrase"

// kindWords are the kinds as people read them: by itself, and said of one file and of
// several.
var kindWords = map[Kind]struct{ word, one, many string }{
	Save:    {"progress", "progress file", "progress files"},
	Config:  {"settings", "settings file", "settings files"},
	Capture: {"pictures", "picture", "pictures"},
	Log:     {"log", "log file", "log files"},
	Cache:   {"cache", "cache file", "cache files"},
	Temp:    {"temporary", "temporary file", "temporary files"},
	Lock:    {"lock", "lock file", "lock files"},
	Asset:   {"game files", "game file", "game files"},
	System:  {"system", "system file", "system files"},
	Unknown: {"unknown", "unknown file", "unknown files"},
}

// Word is the kind as people read it: Save reads progress.
func (k Kind) Word() string {
	if w, ok := kindWords[k]; ok {
		return w.word
	}
	return string(k)
}

// Files counts files of the kind: 3 temporary files.
func (k Kind) Files(n int) string {
	w, ok := kindWords[k]
	if !ok {
		return phrase.Count(n, "file", "files")
	}
	return phrase.Count(n, w.one, w.many)
}

// Plural is the kind said of several files, and Singular of one: a progress file.
func (k Kind) Plural() string { return kindWords[k].many }

// Singular is the kind said of one file, with its article.
func (k Kind) Singular() string { return "a " + kindWords[k].one }

// ParseKind reads a kind as the formats write it or as people read it.
func ParseKind(text string) (Kind, bool) {
	for _, k := range Kinds {
		if text == string(k) || text == k.Word() {
			return k, true
		}
	}
	return "", false
}
