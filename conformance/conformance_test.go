package conformance

import (
	"encoding/json"
	"errors"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/place"
)

const file = "vectors.json"

// The vectors that others read are what this implementation does.
func TestTheVectorsAreOfToday(t *testing.T) {
	made, err := Vectors()
	require.NoError(t, err)
	if os.Getenv("ENDROIT_GOLDEN") != "" {
		require.NoError(t, os.WriteFile(file, made, 0o644))
	}
	kept, err := os.ReadFile(file)
	require.NoError(t, err)
	assert.Equal(t, string(kept), string(made), "ENDROIT_GOLDEN=1 go test ./conformance writes them again")
}

// The second implementation, compiled and run under Node, passes all that it reads, and
// sees a vector that is wrong.
func TestTheTypeScriptImplementation(t *testing.T) {
	tsc, err := filepath.Abs("../console/node_modules/.bin/tsc")
	require.NoError(t, err)
	if _, err := os.Stat(tsc); err != nil {
		t.Skip("the console's libraries are not installed; make build installs them")
	}
	out := t.TempDir()
	compiled, err := exec.Command(tsc, "-p", "typescript", "--outDir", out).CombinedOutput()
	require.NoError(t, err, string(compiled))
	require.NoError(t, os.WriteFile(filepath.Join(out, "package.json"), []byte(`{"type":"module"}`), 0o644))
	write := func(name string, v any) string {
		raw, err := json.Marshal(v)
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(filepath.Join(out, name), raw, 0o644))
		return filepath.Join(out, name)
	}
	tables := write("tables.json", place.RulesTables())
	run := func(vectors string) (string, error) {
		said, err := exec.Command("node", filepath.Join(out, "run.js"), vectors, tables).CombinedOutput()
		return string(said), err
	}
	said, err := run(file)
	require.NoError(t, err, said)
	assert.Contains(t, said, " 0 of them not passed")

	drawn, refused := drawn(t)
	said, err = run(write("drawn.json", drawn))
	require.NoError(t, err, said)
	assert.Contains(t, said, " 0 of them not passed")
	for _, rule := range []string{place.RuleRegistry, place.RuleOne, place.RuleShared, place.RuleAmbiguous, place.RuleGuarded, ""} {
		assert.Greater(t, refused[rule], 4, "by rule %q", rule)
	}

	said, err = run(write("wrong.json", vectors{
		Parse:  []parsed{{Location: "home:.tidewrack/", Refused: true}},
		Narrow: []parsed{{Location: "home:.tidewrack/", Rule: place.RuleGuarded}},
		Match:  []matched{}, Resolve: []resolved{}, Shards: []belongs{}, Versions: []ordered{}, Standings: []usable{},
	}))
	assert.Error(t, err)
	assert.Contains(t, said, "2 of them not passed")
}

// drawn are locations made of pieces of the tables at random, some of them spoilt, with the
// rules that they break, and how many break each.
func drawn(t *testing.T) (all vectors, refused map[string]int) {
	r := rand.New(rand.NewPCG(15, 7))
	pick := func(list []string) string { return list[r.IntN(len(list))] }
	tables := place.RulesTables()
	words := []string{
		"tidewrack", "Saves", "slot*.sav", "{user}", "{account}", "{ref}", "{slot}", "**", "*", "?", "ti*", "tid*", "a*b", "progra~1", "TIDEWR~1.SAV",
		"dot.", "a%3Ab", "e\u0301", "zero\u200bwidth", "AppData", "Library", ".local", "share", "users", "Public", "snap", ".var", "app",
		"HKEY_CURRENT_USER", "hkey_local_machine", "Software", "*.dat", "id_*", "wallet.*", "lo?in.json",
	}
	var anchors []string
	for _, a := range tables.Anchors {
		anchors = append(anchors, string(a.Name))
		for _, places := range [][]place.TablePlace{tables.Shared[a.Name], tables.Guarded[a.Name]} {
			for _, p := range places {
				_, rest, _ := strings.Cut(strings.TrimSuffix(p.At, "/"), ":")
				words = append(words, rest)
			}
		}
	}
	for _, n := range tables.GuardedNames {
		words = append(words, n.At)
	}
	spoil := func(word string) string {
		at := r.IntN(len(word))
		switch r.IntN(5) {
		case 0:
			return word[:at] + "*"
		case 1:
			return word[:at] + "?" + word[at+1:]
		case 2:
			return strings.ToUpper(word)
		case 3:
			return "*" + word[at:]
		}
		return word
	}
	all = vectors{Parse: []parsed{}, Match: []matched{}, Resolve: []resolved{}, Shards: []belongs{}, Versions: []ordered{}, Standings: []usable{}}
	refused = map[string]int{}
	for len(all.Narrow) < 2500 {
		var segments []string
		for range 1 + r.IntN(3) {
			segments = append(segments, spoil(pick(words)))
		}
		text := pick(anchors) + ":" + strings.Join(segments, "/") + pick([]string{"", "/"})
		if _, err := place.ParseAny(text); err != nil {
			continue
		}
		x := parsed{Location: text}
		var wide *place.WideError
		if _, err := place.Parse(text); errors.As(err, &wide) {
			x.Rule = wide.Rule
		}
		refused[x.Rule]++
		all.Narrow = append(all.Narrow, x)
	}
	return all, refused
}
