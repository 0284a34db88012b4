package workbench_test

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/capture/versions"
	"endroit/core/content"
	"endroit/core/contribution"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/trace"
	"endroit/service/servicetest"
	"endroit/service/wire"
	"endroit/tracefiles"
	"endroit/workbench"
)

// openapi is what the document says of the calls that a workbench answers.
var openapi = servicetest.Load("../service/openapi.yaml", func(path string) bool {
	return strings.HasPrefix(path, "/workbench") || path == "/session"
})

func TestMain(m *testing.M) {
	http.DefaultTransport = openapi
	code := m.Run()
	for _, c := range openapi.Finish() {
		if !strings.HasSuffix(c, "POST /session") && !strings.HasSuffix(c, "DELETE /session") { // there is nobody to sign in
			fmt.Fprintln(os.Stderr, c)
			code = 1
		}
	}
	os.Exit(code)
}

// opened is a workbench that answers, for a run whose slot has two versions.
type opened struct {
	b             *workbench.Workbench
	address       string
	trace, drafts string
	slot, journal string
}

func open(t *testing.T) *opened {
	t.Helper()
	home := t.TempDir()
	t.Setenv("HOME", home)
	for _, name := range []string{"XDG_DATA_HOME", "XDG_CONFIG_HOME", "XDG_STATE_HOME", "XDG_CACHE_HOME"} {
		t.Setenv(name, "")
	}
	host, err := os.Hostname()
	require.NoError(t, err)
	data := filepath.Join(home, ".local/share/tidewrack")
	o := &opened{trace: filepath.Join(home, "tw.trace"), drafts: filepath.Join(home, "tw.draft.yaml"), slot: filepath.Join(data, "slots/slot1.sav"), journal: filepath.Join(data, "journal.log")}
	require.NoError(t, os.MkdirAll(filepath.Dir(o.slot), 0o755))
	require.NoError(t, os.WriteFile(o.slot, []byte("TWSV day 2 and more"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(data, "slots/slot9.sav"), []byte("TWSV of last year"), 0o600))

	var b bytes.Buffer
	w, err := trace.NewWriter(&b, trace.Header{Title: "Tidewrack", OS: "linux", Runtime: "native", User: "mira", Host: host, Observer: "seccomp user notification", Started: time.Date(2026, 11, 24, 1, 2, 3, 0, time.UTC), Env: map[string]string{"HOME": home}})
	require.NoError(t, err)
	require.NoError(t, w.Process(&trace.Process{PID: 10, Exe: "/opt/tidewrack/tidewrack"}))
	for i, path := range []string{o.slot, o.journal, "/usr/lib/libwave.so"} {
		require.NoError(t, w.File(&trace.File{Path: path, Before: trace.State{Is: trace.IsFile, Size: 10, Time: time.Unix(1, 0).UTC()}}))
		require.NoError(t, w.Event(trace.Event{At: time.Second, Process: 1, Op: trace.Read, File: i + 1}))
	}
	for _, e := range []trace.Event{{At: 30 * time.Second, Op: trace.Replace, File: 1}, {At: 31 * time.Second, Op: trace.Append, File: 2}, {At: 32 * time.Second, Op: trace.Append, File: 2}} {
		e.Process = 1
		require.NoError(t, w.Event(e))
	}
	require.NoError(t, w.Cue(trace.Cue{At: 30500 * time.Millisecond, Word: "saved"}))
	require.NoError(t, w.Exit(trace.Exit{Process: 1, At: time.Minute}))
	_, err = w.Close(time.Minute)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(o.trace, b.Bytes(), 0o600))

	beside := versions.Beside(o.trace)
	require.NoError(t, os.MkdirAll(filepath.Join(beside, "content"), 0o700))
	digest := strings.Repeat("a", 64)
	require.NoError(t, os.WriteFile(filepath.Join(beside, "content", digest), []byte("TWSV day 1"), 0o600))
	line, err := json.Marshal(versions.Version{Path: o.slot, Why: "before", At: 0, Digest: digest, Size: 10})
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(filepath.Join(beside, "index.jsonl"), append(line, '\n'), 0o600))
	o.start(t)
	return o
}

// start serves the trace, with those of other runs.
func (o *opened) start(t *testing.T, others ...string) {
	t.Helper()
	b, err := workbench.Open(workbench.Config{Traces: append([]string{o.trace}, others...), Draft: o.drafts, By: "mira"})
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	ctx, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- b.Serve(ctx, l) }()
	t.Cleanup(func() { stop(); assert.NoError(t, <-ended) })
	o.b, o.address = b, "http://"+l.Addr().String()
}

