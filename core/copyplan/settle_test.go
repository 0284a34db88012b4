package copyplan

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

func TestQuiet(t *testing.T) {
	s := func(from, to float64) Stretch {
		return Stretch{time.Duration(from * float64(time.Second)), time.Duration(to * float64(time.Second))}
	}
	for _, c := range []struct {
		name   string
		writes []Stretch
		saved  []time.Duration
		want   time.Duration
		known  bool
	}{
		{"nothing is known", nil, nil, UsualQuiet, false},
		{"one file at once", []Stretch{s(5, 5)}, nil, LeastQuiet, true},
		{"a pause within a save", []Stretch{s(5, 5.1), s(7.1, 7.2)}, nil, 3 * time.Second, true},
		{"in any order, overlapping", []Stretch{s(7.1, 7.2), s(5, 7), s(5.5, 5.6)}, nil, LeastQuiet, true},
		{"two saves are not one", []Stretch{s(5, 5), s(60, 60)}, nil, LeastQuiet, true},
		{"the longest pause is bounded", []Stretch{s(5, 5), s(14, 14)}, nil, MostQuiet, true},
		{"only what a person marked", []Stretch{s(5, 5), s(9, 9), s(100, 100), s(101, 101)}, []time.Duration{102 * time.Second}, 1500 * time.Millisecond, true},
		{"nothing was written near it", []Stretch{s(5, 5)}, []time.Duration{102 * time.Second}, UsualQuiet, false},
	} {
		got, known := Quiet(c.writes, c.saved)
		assert.Equal(t, c.want, got, c.name)
		assert.Equal(t, c.known, known, c.name)
	}
}
