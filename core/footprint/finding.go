package footprint

import (
	"encoding/json"
	"math"
	"slices"
	"sync"
	"time"
)

// Finding is one thing that a run showed of a file: what holds, by a stable id, and the
// facts of it. It says nothing of kinds: the table of weights does, so that a finding can
// be judged again when the weights are better.
type Finding struct {
	ID    string  `json:"id"`
	Facts         // see sentences for what each finding has
	Share float64 `json:"share,omitempty"` // of several runs, that which shows it; 0 for all
}

// Facts are what a finding is about. A finding has those that its sentence needs.
type Facts struct {
	Case  string        `json:"case,omitempty"`  // which of several ways
	Word  string        `json:"word,omitempty"`  // a part of a name, another file, a cue
	Count int           `json:"count,omitempty"` // how many times
	Of    int           `json:"of,omitempty"`    // of how many
	At    time.Duration `json:"at,omitempty"`    // nanoseconds
}

func holds() *Facts                    { return &Facts{} }
func word(w string) *Facts             { return &Facts{Word: w} }
func count(n int) *Facts               { return &Facts{Count: n} }
func when(d time.Duration) *Facts      { return &Facts{At: d} }
func inCase(which, text string) *Facts { return &Facts{Case: which, Word: text} }

// observation looks for one finding in a file; its test returns nil if the finding does not apply.
type observation struct {
	id   string
	test func(*view) *Facts
}

// observations are all that is looked for. Standards and names are evidence, not proof:
// what was done to a file weighs most.
var observations = []observation{
	{"system-path", (*view).systemPath},
	{"desktop-file", (*view).desktopFile},
	{"windows-key", (*view).windowsKey},
	{"session-key", (*view).sessionKey},
	{"written-by-others", (*view).writtenByOthers},
	{"program-key", (*view).programKey},
	{"never-written-in-install", (*view).neverWrittenInInstall},
	{"never-written-shared", (*view).neverWrittenShared},
	{"never-written-media", (*view).neverWrittenMedia},
	{"became-another", (*view).becameAnother},
	{"written-and-removed", (*view).writtenAndRemoved},
	{"temporary-folder", (*view).temporaryFolder},
	{"temporary-name", (*view).temporaryName},
	{"lock-name", (*view).lockName},
	{"empty-and-removed", (*view).emptyAndRemoved},
	{"cache-folder", (*view).cacheFolder},
	{"cache-name", (*view).cacheName},
	{"compiled-code", (*view).compiledCode},
	{"made-from-asset", (*view).madeFromAsset},
	{"thumbnail-folder", (*view).thumbnailFolder},
	{"fetched-folder", (*view).fetchedFolder},
	{"log-name", (*view).logName},
	{"crash-report", (*view).crashReport},
	{"log-folder", (*view).logFolder},
	{"crash-folder", (*view).crashFolder},
	{"appended-at-the-end", (*view).appendedAtTheEnd},
	{"grew-while-open", (*view).grewWhileOpen},
	{"opened-often", (*view).openedOften},
	{"read-with-content", (*view).readWithContent},
	{"config-name", (*view).configName},
	{"setting-name", (*view).settingName},
	{"rc-name", (*view).rcName},
	{"dot-file", (*view).dotFile},
	{"config-extension", (*view).configExtension},
	{"config-folder", (*view).configFolder},
	{"settings-inside", (*view).settingsInside},
	{"written-near-setting", (*view).writtenNearSetting},
	{"written-then-alone", (*view).writtenThenAlone},
	{"read-first", (*view).readFirst},
	{"save-name", (*view).saveName},
	{"progress-name", (*view).progressName},
	{"save-extension", (*view).saveExtension},
	{"save-folder", (*view).saveFolder},
	{"written-near-saved", (*view).writtenNearSaved},
	{"written-near-exit", (*view).writtenNearExit},
	{"replaced-through-temporary", (*view).replacedThroughTemporary},
	{"bytes-inside", (*view).bytesInside},
	{"data-folder", (*view).dataFolder},
	{"keeps-old-content", (*view).keepsOldContent},
	{"written-at-any-time", (*view).writtenAtAnyTime},
	{"written-at-the-start-alone", (*view).writtenAtTheStartAlone},
	{"gone-afterwards", (*view).goneAfterwards},
	{"credential-name", (*view).credentialName},
	{"written-by-a-service", (*view).writtenByAService},
	{"only-forward", (*view).onlyForward},
	{"rewritten-in-place", (*view).rewrittenInPlace},
	{"never-written", (*view).neverWritten},
	{"picture-made", (*view).pictureMade},
	{"picture-folder", (*view).pictureFolder},
	{"recording-extension", (*view).recordingExtension},
}