// call makes a call with the key.
func (o *opened) call(t *testing.T, method, path, body string, into any) (status int, answer string) {
	t.Helper()
	r, err := http.NewRequest(method, o.address+"/api/v1"+path, strings.NewReader(body))
	require.NoError(t, err)
	r.Header.Set("Authorization", "Bearer "+o.b.Key())
	r.Header.Set("Content-Type", "application/json")
	a, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	defer a.Body.Close()
	text, err := io.ReadAll(a.Body)
	require.NoError(t, err)
	if into != nil {
		require.NoError(t, json.Unmarshal(text, into), string(text))
	}
	return a.StatusCode, string(text)
}

func (o *opened) bench(t *testing.T) (w wire.Workbench) {
	t.Helper()
	status, text := o.call(t, "GET", "/workbench", "", &w)
	require.Equal(t, http.StatusOK, status, text)
	return w
}

// number is a file's, by its path.
func number(t *testing.T, w wire.Workbench, path string) int {
	t.Helper()
	for i, f := range w.Files {
		if f.Path == path {
			return i
		}
	}
	t.Fatalf("%s is not in the footprint", path)
	return 0
}

func TestLocalTraceIsInspected(t *testing.T) {
	o := open(t)
	w := o.bench(t)
	assert.True(t, w.Local)
	assert.Equal(t, "Tidewrack", w.Title)
	assert.Equal(t, o.drafts, w.Saves)
	assert.Empty(t, w.Digest)
	slot := number(t, w, o.slot)
	assert.Equal(t, footprint.Save, w.Files[slot].Kind)
	assert.Equal(t, []footprint.Stroke{{30e9, 30e9, 1}}, w.Files[slot].Lane.Writes)
	assert.Nil(t, w.Files[number(t, w, "/usr/lib/libwave.so")].Lane, "noise has no lane in the list")
	var session wire.Session
	o.call(t, "GET", "/session", "", &session)
	assert.Equal(t, wire.Session{Local: true}, session)

	at := fmt.Sprintf("/workbench/files/%d", slot)
	var file wire.BenchFileShown
	o.call(t, "GET", at, "", &file)
	assert.Equal(t, footprint.Save, file.Points[0].Kind)
	assert.NotEmpty(t, file.Evidence)
	require.Len(t, file.Versions, 2)
	assert.Equal(t, "before the run changed it", file.Versions[0].Says)
	assert.Equal(t, "now", file.Versions[1].ID)

	var steps wire.BenchSteps
	o.call(t, "GET", at+"/steps", "", &steps)
	require.Len(t, steps.Steps, 2)
	assert.Equal(t, wire.BenchStep{At: 30e9, Op: "replace", Program: "tidewrack"}, steps.Steps[1])
	o.call(t, "GET", at+"/steps?from=2000000000&to=40000000000", "", &steps)
	assert.Len(t, steps.Steps, 1)

	var got wire.BenchBytes
	o.call(t, "GET", at+"/bytes?version=1&facts=true", "", &got)
	assert.Equal(t, "TWSV day 1", string(got.Bytes))
	require.NotNil(t, got.Facts)
	got = wire.BenchBytes{}
	o.call(t, "GET", at+"/bytes?version=now&at=5", "", &got)
	assert.Equal(t, "day 2 and more", string(got.Bytes))
	assert.Nil(t, got.Facts)

	var d wire.BenchDifferences
	o.call(t, "GET", at+"/differences?from=1&to=now", "", &d)
	require.NotEmpty(t, d.Differences)
	assert.Equal(t, 9, d.Differences[0].At)
	assert.Equal(t, []content.LineDifference{{From: 1, To: 1, Was: []string{"TWSV day 1"}, Is: []string{"TWSV day 2 and more"}}}, d.Lines)
	var sums wire.BenchSums
	status, text := o.call(t, "GET", at+"/sums?version=1&against=now", "", &sums)
	assert.Equal(t, http.StatusOK, status, text)
	assert.Empty(t, sums.Sums)

	// A missing file is reported, and the page still answers.
	require.NoError(t, os.Remove(o.slot))
	require.NoError(t, os.Mkdir(o.slot, 0o755))
	o.call(t, "GET", at+"/bytes?version=now", "", &got)
	assert.Contains(t, got.Cannot, "is a folder")
	o.call(t, "GET", at+"/differences?from=1&to=now", "", &d)
	assert.Contains(t, d.Cannot, "is a folder")
	for _, bad := range []string{"/workbench/files/99", "/workbench/files/x", at + "/bytes?version=2", at + "/bytes?version=../x", fmt.Sprintf("/workbench/files/%d/bytes?version=1", number(t, w, o.journal))} {
		status, _ := o.call(t, "GET", bad, "", nil)
		assert.Equal(t, http.StatusNotFound, status, bad)
	}
	status, _ = o.call(t, "GET", at+"/steps?from=-1", "", nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
}

func TestADraftIsTriedAndSaved(t *testing.T) {
	o := open(t)
	w := o.bench(t)
	slot := number(t, w, o.slot)
	var got contribution.Feedback
	o.call(t, "POST", "/workbench/feedback", `{"title":"Tidewrack","locations":[{"at":"xdg-data:tidewrack/slots/slot{slot}.sav","holds":"save"}]}`, &got)
	assert.Equal(t, []int{slot}, got.Locations[0].Files)
	require.NotEmpty(t, got.Locations[0].Notes)
	assert.Contains(t, strings.Join(got.Locations[0].Notes, "\n"), "also matches a file that this run did not touch: "+filepath.Join(filepath.Dir(o.slot), "slot9.sav"))

	var d map[string]any
	require.NoError(t, json.Unmarshal(w.Draft, &d))
	d["locations"] = []any{map[string]any{"at": "xdg-data:tidewrack/slots/*.sav", "holds": "save"}}
	save := func(digest string) (int, wire.Saved) {
		body, err := json.Marshal(map[string]any{"draft": d, "digest": digest})
		require.NoError(t, err)
		var saved wire.Saved
		status, _ := o.call(t, "PUT", "/workbench/draft", string(body), &saved)
		return status, saved
	}
	status, saved := save("")
	require.Equal(t, http.StatusOK, status)
	text, err := os.ReadFile(o.drafts)
	require.NoError(t, err)
	parsed, err := draft.Parse(text)
	require.NoError(t, err)
	assert.Equal(t, "xdg-data:tidewrack/slots/*.sav", parsed.Locations[0].At)
	assert.Equal(t, "tw.trace", parsed.Trace.File)
	assert.Equal(t, saved.Digest, o.bench(t).Digest)

	// Saving over what somebody else wrote is refused.
	require.NoError(t, os.WriteFile(o.drafts, append(text, "note: by hand\n"...), 0o600))
	d["note"] = "from the page"
	status, _ = save(saved.Digest)
	assert.Equal(t, http.StatusConflict, status)
	status, _ = save("")
	assert.Equal(t, http.StatusConflict, status)
	still, err := os.ReadFile(o.drafts)
	require.NoError(t, err)
	assert.Contains(t, string(still), "by hand")
	status, _ = save(o.bench(t).Digest)
	assert.Equal(t, http.StatusOK, status)

	d["locations"] = []any{}
	status, _ = save(o.bench(t).Digest)
	assert.Equal(t, http.StatusUnprocessableEntity, status, "an invalid draft is not written")
	require.NoError(t, os.WriteFile(o.drafts, []byte("format: something else\n"), 0o600))
	status, answer := o.call(t, "GET", "/workbench", "", nil)
	assert.Equal(t, http.StatusConflict, status)
	assert.Contains(t, answer, "fix it, or name another with --draft")
}

func TestACorrectionStaysBesideTheTrace(t *testing.T) {
	o := open(t)
	before := o.bench(t)
	journal := number(t, before, o.journal)
	require.Equal(t, footprint.Log, before.Files[journal].Kind)
	status, answer := o.call(t, "POST", "/workbench/corrections", `{"file":"xdg-data:tidewrack/journal.log","kind":"save","because":"the quests"}`, nil)
	require.Equal(t, http.StatusNoContent, status, answer)
	after := o.bench(t)
	assert.Equal(t, journal, number(t, after, o.journal), "files keep their numbers")
	assert.Equal(t, footprint.Save, after.Files[journal].Kind)
	assert.Equal(t, footprint.Log, after.Files[journal].Judged)
	assert.Equal(t, "mira", after.Corrections[0].By)
	assert.Contains(t, string(after.Draft), "journal", "the draft that is proposed takes it in")
	for body, want := range map[string]int{`{"file":"x","kind":"save","because":""}`: 422, `{"file":"xdg-data:tidewrack/journal.log","kind":"x","because":""}`: 422, `{`: 400} {
		status, _ := o.call(t, "POST", "/workbench/corrections", body, nil)
		assert.Equal(t, want, status, body)
	}
	o.start(t) // another time
	assert.Equal(t, footprint.Save, o.bench(t).Files[number(t, o.bench(t), o.journal)].Kind)
	status, _ = o.call(t, "POST", "/workbench/corrections", `{"file":"xdg-data:tidewrack/journal.log","kind":"log","because":""}`, nil)
	assert.Equal(t, http.StatusNoContent, status)
	assert.Empty(t, o.bench(t).Corrections)
	assert.NoFileExists(t, o.trace+".corrections.json")
}

// Nobody looks into this machine's files without the key, by another name for it, or from
// another page; and nothing answers beyond loopback.
func TestReadAccess(t *testing.T) {
	o := open(t)
	get := func(change func(r *http.Request)) int {
		r, err := http.NewRequest("GET", o.address+"/api/v1/workbench", nil)
		require.NoError(t, err)
		change(r)
		a, err := http.DefaultClient.Do(r)
		require.NoError(t, err)
		_ = a.Body.Close()
		return a.StatusCode
	}
	key := func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+o.b.Key()) }
	assert.Equal(t, http.StatusOK, get(key))
	assert.Equal(t, http.StatusForbidden, get(func(*http.Request) {}))
	assert.Equal(t, http.StatusForbidden, get(func(r *http.Request) { r.Header.Set("Authorization", "Bearer x") }))
	assert.Equal(t, http.StatusMisdirectedRequest, get(func(r *http.Request) { key(r); r.Host = "games.example:80" }))
	r, err := http.NewRequest("POST", o.address+"/api/v1/workbench/corrections", strings.NewReader(`{}`))
	require.NoError(t, err)
	key(r)
	r.Header.Set("Origin", "https://games.example")
	a, err := http.DefaultClient.Do(r)
	require.NoError(t, err)
	_ = a.Body.Close()
	assert.Equal(t, http.StatusForbidden, a.StatusCode)

	// A printed address lets one browser in, once, and the key is in no address after that.
	l2, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer l2.Close()
	open := func(key string) *http.Response {
		browser := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
		a, err := browser.Get(o.address + "/open?key=" + key)
		require.NoError(t, err)
		_ = a.Body.Close()
		return a
	}
	assert.Equal(t, http.StatusForbidden, open("wrong").StatusCode)
	assert.Equal(t, http.StatusForbidden, open("").StatusCode)
	assert.Equal(t, http.StatusForbidden, open(o.b.Key()).StatusCode, "the secret is no key")
	_, first, _ := strings.Cut(o.b.Address(l2), "key=")
	_, second, _ := strings.Cut(o.b.Address(l2), "key=")
	assert.NotEqual(t, first, second)
	a = open(first)
	assert.Equal(t, http.StatusSeeOther, a.StatusCode)
	assert.Equal(t, "/workbench#let-in="+o.b.Key(), a.Header.Get("Location"))
	assert.Empty(t, a.Cookies(), "a cookie would go to every port of this machine")
	assert.Equal(t, http.StatusForbidden, open(first).StatusCode, "it was used")
	assert.Equal(t, http.StatusForbidden, get(func(r *http.Request) { r.Header.Set("Authorization", "Bearer "+second) }), "a key alone shows nothing")
	assert.Equal(t, http.StatusSeeOther, open(second).StatusCode)

	l, err := net.Listen("tcp", "0.0.0.0:0")
	require.NoError(t, err)
	defer l.Close()
	assert.ErrorContains(t, o.b.Serve(t.Context(), l), "a workbench may only listen on loopback, since it shows this machine's files")
}

