package footprint

import (
	"maps"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/trace"
)

func TestMerge(t *testing.T) {
	slot1, slot2, set, log := data+"slots/slot1.sav", data+"slots/slot2.sav", conf+"settings.ini", data+"x.log"
	one := tell(t).file(slot1, bytesOf(500)).file(set, bytesOf(90)).do(1, trace.Read, slot1).do(1, trace.Read, set).do(30, trace.Replace, slot1).cue(31, "saved").after(slot1, bytesOf(510)).after(set, bytesOf(90)).end()
	two := tell(t).file(slot2, absent()).file(set, bytesOf(90)).file(log, absent()).do(5, trace.Append, log).do(20, trace.Create, slot2).cue(21, "saved").do(40, trace.Replace, set).cue(41, "changed-setting").after(slot2, bytesOf(500)).after(set, bytesOf(95)).after(log, looking("text")).end()
	both, err := Merge([]*Footprint{one, two})
	require.NoError(t, err)
	assert.Len(t, both.Files, 4, "no file is lost")
	assert.Equal(t, one.Events+two.Events, both.Events)
	assert.Equal(t, 2*time.Minute, both.Length)
	assert.Equal(t, []trace.Cue{{At: 31 * time.Second, Word: "saved"}, {At: 81 * time.Second, Word: "saved"}, {At: 101 * time.Second, Word: "changed-setting"}}, both.Cues)
	x := both.find(t, set)
	assert.Equal(t, Config, x.Kind)
	assert.Equal(t, []int{1, 1}, []int{x.Reads, x.Writes})
	assert.Equal(t, time.Second, x.FirstRead)
	assert.Equal(t, 100*time.Second, x.FirstWrite)
	assert.EqualValues(t, 90, x.Before.Size)
	assert.EqualValues(t, 95, x.After.Size)
	assert.Equal(t, []string{"changed-setting"}, x.Near)
	assert.Equal(t, Save, both.find(t, slot1).Kind)
	assert.Equal(t, 80*time.Second, both.find(t, slot2).FirstWrite)
	assert.Equal(t, 2, both.Counts[Save])
	assert.Equal(t, []int{0, 1}, x.Runs)
	assert.Equal(t, []int{1}, both.find(t, slot2).Runs)
	alone, err := Merge([]*Footprint{one})
	require.NoError(t, err)
	assert.Same(t, one, alone)
	assert.Equal(t, time.Second, one.find(t, set).FirstRead, "the runs themselves stay as they were")
}

func TestMergeRefuses(t *testing.T) {
	one, two := tell(t).end(), tell(t).end()
	for says, change := range map[string]func(f *Footprint){
		`the title of one is "Saltglass", and of the first "Tidewrack"`: func(f *Footprint) { f.Title = "Saltglass" },
		`the system of one is "linux prefix"`:                           func(f *Footprint) { f.Runtime = "prefix" },
		`the edition of one is "larder 7"`:                              func(f *Footprint) { f.Edition = &trace.Edition{Store: "larder", Ref: "7"} },
		"a shared footprint names no person":                            func(f *Footprint) { f.Self = nil },
	} {
		other := *two
		change(&other)
		_, err := Merge([]*Footprint{one, &other})
		assert.ErrorIs(t, err, ErrOtherVariant)
		assert.ErrorContains(t, err, "run 2: ")
		assert.ErrorContains(t, err, says)
	}
	// Another account of the same person is hidden too.
	other := *two
	other.Self = &Self{User: "mira", Account: "m-99"}
	first := *one
	first.Self = &Self{User: "mira", Account: "m-11"}
	both, err := Merge([]*Footprint{&first, &other})
	require.NoError(t, err)
	assert.Equal(t, "{account} and {account}", both.Anonymizer().Text("m-11 and m-99"))
	assert.Empty(t, first.Self.Accounts)

	// Another person is too, and with each file stand the runs that it is from.
	second := *two
	second.Self = &Self{User: "tobin", Home: "/home/tobin", Host: "saltbox"}
	both, err = Merge([]*Footprint{&first, &second})
	require.NoError(t, err)
	assert.Equal(t, "{user} and {user} at {host}", both.Anonymizer().Text("mira and tobin at saltbox"))
	assert.Empty(t, first.Self.Others)
}