// findings are those that hold of the file.
func (v *view) findings() (list []Finding) {
	for _, o := range observations {
		if facts := o.test(v); facts != nil {
			list = append(list, Finding{ID: o.id, Facts: *facts})
		}
	}
	return list
}

// Row is a row of the table of weights: what a finding says for a kind, or against it
// where the weight is negative.
type Row struct {
	Finding string
	Kind    Kind
	Weight  float64
	Prior   float64 // what it was thought to be before anything was fitted
	Hand    string  // why it is set by hand; empty where it is learned
}

// Weights is a copy of the table that kinds are judged by.
func Weights() []Row { return slices.Clone(weights) }

// rowsOf are the rows of each finding.
var rowsOf = sync.OnceValue(func() map[string][]Row {
	rows := map[string][]Row{}
	for _, r := range weights {
		rows[r.Finding] = append(rows[r.Finding], r)
	}
	return rows
})

// SpeaksOf reports whether the table has a weight of the finding for a kind.
func (f Finding) SpeaksOf(kind Kind) bool {
	return slices.ContainsFunc(rowsOf()[f.ID], func(r Row) bool { return r.Kind == kind })
}

// Evidence is what one finding says for a kind, or against it.
type Evidence struct {
	Finding
	Kind   Kind
	Weight float64 // negative against it
}

// Text is the finding in words that a person can check.
func (e Evidence) Text() string { return e.Sentence() }

// MarshalJSON writes the sentence beside the facts.
func (e Evidence) MarshalJSON() ([]byte, error) {
	return json.Marshal(struct {
		Finding
		Kind   Kind    `json:"kind"`
		Weight float64 `json:"weight"`
		Text   string  `json:"text"`
	}{e.Finding, e.Kind, e.Weight, e.Text()})
}

// onceIsEnough is a finding that speaks against a kind in full though some runs alone show
// it: a file can be read back only in a run that finds it there.
const onceIsEnough = "read-with-content"

// weighed is what findings say by the table: those that it does not know say nothing.
func weighed(list []Finding) (all []Evidence) {
	for _, f := range list {
		for _, r := range rowsOf()[f.ID] {
			e := Evidence{f, r.Kind, r.Weight}
			if f.Share > 0 && r.Weight < 0 && f.ID != onceIsEnough {
				e.Weight *= f.Share
			}
			all = append(all, e)
		}
	}
	return all
}

// unknownPoints is how many points a kind needs to be as likely as Unknown.
const unknownPoints = 2.0

func odds(points float64) float64 { return math.Exp(points) }

// weigh adds the evidence up for each kind that any is of, and the odds of all.
func weigh(list []Evidence) (points map[Kind]float64, sum float64) {
	points = map[Kind]float64{Unknown: unknownPoints}
	for _, e := range list {
		points[e.Kind] += e.Weight
	}
	for _, k := range Kinds { // in one order, so that the sum is one number
		if p, ok := points[k]; ok {
			sum += odds(p)
		}
	}
	return points, sum
}

