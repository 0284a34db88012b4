package standing

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func at(version string, e Evidence) Evidence { e.Version = version; return e }

func proves(person, result string) Evidence {
	return Evidence{Kind: Proof, Person: person, Machine: "of-" + person, Accepted: day, Result: result}
}

// The table of rules, at its edges: each line is decided by the first rule that fits.
func TestRules(t *testing.T) {
	a, b := saw("mira", "a"), saw("tobin", "b")
	old := day.AddDate(-6, 0, 0)
	aged := func(e Evidence) Evidence { e.Accepted = old; return e }
	for name, c := range map[string]struct {
		basis  Basis
		want   Standing
		then   Standing
		reason string
	}{
		"needed":                              {Basis{Evidence: []Evidence{a, proves("mira", Needed)}}, Proven, "", "an experiment showed that it is needed: without it"},
		"needed with others":                  {Basis{Evidence: []Evidence{a, proves("mira", NotEnough)}}, Proven, "", "together with others"},
		"enough":                              {Basis{Evidence: []Evidence{a, proves("mira", Enough)}}, Proven, "", "enough by itself"},
		"not needed while others are there":   {Basis{Evidence: []Evidence{a, proves("mira", NotNeeded)}}, Observed, "", "the progress was there without it"},
		"confirmed, and not needed":           {Basis{Evidence: []Evidence{a, b, proves("mira", NotNeeded)}}, Confirmed, "", "the progress was there without it"},
		"elsewhere":                           {Basis{Evidence: []Evidence{a, b, proves("ysolde", Elsewhere)}}, Disputed, "", "1 experiment that showed the progress without it, after 2 people saw it used"},
		"a run and an experiment against it":  {Basis{Evidence: []Evidence{a, disputes("tobin"), proves("ysolde", Elsewhere)}}, Disputed, "", "1 traced run and by 1 experiment"},
		"proven, then contradicted by a run":  {Basis{Evidence: []Evidence{a, proves("mira", Needed), disputes("ysolde")}}, Disputed, "", "1 person saw it used, and 1 experiment showed it"},
		"contradicted, then proven":           {Basis{Evidence: []Evidence{a, disputes("ysolde"), proves("mira", Needed)}}, Proven, "", "needed"},
		"contradicted, then seen by one":      {Basis{Evidence: []Evidence{a, proves("ysolde", Elsewhere), b}}, Disputed, "", "would outweigh it"},
		"contradicted, then seen by two":      {Basis{Evidence: []Evidence{proves("ysolde", Elsewhere), a, b}}, Confirmed, "", "independently"},
		"not needed outweighs nothing":        {Basis{Evidence: []Evidence{a, disputes("ysolde"), proves("mira", NotNeeded)}}, Disputed, "", "contradicted"},
		"a newer version":                     {Basis{Evidence: []Evidence{at("1.4", a)}, Newest: "1.5"}, Stale, Observed, "observed up to version 1.4; nobody has seen it in version 1.5"},
		"proven in an older version":          {Basis{Evidence: []Evidence{at("1.5", a), at("1.4", proves("mira", Needed))}, Newest: "1.5"}, Proven, "", "needed"},
		"a newer version than the proof":      {Basis{Evidence: []Evidence{at("1.4", a), at("1.4", proves("mira", Needed))}, Newest: "1.10"}, Stale, Proven, "proven up to version 1.4"},
		"the same version":                    {Basis{Evidence: []Evidence{at("1.5", a)}, Newest: "1.5"}, Observed, "", "seen by 1 person"},
		"an older newest":                     {Basis{Evidence: []Evidence{at("1.5", a)}, Newest: "1.4"}, Observed, "", "seen by 1 person"},
		"no version said":                     {Basis{Evidence: []Evidence{a}, Newest: "1.5"}, Observed, "", "seen by 1 person"},
		"a hazard of the newest version":      {Basis{Evidence: []Evidence{at("1.4", a), at("1.5", Evidence{Kind: Hazard, Result: Survived, Accepted: day})}, Newest: "1.5"}, Stale, Observed, "nobody has seen it in version 1.5"},
		"disputed goes before stale":          {Basis{Evidence: []Evidence{at("1.4", a), disputes("ysolde")}, Newest: "1.5"}, Disputed, "", "contradicted"},
		"withdrawn goes before all":           {Basis{Evidence: []Evidence{a, disputes("ysolde")}, Withdrawn: &Withdrawal{Because: "wrong"}, Newest: "9"}, Withdrawn, "", "wrong"},
		"not seen for years":                  {Basis{Evidence: []Evidence{aged(a), aged(proves("mira", Needed))}}, Stale, "", "nobody has since"},
		"a hazard makes nothing younger":      {Basis{Evidence: []Evidence{aged(a), {Kind: Hazard, Result: Survived, Accepted: day}}}, Stale, "", "nobody has since"},
		"hazards alone are no evidence of it": {Basis{Evidence: []Evidence{{Kind: Hazard, Result: Survived, Accepted: day}, {Kind: Cloud, Result: Kept, Accepted: day}}}, "", "", "not observed"},
		"a kind of a later version":           {Basis{Evidence: []Evidence{a, {Kind: "rumour", Person: "x", Machine: "y", Accepted: day}}}, Observed, "", "seen by 1 person on 1 machine"},
		"an absence":                          {Basis{Evidence: []Evidence{{Kind: Absence, Person: "mira", Accepted: day}}}, Proven, "", "with everything away that the game had written"},
		"two runs and a proof of two people":  {Basis{Evidence: []Evidence{a, proves("tobin", NotEnough)}}, Proven, "", "seen by 2 people on 2 machines"},
	} {
		v := Of(c.basis, day)
		assert.Equal(t, c.want, v.Standing, name)
		assert.Equal(t, c.then, v.Then, name)
		assert.Contains(t, v.Reason, c.reason, name)
	}
}

