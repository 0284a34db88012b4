package proof

import (
	"cmp"
	"fmt"
	"math/bits"
	"slices"
	"strings"
)

// A search finds the smallest set of files that carries the progress: what it needs with
// all others away. It holds that more files in place never take the progress away. In each
// round some are away; what is asked depends on the answers alone, so that a search goes on
// where it was.
//
// The first round has everything in place. From its trace one sees which files the game reads
// when it starts: these are tried first, and of these the files that seem to belong to one
// save. If they do not carry the progress, it is found by halving, likely ones first: the
// shortest beginning of the candidates that carries it ends with a file that is needed.

// asked is a set of locations in place whose answer is not known yet.
type asked struct{ present []int }

// carries is whether the progress was there with only these in place: known from the rounds,
// also from larger and smaller sets. Otherwise it panics with what has to be asked.
func (p *Proof) carries(present []int) bool {
	if known, carries := p.known(present); known {
		return carries
	}
	panic(asked{present})
}

func (p *Proof) known(present []int) (known, carries bool) {
	for _, r := range p.Rounds {
		if r.Answer != Progress && !r.Answer.lacks() {
			continue
		}
		there := without(p.all(), r.Away)
		if r.Answer == Progress && within(there, present) {
			return true, true
		}
		if r.Answer != Progress && within(present, there) {
			return true, false
		}
	}
	return false, false
}

// without are the numbers that are not among others.
func without(all, away []int) (out []int) {
	if len(all) == 0 {
		return nil
	}
	most := slices.Max(all)
	gone := make([]bool, most+1)
	for _, i := range away {
		if i <= most {
			gone[i] = true
		}
	}
	for _, i := range all {
		if !gone[i] {
			out = append(out, i)
		}
	}
	return out
}

func within(few, many []int) bool { return len(without(few, many)) == 0 }

// nextOfSearch is what is away in the next start of a search.
func (p *Proof) nextOfSearch() (away []int, more bool) {
	if len(p.Rounds) == 0 {
		return nil, true
	}
	if r := p.round(); r.Answer == Unsure || r.Contradiction != "" || p.Rounds[0].Answer != Progress {
		return nil, false
	}
	_, next, found := p.search()
	return without(p.all(), next), !found
}

// search gives the smallest set, or what has to be asked next.
func (p *Proof) search() (set, next []int, found bool) {
	defer func() {
		if r := recover(); r != nil {
			next = r.(asked).present
		}
	}()
	set = p.smallest()
	return set, nil, true
}

func (p *Proof) smallest() []int {
	order, read := p.likely()
	pool := order
	if guess := p.guess(order, read); len(guess) < len(order) {
		if p.carries(guess) {
			pool = guess
			p.carries(without(p.all(), pool)) // whether others carry it too
		} else { // not enough: the others that were read come first
			n := max(read, len(guess))
			pool = slices.Concat(without(order[:n], guess), guess, order[n:])
		}
	}
	var fixed []int
	for !p.carries(fixed) {
		// The shortest beginning of the pool that carries it, with what is fixed.
		low, high := 0, len(pool)
		for high-low > 1 {
			mid := (low + high) / 2
			if len(fixed) == 0 && low == 0 && read > 0 && read < high && high == len(p.Locations) {
				mid = read // does a file matter that the game does not read when it starts?
			}
			if p.carries(append(slices.Clone(pool[:mid]), fixed...)) {
				high = mid
			} else {
				low = mid
			}
		}
		fixed, pool = append(fixed, pool[high-1]), pool[:high-1]
	}
	p.carries(without(p.all(), fixed)) // whether others carry it too
	return fixed
}

// likely orders the candidates, the likeliest first, and says how many were read when
// everything was in place.
func (p *Proof) likely() (order []int, read int) {
	was := map[int]bool{}
	for _, s := range p.Rounds[0].Sees {
		if s.used() > 0 {
			was[s.Location] = true
		}
	}
	order = p.all()
	slices.SortStableFunc(order, func(a, b int) int {
		if was[a] != was[b] {
			if was[a] {
				return -1
			}
			return 1
		}
		return cmp.Compare(p.Locations[b].Likely, p.Locations[a].Likely)
	})
	return order, len(was)
}

// guess is the likeliest file, with those that seem to belong to the same save and were read
// too; if that is all of them, the file alone.
func (p *Proof) guess(order []int, read int) []int {
	first := p.Locations[order[0]]
	out := []int{order[0]}
	for n, i := range order {
		if l := p.Locations[i]; n > 0 && (read == 0 || n < read) && first.Group != "" && l.Group == first.Group && l.Likely >= first.Likely {
			out = append(out, i)
		}
	}
	if len(out) == len(order) {
		return out[:1]
	}
	return out
}

// Halving is how many starts a search by halving alone needs that knows nothing of the
// files: one with all in place and one with none, and for each file that is needed one for
// each halving of the candidates, and one that shows whether it is enough.
func Halving(candidates, needed int) int {
	return 2 + needed*(log2(candidates)+1)
}

// log2 is the logarithm, rounded up.
func log2(n int) int { return bits.Len(uint(max(n, 1) - 1)) }

