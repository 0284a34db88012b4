package proof

import (
	"fmt"
)

// The directions of an operation that has two: one can destroy what the other leaves.
const (
	There = "there"
	Back  = "back"
)

// directions are the ways of each operation that are tried, each in a round.
var directions = map[Aim][]string{"move": {There, Back}}

func (p *Proof) ways() int { return max(1, len(directions[p.Aim])) }

// nextOperation is what is away in the next round of an operation: nothing, but for the
// cloud, which is seen by what it brings back.
func (p *Proof) nextOperation() (away []int, more bool) {
	if len(p.Rounds) >= p.ways() {
		return nil, false
	}
	if p.Aim == "cloud" {
		return p.all(), true
	}
	return nil, true
}

func (p *Proof) operationsLeft() int {
	if p.Ended != "" || p.At == Finish || p.ByList {
		return 0
	}
	done := 0
	for _, r := range p.Rounds {
		if r.Became != nil {
			done++
		}
	}
	return p.ways() - done
}

// concludeOperation says what became of each location.
func (p *Proof) concludeOperation() {
	for i := range p.Locations {
		l := &p.Locations[i]
		l.Result, l.Why = Undecided, "the operation was not done"
		for _, r := range p.Rounds {
			for _, b := range r.Became {
				if b.Location == i {
					p.concludeOne(l, r, b)
				}
			}
			for _, x := range r.Listed {
				if x.Location == i {
					concludeListed(l, x)
				}
			}
		}
		if p.Ended != "" && l.Result != Destroyed {
			l.Result, l.Why = Undecided, "it was ended early: "+p.Ended
		}
	}
}

// concludeListed says what the launcher's list means for a location.
func concludeListed(l *Location, x Listing) {
	switch all := Amount(l.At, l.Files); {
	case l.Files == 1 && x.Files == 1:
		l.Result, l.Why = Kept, "the launcher lists it for its cloud"
	case l.Files == 1:
		l.Result, l.Why = NotKept, "the launcher lists others for its cloud, and not it"
	case x.Files == l.Files:
		l.Result, l.Why = Kept, "the launcher lists all of "+all+" for its cloud"
	case x.Files == 0:
		l.Result, l.Why = NotKept, "the launcher lists others for its cloud, and none of "+all
	default:
		l.Result, l.Why = NotKept, fmt.Sprintf("the launcher lists %d of %s for its cloud, and not the others", x.Files, all)
	}
}

// concludeOne adds what became of a location in one round: one direction that destroys is
// enough.
func (p *Proof) concludeOne(l *Location, r Round, b Became) {
	way := ""
	if r.Direction != "" {
		way = " (" + r.Direction + ")"
	}
	files := func(n int) string { return Amount(l.At, n) }
	all := b.Same + b.Changed + b.Gone
	switch {
	case p.Aim == "cloud" && b.Gone == 0 && b.Changed == 0:
		l.Result, l.Why = Kept, "all of "+files(all)+" came back as they were"
	case p.Aim == "cloud" && b.Same == 0 && b.Changed == 0:
		l.Result, l.Why = NotKept, "none of "+files(all)+" came back"
	case p.Aim == "cloud":
		l.Result, l.Why = NotKept, files(b.Same)+" of "+files(all)+" came back as they were; the others did not, or are others now"
	case b.Gone+b.Changed > 0:
		why := files(b.Gone) + " of " + files(all) + " gone, " + files(b.Changed) + " changed" + way
		if l.Result == Destroyed {
			why = l.Why + "; " + why
		}
		l.Result, l.Why = Destroyed, why
	case l.Result != Destroyed:
		l.Result, l.Why = Survived, "all of "+files(all)+" are as they were"
	}
}
