package plays

import (
	"encoding/json"
	"errors"
	"flag"
	"fmt"
	"go/format"
	"io/fs"
	"math"
	"os"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"gonum.org/v1/gonum/optimize"
	"gonum.org/v1/gonum/stat"

	"endroit/core/footprint"
)

var fitWeights = flag.Bool("weights", false, "fit the weights of the judgement, and write its table")

// weightsFile is the table that is written, and realFindings what was found in real games.
const (
	weightsFile  = "../../core/footprint/weights.go"
	realFindings = "../../realgames/findings.json"
)

// Labelled is one file of a game, with what was found of it and what it is: save, config or
// capture, and else nothing of interest.
type Labelled struct {
	Game     string              `json:"game"`
	File     string              `json:"file"`
	Is       footprint.Kind      `json:"is"`
	Findings []footprint.Finding `json:"findings"`
}

// example is a file as the fit sees it: the rows that apply, by kind, and how much it counts.
type example struct {
	rows   map[footprint.Kind][]int
	share  []float64 // of each row's weight that counts, by row
	is     footprint.Kind
	weight float64
}

// unknownPoints is what a kind has to exceed: see core/footprint.
const unknownPoints = 2.0

// labelled are the files of a play. Those that are alike in what was found count once.
func (p Play) labelled(fp *footprint.Footprint) (list []Labelled) {
	is := map[string]footprint.Kind{}
	for k, names := range map[footprint.Kind][]string{footprint.Save: p.Save, footprint.Config: p.Config, footprint.Capture: p.Capture} {
		for _, n := range names {
			is[path(p.For(0, n))] = k
		}
	}
	among := p.all(0, p.Among)
	for _, f := range fp.Files {
		if slices.ContainsFunc(among, func(short string) bool { return path(short) == f.Path }) {
			continue // either would be right
		}
		list = append(list, Labelled{p.Name, f.Path, is[f.Path], f.Findings})
	}
	return list
}

// examples turns files into what the fit sees: each game counts as much as any other.
func examples(list []Labelled, table []footprint.Row) (byGame map[string][]example) {
	byGame = map[string][]example{}
	seen := map[string]bool{}
	for _, l := range list {
		e := example{rows: map[footprint.Kind][]int{}, share: make([]float64, len(table)), is: l.Is}
		key := l.Game + " " + string(l.Is)
		for _, f := range l.Findings {
			key += " " + f.ID
			for i, r := range table {
				if r.Finding != f.ID {
					continue
				}
				e.rows[r.Kind] = append(e.rows[r.Kind], i)
				e.share[i] = 1
				if f.Share > 0 && r.Weight < 0 {
					e.share[i] = f.Share
				}
			}
		}
		if !seen[key] {
			seen[key] = true
			byGame[l.Game] = append(byGame[l.Game], e)
		}
	}
	for _, list := range byGame {
		for i := range list {
			list[i].weight = 1 / float64(len(list))
		}
	}
	return byGame
}

// loss is the logarithm of what the table says of a file's kind, less than 0 by nothing if it
// is sure of it and right, with its slope by weight added to grad.
func (e example) loss(w, grad []float64) float64 {
	points := map[footprint.Kind]float64{footprint.Unknown: unknownPoints}
	for k, rows := range e.rows {
		for _, i := range rows {
			points[k] += w[i] * e.share[i]
		}
	}
	right, all := 0.0, 0.0
	is := func(k footprint.Kind) bool { return k == e.is || e.is == "" && !k.OfInterest() }
	top := 0.0
	for _, p := range points {
		top = max(top, p)
	}
	for k, p := range points {
		odds := math.Exp(p - top)
		all += odds
		if is(k) {
			right += odds
		}
	}
	const least = 1e-9
	if grad != nil {
		for k, rows := range e.rows {
			odds := math.Exp(points[k] - top)
			slope := odds / all
			if is(k) {
				slope -= odds / max(right, least)
			}
			for _, i := range rows {
				grad[i] += e.weight * slope * e.share[i]
			}
		}
	}
	return -e.weight * math.Log(max(right, least)/all)
}

