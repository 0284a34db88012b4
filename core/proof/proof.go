// Package proof is the experiment by which progress, or settings, are shown to live in a
// location: it is copied, taken away, the game is started and shows a new game or not; it is
// brought back, the game is started, and shows the old progress.
//
//	p := proof.New(about, locations)
//	for {
//		step := p.Next()
//		… do what it says, and …
//		err := p.Done(step, event)
//	}
//
// It is a machine without hands: values go in, and out comes what to do next. Each state can
// be written down (it is JSON) and gone on from. Whatever happens, what was taken away is
// brought back before it ends.
package proof

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"endroit/core/record"
)

// Format is the name and version of a proof's document.
const Format = "endroit/proof/1"

// Do is what has to be done next.
type Do string

// The steps.
const (
	Check    Do = "check"      // whether the game is closed, and its cloud is off
	Copy     Do = "copy"       // take a copy of everything, and read it again
	TakeAway Do = "take away"  // the locations of the round
	Watch    Do = "watch"      // wait whether something brings files back
	Start    Do = "start"      // start the game under observation, until it ends
	Ask      Do = "ask"        // what state the game was in
	Operate  Do = "operate"    // do what the aim says, or have it done
	Look     Do = "look"       // what became of each location's files
	Bring    Do = "bring back" // make all files those of the copy
	ReadList Do = "read list"  // what the launcher's own files list for its cloud
	Finish   Do = "finish"     // nothing: it is over
)

// Aim is what an experiment is to show.
type Aim string

// The aims. Others are operations that are known to destroy what games keep.
const (
	Locations Aim = "locations" // whether the progress is in each of the locations
	Which     Aim = "which"     // which of many files carry it: each is a location of its own
	Nothing   Aim = "nothing"   // whether it is there with everything away that the game had written
)

// Hazard reports whether an operation is tried, and not the game.
func (a Aim) Hazard() bool { return a != "" && a != Locations && a != Which && a != Nothing }

// Answer is the state that the game was in.
type Answer string

// The answers.
const (
	NewGame  Answer = "new"      // a new game, or default settings
	Progress Answer = "progress" // the progress, or the settings, that there were
	Part     Answer = "part"     // some of the progress, and some of it missing
	Failed   Answer = "failed"   // the game did not start, or refused its files
	Unsure   Answer = "unsure"
)

// Answers lists them.
var Answers = []Answer{NewGame, Progress, Part, Failed, Unsure}

// shows reports whether a game showed something.
func (a Answer) shows() bool { return a == NewGame || a == Progress || a == Part }

// lacks reports whether a game showed less than all of the progress.
func (a Answer) lacks() bool { return a == NewGame || a == Part || a == Failed }

// Result is what the experiment says of a location.
type Result string

// The results. A location is needed if the game does without its progress when the location
// alone is away; not enough alone, if others are needed too.
const (
	Needed    Result = "needed"
	NotNeeded Result = "not needed"
	NotEnough Result = "not enough alone"
	Undecided Result = "undecided"
	Survived  Result = "survived"  // an operation left it as it was
	Destroyed Result = "destroyed" // an operation removed or changed it
	Kept      Result = "kept"      // the launcher's cloud brought it back, or lists it
	NotKept   Result = "not kept"  // it did not, or does not
)

// Location is one that is tried.
type Location struct {
	At    string `json:"at"`
	Holds string `json:"holds"`
	Files int    `json:"files"`
	// Stays is how many of the files are never taken away: they are of accounts that are not
	// in use.
	Stays int `json:"stays,omitzero"`
	// Likely orders the candidates of a search: the greater, the likelier. Those of one
	// Group seem to belong to one save.
	Likely int    `json:"likely,omitzero"`
	Group  string `json:"group,omitempty"`
	// Enough says that the progress was there with all other locations away.
	Enough bool `json:"enough,omitzero"`
	// Result and Why are empty until it is over.
	Result Result `json:"result,omitempty"`
	Why    string `json:"why,omitempty"`
}

// About says what a proof is of.
type About struct {
	Aim     Aim    `json:"aim,omitempty"` // Locations where it is empty
	Title   string `json:"title"`
	TitleID string `json:"title_id,omitempty"`
	Variant string `json:"variant,omitempty"` // as it is described on this machine
	// Combination is the variant that is recorded.
	Combination record.Combination `json:"combination"`
	Version     string             `json:"version,omitempty"`
	Holds       string             `json:"holds"` // save or config: what is asked for
	Slot        string             `json:"slot,omitempty"`
	By          string             `json:"by"` // the version of the program
	Machine     string             `json:"machine,omitempty"`
	Observer    string             `json:"observer,omitempty"`
	// ByList says that the launcher's own files are read for what its cloud keeps, and nothing
	// is tried.
	ByList bool `json:"by_list,omitzero"`
	// Before are the traces of the runs by which it is known what the game writes: of
	// Nothing. They stay on the machine.
	Before []Run `json:"before,omitempty"`
}

