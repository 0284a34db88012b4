package footprint

import (
	"path"
	"time"

	"endroit/core/trace"
)

// Step is one event of a file.
type Step struct {
	At      time.Duration
	Op      trace.Op
	Program string // its name
	Other   string // the other path, of a rename, an exchange or a link
	Size    int64  // bytes, where the event tells
	What    string
}

// Steps lists what a trace tells of one file, called by its path in the footprint,
// between two times; to is the end of the run if 0. more is how many are left out
// beyond the first most.
func Steps(r *trace.Reader, name string, from, to time.Duration, most int) (list []Step, more int, err error) {
	b := newBuilder(r.Header)
	for line, err := range r.Lines() {
		if err != nil {
			return nil, 0, err
		}
		switch {
		case line.File != nil:
			b.files = append(b.files, b.declare(*line.File))
		case line.Process != nil:
			b.processes = append(b.processes, *line.Process)
		case line.Event != nil:
			e := *line.Event
			file, other := b.files[e.File], ""
			if e.To != 0 {
				other = b.files[e.To].file.Path
				if other == name {
					file, other = b.files[e.To], file.file.Path
				}
			}
			if file.file.Path != name || e.At < from || to > 0 && e.At > to {
				continue
			}
			if len(list) == most {
				more++
				continue
			}
			s := Step{At: e.At, Op: e.Op, Other: other, Size: e.Size, What: e.What}
			if exe := b.processes[e.Process].Exe; exe != "" {
				s.Program = path.Base(exe)
			}
			list = append(list, s)
		}
	}
	return list, more, nil
}
