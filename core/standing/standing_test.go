package standing

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestStandingCountsPeopleNotContributions(t *testing.T) {
	mira, tobin := Evidence{By: "mira"}, Evidence{By: "tobin"}
	for _, c := range []struct {
		evidence []Evidence
		want     Standing
		reason   string
	}{
		{nil, "", "not observed"},
		{[]Evidence{mira}, Observed, "mira observed it in a traced run; nobody else has yet"},
		{[]Evidence{mira, mira}, Observed, "nobody else"},
		{[]Evidence{tobin, mira}, Confirmed, "mira, tobin"},
	} {
		got, reason := Of(c.evidence)
		assert.Equal(t, c.want, got)
		assert.Contains(t, reason, c.reason)
	}
}

func TestTheStandingOfASheet(t *testing.T) {
	mira, tobin := Evidence{By: "mira"}, Evidence{By: "tobin"}
	for _, c := range []struct {
		evidence []Evidence
		want     Standing
		reason   string
	}{
		{nil, "", "nobody has tried it"},
		{[]Evidence{mira, mira}, Observed, "mira tried it against an installed launcher; nobody else has yet"},
		{[]Evidence{tobin, mira, tobin}, Confirmed, "mira, tobin tried it independently against installed launchers"},
	} {
		got, reason := OfSheet(c.evidence)
		assert.Equal(t, c.want, got)
		assert.Equal(t, c.reason, reason)
	}
}