// Run is a trace on this machine.
type Run struct {
	File   string `json:"file"`
	SHA256 string `json:"sha256"`
}

// Aside is a folder that was moved aside, and where it is then.
type Aside struct {
	Folder string `json:"folder"`
	At     string `json:"at"`
}

// Returned is a file that was brought back while the game was closed.
type Returned struct {
	Path string `json:"path,omitempty"`
	By   string `json:"by,omitempty"` // the program, where it was seen to write there
}

// Sees is what the observation of a start says of one location.
type Sees struct {
	Location int `json:"location"`
	Missing  int `json:"missing,omitzero"` // files that were looked for and not found
	Created  int `json:"created,omitzero"` // files that were not there, and were created
	Read     int `json:"read,omitzero"`    // files that were there, and read
	// Gone is how many were there, were not read under their names, and were renamed or
	// removed: a game can take its save to another name, and read it there.
	Gone int `json:"gone,omitzero"`
}

// Became is what became of the files of a location.
type Became struct {
	Location int `json:"location"`
	Same     int `json:"same,omitzero"`
	Changed  int `json:"changed,omitzero"`
	Gone     int `json:"gone,omitzero"`
}

// Listing is how many of a location's files the launcher's own files list for its cloud.
type Listing struct {
	Location int `json:"location"`
	Files    int `json:"files"`
}

// Round is one start of the game, with some locations away.
type Round struct {
	Away      []int      `json:"away"` // indexes of locations; none in the last, the control
	Operation string     `json:"operation,omitempty"`
	Returned  []Returned `json:"returned,omitempty"`
	Trace     string     `json:"trace,omitempty"` // SHA-256 of its file
	Sees      []Sees     `json:"sees,omitempty"`
	Answer    Answer     `json:"answer,omitempty"`
	// Direction is which of an operation's ways was tried, and Became what became of the
	// files of each location then.
	Direction string   `json:"direction,omitempty"`
	Became    []Became `json:"became,omitempty"`
	// Lists are the folders and files that the launcher's own files name for its cloud, as
	// places, and Listed what that means for each location.
	Lists  []string  `json:"lists,omitempty"`
	Listed []Listing `json:"listed,omitempty"`
	// Contradiction says where the answer and the observation do not fit.
	Contradiction string    `json:"contradiction,omitempty"`
	Began         time.Time `json:"began"`
}

// Proof is an experiment, begun or over.
type Proof struct {
	Format string `json:"format"`
	ID     string `json:"id"`
	About
	Began     time.Time  `json:"began"`
	Locations []Location `json:"locations"`
	Copy      string     `json:"copy,omitempty"` // the id of the copy
	Rounds    []Round    `json:"rounds"`
	At        Do         `json:"at"` // what has to be done next
	// Aside is a prefix that is moved aside at the moment; Paths are where the files were, by
	// place, percent-encoded, of an operation, and Beside other copies of the same edition that were here before
	// it. They stay on the machine.
	Aside  *Aside            `json:"aside,omitempty"`
	Paths  map[string]string `json:"paths,omitempty"`
	Beside []string          `json:"beside,omitempty"`
	// Ended says why it ended early; empty if it did not.
	Ended string `json:"ended,omitempty"`
}

// Step is what has to be done next.
type Step struct {
	Do   Do
	Away []int // of TakeAway: the locations
	Left int   // how many starts of the game, or operations, are left at most, this one counted
	// Likely is how many are left if one file carries the progress: of a search.
	Likely    int
	Direction string // of Operate
}

// Event is what came of a step. Which fields count depends on the step.
type Event struct {
	Copy      string     // of Copy
	Operation string     // of TakeAway
	Returned  []Returned // of Watch
	Trace     string     // of Start
	Sees      []Sees
	Became    []Became // of Look
	Lists     []string // of ReadList
	Listed    []Listing
	Answer    Answer // of Ask; of Start it is Failed if the game could not be started
	Now       time.Time
}

// New begins an experiment.
func New(id string, about About, locations []Location, now time.Time) (*Proof, error) {
	if len(locations) == 0 {
		return nil, errors.New("there is no location to prove")
	}
	p := &Proof{Format: Format, ID: id, About: about, Began: now.UTC(), Locations: slices.Clone(locations), Rounds: []Round{}, At: Check}
	if p.ByList {
		if p.Aim != "cloud" {
			return nil, errors.New("a launcher's own files are read for what its cloud keeps alone")
		}
		p.At = ReadList
	}
	return p, nil
}

