package console_test

import (
	"bytes"
	"context"
	"fmt"
	"net"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/chromedp/cdproto/input"
	"github.com/chromedp/chromedp"
	"github.com/chromedp/chromedp/kb"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"endroit/capture/versions"
	"endroit/core/draft"
	"endroit/core/footprint"
	"endroit/core/trace"
	"endroit/standin/browser"
	"endroit/tracefiles"
	"endroit/workbench"
)

// types puts a text in place of what a field holds.
func (v *visitor) types(label, was, text string) {
	v.t.Helper()
	_, err := chromedp.Run(v.ctx, chromedp.Poll[bool](fmt.Sprintf(`(() => {
		const field = [...document.querySelectorAll('input')].find((e) => e.labels?.[0]?.innerText === %q && (e.value === %q || %[2]q === ''))
		if (!field) return false
		Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set.call(field, %q)
		field.dispatchEvent(new Event('input', { bubbles: true }))
		return true
	})()`, label, was, text)))
	require.NoError(v.t, err, "type %s", text)
}

// focused waits until what has the focus shows a text.
func (v *visitor) focused(text string) {
	v.t.Helper()
	_, err := chromedp.Run(v.ctx, chromedp.Poll[bool](fmt.Sprintf(`document.activeElement.innerText.includes(%q)`, text)))
	require.NoError(v.t, err, "%s has the focus", text)
}

// hint waits until a tooltip shows a text, and explains what it is about; "" means none.
func (v *visitor) hint(text string) {
	v.t.Helper()
	_, err := chromedp.Run(v.ctx, chromedp.Poll[bool](fmt.Sprintf(`(() => {
		const tip = document.querySelector('[role=tooltip]'), about = document.querySelector('[aria-describedby=hint]')
		return %q === '' ? !tip && !about : tip?.innerText.endsWith(%[1]q) && tip.id === 'hint' && !!about
	})()`, text)))
	require.NoError(v.t, err, "the tooltip shows %q", text)
}

// A submitted footprint is looked into; a correction shows in review with the name of who
// made it, and a pattern that is widened says whose files it reaches.
func TestTheWorkbenchOfASubmission(t *testing.T) {
	v := visit(t)
	v.open("/sign-in")
	v.signIn("anselm")
	v.press("Workbench")
	v.sees("wait for a reviewer")
	v.press("Contribution 8")
	v.sees("Progress is most likely in")
	v.sees("Its content stayed on the contributor's machine")
	v.accessible("/reviews/8/workbench")
	v.types("Anchor and pattern", "", "xdg-data:ninefold-orchard/*")
	v.sees("It overlaps files of Ninefold Orchard, recorded as")
	v.types("Anchor and pattern", "xdg-data:ninefold-orchard/*", "xdg-data:")
	v.sees("Refused: ")

	v.press("This is of another kind")
	v.types("Because (a reviewer reads it)", "", "only the volume stands in it")
	v.do(chromedp.Click(chromedp.CSS(".form .kind .v-field")), chromedp.WaitVisible(chromedp.CSS(".v-list-item")))
	_, err := chromedp.Run(v.ctx, chromedp.Poll[bool](`(() => { const x = [...document.querySelectorAll('.v-list-item')].find((e) => e.innerText.trim() === 'settings'); x?.click(); return !!x })()`))
	require.NoError(t, err)
	v.press("Say so")
	v.sees("anselm says settings: only the volume stands in it")
	v.open("/reviews/8")
	v.sees("anselm says settings, judged to be progress: only the volume stands in it")
	v.press("Open it in the workbench")
	v.sees("Take it back")
	require.NoError(t, browser.SetView(v.ctx, 390, 800, false))
	wide, err := chromedp.Run(v.ctx, chromedp.Evaluate[float64]("document.documentElement.scrollWidth"))
	require.NoError(t, err)
	assert.LessOrEqual(t, wide, 390.0, "the workbench does not fit a phone")
}

