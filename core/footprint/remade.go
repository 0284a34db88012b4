package footprint

import (
	"path"
	"strings"
	"time"

	"endroit/core/trace"
)

const (
	// enoughRemade is how many files have to be made in one folder, each from another that
	// has its name, to show that they can be made again: levels are saved one by one.
	enoughRemade = 8
	// madeWithin is how long after the reading such a file is made.
	madeWithin = 3 * time.Second
	// leastStem is how long a name has to be to say anything.
	leastStem = 3
)

// remade finds the files that were made from what came with the program, such as compiled
// shaders and scripts: made once, right after a file of the same name and another extension
// was read that nobody writes, and many of them in a folder. What can be made again is no
// progress, wherever it lies.
func (b *builder) remade() map[*record]string {
	sources := map[string][]*record{}
	for _, f := range b.files[1:] {
		if f.file.Before.Is == trace.IsFile && f.reads > 0 && f.writes == 0 && len(f.sizes) == 0 && f.positions == 0 {
			s := fileStem(f.file.Path)
			sources[s] = append(sources[s], f)
		}
	}
	from := map[*record]string{}
	inFolder := map[string]int{}
	done := map[*record]bool{}
	for _, f := range b.files[1:] {
		if done[f] || f.file.Before.Is != trace.IsAbsent || len(f.writeTimes) != 1 || f.removed || f.file.IsKey() {
			continue
		}
		done[f] = true
		stem, at := fileStem(f.file.Path), f.writeTimes[0]
		if len(stem) < leastStem {
			continue
		}
		for _, s := range sources[stem] {
			if within(s.firstRead, at) || within(s.lastRead, at) {
				from[f] = s.file.Path
				inFolder[path.Dir(f.file.Path)]++
				break
			}
		}
	}
	for f := range from {
		if inFolder[path.Dir(f.file.Path)] < enoughRemade {
			delete(from, f)
		}
	}
	return from
}

func within(read, made time.Duration) bool { return read <= made && made-read <= madeWithin }

// fileStem is a name in lowercase up to its first dot.
func fileStem(name string) string {
	stem, _, _ := strings.Cut(strings.TrimPrefix(strings.ToLower(path.Base(name)), "."), ".")
	return stem
}

func (v *view) madeFromAsset() *Facts {
	source := v.b.madeFrom[v.record]
	if source == "" || len(v.near) > 0 {
		return nil
	}
	return word(path.Base(source))
}