// Decide finds the likeliest kind. The confidence is the kind's share of the odds of
// all kinds; the reasons are those for the kind, the weightiest first. What is more likely
// progress or settings than neither is the likelier of the two: that a program keeps it is
// known, and which of them it is can be asked.
func Decide(list []Finding) (Kind, float64, []string) {
	evidence := weighed(list)
	points, sum := weigh(evidence)
	best := Unknown
	for _, k := range Kinds {
		if p, ok := points[k]; ok && p > points[best] {
			best = k
		}
	}
	if kept := stateOdds(points); best == Unknown && kept > odds(unknownPoints) {
		best = Save
		if points[Config] > points[Save] {
			best = Config
		}
	}
	// Nothing that was only seen is certain.
	return best, min(math.Round(100*odds(points[best])/sum)/100, 0.99), reasons(best, evidence)
}

// stateOdds are the odds of what a program keeps for later: progress and settings.
func stateOdds(points map[Kind]float64) (sum float64) {
	for _, k := range []Kind{Save, Config} {
		if p, ok := points[k]; ok {
			sum += odds(p)
		}
	}
	return sum
}

// Kept is how likely it is that a file holds what a program keeps, progress or settings,
// from 0 to 1: that can be plain where it is not which of the two.
func (f File) Kept() float64 {
	if f.Judged != nil {
		if f.Kind == Save || f.Kind == Config {
			return 1
		}
		return 0
	}
	points, sum := weigh(weighed(f.Findings))
	return stateOdds(points) / sum
}

// SureFrom is how sure of a file one has to be to conclude from it.
const SureFrom = 0.5

// Sure reports whether a file is of interest and its kind is sure enough to conclude from it,
// or it is that the program keeps it, as progress or as settings.
func (f File) Sure() bool {
	return f.Kind.OfInterest() && (f.Confidence >= SureFrom || f.Kind != Capture && f.Kept() >= SureFrom)
}

// Explain fills in what a footprint that came from elsewhere lacks: the reasons, which are
// the findings in words and what people say of kinds, and what this program's own table
// makes of the findings where that is another kind than the one that was sent.
func (f *Footprint) Explain() {
	said := map[string]Correction{}
	for _, c := range f.Corrections {
		said[c.File] = c
	}
	for i := range f.Files {
		x := &f.Files[i]
		was := Judged{x.Kind, x.Confidence}
		if x.Judged != nil {
			was = *x.Judged
		}
		x.Reasons, x.Again = reasons(was.Kind, weighed(x.Findings)), nil
		if kind, sure, _ := Decide(x.Findings); kind != was.Kind {
			x.Again = &Judged{kind, sure}
		}
		if x.Judged != nil {
			x.Reasons = slices.Concat([]string{said[x.Name()].says()}, x.Reasons)
		}
	}
}

// reasons are the sentences of the evidence on a kind, the weightiest first.
func reasons(kind Kind, evidence []Evidence) []string {
	own := slices.DeleteFunc(slices.Clone(evidence), func(e Evidence) bool { return e.Kind != kind })
	slices.SortStableFunc(own, func(a, b Evidence) int { return compareDown(a.Weight, b.Weight) })
	texts := []string{}
	for _, e := range own {
		text := e.Text()
		if e.Weight < 0 {
			text = "against it: " + text
		}
		texts = append(texts, text)
	}
	if kind == Unknown {
		texts = append(texts, "no observation points clearly to one kind")
	}
	return texts
}

// JoinFindings puts the findings of several runs on one file together: runs are samples of
// one behaviour, so what several show counts once. Where some runs alone show a finding, it
// has their share: what speaks against a kind then counts by it, since a file that was not
// written in one run may be in another.
func JoinFindings(runs [][]Finding) (all []Finding) {
	times, at := map[string]int{}, map[string]int{}
	for _, list := range runs {
		seen := map[string]bool{}
		for _, f := range list {
			if seen[f.ID] {
				continue
			}
			seen[f.ID] = true
			if times[f.ID] == 0 {
				at[f.ID] = len(all)
				all = append(all, f)
			}
			times[f.ID]++
		}
	}
	for id, n := range times {
		if n < len(runs) {
			all[at[id]].Share = float64(n) / float64(len(runs))
		}
	}
	return all
}