// local is a workbench for a trace of a slot that was saved, with what it held before.
func local(t *testing.T) (v *visitor, trace_, drafts string) {
	t.Helper()
	home := t.TempDir()
	slot, odd := filepath.Join(home, ".local/share/tidewrack/slot1.sav"), "/opt/tidewrack/\u202Eodd\a.pak"
	require.NoError(t, os.MkdirAll(filepath.Dir(slot), 0o755))
	require.NoError(t, os.WriteFile(slot, []byte("TWSV: day 2"), 0o600))
	host, err := os.Hostname()
	require.NoError(t, err)
	var b bytes.Buffer
	w, err := trace.NewWriter(&b, trace.Header{Title: "Tidewrack", Host: host, OS: "linux", Runtime: "native", Observer: trace.ByCalls, Started: time.Date(2026, 11, 24, 1, 2, 3, 0, time.UTC), Env: map[string]string{"HOME": home}})
	require.NoError(t, err)
	require.NoError(t, w.Process(&trace.Process{PID: 7, Exe: "/opt/tidewrack/tidewrack"}))
	for i, path := range []string{slot, odd} {
		require.NoError(t, w.File(&trace.File{Path: path, Before: trace.State{Is: trace.IsFile, Size: 9, Time: time.Unix(1, 0).UTC()}}))
		require.NoError(t, w.Event(trace.Event{At: time.Second, Process: 1, Op: trace.Read, File: i + 1}))
		if i == 0 {
			require.NoError(t, w.Event(trace.Event{At: 30 * time.Second, Process: 1, Op: trace.Replace, File: i + 1}))
		}
	}
	require.NoError(t, w.Cue(trace.Cue{At: 31 * time.Second, Word: "saved"}))
	require.NoError(t, w.Exit(trace.Exit{Process: 1, At: time.Minute}))
	_, err = w.Close(time.Minute)
	require.NoError(t, err)
	trace_, drafts = filepath.Join(home, "tw.trace"), filepath.Join(home, "tw.draft.yaml")
	require.NoError(t, os.WriteFile(trace_, b.Bytes(), 0o600))
	beside := versions.Beside(trace_)
	digest := "2c26b46b68ffc68ff99b453c1d30413413422d706483bfa0f98a5e886266e7ae"
	require.NoError(t, os.MkdirAll(filepath.Join(beside, "content"), 0o700))
	require.NoError(t, os.WriteFile(filepath.Join(beside, "content", digest), []byte("TWSV: day 1"), 0o600))
	require.NoError(t, os.WriteFile(filepath.Join(beside, "index.jsonl"), fmt.Appendf(nil, `{"path":%q,"why":"before","at":0,"digest":%q,"size":11,"time":"2026-11-20T10:00:00Z"}`+"\n", slot, digest), 0o600))

	bench, err := workbench.Open(workbench.Config{Traces: []string{trace_}, Draft: drafts, By: "mira"})
	require.NoError(t, err)
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	serving, stop := context.WithCancel(context.Background())
	ended := make(chan error, 1)
	go func() { ended <- bench.Serve(serving, l) }()
	t.Cleanup(func() { stop(); assert.NoError(t, <-ended) })
	ctx, end, err := browser.Start(context.Background())
	require.NoError(t, err)
	t.Cleanup(end)
	ctx, cancel := context.WithTimeout(ctx, 15*time.Minute)
	t.Cleanup(cancel)
	require.NoError(t, browser.SetView(ctx, 1280, 800, false))
	v = &visitor{t, ctx, "http://" + l.Addr().String()}
	v.do(chromedp.Navigate(v.address + "/workbench"))
	v.sees("open the address that endroit workbench printed, with its key")
	v.do(chromedp.Navigate(bench.Address(l)))
	return v, trace_, drafts
}