// leftOfSearch is how many starts are left at most, and if one file carries the progress;
// that is 0 where the answers show that several do.
func (p *Proof) leftOfSearch() (most, likely int) {
	if p.Ended != "" || p.At == Finish {
		return 0, 0
	}
	done := p.starts()
	total := 0
	for n := range done + 1 { // what was true before stays true
		if bound := n + p.boundAfter(n); n == 0 || bound < total {
			total = bound
		}
	}
	one := p.ifOne()
	return max(total-done, 1), min(max(one-done, 0), max(total-done, 1))
}

// boundAfter is how many more starts a search needs at most after its first answers.
func (p *Proof) boundAfter(answers int) (most int) {
	smallest := len(p.Locations)
	if smallest == 1 {
		return max(0, 2-answers) // with it, and without
	}
	for _, r := range p.Rounds[:min(answers, len(p.Rounds))] {
		if r.Answer == Progress {
			smallest = min(smallest, len(p.Locations)-len(r.Away))
		}
	}
	most = 2 // whether none is enough, and whether others carry it too
	for i := 1; i <= smallest; i++ {
		most += log2(i) + 1
	}
	return most + max(0, 3-answers) // all in place, the guess, and what was read
}

// simulated bounds for how many files it is tried how many starts they would take.
const simulated = 64

// ifOne is how many starts it takes in all if one file carries the progress: the most of
// those that fit the answers.
func (p *Proof) ifOne() (most int) {
	step := max(1, len(p.Locations)/simulated)
	for i := 0; i < len(p.Locations); i += step {
		if !p.fits(i) {
			continue
		}
		q := &Proof{About: p.About, Locations: p.Locations}
		for _, r := range p.Rounds {
			if r.Answer != "" {
				q.Rounds = append(q.Rounds, Round{Away: r.Away, Sees: r.Sees, Answer: r.Answer})
			}
		}
		for {
			away, more := q.nextOfSearch()
			if !more {
				break
			}
			answer := Progress
			if slices.Contains(away, i) {
				answer = NewGame
			}
			q.Rounds = append(q.Rounds, Round{Away: away, Answer: answer})
		}
		most = max(most, len(q.Rounds))
	}
	return most
}

// fits reports whether one file alone could carry the progress, by the answers.
func (p *Proof) fits(file int) bool {
	return !slices.ContainsFunc(p.Rounds, func(r Round) bool {
		away := slices.Contains(r.Away, file)
		return r.Answer == Progress && away || r.Answer.lacks() && !away
	})
}

// starts is how many starts were answered.
func (p *Proof) starts() (n int) {
	for _, r := range p.Rounds {
		if r.Answer != "" {
			n++
		}
	}
	return n
}

// concludeSearch says of each file whether it is in the smallest set.
func (p *Proof) concludeSearch() {
	set, _, found := []int(nil), []int(nil), false
	if len(p.Rounds) > 0 && p.Rounds[0].Answer == Progress {
		set, _, found = p.search()
	}
	if !found {
		p.concludeEarly()
		return
	}
	_, others := p.known(without(p.all(), set))
	var names []string
	for _, i := range set {
		names = append(names, p.Locations[i].At)
	}
	for i := range p.Locations {
		l := &p.Locations[i]
		l.Result, l.Why = NotNeeded, "the progress was there without it"
		if len(set) == 0 {
			l.Why = "with all of these files away, the progress was there: it is kept elsewhere"
		}
		if !slices.Contains(set, i) {
			continue
		}
		switch {
		case others && len(set) == 1:
			l.Enough, l.Why = true, "with all others away, the progress was there; without it too: others are enough as well"
		case others:
			l.Why = "with these alone the progress was there: " + strings.Join(names, ", ") + "; without them too: others are enough as well"
		case len(set) == 1:
			l.Result, l.Enough, l.Why = Needed, true, "with all others away, the progress was there; without it, it was not"
		default:
			l.Result, l.Why = NotEnough, "these are needed together: "+strings.Join(names, ", ")
		}
	}
}

// concludeEarly says what is known of a search that was ended early.
func (p *Proof) concludeEarly() {
	best := p.all()
	for _, r := range p.Rounds {
		if there := without(p.all(), r.Away); r.Answer == Progress && len(there) < len(best) {
			best = there
		}
	}
	why := "it was ended early (" + cmp.Or(p.Ended, "there was no sure answer") + ")"
	switch {
	case len(p.Rounds) == 0 || p.Rounds[0].Answer == "":
	case p.Rounds[0].Answer != Progress:
		why = "with all files in their places, the game did not show " + p.old() + ": nothing is shown by their absence"
	case len(best) == 1:
		why += ": " + p.old() + " is in this file, or elsewhere"
	default:
		why += fmt.Sprintf(": %s is in these %d files, or elsewhere", p.old(), len(best))
	}
	for i := range p.Locations {
		l := &p.Locations[i]
		if slices.Contains(best, i) {
			l.Result, l.Why = Undecided, why
		} else {
			l.Result, l.Why = NotNeeded, "the progress was there without it"
		}
	}
}

// Found is the smallest set that a search found, with how many starts it took and how many
// halving alone would have; ok is whether it found one.
func (p *Proof) Found() (set []int, starts, halving int, ok bool) {
	if p.Aim != Which || p.At != Finish || len(p.Rounds) == 0 || p.Rounds[0].Answer != Progress {
		return nil, p.starts(), 0, false
	}
	set, _, ok = p.search()
	return set, p.starts(), Halving(len(p.Locations), len(set)), ok
}
