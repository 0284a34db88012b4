package standing

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

var day = time.Date(2026, 11, 24, 0, 0, 0, 0, time.UTC)

func saw(person, machine string) Evidence {
	return Evidence{Kind: Observation, Person: person, Machine: machine, Accepted: day}
}

func disputes(person string) Evidence {
	return Evidence{Kind: Dispute, Person: person, Machine: "of-" + person, Accepted: day}
}

func TestStandings(t *testing.T) {
	gone := &Withdrawal{Because: "it was another game's"}
	for name, c := range map[string]struct {
		evidence  []Evidence
		withdrawn *Withdrawal
		now       time.Time
		want      Standing
		reason    string
	}{
		"none":                             {nil, nil, day, "", "not observed"},
		"one":                              {[]Evidence{saw("mira", "a")}, nil, day, Observed, "seen by 1 person on 1 machine, in a traced run; nobody else"},
		"one, twice":                       {[]Evidence{saw("mira", "a"), saw("mira", "b")}, nil, day, Observed, "seen by 1 person on 2 machines"},
		"two on one machine":               {[]Evidence{saw("mira", "a"), saw("tobin", "a")}, nil, day, Observed, "on another machine"},
		"two on two machines":              {[]Evidence{saw("mira", "a"), saw("tobin", "b")}, nil, day, Confirmed, "seen by 2 people on 2 machines, independently"},
		"a machine that does not say":      {[]Evidence{saw("mira", "a"), saw("tobin", "")}, nil, day, Observed, "2 people"},
		"two each on both":                 {[]Evidence{saw("mira", "a"), saw("tobin", "a"), saw("tobin", "b")}, nil, day, Confirmed, "independently"},
		"disputed":                         {[]Evidence{saw("mira", "a"), saw("tobin", "b"), disputes("ysolde")}, nil, day, Disputed, "contradicted since by 1 traced run"},
		"disputed, and seen once since":    {[]Evidence{saw("mira", "a"), disputes("ysolde"), saw("tobin", "b")}, nil, day, Disputed, "2 independent observations"},
		"outweighed":                       {[]Evidence{disputes("ysolde"), saw("mira", "a"), saw("tobin", "b")}, nil, day, Confirmed, "independently"},
		"one of two disputes outweighed":   {[]Evidence{disputes("ysolde"), saw("mira", "a"), saw("tobin", "b"), disputes("ysolde")}, nil, day, Disputed, "1 traced run"},
		"withdrawn":                        {[]Evidence{saw("mira", "a"), saw("tobin", "b")}, gone, day, Withdrawn, "it was another game's"},
		"nobody has seen it for long":      {[]Evidence{saw("mira", "a"), saw("tobin", "b")}, nil, day.AddDate(6, 0, 0), Stale, "last in 2026"},
		"withdrawn, and not seen for long": {[]Evidence{saw("mira", "a")}, gone, day.AddDate(6, 0, 0), Withdrawn, "another game"},
	} {
		v := Of(Basis{Evidence: c.evidence, Withdrawn: c.withdrawn}, c.now)
		assert.Equal(t, c.want, v.Standing, name)
		assert.Contains(t, v.Reason, c.reason, name)
		if !v.Until.IsZero() {
			assert.Equal(t, Stale, Of(Basis{Evidence: c.evidence, Withdrawn: c.withdrawn}, v.Until.Add(time.Second)).Standing, "%s: it says when it changes by itself", name)
			assert.Equal(t, v.Standing, Of(Basis{Evidence: c.evidence, Withdrawn: c.withdrawn}, v.Until).Standing, name)
		}
	}
	v := Of(Basis{Evidence: []Evidence{saw("mira", "a"), saw("mira", ""), disputes("tobin")}}, day)
	assert.Equal(t, Counts{Observations: 2, People: 1, Machines: 1, Disputes: 1}, v.Counts)
	assert.Equal(t, 3, v.Counts.All())
	assert.Equal(t, Observed, OfSheet([]Evidence{saw("mira", "a")}, day).Standing)
	assert.Contains(t, OfSheet([]Evidence{saw("mira", "a"), saw("tobin", "b")}, day).Reason, "installed launchers")
}

// What changes files uses neither what was taken back nor what is contradicted.
func TestUsable(t *testing.T) {
	for _, s := range Standings {
		assert.Equal(t, s != Withdrawn && s != Disputed, s.Usable(), s)
		assert.Equal(t, s != Withdrawn, s.Counted(), s)
	}
	assert.False(t, Standing("later-word").Usable(), "a word that is not known is no permission")
}

func TestVersions(t *testing.T) {
	rising := []string{"0.9", "1", "1.0", "1.2", "1.2.1", "1.9", "1.10", "1.10b", "2.0", "10", "2024.1", "2024.11"}
	for i, a := range rising {
		for j, b := range rising {
			got := CompareVersions(a, b)
			switch {
			case i < j:
				assert.Negative(t, got, "%s %s", a, b)
			case i > j:
				assert.Positive(t, got, "%s %s", a, b)
			default:
				assert.Zero(t, got, "%s %s", a, b)
			}
		}
	}
	assert.Zero(t, CompareVersions("v1.2", "V1-2"))
	assert.Zero(t, CompareVersions("1.02", "1.2"))
	for _, c := range []struct {
		r        *Range
		says     string
		includes map[string]bool
	}{
		{nil, "all versions", map[string]bool{"1.0": true, "": true}},
		{&Range{From: "1.2"}, "versions from 1.2", map[string]bool{"1.1": false, "1.2": true, "2": true, "": true}},
		{&Range{To: "1.9"}, "versions up to 1.9", map[string]bool{"1.10": false, "1.9": true}},
		{&Range{From: "1.2", To: "1.2"}, "version 1.2", map[string]bool{"1.2": true, "1.2.1": false}},
		{&Range{From: "1.2", To: "1.10"}, "versions 1.2 to 1.10", map[string]bool{"1.9": true, "1.11": false}},
	} {
		assert.Equal(t, c.says, c.r.String())
		for v, want := range c.includes {
			assert.Equal(t, want, c.r.Includes(v), "%s: %s", c.says, v)
		}
	}
}
