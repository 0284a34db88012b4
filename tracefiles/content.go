package tracefiles

import (
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"endroit/capture"
	"endroit/capture/versions"
	"endroit/core/phrase"
	"endroit/safefile"
)

// MaxContent is the largest file that is looked into, in bytes.
const MaxContent = safefile.MaxSteady

// Content is what a file holds, or held.
type Content struct {
	Name    string // as people read it
	Path    string // the file; of a version, the one that it is a version of
	Data    []byte
	Changed time.Time
}

// ReadContent reads a file, or a version beside a trace: TRACE#N, with numbers from 1.
func ReadContent(name string) (Content, error) {
	if i := strings.LastIndexByte(name, '#'); i > 0 {
		if n, err := strconv.Atoi(name[i+1:]); err == nil {
			if _, err := os.Lstat(name); err != nil { // else a file is called so
				return ReadVersion(name[:i], n)
			}
		}
	}
	return ReadFile(name)
}

// ReadVersion reads the version with this number beside a trace.
func ReadVersion(trace string, number int) (Content, error) {
	folder := versions.Beside(trace)
	list, err := versions.Read(folder)
	if err != nil {
		return Content{}, err
	}
	if number < 1 || number > len(list) {
		return Content{}, &missingVersion{
			fmt.Sprintf(
				"%s has %s; there is no version %d (endroit trace show %s --versions)", trace,
				phrase.Count(len(list), "version", "versions"), number, trace,
			),
		}
	}
	v := list[number-1]
	c, err := ReadFile(v.Content(folder))
	c.Changed, c.Path = v.Time, v.Path
	c.Name = fmt.Sprintf("%s, %s at %.1f s", v.Path, v.Why, v.At.Seconds())
	return c, err
}

// missingVersion is an fs.ErrNotExist with its own words.
type missingVersion struct{ text string }

func (e *missingVersion) Error() string        { return e.text }
func (e *missingVersion) Is(target error) bool { return target == os.ErrNotExist }

// ReadFile reads a file of at most MaxContent. It is an ErrInput if it is none, or changes
// meanwhile.
func ReadFile(path string) (c Content, err error) {
	f, err := capture.OpenQuietly(path)
	if err != nil {
		return c, err
	}
	defer f.Close()
	c.Name, c.Path = path, path
	c.Data, c.Changed, err = safefile.ReadSteady(f, path)
	return c, err
}