// A trace of another machine says nothing of the files here, though they are called alike.
func TestATraceOfAnotherMachine(t *testing.T) {
	o := open(t)
	f, err := os.Open(o.trace)
	require.NoError(t, err)
	defer f.Close()
	r, err := trace.NewReader(f, trace.DefaultLimits)
	require.NoError(t, err)
	h := r.Header
	h.Host = "some-other-machine"
	var b bytes.Buffer
	w, err := trace.NewWriter(&b, h)
	require.NoError(t, err)
	for line, err := range r.Lines() {
		require.NoError(t, err)
		switch {
		case line.File != nil:
			require.NoError(t, w.File(line.File))
		case line.Process != nil:
			require.NoError(t, w.Process(line.Process))
		case line.Event != nil:
			require.NoError(t, w.Event(*line.Event))
		case line.Cue != nil:
			require.NoError(t, w.Cue(*line.Cue))
		}
	}
	_, err = w.Close(time.Minute)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(o.trace, b.Bytes(), 0o600))
	o.start(t)
	at := fmt.Sprintf("/workbench/files/%d", number(t, o.bench(t), o.slot))
	var file wire.BenchFileShown
	o.call(t, "GET", at, "", &file)
	require.Len(t, file.Versions, 1, "what was kept with the trace")
	assert.Equal(t, "1", file.Versions[0].ID)
	status, _ := o.call(t, "GET", at+"/bytes?version=now", "", nil)
	assert.Equal(t, http.StatusNotFound, status)
	var got contribution.Feedback
	o.call(t, "POST", "/workbench/feedback", `{"title":"Tidewrack","locations":[{"at":"xdg-data:tidewrack/slots/slot{slot}.sav","holds":"save"}]}`, &got)
	assert.NotContains(t, strings.Join(got.Locations[0].Notes, " "), "on this machine")
}

