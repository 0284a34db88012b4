// Package programfiles finds the files that a run's programs consist of, and opens them for
// a search of where names come from (core/origin).
//
//	found, err := programfiles.Search(ctx, fp, 20*time.Second)
package programfiles

import (
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"endroit/core/candidate"
	"endroit/core/footprint"
	"endroit/core/origin"
	"endroit/core/place"
)

// maxFiles is how many files of a program are looked at, at most.
const maxFiles = 200_000

// scripts are the extensions of code that is read as text or bytecode.
var scripts = []string{
	".py", ".pyc", ".lua", ".luac", ".js", ".mjs", ".rb", ".pl", ".sh", ".gd", ".gdc", ".nut", ".as", ".cs",
	".tcl", ".scm", ".bat", ".cmd",
}

// libraries are the extensions of code that programs load.
var libraries = []string{".dll", ".so", ".dylib", ".jar", ".class", ".node", ".wasm"}

// Search looks for where the names of a footprint's files come from, in the programs that
// ran and in what came with them, for most at most; more are names to look for beside those.
// The result names files of this machine; nil if there is no name to look for.
func Search(ctx context.Context, fp *footprint.Footprint, most time.Duration, more ...string) (*origin.Result, error) {
	names, expected := candidate.Names(fp)
	names = append(names, more...)
	words := origin.Words(append(names, expected...))
	if len(words) == 0 {
		return nil, nil
	}
	bounded, done := context.WithTimeout(ctx, most)
	defer done()
	found, err := origin.Search(bounded, words, listed(bounded, fp), origin.Budget{})
	if err != nil {
		return nil, err
	}
	found.Expect(expected)
	return found, nil
}

// listed is List, for as long as there is time: a file system that answers nobody is not
// waited for. Then nothing is concluded of the program, as it could not be searched.
func listed(ctx context.Context, fp *footprint.Footprint) []origin.File {
	files := make(chan []origin.File, 1)
	go func() { files <- List(ctx, fp) }()
	select {
	case list := <-files:
		return list
	case <-ctx.Done():
	}
	return []origin.File{{Path: "the program's files", Rank: origin.Executable, Open: func() (origin.Handle, error) { return nil, ctx.Err() }}}
}

// List lists the files of a run's programs that are on this machine: what ran, what was
// read of what came with it, and the whole of its installation. What the run wrote is not
// among them: names in it are the player's too.
func List(ctx context.Context, fp *footprint.Footprint) []origin.File {
	l := list{seen: map[string]bool{}, ended: endOf(fp)}
	for _, f := range fp.Files {
		if f.Written() {
			l.seen[f.Path] = true
		}
	}
	if fp.Code == nil {
		return nil
	}
	for _, p := range fp.Code.Executables {
		l.add(p, origin.Executable)
	}
	for _, f := range fp.Files {
		came := f.Kind == footprint.Asset || strings.HasPrefix(f.Place, string(place.Install)+":") ||
			f.Kind != footprint.System && f.Reads > 0 && (footprint.Starts(f.Path) || rank(f.Path) != origin.Asset)
		if f.Written() || !came {
			continue
		}
		l.add(f.Path, rank(f.Path))
	}
	if fp.Code.Install != "" {
		_ = filepath.WalkDir(fp.Code.Install, func(path string, e fs.DirEntry, err error) error {
			switch {
			case ctx.Err() != nil || len(l.files) >= maxFiles:
				return filepath.SkipAll
			case err != nil:
				return nil // a folder that may not be listed: the others are
			case e.Type().IsRegular():
				l.add(path, rank(path))
			}
			return nil
		})
	}
	return l.files
}

// endOf is when the last run ended; zero if that is not known.
func endOf(fp *footprint.Footprint) (at time.Time) {
	runs := fp.Runs
	if len(runs) == 0 {
		runs = []footprint.Run{{Started: fp.Started, Length: fp.Length}}
	}
	for _, r := range runs {
		if end := r.Started.Add(r.Length); !r.Started.IsZero() && end.After(at) {
			at = end
		}
	}
	return at
}

type list struct {
	files []origin.File
	seen  map[string]bool
	ended time.Time // the last run
}

// errReplaced says why a program is not searched.
var errReplaced = errors.New("it was changed after the run, and may have made other names then")

func (l *list) add(path string, rank origin.Rank) {
	if l.seen[path] || len(l.files) >= maxFiles {
		return
	}
	l.seen[path] = true
	file := origin.File{Path: path, Rank: rank, Open: func() (origin.Handle, error) { return os.Open(path) }}
	info, err := os.Stat(path)
	switch {
	case err == nil && info.Mode().IsRegular():
		file.Size = info.Size()
		if rank != origin.Asset && !l.ended.IsZero() && info.ModTime().After(l.ended) {
			file.Open = func() (origin.Handle, error) { return nil, errReplaced }
		}
	case rank != origin.Executable:
		return // only of what ran it matters that it cannot be searched
	}
	l.files = append(l.files, file)
}

// rank is what a file is by its name.
func rank(path string) origin.Rank {
	name := strings.ToLower(filepath.Base(path))
	for _, x := range scripts {
		if strings.HasSuffix(name, x) {
			return origin.Script
		}
	}
	for _, x := range libraries {
		if strings.HasSuffix(name, x) || strings.Contains(name, x+".") {
			return origin.Library
		}
	}
	if footprint.Starts(path) {
		return origin.Executable
	}
	return origin.Asset
}