// Next is what has to be done next.
func (p *Proof) Next() Step {
	s := Step{Do: p.At, Left: p.left()}
	if p.Aim == Which {
		s.Left, s.Likely = p.leftOfSearch()
	}
	if r := p.round(); r != nil {
		s.Direction = r.Direction
	}
	if p.At == TakeAway || p.At == Watch {
		s.Away = slices.Clone(p.round().Away)
	}
	return s
}

func (p *Proof) round() *Round {
	if len(p.Rounds) == 0 {
		return nil
	}
	return &p.Rounds[len(p.Rounds)-1]
}

// StepError says that something was done that was not next.
type StepError struct{ Was, Is Do }

func (e *StepError) Error() string {
	return fmt.Sprintf("the experiment is at %q, and not at %q", e.Is, e.Was)
}

// Done says that a step was done, and what came of it.
func (p *Proof) Done(do Do, e Event) error {
	if do != p.At || do == Finish {
		return &StepError{do, p.At}
	}
	switch do {
	case Check:
		p.At = Copy
	case Copy:
		if e.Copy == "" {
			return errors.New("no copy was taken")
		}
		p.Copy = e.Copy
		away, _ := p.next()
		p.begin(away, e.Now)
	case TakeAway:
		p.round().Operation = e.Operation
		p.At = Watch
	case Watch:
		p.round().Returned = e.Returned
		if p.At = Start; p.Aim.Hazard() {
			p.At = Operate
		}
	case Operate:
		p.At = Look
	case Look:
		p.round().Became = e.Became
		p.At = Bring
	case Start:
		p.round().Trace, p.round().Sees = e.Trace, e.Sees
		if p.At = Ask; e.Answer == Failed {
			p.round().Answer, p.At = Failed, Bring
		}
	case Ask:
		if !slices.Contains(Answers, e.Answer) {
			return fmt.Errorf("%q is no answer; there are new, progress, part, failed and unsure", e.Answer)
		}
		p.round().Answer = e.Answer
		p.round().Contradiction = p.contradiction(p.round())
		p.At = Bring
	case Bring:
		p.after(e.Now)
	case ReadList:
		p.Rounds = append(p.Rounds, Round{Away: []int{}, Lists: e.Lists, Listed: e.Listed, Began: e.Now.UTC()})
		p.At = Finish
		p.conclude()
	}
	return nil
}

// GiveUp ends the experiment early: what is away is brought back, and then it is over with
// what is known.
func (p *Proof) GiveUp(why string) {
	if p.At == Finish || p.Ended != "" {
		return
	}
	p.Ended = why
	if p.Copy == "" {
		p.At = Finish
		p.conclude()
		return
	}
	p.At = Bring
}

// all are the indexes of all locations.
func (p *Proof) all() []int {
	out := make([]int, len(p.Locations))
	for i := range out {
		out[i] = i
	}
	return out
}

// begin begins a round.
func (p *Proof) begin(away []int, now time.Time) {
	r := Round{Away: away, Began: now.UTC()}
	if ways := directions[p.Aim]; len(ways) > 0 {
		r.Direction = ways[len(p.Rounds)]
	}
	p.Rounds = append(p.Rounds, r)
	switch {
	case len(away) > 0:
		p.At = TakeAway
	case p.Aim.Hazard():
		p.At = Operate
	default:
		p.At = Start
	}
}

// after decides, once everything is back, what the next round is.
func (p *Proof) after(now time.Time) {
	if away, more := p.next(); more && p.Ended == "" {
		p.begin(away, now)
		return
	}
	p.At = Finish
	p.conclude()
}

// next is what is away in the next round. The first takes all away: if the progress is there
// all the same, none is needed. Else each is taken away by itself, and in the last nothing
// is, so that the progress is seen to come back.
func (p *Proof) next() (away []int, more bool) {
	switch {
	case p.Aim == Which:
		return p.nextOfSearch()
	case p.Aim.Hazard():
		return p.nextOperation()
	case len(p.Rounds) == 0:
		return p.all(), true
	}
	first := p.Rounds[0]
	if len(p.round().Away) == 0 {
		return nil, false // that was the control
	}
	if first.Answer == NewGame && len(p.Locations) > 1 && p.Aim != Nothing {
		if n := len(p.Rounds) - 1; n < len(p.Locations) {
			return []int{n}, true
		}
	}
	return nil, true
}

// left is how many starts there are at most, from the step that is next.
func (p *Proof) left() int {
	if p.Aim.Hazard() {
		return p.operationsLeft()
	}
	most := 2 // all away, and the control
	if len(p.Locations) > 1 && p.Aim != Nothing {
		most += len(p.Locations)
	}
	if len(p.Rounds) > 0 && p.Rounds[0].Answer != "" && p.Rounds[0].Answer != NewGame {
		most = 2
	}
	done := 0
	for _, r := range p.Rounds {
		if r.Answer != "" {
			done++
		}
	}
	if p.Ended != "" || p.At == Finish {
		return 0
	}
	return max(most-done, 0)
}