// An answer changes the draft in the making, and only what depends on it.
func TestAnswersChangeTheDraft(t *testing.T) {
	o := open(t)
	var bench wire.Workbench
	status, _ := o.call(t, "GET", "/workbench", "", &bench)
	require.Equal(t, http.StatusOK, status)
	var d draft.Draft
	require.NoError(t, json.Unmarshal(bench.Draft, &d))
	d.Questions = append(d.Questions, draft.Question{
		Ask: "what is it?", Topic: draft.TopicKind, Of: []string{"xdg-data:tidewrack/journal.log"}, Answers: draft.AnswersTo(draft.TopicKind), Answer: "progress",
	})
	raw, err := json.Marshal(wire.DraftAnswered{Draft: must(t, d)})
	require.NoError(t, err)
	var out wire.Answered
	status, _ = o.call(t, "POST", "/workbench/answers", string(raw), &out)
	require.Equal(t, http.StatusOK, status)
	assert.Equal(t, []string{"save xdg-data:tidewrack/journal.log"}, out.Added)
	assert.Empty(t, out.Removed)
	assert.Contains(t, string(out.Draft), `"answer":"progress"`)

	d.Questions[len(d.Questions)-1].Answer = "treasure"
	raw, err = json.Marshal(wire.DraftAnswered{Draft: must(t, d)})
	require.NoError(t, err)
	status, _ = o.call(t, "POST", "/workbench/answers", string(raw), nil)
	assert.Equal(t, http.StatusUnprocessableEntity, status)
}