// On a machine the same rules hold for the version that is installed.
func TestForAnInstalledVersion(t *testing.T) {
	proven := Known{Standing: Proven, Reason: "shown", Version: "1.4", Counts: Counts{Proofs: 1, People: 1, Machines: 1}}
	stale := Known{Standing: Stale, Reason: "older", Version: "1.4", Then: Proven, Counts: proven.Counts}
	for name, c := range map[string]struct {
		known     Known
		installed string
		want      Standing
		reason    string
	}{
		"the same":                    {proven, "1.4", Proven, "shown"},
		"an older":                    {proven, "1.3", Proven, "shown"},
		"a newer":                     {proven, "1.5", Stale, "proven up to version 1.4; nobody has seen it in version 1.5"},
		"none known":                  {proven, "", Proven, "shown"},
		"stale for others":            {stale, "1.4", Proven, "proven in version 1.4 and before; 1 experiment, seen by 1 person"},
		"stale here too":              {stale, "1.5", Stale, "older"},
		"stale, and none known":       {stale, "", Stale, "older"},
		"disputed stays so":           {Known{Standing: Disputed, Reason: "no", Version: "1.4"}, "1.5", Disputed, "no"},
		"evidence without a version":  {Known{Standing: Confirmed, Reason: "two"}, "1.5", Confirmed, "two"},
		"stale because it is old":     {Known{Standing: Stale, Reason: "years", Version: "1.4"}, "1.3", Stale, "years"},
		"withdrawn, whatever is here": {Known{Standing: Withdrawn, Reason: "gone", Version: "1"}, "2", Withdrawn, "gone"},
	} {
		k := c.known.For(c.installed)
		assert.Equal(t, c.want, k.Standing, name)
		assert.Contains(t, k.Reason, c.reason, name)
	}
}

func TestWhatWouldRaiseIt(t *testing.T) {
	prefix := Where{OS: "windows", Runtime: "prefix"}
	assert.Contains(t, Known{Standing: Observed}.Raise(prefix)[0], "a second person's traced run in a prefix")
	assert.Contains(t, Known{Standing: Observed}.Raise(Where{OS: "macos", Runtime: "native"})[0], "on macOS")
	assert.Equal(t, []string{"an experiment (endroit prove)"}, Known{Standing: Confirmed}.Raise(prefix))
	assert.Empty(t, Known{Standing: Proven}.Raise(prefix))
	assert.Empty(t, Known{Standing: Withdrawn}.Raise(prefix))
	assert.Len(t, Known{Standing: Disputed}.Raise(prefix), 3)
	assert.Contains(t, Known{Standing: Stale, Then: Proven}.Raise(Where{OS: "linux", Runtime: "native", Newest: "1.5"})[0], "of version 1.5")
	assert.Equal(t, "a traced run on Linux", Known{Standing: Stale}.Raise(Where{OS: "linux", Runtime: "native"})[0])
}

func TestHazardsAndCoverage(t *testing.T) {
	h := func(op Operation, result string) Evidence {
		return Evidence{Kind: Hazard, Operation: op, Result: result}
	}
	tried := Hazards([]Evidence{h(Move, Survived), h(PrefixRemoval, Destroyed), h(Move, Destroyed), h(Repair, Survived), saw("mira", "a")})
	var all []string
	for _, x := range tried {
		all = append(all, x.String())
	}
	assert.Equal(t, []string{
		"moving the installation can delete this (in 1 of 2 experiments)", "removing the prefix deletes this (1 experiment)",
		"the launcher's repair leaves this (1 experiment)",
	}, all)
	assert.Equal(t, NotKept, CloudSaid([]Evidence{{Kind: Cloud, Result: Kept}, {Kind: Cloud, Result: NotKept}, saw("mira", "a")}), "the last one counts")
	listed := func(result string) Evidence { return Evidence{Kind: CloudList, Result: result} }
	assert.Equal(t, Kept, CloudSaid([]Evidence{listed(NotKept), listed(Kept)}), "the last list counts")
	assert.Equal(t, NotKept, CloudSaid([]Evidence{{Kind: Cloud, Result: NotKept}, listed(Kept)}), "what was tried counts more than a list")
	assert.Equal(t, "the launcher's own files do not list it for the cloud", listed(NotKept).Says())
	for want, said := range map[string][]string{
		"": {"", ""}, "all": {Kept, Kept}, "none": {NotKept}, "part": {Kept, NotKept},
	} {
		assert.Equal(t, want, Coverage(said))
	}
	assert.Equal(t, "part", Coverage([]string{Kept, ""}), "of the other nothing is known")
	assert.Equal(t, "part", Coverage([]string{NotKept, ""}))
	assert.Empty(t, Coverage(nil))
}

func TestEvidenceSaysWhatItIs(t *testing.T) {
	for _, result := range []string{Needed, NotEnough, Enough, NotNeeded, Elsewhere} {
		assert.NotEmpty(t, proves("mira", result).Says())
	}
	for _, e := range []Evidence{
		saw("a", "b"), disputes("a"), {Kind: Hazard, Operation: Repair, Result: Destroyed}, {Kind: Hazard, Operation: Repair, Result: Survived},
		{Kind: Cloud, Result: Kept}, {Kind: Cloud, Result: NotKept}, {Kind: CloudList, Result: Kept}, {Kind: Absence}, {Kind: "rumour"},
	} {
		assert.NotEmpty(t, e.Says())
	}
	assert.Equal(t, "1.10", Newer("1.9", "1.10"))
	assert.Equal(t, "1.9", Newer("", "1.9"))
	assert.Equal(t, "1.9", Newer("1.9", ""))
}
