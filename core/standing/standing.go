// Package standing says what the evidence for a location amounts to.
//
//	verdict := standing.Of(evidence, nil, now)
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

// Rules is the version of these rules.
const Rules = 1

// Standing is what the evidence amounts to, in a word.
type Standing string

// The standings.
const (
	Observed  Standing = "observed"  // seen in a traced run
	Confirmed Standing = "confirmed" // seen by different people on different machines
	Proven    Standing = "proven"    // shown by an experiment
	Disputed  Standing = "disputed"  // a traced run contradicts it
	Stale     Standing = "stale"     // nobody has seen it for years
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
)

// Evidence is one accepted statement about a location or a sheet.
type Evidence struct {
	Kind         Kind      `json:"kind"`
	Contribution int64     `json:"contribution"`
	Person       string    `json:"person"` // an id: names can change, and be forgotten
	Reviewer     string    `json:"reviewer"`
	Machine      string    `json:"machine,omitempty"` // a pseudonym that a machine makes for one service
	Accepted     time.Time `json:"accepted"`
	Version      string    `json:"version,omitempty"` // the edition's version that was run
	Observer     string    `json:"observer"`
	Unknown      unknown   `json:",unknown"`
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
	People       int `json:"people,omitempty"`   // who observed it
	Machines     int `json:"machines,omitempty"` // on which
	Disputes     int `json:"disputes,omitempty"`

	Unknown unknown `json:",unknown" cbor:"-"`
}

// MarshalJSON is for encoding/json, which knows nothing of what is not known.
func (c Counts) MarshalJSON() ([]byte, error) {
	type plain Counts
	return json.Marshal(plain(c), jsonv1.OmitEmptyWithLegacySemantics(true))
}

// Same reports whether two counts explain the same.
func (c Counts) Same(o Counts) bool {
	return c.Observations == o.Observations && c.People == o.People && c.Machines == o.Machines && c.Disputes == o.Disputes
}

// All is how many pieces of evidence there are.
func (c Counts) All() int { return c.Observations + c.Disputes }

// Verdict is a standing with the reason for it.
type Verdict struct {
	Standing Standing
	Reason   string
	Counts   Counts
	// Until is when it changes by itself, as time passes; zero if it does not.
	Until time.Time
}

// staleAfter is how long an observation counts as recent.
const staleAfter = 5 * 365 * 24 * time.Hour

// liftedBy is how many independent observations after a dispute outweigh it.
const liftedBy = 2

// Of gives the standing of a location. There is none without evidence.
func Of(evidence []Evidence, withdrawn *Withdrawal, now time.Time) Verdict {
	return of(evidence, withdrawn, now, "a traced run", "traced runs")
}

// OfSheet gives the standing of a launcher's sheet.
func OfSheet(evidence []Evidence, now time.Time) Verdict {
	return of(evidence, nil, now, "an installed launcher", "installed launchers")
}

func of(evidence []Evidence, withdrawn *Withdrawal, now time.Time, one, several string) Verdict {
	v := Verdict{Counts: count(evidence)}
	if withdrawn != nil {
		v.Standing, v.Reason = Withdrawn, withdrawn.Because
		return v
	}
	if v.Counts.All() == 0 {
		v.Reason = "not observed"
		return v
	}
	if n := open(evidence); n > 0 {
		v.Standing = Disputed
		v.Reason = fmt.Sprintf(
			"%s since by %s; %d independent observations afterwards would outweigh it",
			"contradicted", phrase.Count(n, "traced run", "traced runs"), liftedBy,
		)
		return v
	}
	seen := fmt.Sprintf(
		"seen by %s on %s", phrase.Count(v.Counts.People, "person", "people"),
		phrase.Count(max(1, v.Counts.Machines), "machine", "machines"),
	)
	newest := slices.MaxFunc(evidence, func(a, b Evidence) int { return a.Accepted.Compare(b.Accepted) }).Accepted
	if now.After(newest.Add(staleAfter)) {
		v.Standing = Stale
		v.Reason = fmt.Sprintf("%s, last in %d; nobody has since", seen, newest.Year())
		return v
	}
	v.Until = newest.Add(staleAfter)
	if independent(evidence) >= 2 {
		v.Standing, v.Reason = Confirmed, seen+", independently, in "+several
		return v
	}
	v.Standing, v.Reason = Observed, seen+", in "+one+"; nobody else has confirmed it yet"
	if v.Counts.Observations > 1 {
		v.Reason = seen + ", in " + several + "; nobody else has confirmed it yet, on another machine"
	}
	return v
}

func count(evidence []Evidence) (c Counts) {
	people, machines := map[string]bool{}, map[string]bool{}
	for _, e := range evidence {
		if e.Kind == Dispute {
			c.Disputes++
			continue
		}
		c.Observations++
		people[e.Person] = true
		if e.Machine != "" {
			machines[e.Machine] = true
		}
	}
	c.People, c.Machines = len(people), len(machines)
	return c
}

// independent is whether observations are by different people on different machines: how
// many of them are so, two at most. A machine that did not say which it is counts as any.
func independent(evidence []Evidence) int {
	n := 0
	for i, a := range evidence {
		if a.Kind == Dispute {
			continue
		}
		n = max(n, 1)
		for _, b := range evidence[:i] {
			if b.Kind != Dispute && a.Person != b.Person && a.Machine != b.Machine && a.Machine != "" && b.Machine != "" {
				return 2
			}
		}
	}
	return n
}

// open is how many disputes nothing outweighs.
func open(evidence []Evidence) (n int) {
	for i, d := range evidence {
		if d.Kind == Dispute && independent(evidence[i+1:]) < liftedBy {
			n++
		}
	}
	return n
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