func must(t *testing.T, d draft.Draft) json.RawMessage {
	t.Helper()
	raw, err := json.Marshal(d)
	require.NoError(t, err)
	return raw
}

// Several runs are shown together, each with its own clock; steps, versions and corrections
// are those of every run.
func TestSeveralRunsAreShownTogether(t *testing.T) {
	o := open(t)
	second := filepath.Join(filepath.Dir(o.trace), "second.trace")
	data, err := os.ReadFile(o.trace)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(second, data, 0o600))
	o.start(t, second)
	bench := o.bench(t)
	require.Len(t, bench.Runs, 2)
	assert.Equal(t, bench.Runs[0].Length, bench.Runs[1].At)
	assert.Len(t, bench.Cues, 2)
	n := number(t, bench, o.slot)
	assert.Equal(t, []int{0, 1}, bench.Files[n].Runs)
	var d draft.Draft
	require.NoError(t, json.Unmarshal(bench.Draft, &d))
	assert.Equal(t, "second.trace", d.Also[0].File)
	assert.Contains(t, strings.Join(d.Locations[0].Seen, ""), "of run 2")

	var steps wire.BenchSteps
	status, _ := o.call(t, "GET", fmt.Sprintf("/workbench/files/%d/steps", n), "", &steps)
	require.Equal(t, http.StatusOK, status)
	assert.Len(t, steps.Steps, 4)
	assert.Equal(t, steps.Steps[0].At+int64(bench.Runs[1].At), steps.Steps[2].At)
	status, _ = o.call(t, "GET", fmt.Sprintf("/workbench/files/%d/steps?from=%d&to=%d", n, bench.Runs[1].At, bench.Length), "", &steps)
	require.Equal(t, http.StatusOK, status)
	assert.Len(t, steps.Steps, 2)

	status, _ = o.call(t, "POST", "/workbench/corrections", fmt.Sprintf(`{"file":%q,"kind":"config","because":""}`, o.slot), nil)
	require.Equal(t, http.StatusNoContent, status)
	for _, name := range []string{o.trace, second} {
		said, err := tracefiles.Corrections(name)
		require.NoError(t, err)
		assert.Len(t, said.Corrections, 1, name)
	}
	assert.Equal(t, footprint.Config, o.bench(t).Files[number(t, o.bench(t), o.slot)].Kind)
}
