// Package standing says what the evidence for a location amounts to.
//
//	verdict := standing.Of(standing.Basis{Evidence: evidence}, now)
package standing

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	jsonv1 "github.com/go-json-experiment/json/v1"

	"endroit/core/phrase"
)

// Standing is what the evidence amounts to, in a word.
type Standing string

// The standings.
const (
	Observed  Standing = "observed"  // seen in a traced run
	Confirmed Standing = "confirmed" // seen by different people on different machines
	Proven    Standing = "proven"    // shown by an experiment
	Disputed  Standing = "disputed"  // a traced run contradicts it
	Stale     Standing = "stale"     // not seen in the newest version, or not for years
	Withdrawn Standing = "withdrawn" // taken back
)

// Standings lists them.
var Standings = []Standing{Observed, Confirmed, Proven, Disputed, Stale, Withdrawn}

// Usable reports whether programs may change files by a location of this standing.
func (s Standing) Usable() bool {
	return s == Observed || s == Confirmed || s == Proven || s == Stale
}

// Counted reports whether a location of this standing is still said of its title.
func (s Standing) Counted() bool { return s != Withdrawn }

// Kind is what a piece of evidence says.
type Kind string

// The kinds of evidence.
const (
	Observation Kind = "observation" // a traced run used it
	Dispute     Kind = "dispute"     // a traced run contradicts it
	Proof       Kind = "proof"       // an experiment: Result says what it showed
	Absence     Kind = "absence"     // an experiment: of a variant, that nothing is kept on the machine
	Hazard      Kind = "hazard"      // an Operation was tried: Result says what became of it
	Cloud       Kind = "cloud"       // a launcher's cloud was tried: Result says whether it is kept
	CloudList   Kind = "cloud-list"  // what its own files list for it was read: Result says whether it is among that
)

// What an experiment showed of a location.
const (
	Needed    = "needed"           // without it alone, the game showed a new game
	NotEnough = "not enough alone" // the same, and others are needed too
	Enough    = "enough"           // with all others away, the game showed the progress
	NotNeeded = "not needed"       // the progress was there without it, while others were in place
	Elsewhere = "elsewhere"        // the progress was there with all locations away
	Survived  = "survived"         // of a hazard
	Destroyed = "destroyed"        // of a hazard: removed, or changed
	Kept      = "kept"             // of a cloud: it brought the files back
	NotKept   = "not kept"         // of a cloud: it did not
)

// Evidence is one accepted statement about a location, a variant or a sheet.
type Evidence struct {
	Kind         Kind      `json:"kind"`
	Contribution int64     `json:"contribution"`
	Person       string    `json:"person"` // an id: names can change, and be forgotten
	Reviewer     string    `json:"reviewer"`
	Machine      string    `json:"machine,omitempty"` // a pseudonym that a machine makes for one service
	Accepted     time.Time `json:"accepted"`
	Version      string    `json:"version,omitempty"` // the edition's version that was run
	Observer     string    `json:"observer"`
	Result       string    `json:"result,omitempty"`    // of an experiment
	Operation    Operation `json:"operation,omitempty"` // of a hazard
	Unknown      unknown   `json:",unknown"`
}

// shows reports whether it speaks for its location.
func (e Evidence) shows() bool { return e.observes() || e.proves() }

// observes takes what has no kind for an observation: the first records had no other.
func (e Evidence) observes() bool { return e.Kind == Observation || e.Kind == "" }

func (e Evidence) proves() bool {
	return e.Kind == Proof && (e.Result == Needed || e.Result == NotEnough || e.Result == Enough) || e.Kind == Absence
}

// contradicts reports whether it speaks against it.
func (e Evidence) contradicts() bool {
	return e.Kind == Dispute || e.Kind == Proof && e.Result == Elsewhere
}

// unknown are the fields of a document that this version does not know, which are kept.
type unknown = jsontext.Value

// Withdrawal says that a location was taken back.
type Withdrawal struct {
	Because      string    `json:"because"`
	Contribution int64     `json:"contribution"`
	Accepted     time.Time `json:"accepted"`
	Unknown      unknown   `json:",unknown"`
}

// Counts explain a standing without telling of anybody.
type Counts struct {
	Observations int `json:"observations,omitempty"`
	People       int `json:"people,omitempty"`   // who observed or proved it
	Machines     int `json:"machines,omitempty"` // on which
	Disputes     int `json:"disputes,omitempty"` // and experiments that contradict it
	Proofs       int `json:"proofs,omitempty"`   // experiments that show it

	Unknown unknown `json:",unknown" cbor:"-"`
}

// MarshalJSON is for encoding/json, which knows nothing of what is not known.
func (c Counts) MarshalJSON() ([]byte, error) {
	type plain Counts
	return json.Marshal(plain(c), jsonv1.OmitEmptyWithLegacySemantics(true))
}

// Same reports whether two counts explain the same.
func (c Counts) Same(o Counts) bool {
	return c.Observations == o.Observations && c.People == o.People && c.Machines == o.Machines &&
		c.Disputes == o.Disputes && c.Proofs == o.Proofs
}

