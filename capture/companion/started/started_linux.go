//go:build amd64 || arm64

package started

// ignored has a bit for each signal that this process was started to ignore, the signal 1
// being the lowest; it is 0 in a program that does not begin at _endroit_start.
var ignored uint64

// Ignored are the signals that this process was started to ignore, as far as they are
// known: a bit for each, the signal 1 being the lowest.
func Ignored() uint64 { return ignored }

// limit is struct rlimit64 (getrlimit(2)).
type limit struct{ current, most uint64 }

var files limit

// OpenFiles is the limit of open files that this process was started with; ok is false
// if it could not be read.
func OpenFiles() (current, most uint64, ok bool) { return files.current, files.most, files.most > 0 }

// openFiles reads it: prlimit64(0, RLIMIT_NOFILE, 0, into).
//
//go:noescape
func openFiles(into *limit)

func init() { openFiles(&files) }
