package wire

import (
	"time"

	"endroit/core/contribution"
	"endroit/core/proof"
)

// ProofShown is an experiment as a page draws it.
type ProofShown struct {
	Aim       string          `json:"aim"`
	Says      string          `json:"says"`    // what was shown, in a line
	ByList    bool            `json:"by_list"` // nothing was tried: the launcher's own files were read
	Version   string          `json:"version"` // of the edition; empty if it is not known
	By        string          `json:"by"`      // the program
	Began     time.Time       `json:"began"`
	Locations []ProofLocation `json:"locations"`
	Rounds    []ProofRound    `json:"rounds"`
}

// ProofLocation is a location with what was shown of it.
type ProofLocation struct {
	At     string `json:"at"`
	Holds  string `json:"holds"`
	Files  int    `json:"files"`
	Result string `json:"result"`
	Why    string `json:"why"`
}

// ProofRound is one start, or one operation, with the steps that led to it.
type ProofRound struct {
	Steps         []string    `json:"steps"`
	Away          []string    `json:"away"` // the locations
	Question      string      `json:"question"`
	Answer        string      `json:"answer"` // in words; empty for an operation
	Contradiction string      `json:"contradiction"`
	Began         time.Time   `json:"began"`
	Sees          []ProofSees `json:"sees"`
	Became        []ProofSees `json:"became"`
}

// ProofSees is what was seen of a location, in words.
type ProofSees struct {
	At   string `json:"at"`
	Says string `json:"says"`
}

// ProofOf draws an experiment.
func ProofOf(b *contribution.Proof) *ProofShown {
	p := b.Proof
	out := &ProofShown{
		Aim: string(p.Aim), Says: p.Statement(), ByList: p.ByList, Version: p.Version, By: p.By, Began: p.Began.UTC(),
		Locations: []ProofLocation{}, Rounds: []ProofRound{},
	}
	if out.Aim == "" {
		out.Aim = string(proof.Locations)
	}
	for _, l := range p.Locations {
		out.Locations = append(out.Locations, ProofLocation{l.At, l.Holds, l.Files, string(l.Result), l.Why})
	}
	at := func(i int) string { return p.Locations[i].At }
	for _, r := range p.Rounds {
		x := ProofRound{
			Steps: p.Steps(r), Away: []string{}, Question: p.Question(r), Answer: p.Words(r.Answer), Contradiction: r.Contradiction,
			Began: r.Began.UTC(), Sees: []ProofSees{}, Became: []ProofSees{},
		}
		for _, i := range r.Away {
			x.Away = append(x.Away, at(i))
		}
		for _, s := range r.Sees {
			x.Sees = append(x.Sees, ProofSees{at(s.Location), p.Saw(s)})
		}
		for _, s := range r.Became {
			x.Became = append(x.Became, ProofSees{at(s.Location), s.String()})
		}
		for _, s := range r.Listed {
			x.Became = append(x.Became, ProofSees{at(s.Location), p.Listing(s)})
		}
		out.Rounds = append(out.Rounds, x)
	}
	return out
}