// fit finds the weights that explain the games best, of those near what was thought before:
// a ridge towards the prior. Rows by hand stay.
func fit(games [][]example, table []footprint.Row, ridge float64) []float64 {
	start := make([]float64, len(table))
	for i, r := range table {
		start[i] = r.Prior
		if r.Hand != "" {
			start[i] = r.Weight
		}
	}
	n := float64(max(1, len(games)))
	value := func(w, grad []float64) (sum float64) {
		for i := range grad {
			grad[i] = 0
		}
		for _, g := range games {
			for _, e := range g {
				sum += e.loss(w, grad)
			}
		}
		sum /= n
		for i := range w {
			if grad != nil {
				grad[i] = grad[i]/n + ridge*(w[i]-start[i])
				if table[i].Hand != "" {
					grad[i] = 0
				}
			}
			sum += ridge / 2 * (w[i] - start[i]) * (w[i] - start[i])
		}
		return sum
	}
	result, err := optimize.Minimize(optimize.Problem{
		Func: func(w []float64) float64 { return value(w, nil) },
		Grad: func(grad, w []float64) { value(w, grad) },
	}, start, &optimize.Settings{MajorIterations: 300}, &optimize.LBFGS{})
	if result == nil || err != nil && result.X == nil {
		return start
	}
	return result.X
}

// lossOf is the mean loss of games.
func lossOf(games [][]example, w []float64) (sum float64) {
	for _, g := range games {
		for _, e := range g {
			sum += e.loss(w, nil)
		}
	}
	return sum / float64(max(1, len(games)))
}

// folds is into how many parts the games are divided: each is judged by what the others
// taught.
const folds = 10

// crossed gives for each fold the games that teach and those that are judged.
func crossed(byGame map[string][]example) (teach, judged [folds][][]example) {
	var names []string
	for name := range byGame {
		names = append(names, name)
	}
	slices.Sort(names)
	for i, name := range names {
		for f := range folds {
			if i%folds == f {
				judged[f] = append(judged[f], byGame[name])
			} else {
				teach[f] = append(teach[f], byGame[name])
			}
		}
	}
	return teach, judged
}

// TestWeights is what make weights runs: it fits the table on the plays for tuning and on the
// real games, each game judged by a fit without it, and writes it.
func TestWeights(t *testing.T) {
	if !*fitWeights {
		t.Skip("it writes the table: make weights")
	}
	table := footprint.Weights()
	var list, out []Labelled
	for _, p := range All() {
		if p.heldOut {
			out = append(out, p.labelled(p.judged(t))...)
		} else {
			list = append(list, p.labelled(p.judged(t))...)
		}
	}
	raw, err := os.ReadFile(realFindings)
	if !errors.Is(err, fs.ErrNotExist) {
		require.NoError(t, err)
		var real []Labelled
		require.NoError(t, json.Unmarshal(raw, &real))
		list = append(list, real...)
	}
	games := examples(list, table)
	teach, judged := crossed(games)
	prior, now := make([]float64, len(table)), make([]float64, len(table))
	for i, r := range table {
		prior[i], now[i] = r.Prior, r.Weight
		if r.Hand != "" {
			prior[i] = r.Weight
		}
	}
	mean := func(w func(f int) []float64) (sum float64) {
		for f := range folds {
			sum += lossOf(judged[f], w(f)) / folds
		}
		return sum
	}
	fmt.Printf("%d games, %d files that differ in what was found; loss of games that taught nothing (nats a game)\n", len(games), count0(games))
	fmt.Printf("  as thought before  %.4f\n  as the table is    %.4f\n", mean(func(int) []float64 { return prior }), mean(func(int) []float64 { return now }))
	// Of the ridges whose loss exceeds the least by no more than a standard error of the
	// difference, fold by fold, the greatest is taken: what games cannot tell apart stays near
	// what was thought before.
	ridges := []float64{0.0003, 0.001, 0.003, 0.01, 0.03, 0.1}
	weights, losses := make([][folds][]float64, len(ridges)), make([][folds]float64, len(ridges))
	least := 0
	for i, ridge := range ridges {
		for f := range folds {
			weights[i][f] = fit(teach[f], table, ridge)
			losses[i][f] = lossOf(judged[f], weights[i][f])
		}
		fmt.Printf("  fitted, ridge %-6g %.4f\n", ridge, stat.Mean(losses[i][:], nil))
		if stat.Mean(losses[i][:], nil) < stat.Mean(losses[least][:], nil) {
			least = i
		}
	}
	best, fitted := ridges[least], weights[least]
	for i, ridge := range ridges[least:] {
		var more [folds]float64
		for f := range folds {
			more[f] = losses[least+i][f] - losses[least][f]
		}
		if mean, deviation := stat.MeanStdDev(more[:], nil); mean <= deviation/math.Sqrt(folds) {
			best, fitted = ridge, weights[least+i]
		}
	}
	var all [][]example
	for _, g := range games {
		all = append(all, g)
	}
	w := fit(all, table, best)
	var heldOut [][]example
	for _, g := range examples(out, table) {
		heldOut = append(heldOut, g)
	}
	fmt.Printf("plays held out: as thought before %.4f, as the table was %.4f, fitted with ridge %g %.4f\n", lossOf(heldOut, prior), lossOf(heldOut, now), best, lossOf(heldOut, w))
	fmt.Printf("%-28s %-8s %7s %7s %8s  %s\n", "finding", "kind", "was", "is", "worth", "by hand, since")
	for i, r := range table {
		worth := 0.0 // what is lost where it teaches nothing
		for f := range folds {
			without := slices.Clone(fitted[f])
			without[i] = 0
			worth += (lossOf(judged[f], without) - lossOf(judged[f], fitted[f])) / folds
		}
		fmt.Printf("%-28s %-8s %7.2f %7.2f %8.4f  %s\n", r.Finding, r.Kind, r.Weight, w[i], worth, r.Hand)
	}
	require.NoError(t, writeWeights(table, w))
}