// All is how many pieces of evidence there are for a location, and against it.
func (c Counts) All() int { return c.Observations + c.Disputes + c.Proofs }

// Basis is what a standing is judged by.
type Basis struct {
	Evidence  []Evidence // in the order of its acceptance
	Withdrawn *Withdrawal
	// Newest is the newest version of the edition for which the location holds; empty if
	// none is known.
	Newest string
}

// Verdict is a standing with the reason for it.
type Verdict struct {
	Standing Standing
	Reason   string
	Counts   Counts
	// Version is the newest of the edition that the evidence is of; empty if none says.
	Version string
	// Then is the standing up to that version, where a newer one made it stale.
	Then Standing
	// Until is when it changes by itself, as time passes; zero if it does not.
	Until time.Time
}

// staleAfter is how long an observation counts as recent.
const staleAfter = 5 * 365 * 24 * time.Hour

// liftedBy is how many independent observations after a dispute outweigh it.
const liftedBy = 2

// Of gives the standing of a location, or of the absence of any. There is none without
// evidence. The first of these rules that fits decides:
//
//	withdrawn  it was taken back
//	disputed   a traced run, or an experiment, contradicts it, and neither two independent
//	           observations nor an experiment outweigh that since
//	stale      the edition has a version newer than any evidence; or none is of the last
//	           five years
//	proven     an experiment showed it
//	confirmed  different people observed it on different machines
//	observed   otherwise
func Of(b Basis, now time.Time) Verdict {
	return of(b, now, "a traced run", "traced runs")
}

// OfSheet gives the standing of a launcher's sheet.
func OfSheet(evidence []Evidence, now time.Time) Verdict {
	return of(Basis{Evidence: evidence}, now, "an installed launcher", "installed launchers")
}

func of(b Basis, now time.Time, one, several string) Verdict {
	evidence := b.Evidence
	v := Verdict{Counts: count(evidence), Version: newestOf(evidence)}
	if b.Withdrawn != nil {
		v.Standing, v.Reason = Withdrawn, b.Withdrawn.Because
		return v
	}
	if v.Counts.All() == 0 {
		v.Reason = "not observed"
		return v
	}
	if says := open(evidence); says != "" {
		v.Standing = Disputed
		v.Reason = fmt.Sprintf(
			"contradicted since by %s, after %s; %d independent observations afterwards, or an experiment, would outweigh it",
			says, sawIt(v.Counts), liftedBy,
		)
		return v
	}
	v.Standing, v.Reason = judged(evidence, v.Counts, one, several)
	newest := slices.MaxFunc(evidence, func(a, b Evidence) int { return a.lastShown().Compare(b.lastShown()) }).lastShown()
	switch {
	case b.Newest != "" && v.Version != "" && CompareVersions(b.Newest, v.Version) > 0:
		v.Then, v.Standing = v.Standing, Stale
		v.Reason = newerVersion(v.Then, v.Version, b.Newest)
	case now.After(newest.Add(staleAfter)):
		v.Standing = Stale
		v.Reason = fmt.Sprintf("%s, last in %d; nobody has since", seenBy(v.Counts), newest.Year())
	default:
		v.Until = newest.Add(staleAfter)
	}
	return v
}

func newerVersion(then Standing, seen, newest string) string {
	return fmt.Sprintf("%s up to version %s; nobody has seen it in version %s", then, seen, newest)
}

// lastShown is when it was accepted, if it speaks for its location.
func (e Evidence) lastShown() (none time.Time) {
	if e.shows() {
		return e.Accepted
	}
	return none
}

func seenBy(c Counts) string {
	return fmt.Sprintf("seen by %s on %s", phrase.Count(c.People, "person", "people"), phrase.Count(max(1, c.Machines), "machine", "machines"))
}

// sawIt says who saw what is disputed.
func sawIt(c Counts) string {
	if c.Proofs > 0 {
		return phrase.Count(c.People, "person", "people") + " saw it used, and " +
			phrase.Count(c.Proofs, "experiment", "experiments") + " showed it"
	}
	return phrase.Count(c.People, "person", "people") + " saw it used"
}

// judged is the standing of what is neither disputed nor stale.
func judged(evidence []Evidence, c Counts, one, several string) (Standing, string) {
	for _, e := range slices.Backward(evidence) {
		if e.proves() {
			return Proven, proved[e.Result] + "; " + seenBy(c)
		}
	}
	seen, also := seenBy(c), without(evidence)
	if independent(evidence) >= 2 {
		return Confirmed, seen + ", independently, in " + several + also
	}
	if c.Observations > 1 {
		return Observed, seen + ", in " + several + "; nobody else has confirmed it yet, on another machine" + also
	}
	return Observed, seen + ", in " + one + "; nobody else has confirmed it yet" + also
}

// without says that an experiment showed the progress without a location.
func without(evidence []Evidence) string {
	if slices.ContainsFunc(evidence, func(e Evidence) bool { return e.Kind == Proof && e.Result == NotNeeded }) {
		return "; in an experiment the progress was there without it"
	}
	return ""
}

