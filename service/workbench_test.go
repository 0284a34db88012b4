package service_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/core/contribution"
	"endroit/core/footprint"
	"endroit/service/wire"
)

// call makes a call with a person's token.
func (w *running) call(t *testing.T, who, method, path, body string, into any) (status int, answer string) {
	t.Helper()
	status, _, answer = w.raw(t, method, path, body, map[string]string{"Authorization": "Bearer " + w.tokens[who], "Content-Type": "application/json"})
	if into != nil {
		require.NoError(t, json.Unmarshal([]byte(answer), into), answer)
	}
	return status, answer
}

// A footprint that was submitted can be looked at and corrected; the correction stays with
// the name of who made it, and shows in review.
func TestTheWorkbenchOfAContribution(t *testing.T) {
	w, ctx := start(t), t.Context()
	sent, err := w.people["mira"].Submit(ctx, "k", tidewrack(t))
	require.NoError(t, err)
	at := fmt.Sprintf("/api/v1/contributions/%d/workbench", sent.Number)

	var bench wire.Workbench
	status, _ := w.call(t, "anselm", "GET", at, "", &bench)
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, "Tidewrack", bench.Title)
	assert.Equal(t, "mira", bench.By)
	assert.False(t, bench.Local)
	assert.True(t, bench.MayCorrect)
	require.Len(t, bench.Files, 1)
	assert.Equal(t, footprint.Save, bench.Files[0].Kind)

	var file wire.BenchFileShown
	status, _ = w.call(t, "mira", "GET", at+"/files/0", "", &file)
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, []string{`its name contains "save"`}, file.Reasons)
	assert.Empty(t, file.Versions, "contents stay on the contributor's machine")
	for _, n := range []string{"1", "-1", "x"} {
		status, _ = w.call(t, "mira", "GET", at+"/files/"+n, "", nil)
		assert.Equal(t, http.StatusNotFound, status, n)
	}

	var tried contribution.Feedback
	status, _ = w.call(t, "anselm", "POST", at+"/feedback", `{"title":"Tidewrack","locations":[{"at":"xdg-data:tidewrack/","holds":"save"},{"at":"xdg-data:","holds":"save"}]}`, &tried)
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, []int{0}, tried.Locations[0].Files)
	assert.NotEmpty(t, tried.Locations[1].Error)

	// An invalid correction is refused, with the field.
	for body, field := range map[string]string{
		`{"file":"xdg-data:elsewhere","kind":"log","because":""}`:                            "file",
		`{"file":"xdg-data:tidewrack/slots/slot1.sav","kind":"treasure","because":""}`:       "kind",
		`{"file":"xdg-data:tidewrack/slots/slot1.sav","kind":"log","because":"bell \u0007"}`: "because",
	} {
		var p wire.Problem
		status, _ = w.call(t, "anselm", "POST", at+"/corrections", body, &p)
		assert.Equal(t, http.StatusUnprocessableEntity, status, body)
		assert.Equal(t, field, p.Field, body)
	}
	status, answer := w.call(t, "anselm", "POST", at+"/corrections", `{"file":"xdg-data:tidewrack/slots/slot1.sav","kind":"config","because":"it holds volumes"}`, nil)
	require.Equal(t, http.StatusNoContent, status, answer)
	w.call(t, "mira", "GET", at, "", &bench)
	assert.Equal(t, footprint.Config, bench.Files[0].Kind)
	assert.Equal(t, footprint.Save, bench.Files[0].Judged)
	require.Len(t, bench.Corrections, 1)
	assert.Equal(t, "anselm", bench.Corrections[0].By)

	// In review the location covers a file of another kind now.
	shown, err := w.people["anselm"].Contribution(ctx, sent.Number)
	require.NoError(t, err)
	assert.Equal(t, map[footprint.Kind]int{footprint.Config: 1}, shown.Coverage[0].Kinds)
	assert.Contains(t, string(shown.Footprint), "anselm says that it is config, not save: it holds volumes")

	// Others do not even know of it; and once decided it is unchanged.
	status, _ = w.call(t, "tobin", "GET", at, "", nil)
	assert.Equal(t, http.StatusNotFound, status)
	status, _ = w.call(t, "tobin", "POST", at+"/corrections", `{"file":"xdg-data:tidewrack/slots/slot1.sav","kind":"save","because":""}`, nil)
	assert.Equal(t, http.StatusNotFound, status)
	_, err = w.people["anselm"].Return(ctx, sent.Number, "these are settings")
	require.NoError(t, err)
	status, _ = w.call(t, "mira", "POST", at+"/corrections", `{"file":"xdg-data:tidewrack/slots/slot1.sav","kind":"save","because":""}`, nil)
	assert.Equal(t, http.StatusConflict, status)
	w.call(t, "mira", "GET", at, "", &bench)
	assert.False(t, bench.MayCorrect)
	assert.Equal(t, "it was returned by anselm", bench.CannotCorrect)
}