func TestTheWorkbenchOfALocalTrace(t *testing.T) {
	v, trace, drafts := local(t)
	v.sees("Progress is most likely in")
	v.sees("on this machine alone")
	assert.Equal(t, "/workbench", v.location(), "the key is not in the address")
	v.accessible("/workbench")
	assert.NotContains(t, v.text(), "Reviews", "there is no service here")

	// Bytes, what differs, the single steps.
	v.press("Compare")
	v.sees("1 place differs")
	v.sees("- TWSV: day 1")
	v.press("Show bytes")
	v.sees("0x000A: 1 byte changed")
	v.accessible("/workbench?tab=compare")
	v.press("Look for checksums")
	v.sees("No common checksum")
	v.press("Bytes")
	v.sees("TWSV: day 2")
	v.press("Steps")
	v.sees("30.000 s")

	// The timeline zooms by keys and by dragging, and the steps follow it.
	v.do(chromedp.Focus(chromedp.CSS("canvas")), chromedp.KeyEvent("+"))
	v.sees("15 s to 45 s")
	require.Eventually(t, func() bool { return !bytes.Contains([]byte(v.text()), []byte("1.000 s")) }, time.Minute, 20*time.Millisecond)
	v.press("Whole run")
	v.sees("the whole run")
	_, err := chromedp.Run(v.ctx, chromedp.Evaluate[any](`(() => { const c = document.querySelector('canvas'), b = c.getBoundingClientRect(); c.setPointerCapture = () => {}
		for (const [kind, x] of [['down', 0.25], ['move', 0.5], ['up', 0.5]]) c.dispatchEvent(new PointerEvent('pointer' + kind, { clientX: b.left + x * b.width, clientY: b.top + 5, button: 0, bubbles: true })); return 0 })()`))
	require.NoError(t, err)
	v.sees("15 s to 30 s")

	// Names hold anything; what does not show is written out. Noise is folded away.
	assert.NotContains(t, v.text(), "odd")
	v.press("Show other files: 1 file")
	v.press("Hide other files")
	v.types("A part of the path", "", "ODD")
	v.sees(`\u202Eodd\u0007.pak`)
	v.types("A part of the path", "ODD", "")

	// The tree is walked by keys; the Tab key reaches it as a whole.
	v.press("Show other files: 1 file")
	v.do(chromedp.Focus(chromedp.CSS(`[role=tree]`)), chromedp.KeyEvent(kb.End), chromedp.KeyEvent(kb.ArrowRight), chromedp.KeyEvent(kb.ArrowDown))
	v.focused("odd")
	v.do(chromedp.KeyEvent(kb.Home), chromedp.KeyEvent(kb.ArrowLeft))
	rows := func(want string) {
		_, err := chromedp.Run(v.ctx, chromedp.Poll[bool](`(() => { const all = document.querySelectorAll('[role=treeitem]'); return `+want+` })()`))
		require.NoError(t, err, want)
	}
	rows(`all[0].ariaExpanded === 'false' && all.length === 3`)
	rows(`[...all].every((r) => r.tabIndex < 0)`)
	v.do(chromedp.KeyEvent(kb.ArrowRight))
	rows(`all[0].ariaExpanded === 'true' && all.length === 4`)
	v.press("Hide other files")

	// A tooltip shows by keyboard and by pointer, and Escape hides it.
	v.do(chromedp.Focus(chromedp.CSS(`[role=tree]`)), chromedp.KeyEvent(kb.Home), chromedp.KeyEvent(kb.End))
	v.hint("/slot1.sav")
	v.do(chromedp.KeyEvent(kb.Escape))
	v.hint("")
	at, err := chromedp.Run(v.ctx, chromedp.Evaluate[[]float64](`(() => { const e = document.querySelector('.lane-name'); e.scrollIntoView({ block: 'center' }); const r = e.getBoundingClientRect(); return [r.left + 5, r.top + 5] })()`))
	require.NoError(t, err)
	v.do(chromedp.MouseEvent(input.DispatchMouseEventTypeMouseMoved, at[0], at[1]))
	v.hint("/slot1.sav: progress")

	// The draft is tried while one types, and saved.
	v.types("Anchor and pattern", "", "xdg-data:tidewrack/nothing.sav")
	v.sees("covers no file seen")
	v.sees("Covered by none")
	v.press("Add as progress")
	v.sees("covers 1 file seen")
	v.do(chromedp.Click(chromedp.CSS(`[aria-label="Remove xdg-data:tidewrack/nothing.sav"]`)))
	v.press("Save the draft")
	v.sees("Saved. Next: endroit submit")
	text, err := os.ReadFile(drafts)
	require.NoError(t, err)
	d, err := draft.Parse(text)
	require.NoError(t, err)
	require.Len(t, d.Locations, 1)
	assert.Equal(t, "xdg-data:tidewrack/slot1.sav", d.Locations[0].At)

	// A correction stands beside the trace, with the name.
	v.press("This is of another kind")
	v.do(chromedp.Click(chromedp.CSS(".form .kind .v-field")), chromedp.WaitVisible(chromedp.CSS(".v-list-item")))
	_, err = chromedp.Run(v.ctx, chromedp.Poll[bool](`(() => { const x = [...document.querySelectorAll('.v-list-item')].find((e) => e.innerText.trim() === 'cache'); x?.click(); return !!x })()`))
	require.NoError(t, err)
	v.press("Say so")
	v.sees("mira says cache")
	said, err := tracefiles.Corrections(trace)
	require.NoError(t, err)
	require.Len(t, said.Corrections, 1)
	assert.Equal(t, footprint.Cache, said.Corrections[0].Kind)
	v.press("Take it back")
	v.sees("This is of another kind")
	assert.NoFileExists(t, trace+".corrections.json")
}