// proved says what an experiment showed, by its result; that of an absence is empty.
var proved = map[string]string{
	Needed:    "an experiment showed that it is needed: without it a new game, or part missing; with it back the old state",
	NotEnough: "an experiment showed that it is needed, together with others",
	Enough:    "an experiment showed that it is enough by itself",
	"":        "an experiment showed the progress with everything away that the game had written",
}

func count(evidence []Evidence) (c Counts) {
	people, machines := map[string]bool{}, map[string]bool{}
	for _, e := range evidence {
		switch {
		case e.contradicts():
			c.Disputes++
		case e.proves():
			c.Proofs++
		case e.observes():
			c.Observations++
		}
		if e.shows() {
			people[e.Person] = true
			if e.Machine != "" {
				machines[e.Machine] = true
			}
		}
	}
	c.People, c.Machines = len(people), len(machines)
	return c
}

// newestOf is the newest version that evidence for a location is of.
func newestOf(evidence []Evidence) (version string) {
	for _, e := range evidence {
		if e.shows() {
			version = Newer(version, e.Version)
		}
	}
	return version
}

// Newer is the newer of two versions; either can be empty, which is none.
func Newer(a, b string) string {
	if a == "" || b != "" && CompareVersions(b, a) > 0 {
		return b
	}
	return a
}

// independent is whether observations are by different people on different machines: how
// many of them are so, two at most. A machine that did not say which it is counts as any.
func independent(evidence []Evidence) int {
	n := 0
	for i, a := range evidence {
		if !a.shows() {
			continue
		}
		n = max(n, 1)
		for _, b := range evidence[:i] {
			if b.shows() && a.Person != b.Person && a.Machine != b.Machine && a.Machine != "" && b.Machine != "" {
				return 2
			}
		}
	}
	return n
}

// open says what contradicts, and is outweighed by nothing since; empty if nothing does.
func open(evidence []Evidence) string {
	runs, experiments := 0, 0
	for i, d := range evidence {
		since := evidence[i+1:]
		if !d.contradicts() || independent(since) >= liftedBy || slices.ContainsFunc(since, Evidence.proves) {
			continue
		}
		if d.Kind == Dispute {
			runs++
		} else {
			experiments++
		}
	}
	var parts []string
	if runs > 0 {
		parts = append(parts, phrase.Count(runs, "traced run", "traced runs"))
	}
	if experiments > 0 {
		parts = append(parts, phrase.Count(experiments, "experiment", "experiments")+" that showed the progress without it")
	}
	return strings.Join(parts, " and by ")
}

// Range is the versions of an edition for which a location holds, both ends among them.
// Empty ends are open.
type Range struct {
	From string `json:"from,omitempty"`
	To   string `json:"to,omitempty"`

	Unknown unknown `json:",unknown" cbor:"-"`
}

// MarshalJSON is as that of Counts.
func (r Range) MarshalJSON() ([]byte, error) {
	type plain Range
	return json.Marshal(plain(r), jsonv1.OmitEmptyWithLegacySemantics(true))
}

// String says the range in words.
func (r *Range) String() string {
	switch {
	case r == nil || r.From == "" && r.To == "":
		return "all versions"
	case r.To == "":
		return "versions from " + r.From
	case r.From == "":
		return "versions up to " + r.To
	case r.From == r.To:
		return "version " + r.From
	}
	return fmt.Sprintf("versions %s to %s", r.From, r.To)
}

// Includes reports whether a version lies in the range, by CompareVersions. A version that
// is not known is taken to.
func (r *Range) Includes(version string) bool {
	if r == nil || version == "" {
		return true
	}
	return (r.From == "" || CompareVersions(version, r.From) >= 0) && (r.To == "" || CompareVersions(version, r.To) <= 0)
}

// CompareVersions orders two versions as stores and games number them: runs of digits by
// their value, other runs by their bytes, without regard to case; "1.10" follows "1.9",
// and "1.2" comes before "1.2.1". It is negative, zero or positive.
func CompareVersions(a, b string) int {
	x, y := parts(a), parts(b)
	for i := range min(len(x), len(y)) {
		m, e := strconv.ParseUint(x[i], 10, 64)
		n, f := strconv.ParseUint(y[i], 10, 64)
		switch {
		case e == nil && f == nil && m != n:
			if m < n {
				return -1
			}
			return 1
		case e == nil && f == nil:
		case x[i] != y[i]:
			return strings.Compare(x[i], y[i])
		}
	}
	return len(x) - len(y)
}

// parts splits a version into runs of digits and of letters.
func parts(version string) (out []string) {
	kind := func(c byte) int {
		switch {
		case c >= '0' && c <= '9':
			return 1
		case c >= 'a' && c <= 'z' || c >= 0x80:
			return 2
		}
		return 0
	}
	version = strings.ToLower(version)
	for i := 0; i < len(version); {
		j := i + 1
		for j < len(version) && kind(version[j]) == kind(version[i]) {
			j++
		}
		if kind(version[i]) != 0 {
			out = append(out, version[i:j])
		}
		i = j
	}
	return out
}