// The names in a submission are not believed, and what it says of corrections has to fit.
func TestCorrectionsInASubmission(t *testing.T) {
	w, ctx := start(t), t.Context()
	var sound contribution.Finding
	require.NoError(t, json.Unmarshal(tidewrack(t), &sound))
	require.NoError(t, sound.Footprint.Correct([]footprint.Correction{{File: "xdg-data:tidewrack/slots/slot1.sav", Kind: footprint.Config}}))
	sound.Footprint.Files[0].Reasons = nil // made where it is read
	sound.Footprint.Files[0].Findings = []footprint.Finding{{ID: "log-name"}}
	raw, err := contribution.Encode(&sound)
	require.NoError(t, err)
	sent, err := w.people["mira"].Submit(ctx, "k", raw)
	require.NoError(t, err)
	var bench wire.Workbench
	w.call(t, "anselm", "GET", fmt.Sprintf("/api/v1/contributions/%d/workbench", sent.Number), "", &bench)
	require.Len(t, bench.Corrections, 1)
	shown, err := w.people["anselm"].Contribution(ctx, sent.Number)
	require.NoError(t, err)
	var read footprint.Footprint
	require.NoError(t, json.Unmarshal(shown.Footprint, &read))
	assert.Equal(t, footprint.Log, read.Files[0].Again.Kind, "what was found speaks of another kind than the one sent")
	assert.Equal(t, []string{"mira says that it is config, not save"}, read.Files[0].Reasons)
	assert.Equal(t, "mira", bench.Corrections[0].By)

	for name, spoil := range map[string]func(f *footprint.Footprint){
		"another's name":      func(f *footprint.Footprint) { f.Corrections[0].By = "anselm" },
		"of no file":          func(f *footprint.Footprint) { f.Corrections[0].File = "xdg-data:x" },
		"not said":            func(f *footprint.Footprint) { f.Corrections = nil },
		"twice":               func(f *footprint.Footprint) { f.Corrections = append(f.Corrections, f.Corrections[0]) },
		"judged elsewhere":    func(f *footprint.Footprint) { f.Files[0].Again = &footprint.Judged{Kind: footprint.Save} },
		"of no kind":          func(f *footprint.Footprint) { f.Corrections[0].Was = "treasure" },
		"a stroke that backs": func(f *footprint.Footprint) { f.Files[0].Lane = &footprint.Lane{Writes: []footprint.Stroke{{5, 1, 1}}} },
	} {
		var b contribution.Finding
		require.NoError(t, json.Unmarshal(raw, &b))
		spoil(b.Footprint)
		bad, err := contribution.Encode(&b)
		require.NoError(t, err)
		_, err = w.people["mira"].Submit(ctx, "k "+name, bad)
		require.Error(t, err, name)
		assert.Contains(t, problem(t, err).Field, "footprint.", name)
	}
}