func count0(games map[string][]example) (n int) {
	for _, g := range games {
		n += len(g)
	}
	return n
}

func writeWeights(table []footprint.Row, w []float64) error {
	old, err := os.ReadFile(weightsFile)
	if err != nil {
		return err
	}
	head, _, ok := strings.Cut(string(old), "var weights = []Row{\n")
	if !ok {
		return errors.New("the table is not where it was")
	}
	var b strings.Builder
	b.WriteString(head + "var weights = []Row{\n")
	for i, r := range table {
		kind := strings.ToUpper(string(r.Kind[:1])) + string(r.Kind[1:])
		fmt.Fprintf(&b, "\t{%q, %s, %g, %g, %q},\n", r.Finding, kind, math.Round(100*w[i])/100, r.Prior, r.Hand)
	}
	b.WriteString("}\n")
	text, err := format.Source([]byte(b.String()))
	if err != nil {
		return err
	}
	return os.WriteFile(weightsFile, text, 0o644)
}

// A row that games speak for gains, one that they contradict loses, one that none has stays,
// and one by hand too.
func TestFittingLearnsFromGames(t *testing.T) {
	table := []footprint.Row{
		{Finding: "save-name", Kind: footprint.Save, Weight: 2, Prior: 2}, {Finding: "log-name", Kind: footprint.Save, Weight: 2, Prior: 2},
		{Finding: "rc-name", Kind: footprint.Config, Weight: 3, Prior: 3}, {Finding: "system-path", Kind: footprint.Save, Weight: 1, Prior: 0, Hand: "it is known"},
	}
	var list []Labelled
	for i := range 20 {
		game := fmt.Sprint(i)
		list = append(list, Labelled{game, "a", footprint.Save, []footprint.Finding{{ID: "save-name"}}},
			Labelled{game, "b", "", []footprint.Finding{{ID: "log-name"}}}, Labelled{game, "b again", "", []footprint.Finding{{ID: "log-name"}}},
			Labelled{game, "c", "", []footprint.Finding{{ID: "system-path"}}})
	}
	byGame := examples(list, table)
	require.Len(t, byGame, 20)
	assert.Len(t, byGame["3"], 3, "files that are alike count once")
	teach, judged := crossed(byGame)
	assert.Len(t, teach[0], 18)
	assert.Len(t, judged[0], 2)
	w := fit(teach[0], table, 0.01)
	assert.Greater(t, w[0], 3.0)
	assert.Less(t, w[1], 1.0)
	assert.InDelta(t, 3, w[2], 1e-6)
	assert.InDelta(t, 1, w[3], 1e-9)
	assert.Less(t, lossOf(judged[0], w), lossOf(judged[0], []float64{2, 2, 3, 1}))

	// The slope is that of the loss.
	e := byGame["1"][0]
	grad := make([]float64, len(table))
	at := []float64{1, 1, 1, 1}
	l := e.loss(at, grad)
	assert.InDelta(t, (e.loss([]float64{1.001, 1, 1, 1}, nil)-l)/0.001, grad[0], 1e-3)
}
