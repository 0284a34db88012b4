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

// strokes gathers one half of a lane. The last one stands by itself: it is what most
// uses change.
type strokes struct {
	last Stroke // of no use at the beginning
	gap  int64  // uses that lie closer than this are one stroke
	list []Stroke
}

func (s *strokes) add(at time.Duration) {
	t := int64(at)
	if s.last[2] > 0 && t-s.last[1] <= s.gap {
		s.last[1] = max(s.last[1], t)
		s.last[2]++
		return
	}
	if s.last[2] > 0 {
		s.list = append(s.list, s.last)
	}
	s.last = Stroke{t, t, 1}
	for len(s.list) >= maxStrokes {
		s.gap = max(2*s.gap, int64(time.Millisecond))
		s.list = widened(s.list, s.gap)
	}
}

// all are the strokes, the last one with them.
func (s *strokes) all() []Stroke {
	if s.last[2] == 0 {
		return s.list
	}
	return append(s.list[:len(s.list):len(s.list)], s.last)
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
	l := &Lane{Reads: f.readStrokes.all(), Writes: f.writeStrokes.all()}
	if f.writes == 0 && len(f.sizes) == 0 && f.positions == 0 {
		l.Writes = nil // it was only opened for writing
	}
	if len(l.Reads)+len(l.Writes) == 0 {
		return nil
	}
	return l
}

// followedBy puts the lane of a later run followedBy this one, which may be nil.
func (l *Lane) followedBy(later *Lane) *Lane {
	switch {
	case later == nil:
		return l
	case l == nil:
		return later
	}
	return &Lane{Reads: joinedStrokes(l.Reads, later.Reads), Writes: joinedStrokes(l.Writes, later.Writes)}
}

func joinedStrokes(a, b []Stroke) []Stroke {
	list := append(append([]Stroke{}, a...), b...)
	for gap := int64(time.Millisecond); len(list) > maxStrokes; gap *= 2 {
		list = widened(list, gap)
	}
	return list
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
				files[i].Lane = &Lane{
					widened(append([]Stroke{}, x.Lane.Reads...), gap),
					widened(append([]Stroke{}, x.Lane.Writes...), gap),
				}
			}
		}
	}
}
