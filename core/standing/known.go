package standing

import (
	"fmt"
	"slices"
	"strings"

	"endroit/core/phrase"
)

// Known is what is published of a location's standing, by which another machine judges it
// for the version that is installed there.
type Known struct {
	Standing Standing
	Reason   string
	Counts   Counts
	Version  string   // the newest that the evidence is of
	Then     Standing // up to that version, where a newer one made it stale
}

// For is the standing for an installed version: what is stale for a newer one stands as it
// did for this; and what nobody has seen in a version as new as this is stale. A version
// that is not known changes nothing.
func (k Known) For(installed string) Known {
	if installed == "" || k.Version == "" {
		return k
	}
	newer := CompareVersions(installed, k.Version) > 0
	switch {
	case k.Then != "" && !newer:
		k.Standing, k.Then = k.Then, ""
		k.Reason = fmt.Sprintf("%s in version %s and before; %s", k.Standing, k.Version, explained(k.Counts))
	case newer && k.Then == "" && (k.Standing == Observed || k.Standing == Confirmed || k.Standing == Proven):
		k.Then, k.Standing = k.Standing, Stale
		k.Reason = newerVersion(k.Then, k.Version, installed)
	}
	return k
}

func explained(c Counts) string {
	if c.Proofs > 0 {
		return phrase.Count(c.Proofs, "experiment", "experiments") + ", " + seenBy(c)
	}
	return seenBy(c)
}

// Where a variant runs, for what would raise a standing.
type Where struct{ OS, Runtime, Newest string }

func (w Where) String() string {
	name := map[string]string{"linux": "Linux", "windows": "Windows", "macos": "macOS"}[w.OS]
	switch {
	case w.Runtime == "prefix":
		return "in a prefix"
	case name != "":
		return "on " + name
	}
	return "on " + w.OS
}

// Raise lists what would raise a standing, the easiest first; nothing if nothing would.
func (k Known) Raise(w Where) []string {
	run := func(whose string) string { return whose + " traced run " + w.String() }
	const experiment = "an experiment (endroit prove)"
	switch k.Standing {
	case Observed:
		return []string{run("a second person's") + ", on another machine", experiment}
	case Confirmed:
		return []string{experiment}
	case Disputed:
		return []string{
			"an experiment (endroit prove) that shows it is needed",
			fmt.Sprintf("%d independent traced runs %s that use it", liftedBy, w),
			"or a better location in its place (endroit change location)",
		}
	case Stale:
		if k.Then != "" && w.Newest != "" {
			return []string{run("a") + " of version " + w.Newest, experiment + " with it"}
		}
		return []string{run("a"), experiment}
	}
	return nil
}

// Operation is one of those that are known to destroy what games keep.
type Operation string

// The operations.
const (
	PrefixRemoval Operation = "prefix-removal"
	Move          Operation = "move"
	Uninstall     Operation = "uninstall"
	Repair        Operation = "repair"
	CloudOn       Operation = "cloud"
)

// doing is an operation in words, as the subject of a sentence.
var doing = map[Operation]string{
	PrefixRemoval: "removing the prefix",
	Move:          "moving the installation",
	Uninstall:     "uninstalling",
	Repair:        "the launcher's repair",
	CloudOn:       "synchronising the cloud",
}

// Words say an operation in words.
func (o Operation) Words() string {
	if text := doing[o]; text != "" {
		return text
	}
	return string(o)
}

// Tried is what became of a location in an operation, of all who tried.
type Tried struct {
	Operation Operation `json:"operation"`
	Destroyed int       `json:"destroyed,omitempty"` // in how many experiments
	Survived  int       `json:"survived,omitempty"`

	Unknown unknown `json:",unknown" cbor:"-"`
}

// String says it in words: "removing the prefix deletes this (1 experiment)".
func (t Tried) String() string {
	switch {
	case t.Destroyed > 0 && t.Survived > 0:
		return fmt.Sprintf("%s can delete this (in %d of %d experiments)", t.Operation.Words(), t.Destroyed, t.Destroyed+t.Survived)
	case t.Destroyed > 0:
		return fmt.Sprintf("%s deletes this (%s)", t.Operation.Words(), phrase.Count(t.Destroyed, "experiment", "experiments"))
	}
	return fmt.Sprintf("%s leaves this (%s)", t.Operation.Words(), phrase.Count(t.Survived, "experiment", "experiments"))
}

// Hazards sums up what operations did to a location.
func Hazards(evidence []Evidence) (out []Tried) {
	for _, e := range evidence {
		if e.Kind != Hazard {
			continue
		}
		i := slices.IndexFunc(out, func(t Tried) bool { return t.Operation == e.Operation })
		if i < 0 {
			out = append(out, Tried{Operation: e.Operation})
			i = len(out) - 1
		}
		if e.Result == Destroyed {
			out[i].Destroyed++
		} else {
			out[i].Survived++
		}
	}
	slices.SortFunc(out, func(a, b Tried) int { return strings.Compare(string(a.Operation), string(b.Operation)) })
	return out
}

// CloudSaid is the last that was seen of a launcher's cloud: Kept, NotKept, or empty. What
// its own files list counts where nobody has tried it.
func CloudSaid(evidence []Evidence) (said string) {
	for _, e := range slices.Backward(evidence) {
		switch {
		case e.Kind == Cloud:
			return e.Result
		case e.Kind == CloudList && said == "":
			said = e.Result
		}
	}
	return said
}

// Coverage is how much of what a variant keeps the launcher's cloud keeps, by what it says
// of each location: all, part, none, or empty where nothing was seen of any.
func Coverage(said []string) string {
	kept, not, unknown := 0, 0, 0
	for _, s := range said {
		switch s {
		case Kept:
			kept++
		case NotKept:
			not++
		default:
			unknown++
		}
	}
	switch {
	case kept+not == 0:
		return ""
	case kept == 0 && unknown == 0:
		return "none"
	case not == 0 && unknown == 0:
		return "all"
	}
	return "part"
}

// Says is what a piece of evidence says, in words.
func (e Evidence) Says() string {
	switch e.Kind {
	case Proof:
		return map[string]string{
			Needed:    "without it a new game, or part of the progress missing; with it back the old state",
			NotEnough: "without it a new game; others are needed too",
			Enough:    "with all others away, the progress was there",
			NotNeeded: "the progress was there without it, the others in place",
			Elsewhere: "the progress was there with all locations away",
		}[e.Result]
	case Hazard:
		if e.Result == Destroyed {
			return e.Operation.Words() + " deletes it"
		}
		return e.Operation.Words() + " leaves it"
	case Cloud:
		if e.Result == Kept {
			return "the launcher's cloud brought it back"
		}
		return "the launcher's cloud did not bring it back"
	case CloudList:
		if e.Result == Kept {
			return "the launcher's own files list it for the cloud"
		}
		return "the launcher's own files do not list it for the cloud"
	case Absence:
		return "the progress was there with everything away that the game had written"
	case Dispute:
		return "a traced run contradicts it"
	case Observation, "":
		return "a traced run used it"
	}
	return string(e.Kind)
}
