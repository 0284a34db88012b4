package footprint

import "time"

// Lane is when a file was read and written, as a timeline draws it.
type Lane struct {
	Reads  []Stroke `json:"reads,omitempty"`
	Writes []Stroke `json:"writes,omitempty"`
}

// Stroke is a stretch of a run in which a file was used again and again: from and to, in
// nanoseconds since the start, and how many times.
type Stroke [3]int64

// maxStrokes bounds one half of a lane: a file that is used without end has wider strokes,
// not more of them.
const maxStrokes = 128

// strokes gathers one half of a lane.
type strokes struct {
	list []Stroke
	gap  int64 // uses that lie closer than this are one stroke
}

func (s *strokes) add(at time.Duration) {
	t := int64(at)
	if n := len(s.list); n > 0 && t-s.list[n-1][1] <= s.gap {
		s.list[n-1][1] = max(s.list[n-1][1], t)
		s.list[n-1][2]++
		return
	}
	s.list = append(s.list, Stroke{t, t, 1})
	for len(s.list) > maxStrokes {
		s.gap = max(2*s.gap, int64(time.Millisecond))
		s.list = widened(s.list, s.gap)
	}
}

// widened joins strokes that lie closer than a gap. It writes over the list.
func widened(list []Stroke, gap int64) []Stroke {
	out := list[:0]
	for _, x := range list {
		if n := len(out); n > 0 && x[0]-out[n-1][1] <= gap {
			out[n-1][1] = max(out[n-1][1], x[1])
			out[n-1][2] += x[2]
			continue
		}
		out = append(out, x)
	}
	return out
}

// lane is nil for a file that was neither read nor written.
func (f *record) lane() *Lane {
	if len(f.readStrokes.list)+len(f.writeStrokes.list) == 0 {
		return nil
	}
	l := &Lane{Reads: f.readStrokes.list, Writes: f.writeStrokes.list}
	if f.writes == 0 && len(f.sizes) == 0 && f.positions == 0 {
		l.Writes = nil // it was only opened for writing
	}
	return l
}

// behind puts the lane of a later run behind this one, which may be nil.
func (l *Lane) behind(later *Lane) *Lane {
	switch {
	case later == nil:
		return l
	case l == nil:
		return later
	}
	return &Lane{Reads: joinedStrokes(l.Reads, later.Reads), Writes: joinedStrokes(l.Writes, later.Writes)}
}

func joinedStrokes(a, b []Stroke) []Stroke {
	s := strokes{list: append(append([]Stroke{}, a...), b...)}
	for gap := int64(time.Millisecond); len(s.list) > maxStrokes; gap *= 2 {
		s.list = widened(s.list, gap)
	}
	return s.list
}

// shifted moves a lane in time.
func (l *Lane) shifted(by time.Duration) *Lane {
	if l == nil {
		return nil
	}
	move := func(list []Stroke) (out []Stroke) {
		for _, s := range list {
			out = append(out, Stroke{s[0] + int64(by), s[1] + int64(by), s[2]})
		}
		return out
	}
	return &Lane{Reads: move(l.Reads), Writes: move(l.Writes)}
}

// maxShared is how many strokes leave the machine.
const maxShared = 20_000

// thin widens the strokes of all files until they are few enough.
func thin(files []File) {
	for gap := int64(10 * time.Millisecond); ; gap *= 2 {
		n := 0
		for _, x := range files {
			if x.Lane != nil {
				n += len(x.Lane.Reads) + len(x.Lane.Writes)
			}
		}
		if n <= maxShared || gap > int64(24*time.Hour) {
			return
		}
		for i, x := range files {
			if x.Lane != nil {
				files[i].Lane = &Lane{widened(append([]Stroke{}, x.Lane.Reads...), gap), widened(append([]Stroke{}, x.Lane.Writes...), gap)}
			}
		}
	}
}