// Questions that the run left open are answered beside the draft, which changes at once and
// keeps what was answered.
func TestQuestionsAreAnsweredInTheWorkbench(t *testing.T) {
	v, _, drafts := local(t)
	text := `format: endroit/draft/1
title: Tidewrack
os: linux
runtime: native
locations:
  - {at: 'xdg-data:tidewrack/*.sav', holds: save}
questions:
  - {ask: 'what is xdg-data:tidewrack/slot1.sav?', topic: kind, of: ['xdg-data:tidewrack/slot1.sav'], answers: [progress, settings, pictures, none], answer: ""}
  - {ask: 'which of these names did you choose? slot1, wren', topic: names, of: [slot1, wren], answer: ""}
  - {ask: 'where is it on another machine?', answer: ""}
`
	require.NoError(t, os.WriteFile(drafts, []byte(text), 0o600))
	v.open("/workbench")
	v.sees("where is it on another machine?")
	v.accessible("questions in the workbench")
	v.press("settings")
	v.sees("By your answer: added config xdg-data:tidewrack/slot{slot}.sav")
	v.press("The game makes them all")
	v.sees("By your answer: the locations stay as they are.")
	v.sees("You said that the game makes them all.")
	assert.NotContains(t, v.text(), "is not settings", "what was answered counts for the feedback too")
	v.accessible("answers in the workbench")
	v.press("Save the draft")
	v.sees("Saved. Next: endroit submit")
	saved, err := os.ReadFile(drafts)
	require.NoError(t, err)
	d, err := draft.Parse(saved)
	require.NoError(t, err)
	require.Len(t, d.Questions, 3)
	assert.Equal(t, []string{"settings", draft.None, ""}, []string{d.Questions[0].Answer, d.Questions[1].Answer, d.Questions[2].Answer})
	require.Len(t, d.Locations, 2)
	assert.Equal(t, "xdg-data:tidewrack/*.sav", d.Locations[0].At, "what was edited stays")
	if shot := os.Getenv("QUESTIONS_SHOT"); shot != "" {
		png, err := chromedp.Run(v.ctx, chromedp.CaptureScreenshot())
		require.NoError(t, err)
		require.NoError(t, os.WriteFile(shot, png, 0o600))
	}
}