// What several runs show counts once; what speaks against a kind, by how many show it.
func TestJoinFindings(t *testing.T) {
	near := func(d time.Duration) Finding {
		return Finding{ID: "written-near-saved", Facts: Facts{Word: "saved", At: d}}
	}
	got := JoinFindings([][]Finding{{near(-1), {ID: "rc-name"}}, {near(2), {ID: "never-written"}}})
	assert.Equal(t, []Finding{near(-1), {ID: "rc-name", Share: 0.5}, {ID: "never-written", Share: 0.5}}, got)
	assert.Empty(t, JoinFindings(nil))
	weight := func(list []Finding, id string) float64 {
		for _, e := range weighed(list) {
			if e.ID == id && e.Kind == Save {
				return e.Weight
			}
		}
		return 0
	}
	assert.InDelta(t, weight([]Finding{{ID: "never-written"}}, "never-written")/2, weight(got, "never-written"), 1e-9)
	assert.InDelta(t, weight([]Finding{near(0)}, "written-near-saved"), weight(got, "written-near-saved"), 1e-9)
}

// A record that one run makes, and the next reads back and appends to, is no log.
func TestWhatIsReadBackOnceIsNoLog(t *testing.T) {
	kind, sure, _ := Decide(JoinFindings([][]Finding{
		{{ID: "progress-name", Facts: *word("history")}},
		{{ID: "appended-at-the-end", Facts: *count(1)}, {ID: "read-with-content"}, {ID: "progress-name", Facts: *word("history")}},
	}))
	assert.Equal(t, Save, kind)
	assert.Greater(t, sure, SureFrom)
}

// Every finding has a sentence and a row in the table, and every row a finding, so that
// none is looked for in vain.
func TestFindingsAndWeightsBelongTogether(t *testing.T) {
	// What several runs tell, and what the files beside a file tell.
	together := append([]string{"only-when-set", "only-when-saved", "always-written", withSave}, slices.Collect(maps.Values(besideIDs))...)
	ids := map[string]bool{}
	for _, o := range observations {
		assert.False(t, ids[o.id], o.id)
		ids[o.id] = true
		assert.NotEmpty(t, rowsOf()[o.id], o.id)
	}
	seen := map[string]bool{}
	for _, r := range Weights() {
		assert.True(t, ids[r.Finding] || slices.Contains(together, r.Finding), r.Finding)
		assert.False(t, seen[r.Finding+string(r.Kind)], "%s has two weights for %s", r.Finding, r.Kind)
		seen[r.Finding+string(r.Kind)] = true
		assert.NotEmpty(t, Finding{ID: r.Finding}.Sentence(), r.Finding)
	}
	for id := range sentences {
		assert.NotEmpty(t, rowsOf()[id], id)
	}
	assert.Empty(t, Finding{ID: "what-comes-later"}.Sentence())
	kind, _, _ := Decide([]Finding{{ID: "what-comes-later"}})
	assert.Equal(t, Unknown, kind)
}

// What was sent without sentences gets them where it is read, and is judged again.
func TestExplainWhatWasSent(t *testing.T) {
	f := &Footprint{Files: []File{
		{Place: "xdg-data:tw/tw.log", Kind: Save, Confidence: 0.9, Findings: []Finding{{ID: "log-name"}, {ID: "log-folder", Facts: Facts{Word: "logs"}}}},
		{Place: "xdg-data:tw/a", Kind: Log, Confidence: 1, Judged: &Judged{Unknown, 1}},
	}, Corrections: []Correction{{File: "xdg-data:tw/a", Kind: Log, Was: Unknown, By: "mira"}}}
	f.Explain()
	assert.Empty(t, f.Files[0].Reasons, "nothing speaks for what was sent")
	assert.Equal(t, Log, f.Files[0].Again.Kind)
	assert.Nil(t, f.Files[1].Again)
	assert.Equal(t, "mira says that it is log, not unknown", f.Files[1].Reasons[0])
}
