package footprint

import (
	"path"
	"slices"
	"strings"
)

// programExtensions are those of files that are started, on Windows and in DOS.
var programExtensions = []string{".exe", ".com", ".bat", ".cmd"}

// Starts reports whether a file's name says that it is a program to start.
func Starts(name string) bool {
	return slices.Contains(programExtensions, strings.ToLower(path.Ext(name)))
}
